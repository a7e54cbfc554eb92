
test_that("equal tiers have a bound less than labels, and every label is a text", {
  expect_length(tiers_equal(3)$bounds, 2)
  expect_error(tiers_equal(2, labels = c("A", NA)), "needs a label", class = "eggcrate_error_scheme")
  expect_error(tiers_equal(2, labels = c("A", "")), "needs a label", class = "eggcrate_error_scheme")
})
