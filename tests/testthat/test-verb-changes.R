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
