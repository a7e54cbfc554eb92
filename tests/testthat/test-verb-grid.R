test_that("a grid that cannot be is refused", {
  o <- demo_orders()
  expect_snapshot(refusals(
    heat_grid(o, of = sum(net_sales), by = region),
    heat_grid(o, of = sum(net_sales), by = region, across = month(order_date), shade = "heat"),
    heat_grid(o, of = sum(net_sales), by = region, across = category, along = "diagonals"),
    heat_grid(o, of = sum(net_sales), by = region, across = category, floor = 3),
    heat_grid(o, of = sum(net_sales), by = region, across = category, shade = "value", floor = 9,
      target = 5),
    heat_grid(o, of = sum(net_sales), by = region, across = category, shade = "value", centre = 9,
      target = 5),
    heat_grid(o, of = sum(net_sales), by = region, across = region),
    heat_grid(o, of = sum(net_sales), by = region, across = category, shade = "value",
      floor = "low"),
    heat_grid(o, of = sum(net_sales), by = c(shade = region), across = category)
  ))
})

test_that("the printed grid has figures on their shades, totals without, or shades alone", {
  o <- demo_orders()
  x <- heat_grid(o, of = sum(net_sales), by = region, across = quarter(order_date), along = "rows")
  expect_snapshot({
    print(x, figures = TRUE, width = 90)
    print(x, figures = FALSE, n = 4, width = 90)
    print(heat_grid(o, of = sum(net_sales), by = c(town, region), across = category,
      where = region == "Midmark"), n = 3, width = 100)
  })
  none <- heat_grid(o, of = sum(net_sales), by = region, across = month(order_date),
    where = units > 1e9)
  expect_equal(nrow(none), 0)
  expect_match(format(none), "Nothing is left", all = FALSE)
})

test_that("in colours the letters can be read on their shade", {
  withr::local_options(cli.num_colors = 256L)
  withr::local_envvar(NO_COLOR = "")
  x <- heat_grid(demo_orders(), of = sum(net_sales), by = region, across = category)
  expect_match(format(x, width = 200), "\033[48;5;", fixed = TRUE, all = FALSE)
})
