# The tally and the order of its items by themselves.

part <- function(total, op = "sum", rows = rep(1, length(total)), missing = NULL) {
  eggcrate:::new_part(list(op = op, text = op),
    list(total = eggcrate:::exact_from_whole_(as.numeric(total)), places = 0L, lowest = 0L, missing = missing,
      all_missing = sum(missing), first_missing = NA_real_), rows)
}

test_that("a tally whose parts are of different lengths is a fault of our own", {
  expect_error(eggcrate:::new_tally(list(a = 1:3, b = 1:2), rep(1, 3), list()), "not of one length")
  expect_error(eggcrate:::new_tally(list(a = 1:2), rep(1, 2), list(s = part(1:3))),
    "not of one length")
  expect_equal(length(eggcrate:::new_tally(list(a = 1:2), rep(1, 2), list(s = part(1:2)))$rows), 2)
})

test_that("one key written in several ways is one item, also beside a key without such texts", {
  x <- data.frame(a = c(NA, "", " ", "z"), b = "x", v = c(1, 2, 4, 8))
  got <- standings(x, of = sum(v), by = c(a, b))
  expect_equal(got$a, c("z", NA))
  expect_equal(got$v, c(8, 7))
  latin <- "\xe9"
  Encoding(latin) <- "latin1"
  y <- data.frame(a = c(latin, "\u00e9", "e"), b = c("p", "p", "p"), v = c(1, 2, 4))
  expect_equal(standings(y, of = sum(v), by = c(b, a))$v, c(4, 3))
})

test_that("what cannot be divided or is no number is missing, whichever of the two", {
  q <- eggcrate:::real_quantity(c(1, Inf, 2, NaN), c(FALSE, FALSE, TRUE, FALSE))
  expect_equal(q$missing, c(FALSE, TRUE, TRUE, TRUE))
  expect_equal(q$real, c(1, NA, NA, NA))
})

test_that("least and most of a group leave out items without a value", {
  x <- data.frame(g = "p", k = c("a", "b", "b"), v = c(-5, NA, -7))
  listed <- data.frame(k = c("a", "b", "c"))
  got <- standings(x, of = c(top = max(v)), by = k, within = g, all_items = listed)
  expect_equal(answer_of(got)$ranked$totals$top, -5)
  got <- standings(x, of = c(least = min(-v)), by = k, within = g, all_items = listed)
  expect_equal(answer_of(got)$ranked$totals$least, 5)
})

test_that("an item that was not listed and has no value is none, whoever else was listed", {
  x <- data.frame(k = c("b", "a", "z"), v = c(1, 2, NA))
  got <- standings(x, of = sum(v), by = k, all_items = data.frame(k = c("a", "b")))
  expect_equal(got$k, c("a", "b"))
})

test_that("one text that is no UTF-8 among others that need a look is refused", {
  bad <- "\xff"
  Encoding(bad) <- "UTF-8"
  expect_error(standings(data.frame(k = c(bad, NA, "\u00e9"), v = 1:3), of = sum(v), by = k),
    "not valid UTF-8", class = "eggcrate_error_value")
})
