test_that("tiles are of one size at their places, and the alternative text has the first items", {
  x <- standings(demo_orders(), of = sum(net_sales), by = customer, within = region)
  chart <- chart_tiles(x, demo_tiles())
  tiles <- layer(chart, "GeomTile")
  expect_equal(length(unique(round(tiles$xmax - tiles$xmin, 9))), 1)
  expect_equal(tiles$x, demo_tiles()$column[match(chart$data$name, demo_tiles()$region)])
  alt <- ggplot2::ggplot_build(chart)$plot$labels$alt
  expect_match(alt, "Long Strand 882,446.40 (first: Sorrelby Boatyard", fixed = TRUE)
})

test_that("tiers, places without sales, one region and none are drawn without a warning", {
  o <- demo_orders()
  cases <- list(assign_tiers(standings(o, of = sum(net_sales), by = region), tiers_equal(3)),
    standings(o, of = sum(net_sales), by = region, where = region %in% c("Midmark", "Southhook")),
    standings(o, of = sum(net_sales), by = customer, within = region, where = region == "Midmark"),
    standings(o, of = sum(net_sales), by = region, where = units > 1e9))
  for (x in cases) expect_silent(draw(chart_tiles(x, demo_tiles())))
})
