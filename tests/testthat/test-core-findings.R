test_that("a far value is found by the score of the source, and none among few or equal ones", {
  x <- c(10, 11, 12, 10, 11, 60, 12)
  middle <- stats::median(x)
  spread <- stats::median(abs(x - middle))
  far <- eggcrate:::far_value(x)
  expect_equal(far$at, 6)
  expect_equal(far$score, 0.6745 * (60 - middle) / spread)
  expect_null(eggcrate:::far_value(c(10, 11, 12, 10, 11, 13, 12)))
  expect_null(eggcrate:::far_value(c(1, 1, 100, 1)))
  expect_equal(eggcrate:::far_value(c(10, 11, 12, 11, 60))$at, 5) # five are enough
  expect_equal(eggcrate:::far_value(c(99, 100, 101, 100, 125, 99, 101))$at, 5) # a quarter away
  expect_null(eggcrate:::far_value(rep(5, 9)))
  expect_null(eggcrate:::far_value(c(100, 101, 100, 99, 100, 101, 110))) # far by the score alone
})

test_that("near a line is within a part of the value", {
  x <- assign_tiers(standings(data.frame(k = letters[1:5], v = c(100, 52, 49, 30, 10)), of = sum(v),
    by = k), tiers_by_value(c(A = 50), rest = "B"))
  set <- answer_of(x)
  up <- eggcrate:::near_tier(set, set$facets$tiers$gaps$to_next, 0.05)
  expect_equal(up$rows, 3)
  expect_equal(up$part, 1 / 49)
  down <- eggcrate:::near_tier(set, set$facets$tiers$gaps$above_cutoff, 0.05)
  expect_equal(down$rows, 2)
  # As far as the part is within it.
  expect_equal(eggcrate:::near_tier(set, set$facets$tiers$gaps$above_cutoff, 2 / 52)$rows, 2)
  expect_length(eggcrate:::near_tier(set, set$facets$tiers$gaps$above_cutoff, 2 / 53)$rows, 0)
})

test_that("the last of the top is at the top", {
  columns <- list(class = c("new", "up", "new", "new"), rank_to = c(4L, 1L, 3L, NA))
  expect_equal(eggcrate:::at_the_top(columns, "new", "rank_to", 3), 3L)
  expect_equal(eggcrate:::at_the_top(columns, "new", "rank_to", 4), c(3L, 1L))
})
