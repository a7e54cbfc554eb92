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
