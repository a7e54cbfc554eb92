test_that("run, study and check say how they are used", {
  for (command in c("run", "study", "check")) {
    help <- run_here(c(command, "--help"))
    expect_equal(help$status, 0)
    expect_match(help$out, sprintf("^Usage: eggcrate %s ", command), all = FALSE)
    expect_identical(run_here(c("help", command))$out, help$out)
  }
  # All that a study is read by is told.
  told <- sub("^  ([a-z_]+) .*", "\\1", run_here(c("help", "study"))$out)
  keys <- c(eggcrate:::study_keys, eggcrate:::part_keys, eggcrate:::source_keys)
  helped <- names(Filter(function(key) !is.null(key$help), keys))
  expect_true(all(helped %in% told))
  expect_true(all(c(names(eggcrate:::study_keys), names(eggcrate:::part_keys), "file", "files", "date") %in% helped))
  narrow <- run_here(c("help", "study"), env = c(COLUMNS = "60"))$out
  expect_lte(max(nchar(narrow[!grepl("^  eggcrate |^Usage", narrow)])), 60)
  options <- sort(sub("^ *(--[a-z-]+).*", "\\1", grep("^  --", run_here(c("run", "--help"))$out, value = TRUE)))
  expect_identical(options, sort(eggcrate:::option_name(names(eggcrate:::run_options()))))
  expect_match(run_here("run")$err[1], "One study is run at a time")
  expect_match(run_here(c("run", "none.toml", "--out", "x"))$err[1], "none.toml", all = FALSE)
  expect_match(run_here(c("run", orders_path(), "--out", "x"))$err, "eggcrate study ", all = FALSE)
  expect_equal(run_here(c("standings", orders_path(), "--of", "units", "--by", "region", "--out", "x.xlsx", "--format", "json"))$status, 2)
  expect_match(run_here(c("run", "a.toml", "--ovewrite"))$err, "--overwrite", all = FALSE)
  expect_match(run_here("help")$out, "^ +run +run a study", all = FALSE)
})

test_that("the demo's study runs where it was written", {
  folder <- file.path(withr::local_tempdir(), "demo")
  run_here(c("demo", "--out", folder))
  got <- run_here(c("check", file.path(folder, "review.toml")))
  expect_equal(got$status, 0)
  expect_match(got$out[1], "nothing is wrong")
  expect_equal(run_here(c("run", file.path(folder, "review.toml"), "--out", file.path(folder, "review"), "--only", "regions", "--quiet"))$status, 0)
})
