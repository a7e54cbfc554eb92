test_that("the receipt is a plain table of what was done", {
  orders <- read_sales(system.file("extdata", "orders-untidy.csv", package = "eggcrate"))
  x <- standings(orders, of = sum(net_sales), by = customer, where = units > 0)
  expect_snapshot(print(as.data.frame(receipt(x)), right = FALSE, width = 200))
  expect_account(x)
  expect_s3_class(receipt(x), "tbl_df")
  expect_identical(names(receipt(x)), c("step", "fact", "n", "value", "note"))
})

test_that("it says which arithmetic was used", {
  arithmetic <- function(v) {
    r <- receipt(standings(data.frame(k = c("a", "b"), v = v), of = v, by = k))
    r$value[r$fact == "arithmetic"]
  }
  expect_identical(arithmetic(c(1, 2)), "exact, whole numbers")
  expect_identical(arithmetic(c(1.5, 2)), "exact, 1 decimal place")
  expect_identical(arithmetic(c(1 / 3, 2)), "sums of doubles, the same for any order of the rows")
})

test_that("the receipt names the first row that was excluded, as a file numbers them", {
  path <- write_text("day,k,v\n2026-01-02,a,1\n2026-01-03,b,\n,c,3\n2026-01-04,d,\n")
  x <- standings(path, of = sum(v), by = k, over = month(day))
  r <- receipt(x)
  expect_equal(r$note[r$fact == "rows without sum(v)"], "first in row 3")
  expect_equal(r$note[r$fact == "rows with no day"], "first in row 4")
  expect_account(x)
  frame <- receipt(standings(data.frame(k = c("a", "b"), v = c(1, NA)), of = sum(v), by = k))
  expect_equal(frame$note[frame$fact == "rows without sum(v)"], "first in row 2")
  # Far into the rows, where another thread meets them first.
  many <- data.frame(k = "a", v = 1, w = 2)[rep(1, 400000), ]
  many$v[c(70001, 350000)] <- NA
  r <- receipt(standings(many, of = sum(v), by = k, also = c(w = sum(v + w))))
  expect_equal(r$note[r$fact == "rows without sum(v)"], "first in row 70,001")
  expect_equal(r$n[r$step == "also"], 2)
})

test_that("amounts above the limit for cents are noted, and divisions of them are not an error", {
  d <- data.frame(k = c("a", "b"), v = c(1e15 + 0.5, 2), w = 1:2)
  note <- function(of) {
    rows <- receipt(standings(d, of = !!of, by = k))
    rows$note[rows$fact == "arithmetic"]
  }
  expect_match(note("sum(v)"), "not exact to the cent")
  expect_identical(c(note("sum(v) / sum(w)"), note("mean(v)"), note("sum(w)")), rep(NA_character_, 3))
})
