test_that("tiles have the tiers of the core in their colours, best on top, periods in order", {
  x <- movement(demo_orders(), of = sum(net_sales), by = salesperson, over = quarter(order_date),
    scheme = tiers_equal(2))
  chart <- chart_movement(x)
  cells <- chart$data
  at <- match(paste(cells$item, sub(" \\*", "", cells$period)),
    paste(ifelse(is.na(x$salesperson), "(missing)", x$salesperson), x$quarter))
  expect_equal(cells$tier, as.character(x$tier)[at])
  expect_equal(levels(cells$period), c(unique(x$quarter)[1:10], "2026-Q2 *"))
  expect_equal(rev(levels(cells$item))[1], "Dagny Holt")
  tiles <- layer(chart, "GeomTile")
  expect_equal(length(unique(tiles$fill)), length(unique(cells$tier)))
  expect_match(ggplot2::ggplot_build(chart)$plot$labels$subtitle, "not complete")
})

test_that("rank lines go through the ranks of the core and break where one is absent", {
  lines <- data.frame(k = c("a", "b", "a", "a", "b"),
    day = as.Date(c("2026-01-05", "2026-01-06", "2026-02-03", "2026-03-01", "2026-03-31")),
    v = c(10, 5, 8, 3, 6))
  x <- movement(lines, of = sum(v), by = k, over = month(day), scheme = tiers_equal(2))
  chart <- chart_movement(x, ranks = TRUE)
  b <- chart$data[chart$data$item == "b", ]
  expect_equal(b$rank, c(2, 1))
  expect_equal(length(unique(b$stretch)), 2)
})

test_that("the table of transitions has the counts of the core", {
  x <- movement(demo_orders(), of = sum(net_sales), by = customer, over = quarter(order_date),
    scheme = tiers_equal(3))
  chart <- chart_transitions(x)
  t <- transitions(x)
  expect_equal(chart$data$items,
    t$items[match(paste(chart$data$from, chart$data$to), paste(t$from, t$to))])
  expect_equal(as.character(chart$data$kind[chart$data$from == "2" & chart$data$to == "1"]), "rose")
})

test_that("one item, one period, many periods, many items and none are drawn without a warning", {
  o <- demo_orders()
  cases <- list(movement(data.frame(k = "a", d = as.Date("2026-01-31"), v = 1), of = sum(v), by = k,
    over = month(d)),
    movement(o, of = sum(net_sales), by = region, over = year(order_date)),
    movement(o, of = sum(net_sales), by = customer, over = month(order_date)),
    movement(o, of = sum(net_sales), by = customer, over = month(order_date), where = units > 1e9))
  for (x in cases) {
    expect_silent(draw(chart_movement(x)))
    expect_silent(draw(chart_movement(x, ranks = TRUE)))
  }
  expect_silent(draw(chart_transitions(cases[[3]])))
})
