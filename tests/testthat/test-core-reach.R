
test_that("the first of all items may be asked for by the greatest whole number", {
  x <- standings(data.frame(k = c("a", "b"), v = 2:1), of = sum(v), by = k)
  expect_equal(threshold_table(x, shares = "50%", first = .Machine$integer.max)$items, 1:2)
  expect_error(threshold_table(x, first = .Machine$integer.max + 1), "whole numbers", class = "eggcrate_error_call")
})
