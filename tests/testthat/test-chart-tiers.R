test_that("all items stand in order in the colour of their tier, and each line is named", {
  x <- standings(demo_orders(), of = sum(net_sales), by = customer)
  y <- assign_tiers(x, tiers_by_share(c(A = "80%", B = "95%"), rest = "C"))
  chart <- chart_tiers(y)
  expect_equal(chart$data$value, x$net_sales)
  expect_equal(as.character(chart$data$tier), as.character(y$tier))
  geoms <- vapply(chart$layers, function(l) class(l$geom)[1], "")
  lines <- ggplot2::layer_data(chart, which(geoms == "GeomSegment"))
  expect_equal(lines$x, c(98.5, 178.5)) # where B and C begin
  words <- ggplot2::layer_data(chart, which(geoms == "GeomText"))
  expect_equal(words$label,
    c("A: 98 customers, 80.0%, from 11,095.39", "B: 80 customers, 15.1%, from 5,679.36",
      "C: 63 customers, 4.9%"))
  bars <- ggplot2::layer_data(chart, 1)
  expect_equal(unique(bars$fill),
    unname(eggcrate:::tier_colours(tiers_by_share(c(A = "80%", B = "95%"), rest = "C"))[1:3]))
})

test_that("tiers of another measure are drawn in the order of that measure", {
  x <- standings(demo_orders(), of = sum(net_sales), by = customer,
    also = c(margin = sum(profit) / sum(net_sales)))
  chart <- chart_tiers(assign_tiers(x,
    tiers_by_value(c(good = 0.3, fair = 0.1), rest = "poor", of = margin)))
  expect_equal(chart$data$value, sort(x$margin, decreasing = TRUE))
  expect_equal(chart$data$label[241], "Varlow Boatyard")
})

test_that("the table as a picture holds the figures of the table", {
  y <- assign_tiers(standings(demo_orders(), of = sum(net_sales), by = customer),
    tiers_by_share(c(A = "80%", B = "95%"), rest = "C"))
  chart <- chart_tier_table(y)
  texts <- unlist(lapply(chart$layers,
    function(l) if (inherits(l$geom, "GeomText")) as.character(l$data$text)))
  for (text in c("A", "from 11,095.39", "98", "3,452,164.64", "80.0%", "63", "4.9%")) {
    expect_true(text %in% texts, info = text)
  }
})

test_that("what has no tiers or several groups is refused", {
  x <- standings(demo_orders(), of = sum(net_sales), by = customer, within = region)
  expect_error(chart_tiers(x), "no tiers", class = "eggcrate_error_unknown_value")
  expect_error(chart_tiers(assign_tiers(x, tiers_equal(2))), "has 8",
    class = "eggcrate_error_unknown_value")
})
