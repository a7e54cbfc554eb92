# The whole example study, run again.

test_that("a second run gives the same bytes of everything, and a check of it says so", {
  run <- demo_run()
  path <- system.file("studies", "review.toml", package = "eggcrate")
  got <- run_here(c("run", path, "--verify", run$folder, "--quiet"))
  expect_equal(got$status, 0)
  expect_match(got$out, "gives the same bytes")
})
