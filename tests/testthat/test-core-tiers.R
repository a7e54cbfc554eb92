# Tiers against hand-worked tables, R's quantiles and SQLite.

items <- function(values, ...) {
  standings(data.frame(k = sprintf("%02d", seq_along(values)), v = values, ...), of = sum(v),
    by = k)
}
tier_of <- function(x, scheme) as.character(assign_tiers(x, scheme)$tier)

test_that("an item exactly on a bound is above it", {
  x <- items(c(10000, 9999.99, 5000, 4999.99, 0))
  scheme <- tiers_by_value(c(A = 10000, B = 5000), rest = "C")
  expect_equal(tier_of(x, scheme), c("A", "B", "B", "C", "C"))
  y <- assign_tiers(x, scheme)
  expect_equal(y$to_next, c(NA, 0.01, 5000, 0.01, 5000))
  expect_equal(y$above_cutoff, c(0, 4999.99, 0, NA, NA))
  tenths <- standings(data.frame(k = c("a", "a", "b"), v = c(0.1, 0.2, 0.29)), of = sum(v), by = k)
  expect_equal(tier_of(tenths, tiers_by_value(c(A = 0.3))), c("A", "rest"))
})

test_that("where the lowest is best, bounds are upper ones", {
  x <- standings(data.frame(k = letters[1:4], v = c(1, 2, 3, 4)), of = sum(v), by = k,
    best = "lowest")
  expect_equal(tier_of(x, tiers_by_value(c(A = 1, B = 3), rest = "C")), c("A", "B", "B", "C"))
  expect_error(assign_tiers(x, tiers_by_value(c(A = 3, B = 1))), class = "eggcrate_error_scheme")
})

test_that("by cumulative share the item that crosses is in the better tier, or the next", {
  x <- items(c(50, 30, 10, 6, 4))
  expect_equal(tier_of(x, tiers_by_share(c(A = "80%", B = "95%"), rest = "C")),
    c("A", "A", "B", "B", "C"))
  expect_equal(tier_of(x, tiers_by_share(c(A = "75%", B = "95%"), rest = "C")),
    c("A", "A", "B", "B", "C"))
  expect_equal(tier_of(x, tiers_by_share(c(A = "75%", B = "95%"), rest = "C", boundary = "within")),
    c("A", "B", "B", "C", "C"))
  # the first tier may be empty
  expect_equal(tier_of(x, tiers_by_share(c(A = "40%"), boundary = "within")), rep("rest", 5))
  expect_equal(tier_table(assign_tiers(x, tiers_by_share(c(A = "40%"), boundary = "within")))$items,
    c(0, 5))
})

test_that("a tie at the line is in the better tier as a whole, or out as a whole", {
  x <- items(c(50, 20, 20, 10))
  expect_equal(tier_of(x, tiers_by_share(c(A = "60%"))), c("A", "A", "A", "rest"))
  expect_equal(tier_of(x, tiers_by_share(c(A = "75%"), boundary = "within")),
    c("A", "rest", "rest", "rest"))
  for (seed in 1:20) {
    set.seed(seed)
    values <- sort(sample(1:6, 15, TRUE), decreasing = TRUE)
    running <- cumsum(values)
    part <- sample(5:99, 1)
    before_block <- vapply(values, function(v) sum(values[values > v]), 0)
    after_block <- vapply(values, function(v) sum(values[values >= v]), 0)
    y <- standings(data.frame(k = sprintf("%02d", 1:15), v = values), of = sum(v), by = k)
    expect_equal(tier_of(y, tiers_by_share(c(A = paste0(part, "%")))) == "A",
      before_block * 100 < part * sum(values))
    expect_equal(tier_of(y, tiers_by_share(c(A = paste0(part, "%")), boundary = "within")) == "A",
      after_block * 100 <= part * sum(values))
  }
})

test_that("percentile cut-offs are type-7 quantiles, and an item at one is above it", {
  sizes <- c(A = "5%", B = "15%", C = "60%", D = "20%")
  for (seed in 1:4) {
    set.seed(seed)
    values <- sample(c(1:200, 7, 7, 7, 50, 50), sample(c(7, 41, 100), 1))
    x <- items(values)
    y <- assign_tiers(x, tiers_by_percentile(sizes))
    cuts <- stats::quantile(values, 1 - c(0.05, 0.20, 0.80), type = 7, names = FALSE)
    expect_equal(tier_table(y)$cut_off[1:3], cuts)
    expect_equal(as.integer(y$tier),
      1L + rowSums(outer(y$v, cuts, "<") & !outer(y$v, cuts, function(a, b) abs(a - b) < 1e-9)))
  }
})

test_that("by rank and in equal tiers a tie goes where its first item falls", {
  x <- items(c(9, 7, 7, 7, 5, 3, 2))
  expect_equal(tier_of(x, tiers_by_rank(c(A = 2, B = 5), rest = "C")),
    c("A", "A", "A", "A", "B", "C", "C"))
  expect_equal(tier_of(x, tiers_equal(3)), c("1", "1", "1", "1", "2", "3", "3"))
  expect_equal(tier_of(items(7:1), tiers_equal(3)), c("1", "1", "1", "2", "2", "3", "3")) # 3, 2, 2
  expect_equal(tier_of(items(2:1), tiers_equal(4)), c("1", "2"))
  set.seed(2)
  distinct <- data.frame(item = sprintf("i%03d", 1:97), cents = sample(1e6, 97))
  con <- DBI::dbConnect(RSQLite::SQLite(), ":memory:")
  withr::defer(DBI::dbDisconnect(con))
  DBI::dbWriteTable(con, "t", distinct)
  sql <- DBI::dbGetQuery(con,
    "SELECT NTILE(10) OVER (ORDER BY cents DESC) AS tier FROM t ORDER BY cents DESC")
  expect_equal(
    as.integer(tier_of(standings(distinct, of = sum(cents), by = item), tiers_equal(10))), sql$tier)
})

test_that("tiers by another measure find the big customer that earns nothing", {
  orders <- demo_orders()
  x <- standings(orders, of = sum(net_sales), by = customer,
    also = c(margin = sum(profit) / sum(net_sales)))
  y <- assign_tiers(x, tiers_by_value(c(good = 0.3, fair = 0.1), rest = "poor", of = margin))
  plain <- ifelse(x$margin >= 0.3, "good", ifelse(x$margin >= 0.1, "fair", "poor"))
  expect_equal(as.character(y$tier), plain)
  expect_equal(y$customer[y$tier == "poor"], "Varlow Boatyard")
  expect_lte(y$rank[y$tier == "poor"], 5)
  third <- assign_tiers(x, tiers_equal(3, of = "margin"))
  expect_true(min(third$margin[third$tier == "1"]) >= max(third$margin[third$tier == "2"]))
})

test_that("to_next is the way to the next tier that has items, and above_cutoff to the own floor", {
  x <- items(c(90, 60, 50, 20, 10))
  y <- assign_tiers(x, tiers_by_rank(c(A = 1, B = 3), rest = "C"))
  expect_equal(y$to_next, c(NA, 30, 40, 30, 40)) # others standing still: to 90, to 50
  expect_equal(y$above_cutoff, c(0, 10, 0, NA, NA))
  empty <- assign_tiers(x, tiers_by_value(c(A = 1000, B = 100, C = 40), rest = "D"))
  expect_equal(empty$to_next, c(NA, NA, NA, 20, 30)) # A and B have no items
})

test_that("relative tiers are cut in each group, tiers by value are the same everywhere", {
  data <- random_lines(400, 30)
  data$amount <- abs(data$amount)
  x <- standings(data, of = sum(amount), by = item, within = grp)
  y <- assign_tiers(x, tiers_by_share(c(A = "50%", B = "90%"), rest = "C"))
  for (group in unique(x$grp)) {
    alone <- standings(data, of = sum(amount), by = item, where = grp == !!group)
    expect_equal(as.character(y$tier[y$grp == group]),
      tier_of(alone, tiers_by_share(c(A = "50%", B = "90%"), rest = "C")))
  }
  v <- assign_tiers(x, tiers_by_value(c(A = 300, B = 100), rest = "C"))
  expect_equal(as.character(v$tier),
    ifelse(v$amount >= 300, "A", ifelse(v$amount >= 100, "B", "C")))
})

test_that("one item, none, all equal, all zero, all below zero", {
  schemes <- list(tiers_by_value(c(A = 5)), tiers_by_share(c(A = "80%")),
    tiers_by_percentile(c(A = "20%", B = "80%")), tiers_by_rank(c(A = 2)), tiers_equal(3))
  for (scheme in schemes) {
    expect_equal(tier_of(items(10), scheme), scheme$labels[1])
    expect_length(tier_of(standings(data.frame(k = "a", v = 1), of = sum(v), by = k, where = v > 5),
      scheme), 0)
    expect_equal(tier_of(items(c(7, 7, 7)), scheme), rep(scheme$labels[1], 3))
    below <- items(c(-1, -2, -3))
    if (scheme$kind == "share") {
      expect_error(tier_of(below, scheme), class = "eggcrate_error_value")
      expect_error(tier_of(items(c(0, 0)), scheme), class = "eggcrate_error_value")
    } else {
      expect_equal(tier_of(below, scheme)[1],
        if (scheme$kind == "value") "rest" else scheme$labels[1])
      expect_equal(unique(tier_of(items(c(0, 0)), scheme)),
        if (scheme$kind == "value") "rest" else scheme$labels[1])
    }
  }
  grouped <- standings(data.frame(k = c("a", "b"), g = c("up", "down"), v = c(1, -1)), of = sum(v),
    by = k, within = g)
  expect_equal(tier_of(grouped, schemes[[2]]), c("(none)", "A")) # one of several: missing
})

test_that("an item without a value is in no tier, and the table says so", {
  data <- data.frame(k = c("a", "b", "c"), v = c(1, 2, 3), u = c(1, 0, 1))
  y <- assign_tiers(standings(data, of = sum(v) / sum(u), by = k), tiers_by_value(c(A = 2)))
  expect_equal(as.character(y$tier), c("A", "rest", "(none)"))
  expect_equal(tier_table(y)$items, c(1, 1, 1))
})

test_that("the table of tiers adds up to the whole, empty ones too", {
  x <- standings(demo_orders(), of = sum(net_sales), by = customer)
  y <- assign_tiers(x, tiers_by_value(c(S = 1e9, A = 1e5, B = 2e4), rest = "C"))
  table <- tier_table(y)
  expect_equal(table$items, c(0, as.vector(table(cut(-x$net_sales, c(-Inf, -1e5, -2e4, Inf))))))
  expect_equal(sum(table$net_sales), sum(x$net_sales))
  expect_equal(sum(table$share), 1)
  expect_equal(sum(table$share_of_items), 1)
  expect_equal(table$cut_off, c(1e9, 1e5, 2e4, NA))
})

test_that("the sizes of tiers by percentile add up to where each ends", {
  bounds <- tiers_by_percentile(c(A = "12.5%", B = "7.5%", C = "80%"))$bounds
  expect_equal(vapply(bounds, `[[`, 0, "value"), c(0.125, 0.2))
  expect_equal(vapply(bounds, `[[`, "", "text"), c("12.5%", "20%"))
})

test_that("a part of all that a group never reaches leaves the whole group in", {
  x <- standings(data.frame(g = c("p", "p", "q", "q"), k = 1:4, v = c(60, 30, 6, 4)), of = sum(v),
    by = k, within = g, share_of = "all")
  got <- assign_tiers(x, tiers_by_share(c(A = "70%"), rest = "B", boundary = "within"))
  expect_equal(as.character(got$tier), c("A", "B", "A", "A"))
})

test_that("gaps of ratios are those of the ratios", {
  x <- data.frame(k = c("a", "b", "c"), p = c(1, 1, 1), s = c(3, 4, 8))
  got <- assign_tiers(standings(x, of = c(rate = sum(p) / sum(s)), by = k),
    tiers_by_value(c(A = 0.3, B = 0.2), rest = "C"))
  expect_equal(got$to_next, c(NA, 0.3 - 0.25, 0.2 - 0.125))
  expect_equal(got$above_cutoff, c(1 / 3 - 0.3, 0.05, NA))
})

test_that("`above_cutoff` of an item at a cut-off is 0 and not -0", {
  d <- data.frame(k = c("a", "b", "c"), x = c(3, 5, 9))
  for (best in c("highest", "lowest")) {
    x <- assign_tiers(standings(d, of = sum(x), by = k, best = best), tiers_by_value(c(A = 5), rest = "B"))
    at <- which(x$x == 5)
    expect_identical(x$above_cutoff[at], 0)
    expect_identical(1 / x$above_cutoff[at], Inf)
  }
})
