
test_that("having takes one or the other", {
  lines <- data.frame(k = rep(c("a", "b", "c"), c(1, 3, 2)), v = c(20, 1, 1, 1, 2, 3))
  expect_setequal(standings(lines, of = sum(v), by = k, having = sum(v) > 10 | count() > 2)$k, c("a", "b"))
  expect_setequal(standings(lines, of = sum(v), by = k, having = sum(v) > 2 & count() < 3)$k, c("a", "c"))
})
