# Runs the package's tests and leaves "passed failed" in build/test-counts. A
# warning or a skipped test counts as failed: nothing is skipped here.
Sys.setenv(NOT_CRAN = "true", EGGCRATE_CHECKOUT = getwd())
library(testthat)
library(eggcrate)
tests <- test_dir("tests/testthat", package = "eggcrate", load_package = "installed", reporter = "summary",
  stop_on_failure = FALSE)
results <- as.data.frame(tests)
bad <- results$failed > 0 | results$error | results$warning > 0 | results$skipped
if (any(bad)) {
  print(results[bad, c("file", "test", "failed", "error", "warning", "skipped")])
  # What they said once more: the summary above may be far away.
  for (said in do.call(c, lapply(tests, `[[`, "results"))) {
    if (!inherits(said, "expectation_success")) cat("* ", said$test, ": ", conditionMessage(said), "\n", sep = "")
  }
}
empty <- results$nb == 0
if (any(empty)) print(results[empty, c("file", "test")])
cat(sum(!bad & !empty), sum(bad | empty), "\n", file = "build/test-counts")
