test_that("bars stand in order of the change, from both ends, in the colours of their classes", {
  x <- compare_periods(demo_orders(), of = sum(net_sales), by = customer,
    over = quarter(order_date))
  chart <- chart_changes(x, n = 8)
  bars <- layer(chart, "GeomCol")
  bars <- bars[order(-bars$y), ]
  change <- ifelse(bars$xmin < 0, bars$xmin, bars$xmax)
  expect_equal(change, c(head(x$change, 4), tail(x$change, 4)))
  shown <- c(head(as.character(x$class), 4), tail(as.character(x$class), 4))
  expect_equal(bars$fill, unname(eggcrate:::class_colours()[shown]))
  labels <- ggplot2::ggplot_build(chart)$plot$labels
  expect_match(gsub("\n", " ", labels$title),
    "Net sales (rose|fell) by .*% from 2025-Q4 to 2026-Q1: .* lost")
  expect_match(labels$subtitle, sprintf("%d customers not shown, in total", nrow(x) - 8L))
  expect_match(labels$alt, "^Bar chart of the change of sum\\(net_sales\\) by customer")
})

test_that("the bridge stands on itself: each step begins where the one before ends", {
  x <- compare_periods(demo_orders(), of = sum(net_sales), by = customer,
    over = quarter(order_date))
  bars <- layer(chart_bridge(x), "GeomRect")
  table <- bridge_table(x)
  table <- table[is.na(table$items) | table$items > 0, ]
  n <- nrow(table)
  low <- pmin(bars$ymin, bars$ymax)
  high <- pmax(bars$ymin, bars$ymax)
  expect_equal(c(low[1], high[1], low[n], high[n]), c(0, table$amount[1], 0, table$amount[n]))
  expect_equal((high - low)[2:(n - 1)], abs(table$amount[2:(n - 1)]))
  expect_equal(bars$ymin[2:(n - 1)], table$end[1:(n - 2)])
})

test_that("groups, one item, no change, a rate and nothing are drawn without a warning", {
  o <- demo_orders()
  make <- function(v) {
    compare_periods(data.frame(k = "a", day = as.Date(c("2026-04-01", "2026-05-31")), v = v),
      of = sum(v), by = k, over = month(day))
  }
  cases <- list(compare_periods(o, of = sum(net_sales), by = customer, within = region,
    over = month(order_date)), make(c(1, 2)), make(c(5, 5)),
    make(c(-5, 5)),
    compare_periods(o, of = sum(net_sales), by = customer, over = month(order_date),
      where = units > 1e9))
  for (x in cases) {
    expect_silent(draw(chart_changes(x)))
    expect_silent(draw(chart_bridge(x)))
  }
  rate <- compare_periods(o, of = c(margin = sum(profit) / sum(net_sales)), by = customer,
    over = month(order_date))
  expect_silent(draw(chart_changes(rate)))
  expect_error(chart_bridge(rate), class = "eggcrate_error_not_additive")
})
