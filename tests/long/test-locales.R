# Any locale and time zone.

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
