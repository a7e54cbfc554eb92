test_that("an incomplete month misleads nobody: default, receipt, table and figure", {
  orders <- demo_orders()
  x <- compare_periods(orders, of = sum(net_sales), by = customer, over = month(order_date))
  expect_false(
    any(grepl("2026-06", c(receipt(x)$value[receipt(x)$fact %in% c("from", "to")], format(x)[1]))))
  y <- compare_periods(orders, of = sum(net_sales), by = customer, over = month(order_date),
    to = current(month))
  r <- receipt(y)
  expect_equal(r$n[r$fact == "days not there yet"], 13)
  expect_equal(r$note[r$fact == "from"], "2026-05-01 to 2026-05-17")
  expect_match(gsub(" +", " ", paste(format(y), collapse = " ")),
    "2026-06 is not complete .17 of 30 days.: its days to 2026-06-17 are compared with 2026-05-01 to 2026-05-17")
  expect_match(format(y)[1], "from 2026-05 to 2026-06, same days")
  expect_match(gsub("\n", " ", ggplot2::ggplot_build(chart_changes(y))$plot$labels$subtitle),
    "2026-06 is not complete")
  expect_match(gsub("\n", " ", ggplot2::ggplot_build(chart_bridge(y))$plot$labels$title),
    "same days")
  plain <- plain_orders()
  expect_equal(sum(y$to), sum(plain$net_sales[plain$order_date >= "2026-06-01"], na.rm = TRUE))
  expect_equal(sum(y$from),
    sum(plain$net_sales[plain$order_date >= "2026-05-01" & plain$order_date <= "2026-05-17"],
      na.rm = TRUE))
})

test_that("every row is accounted for, history apart", {
  orders <- demo_orders()
  for (
    x in list(compare_periods(orders, of = sum(net_sales), by = customer, over = month(order_date)),
    compare_periods(orders, of = c(m = sum(profit) / sum(net_sales)), by = customer,
      over = quarter(order_date), where = category != "Rope"),
    compare_periods(orders, of = count(), by = region, over = month(order_date),
      as_of = "2026-02-10", to = current(month)))) {
    expect_account(x)
    expect_gt(receipt_n(x, "used", "history"), 0)
  }
  plain <- plain_orders()
  x <- compare_periods(orders, of = count(), by = region, over = month(order_date))
  expect_equal(receipt_n(x, "used", "^rows$"),
    sum(plain$order_date >= "2026-04-01" & plain$order_date <= "2026-05-31"))
  expect_equal(receipt_n(x, "filtered out"), sum(plain$order_date > "2026-05-31"))
})

test_that("without history, new carries a note", {
  lines <- data.frame(k = c("a", "b", "a"),
    day = as.Date(c("2026-04-01", "2026-05-02", "2026-05-31")), v = 1:3)
  x <- compare_periods(lines, of = sum(v), by = k, over = month(day))
  expect_equal(receipt(x)$value[receipt(x)$fact == "history"], "none before from")
  expect_match(format(x), "No row precedes 2026-04", all = FALSE)
  expect_false("history" %in%
    receipt(compare_periods(demo_orders(), of = sum(net_sales), by = customer,
      over = month(order_date)))$fact)
})

test_that("classes are usable in selections, with another column, and one level below", {
  x <- compare_periods(demo_orders(), of = sum(net_sales), by = customer,
    over = quarter(order_date), show = region)
  lost <- only(x, class == "lost")
  expect_equal(lost$customer, x$customer[x$class == "lost"])
  expect_equal(only(x, top(3))$change, rev(utils::tail(sort(x$change), 3))[3:1])
  expect_equal(only(x, bottom(2) & class %in% c("down", "lost"))$change, sort(x$change)[1:2])
  expect_error(only(x, class == "gone"), "lost")
  cross <- class_table(x, by = "region")
  expect_equal(sum(cross$change), sum(x$change))
  plain <- stats::aggregate(change ~ class + region,
    data = as.data.frame(as.list(x))[c("class", "region", "change")], FUN = sum)
  expect_equal(cross$change,
    plain$change[match(paste(cross$class, cross$region), paste(plain$class, plain$region))])
  below <- drill(x, class == "lost", by = product)
  expect_s3_class(below, "eggcrate_changes")
  expect_equal(sum(below$from), sum(lost$from))
  expect_true(all(below$to == 0))
  folded <- only(x, class == "new", others = TRUE)
  expect_equal(sum(folded$change), sum(x$change))
})

test_that("wrong periods and settings are refused", {
  o <- demo_orders()
  expect_snapshot(refusals(
    compare_periods(o, of = sum(net_sales), by = customer),
    compare_periods(o, of = sum(net_sales), by = customer, over = order_date),
    compare_periods(o, of = sum(net_sales), by = customer, over = month(order_date),
      to = "2027-01"),
    compare_periods(o, of = sum(net_sales), by = customer, over = month(order_date),
      from = "2026-05", to = "2026-04"),
    compare_periods(o, of = sum(net_sales), by = customer, over = month(order_date),
      to = latests(month)),
    compare_periods(o, of = sum(net_sales), by = customer, over = month(order_date), tolerance = 5),
    compare_periods(o, of = sum(net_sales), by = customer, over = month(order_date),
      lost_after = -1),
    compare_periods(o, of = sum(net_sales), by = c(from = customer), over = month(order_date)),
    class_table(o),
    bridge_table(compare_periods(o, of = mean(net_sales), by = region, over = month(order_date)))
  ))
})

test_that("the printed table has the classes, both ends and the total", {
  x <- compare_periods(demo_orders(), of = sum(net_sales), by = customer,
    over = quarter(order_date))
  expect_snapshot({
    print(x, n = 6, width = 100)
    print(compare_periods(demo_orders(), of = units, by = salesperson, within = region,
      over = month(order_date), where = region %in% c("Midmark", "Southhook")), width = 80)
    print(only(x, class == "returned" & top(20)), width = 80)
  })
  # Of lost ones alone the last order is shown.
  lost <- only(x, class == "lost")
  line <- grep("^Sorrelby Sailmakers", format(lost, width = 80), value = TRUE)
  expect_match(line,
    sprintf("lost +%s +2,413.52$", lost$last_order[lost$customer %in% "Sorrelby Sailmakers"]))
  none <- compare_periods(demo_orders(), of = sum(net_sales), by = customer,
    over = month(order_date), where = units > 1e9)
  expect_equal(nrow(none), 0)
  expect_match(format(none), "Nothing is left", all = FALSE)
})

test_that("additional measures stand side by side, and ranks and classes stay those of the first", {
  orders <- demo_orders()
  ask <- function(...) compare_periods(orders, of = net_sales, by = region, over = quarter(order_date), ...)
  x <- ask(also = c(orders = distinct(order_no), margin = sum(profit) / sum(net_sales)))
  plain <- ask()
  expect_identical(lapply(x[names(plain)], identity), lapply(plain, identity))
  expect_identical(setdiff(names(x), names(plain)),
    c(outer(c("_from", "_to", "_change", "_percent"), c("orders", "margin"), function(a, b) paste0(b, a))))
  by_hand <- function(months, f) {
    here <- orders[format(orders$order_date, "%Y-%m") %in% months, ]
    vapply(x$region, function(r) f(here[here$region == r, ]), 0, USE.NAMES = FALSE)
  }
  from <- c("2025-10", "2025-11", "2025-12")
  to <- c("2026-01", "2026-02", "2026-03")
  count <- function(d) length(unique(d$order_no))
  expect_equal(x$orders_from, by_hand(from, count))
  expect_equal(x$orders_change, by_hand(to, count) - by_hand(from, count))
  expect_equal(x$orders_percent, x$orders_to / x$orders_from - 1)
  margin <- function(d) {
    both <- !is.na(d$profit) & !is.na(d$net_sales)
    sum(d$profit[both]) / sum(d$net_sales[both])
  }
  expect_equal(x$margin_to, by_hand(to, margin))
  expect_identical(only(x, orders_change > 0)$region, x$region[x$orders_change > 0])
  expect_equal(class_table(x)$margin_change[3], class_table(x)$margin_to[3] - class_table(x)$margin_from[3])
  expect_match(format(x), "change of orders", all = FALSE)
  expect_match(format(x, width = 200), "orders 2026-Q1", all = FALSE)
  expect_identical(names(drill(x, "Ambermouth", by = town)), replace(names(x), 1L, "town"))
  expect_error(compare_periods(orders, net_sales, c(orders_to = region), quarter(order_date),
    also = c(orders = count())), "orders_to", class = "eggcrate_error_name")
  run <- run_here(c("changes", orders_path(), "--of", "net_sales", "--by", "region", "--over", "quarter(order_date)",
    "--also", "orders = distinct(order_no)", "--format", "csv"))
  expect_identical(as.character(read.csv(text = run$out)$orders_change), as.character(x$orders_change))
})

test_that("two columns are two periods without a date", {
  d <- data.frame(who = c("Albrek", "Albrek", "Holt", "Jorrin", "Kest", "Lorn", "Moor"),
    sales_2025 = c(10, 5, 20, NA, 3, 0, NA), sales_2026 = c(12, 3, 26, 7, NA, 0, NA))
  x <- compare_periods(d, by = who, from = sum(sales_2025), to = sum(sales_2026))
  # Lorn, with nothing in either, is neither listed nor counted.
  expect_identical(x$who, c("Kest", "Albrek", "Holt", "Jorrin"))
  expect_equal(x$change, c(-3, 0, 6, 7))
  expect_identical(as.character(x$class), c("lost", "unchanged", "up", "new"))
  expect_equal(x$rank_to, c(NA, 2, 1, 3))
  expect_equal(class_table(x)$share_of_items, c(1, 0, 1, 1, 0, 1) / 4)
  expect_equal(receipt(x)$n[receipt(x)$fact == "items in neither period"], 1)
  expect_match(format(x), "1 who not listed: no value in `from` or `to`", all = FALSE)
  expect_false("last_order" %in% names(x))
  expect_match(format(x)[1], "^Sales rose by 26.3% from sales_2025 to sales_2026: 1 who lost, 1 new")
  used <- receipt(x)
  expect_equal(used$n[used$step == "used"], 6)
  expect_equal(used$n[used$fact == "rows without a value in either"], 1)
  expect_equal(bridge_table(x)$end[8], 48)
  rows <- compare_periods(d, by = who, from = sales_2025, to = "sales_2026", present = "rows")
  expect_identical(as.character(rows$class[rows$who == "Lorn"]), "unchanged")
  named <- compare_periods(d, by = who, from = c(before = sum(sales_2025)), to = c(now = sum(sales_2026)))
  expect_match(format(named)[1], "^Value rose .* from before to now")
  parts <- compare_periods(d, by = who, from = sum(sales_2025, when = who != "Holt"), to = sum(sales_2025))
  expect_identical(as.character(parts$class[parts$who == "Holt"]), "new")
  below <- drill(x, class == "up", by = who)
  expect_identical(list(below$who, below$change), list("Holt", 6))
  expect_match(format(why(x, "Kest")), "lost", all = FALSE)
  expect_error(compare_periods(d, by = who, from = sales_2025, to = sales_2026, lost_after = 9), "two columns")
  expect_error(compare_periods(d, by = who, from = "2025", to = "2026"), "`over` is missing")
})

test_that("an item may be there by its value instead of its rows", {
  d <- data.frame(who = c("a", "a", "b", "b", "c", "c"), v = c(5, 0, 0, 4, 0, 0),
    day = as.Date(rep(c("2026-01-31", "2026-02-28"), 3)))
  class_of <- function(...) {
    x <- compare_periods(d, v, who, over = month(day), from = "2026-01", to = "2026-02", ...)
    with_names(as.character(x$class), x$who)[c("a", "b", "c")]
  }
  with_names <- function(x, names) stats::setNames(x, names)
  expect_identical(unname(class_of()), c("down", "up", "unchanged"))
  expect_identical(unname(class_of(present = "value")), c("lost", "returned", NA))
  expect_error(class_of(present = "sales"), "rows", class = "eggcrate_error_unknown_value")
})

test_that("two columns may be given as texts", {
  d <- data.frame(k = c("a", "b", "a"), y24 = c(1, 5, 2), y25 = c(4, 5, 1))
  expect_identical(as.data.frame(compare_periods(d, by = k, from = "y24", to = "y25")), as.data.frame(compare_periods(d, by = k, from = y24, to = y25)))
})
