test_that("bars and marks stand where the core says, and best and worst are picked out", {
  x <- against_target(demo_orders(), of = sum(net_sales), by = region, over = month(order_date),
    where = in_period(order_date, latest(month)), target = demo_targets())
  chart <- chart_targets(x)
  bars <- layer(chart, "GeomCol")
  expect_equal(bars$xmax[order(-bars$y)], x$net_sales)
  expect_equal(bars$fill[order(-bars$y)],
    unname(eggcrate:::status_colours()[as.character(x$status)]))
  marks <- layer(chart, "GeomTile")
  expect_equal(((marks$xmin + marks$xmax) / 2)[order(-marks$y)], x$target)
  expect_equal(chart$data$end[match(c("Midmark", "Skerry Isles"), chart$data$label)],
    c("best", "worst"))
  expect_equal(sum(nzchar(chart$data$end)), 2)
  labels <- ggplot2::ggplot_build(chart)$plot$labels
  expect_match(labels$title, "5 of 8 regions reached the target in 2026-05")
  expect_match(labels$alt, "exceeded 5, met 0, missed 3")
})

test_that("a month that is not over is not called missed", {
  june <- against_target(demo_orders(), of = sum(net_sales), by = region, over = month(order_date),
    where = in_period(order_date, current(month)), target = demo_targets())
  chart <- chart_targets(june)
  expect_setequal(chart$data$status, "open")
  labels <- ggplot2::ggplot_build(chart)$plot$labels
  expect_match(labels$title, "on pace for the target in 2026-06, after 17 of 30 days")
  expect_match(gsub("\n", " ", labels$subtitle), "Not complete: 2026-06")
})

test_that("groups, one item, no target at all, negative values and none are drawn without a warning", {
  o <- demo_orders()
  one <- data.frame(k = "a", v = 5)
  cases <- list(against_target(o, of = sum(net_sales), by = region, over = month(order_date),
    target = demo_targets(), incomplete = TRUE),
    against_target(one, of = sum(v), by = k, target = 5),
    against_target(one, of = sum(v), by = k, target = data.frame(k = "b", target = 2),
      where = k == "a"),
    against_target(data.frame(k = c("a", "b"), v = c(-5, 2)), of = sum(v), by = k, target = -1),
    against_target(o, of = sum(net_sales), by = region, target = 5, where = units > 1e9))
  for (x in cases) expect_silent(draw(chart_targets(x)))
})
