test_that("measures without rank intervals are refused", {
  o <- demo_orders()
  x <- standings(o, of = sum(net_sales), by = region)
  path <- withr::local_tempfile()
  saveRDS(x, path)
  expect_snapshot(refusals(
    rank_intervals(x), rank_intervals(x, order_number), rank_intervals(x, order_no, times = 5),
    rank_intervals(x, order_no, times = 1e6), rank_intervals(x, order_no, level = 90),
    rank_intervals(x, order_no, seed = 0.5),
    rank_intervals(standings(o, of = mean(net_sales), by = region), order_no),
    rank_intervals(readRDS(path), order_no)
  ))
})

test_that("it is printed beside the ranks, with tiers the distance to the nearest line, and drawn as whiskers", {
  x <- assign_tiers(standings(demo_orders(), of = sum(net_sales), by = salesperson),
    tiers_by_value(c(A = 500000, B = 300000), rest = "C"))
  y <- rank_intervals(x, orders = order_no, times = 100)
  expect_equal(y$to_cut, pmin(y$to_next, y$above_cutoff, na.rm = TRUE))
  expect_snapshot(print(y, width = 100))
  chart <- chart_bars(y)
  whiskers <- layer(chart, "GeomSegment")
  expect_equal(sort(whiskers$x), sort(y$value_low))
  expect_equal(sort(whiskers$xend), sort(y$value_high))
  expect_silent(draw(chart))
  expect_equal(only(y, top(3))$rank_low, y$rank_low[1:3])
})
