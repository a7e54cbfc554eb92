test_that("each group has a line, with marks as long as the shares", {
  x <- extremes(standings(demo_orders(), of = sum(net_sales), by = region, over = year(order_date)))
  chart <- chart_extremes(x)
  expect_equal(nrow(chart$data), 8)
  best <- chart$data[chart$data$end == "best", ]
  expect_equal(best$share, x$share[x$end == "best"])
  rects <- which(vapply(chart$layers, function(l) inherits(l$geom, "GeomRect"), NA))
  marks <- ggplot2::layer_data(chart, rects[2])
  expect_equal((marks$xmax - marks$xmin) / 0.9,
    c(x$share[x$end == "best"], x$share[x$end == "worst"]))
  labels <- ggplot2::ggplot_build(chart)$plot$labels
  expect_match(labels$title, "Ambermouth is best in 4.* of 4 years")
  expect_match(labels$subtitle, "not complete")
})

test_that("standings, one group, rates, equal ones, many periods and none are drawn without a warning", {
  o <- demo_orders()
  equal <- data.frame(k = c("a", "b"), v = 1)
  cases <- list(standings(o, of = sum(net_sales), by = customer),
    standings(o, of = c(m = sum(profit) / sum(net_sales)), by = product, within = category),
    standings(equal, of = sum(v), by = k),
    standings(o, of = sum(net_sales), by = customer, over = month(order_date)),
    standings(o, of = sum(net_sales), by = customer, where = units > 1e9))
  for (x in cases) expect_silent(draw(chart_extremes(x)))
  expect_match(ggplot2::ggplot_build(chart_extremes(cases[[4]]))$plot$labels$subtitle,
    "15 months not shown")
})
