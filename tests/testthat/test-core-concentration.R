make <- function(v, ...) {
  standings(data.frame(k = sprintf("item %02d", seq_along(v)), v = v), of = sum(v), by = k, ...)
}

test_that("Gini and Herfindahl, worked by hand", {
  x <- concentration(make(c(1, 2, 3, 4)))
  # (−3·1 − 1·2 + 1·3 + 3·4) / (4·10) = 10 / 40; shares .1 .2 .3 .4
  expect_equal(x$gini, 0.25)
  expect_equal(x$herfindahl, 0.3)
  expect_equal(x$effective, 1 / 0.3)
  expect_equal(c(x$n_50, x$n_80, x$n_95), c(2, 3, 4))
  expect_equal(concentration(make(rep(7, 5)))$gini, 0)
  expect_equal(concentration(make(rep(7, 5)))$herfindahl, 0.2)
  one <- concentration(make(9))
  expect_equal(c(one$gini, one$herfindahl, one$n_95), c(0, 1, 1))
})

test_that("items at or below zero are excluded from the indices, and counted", {
  x <- concentration(make(c(1, 2, 3, 4, 0, -2)))
  expect_equal(c(x$items, x$left_out), c(4, 2))
  expect_equal(c(x$gini, x$herfindahl), c(0.25, 0.3))
  expect_equal(x$total, 8)
  expect_equal(x$n_50, 1) # on the base of the Pareto reading, the net total of 8
  none <- concentration(make(c(-1, -2)))
  expect_true(is.na(none$gini) && is.na(none$n_50))
})

test_that("in groups the indices are those of plain R, and how many make a part those of the Pareto reading", {
  s <- standings(demo_orders(), of = sum(net_sales), by = customer, within = region)
  x <- concentration(s)
  gini <- function(v) {
    v <- sort(v[v > 0])
    mean(abs(outer(v, v, `-`))) / (2 * mean(v)) # half the mean difference, by all pairs
  }
  for (g in x$region) {
    v <- s$net_sales[s$region == g]
    expect_equal(x$gini[x$region == g], gini(v))
    expect_equal(x$herfindahl[x$region == g], sum((v[v > 0] / sum(v[v > 0]))^2))
  }
  t <- threshold_table(s)
  expect_equal(x$n_80, t$items[t$threshold == "80%"])
  curve <- eggcrate:::concentration_curve(answer_of(x))
  one <- curve[curve$cell == 1, ]
  # Twice the area between the curve and the straight line is Gini.
  area <- sum(diff(one$items) * (one$share[-1] + one$share[-nrow(one)]) / 2)
  expect_equal(2 * area - 1, x$gini[1])
})

test_that("an earlier time stands beside, in the same groups", {
  o <- demo_orders()
  ask <- function(...) standings(o, of = sum(net_sales), by = customer, within = region, ...)
  now <- ask(where = in_period(order_date, year_to_date))
  before <- ask(where = in_period(order_date, year_ago(year_to_date)))
  x <- concentration(now, compare_with = before)
  expect_equal(x$gini_before, concentration(before)$gini)
  few <- concentration(now, compare_with = ask(where = region != "Midmark"))
  expect_true(is.na(few$gini_before[few$region == "Midmark"]))
  expect_error(concentration(now, compare_with = standings(o, of = sum(net_sales), by = customer)),
    class = "eggcrate_error_unknown_value")
  expect_error(concentration(standings(o, of = mean(net_sales), by = customer)),
    class = "eggcrate_error_not_additive")
})

test_that("items of nothing have no part in the curve", {
  x <- standings(data.frame(k = letters[1:4], v = c(3, 1, 0, -2)), of = sum(v), by = k)
  curve <- eggcrate:::concentration_curve(eggcrate:::answer_of(x))
  expect_equal(curve$items, c(0, 0.5, 1))
  expect_equal(curve$share, c(0, 0.75, 1))
})
