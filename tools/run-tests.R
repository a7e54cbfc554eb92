# Runs the package's tests, a file at a time in each of as many processes as there are cores, and leaves "passed failed" in
# build/test-counts. A warning or a skipped test counts as failed (nothing is skipped here), and so does a file whose process
# ended before it had its results.
Sys.setenv(NOT_CRAN = "true", EGGCRATE_CHECKOUT = getwd())
suppressPackageStartupMessages(library(testthat))
library(eggcrate)

results_folder <- "build/test-results"
# The ones that take longest begin, so that no process has one of them left when the others are done.
first <- c("source-engine", "source-joined", "study-run", "source-database", "desk", "cli-main", "source-pass", "files", "html-findings", "fuzz", "cross")

files_to_run <- function() {
  all <- sub("^test-(.*)[.]R$", "\\1", list.files("tests/testthat", "^test-.*[.]R$"))
  c(intersect(first, all), setdiff(all, first))
}

# Making a folder either works or says that somebody has made it: so no file is run twice.
run_what_is_left <- function() {
  for (file in files_to_run()) {
    claim <- file.path(results_folder, file)
    if (!dir.create(claim, showWarnings = FALSE)) next
    took <- system.time(tests <- test_dir("tests/testthat", filter = paste0("^", file, "$"), package = "eggcrate",
      load_package = "installed", reporter = "silent", stop_on_failure = FALSE))[["elapsed"]]
    saveRDS(list(tests = tests, took = took), file.path(claim, "results.rds"))
    table <- as.data.frame(tests)
    left_open <- grDevices::dev.cur() != 1L
    cat(sprintf("%-24s %3d tests, %5.0f s%s%s\n", file, nrow(table), took, if (any(is_bad(table))) " NOT ALL PASSED" else "",
      if (left_open) " (left a device open)" else ""))
    # The next one begins as the first did: titles are broken for the device that is open.
    grDevices::graphics.off()
  }
}

is_bad <- function(table) table$failed > 0 | table$error | table$warning > 0 | table$skipped | table$nb == 0

report <- function() {
  unfinished <- character()
  passed <- failed <- 0L
  for (file in files_to_run()) {
    path <- file.path(results_folder, file, "results.rds")
    if (!file.exists(path)) {
      unfinished <- c(unfinished, file)
      next
    }
    tests <- readRDS(path)$tests
    table <- as.data.frame(tests)
    bad <- is_bad(table)
    passed <- passed + sum(!bad)
    failed <- failed + sum(bad)
    if (any(bad)) {
      print(table[bad, c("file", "test", "nb", "failed", "error", "warning", "skipped")])
      for (said in do.call(c, lapply(tests[bad], `[[`, "results"))) {
        if (!inherits(said, "expectation_success")) cat("* ", said$test, ": ", conditionMessage(said), "\n", sep = "")
      }
    }
  }
  if (length(unfinished) > 0L) cat("No results: ", paste(unfinished, collapse = ", "), "\n", sep = "")
  cat(passed, failed + length(unfinished), "\n", file = "build/test-counts")
}

if (identical(commandArgs(TRUE), "part")) {
  run_what_is_left()
} else {
  unlink(results_folder, recursive = TRUE)
  dir.create(results_folder, recursive = TRUE)
  parts <- lapply(seq_len(max(1L, parallel::detectCores(), na.rm = TRUE)), function(i) {
    processx::process$new(file.path(R.home("bin"), "Rscript"), c("tools/run-tests.R", "part"), stdout = "", stderr = "")
  })
  for (part in parts) part$wait()
  report()
}
