test_that("figures read as people write them", {
  money <- eggcrate:::number_formatter(2)
  expect_identical(money(c(1234567.891, -0.001, NA, 0)), c("1,234,567.89", "0.00", "", "0.00"))
  expect_identical(eggcrate:::percent_formatter()(c(0.1234, 1, NA, -1e-9)),
    c("12.3%", "100.0%", "", "0.0%"))
  expect_identical(eggcrate:::compact_number(c(0, 250, 1000)), c("0", "250", "1,000"))
  expect_identical(eggcrate:::compact_number(c(0, 50000, 1e5)), c("0", "50 k", "100 k"))
  expect_identical(eggcrate:::compact_number(c(0, 1.5e6)), c("0", "1.5 M"))
})

test_that("plurals follow the usual rules", {
  expect_identical(
    vapply(c("customer", "category", "bus", "branch", "salesperson", "day", "sales"),
      eggcrate:::plural, "", USE.NAMES = FALSE),
    c("customers", "categories", "bus", "branches", "salespeople", "days", "sales")
  )
})

test_that("numbers are written with all of their digits and no more", {
  set.seed(4)
  x <- c(runif(2000), rnorm(2000) * 10^sample(-30:30, 2000, TRUE), round(rnorm(2000, 0, 1e4), 2), NA, NaN, Inf, -Inf, 0, 1e15, 123456789012345678,
    5e-324, .Machine$double.xmax, 1 / 3, 0.1 + 0.2)
  finite <- is.finite(x)
  short <- sprintf("%.15g", x)
  texts <- ifelse(finite & suppressWarnings(as.numeric(short)) != x, sprintf("%.17g", x), short)
  expect_identical(eggcrate:::number_text(x), replace(texts, is.na(x), NA))
})

test_that("no negative zero is written", {
  d <- data.frame(r = "a", k = c("p", "q"), v = c(1, 3))
  x <- heat_grid(d, of = sum(v), by = r, across = k, shade = "value", centre = 3, best = "lowest")
  expect_false(any(grepl("-0(,|$)", c(strsplit(eggcrate:::answer_csv(x), "\n")[[1]], eggcrate:::json_lines(x)))))
  expect_identical(eggcrate:::number_text(c(-0, 0, -0.5)), c("0", "0", "-0.5"))
})

test_that("the decimal mark of the session changes nothing and warns of nothing", {
  x <- standings(demo_orders(), of = sum(net_sales), by = region, also = c(margin = sum(profit) / sum(net_sales)))
  shown <- function() {
    c(format(x), format(assign_tiers(x, tiers_by_value(c(A = 500000.5, B = 300000)))), format(assign_tiers(x, tiers_by_share(c(A = "80.5%"), rest = "B"))),
      format(heat_grid(demo_orders(), net_sales, region, across = year(order_date))), eggcrate:::answer_csv(x), eggcrate:::json_lines(x))
  }
  before <- shown()
  withr::local_options(OutDec = ",", warn = 2)
  expect_identical(shown(), before)
})

test_that("a named measure is the heading, with its definition below", {
  head <- function(x) format(x)[1:2]
  d <- demo_orders()
  expect_identical(head(standings(d, of = c(first = sum(net_sales, when = units > 5)), by = region)), c("first by region", "first: sum(net_sales, when = units > 5)"))
  expect_identical(head(standings(d, of = sum(net_sales), by = region)), c("sum(net_sales) by region", ""))
  expect_identical(head(standings(d, of = mean(net_sales), by = region)), c("mean(net_sales) by region", ""))
  expect_identical(head(standings(d, of = sum(`net_sales`), by = region))[1], "sum(net_sales) by region")
})
