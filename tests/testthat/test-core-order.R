test_that("rows stand in another order, and ranks, shares and groups stay", {
  o <- demo_orders()
  x <- standings(o, sum(net_sales), customer, also = c(profit = sum(profit)), show = region)
  plain <- as.data.frame(x)
  by <- function(...) as.data.frame(in_order(x, ...))
  same <- function(got, order) expect_equal(got, `rownames<-`(plain[order, ], NULL))
  same(by(profit), order(-plain$profit, plain$rank))
  same(by(-profit), order(plain$profit))
  same(by("profit"), order(-plain$profit, plain$rank))
  same(by(customer), order(enc2utf8(plain$customer), method = "radix"))
  same(by(-rank), order(-plain$rank))
  same(by(c(region, -profit)), order(plain$region, plain$profit, method = "radix"))
  groups <- standings(o, sum(net_sales), customer, within = region, also = sum(profit))
  got <- as.data.frame(in_order(groups, -profit))
  expect_equal(got$region, groups$region)
  for (one in split(got, got$region)) expect_false(is.unsorted(one$profit))
  expect_equal(got$share, as.data.frame(groups)$share[match(paste(got$region, got$customer),
    paste(groups$region, groups$customer))])
})

test_that("tables and charts show the order, and what rests on ranks does not change", {
  x <- assign_tiers(standings(demo_orders(), sum(net_sales), customer, also = c(profit = sum(profit)), show = region),
    tiers_by_rank(c(A = 10), rest = "B"))
  y <- in_order(x, -profit)
  lines <- format(y, width = 120)
  expect_match(lines, "in order of profit, lowest first", all = FALSE)
  expect_match(lines[grep("^rank", lines) + 1], x$customer[which.min(x$profit)])
  expect_equal(tier_table(y), tier_table(x))
  expect_equal(tier_table(y, by = region), tier_table(x, by = region))
  expect_equal(only(y, top(3))$customer, x$customer[1:3][order(x$profit[1:3])])
  expect_equal(why(y, x$customer[4])$text, why(x, x$customer[4])$text)
  expect_match(chart_bars(y)$data$label[1], x$customer[which.min(x$profit)])
  expect_equal(chart_pareto(y)$data$cum_share, chart_pareto(x)$data$cum_share)
  expect_equal(receipt(y)$value[receipt(y)$step == "order"], "profit, lowest first")
  expect_equal(sum(receipt(in_order(y, customer))$step == "order"), 1)
  for (z in list(compare_periods(demo_orders(), sum(net_sales), region, month(order_date)),
    against_target(demo_orders(), sum(net_sales), region, target = 5e5),
    quadrants(demo_orders(), sum(net_sales), against = sum(profit), by = region))) {
    expect_false(is.unsorted(in_order(z, region)$region))
    expect_match(format(in_order(z, region)), "in order of region", all = FALSE)
  }
})

test_that("an order that cannot be is refused, and the shell has its own", {
  x <- standings(demo_orders(), sum(net_sales), region, also = c(profit = sum(profit)))
  expect_error(in_order(x, proft), "Did you mean `profit`", class = "eggcrate_error_unknown_column")
  expect_equal(expect_error(in_order(x, desc(profit)), class = "eggcrate_error_expression")$hints, "Write `profit`.")
  expect_error(in_order(x, sum(profit)), class = "eggcrate_error_expression")
  expect_error(in_order(x), "`by` is missing", class = "eggcrate_error_expression")
  got <- run_here(c("standings", orders_path(), "--of", "net_sales", "--by", "region", "--also",
    "profit = sum(profit)", "--order-by", "-profit", "--format", "csv"))
  expect_equal(utils::read.csv(text = got$out)$region, in_order(x, -profit)$region)
})
