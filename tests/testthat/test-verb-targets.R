test_that("a target is a column, a table by name or call, a file, a number, or an earlier time", {
  o <- demo_orders()
  goals <- demo_targets()
  ask <- function(...) {
    against_target(o, of = sum(net_sales), by = region, over = month(order_date),
      where = in_period(order_date, latest(month)), ...)
  }
  x <- ask(target = goals)
  expect_identical(columns_of(ask(target = demo_targets()), names(x)), columns_of(x, names(x)))
  path <- system.file("extdata", "targets.csv", package = "eggcrate")
  expect_equal(columns_of(ask(target = !!path), names(x)), columns_of(x, names(x)))
  expect_equal(ask(target = 5)$target, rep(5, 8))
  # A column of the data comes before a table of that name.
  o$goals <- 7
  expect_equal(ask(target = goals)$target, rep(7, 8))
})

test_that("statuses are usable in selections, and one level below is standings", {
  x <- against_target(demo_orders(), of = sum(net_sales), by = region, over = month(order_date),
    where = in_period(order_date, latest(month)), target = demo_targets())
  missed <- only(x, status == "missed" & gap < -5000)
  expect_equal(missed$region, x$region[x$gap < -5000])
  expect_error(only(x, status == "mist"), "missed")
  expect_equal(only(x, top(2))$rank, 1:2)
  below <- drill(x, "Long Strand", by = product)
  expect_equal(sum(below$net_sales), x$net_sales[x$region == "Long Strand"])
})

test_that("the printed table says how many reached it, the best and the worst, and what is not over", {
  o <- demo_orders()
  x <- against_target(o, of = sum(net_sales), by = region, over = month(order_date),
    where = in_period(order_date, latest(month)), target = demo_targets())
  june <- against_target(o, of = sum(net_sales), by = region, over = month(order_date),
    where = in_period(order_date, current(month)), target = demo_targets())
  partly <- against_target(o, of = sum(net_sales), by = region,
    target = data.frame(region = c("Midmark", "Atlantis"), target = c(4e5, 6e5)))
  expect_snapshot({
    print(x, width = 100)
    print(june, n = 3, width = 100)
    print(partly, width = 90)
  })
  none <- against_target(o, of = sum(net_sales), by = region, target = 5, where = units > 1e9)
  expect_match(format(none), "Nothing is left", all = FALSE)
})

test_that("targets of the period before are the same, read off one tally or two", {
  lines <- data.frame(who = rep(c("Ann", "Ben"), each = 6),
    day = rep(as.Date("2025-01-01") + 31 * (0:5), 2), sales = c(1:6, 16:11), kind = "a")
  tallies <- 0
  registerS3method("source_answer", "counted", function(s, requests, call = NULL) {
    tallies <<- tallies + length(requests)
    NextMethod()
  }, envir = asNamespace("eggcrate"))
  source <- open_source(lines, "lines")
  class(source) <- c("counted", class(source))
  targets <- function(...) {
    ask("targets", list(of = "sum(sales)", by = "who", over = "month(day)",
      target = quote(previous()), ...), source)
  }
  columns <- c("month", "who", "sales", "target")
  expected <- data.frame(month = rep(c("2025-02", "2025-03", "2025-04", "2025-05"), each = 2),
    who = rep(c("Ben", "Ann"), 4), sales = c(15, 2, 14, 3, 13, 4, 12, 5),
    target = c(16, 1, 15, 2, 14, 3, 13, 4))
  plain <- function(x) {
    x <- as.data.frame(x)[columns]
    x <- x[x$month %in% expected$month, ]
    rownames(x) <- NULL
    x
  }
  # The last month is cut short, so that its target is of the same days only.
  expect_equal(plain(targets(incomplete = TRUE)), expected)
  expect_identical(tallies, 2)
  # A condition on other columns holds of both.
  tallies <- 0
  expect_equal(plain(targets(where = "kind == 'a'")), expected)
  expect_identical(tallies, 1)
  # Of the days asked for, those before them are not counted.
  tallies <- 0
  late <- targets(where = "day >= '2025-03-01'", incomplete = TRUE)
  expect_equal(plain(late), expected[3:8, ], ignore_attr = TRUE)
  expect_identical(tallies, 2)
})
