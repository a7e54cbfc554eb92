# Selections against hand-worked lists and SQLite's window functions.

five <- function(...) {
  standings(data.frame(k = letters[1:6], v = c(50, 30, 20, 20, 20, 10), ...), of = sum(v), by = k)
}
chosen <- function(x, which, ...) only(x, !!which, ...)$k

test_that("top and bottom take blocks in order, and a tie across the cut as it is said", {
  x <- five()
  expect_equal(chosen(x, "top(2)"), c("a", "b"))
  expect_equal(chosen(x, "top(3)"), c("a", "b", "c", "d", "e"))
  expect_equal(chosen(x, "top(3)", at_cut = "drop"), c("a", "b"))
  expect_equal(chosen(x, "top(3)", at_cut = "split"), c("a", "b", "c"))
  expect_equal(chosen(x, "bottom(2)"), c("c", "d", "e", "f"))
  expect_equal(chosen(x, "bottom(2)", at_cut = "drop"), "f")
  expect_equal(chosen(x, "bottom(2)", at_cut = "split"), c("e", "f"))
  expect_equal(chosen(x, "top(99)"), x$k)
  lowest <- standings(data.frame(k = c("a", "b", "c"), v = 1:3), of = sum(v), by = k,
    best = "lowest")
  expect_equal(chosen(lowest, "top(1)"), "a")
  expect_equal(chosen(lowest, "bottom(1)"), "c")
})

test_that("a part of the items is floor((n - 1) p) + 1 of them, in decimals", {
  one_each <- standings(data.frame(k = sprintf("%03d", 1:101), v = 101:1), of = sum(v), by = k)
  expect_length(chosen(one_each, "top('29%')"), 30) # 100 * 0.29 is below 29 in doubles
  expect_length(chosen(one_each, "top(0.29)"), 30)
  expect_length(chosen(one_each, "bottom('100%')"), 101)
  expect_length(chosen(one_each, "top('0.5%')"), 1)
  tiers <- assign_tiers(one_each, tiers_by_percentile(c(A = "29%", B = "71%")))
  expect_equal(chosen(one_each, "top('29%')"), tiers$k[tiers$tier == "A"])
})

test_that("reaching takes the item that crosses the line, within leaves it out", {
  x <- five() # running 50 80 100 120 140 150 of 150
  expect_equal(chosen(x, "reaching('50%')"), c("a", "b"))
  expect_equal(chosen(x, "reaching('50%', boundary = 'within')"), "a")
  expect_equal(chosen(x, "reaching('60%')"), c("a", "b", "c", "d", "e"))
  expect_equal(chosen(x, "reaching('60%')", at_cut = "split"), c("a", "b", "c"))
  expect_equal(chosen(x, "reaching('60%')", at_cut = "drop"), c("a", "b"))
  expect_equal(chosen(x, "reaching(1)"), x$k)
  expect_equal(chosen(x, "!reaching('50%')"), c("c", "d", "e", "f"))
  # Returns: once reached, nothing later is in.
  back <- standings(data.frame(k = c("a", "b", "c", "d"), v = c(90, 30, -10, -20)), of = sum(v),
    by = k)
  expect_equal(chosen(back, "reaching('95%')"), "a")
  expect_equal(chosen(back, "reaching('100%')"), "a")
})

test_that("limits of value are exact and follow the words", {
  x <- standings(data.frame(k = c("a", "a", "b", "c"), v = c(0.1, 0.2, 0.3, 0.4)), of = sum(v),
    by = k)
  expect_equal(chosen(x, "above(0.3)"), "c")
  expect_equal(chosen(x, "at_least(0.3)"), c("c", "a", "b"))
  expect_equal(chosen(x, "below(0.3)"), character())
  expect_equal(chosen(x, "at_most(0.3)"), c("a", "b"))
  expect_equal(chosen(x, "above(-1)"), c("c", "a", "b"))
})

test_that("parts combine, and conditions ask the result's own columns", {
  x <- standings(data.frame(k = letters[1:4], v = 4:1, g = c("n", "s", "n", NA)), of = sum(v),
    by = k, show = g)
  expect_equal(chosen(x, "top(2) & g == 'n'"), "a")
  expect_equal(chosen(x, "top(1) | bottom(1)"), c("a", "d"))
  expect_equal(chosen(x, "!(top(1) | items('c'))"), c("b", "d"))
  expect_equal(chosen(x, "g != 'n'"), "b")
  expect_equal(chosen(x, "is_missing(g) | share >= 0.4"), c("a", "d"))
  expect_equal(chosen(x, "items('a', 'd')"), c("a", "d"))
  least <- 3
  expect_equal(only(x, above(!!least))$k, "a")
})

test_that("an item without a value is in no group nor in its complement", {
  data <- data.frame(k = c("a", "b", "c"), v = c(1, 2, 3), u = c(1, 0, 1))
  x <- standings(data, of = sum(v) / sum(u), by = k)
  expect_equal(chosen(x, "top(1)"), "c")
  expect_equal(chosen(x, "!top(1)"), "a")
  expect_equal(chosen(x, "!above(100)"), c("c", "a"))
})

test_that("selections in groups equal SQLite's windows, ties and all", {
  for (seed in 1:3) {
    data <- random_lines(300, 25, seed)
    data$amount <- abs(round(data$amount, -1)) + 10 # many ties
    data$cents <- as.integer(round(data$amount * 100))
    sql <- sqlite_standings(data, group = TRUE)
    x <- standings(data, of = sum(amount), by = item, within = grp)
    size <- stats::ave(sql$cents, sql$grp, sql$cents, FUN = length)
    place <- stats::ave(sql$cents, sql$grp, FUN = seq_along)
    pairs <- function(rows) paste(sql$grp, sql$item)[rows]
    kept <- function(which, ...) {
      y <- only(x, !!which, ...)
      paste(y$grp, y$item)
    }
    expect_equal(kept("top(7)"), pairs(sql$rank <= 7))
    expect_equal(kept("top(7)", at_cut = "drop"), pairs(sql$rank + size - 1 <= 7))
    expect_equal(kept("top(7)", at_cut = "split"), pairs(place <= 7))
    before_block <- sql$running - stats::ave(sql$cents, sql$grp, sql$cents, FUN = cumsum)
    expect_equal(kept("reaching('37.5%')"), pairs(before_block * 1000 < 375 * sql$total))
    expect_equal(kept("reaching('37.5%')", at_cut = "split"),
      pairs((sql$running - sql$cents) * 1000 < 375 * sql$total))
    expect_equal(only(x, top(7))$rank, sql$rank[sql$rank <= 7])
  }
})

test_that("a selection says how many values it takes", {
  x <- standings(data.frame(k = c("a", "b"), v = 2:1), of = sum(v), by = k)
  for (wrong in list(quote(items()), quote(top()), quote(top(1, 2, 3)), quote(between(v, 1)))) {
    expect_error(only(x, !!wrong), class = "eggcrate_error_expression", info = deparse(wrong))
  }
  expect_equal(only(x, items("b"))$k, "b")
})

test_that("where all are chosen there are no others", {
  x <- standings(data.frame(g = c("p", "p", "q"), k = c("a", "b", "a"), v = 3:1), of = sum(v), by = k,
    within = g)
  expect_equal(only(x, top(5), others = TRUE)$k, c("a", "b", "a"))
  expect_equal(only(x, top(1), others = TRUE)$k, c("a", "all others (1)", "a"))
})

test_that("a bound by value is one number", {
  x <- standings(demo_orders(), of = sum(net_sales), by = region)
  for (which in c("above(c(1, 2))", "below('a')", "at_least(NA)", "at_most(TRUE)")) {
    expect_error(only(x, !!which), class = "eggcrate_error_call")
  }
})

test_that("an item without a key and one that is called so can both be meant", {
  d <- data.frame(k = c(NA, "(missing)", "a"), v = 1:3)
  x <- standings(d, of = sum(v), by = k)
  expect_equal(only(x, items("(missing)"))$v, 2)
  expect_equal(only(x, items(""))$v, 1)
  expect_match(format(why(x, "")), "sum\\(v\\): 1", all = FALSE)
  # Alone, it is called by what stands in the table.
  alone <- standings(d[-2, ], of = sum(v), by = k)
  expect_equal(only(alone, items("(missing)"))$v, 1)
  expect_error(only(standings(d[3, ], of = sum(v), by = k), items("")), class = "eggcrate_error_unknown_item")
})
