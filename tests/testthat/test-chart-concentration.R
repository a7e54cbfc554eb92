test_that("the curve is the core's, and its points lie on it", {
  s <- standings(demo_orders(), of = sum(net_sales), by = customer)
  chart <- chart_concentration(s)
  points <- layer(chart, "GeomPoint")
  at <- match(round(points$x, 9), round(chart$data$items, 9))
  expect_equal(points$y, chart$data$share[at])
  expect_true(all(points$y >= c(0.5, 0.8)))
  half <- which(cumsum(sort(s$net_sales, decreasing = TRUE)) >= sum(s$net_sales) / 2)[1]
  expect_equal(layer(chart, "GeomText")$label[1], sprintf("%d of 240 customers account for 50%%", half))
})

test_that("groups, an earlier time, one item, nothing above zero and none are drawn without a warning", {
  o <- demo_orders()
  s <- standings(o, of = sum(net_sales), by = customer)
  cases <- list(standings(o, of = sum(net_sales), by = customer, within = region),
    concentration(s,
      compare_with = standings(o, of = sum(net_sales), by = customer,
        where = year(order_date) == "2024")),
    standings(data.frame(k = "a", v = 1), of = sum(v), by = k),
    standings(data.frame(k = c("a", "b"), v = c(-1, 0)), of = sum(v), by = k),
    standings(o, of = sum(net_sales), by = customer, where = units > 1e9))
  for (x in cases) expect_silent(draw(chart_concentration(x)))
})

test_that("what is dashed and where equal items would be are told", {
  o <- demo_orders()
  s <- standings(o, of = sum(net_sales), by = customer)
  before <- standings(o, of = sum(net_sales), by = customer, where = year(order_date) == "2024")
  chart <- chart_concentration(concentration(s, compare_with = before))
  expect_match(chart$labels$subtitle, "Dashed, before: where year(order_date) == \"2024\".",
    fixed = TRUE)
  equal <- layer(chart, "GeomLine", 1)
  expect_equal(equal$y, equal$x)
  expect_equal(range(equal$x), c(0, 1))
})
