lines_of <- function(desk) vapply(seq_along(desk$trail), function(at) eggcrate:::step_line(desk, at), "")

test_that("every step is a line in words, of what is new in it", {
  desk <- new_demo_desk()
  desk <- asks(desk, "standings", of = "sum(net_sales)", by = "product")$desk
  desk <- asks(desk, "standings", of = "sum(net_sales)", by = "product", where = "region == \"Midmark\"")$desk
  desk <- asks(desk, "pareto", of = "sum(net_sales)", by = "product", reach = "50%")$desk
  expect_identical(lines_of(desk), c("Standings of sum(net_sales) by customer", "by product", "where region == \"Midmark\"",
    "Pareto, up to 50%, no longer where region == \"Midmark\""))
  expect_identical(utils::tail(lines_of(asks(desk, "tiers", of = "sum(net_sales)", by = "product")$desk), 1L), "Tiers")
  expect_identical(asks(desk, "pareto", of = " sum(net_sales)", by = "product ", reach = "50%")$desk$trail, desk$trail)
})

test_that("going back takes nothing away, and asking on from there makes a branch", {
  desk <- new_demo_desk()
  desk <- asks(desk, "standings", of = "sum(net_sales)", by = "product")$desk
  desk <- eggcrate:::desk_act(desk, list(what = "go", to = 1))$desk
  desk <- asks(desk, "standings", of = "sum(net_sales)", by = "region")$desk
  expect_identical(lines_of(desk), c("Standings of sum(net_sales) by customer", "by product", "by region"))
  expect_identical(vapply(desk$trail, `[[`, 1L, "from"), c(0L, 1L, 1L))
  for (to in list(0, 99, "2", NULL, NA, -1)) expect_identical(eggcrate:::desk_act(desk, list(what = "go", to = to))$desk$at, 3L)
  desk <- eggcrate:::desk_act(desk, list(what = "name", at = 2, name = "  by\nproduct <b>"))$desk
  expect_identical(lines_of(desk)[2L], "by product <b>")
})

test_that("two steps beside each other say what differs", {
  desk <- new_demo_desk()
  desk <- asks(desk, "pareto", of = "sum(net_sales)", by = "customer", reach = "50%", where = "units > 3")$desk
  differ <- eggcrate:::step_differences(desk$trail[[2L]], desk$trail[[1L]])
  expect_identical(differ, list(field = c("reach", "answer", "where"), here = c("50%", "Pareto", "units > 3"), there = c("", "Standings", "")))
  done <- eggcrate:::desk_act(desk, list(what = "beside", to = 1))
  expect_identical(done$desk$beside, 1L)
  message <- eggcrate:::views_message(done)
  expect_says(message$there$finding, "leads 241 customers")
  expect_identical(eggcrate:::desk_act(done$desk, list(what = "beside", to = 1))$desk$beside, 0L)
})

test_that("what is handed over asks the same again: as a study, as R, as commands", {
  folder <- withr::local_tempdir()
  file.copy(orders_path(), file.path(folder, "orders.csv"))
  withr::local_dir(folder)
  desk <- new_demo_desk("orders.csv")
  desk <- asks(desk, "pareto", of = "sum(net_sales)", by = "product", reach = "60%", where = c("region == \"Midmark\"", "units > 2"))$desk
  desk <- asks(desk, "tiers", of = "sum(net_sales)", by = "customer", scheme = "tiers_by_rank(c(A = 5), rest = \"B\")", also = "profit = sum(profit)\norders = distinct(order_no)")$desk
  writeLines(eggcrate:::taken_file(desk, "toml", 1:3)$content, "desk.toml")
  # It works from any folder: a browser puts it where it likes.
  dir.create("elsewhere")
  file.copy("desk.toml", "elsewhere")
  checked <- check_study("elsewhere/desk.toml")
  expect_identical(nrow(checked$problems), 0L)
  expect_identical(checked$parts$command, c("standings", "pareto", "tiers"))
  run <- run_study("desk.toml", "out", quiet = TRUE)
  for (at in 1:3) expect_identical(lapply(as.list(run$answer[[at]]), as.vector), lapply(as.list(eggcrate:::step_result(desk, desk$trail[[at]])$x), as.vector))
  code <- parse(text = eggcrate:::taken_file(desk, "r", 2:3)$content)
  results <- lapply(as.list(code), function(line) eval(line, new.env(parent = asNamespace("eggcrate"))))
  expect_identical(results[[2L]]$net_sales, run$answer[[2L]]$net_sales)
  expect_identical(as.character(results[[3L]]$tier), as.character(run$answer[[3L]]$tier))
  shell <- grep("^eggcrate", eggcrate:::taken_file(desk, "sh", 2)$content, value = TRUE)
  csv <- system2("sh", c("-c", shQuote(sub("^eggcrate", shQuote(command_path()), paste(shell, "--format csv")))), stdout = TRUE, stderr = FALSE,
    env = paste0("R_LIBS=", paste(.libPaths(), collapse = ":")))
  expect_equal(utils::read.csv(text = csv)$net_sales, run$answer[[2L]]$net_sales)
})

test_that("exported scripts and commands have the display settings and the reading options", {
  folder <- withr::local_tempdir()
  withr::local_dir(folder)
  orders <- demo_orders()
  orders$net_sales <- sub(".", ",", format(orders$net_sales, trim = TRUE), fixed = TRUE)
  write.csv(orders, "german.csv", row.names = FALSE)
  set <- eggcrate:::new_display(labels = c(net_sales = "Umsatz, netto", customer = "Kunde | Kunden"), currency = "\u20ac", locale = "de", unit = "thousand",
    money = "net_sales", bars = c(net_sales = 300), muted = "share", decimals = 0)
  source <- eggcrate:::keep_tallies(eggcrate:::open_source("german.csv", reading = list(decimal = ",")))
  withr::defer(eggcrate:::source_close(source))
  desk <- eggcrate:::new_desk(source, list(source = list(file = "german.csv", decimal = ","), display = set))
  desk <- asks(desk, "pareto", of = "sum(net_sales)", by = "customer", reach = "60%")$desk
  withr::local_options(cli.unicode = TRUE)
  shown <- eggcrate:::with_display(set, format(answer_on(desk)$x))
  expect_match(shown, "Kunden", all = FALSE)
  withr::defer(options(eggcrate.display = NULL))
  script <- parse(text = eggcrate:::taken_file(desk, "r", 2)$content)
  expect_identical(format(eval(script[[length(script)]], (function() { eval(script[[length(script) - 1L]], asNamespace("eggcrate")); asNamespace("eggcrate") })())), shown)
  options(eggcrate.display = NULL)
  shell <- grep("^eggcrate", eggcrate:::taken_file(desk, "sh", 2)$content, value = TRUE)
  run <- run_here(eggcrate:::with_display(NULL, scan(text = sub("^eggcrate ", "", shell), what = "", quote = "'", quiet = TRUE, encoding = "UTF-8")))
  expect_identical(run$status, 0L)
  expect_identical(trimws(run$out[-1], "right"), trimws(shown[-1], "right"))
})

test_that("the answer is handed over as table, workbook, figure and page, and nothing where there is none", {
  desk <- new_demo_desk()
  desk <- asks(desk, "pareto", of = "sum(net_sales)", by = "region")$desk
  csv <- eggcrate:::taken_file(desk, "csv", numeric())
  expect_equal(utils::read.csv(text = csv$content)$net_sales, pareto(demo_orders(), of = sum(net_sales), by = region)$net_sales)
  png <- eggcrate:::taken_file(desk, "png", numeric())$content
  expect_identical(png[2:4], charToRaw("PNG"))
  expect_match(rawToChar(eggcrate:::taken_file(desk, "svg", numeric())$content), "</svg>", fixed = TRUE)
  expect_identical(eggcrate:::taken_file(desk, "xlsx", numeric())$content[1:2], charToRaw("PK"))
  page <- paste(eggcrate:::taken_file(desk, "html", c(1, 2))$content, collapse = "\n")
  expect_says(page, "regions account for 80% of net sales")
  expect_says(page, "leads 241 customers")
  expect_no_match(page, "<script")
  desk$trail[[2L]]$args$of <- "sum(nothing)"
  for (form in c("csv", "png", "evil")) {
    done <- eggcrate:::desk_act(desk, list(what = "take", form = form))
    expect_null(done$take)
    expect_true(nzchar(done$word))
  }
})

test_that("steps of a table of R are code of its name, and no study", {
  desk <- new_demo_desk(demo_orders())
  desk$source$name <- "orders"
  orders <- demo_orders()
  code <- parse(text = eggcrate:::taken_file(desk, "r", 1)$content)
  expect_identical(eval(code[[2L]])$net_sales, standings(orders, of = sum(net_sales), by = customer)$net_sales)
  expect_match(eggcrate:::taken_file(desk, "sh", 1)$content, "must be written into orders.csv first", all = FALSE, fixed = TRUE)
  expect_match(eggcrate:::desk_act(desk, list(what = "take", form = "toml"))$word, "came from no file", fixed = TRUE)
  expect_says(paste(eggcrate:::taken_file(desk, "html", 1)$content, collapse = "\n"), "standings(orders, of = sum(net_sales), by = customer)")
})

test_that("a name with line breaks or marks of control does not leave its comment", {
  desk <- new_demo_desk()
  desk <- eggcrate:::desk_act(desk, list(what = "name", at = 1, name = "best\rcat('out')\n\u2028cat('out')"))$desk
  desk$trail[[1L]]$name <- "best\rcat('out')\ncat('out')"
  for (form in c("r", "sh", "toml")) {
    lines <- unlist(strsplit(eggcrate:::taken_file(desk, form, 1)$content, "[\r\n]"))
    expect_identical(grep("^cat", lines, value = TRUE), character())
  }
  expect_length(parse(text = eggcrate:::taken_file(desk, "r", 1)$content), 2L)
})
