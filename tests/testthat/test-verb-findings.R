finding <- function(f, kind) as.list(f)$finding[f$kind == kind]

test_that("each sentence is borne out by a table computed another way", {
  o <- demo_orders()
  plain <- plain_orders()
  x <- standings(o, of = sum(net_sales), by = customer)
  f <- findings(x, over = quarter(order_date), against = c(margin = sum(profit) / sum(net_sales)),
    top = 40)
  sums <- sort(tapply(plain$net_sales, ifelse(is.na(plain$customer), "(missing)", plain$customer),
    sum, na.rm = TRUE), decreasing = TRUE)
  n <- which(cumsum(sums) >= 0.8 * sum(sums))[1]
  expect_match(finding(f, "concentration"), sprintf("^%d of 241 customers account for 80%% of net sales", n))
  expect_equal(f$items[[1]], names(sums)[seq_len(n)])
  expect_match(finding(f, "exception"), "Varlow Boatyard stands out: no. 4")
  # New or returned, and lost, among the first 40 of the two quarters.
  quarter <- function(first, last) {
    at <- plain$order_date >= first & plain$order_date <= last & !is.na(plain$net_sales)
    sort(tapply(plain$net_sales[at],
      ifelse(is.na(plain$customer[at]), "(missing)", plain$customer[at]), sum), decreasing = TRUE)
  }
  from <- quarter("2025-10-01", "2025-12-31")
  to <- quarter("2026-01-01", "2026-03-31")
  expect_setequal(f$items[[which(f$kind == "new at the top")]],
    setdiff(names(to)[rank(-to, ties.method = "min") <= 40], names(from)))
  lost <- setdiff(names(from)[rank(-from, ties.method = "min") <= 40], names(to))
  if (length(lost)) {
    expect_setequal(f$items[[which(f$kind == "lost from the top")]], lost)
  } else {
    expect_false("lost from the top" %in% f$kind)
  }
  gini <- function(v) {
    v <- sort(v[v > 0])
    sum((2 * seq_along(v) - length(v) - 1) * v) / (length(v) * sum(v))
  }
  change <- gini(to) - gini(from)
  if (abs(change) >= 0.01) {
    expect_equal(f$value[f$kind == "concentration change"], change)
  } else {
    expect_false("concentration change" %in% f$kind)
  }
})

test_that("a far month is found, and where nothing stands out nothing is said", {
  set.seed(2)
  days <- seq(as.Date("2025-01-01"), as.Date("2025-12-31"), "day")
  lines <- data.frame(k = rep(c("a", "b"), length.out = length(days)), day = days, v = 10)
  lines$v[format(days, "%m") == "07"] <- 100
  f <- findings(standings(lines, of = sum(v), by = k), over = month(day))
  expect_match(finding(f, "unusual period"), "^2025-07 is far above the other months: 3,100 v, ")
  lines <- data.frame(k = rep(c("a", "b"), each = length(days)), day = days, v = 10)
  quiet <- findings(standings(lines, of = sum(v), by = k), over = month(day))
  expect_equal(nrow(quiet), 0)
  expect_match(format(quiet), "Nothing stands out", all = FALSE)
})

test_that("findings print as sentences, and need standings of one group with their rows", {
  o <- demo_orders()
  x <- assign_tiers(standings(o, of = sum(net_sales), by = customer),
    tiers_by_value(c(A = 50000, B = 10000), rest = "C"))
  expect_snapshot(print(findings(x, over = month(order_date)), width = 90))
  expect_error(findings(standings(o, of = sum(net_sales), by = customer, within = region)),
    class = "eggcrate_error_unknown_value")
  path <- withr::local_tempfile()
  saveRDS(x, path)
  expect_error(findings(readRDS(path)), class = "eggcrate_error_gone")
})

test_that("as_of goes by the date of the periods, also of what has none itself", {
  whole <- run_here(c("findings", orders_path(), "--of", "sum(net_sales)", "--by", "customer",
    "--over", "quarter(order_date)", "--as-of", "2026-03-31"))
  expect_equal(whole$status, 0)
  early <- subset(plain_orders(), order_date <= as.Date("2026-03-31"))
  used <- sum(!is.na(early$net_sales))
  expect_match(whole$out, paste(format(used, big.mark = ","), "of 20,361 rows used"), all = FALSE)
})
