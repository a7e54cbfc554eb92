every_answer <- function() {
  o <- demo_orders()
  margin <- quote(c(margin = sum(profit) / sum(net_sales)))
  s <- standings(o, net_sales, customer, also = c(units = sum(units), sum(profit) / sum(net_sales)), show = region)
  list(standings = s, groups = standings(o, net_sales, customer, within = region),
    marks = highlight(s, best = top(3), worst = bottom(3)), ratio = standings(o, sum(profit) / sum(net_sales), customer),
    rate = standings(o, per_day(sum(net_sales), order_date), customer), pareto = pareto(o, net_sales, product),
    tiers = assign_tiers(s, tiers_by_share(c(A = "80%", B = "95%"))),
    quadrants = quadrants(o, net_sales, !!margin, customer),
    changes = compare_periods(o, net_sales, customer, over = quarter(order_date), also = c(orders = distinct(order_no))),
    targets = against_target(o, net_sales, region, over = month(order_date), target = demo_targets(),
      where = in_period(order_date, latest(month))),
    extremes = extremes(standings(o, net_sales, salesperson, over = quarter(order_date))),
    grid = heat_grid(o, net_sales, region, across = month(order_date)),
    grouped = heat_grid(o, net_sales, town, across = category, within = region),
    movement = movement(o, net_sales, customer, over = quarter(order_date)),
    concentration = concentration(standings(o, net_sales, customer, within = region)),
    findings = findings(s, against = !!margin), check = check_sales(o), why = why(s, "Varlow Boatyard"))
}

test_that("at any width lines are whole, and say nothing broken", {
  answers <- every_answer()
  for (name in names(answers)) {
    for (width in c(40, 47, 60, 80, 100, 140, 200)) {
      lines <- format(answers[[name]], width = width)
      expect_lte(max(nchar(lines, "width")), width, label = paste(name, width))
      expect_no_match(lines, "Not shown for lack of width:( ,| :|:)|and :|NaN|\\bNA\\b", all = TRUE, info = paste(name, width))
    }
  }
})

test_that("tables besides the items fit too, and say what has no room", {
  x <- compare_periods(demo_orders(), net_sales, region, over = quarter(order_date), also = c(orders = distinct(order_no)))
  for (table in c("totals", "classes", "bridge", "receipt")) {
    for (width in c(40, 60, 80, 120, 200)) {
      expect_lte(max(nchar(eggcrate:::answer_lines(x, table, width), "width")), width, label = paste(table, width))
    }
  }
  narrow <- paste(eggcrate:::answer_lines(x, "classes", 60), collapse = " ")
  expect_match(narrow, "Not shown for lack of width: .*share +of items")
  expect_no_match(eggcrate:::answer_lines(x, "classes", 200), "No room", all = TRUE)
})

test_that("the earlier and the later period stay or leave together", {
  x <- compare_periods(demo_orders(), net_sales, customer, over = quarter(order_date), also = c(orders = distinct(order_no)))
  for (width in seq(40, 140, in_full(1, 4))) {
    lines <- format(x, width = width)
    for (head in grep("^(customer|class) ", lines, value = TRUE)) {
      named <- vapply(c("2025-Q4", "2026-Q1"), grepl, NA, head, fixed = TRUE)
      expect_true(all(named) || !any(named), info = paste(width, head))
    }
  }
})

test_that("periods of a movement are named under their year, and seldom left unnamed", {
  lines <- format(movement(demo_orders(), net_sales, customer, over = quarter(order_date)), width = 80)
  at <- grep("^ +Q4 Q1", lines)
  expect_match(lines[at - 1], "^ +2024 +2025 +2026$")
  expect_match(lines[at], "Q4 Q1 Q2 Q3 Q4 Q1 Q2 Q3 Q4 Q1 Q2\\*$")
  expect_match(lines[at + 1], "( [1-4.\u00b7] ){11}|( [1-4.\u00b7] ?){11}")
})
