test_that("ranks of resampled orders agree with plain R's own draws, and whiskers with its variance", {
  orders <- plain_orders()
  orders <- orders[!is.na(orders$net_sales), ]
  x <- rank_intervals(standings(demo_orders(), of = sum(net_sales), by = region), orders = order_no,
    times = 2000)
  by_order <- tapply(orders$net_sales, list(orders$order_no, orders$region), sum)
  by_order[is.na(by_order)] <- 0
  set.seed(11)
  ranks <- replicate(600,
    rank(-colSums(by_order[sample(nrow(by_order), replace = TRUE), ]), ties.method = "min"))
  at <- match(x$region, rownames(ranks))
  # Two sets of draws: an end may differ by a rank where two regions are close.
  expect_true(all(abs(x$rank_low - apply(ranks[at, ], 1, stats::quantile, 0.05, type = 1)) <= 1))
  expect_true(all(abs(x$rank_high - apply(ranks[at, ], 1, stats::quantile, 0.95, type = 1)) <= 1))
  n <- nrow(by_order)
  spread <- sqrt(n * apply(by_order, 2, function(v) mean((v - mean(v))^2)))[at] * stats::qnorm(0.95)
  expect_equal(x$value_high - x$net_sales, as.vector(spread))
  expect_equal(x$net_sales - x$value_low, as.vector(spread))
  expect_true(all(x$rank_low <= x$rank & x$rank <= x$rank_high))
})

test_that("lines of one order stay together", {
  # Two customers buy only together, in the same orders: their ranks never change.
  lines <- data.frame(k = rep(c("a", "b"), 50), o = rep(1:50, each = 2), v = rep(c(2, 1), 50))
  x <- rank_intervals(standings(lines, of = sum(v), by = k), orders = o)
  expect_equal(c(x$rank_low, x$rank_high), c(1, 2, 1, 2))
  # Apart they do.
  apart <- transform(lines, o = seq_along(o), v = c(1.01, 1))
  y <- rank_intervals(standings(apart, of = sum(v), by = k), orders = o)
  expect_equal(c(y$rank_low, y$rank_high), c(1, 1, 2, 2))
})

test_that("the same seed gives the same ranks for any order of rows and number of threads; another seed others", {
  o <- demo_orders()
  ask <- function(data, ...) {
    rank_intervals(standings(data, of = sum(net_sales), by = customer), orders = order_no, times = 100,
      ...)
  }
  x <- ask(o)
  expect_identical(columns_of(ask(o[sample(nrow(o)), ]), names(x)), columns_of(x, names(x)))
  withr::with_options(list(eggcrate.threads = 1L), expect_identical(ask(o)$rank_high, x$rank_high))
  expect_false(identical(ask(o, seed = 2)$rank_high, x$rank_high))
  wide <- ask(o, level = "99%")
  expect_true(all(wide$rank_low <= x$rank_low & wide$rank_high >= x$rank_high))
})

test_that("doubles, items of several columns, orders in two encodings and rows out of order", {
  set.seed(4)
  n <- 400
  o <- paste0("\u00e9", sample(60, n, TRUE))
  mixed <- o
  mixed[seq(1, n, 2)] <- iconv(mixed[seq(1, n, 2)], "UTF-8", "latin1")
  lines <- data.frame(town = sample(c("a", "b", NA), n, TRUE), region = sample(2, n, TRUE), o = o,
    v = stats::rnorm(n) / 3)
  ask <- function(data) {
    rank_intervals(standings(data, of = sum(v), by = c(town, region)), orders = o, times = 60)
  }
  x <- ask(lines)
  expect_identical(columns_of(ask(transform(lines, o = mixed)), names(x)), columns_of(x, names(x)))
  expect_identical(columns_of(ask(lines[sample(n), ]), names(x)), columns_of(x, names(x)))
  by_order <- tapply(lines$v, list(lines$o, paste(lines$town, lines$region)), sum)
  by_order[is.na(by_order)] <- 0
  spread <- sqrt(nrow(by_order) *
    apply(by_order, 2, function(v) mean((v - mean(v))^2)))[paste(x$town, x$region)] *
    stats::qnorm(0.95)
  expect_equal(x$value_high - x$v, as.vector(spread))
})

test_that("a line without an order number is an order of its own", {
  lines <- data.frame(k = rep(c("a", "b"), 40), o = NA_character_, v = rep(c(3, 2), 40))
  lines$o[1:20] <- paste("order", rep(1:10, each = 2))
  x <- rank_intervals(standings(lines, of = sum(v), by = k), orders = o, times = 50)
  numbered <- rank_intervals(
    standings(transform(lines, o = ifelse(is.na(o), paste("line", seq_along(o)), o)), of = sum(v),
      by = k), orders = o, times = 50)
  expect_equal(x$value_high, numbered$value_high)
  expect_equal(receipt(x)$n[receipt(x)$fact == "rows without an order"], 60)
  expect_equal(receipt(x)$n[receipt(x)$fact == "orders drawn"], 70)
  expect_account(x)
})

test_that("groups are apart, items without a value have no interval, counts and rates have one", {
  lines <- data.frame(g = rep(c("x", "y"), each = 40), k = rep(c("a", "b"), 40), o = 1:80,
    v = c(rep(c(5, 1), 20), rep(c(1, 5), 20)))
  x <- rank_intervals(standings(lines, of = sum(v), by = k, within = g), orders = o)
  expect_equal(x$rank_high, c(1, 2, 1, 2))
  counted <- rank_intervals(standings(demo_orders(), of = count(), by = region), orders = order_no,
    times = 50)
  expect_true(all(counted$rank_low >= 1 & counted$rank_high <= 8))
  rate <- rank_intervals(standings(demo_orders(), of = per_day(sum(net_sales), order_date), by = region),
    orders = order_no, times = 50)
  plain <- rank_intervals(standings(demo_orders(), of = sum(net_sales), by = region), orders = order_no,
    times = 50)
  expect_equal(rate$rank_low, plain$rank_low)
  expect_equal((rate$value_high - rate$value_low) / rate[[3]],
    (plain$value_high - plain$value_low) / plain$net_sales)
})

test_that("items of several columns in groups are those of one column", {
  set.seed(4)
  n <- 200
  x <- data.frame(g = sample(c("p", "q", "r"), n, TRUE), a = sample(letters[1:3], n, TRUE),
    b = sample(letters[1:4], n, TRUE), o = sample(40, n, TRUE), v = sample(100, n, TRUE))
  x$ab <- paste(x$a, x$b, sep = ", ")
  two <- rank_intervals(standings(x, of = sum(v), by = c(a, b), within = g), orders = o, times = 50)
  one <- rank_intervals(standings(x, of = sum(v), by = ab, within = g), orders = o, times = 50)
  found <- setdiff(names(two), c("a", "b"))
  expect_identical(lapply(unclass(two)[found], identity), lapply(unclass(one)[found], identity))
})
