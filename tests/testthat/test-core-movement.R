# Three items over five months; March has no rows, b is absent in February, c comes in April.
hand <- data.frame(
  who = c("a", "b", "a", "a", "b", "c", "a", "b", "c"),
  day = as.Date(c("2026-01-05", "2026-01-06", "2026-02-03", "2026-04-01", "2026-04-02",
    "2026-04-03", "2026-05-02", "2026-05-03", "2026-05-31")),
  v = c(10, 5, 8, 3, 6, 9, 7, 7, 1)
)

test_that("ranks, tiers and absences of each period, worked by hand", {
  x <- movement(hand, of = sum(v), by = who, over = month(day),
    scheme = tiers_by_rank(c(A = 1), rest = "B"))
  expect_equal(names(x), c("month", "rank", "rank_change", "who", "v", "tier"))
  at <- function(month, who) which(x$month == month & x$who == who)
  expect_equal(unique(x$month), sprintf("2026-%02d", 1:5)) # March too
  expect_equal(nrow(x), 15)
  expect_equal(as.character(x$tier[x$month == "2026-03"]), rep("(absent)", 3))
  expect_equal(x$rank[c(at("2026-01", "a"), at("2026-01", "b"), at("2026-01", "c"))], c(1, 2, NA))
  expect_equal(x$rank[x$month == "2026-05"], c(1, 1, 3)) # a and b tie
  expect_equal(as.character(x$tier[x$month == "2026-05"]), c("A", "A", "B"))
  # To the period before; none where that is empty or the item was absent.
  expect_equal(
    x$rank_change[c(at("2026-02", "a"), at("2026-04", "a"), at("2026-05", "a"), at("2026-05", "b"),
      at("2026-05", "c"))],
    c(0, NA, 2, 1, -2))
  expect_equal(period_table(x)$items, c(2, 1, 0, 3, 3))
  expect_equal(period_table(x)$v, c(15, 8, 0, 18, 15))
})

test_that("transitions have margins that add up, absent ones included", {
  x <- movement(hand, of = sum(v), by = who, over = month(day),
    scheme = tiers_by_rank(c(A = 1), rest = "B"))
  t <- transitions(x, from = "2026-01", to = "2026-02")
  count <- function(a, b) t$items[t$from == a & t$to == b]
  expect_equal(c(count("A", "A"), count("B", "(absent)"), count("(absent)", "(absent)")),
    c(1, 1, 1))
  expect_equal(sum(t$items), 3)
  expect_equal(transitions(x)$items, transitions(x, from = "2026-04", to = "2026-05")$items)
  expect_error(transitions(x, from = "2026-05", to = "2026-04"),
    class = "eggcrate_error_unknown_value")
  expect_error(transitions(x, from = "2025-12"), class = "eggcrate_error_period")
})

test_that("margins of the demo are the tiers of each period, computed apart", {
  scheme <- tiers_by_share(c(A = "50%", B = "80%"), rest = "C")
  x <- movement(demo_orders(), of = sum(net_sales), by = customer, over = quarter(order_date),
    scheme = scheme)
  tiers_of <- function(period) {
    assign_tiers(standings(demo_orders(), of = sum(net_sales), by = customer,
      where = quarter(order_date) == !!period),
      scheme)
  }
  from <- tiers_of("2025-Q4")
  to <- tiers_of("2026-Q1")
  t <- transitions(x)
  for (tier in c("A", "B", "C")) {
    expect_equal(sum(t$items[t$from == tier]), sum(from$tier == tier))
    expect_equal(sum(t$items[t$to == tier]), sum(to$tier == tier))
  }
  name <- function(k) ifelse(is.na(k), "-", k)
  both <- merge(data.frame(k = name(from$customer), a = from$tier),
    data.frame(k = name(to$customer), b = to$tier))
  plain <- table(both$a, both$b)
  expect_equal(t$items[t$from == "B" & t$to == "A"], plain[["B", "A"]])
  expect_equal(t$items[t$from == "C" & t$to == "C"], plain[["C", "C"]])
  expect_equal(sum(t$items), length(unique(x$customer)))
  one <- x[x$quarter == "2025-Q4" & !is.na(x$rank), ]
  expect_equal(one$rank, from$rank)
  # The last quarter is not complete: it is compared only when it is named.
  expect_false(identical(transitions(x)$items,
    transitions(x, from = "2026-Q1", to = "2026-Q2")$items))
})

test_that("relative bands hold under any filter, order of rows does not matter", {
  x <- movement(demo_orders(), of = sum(net_sales), by = customer, over = quarter(order_date),
    where = region == "Midmark", scheme = tiers_equal(3))
  sizes <- table(x$quarter, x$tier)[, 1:3]
  expect_true(all(apply(sizes, 1, function(n) diff(range(n)) <= 1)))
  o <- demo_orders()
  y <- movement(o[sample(nrow(o)), ], of = sum(net_sales), by = customer,
    over = quarter(order_date), where = region == "Midmark", scheme = tiers_equal(3))
  expect_identical(columns_of(x, names(x)), columns_of(y, names(x)))
})

test_that("climbers and fallers are the greatest changes of rank among those there in both", {
  x <- movement(demo_orders(), of = sum(net_sales), by = customer, over = quarter(order_date))
  climbs <- eggcrate:::movement_climbs(answer_of(x),
    eggcrate:::movement_pair(answer_of(x)), 3)
  last <- x[x$quarter == "2026-Q1", ]
  expect_equal(climbs$climbers$from - climbs$climbers$to,
    sort(last$rank_change, decreasing = TRUE)[1:3])
  expect_equal(climbs$fallers$from - climbs$fallers$to, sort(last$rank_change)[1:3])
})

test_that("who keeps the rank neither climbs nor falls", {
  d <- data.frame(who = rep(c("a", "b", "c"), 2),
    day = rep(as.Date(c("2025-01-01", "2025-02-01")), each = 3), sales = c(9, 5, 1, 9, 1, 5))
  x <- movement(d, of = sum(sales), by = who, over = month(day))
  found <- movement_climbs(answer_of(x), 1:2, 5L)
  expect_equal(lengths(found$climbers), c(item = 1, from = 1, to = 1))
  expect_equal(c(found$climbers$from, found$climbers$to), c(3, 2))
  expect_equal(c(found$fallers$from, found$fallers$to), c(2, 3))
})

test_that("with one complete period there is nothing to compare", {
  x <- movement(data.frame(k = "a", day = as.Date(c("2026-01-01", "2026-01-31")), v = 1),
    of = sum(v), by = k, over = month(day))
  expect_error(eggcrate:::movement_pair(answer_of(x)), class = "eggcrate_error_period")
})

test_that("a tie stands by name in each period, and is counted in the period that the selection means", {
  d <- data.frame(k = c("a", "b", "b"), day = as.Date(c("2024-01-01", "2024-01-01", "2024-06-28")), v = c(5, 5, 9))
  x <- movement(d, of = sum(v), by = k, over = quarter(day))
  expect_identical(x$k, c("a", "b", "b", "a"))
  one <- only(x, top(1))
  expect_false("tied items at the cut" %in% receipt(one)$fact)
  two <- only(movement(rbind(d, transform(d[3, ], k = "a")), of = sum(v), by = k, over = quarter(day)), top(1))
  expect_equal(receipt(two)$n[receipt(two)$fact == "tied items at the cut"], 2)
})
