cells <- function(values, rows = rep(c("a", "b"), each = 3), columns = rep(c("x", "y", "z"), 2)) {
  data.frame(r = rows, k = columns, v = values)
}
shade_of <- function(x, row, column) x$shade[x$r == row & x$k == column]

test_that("shades by rank are percentiles, with tied cells at the mean of their block", {
  d <- cells(c(5, 5, 1, 9, 2, 7))
  rows <- heat_grid(d, of = sum(v), by = r, across = k, along = "rows")
  expect_equal(c(shade_of(rows, "a", "x"), shade_of(rows, "a", "y"), shade_of(rows, "a", "z")),
    c(0.75, 0.75, 0))
  expect_equal(c(shade_of(rows, "b", "x"), shade_of(rows, "b", "y"), shade_of(rows, "b", "z")),
    c(1, 0, 0.5))
  all <- heat_grid(d, of = sum(v), by = r, across = k)
  expect_equal(all$shade, (6 - rank(-all$v, ties.method = "average")) / 5)
  columns <- heat_grid(d, of = sum(v), by = r, across = k, along = "columns", best = "lowest")
  expect_equal(shade_of(columns, "a", "x"), 1)
  equal <- heat_grid(cells(rep(4, 6)), of = sum(v), by = r, across = k)
  expect_equal(equal$shade, rep(0.5, 6))
  expect_equal(heat_grid(cells(3, "a", "x"), of = sum(v), by = r, across = k)$shade, 0.5)
})

test_that("a centre gives percentiles a colour for each side", {
  d <- cells(c(5, 4, 3, 2, 1), "a", c("p", "q", "r", "s", "t"))
  half <- heat_grid(d, of = sum(v), by = r, across = k, centre = 0.5)
  expect_equal(vapply(c("p", "q", "r", "s", "t"), shade_of, 0, x = half, row = "a", USE.NAMES = FALSE), c(1, 0.5, 0, -0.5, -1))
  upper <- heat_grid(d, of = sum(v), by = r, across = k, centre = "75%")
  expect_equal(vapply(c("p", "q", "t"), shade_of, 0, x = upper, row = "a", USE.NAMES = FALSE), c(1, 0, -1))
  expect_identical(eggcrate:::shade_labels(eggcrate:::answer_of(upper))[2L], "percentile 75.0%")
  expect_error(heat_grid(d, of = sum(v), by = r, across = k, centre = 4), "percentile between 0 and 1")
})

test_that("shades by value run straight from floor over target to ceiling, and no further", {
  d <- cells(c(0, 10, 20, 30, 40, 60))
  ask <- function(...) heat_grid(d, of = sum(v), by = r, across = k, shade = "value", ...)
  by_value <- function(x) x$shade[order(x$v)]
  expect_equal(by_value(ask()), c(0, 10, 20, 30, 40, 60) / 60)
  expect_equal(by_value(ask(floor = 10, target = 20, ceiling = 40)), c(0, 0, 0.5, 0.75, 1, 1))
  expect_equal(by_value(ask(target = 20)), c(0, 0.25, 0.5, 0.5 + 10 / 80, 0.75, 1))
  expect_equal(by_value(ask(best = "lowest", floor = 40, ceiling = 10)),
    c(1, 1, 2 / 3, 1 / 3, 0, 0))
  # No value is beyond the end that was given.
  expect_equal(ask(floor = 70)$shade, rep(0, 6))
  expect_equal(ask(floor = 60)$shade, rep(0, 6))
  expect_equal(ask(ceiling = -5)$shade, rep(1, 6))
  expect_equal(ask(best = "lowest", floor = -5)$shade, rep(0, 6))
  expect_equal(ask(best = "lowest", ceiling = 70)$shade, rep(1, 6))
  # Signed, and equal on both sides of the centre.
  expect_equal(by_value(ask(centre = 20)), c(-0.5, -0.25, 0, 0.25, 0.5, 1))
  expect_equal(by_value(ask(centre = 20, floor = 10, ceiling = 30)), c(-1, -1, 0, 1, 1, 1))
  expect_equal(ask(along = "rows")$shade[1:3],
    (sort(d$v[4:6]) - 30)[match(ask(along = "rows")$v[1:3], sort(d$v[4:6]))] / 30)
  expect_equal(
    unique(heat_grid(cells(rep(7, 6)), of = sum(v), by = r, across = k, shade = "value")$shade),
    0.5)
})

test_that("sides stand by their whole, periods in calendar order and complete, blanks stay blank", {
  lines <- data.frame(k = c("a", "b", "b", "a"),
    day = as.Date(c("2026-01-05", "2026-01-06", "2026-04-07", "2026-04-30")), v = c(1, 5, 3, 2))
  x <- heat_grid(lines, of = sum(v), by = k, across = month(day))
  expect_equal(x$month, rep(c("2026-01", "2026-02", "2026-03", "2026-04"), 2))
  expect_equal(x$k, rep(c("b", "a"), each = 4))
  expect_equal(x$v, c(5, NA, NA, 3, 1, NA, NA, 2))
  expect_equal(is.na(x$shade), is.na(x$v))
  r <- receipt(x)
  expect_equal(r$n[r$fact == "empty cells"], 4)
  # Without the first quarter in the filter it is not in the grid.
  expect_equal(
    unique(heat_grid(lines, of = sum(v), by = k, across = month(day),
      where = day >= "2026-03-01")$month), c("2026-03", "2026-04"))
  expect_equal(heat_grid(lines, of = count(), by = k, across = month(day))$`count()`[2], NA_real_)
})

test_that("transposing swaps the sides and nothing else", {
  o <- demo_orders()
  same <- function(x, y, one, other) {
    at <- order(y[[one]], y[[other]])
    to <- order(x[[one]], x[[other]])
    expect_equal(x$shade[to], y$shade[at])
    expect_equal(x[[3]][to], y[[3]][at])
    expect_equal(unique(x[[one]]), unique(y[[one]]))
    expect_equal(unique(x[[other]]), unique(y[[other]]))
  }
  same(heat_grid(o, of = sum(net_sales), by = region, across = month(order_date), along = "rows"),
    heat_grid(o, of = sum(net_sales), by = month(order_date), across = region, along = "columns"),
    "region", "month")
  same(heat_grid(o, of = sum(net_sales), by = region, across = category),
    heat_grid(o, of = sum(net_sales), by = category, across = region), "region", "category")
  same(heat_grid(o, of = per_day(sum(net_sales)), by = category, across = quarter(order_date),
    shade = "value", along = "columns"),
    heat_grid(o, of = per_day(sum(net_sales)), by = quarter(order_date), across = category,
      shade = "value", along = "rows"), "category", "quarter")
})

test_that("cells, margins and daily rates are those of plain R", {
  plain <- plain_orders()
  plain$month <- format(plain$order_date, "%Y-%m")
  sums <- tapply(plain$net_sales, list(plain$region, plain$month), sum, na.rm = TRUE)
  x <- heat_grid(demo_orders(), of = sum(net_sales), by = region, across = month(order_date))
  expect_equal(x$net_sales, sums[cbind(x$region, x$month)])
  expect_equal(x$shade,
    (nrow(x) - rank(-round(x$net_sales * 100), ties.method = "average")) / (nrow(x) - 1))
  totals <- eggcrate:::answer_totals(answer_of(x))
  expect_equal(totals$total[totals$side == "row"],
    as.vector(sort(tapply(plain$net_sales, plain$region, sum, na.rm = TRUE), decreasing = TRUE)))
  expect_equal(totals$total[totals$side == "column"], as.vector(colSums(sums, na.rm = TRUE)))
  rates <- heat_grid(demo_orders(), of = per_day(sum(net_sales)), by = region,
    across = month(order_date))
  at <- rates$month == "2026-06"
  expect_equal(rates[["per_day(sum(net_sales))"]][at],
    sums[cbind(rates$region[at], "2026-06")] / 17)
  counts <- heat_grid(demo_orders(), of = distinct(order_no), by = region, across = category)
  whole <- eggcrate:::answer_totals(answer_of(counts))
  expect_equal(whole$total[whole$name == "Midmark"],
    length(unique(plain$order_no[plain$region == "Midmark"])))
  expect_account(x)
})

test_that("a missing key stays missing and is no name; rows without a date are in no margin", {
  lines <- data.frame(k = c("a", NA, "(missing)", "a", "b"),
    day = as.Date(c("2026-01-05", "2026-01-06", "2026-01-31", NA, NA)),
    sent = as.Date(c("2026-02-01", NA, "2026-02-02", NA, NA)), v = c(1, 5, 3, 2, 7))
  x <- heat_grid(lines, of = sum(v), by = k, across = month(day))
  expect_equal(x$k, c(NA, "(missing)", "a"))
  totals <- eggcrate:::answer_totals(answer_of(x))
  expect_equal(totals$total, c(5, 3, 1, 9))
  expect_equal(heat_grid(lines, of = sum(v), by = month(day), across = k)$k,
    c(NA, "(missing)", "a"))
  dates <- heat_grid(lines, of = sum(v), by = c(sent = month(sent)), across = month(day))
  expect_equal(dates$sent, c("2026-02", NA))
  expect_match(format(dates), "^\\(missing\\) +5", all = FALSE)
  expect_account(x)
})

test_that("periods on both sides are those of their own, and may be renamed", {
  o <- demo_orders()
  x <- heat_grid(o, of = sum(net_sales), by = year(order_date), across = c(m = month(order_date)))
  expect_equal(unique(x$year), c("2023", "2024", "2025", "2026"))
  expect_equal(length(unique(x$m)), 33)
  expect_equal(sum(!is.na(x$net_sales)), 33)
  expect_match(format(x), "^Not complete: 2026-06", all = FALSE)
  y <- heat_grid(o, of = sum(net_sales), by = month(order_date), across = year(order_date))
  expect_equal(sum(y$net_sales, na.rm = TRUE), sum(x$net_sales, na.rm = TRUE))
  rate <- heat_grid(o, of = per_day(sum(net_sales)), by = region,
    across = c(q = quarter(order_date)))
  plain <- heat_grid(o, of = per_day(sum(net_sales)), by = region, across = quarter(order_date))
  expect_equal(columns_of(rate, c("region", "shade")), columns_of(plain, c("region", "shade")))
})

test_that("cells of tiers without colours are the darker the better", {
  expect_equal(eggcrate:::tier_shades(1:3, list(labels = c("A", "B", "C"))), c(1, 0.5, 0))
  expect_equal(eggcrate:::tier_shades(c(1L, NA), list(labels = "A")), c(1, NA))
})

test_that("totals of rows within groups name the group", {
  d <- data.frame(g = c("n", "n", "s"), r = c("a", "b", "a"), c = c("p", "q", "p"), v = c(1, 3, 5))
  totals <- eggcrate:::answer_table(heat_grid(d, of = sum(v), by = r, across = c, within = g), "totals")
  expect_identical(totals$group, c("n", "n", "s", NA, NA))
  expect_equal(totals$total[totals$side == "row"], c(3, 1, 5))
  expect_false("group" %in% names(eggcrate:::answer_table(heat_grid(d, of = sum(v), by = r, across = c), "totals")))
})
