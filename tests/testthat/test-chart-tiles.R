# Contrast of text on a colour (WCAG 2.1).
contrast_of <- function(ink, shade) {
  light <- function(x) eggcrate:::luminance(x) + 0.05
  ground <- light(eggcrate:::heat_colour(eggcrate:::darkest_tile * shade, TRUE))
  pmax(light(ink), ground) / pmin(light(ink), ground)
}

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

test_that("tiles are shaded by another measure, on both sides of a centre", {
  x <- standings(demo_orders(), of = sum(net_sales), by = region, also = c(profit = sum(profit), orders = distinct(order_no)))
  profit <- x$profit[match(demo_tiles()$region, x$region)]
  of <- function(chart) chart$data$shade[match(demo_tiles()$region, chart$data$name)]
  expect_equal(of(chart_tiles(x, demo_tiles(), shade = profit)), (profit - min(profit)) / diff(range(profit)))
  signed <- chart_tiles(x, demo_tiles(), shade = "profit", centre = 150000)
  expect_equal(of(signed), (profit - 150000) / max(abs(profit - 150000)))
  expect_match(signed$labels$subtitle, "by profit, one colour above 150,000.00 and one below")
  expect_match(signed$data$text[signed$data$name == "Midmark"], "no. 6, profit 138,506.99")
  expect_true(all(contrast_of(signed$data$ink, signed$data$shade) >= 4.5))
  expect_silent(draw(signed))
  expect_error(chart_tiles(x, demo_tiles(), shade = prof), "\"profit\"", class = "eggcrate_error_unknown_value")
  expect_error(chart_tiles(x, demo_tiles(), centre = 3), "shade = profit")
})

test_that("each tile has its own first items with all their measures, the others and the total in print", {
  x <- standings(demo_orders(), of = sum(net_sales), by = customer, within = region, also = c(profit = sum(profit)))
  table <- tile_table(x, demo_tiles())
  sums <- tapply(demo_orders()$profit, demo_orders()$region, sum, na.rm = TRUE)
  expect_equal(table$profit, as.vector(sums[table$region]), tolerance = 1e-12)
  path <- withr::local_tempfile(fileext = ".csv")
  write.csv(demo_tiles(), path, row.names = FALSE)
  run <- run_here(c("standings", orders_path(), "--of", "net_sales", "--by", "customer", "--within", "region",
    "--also", "profit = sum(profit)", "--table", "tiles", "--layout", path))
  at <- which(run$out == "Midmark, no. 6 of 8, 9.3%")
  expect_match(run$out[at + 1], "1  Berrowin Sailmakers +76,402.53 .* 24,381.24$")
  expect_match(run$out[at + 4], "all others \\(26\\) +259,172.90")
  expect_match(run$out[at + 5], "total \\(29\\) +402,905.84 .* 138,506.99$")
  picture <- withr::local_tempfile(fileext = ".png")
  drawn <- run_here(c("standings", orders_path(), "--of", "net_sales", "--by", "region", "--also",
    "profit = sum(profit)", "--layout", path, "--shade", "profit", "--centre", "150000", "--chart", picture))
  expect_equal(drawn$status, 0)
  expect_gt(file.size(picture), 10000)
})
