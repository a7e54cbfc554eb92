# The desk in a real browser, as a person works at it.

test_that("cells of a grid, tiers through time and points of a curve are picked on the page, by the mouse and by the keys", {
  desk <- start_desk(orders_path())
  page <- open_page(desk$address)
  page$choose("#sentence [data-field=kind]", "grid")
  page$type("#sentence [data-field=by]", "region")
  expect_identical(page$js("document.querySelectorAll('#table td[data-item] button').length"), 88L)
  first <- "#table td[data-item] button"
  expect_match(page$js(sprintf("document.querySelector('%s').getAttribute('aria-label')", first)), "^pick Ambermouth, 2023-Q4, ")
  page$js(sprintf("document.querySelector('%s').focus()", first))
  page$key(" ", "Space", text = " ")
  page$rest()
  expect_identical(page$text("#picked h3"), "Ambermouth, 2023-Q4")
  expect_identical(page$js(sprintf("document.querySelector('%s').getAttribute('aria-pressed')", first)), "true")
  expect_identical(page$js("document.querySelectorAll('#figure .area.chosen').length"), 1L)
  page$click("#picked .clear")
  page$js("window.scrollTo(0, 0)")
  at <- page$js("(function(){var a=document.querySelectorAll('#figure .area')[1].getBoundingClientRect();return [a.left+a.width/2,a.top+a.height/2]})()")
  page$mouse(at[[1L]], at[[2L]])
  expect_identical(page$js("document.querySelectorAll('#table td.chosen').length"), 1L)

  page$choose("#sentence [data-field=kind]", "movement")
  page$click("#table tr[data-item] .tick")
  who <- page$text("#picked h3")
  expect_identical(page$js("document.querySelectorAll('#figure .area.chosen').length"), 11L)
  expect_identical(page$text("#table tr.chosen th"), who)

  page$choose("#sentence [data-field=kind]", "concentration")
  # What was picked stays so on the curve.
  expect_identical(page$text("#picked h3"), who)
  expect_identical(page$js("document.querySelectorAll('#figure .area.chosen').length"), 1L)
  expect_identical(page$wrong, character())
})

test_that("what is wrong is told beside its field as it is typed, and the answer before it stays", {
  desk <- start_desk(orders_path())
  page <- open_page(desk$address)
  page$type("#sentence [data-field=of]", "sum(net_sale)", enter = FALSE)
  page$until("document.querySelector('#wrong-of').innerText.includes('net_sales')")
  expect_identical(page$js("document.querySelector('[data-field=of]').getAttribute('aria-invalid')"), "true")
  page$type("#sentence [data-field=of]", "sum(net_sale)")
  expect_match(page$text("#finding"), "leads 241 customers")
  expect_identical(page$js("document.querySelectorAll('#trail li').length"), 1L)
  page$type("#sentence [data-field=of]", "mean(net_sales)")
  expect_identical(page$text("#wrong-of"), "")
  expect_equal(numbers_in(page, "#table tr[data-item] td.value")[1L], round(standings(demo_orders(), of = c(m = mean(net_sales)), by = customer)$m[1L], 2))
  page$type("#sentence .condition .text", "regoin == \"x\"", enter = FALSE)
  page$until("document.querySelector('#wrong-condition-1').innerText.includes('region')")
  expect_identical(page$wrong, character())
})

test_that("the keyboard alone does it", {
  desk <- start_desk(orders_path())
  page <- open_page(desk$address)
  page$js("document.body.focus()")
  # Tab reaches every control, in the order in which they stand, and each shows that it is there.
  seen <- character()
  for (i in 1:60) {
    page$key("Tab")
    seen <- c(seen, page$js("(function(){var e=document.activeElement;return (e.getAttribute('data-field')||e.getAttribute('data-threshold')||e.className||e.tagName)+(getComputedStyle(e).outlineStyle==='none'?' unseen':'')})()"))
  }
  expect_true(all(c("kind", "of", "by", "within", "over", "top", "tick") %in% sub(" unseen$", "", seen)))
  expect_identical(setdiff(grep("unseen", seen, value = TRUE), "BODY unseen"), character())
  page$js("document.querySelector('.slide').focus()")
  for (i in 1:3) page$key("ArrowRight")
  page$until("document.querySelector('.exact').value === '3'")
  page$rest()
  expect_identical(page$js("document.querySelectorAll('#table tr.marked').length"), 3L)
  expect_identical(page$js("document.activeElement.className"), "slide")
  page$js("document.querySelector('#table tr[data-item=\"4\"] .tick').focus()")
  page$key(" ", "Space", text = " ")
  page$rest()
  expect_match(page$text("#picked .why"), "no. 4 of", fixed = TRUE)
  page$js("document.querySelector('#picked [data-how=without]').focus()")
  page$key("Enter", text = "\r")
  page$rest()
  expect_match(page$text("#finding"), "240 customers", fixed = TRUE)
  expect_identical(page$wrong, character())
})

test_that("names and values with markup, quotes and control characters are shown, and do not act", {
  folder <- withr::local_tempdir()
  evil <- "<img src=x onerror=\"document.title='owned'\">"
  data <- data.frame(a = c(evil, "</script><script>document.title='owned'</script>", "quote \" and ' both", "bell \a and \u202e turned"), b = 4:1)
  names(data) <- c("<b>name</b>", "sum")
  data.table::fwrite(data, file.path(folder, "odd.csv"))
  desk <- start_desk(file.path(folder, "odd.csv"))
  page <- open_page(desk$address)
  page$type("#sentence [data-field=of]", "sum(`sum`)")
  page$type("#sentence [data-field=by]", "`<b>name</b>`")
  expect_identical(page$text("#table tr[data-item='1'] td.name"), evil)
  page$click("#table tr[data-item='1'] .tick")
  expect_identical(page$text("#picked h3"), evil)
  page$click("#picked [data-how=only]")
  expect_match(page$text("#trail li.here"), "<img", fixed = TRUE)
  expect_no_match(page$js("document.title"), "owned")
  expect_identical(page$js("document.querySelectorAll('#desk img, #desk script, #table b').length"), 0L)
  expect_identical(page$wrong, character())
})

test_that("the desk ends when its window is closed", {
  desk <- start_desk(orders_path())
  page <- open_page(desk$address)
  page$b$close()
  desk$process$wait(15000)
  expect_false(desk$process$is_alive())
  expect_identical(desk$process$get_exit_status(), 0L)
})

test_that("what is handed over comes as a download, and nothing scrolls sideways at any size", {
  desk <- start_desk(orders_path())
  page <- open_page(desk$address)
  folder <- withr::local_tempdir()
  page$b$Browser$setDownloadBehavior(behavior = "allow", downloadPath = folder)
  download <- function(form, name) {
    page$js("document.querySelector('.take').open = true")
    page$click(sprintf("[data-form=%s]", form))
    path <- file.path(folder, name)
    until <- Sys.time() + 20
    while (!file.exists(path) && Sys.time() < until) later::run_now(0.1)
    path
  }
  expect_equal(utils::read.csv(download("csv", "answer.csv"))$net_sales, standings(demo_orders(), of = sum(net_sales), by = customer)$net_sales)
  expect_match(readLines(download("sh", "desk.sh")), "^eggcrate standings ", all = FALSE)
  study <- download("toml", "desk.toml")
  expect_identical(nrow(check_study(study)$problems), 0L)
  page$click("#table tr[data-item='1'] .tick")
  page$choose("#sentence [data-field=kind]", "quadrants")
  page$js("document.querySelector('.take').open = false")
  for (size in list(c(1280, 800), c(1600, 1000), c(800, 900))) {
    page$b$Emulation$setDeviceMetricsOverride(width = size[1L], height = size[2L], deviceScaleFactor = 1, mobile = FALSE)
    expect_lte(page$js("document.documentElement.scrollWidth"), size[1L])
  }
  expect_identical(page$wrong, character())
})
