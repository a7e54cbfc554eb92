test_that("best and worst of each group are those of SQLite, ties included", {
  lines <- random_lines(900, 25)
  lines$amount <- round(lines$amount)
  data <- data.frame(item = lines$item, grp = lines$grp, cents = as.integer(lines$amount))
  theirs <- sqlite_standings(data, group = TRUE)
  x <- extremes(standings(lines, of = sum(amount), by = item, within = grp))
  for (g in unique(theirs$grp)) {
    one <- theirs[theirs$grp == g, ]
    mine <- as.list(x)
    at <- mine$grp == g
    expect_setequal(mine$item[at & mine$end == "best"], one$item[one$cents == max(one$cents)])
    expect_setequal(mine$item[at & mine$end == "worst"], one$item[one$cents == min(one$cents)])
    expect_equal(mine$amount[at & mine$end == "best"][1], max(one$cents))
    expect_equal(mine$share[at & mine$end == "worst"][1], min(one$cents) / sum(one$cents))
  }
})

test_that("a tie is there as a whole; one item has no worst; equal ones are said to be", {
  make <- function(v, ...) {
    extremes(standings(data.frame(k = letters[seq_along(v)], v = v), of = sum(v), by = k, ...))
  }
  x <- make(c(5, 5, 3, 1, 1))
  expect_equal(x$k, c("a", "b", "d", "e"))
  expect_equal(x$end, c("best", "best", "worst", "worst"))
  expect_equal(x$rank, c(1, 1, 4, 4))
  expect_equal(make(7)$end, "best")
  equal <- make(c(2, 2, 2))
  expect_equal(equal$end, rep("best", 3))
  expect_match(format(equal), "All are equal: there is no worst", all = FALSE)
  expect_equal(make(c(5, 3, 1), best = "lowest")$k, c("c", "a"))
  expect_equal(nrow(make(c(5, 3), where = v > 9)), 0)
})

test_that("items without a value are neither best nor worst, and a base of nothing gives no share",
  {
  lines <- data.frame(k = c("a", "b", "c"), p = c(1, 2, 3), s = c(2, 0, 3))
  x <- extremes(standings(lines, of = c(m = sum(p) / sum(s)), by = k))
  expect_equal(x$k, c("c", "a"))
  expect_false("share" %in% names(x))
  none <- extremes(standings(data.frame(k = c("a", "b"), v = c(-1, -2)), of = sum(v), by = k))
  expect_equal(none$share, c(NA_real_, NA_real_))
})

test_that("one item alone is best, and is not said to be equal to others", {
  x <- standings(data.frame(g = c("p", "q", "q"), k = c("a", "b", "c"), v = c(1, 2, 2)), of = sum(v),
    by = k, within = g)
  expect_equal(eggcrate:::extreme_rows(answer_of(x))$equal, c(FALSE, TRUE))
})
