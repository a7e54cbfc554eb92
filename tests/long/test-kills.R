# Processes that are killed or interrupted at any moment.

asked <- c("--of", "sum(net_sales)", "--by", "customer")

test_that("killed at any moment, it leaves the old or the new file, and the next run tidies up", {
  withr::local_dir(withr::local_tempdir())
  dir.create("tmp")
  ways <- list(x.csv = c("--out", "x.csv"), x.svg = c("--chart", "x.svg"))
  ask <- function(file) c("standings", orders_path(), asked, "--overwrite", ways[[file]])
  bytes <- function(file) readBin(file, "raw", 1e6)
  before <- charToRaw("before")
  set.seed(1)
  for (file in names(ways)) {
    took <- system.time(got <- run_process(ask(file), env = c(TMPDIR = "tmp")))[["elapsed"]]
    expect_equal(got$status, 0)
    new <- bytes(file)
    # Most of the time goes by before anything is written.
    moments <- took * stats::runif(as.integer(Sys.getenv("EGGCRATE_KILLS", "8")), 0.7, 1.1)
    whole <- vapply(moments,
      function(wait) {
        writeBin(before, file)
        run_process(ask(file), env = c(TMPDIR = "tmp"),
          after = sprintf("& sleep %.3f; kill -9 $!; wait", wait))
        if (identical(bytes(file), before)) "old" else if (identical(bytes(file), new)) "new" else "torn"
      }, "")
    expect_false("torn" %in% whole, info = paste(table(whole), names(table(whole)), collapse = " "))
    writeBin(new, file)
  }
  # What only a process that is gone could have left.
  litter <- sub("-[0-9]+-", "-999999999-", eggcrate:::own_name(".eggcrate-", "csv"))
  mine <- eggcrate:::own_name(".eggcrate-", "csv")
  file.create(c(litter, mine))
  expect_equal(run_process(ask("x.csv"), env = c(TMPDIR = "tmp"))$status, 0)
  expect_identical(list.files("tmp", all.files = TRUE, no.. = TRUE), character())
  expect_setequal(list.files(all.files = TRUE, no.. = TRUE), c("tmp", "x.csv", "x.svg", mine))
})

test_that("a run that ends on the way leaves what was there", {
  folder <- study_folder()
  path <- write_study(c(study_head, simple_part("a"), simple_part("b", "within = \"region\"")), folder)
  out <- file.path(folder, "out")
  run_study(path, out, quiet = TRUE)
  before <- tools::md5sum(list.files(out, recursive = TRUE, full.names = TRUE))
  set.seed(5)
  for (i in seq_len(as.integer(Sys.getenv("EGGCRATE_KILLS", "6")))) {
    run_process(c("run", path, "--out", out, "--overwrite", "--quiet"), before = sprintf("timeout -s KILL %.2f", stats::runif(1, 0.4, 3.5)))
    expect_identical(tools::md5sum(list.files(out, recursive = TRUE, full.names = TRUE)), before)
  }
  run_study(path, out, overwrite = TRUE, quiet = TRUE)
  expect_identical(list.files(folder, pattern = "^[.]eggcrate", all.files = TRUE), character())
})

# Writes a folder of 60 empty files and one with a number. Links are made as fast as they are removed, so that many moments
# are in the removal.
numbered_folder <- function(path, n, there = TRUE) {
  eggcrate:::build_folder(list(path = path, there = there), function(folder) {
    writeLines(as.character(n), file.path(folder, "number"))
    file.link(file.path(dirname(path), "empty"), file.path(folder, 1:60))
  })
}

# Replaces a folder again and again, each time with the next number, until the process is killed.
replace_folder <- function(path, n) repeat numbered_folder(path, n <- n + 1L)

test_that("killed at 400 moments, 50 or more of them while folders are swapped, it leaves one whole folder", {
  parent <- normalizePath(withr::local_tempdir())
  out <- file.path(parent, "out")
  number_in <- function(folder) {
    path <- file.path(folder, "number")
    if (file.exists(path)) c(as.integer(readLines(path)), Inf)[1L] else NA
  }
  file.create(file.path(parent, "empty"))
  numbered_folder(out, 0L, FALSE)
  swapped <- 0L
  set.seed(7)
  for (kill in 1:400) {
    before <- number_in(out)
    child <- parallel::mcparallel(replace_folder(out, before), silent = TRUE)
    Sys.sleep(stats::runif(1, 0.02, 0.07))
    tools::pskill(child$pid, tools::SIGKILL)
    suppressWarnings(parallel::mccollect(child)) # it warns that there is no result
    while (eggcrate:::process_lives_(child$pid)) Sys.sleep(0.01)
    expect_length(list.files(out), 61L)
    expect_gte(number_in(out), before)
    # The earlier folder is left, whole or in part: the process ended after the exchange, before the end of its removal.
    left <- list.files(parent, "^[.]eggcrate", all.files = TRUE, full.names = TRUE)
    after <- length(left) == 1L && (is.na(number_in(left)) || number_in(left) < number_in(out))
    swapped <- swapped + (after && length(list.files(left)) > 0L)
    eggcrate:::clear_litter(parent)
    expect_identical(list.files(parent, all.files = TRUE, no.. = TRUE), c("empty", "out"))
  }
  expect_gte(swapped, 50L)
})

test_that("where folders cannot be exchanged in one step, the next run restores the folder of one that was killed between", {
  parent <- normalizePath(withr::local_tempdir())
  write <- function(there, text) {
    sprintf("eggcrate:::build_folder(list(path = '%s', there = %s), function(folder) writeLines('%s', file.path(folder, 'file')))",
      file.path(parent, "out"), there, text)
  }
  eval(parse(text = write(FALSE, "old")))
  traced <- function(...) {
    system2("strace", c("-f", "-q", "-o", "/dev/null", "-e", "trace=renameat2,rename", "-e", "inject=renameat2:error=EINVAL", ...,
      file.path(R.home("bin"), "Rscript"), "-e", shQuote(write(TRUE, "new"))), stdout = FALSE, stderr = FALSE)
  }
  for (at in 1:3) {
    traced("-e", sprintf("inject=rename:signal=KILL:when=%d", at))
    eggcrate:::clear_litter(parent)
    expect_identical(list.files(parent, all.files = TRUE, no.. = TRUE), "out")
    expect_identical(readLines(file.path(parent, "out", "file")), c("old", "old", "new")[at], info = at)
  }
})

test_that("an interrupted run leaves nothing, and says so", {
  folder <- study_folder()
  path <- write_study(c(study_head, simple_part("a"), simple_part("b"), simple_part("c")), folder)
  got <- run_process(c("run", path, "--out", file.path(folder, "out")), before = "timeout -s INT 1.6")
  expect_true(got$status %in% c(130, 124))
  expect_false(file.exists(file.path(folder, "out")))
})

test_that("no server outlives the process of tests that started it, if that is killed", {
  script <- withr::local_tempfile(fileext = ".R")
  writeLines(c("env <- new.env()", sprintf("for (helper in c('desk', 'servers')) sys.source(sprintf('%s/tests/testthat/helper-%%s.R', helper), env)", checkout_folder()),
    "started <- list(env$server('postgresql'), env$server('chromium'))",
    "cat(vapply(started, function(s) paste(s$pid, s$folder), ''), 'ready', sep = '\\n')", "Sys.sleep(600)"), script)
  process <- processx::process$new(file.path(R.home("bin"), "Rscript"), c("--vanilla", script), stdout = "|",
    env = c("current", R_LIBS = paste(.libPaths(), collapse = ":"), EGGCRATE_SERVERS = ""))
  said <- character()
  for (i in 1:120) {
    process$poll_io(500)
    said <- c(said, process$read_output_lines())
    if ("ready" %in% said || !process$is_alive()) break
  }
  expect_true("ready" %in% said)
  parts <- strsplit(said[1:2], " ")
  pids <- as.integer(vapply(parts, `[`, "", 1L))
  alive <- function() vapply(pids, function(pid) isTRUE(tools::pskill(pid, 0L)), NA)
  expect_true(all(alive()))
  process$signal(9L)
  for (i in 1:80) if (any(alive())) Sys.sleep(0.1) else break
  expect_identical(alive(), c(FALSE, FALSE))
  for (i in 1:50) if (any(dir.exists(vapply(parts, `[`, "", 2L)))) Sys.sleep(0.1) else break
  expect_false(any(dir.exists(vapply(parts, `[`, "", 2L))))
})
