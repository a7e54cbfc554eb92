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
