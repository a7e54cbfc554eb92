# Every case of tests that draw only some of theirs for each commit.

test_that("one item, none, thousands, negative, equal and long ones are drawn without a warning", {
  make <- function(values, names = sprintf("item %d", seq_along(values))) {
    standings(data.frame(k = names, v = values), of = sum(v), by = k)
  }
  cases <- list(make(5), make(rep(3, 5)), make(c(10, 5, -20)), make(c(-1, -2)), make(c(1e9, 1, 1)),
    make(5000:1), make(3:1, c("a", strrep("a long name ", 12), "b")), make(0),
    standings(data.frame(k = "a", v = 1), of = sum(v), by = k, where = v > 3),
    standings(data.frame(k = c("a", "b"), v = 2:1), of = mean(v), by = k))
  for (x in cases) {
    expect_silent(draw(chart_bars(x)))
    expect_silent(draw(chart_tiers(assign_tiers(x, tiers_equal(2)))))
    expect_silent(draw(chart_tier_table(assign_tiers(x, tiers_equal(2)))))
  }
})

test_that("the data of a chart keeps the columns of the result, so that it can be parted by them", {
  o <- demo_orders()
  x <- only(standings(o, net_sales, customer, show = c(region, category)), top(12))
  charts <- list(chart_bars(x), chart_pareto(standings(o, net_sales, customer, show = region)),
    chart_changes(compare_periods(o, net_sales, customer, over = quarter(order_date), show = region)),
    chart_quadrants(quadrants(o, net_sales, c(margin = sum(profit) / sum(net_sales)), customer, show = region)),
    chart_heat(heat_grid(o, net_sales, region, across = year(order_date))))
  for (chart in charts) {
    expect_true("region" %in% names(chart$data))
    suppressMessages(draw(chart + ggplot2::facet_wrap(~region, scales = "free_y")))
  }
  bars <- chart_bars(x)$data
  expect_identical(bars$category[match(x$customer, bars$customer)], x$category)
})
