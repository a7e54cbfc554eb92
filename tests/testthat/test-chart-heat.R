test_that("tiles have the core's positions and colours; empty cells have none", {
  x <- heat_grid(demo_orders(), of = sum(net_sales), by = region, across = quarter(order_date),
    along = "rows")
  chart <- chart_heat(x)
  tiles <- layer(chart, "GeomTile")
  expect_equal(nrow(tiles), 88)
  expect_equal(chart$data$shade, x$shade)
  expect_equal(levels(chart$data$row), rev(unique(x$region)))
  expect_equal(levels(chart$data$column), c(unique(x$quarter)[1:10], "2026-Q2 *"))
  labels <- ggplot2::ggplot_build(chart)$plot$labels
  expect_match(labels$subtitle, "within each row. Figures in thousands. \\* not complete")
  # All figures in one unit.
  expect_equal(layer(chart, "GeomText")$label, eggcrate:::number_formatter(1L)(x$net_sales / 1000))
  legend <- chart$scales$get_scales("fill")
  expect_equal(legend$labels, c("worst in its row", "middle", "best in its row"))
})

test_that("text has a contrast of at least 4.5 to 1 on every colour", {
  for (signed in c(FALSE, TRUE)) {
    grounds <- eggcrate:::heat_colour(seq(if (signed) -1 else 0, 1, length.out = 401), signed)
    light <- function(colour) {
      channel <- grDevices::col2rgb(colour) / 255
      drop(c(0.2126, 0.7152, 0.0722) %*%
        ifelse(channel <= 0.03928, channel / 12.92, ((channel + 0.055) / 1.055)^2.4))
    }
    a <- light(grounds) + 0.05
    b <- light(eggcrate:::legible_on(grounds)) + 0.05
    expect_gte(min(pmax(a, b) / pmin(a, b)), 4.5)
    # Shades fall in lightness, so that they can be told apart in grey.
    half <- a[if (signed) 201:401 else 1:401]
    expect_true(all(diff(half) < 1e-6))
  }
})

test_that("many columns, one cell, blanks, a centre and nothing are drawn without a warning", {
  o <- demo_orders()
  cases <- list(heat_grid(o, of = sum(net_sales), by = customer, across = week(order_date)),
    heat_grid(data.frame(a = "x", b = "y", v = 1), of = sum(v), by = a, across = b),
    heat_grid(o, of = c(margin = sum(profit) / sum(net_sales)), by = product, across = region,
      shade = "value", centre = 0.3),
    heat_grid(o, of = sum(net_sales), by = product, across = month(order_date), shade = "value",
      along = "columns"),
    heat_grid(o, of = sum(net_sales), by = region, across = month(order_date), where = units > 1e9))
  for (x in cases) expect_silent(draw(chart_heat(x)))
})

test_that("names that are alike when they are cut stay apart", {
  long <- paste(strrep("Harbour ", 4), c("north", "south"))
  d <- data.frame(k = rep(long, 2), m = rep(c("x", "y"), each = 2), v = 1:4)
  tiles <- layer(chart_heat(heat_grid(d, of = sum(v), by = k, across = m)), "GeomTile")
  expect_equal(nrow(unique(tiles[c("x", "y")])), 4)
})
