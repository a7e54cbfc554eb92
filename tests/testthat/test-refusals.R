# Values that an argument does not take are refused by its name, one by one and whole: what is of
# the right kind in the wrong number, or the other way round, too.

lines <- data.frame(g = c("p", "p", "q"), k = c("a", "b", "a"), order = 1:3,
  day = as.Date(c("2026-01-05", "2026-02-03", "2026-03-31")), v = c(5, 3, 2), w = c(1, 2, 3))

# Each of `values` must be refused by `ask`, a function of one.
expect_refused <- function(ask, values, class = "eggcrate_error_call") {
  for (value in values) {
    got <- tryCatch({
      ask(value)
      "taken"
    }, error = function(e) if (inherits(e, class)) "refused" else conditionMessage(e))
    expect_equal(got, "refused", info = deparse(value)[1])
  }
}

x <- standings(lines, of = sum(v), by = k)

test_that("counts, parts and days are refused in any other form", {
  no_count <- list("a", NA, c(1, 2), 1.5, -1, Inf, TRUE, list(1), NULL)
  expect_refused(function(n) only(x, top(!!n)), list("a", NA, c(1, 2), 1.5, -1, Inf))
  expect_refused(function(n) tiers_equal(n), no_count)
  expect_refused(function(n) tiers_equal(n), list(0, 1, character()))
  expect_refused(function(n) tiers_by_rank(c(A = n), rest = "B"), list("a", NA, 1.5, -1, 0))
  expect_refused(function(p) tiers_by_share(c(A = p), rest = "B"), list("a", NA, 80, -0.1, 0, "0%"))
  expect_refused(function(p) tiers_by_percentile(c(A = p, B = "50%")), list("a", NA, -0.1, 2))
  expect_refused(function(p) tiers_by_value(c(A = p), rest = "B"), list("a", NA, Inf))
  expect_refused(function(p) pareto(lines, of = sum(v), by = k, reach = p),
    list("a", NA, 80, -0.1, 0, c(0.5, 0.8)))
  expect_refused(function(p) threshold_table(x, first = p), list("a", NA, 1.5, 0, -1))
  expect_refused(function(p) threshold_table(x, shares = p), list("a", NA, 2, -1))
  expect_refused(function(p) findings(x, top = p), list("a", NA, c(1, 2), 1.5, -1))
  expect_refused(function(days) {
    compare_periods(lines, of = sum(v), by = k, over = month(day), lost_after = days)
  }, list("a", NA, c(1, 2), 1.5, -1, "1"))
  expect_refused(function(p) {
    compare_periods(lines, of = sum(v), by = k, over = month(day), tolerance = p)
  }, list("a", NA, c(0.1, 0.2), -0.1, 5))
  firm <- function(...) rank_intervals(x, orders = order, ...)
  expect_refused(function(n) firm(times = n), list("a", NA, c(20, 30), 19, 20.5, 1e9))
  expect_refused(function(n) firm(seed = n), list("a", NA, c(1, 2), -1, 1.5))
  expect_refused(function(n) firm(level = n), list("a", NA, c(0.5, 0.6), 90))
})

test_that("choices, dates, names and tables are refused in any other form", {
  ask <- function(...) standings(lines, of = sum(v), by = k, ...)
  for (rule in list(function(v) ask(ties = v), function(v) ask(best = v),
    function(v) ask(share_of = v), function(v) ask(share_base = v))) {
    expect_refused(rule, list("a", NA, 1, c("min", "max"), character()))
  }
  expect_refused(function(day) ask(as_of = day), list("soon", NA, c("2026-01-01", "2026-01-02"),
    "2026-02-30", as.Date(NA), character()))
  expect_refused(function(items) ask(all_items = items), list("a", 1, list(1)))
  expect_refused(function(at) only(x, top(1), at_cut = at), list("a", NA, 1, c("keep", "drop")))
  expect_refused(function(split) quadrants(lines, of = sum(v), against = sum(w), by = k,
    split_of = split), list("a", NA, Inf, c(1, 2), "overal", c("median", "mean"), list(1), TRUE))
  expect_error(only(x, top(1, 2)), "takes one value")
  layout <- data.frame(k = c("a", "b"), row = 1:2, column = 1)
  tile <- function(...) tile_table(x, layout = replace(layout, ...))
  expect_equal(nrow(tile("row", 1:2)), 2)
  expect_refused(function(at) tile("row", list(at)), list(c("x", "y"), c(1, NA), c(1, 1.5)),
    "eggcrate_error_value")
  expect_refused(function(v) ask(having = !!v), list("a", 1, NA))
  expect_refused(function(v) display_settings(decimals = v), list("a", NA, -1, c(1, 2)))
})

test_that("periods and selections are refused in any other form", {
  moved <- movement(lines, of = sum(v), by = k, over = month(day))
  expect_refused(function(p) transitions(moved, from = p), list(c("2026-01", "2026-02"), 1, TRUE))
  expect_refused(function(p) compare_periods(lines, of = sum(v), by = k, over = month(day), to = p),
    list(c("2026-01", "2026-02"), 1, NA, TRUE))
  expect_refused(function(e) only(x, !!e), list(mean, list(1), quote(c(TRUE, FALSE, TRUE)), 1, "v"))
})
