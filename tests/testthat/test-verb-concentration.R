test_that("the printed table says how concentrated it is, and than when", {
  o <- demo_orders()
  now <- standings(o, of = sum(net_sales), by = customer,
    where = in_period(order_date, year_to_date))
  before <- standings(o, of = sum(net_sales), by = customer,
    where = in_period(order_date, year_ago(year_to_date)))
  expect_snapshot({
    print(concentration(now, compare_with = before), width = 100)
    print(concentration(standings(o, of = sum(net_sales), by = product, within = category)),
      width = 90)
  })
  expect_silent(format(concentration(now)))
  expect_match(
    format(concentration(standings(o, of = sum(net_sales), by = customer, where = units > 1e9))),
    "Nothing is left", all = FALSE)
})
