test_that("drilling asks the same of the rows of an item, by another column", {
  orders <- demo_orders()
  x <- standings(orders, of = sum(net_sales), by = customer, where = category != "Rope",
    also = c(orders = distinct(order_no)))
  y <- drill(x, "Varlow Boatyard", by = product)
  direct <- standings(orders, of = sum(net_sales), by = product,
    where = category != "Rope" & customer == "Varlow Boatyard",
    also = c(orders = distinct(order_no)))
  expect_equal(columns_of(y, names(direct)), columns_of(direct, names(direct)))
  expect_account(y)
  tiers <- assign_tiers(x, tiers_by_rank(c(A = 3), rest = "B"))
  top <- drill(tiers, in_tier("A"), by = c(town, region))
  expect_equal(sum(top$net_sales), sum(x$net_sales[1:3]))
})

test_that("it follows missing names, periods, groups and files", {
  x <- standings(orders_path(), of = sum(net_sales), by = salesperson, within = region,
    over = year(order_date))
  y <- drill(x, top(1), by = customer)
  best <- only(x, top(1))
  totals <- answer_of(y)$ranked$totals
  at <- match(paste(totals$region, totals$year), paste(best$region, best$year))
  expect_equal(totals$net_sales, best$net_sales[at])
  blank <- standings(demo_orders(), of = count(), by = salesperson)
  unnamed <- drill(blank, is_missing(salesperson), by = region)
  expect_equal(sum(unnamed[["count()"]]), sum(is.na(plain_orders()$salesperson)))
  path <- withr::local_tempfile()
  saveRDS(blank, path)
  expect_error(drill(readRDS(path), top(1), by = customer), class = "eggcrate_error_gone")
  expect_error(drill(blank, "Nobody", by = region), class = "eggcrate_error_unknown_item")
})

test_that("a saved result goes back to its file, as long as that is what it was", {
  file <- withr::local_tempfile(fileext = ".csv")
  file.copy(orders_path(), file)
  x <- standings(file, of = sum(net_sales), by = salesperson)
  path <- withr::local_tempfile()
  saveRDS(x, path)
  saved <- drill(readRDS(path), top(1), by = customer)
  now <- drill(x, top(1), by = customer)
  expect_identical(columns_of(saved, names(now)), columns_of(now, names(now)))
  cat("\n", file = file, append = TRUE)
  expect_error(drill(readRDS(path), top(1), by = customer), "has changed",
    class = "eggcrate_error_gone")
  unlink(file)
  expect_error(drill(x, top(1), by = customer), class = "eggcrate_error_gone")
})

test_that("a period of a file can be gone into, with the filter that was asked", {
  x <- standings(orders_path(), of = sum(net_sales), by = month(order_date),
    where = category == "Rope" | category == "Paint")
  y <- drill(x, "2026-01", by = product)
  direct <- standings(orders_path(), of = sum(net_sales), by = product,
    where = (category == "Rope" | category == "Paint") & month(order_date) == "2026-01")
  expect_equal(columns_of(y, names(y)), columns_of(direct, names(direct)))
  expect_equal(eggcrate:::plan_text(answer_of(y)$plan),
    "(category == \"Rope\" | category == \"Paint\") & items(\"2026-01\")")
})

test_that("why names every step, as a hand would work it out", {
  x <- standings(data.frame(k = c("a", "b", "b", "c", "d", "e"), v = c(50, 20, 10, 30, 15, 5)),
    of = sum(v), by = k)
  steps <- why(assign_tiers(x, tiers_by_value(c(A = 40, B = 20), rest = "C")), "c")
  value <- function(step) steps$value[steps$step == step]
  expect_equal(value("rows"), 1)
  expect_equal(value("value"), 30)
  expect_equal(value("rank"), 2) # ties with b
  expect_equal(value("above"), 20)
  expect_equal(value("below"), 15)
  expect_equal(value("share"), 30 / 130)
  expect_equal(value("running"), 110)
  expect_equal(value("percentile"), 2 / 4)
  expect_equal(value("tier"), 2)
  expect_equal(value("to next"), 10)
  expect_equal(value("above cut-off"), 10)
  expect_equal(why(x, "b")$value[1], 2)
  expect_snapshot(print(why(assign_tiers(x, tiers_by_rank(c(A = 1, B = 3), rest = "C")), "c")))
  expect_error(why(x, "z"), class = "eggcrate_error_unknown_item")
  expect_error(why(x, c("a", "b")), class = "eggcrate_error_unknown_value")
})

test_that("why speaks of each group an item is in, and of a missing value", {
  x <- standings(demo_orders(), of = sum(net_sales), by = town, within = region)
  twice <- names(which(table(x$town) > 1))[1]
  expect_equal(length(unique(why(x, twice)$group)), sum(x$town == twice, na.rm = TRUE))
  none <- standings(data.frame(k = c("a", "b"), v = 1, u = c(1, 0)), of = sum(v) / sum(u), by = k)
  expect_match(why(none, "b")$text, "no rank", all = FALSE)
})

test_that("why names the quadrant, the class or the status, and what it rests on", {
  o <- demo_orders()
  step <- function(x, item, name) {
    reasons <- why(x, item)
    reasons$text[reasons$step == name]
  }
  q <- quadrants(o, of = sum(net_sales), against = c(margin = sum(profit) / sum(net_sales)),
    by = customer)
  expect_match(step(q, "Varlow Boatyard", "quadrant"),
    "^high net_sales, low margin: net sales 117,036.27 is high \\(split at 9,134.11\\), margin -0.5% is low \\(split at 31.3%\\)$")
  x <- compare_periods(o, of = sum(net_sales), by = customer, over = month(order_date))
  expect_equal(step(x, "Lornet Sailmakers", "to"), "0.00 in 2026-05, from 0 rows")
  expect_match(step(x, "Lornet Sailmakers", "class"),
    "^lost: [0-9]+ rows before 2026-05, last order on 2026-04-07$")
  expect_length(step(x, "Lornet Sailmakers", "share"), 0)
  g <- against_target(o, of = sum(net_sales), by = region, over = month(order_date),
    where = in_period(order_date, latest(month)), target = demo_targets())
  expect_equal(step(g, "Midmark", "status"), "exceeded: +9,859.22, 182.2% of it")
  expect_error(chart_bars(x), "chart_changes")
})
