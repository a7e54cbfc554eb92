# The desk in a real browser, as a person works at it.

test_that("ask, change, slide, pick: the page shows what the verbs return", {
  desk <- start_desk(c(orders_path(), "--layout", system.file("extdata", "region-tiles.csv", package = "eggcrate")))
  page <- open_page(desk$address)
  first <- standings(demo_orders(), of = sum(net_sales), by = customer)
  values <- "#table tr[data-item] td.value"
  expect_equal(numbers_in(page, values), first$net_sales[1:10])
  expect_match(page$text("#finding"), "leads 241 customers")

  page$choose("#sentence [data-field=kind]", "pareto")
  expect_match(page$text("#finding"), "98 of 241 customers account for 80%", fixed = TRUE)
  page$type("#sentence .condition .text", "region == \"Midmark\"")
  midmark <- pareto(demo_orders(), of = sum(net_sales), by = customer, where = region == "Midmark")
  expect_equal(numbers_in(page, values), midmark$net_sales[1:10])

  page$js("(function(){var s=document.querySelector('.slide');s.value=50;s.dispatchEvent(new Event('input',{bubbles:true}));s.dispatchEvent(new Event('change',{bubbles:true}))})()")
  page$rest()
  half <- pareto(demo_orders(), of = sum(net_sales), by = customer, where = region == "Midmark", reach = "50%")
  expect_match(page$text("#finding"), sprintf("%d of %d customers account for 50%%", sum(half$reached), nrow(half)), fixed = TRUE)
  expect_identical(page$js("document.querySelector('[data-field=reach]').value"), "50%")

  # A bar is picked where it stands in the figure.
  at <- page$js("(function(){var a=document.querySelector('#figure .area[data-item=\"2\"]').getBoundingClientRect();return [a.left+a.width/2,a.top+a.height/2]})()")
  page$mouse(at[[1L]], at[[2L]])
  expect_identical(page$text("#picked h3"), half$customer[2L])
  expect_match(page$text("#picked .why"), "no. 2 of", fixed = TRUE)
  expect_identical(page$js("document.querySelectorAll('#table tr.chosen').length"), 1L)
  # A box around several picks them all.
  box <- page$js("(function(){var a=document.querySelector('#figure .area[data-item=\"1\"]').getBoundingClientRect(),b=document.querySelector('#figure .area[data-item=\"3\"]').getBoundingClientRect();return [a.left-1,a.bottom-4,b.right+1,b.bottom-2]})()")
  page$mouse(box[[1L]], box[[2L]], to = c(box[[3L]], box[[4L]]))
  expect_identical(page$text("#picked h3"), "3 customers selected")
  expect_identical(page$wrong, character())
})

test_that("drill, go back, compare, and read the page again: the history is kept", {
  desk <- start_desk(orders_path())
  page <- open_page(desk$address)
  values <- "#table tr[data-item] td.value"
  page$choose("#sentence [data-field=kind]", "pareto")
  page$type("#sentence .condition .text", "region == \"Midmark\"")
  midmark <- pareto(demo_orders(), of = sum(net_sales), by = customer, where = region == "Midmark")
  page$js("(function(){var s=document.querySelector('.slide');s.value=50;s.dispatchEvent(new Event('input',{bubbles:true}));s.dispatchEvent(new Event('change',{bubbles:true}))})()")
  page$rest()
  page$click("#table tr[data-item='1'] .tick")
  page$click("#picked [data-by=category]")
  below <- drill(midmark, "Berrowin Sailmakers", by = category)
  expect_equal(numbers_in(page, values), utils::head(below$net_sales, 10L))

  expect_identical(page$js("document.querySelectorAll('#trail li').length"), 5L)
  page$click("#trail .back .go")
  expect_match(page$text("#finding"), "account for 50%", fixed = TRUE)
  page$click("#trail li:first-child .beside")
  expect_match(page$text("#finding-there"), "leads 241 customers", fixed = TRUE)
  expect_match(page$text("#beside"), "Standings", fixed = TRUE)
  page$until("document.querySelector('#figure-there svg') !== null")

  # A page that is read again has its trail.
  page$go(desk$address)
  expect_identical(page$js("document.querySelectorAll('#trail li').length"), 5L)
  expect_match(page$text("#finding"), "account for 50%", fixed = TRUE)
  expect_identical(page$wrong, character())
})

test_that("a threshold that is moved while an answer is on its way stays where it was moved to", {
  desk <- start_desk(orders_path())
  page <- open_page(desk$address)
  page$choose("#sentence [data-field=kind]", "pareto")
  page$js("document.querySelector('.slide').focus()")
  # Answers to the first keys come while the next are pressed.
  for (i in 1:6) {
    page$key("ArrowLeft")
    later::run_now(0.15)
  }
  page$rest()
  expect_identical(page$js("document.querySelector('.slide').value"), "74")
  expect_match(page$text("#finding"), "account for 74%", fixed = TRUE)
  expect_identical(page$wrong, character())
})
