test_that("the printed movement has tiers, climbers and transitions", {
  x <- movement(demo_orders(), of = sum(net_sales), by = customer, over = quarter(order_date),
    scheme = tiers_by_share(c(A = "50%", B = "80%"), rest = "C"))
  expect_snapshot(print(x, n = 5, width = 90))
  expect_account(x)
  none <- movement(demo_orders(), of = sum(net_sales), by = customer, over = quarter(order_date),
    where = units > 1e9)
  expect_equal(nrow(none), 0)
  expect_match(format(none), "Nothing is left", all = FALSE)
  one <- movement(demo_orders(), of = sum(net_sales), by = region, over = year(order_date),
    where = year(order_date) == "2026")
  expect_false(any(grepl("Climbers", format(one))))
  expect_error(transitions(one), class = "eggcrate_error_period")
})

test_that("wrong calls are refused", {
  o <- demo_orders()
  expect_snapshot(refusals(
    movement(o, of = sum(net_sales), by = customer),
    movement(o, of = sum(net_sales), by = customer, over = quarter(order_date), scheme = 4),
    movement(o, of = sum(net_sales), by = c(tier = customer), over = quarter(order_date)),
    transitions(o), movement(o, of = sum(net_sales), by = customer, over = region)
  ))
})
