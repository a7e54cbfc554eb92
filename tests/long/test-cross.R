test_that("every pair of options gives the right answer or one clear refusal", {
  rows <- all_pairs(cross_factors())
  expect_gt(length(rows), 100)
  found <- vapply(rows, cross_check, "")
  expect_identical(found[!found %in% c("right", "refused")], character())
  # Most combinations are answered: a refusal is the exception.
  expect_gt(mean(found == "right"), 0.5)
})

test_that("grids and movement are right, or refused in one clear sentence, under every pair of options", {
  rows <- all_pairs(through_time_factors(), seed = 2)
  found <- vapply(rows, through_time_check, "")
  expect_identical(found[!found %in% c("right", "refused")], character())
  expect_gt(mean(found == "right"), 0.5)
})
