# Exact rationals in plain R: sums of whole cents and units as integers.
tally_plain <- function(data) {
  split <- split(data, data$item)
  data.frame(
    item = names(split), cents = vapply(split, function(d) sum(round(d$amount * 100)), 0),
    units = vapply(split, function(d) sum(d$units), 0), n = vapply(split, nrow, 0L),
    row.names = NULL
  )
}

value_of <- function(x, name = names(x)[3]) stats::setNames(as.list(x)[[name]], x$item)

test_that("every aggregate equals a computation in plain R", {
  data <- random_lines(600)
  data$code <- sample(c("x", "y", "z", "", NA), 600, TRUE)
  by <- function(f) vapply(split(data, data$item), f, 0)
  cases <- list(
    list("mean(amount)", by(function(d) sum(round(d$amount * 100)) / (100 * nrow(d)))),
    list("min(amount)", by(function(d) min(d$amount))),
    list("max(units)", by(function(d) max(d$units))),
    list("median(amount)", by(function(d) stats::median(round(d$amount * 100)) / 100)),
    list("median(units)", by(function(d) stats::median(d$units))),
    list("median(amount / 3)", by(function(d) stats::median(d$amount / 3))),
    list("max(amount / 7)", by(function(d) max(d$amount / 7))),
    list("distinct(code)", by(function(d) length(setdiff(d$code, c("", NA))))),
    list("distinct(units)", by(function(d) length(unique(d$units)))),
    list("distinct(grp, when = units > 5)", by(function(d) length(unique(d$grp[d$units > 5])))),
    list("mean(amount, when = grp == 'north')", by(function(d) mean(d$amount[d$grp == "north"]))),
    list("sum(amount) / sum(units)", by(function(d) sum(d$amount) / sum(d$units))),
    list("sum(amount) - 2 * sum(units) + 1", by(function(d) sum(d$amount) - 2 * sum(d$units) + 1)),
    list("-sum(units) / 4", by(function(d) -sum(d$units) / 4)),
    list("sum(amount) * mean(units)", by(function(d) sum(d$amount) * mean(d$units))),
    list("count() / distinct(grp)", by(function(d) nrow(d) / length(unique(d$grp))))
  )
  for (case in cases) {
    got <- value_of(standings(data, of = !!case[[1]], by = item))
    want <- case[[2]]
    want[!is.finite(want)] <- NA
    expect_equal(got[names(want)], want, tolerance = 1e-12, info = case[[1]])
  }
})

test_that("a ratio is the quotient of sums, divided once, and equal fractions tie", {
  lines <- data.frame(item = c("a", "a", "b", "c", "d"), p = c(0.1, 0.2, 0.1, 1, 5),
    s = c(0.5, 0.4, 0.3, 3, 0))
  x <- standings(lines, of = c(rate = sum(p) / sum(s)), by = item)
  expect_identical(x$item, c("a", "b", "c", "d"))
  expect_identical(x$rate, c(1 / 3, 1 / 3, 1 / 3, NA))
  expect_identical(x$rank, c(1L, 1L, 1L, NA))
  expect_identical(x$percentile, c(0, 0, 0, NA))
  expect_null(as.list(x)$share)
  expect_equal(receipt(x)$n[receipt(x)$fact == "items without a value"], 1)
  data <- random_lines(500)
  data$units <- abs(data$units) + 1
  plain <- tally_plain(data)
  y <- standings(data, of = sum(amount) / sum(units), by = item)
  at <- match(y$item, plain$item)
  expect_identical(as.list(y)[[3]], plain$cents[at] / (100 * plain$units[at]))
})

test_that("a ratio loses both sides of a row that lacks one", {
  lines <- data.frame(item = c("a", "a", "b", "b"), p = c(1, NA, NA, NA), s = c(10, 90, 5, 5))
  x <- standings(lines, of = sum(p) / sum(s), by = item, also = c(sales = sum(s)))
  expect_identical(as.list(x)[[3]], 0.1)
  expect_identical(x$sales, 100)
  expect_account(x)
  expect_equal(receipt_n(x, "excluded"), 3)
})

test_that("shares exist for what adds up, and asking for others is an error", {
  data <- random_lines()
  for (of in c("sum(amount) - sum(units)", "sum(amount) * 2", "count() / 4")) {
    x <- standings(data, of = !!of, by = item)
    expect_equal(sum(x$share), 1, tolerance = 1e-12, info = of)
  }
  for (of in c("mean(amount)", "max(units)", "median(units)", "sum(amount) / sum(units)",
    "sum(units) * count()")) {
    expect_null(as.list(standings(data, of = !!of, by = item))$share, info = of)
    expect_error(standings(data, of = !!of, by = item, share_of = "all"),
      class = "eggcrate_error_not_additive")
  }
})

test_that("totals and all others are made from components, not from the items' values", {
  data <- random_lines()
  facts <- function(of) answer_of(standings(data, of = !!of, by = item))$ranked$totals[[2]]
  expect_equal(facts("mean(amount)"), mean(data$amount))
  expect_equal(facts("max(amount)"), max(data$amount))
  expect_equal(facts("sum(amount) / sum(units)"), sum(data$amount) / sum(data$units))
  expect_equal(facts("median(amount)"), stats::median(data$amount))
  x <- standings(data, of = mean(amount), by = item)
  rest <- !data$item %in% x$item[1:10]
  others <- eggcrate:::fold_rows(answer_of(x), seq_len(nrow(x)) <= 10)
  expect_equal(others$value, mean(data$amount[rest]))
})

test_that("a distinct count is shared on its rows, and its total says both", {
  orders <- demo_orders()
  x <- standings(orders, of = c(orders = distinct(order_no)), by = product)
  totals <- answer_of(x)$ranked$totals
  expect_equal(totals$orders, sum(x$orders))
  expect_equal(totals[["orders in all"]], length(unique(orders$order_no)))
  expect_equal(sum(x$share), 1)
  grouped <- standings(orders, of = c(orders = distinct(order_no)), by = product, within = region)
  plain <- tapply(orders$order_no, orders$region, function(o) length(unique(o)))
  expect_equal(answer_of(grouped)$ranked$totals[["orders in all"]], as.vector(plain))
})

test_that("additional measures and shown columns are in the row of their item", {
  orders <- plain_orders()
  x <- standings(orders, of = net_sales, by = customer, where = region == "Midmark",
    also = c(orders = distinct(order_no), profit), show = c(town, salesperson), within = region)
  midmark <- orders[orders$region == "Midmark" & !is.na(orders$customer), ]
  of <- function(customer) midmark[midmark$customer == customer, ]
  for (i in c(1, 5, 12)) {
    lines <- of(x$customer[i])
    expect_equal(x$orders[i], length(unique(lines$order_no)))
    expect_equal(x$profit[i], sum(lines$profit, na.rm = TRUE))
    expect_identical(x$town[i], unique(lines$town))
    people <- unique(stats::na.omit(lines$salesperson))
    expect_identical(x$salesperson[i], if (length(people) > 1) "(several)" else people)
  }
  expect_error(standings(orders, of = net_sales, by = customer, also = c(rank = count())),
    class = "eggcrate_error_name")
  several <- standings(orders, of = net_sales, by = product, show = region)
  expect_true(all(several$region == "(several)"))
})

test_that("having drops items before ranks and keeps the base of shares", {
  data <- random_lines()
  all <- standings(data, of = amount, by = item)
  some <- standings(data, of = amount, by = item, having = sum(amount) >= 400 & count() > 8)
  counts <- table(data$item)
  keep <- all$amount >= 400 & counts[all$item] > 8
  expect_identical(some$item, all$item[keep])
  expect_identical(some$share, all$share[keep])
  expect_identical(some$rank, as.integer(rank(-some$amount, ties.method = "min")))
  expect_equal(receipt(some)$n[receipt(some)$fact == "items dropped by having"], sum(!keep))
  edge <- standings(data.frame(k = c("a", "a", "b"), v = c(0.1, 0.2, 0.2)), of = v, by = k,
    having = sum(v) >= 0.3)
  expect_identical(edge$k, "a")
})

test_that("items of a list appear even without sales", {
  lines <- data.frame(k = c("a", "b", "b"), g = c("x", "x", "y"), v = c(3, NA, 2))
  list <- data.frame(k = c("c", "b", "a"), note = 1)
  x <- standings(lines, of = v, by = k, all_items = list)
  expect_identical(columns_of(x, c("k", "v", "rank")),
    list(k = c("a", "b", "c"), v = c(3, 2, 0), rank = 1:3))
  means <- standings(lines, of = mean(v), by = k, all_items = list)
  expect_identical(as.list(means)[[3]], c(3, 2, NA))
  ratio <- standings(transform(lines, w = 1), of = c(r = sum(v) / sum(w)), by = k, all_items = list)
  expect_setequal(ratio$k, x$k)
  expect_true(all(is.na(ratio$r[!ratio$k %in% lines$k])))
  grouped <- standings(lines, of = v, by = k, within = g, all_items = list)
  expect_identical(grouped$k, c("a", "b", "c", "b", "a", "c"))
  expect_identical(grouped$v, c(3, 0, 0, 2, 0, 0))
  expect_error(standings(lines, of = v, by = k, all_items = list["note"]),
    class = "eggcrate_error_unknown_column")
})

test_that("bases of shares: the group, the period, all, items above zero", {
  data <- random_lines(500)
  data$day <- as.Date("2025-01-05") + seq_len(500)
  sums <- function(x, groups) stats::ave(x$amount, groups, FUN = sum)
  x <- standings(data, of = amount, by = item, within = grp, over = year(day), share_of = "period")
  expect_equal(x$share, x$amount / sums(x, x$year), tolerance = 1e-13)
  x <- standings(data, of = amount, by = item, within = grp, share_of = "all")
  expect_equal(x$share, x$amount / sum(x$amount), tolerance = 1e-13)
  x <- standings(data, of = amount, by = item, share_base = "positive")
  above <- x$amount > 0
  expect_equal(x$share, ifelse(above, x$amount / sum(x$amount[above]), NA), tolerance = 1e-13)
  expect_equal(x$cum_share, cumsum(pmax(x$amount, 0)) / sum(x$amount[above]), tolerance = 1e-13)
  expect_lte(max(x$cum_share), 1)
})

test_that("the order of rows changes no bit of any measure", {
  data <- random_lines(3000, 60)
  data$odd <- data$amount / 7
  of <- c("mean(amount)", "median(odd)", "sum(odd) / sum(units)", "distinct(grp)",
    "min(odd) + max(odd)", "sum(amount * units)")
  shuffled <- data[rev(seq_len(nrow(data))), ]
  for (one in of) {
    a <- as.list(standings(data, of = !!one, by = c(item, grp)))
    b <- as.list(standings(shuffled, of = !!one, by = c(item, grp)))
    expect_identical(a[names(a)], b[names(a)], info = one)
  }
})

test_that("a median of all others is counted anew from the rows, in groups too", {
  data <- random_lines()
  data$grp[1:5] <- NA
  x <- standings(data, of = median(amount), by = c(item, units), within = grp)
  keep <- x$rank <= 2
  others <- eggcrate:::rest_of(answer_of(x), keep)
  kept <- paste(x$item, x$units, x$grp)[keep]
  rest <- data[!paste(data$item, data$units, data$grp) %in% kept, ]
  expect_equal(others$value, as.vector(tapply(rest$amount, addNA(factor(rest$grp)), stats::median)))
  path <- withr::local_tempfile()
  saveRDS(x, path)
  expect_lt(file.size(path), 40000)
  expect_true(all(is.na(eggcrate:::rest_of(answer_of(readRDS(path)), keep)$value)))
})

test_that("keys in two encodings are one item, for medians and distinct counts too", {
  latin <- iconv("\u00c6gir", "UTF-8", "latin1")
  lines <- data.frame(k = c("\u00c6gir", latin, latin, "b"), o = c("1", "1", "2", "3"),
    v = c(1, 5, 6, 3))
  x <- standings(lines, of = median(v), by = k, also = c(orders = distinct(o), all = sum(v)))
  expect_equal(columns_of(x, c("k", "median(v)", "orders", "all")),
    list(k = c("\u00c6gir", "b"), "median(v)" = c(5, 3), orders = c(2, 1), all = c(12, 3)))
})

test_that("a division whose sides no longer fit goes on in doubles", {
  large <- exact_multiply_(exact_from_whole_(2^53), exact_from_whole_(2^53))
  of <- function(num, places) exact_quantity(num, places, FALSE)
  ratio <- divide_quantities(of(large, 0L), of(exact_from_whole_(7), 9L))
  expect_null(ratio$den)
  expect_equal(quantity_real(ratio), 2^106 / 7e-9)
  # Where they fit it stays exact.
  kept <- divide_quantities(of(exact_from_whole_(1), 0L), of(exact_from_whole_(3), 2L))
  expect_equal(quantity_real(of(kept$num, 0L)), 100)
  expect_equal(quantity_real(kept), 100 / 3)
})

test_that("against one number a missing quantity has no sign, whatever the others have", {
  q <- exact_quantity(exact_from_whole_(c(5, 1, 3)), 0L, c(TRUE, FALSE, FALSE))
  expect_equal(quantity_against(q, number_quantity(3, 1L)), c(NA, -1, 0))
})

test_that("a product or a sum lacks a value where one of its sides does", {
  x <- data.frame(k = c("a", "b", "c"), a = c(2, NA, 3), b = c(5, 7, NA))
  got <- standings(x, of = c(p = sum(a) * sum(b)), by = k)
  expect_equal(got$k, "a")
  q <- eggcrate:::multiply_quantities(eggcrate:::exact_quantity(eggcrate:::exact_from_whole_(c(2, 3, 4)),
    0L, c(FALSE, TRUE, FALSE)), eggcrate:::exact_quantity(eggcrate:::exact_from_whole_(c(5, 6, 7)), 1L,
    c(FALSE, FALSE, TRUE)))
  expect_equal(q$missing, c(FALSE, TRUE, TRUE))
  expect_equal(eggcrate:::quantity_real(q), c(1, NA, NA))
})

test_that("of a base that is nothing there is no part", {
  x <- standings(data.frame(g = c("p", "p", "q"), k = c("a", "b", "a"), v = c(1, -1, 2)), of = sum(v),
    by = k, within = g)
  expect_equal(x$share, c(NA, NA, 1))
  expect_equal(x$cum_share, c(NA, NA, 1))
})

test_that("cents are not told where doubles have none, and a value of a row that is too large is refused", {
  d <- data.frame(k = c("a", "b"), v = c(20000000000000.01, 20000000000000))
  x <- standings(d, of = sum(v), by = k)
  expect_identical(x$rank, 1:2)
  expect_identical(x$v, d$v)
  told <- receipt(x)[receipt(x)$fact == "arithmetic", ]
  expect_match(told$value, "^sums of doubles")
  expect_match(told$note, "not exact to the cent")
  whole <- standings(data.frame(k = c("a", "b"), v = c(2e13, 2e13 + 1)), of = sum(v), by = k)
  expect_match(receipt(whole)$value[receipt(whole)$fact == "arithmetic"], "^exact, whole")
  for (of in c("sum(v * v)", "sum(v * v - v)", "mean(v * v)")) {
    expect_error(standings(data.frame(k = c("a", "b"), v = c(1e200, 2)), of = !!str2lang(of), by = k), "too large", class = "eggcrate_error_too_large")
  }
  expect_equal(standings(data.frame(k = c("a", "b"), v = c(0, 2)), of = sum(1 / v), by = k)$k, "b")
})
