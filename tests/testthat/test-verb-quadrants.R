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
    "Varlow Boatyard stands out: no. 4 of 241 customers by net sales, margin -0.005")
  expect_match(lines, "^\\* +4  Varlow Boatyard", all = FALSE)
  grouped <- format(quadrants(demo_orders(), of = sum(net_sales), against = !!margin,
    by = salesperson, within = region))
  expect_match(grouped, "^Ambermouth: high net_sales, low margin", all = FALSE)
})
