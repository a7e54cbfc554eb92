margin <- quote(c(margin = sum(profit) / sum(net_sales)))

test_that("quadrants may have names of their own, and are usable in selections", {
  x <- quadrants(demo_orders(), of = sum(net_sales), against = !!margin, by = customer,
    groups = c("keep", "mend", "grow", "leave"))
  expect_equal(levels(x$quadrant), c("keep", "mend", "grow", "leave"))
  mend <- only(x, quadrant == "mend")
  expect_equal(mend$customer, x$customer[x$quadrant == "mend"])
  expect_true("Varlow Boatyard" %in% mend$customer)
  top <- only(x, top(5) & quadrant == "mend")
  expect_equal(sort(top$rank), 1:5)
  expect_equal(only(x, near & quadrant == "leave")$customer,
    x$customer[x$near & x$quadrant == "leave"])
  expect_equal(quadrant_table(mend), quadrant_table(x))
  products <- drill(x, quadrant == "mend", by = product)
  expect_equal(sum(products$net_sales), sum(mend$net_sales))
})

test_that("the receipt names the splits, what is outside and why, and quadrants without items", {
  orders <- demo_orders()
  x <- quadrants(orders, of = sum(net_sales),
    against = c(margin = sum(profit) / sum(net_sales, when = category == "Rope")), by = customer,
    split_of = 1e9)
  r <- receipt(x)
  expect_equal(r$value[r$fact == "split of net_sales"], "1000000000")
  expect_equal(r$n[r$fact == "items outside"], sum(is.na(x$margin)))
  expect_match(r$note[r$fact == "items outside"], "without a value of net_sales or margin")
  expect_match(r$value[r$fact == "empty quadrants"],
    "high net_sales, high margin; high net_sales, low margin")
  expect_account(x)
  expect_true(all(x$quadrant[is.na(x$margin)] == "(none)"))
})

test_that("wrong calls are refused", {
  o <- demo_orders()
  expect_snapshot(refusals(
    quadrants(o, of = sum(net_sales), by = customer),
    quadrants(o, of = sum(net_sales), against = profit, by = customer, split_of = "middle"),
    quadrants(o, of = sum(net_sales), against = profit, by = customer, split_against = Inf),
    quadrants(o, of = sum(net_sales), against = profit, by = customer, near = 5),
    quadrants(o, of = sum(net_sales), against = profit, by = customer,
      groups = c("a", "a", "b", "c")),
    quadrants(o, of = sum(net_sales), against = sum(net_sales), by = customer),
    quadrant_table(standings(o, of = sum(net_sales), by = customer)),
    quadrants(o, of = sum(net_sales), against = profit, by = c(near = customer))
  ))
})

test_that("nothing left is an empty table with all columns", {
  x <- quadrants(demo_orders(), of = sum(net_sales), against = !!margin, by = customer,
    where = units > 1e9)
  expect_equal(nrow(x), 0)
  expect_true(all(c("quadrant", "gap_of", "gap_against", "near") %in% names(x)))
  expect_match(format(x), "Nothing is left", all = FALSE)
})

test_that("the printed table names who stands out, and shows all four quadrants", {
  x <- quadrants(demo_orders(), of = sum(net_sales), against = !!margin, by = customer)
  expect_snapshot({
    print(x, width = 100)
    print(only(x, near & top(20)), width = 80)
  })
  lines <- format(x, n = 1)
  expect_match(lines[1],
    "Varlow Boatyard stands out: no. 4 of 241 customers by net sales, margin -0.5%")
  expect_match(lines, "^\\* +4  Varlow Boatyard", all = FALSE)
  grouped <- format(quadrants(demo_orders(), of = sum(net_sales), against = !!margin,
    by = salesperson, within = region))
  expect_match(grouped, "^Ambermouth: high net_sales, low margin", all = FALSE)
})

test_that("potential is what closing the gap to the split, or to a ratio, would bring", {
  orders <- demo_orders()
  margin <- quote(c(margin = sum(profit) / sum(net_sales)))
  both <- orders[!is.na(orders$profit) & !is.na(orders$net_sales) & !is.na(orders$customer), ]
  sums <- stats::aggregate(cbind(profit, net_sales) ~ customer, both, sum)
  by_hand <- function(x, at) {
    one <- sums[match(x$customer, sums$customer), ]
    potential <- at * one$net_sales - one$profit
    ifelse(potential > 0, potential, NA)
  }
  x <- quadrants(orders, of = net_sales, against = !!margin, by = customer)
  overall <- quadrant_table(x)$split_against[1]
  named <- !is.na(x$customer)
  expect_equal(x$potential[named], by_hand(x, overall)[named])
  expect_identical(is.na(x$potential), x$gap_against >= 0 | x$net_sales <= 0)
  at <- quadrants(orders, of = net_sales, against = !!margin, by = customer, potential_at = "35%")
  expect_equal(at$potential[named], by_hand(at, 0.35)[named])
  expect_equal(quadrant_table(x)$potential[2], sum(x$potential[x$quadrant == "high net_sales, low margin"], na.rm = TRUE))
  groups <- quadrants(orders, of = net_sales, against = !!margin, by = customer, within = region)
  alone <- quadrants(orders, of = net_sales, against = !!margin, by = customer, where = region == "Midmark")
  expect_equal(groups$potential[groups$region == "Midmark"], alone$potential)
  expect_match(format(x), "Potential: how much more profit an item would bring at margin 31.3%; 107,826.31", all = FALSE)
  expect_match(format(why(x, "Varlow Boatyard")), "37,227.66 more profit at margin 31.3%", all = FALSE)
  found <- findings(standings(orders, of = net_sales, by = customer), against = !!margin)
  expect_match(found$finding[found$kind == "potential"], "^12 customers with high net sales and low margin would bring 107,826.31 more profit")
  expect_identical(found$items[[which(found$kind == "potential")]][1], "Varlow Boatyard")
  expect_false("potential" %in% names(quadrants(orders, of = net_sales, against = sum(units), by = customer)))
  expect_error(quadrants(orders, of = net_sales, against = sum(units), by = customer, potential_at = 0.3), "needs a ratio")
  expect_error(quadrants(orders, of = net_sales, against = !!margin, by = customer, potential_at = "lots"), "0.35")
  run <- run_here(c("quadrants", orders_path(), "--of", "net_sales", "--against", "margin = sum(profit) / sum(net_sales)",
    "--by", "customer", "--potential-at", "35%", "--format", "csv"))
  expect_equal(read.csv(text = run$out)$potential, at$potential)
})

test_that("what is kept of one quadrant stands under its own name", {
  x <- quadrants(demo_orders(), of = net_sales, against = c(margin = sum(profit) / sum(net_sales)), by = customer)
  lines <- format(only(x, quadrant == "high net_sales, low margin"))
  heads <- grep("^(high|low) net_sales, (high|low) margin$", lines, value = TRUE)
  expect_identical(heads, "high net_sales, low margin")
})
