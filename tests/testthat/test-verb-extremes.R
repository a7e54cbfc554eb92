test_that("a selection does not change who is best, and a change by hand makes a plain table", {
  x <- standings(demo_orders(), of = sum(net_sales), by = customer)
  expect_equal(columns_of(extremes(only(x, top(50) & !top(3))), c("customer", "end")),
    columns_of(extremes(x), c("customer", "end")))
  expect_false(inherits(extremes(x)[1, ], "eggcrate_extremes"))
  expect_error(extremes(data.frame(a = 1)), class = "eggcrate_error_unknown_value")
})

test_that("the printed lines name both ends with a small mark of the share", {
  expect_snapshot({
    print(extremes(standings(demo_orders(), of = sum(net_sales), by = category)), width = 100)
    print(
      extremes(standings(demo_orders(), of = sum(net_sales), by = region, over = year(order_date))),
      width = 110)
    print(extremes(standings(demo_orders(), of = units, by = product, where = units > 1e9)))
  })
})
