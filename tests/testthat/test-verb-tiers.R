test_that("a scheme prints as intervals that meet", {
  expect_snapshot({
    print(tiers_by_value(c(A = 10000, B = 5000), rest = "C"))
    print(tiers_by_value(c(A = 3, B = 7), rest = "late"))
    print(tiers_by_share(c(A = "80%", B = "95%"), rest = "C", boundary = "within"))
    print(tiers_by_percentile(c(A = "5%", B = "15%", C = "60%", D = "20%")))
    print(tiers_by_rank(c(A = 10, B = 50), rest = "C", of = margin))
    print(tiers_equal(3, labels = c("top", "middle", "low")))
  })
})

test_that("a scheme that cannot be is refused when it is made, and says which tier", {
  expect_snapshot(refusals(
    tiers_by_value(c(A = 5000, B = 10000, C = 1)), tiers_by_value(c(A = 5000, B = 5000)),
    tiers_by_value(c(10, 5)), tiers_by_value(c(A = 10, A = 5)), tiers_by_value(c(A = NA)),
    tiers_by_value(c(A = 1), rest = "A"), tiers_by_share(c(A = "95%", B = "80%")),
    tiers_by_share(c(A = 80)), tiers_by_share(c(A = "100%")),
    tiers_by_percentile(c(A = "5%", B = "15%")), tiers_by_percentile(c(A = "60%", B = "60%")),
    tiers_by_rank(c(A = 2.5)), tiers_equal(1), tiers_equal(2, labels = "A"),
    tiers_by_value(c(A = 1), colours = c(B = "red")), tiers_by_value(c("(none)" = 1))
  ))
})

test_that("every tier has a label", {
  for (bounds in list(c(10, 5), c(A = 10, 5), c(10, B = 5))) {
    expect_error(tiers_by_value(bounds), "with labels", class = "eggcrate_error_scheme")
  }
})

test_that("sizes are added up in decimals", {
  # not 1 in doubles
  expect_s3_class(tiers_by_percentile(c(A = 0.1, B = 0.2, C = 0.7)), "eggcrate_scheme")
  expect_s3_class(tiers_by_percentile(c(A = "33.3%", B = "33.3%", C = "33.4%")), "eggcrate_scheme")
})

test_that("a scheme as text is read from a closed list and never run", {
  read <- eggcrate:::read_scheme
  expect_equal(read('tiers_by_share(c(A = "80%", B = "95%"), rest = "C")'),
    tiers_by_share(c(A = "80%", B = "95%"), rest = "C"))
  expect_equal(read("tiers_by_value(c(A = 1e4, B = -5), of = margin)"),
    tiers_by_value(c(A = 1e4, B = -5), of = "margin"))
  for (text in c("system('touch trap')", "tiers_by_value(system('touch trap'))",
    "tiers_equal(eval(3))", "c(A = 1)", "tiers_by_rank", "tiers_equal(3, colour = 2)")) {
    expect_error(read(text), class = "eggcrate_error_call", info = text)
  }
  expect_false(file.exists("trap"))
})

test_that("an earlier time shows the tier that an item had", {
  orders <- demo_orders()
  scheme <- tiers_by_rank(c(A = 20, B = 60), rest = "C")
  now <- standings(orders, of = sum(net_sales), by = customer,
    where = in_period(order_date, year_to_date))
  before <- standings(orders, of = sum(net_sales), by = customer,
    where = in_period(order_date, year_ago(year_to_date)))
  y <- assign_tiers(now, scheme, compare_with = before)
  sorted <- assign_tiers(before, scheme)
  expect_equal(as.character(y$tier_before),
    as.character(sorted$tier)[match(y$customer, sorted$customer)])
  expect_true(anyNA(y$tier_before))
  expect_error(assign_tiers(now, scheme,
    compare_with = standings(orders, of = sum(net_sales), by = region)),
    class = "eggcrate_error_unknown_value")
})

test_that("members of a tier, and tiers by another column", {
  x <- standings(demo_orders(), of = sum(net_sales), by = customer, show = salesperson)
  y <- assign_tiers(x, tiers_by_share(c(A = "80%", B = "95%"), rest = "C"))
  b <- only(y, in_tier("B"))
  expect_equal(b$customer, y$customer[y$tier == "B"])
  expect_equal(b$rank, y$rank[y$tier == "B"])
  cross <- tier_table(y, by = "salesperson")
  plain <- stats::aggregate(net_sales ~ tier + salesperson,
    data = data.frame(as.list(y)[c("tier", "salesperson", "net_sales")]), FUN = sum)
  at <- match(paste(cross$salesperson, cross$tier), paste(plain$salesperson, plain$tier))
  known <- !is.na(cross$salesperson)
  expect_equal(cross$net_sales[known], plain$net_sales[at[known]])
  expect_equal(sum(cross$share), 1)
  expect_equal(sum(cross$items), nrow(y))
  expect_error(tier_table(x), class = "eggcrate_error_unknown_value")
  expect_error(only(y, in_tier("Z")), "A.*B.*C")
})

test_that("a result with tiers prints the table of tiers first, and becomes plain when changed", {
  y <- assign_tiers(standings(demo_orders(), of = sum(net_sales), by = product),
    tiers_by_share(c(A = "80%", B = "95%"), rest = "C"))
  expect_snapshot(print(y, n = 3, width = 90))
  y$tier <- "A"
  expect_false(inherits(y, "eggcrate_standings"))
})

test_that("tiers go by any measure, one of the standings or not", {
  orders <- demo_orders()
  margin <- quote(sum(profit) / sum(net_sales))
  scheme <- tiers_by_value(c(good = "35%", fair = "25%"), rest = "poor", of = sum(profit) / sum(net_sales))
  plain <- standings(orders, of = net_sales, by = customer)
  beside <- standings(orders, of = net_sales, by = customer, also = c(margin = !!margin))
  known <- assign_tiers(beside, tiers_by_value(c(good = 0.35, fair = 0.25), rest = "poor", of = margin))
  x <- assign_tiers(plain, scheme)
  columns <- c("customer", "rank", "tier", "to_next", "above_cutoff")
  expect_identical(lapply(x[columns], identity), lapply(known[columns], identity))
  both <- stats::aggregate(cbind(profit, net_sales) ~ customer, orders, sum)
  ratio <- (both$profit / both$net_sales)[match(x$customer, both$customer)]
  named <- !is.na(x$customer)
  expect_identical(as.character(x$tier)[named], ifelse(ratio >= 0.35, "good", ifelse(ratio >= 0.25, "fair", "poor"))[named])
  named <- assign_tiers(plain, tiers_by_value(c(good = "35%"), of = c(margin = sum(profit) / sum(net_sales))))
  expect_match(format(named), "tiers by value of margin", all = FALSE)
  expect_match(format(named), "good +from 35.0%", all = FALSE)
  units <- assign_tiers(plain, tiers_by_share(c(A = "80%"), of = units))
  expect_match(format(units), "^A +from [0-9,]+ ", all = FALSE)
  expect_match(format(why(x, "Varlow Boatyard")), "poor of tiers by value", all = FALSE)
  earlier <- standings(orders, of = net_sales, by = customer, where = order_date < "2025-01-01")
  before <- assign_tiers(plain, scheme, compare_with = earlier)
  alone <- assign_tiers(earlier, scheme)
  expect_identical(as.character(before$tier_before), as.character(alone$tier)[match(plain$customer, alone$customer)])
  expect_identical(levels(movement(orders, net_sales, region, over = year(order_date), scheme = scheme)$tier)[1:3],
    c("good", "fair", "poor"))
  expect_error(assign_tiers(plain, tiers_by_rank(c(A = 10), of = margn)), "no measure `margn`")
  expect_error(assign_tiers(plain, tiers_by_rank(c(A = 10), of = sum(profits))), "`profit`")
  run <- run_here(c("tiers", orders_path(), "--of", "net_sales", "--by", "customer", "--scheme",
    "tiers_by_value(c(good = 35%, fair = 25%), rest = \"poor\", of = sum(profit) / sum(net_sales))", "--format", "csv"))
  expect_identical(read.csv(text = run$out)$tier, as.character(x$tier))
})

test_that("bounds by value may be percentages", {
  x <- tiers_by_value(c(A = "30%", B = "12.5%"))
  expect_equal(x$bounds, c(0.3, 0.125))
  expect_match(format(x), "from 12.5%, below 30%", all = FALSE)
  expect_error(tiers_by_value(c(A = "lots")), class = "eggcrate_error_scheme")
  expect_error(tiers_by_value(c(A = "10%", B = "30%", C = "20%")), class = "eggcrate_error_scheme")
})
