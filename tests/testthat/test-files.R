# What is written is whole, or what was there stays; what is asked in one place is answered alike
# in any other.

asked <- c("--of", "sum(net_sales)", "--by", "customer")

test_that("an output that is full or closed is an error, one that is left early is none", {
  question <- c("standings", orders_path(), asked, "--format", "csv")
  for (args in list(question, "--version", c("standings", "--help"), "--help", c("demo", "--help"))) {
    full <- run_process(args, after = "> /dev/full")
    expect_equal(full$status, 1)
    expect_match(full$err[1], "Standard output cannot be written: No space left")
  }
  closed <- run_process(question, after = ">&-")
  expect_equal(closed$status, 1)
  expect_match(closed$err[1], "Standard output cannot be written")
  expect_equal(run_process(question, after = "| head -n 1")$out, run_here(question)$out[1])
})

test_that("replacing keeps mode and owner, follows links, and writes into pipes and devices", {
  withr::local_dir(withr::local_tempdir())
  ask <- function(...) run_here(c("standings", orders_path(), asked, "--out", ...))
  writeLines("before", "real.csv")
  Sys.chmod("real.csv", "640")
  if (Sys.info()[["effective_user"]] == "root") system2("chown", c("daemon", "real.csv"))
  owner <- file.info("real.csv")[c("mode", "uname")]
  file.symlink("real.csv", "link.csv")
  expect_equal(ask("link.csv", "--overwrite")$status, 0)
  expect_identical(Sys.readlink("link.csv"), "real.csv")
  expect_identical(file.info("real.csv")[c("mode", "uname")], owner)
  whole <- readLines("real.csv")
  expect_gt(length(whole), 200)
  # A link to nothing yet makes what it leads to.
  file.symlink("new.csv", "ahead.csv")
  expect_equal(ask("ahead.csv")$status, 0)
  expect_identical(readLines("new.csv"), whole)
  # A pipe needs no --overwrite, and stays one.
  system2("mkfifo", "pipe")
  into <- run_process(c("standings", orders_path(), asked, "--out", "pipe", "--format", "csv"),
    before = "cat pipe > taken &", after = "; wait")
  expect_identical(readLines("taken"), whole)
  expect_equal(eggcrate:::path_kind_("pipe"), "stream")
  expect_equal(ask("/dev/null", "--format", "csv")$status, 0)
  expect_identical(run_process(c("standings", orders_path(), asked, "--out", "/dev/stdout", "--format", "csv"))$out, whole)
  # What may not be written is refused; nobody refuses the one who may do everything.
  if (Sys.info()[["effective_user"]] != "root") {
    Sys.chmod("new.csv", "444")
    expect_match(ask("new.csv", "--overwrite")$err[1], "may not be written")
  }
})

test_that("of two that write one new file, one is refused", {
  withr::local_dir(withr::local_tempdir())
  place <- function(text) {
    tryCatch({
      eggcrate:::write_whole("x.csv", function(path) {
        # Both have seen that the name is free.
        if (text == "first") place("second")
        eggcrate:::write_new_(text, path)
      })
      text
    }, eggcrate_error_file_exists = function(e) "refused")
  }
  expect_equal(place("first"), "refused")
  expect_identical(readLines("x.csv"), "second")
  expect_identical(list.files(all.files = TRUE, no.. = TRUE), "x.csv")
})

test_that("interrupted, it says so and ends with 130", {
  withr::local_dir(withr::local_tempdir())
  system2("mkfifo", "pipe")
  # It waits for somebody to read what it writes.
  got <- run_process(c("standings", orders_path(), asked, "--out", "pipe", "--format", "csv"),
    before = "set -m;", after = "& sleep 2; kill -INT $!; wait $!; exit $?")
  expect_equal(got$status, 130)
  expect_match(got$err, "interrupted", all = FALSE)
})

test_that("start-up files of a folder or of somebody take no part, and links lead to the package", {
  folder <- withr::local_tempdir()
  withr::local_dir(folder)
  evil <- file.path(folder, "evil.R")
  writeLines("cat('EVIL\\n')", evil)
  file.copy(evil, ".Rprofile")
  writeLines(c(paste0("R_PROFILE=", evil), paste0("R_LIBS_USER=", folder), "R_LIBS_SITE=/nowhere"),
    ".Renviron")
  file.symlink(command_path(), "first")
  file.symlink("first", "second")
  for (env in list(character(), c(R_PROFILE = evil, R_PROFILE_USER = evil, HOME = folder))) {
    got <- run_process("--version", env = env, command = file.path(folder, "second"))
    expect_equal(got$out, paste("eggcrate", utils::packageVersion("eggcrate")))
  }
})

test_that("killed while it writes, a command leaves the old file, and the next one removes what is left", {
  withr::local_dir(withr::local_tempdir())
  writeLines("before", "x.csv")
  writeLines("eggcrate:::write_whole('x.csv', function(path) { writeLines('half', path); Sys.sleep(60) }, TRUE)", "write.R")
  process <- processx::process$new(file.path(R.home("bin"), "Rscript"), c("--vanilla", "write.R"),
    env = c("current", R_LIBS = paste(.libPaths(), collapse = ":")))
  for (i in 1:200) if (length(list.files(pattern = "^[.]eggcrate-", all.files = TRUE))) break else Sys.sleep(0.05)
  process$signal(9L)
  process$wait()
  expect_identical(readLines("x.csv"), "before")
  expect_length(list.files(pattern = "^[.]eggcrate-", all.files = TRUE), 1L)
  expect_equal(run_here(c("standings", orders_path(), asked, "--out", "x.csv", "--overwrite"))$status, 0)
  expect_length(list.files(pattern = "^[.]eggcrate-", all.files = TRUE), 0L)
  expect_gt(length(readLines("x.csv")), 200L)
})

test_that("text is UTF-8 under LC_ALL=C", {
  path <- write_text("region,k\u00e4ufer,amount\n\u00celes,\u6771\u4eac,10.5\nNorth,\u00dcnal,20\n")
  run <- run_process(c("standings", path, "--of", "gr\u00f6\u00dfe = sum(amount)", "--by", "k\u00e4ufer", "--where", "region == \"\u00celes\"", "--format", "csv"),
    env = c(LC_ALL = "C"))
  expect_identical(run$out, c("rank,k\u00e4ufer,gr\u00f6\u00dfe,share,running,cum_share,percentile", "1,\u6771\u4eac,10.5,1,10.5,1,"))
})
