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
  expect_equal(run_process(question, after = "| head -n 1")$out, run_process(question)$out[1])
})

test_that("where there is no room, nothing is said to be written and what was there stays", {
  withr::local_dir(withr::local_tempdir())
  # No file may grow beyond 16 kB.
  little <- "trap '' XFSZ; ulimit -f 32;"
  for (out in c("--out x.csv", "--out x.json", "--out x.html", "--chart x.png", "--chart x.svg",
    "--chart x.pdf")) {
    path <- sub("^.* ", "", out)
    writeLines("before", path)
    made <- run_process(c("tiers", orders_path(), asked, strsplit(out, " ")[[1]], "--overwrite",
      "--scheme", "tiers_by_share(c(A = '80%'), rest = 'B')", "--all"), before = little)
    expect_equal(made$status, 1, info = out)
    expect_false(any(grepl("^Wrote", made$err)), info = out)
    expect_true(any(grepl("cannot be written|is full", made$err)), info = out)
    expect_identical(readLines(path), "before", info = out)
  }
  demo <- run_process(c("demo", "--out", "demo"), before = little)
  expect_equal(demo$status, 1)
  expect_false(any(grepl("^Wrote", demo$err)))
  expect_identical(setdiff(list.files("demo", all.files = TRUE, no.. = TRUE),
    c("customers.csv", "products.csv", "region-tiles.csv", "targets.csv", "orders-untidy.csv")), character())
  # A full temporary folder alone.
  csv <- run_process(c("standings", orders_path(), asked, "--format", "csv"), before = little)
  expect_equal(csv$status, 1)
  expect_match(csv$err[1], "temporary folder .* is full")
})

test_that("replacing keeps mode and owner, follows links, and writes into pipes and devices", {
  withr::local_dir(withr::local_tempdir())
  ask <- function(...) run_process(c("standings", orders_path(), asked, "--out", ...))
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
  expect_identical(ask("/dev/stdout", "--format", "csv")$out, whole)
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

test_that("text is UTF-8 in any locale", {
  path <- write_text("region,k\u00e4ufer,amount\n\u00celes,\u6771\u4eac,10.5\nNorth,\u00dcnal,20\n")
  withr::local_dir(withr::local_tempdir())
  questions <- c("sum(amount)", "count()", "mean(amount)", "max(amount)", "amount", "median(amount)",
    "distinct(region)", "sum(amount) / count()", "sum(amount, when = region == \"\u00celes\")",
    "gr\u00f6\u00dfe = sum(amount)")
  writeLines(enc2utf8(questions), "questions", useBytes = TRUE)
  code <- c("questions <- readLines('questions', encoding = 'UTF-8')",
    "for (of in questions) for (how in list(c('--format', 'csv'), character())) {",
    sprintf("  status <- eggcrate::run_command(c('standings', '%s', '--of', of, '--by',", path),
    "    'k\\u00e4ufer', '--where', 'region != \"S\\u00fcd\"', how))",
    "  stopifnot(status == 0L)", "}",
    sprintf("x <- eggcrate::standings('%s', of = 'sum(amount)', by = 'k\\u00e4ufer',", path),
    "  where = 'region == \"\\u00celes\"')", "print(x)",
    "stopifnot(identical(names(x)[2], 'k\\u00e4ufer'), identical(x[[2]], '\\u6771\\u4eac'))")
  writeLines(code, "ask.R")
  run <- function(locale) {
    withr::with_envvar(c(LC_ALL = locale, LANG = "", R_LIBS = paste(.libPaths(), collapse = ":"),
      TZ = if (locale == "C") "Pacific/Kiritimati" else "UTC"),
      system2("Rscript", c("--vanilla", "ask.R"), stdout = locale, stderr = paste(locale, "err")))
  }
  locales <- c("C.UTF-8", "C", "POSIX", "en_US.ISO-8859-1")
  for (locale in locales) {
    expect_equal(run(locale), 0, info = paste(readLines(paste(locale, "err")), collapse = "\n"))
  }
  expect_gt(file.size("C.UTF-8"), 3000)
  expect_equal(unname(tools::md5sum(locales)), rep(unname(tools::md5sum("C.UTF-8")), 4))
  bytes <- function(locale) {
    run_process(c("standings", path, "--of", "sum(amount)", "--by", "k\u00e4ufer", "--where",
      "region == \"\u00celes\""), env = c(LC_ALL = locale))$out
  }
  for (locale in locales) expect_identical(bytes(locale), bytes("C.UTF-8"))
  expect_match(bytes("C"), "\u6771\u4eac", all = FALSE)
})
