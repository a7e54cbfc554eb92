margin <- quote(c(margin = sum(profit) / sum(net_sales)))

test_that("points stand where the core says, the splits are named, quadrants differ in shape and colour", {
  x <- quadrants(demo_orders(), of = sum(net_sales), against = !!margin, by = customer)
  chart <- chart_quadrants(x)
  points <- layer(chart, "GeomPoint")
  expect_equal(nrow(points), 241)
  shapes <- unique(data.frame(points$shape, points$fill, x$quadrant))
  expect_equal(nrow(shapes), 4)
  expect_equal(chart$data$of, x$net_sales)
  expect_equal(order(points$x), order(x$net_sales))
  lines <- c(layer(chart, "GeomLabel", 1)$label, layer(chart, "GeomLabel", 2)$label)
  expect_equal(lines, c("median 9,134.11", "overall 31.3%"))
  corners <- layer(chart, "GeomLabel", 3)$label
  expect_equal(corners[2], "high net_sales, low margin\n12 customers, 31.2%")
  labels <- ggplot2::ggplot_build(chart)$plot$labels
  expect_match(labels$title, "^Varlow Boatyard stands out")
  expect_match(labels$subtitle, "net sales on a scale by powers of ten")
  expect_match(labels$alt, "a point for each customer.*high net_sales, low margin: 12")
  expect_true(chart$data$named[chart$data$label == "Varlow Boatyard"])
})

test_that("an even axis stays even, and marks of an uneven one stand apart", {
  even <- eggcrate:::spread_axis(c(1, 5, 9), 0.05)
  expect_false(even$wide)
  wide <- eggcrate:::spread_axis(c(-400, 30, 128, 5000, 9000, 12000, 194000), 0.05)
  expect_true(wide$wide)
  expect_false(is.unsorted(wide$to(c(-400, -1, 0, 1, 30, 5000, 194000))))
  expect_true(all(diff(wide$to(wide$breaks)) >= 0.05 * diff(wide$to(c(-400, 194000)))))
})

test_that("sizes, groups, thousands, one item, equal ones and none are drawn without a warning", {
  orders <- demo_orders()
  make <- function(v, w, k = sprintf("item %d", seq_along(v))) {
    quadrants(data.frame(k = k, v = v, w = w), of = sum(v), against = sum(w), by = k)
  }
  sized <- quadrants(orders, of = sum(net_sales), against = !!margin, by = customer,
    within = region, also = c(orders = distinct(order_no)))
  expect_silent(draw(chart_quadrants(sized, size = "orders")))
  expect_match(ggplot2::ggplot_build(chart_quadrants(sized))$plot$labels$subtitle, "of each group")
  expect_error(chart_quadrants(sized, size = "profit"), class = "eggcrate_error_unknown_value")
  set.seed(3)
  cases <- list(make(5, 5), make(rep(3, 4), rep(2, 4)),
    make(stats::rlnorm(3000, 8, 2), stats::rnorm(3000)), make(c(1, 2), c(NA_real_, NA)),
    make(c(-5, -1e6, 3), c(1e7, 0, 1)),
    quadrants(orders, of = sum(net_sales), against = !!margin, by = customer, where = units > 1e9),
    only(quadrants(orders, of = sum(net_sales), against = !!margin, by = customer), top(10)))
  for (x in cases) expect_silent(draw(chart_quadrants(x)))
})
