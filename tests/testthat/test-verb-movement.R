test_that("the printed movement has tiers, climbers and transitions", {
  x <- movement(demo_orders(), of = sum(net_sales), by = customer, over = quarter(order_date),
    scheme = tiers_by_share(c(A = "50%", B = "80%"), rest = "C"))
  expect_snapshot(print(x, n = 5, width = 90))
  expect_account(x)
  none <- movement(demo_orders(), of = sum(net_sales), by = customer, over = quarter(order_date),
    where = units > 1e9)
  expect_equal(nrow(none), 0)
  expect_match(format(none), "Nothing is left", all = FALSE)
  one <- movement(demo_orders(), of = sum(net_sales), by = region, over = year(order_date),
    where = year(order_date) == "2026")
  expect_false(any(grepl("Climbers", format(one))))
  expect_error(transitions(one), class = "eggcrate_error_period")
})

test_that("wrong calls are refused", {
  o <- demo_orders()
  expect_snapshot(refusals(
    movement(o, of = sum(net_sales), by = customer),
    movement(o, of = sum(net_sales), by = customer, over = quarter(order_date), scheme = 4),
    movement(o, of = sum(net_sales), by = c(tier = customer), over = quarter(order_date)),
    transitions(o), movement(o, of = sum(net_sales), by = customer, over = region)
  ))
})

test_that("within groups ranks and tiers are those of each group", {
  ask <- function(...) movement(demo_orders(), of = net_sales, by = salesperson, over = quarter(order_date),
    scheme = tiers_equal(2), ...)
  x <- ask(within = region)
  expect_identical(names(x)[1:3], c("region", "quarter", "rank"))
  alone <- ask(where = region == "Southhook")
  here <- x[x$region == "Southhook", ]
  expect_identical(lapply(here[names(alone)], identity), lapply(alone, identity))
  counts <- period_table(x)
  expect_equal(sum(counts$items), sum(!is.na(x$rank)))
  sums <- stats::aggregate(net_sales ~ region + quarter, x, sum)
  at <- match(paste(counts$region, counts$quarter), paste(sums$region, sums$quarter))
  expect_equal(counts$net_sales[!is.na(at)], sums$net_sales[at[!is.na(at)]])
  expect_equal(sum(transitions(x)$items), length(unique(paste(x$region, x$salesperson))))
  expect_match(format(x), "^Southhook$", all = FALSE)
  expect_match(format(x), "in each region", all = FALSE)
  expect_match(as.character(html_table(x)), "rowgroup")
})

test_that("items are kept by the last complete period, named ones always", {
  x <- movement(demo_orders(), of = net_sales, by = customer, over = quarter(order_date), scheme = tiers_equal(3))
  last <- x[x$quarter == "2026-Q1" & !is.na(x$rank), ]
  kept <- only(x, top(5))
  expect_setequal(kept$customer, last$customer[last$rank <= 5])
  expect_equal(nrow(kept), 5 * length(unique(x$quarter)))
  expect_identical(kept$rank, x$rank[x$customer %in% kept$customer])
  expect_identical(transitions(kept), transitions(x))
  expect_setequal(only(x, tier == "3")$customer, last$customer[last$tier == "3"])
  gone <- setdiff(x$customer, last$customer)[1]
  expect_identical(unique(only(x, !!gone)$customer), gone)
  expect_false(gone %in% only(x, bottom("100%"))$customer)
  expect_match(format(kept), "only top(5) of 2026-Q1: 5 of 241 customers", fixed = TRUE, all = FALSE)
  expect_equal(sum(format(only(x, top(30))) %in% "10 customers not shown."), 0)
  expect_match(format(only(only(x, top(5)), rank > 9)), "no item is selected", all = FALSE)
  run <- run_here(c("movement", orders_path(), "--of", "net_sales", "--by", "customer", "--over",
    "quarter(order_date)", "--scheme", "tiers_equal(3)", "--only", "top(5)", "--format", "csv"))
  expect_setequal(read.csv(text = run$out)$customer, kept$customer)
  expect_error(highlight(x, top(2)), "must be standings")
})
