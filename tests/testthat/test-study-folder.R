test_that("only a folder of a run is replaced, and only when it is asked for", {
  skip_without_run()
  folder <- study_folder()
  path <- write_study(c(study_head, simple_part("a", "charts = []")), folder)
  out <- file.path(folder, "out")
  run_study(path, out, quiet = TRUE)
  expect_error(run_study(path, out, quiet = TRUE), "--overwrite", class = "eggcrate_error_file_exists")
  run_study(path, paste0(out, "/"), overwrite = TRUE, quiet = TRUE)
  writeLines("mine", file.path(out, "notes.txt"))
  expect_error(run_study(path, out, overwrite = TRUE, quiet = TRUE), "notes.txt", class = "eggcrate_error_file_exists")
  expect_identical(readLines(file.path(out, "notes.txt")), "mine")
  # The folder of the study, a folder of somebody's, a file, a link, no place at all.
  other <- file.path(folder, "other")
  dir.create(other)
  writeLines("{\"made_by\": \"eggcrate\", \"files\": {}}", file.path(other, "x.json"))
  file.symlink(out, file.path(folder, "link"))
  for (place in c(folder, other, file.path(folder, "orders.csv"), file.path(folder, "link"), file.path(folder, "no", "where"))) {
    before <- list.files(folder, recursive = TRUE, all.files = TRUE)
    expect_error(run_study(path, place, overwrite = TRUE, quiet = TRUE), class = "eggcrate_error_data")
    expect_identical(list.files(folder, recursive = TRUE, all.files = TRUE), before)
  }
  empty <- file.path(folder, "empty")
  dir.create(empty)
  run_study(path, empty, quiet = TRUE)
  expect_true(file.exists(file.path(empty, "index.html")))
})

test_that("a run that ends on the way leaves what was there", {
  skip_without_run()
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

test_that("nothing that a study names leads out of its folder", {
  skip_without_run()
  folder <- study_folder()
  path <- write_study(c(study_head, simple_part("a", "text = \"</p><script>alert(1)</script>\"", "title = \"../../x\"")), folder)
  out <- file.path(folder, "out")
  before <- list.files(folder, all.files = TRUE, recursive = TRUE)
  run_study(path, out, quiet = TRUE)
  after <- list.files(folder, all.files = TRUE, recursive = TRUE)
  expect_true(all(startsWith(setdiff(after, before), "out/")))
  page <- whole_text(file.path(out, "index.html"))
  expect_false(grepl("<script", page, fixed = TRUE))
  expect_says(page, "default-src &#39;none&#39;")
  expect_false(grepl("(src|href)=\"(https?:)?//", page))
})

test_that("the page is written as PDF where a browser is", {
  skip_without_run()
  skip_if(!any(nzchar(Sys.which(eggcrate:::chromium_names))), "no Chromium")
  folder <- study_folder()
  path <- write_study(c(study_head, simple_part("a")), folder)
  out <- file.path(folder, "out")
  expect_equal(run_process(c("run", path, "--out", out, "--pdf", "--quiet"))$status, 0)
  expect_identical(readBin(file.path(out, "index.pdf"), "raw", 5), charToRaw("%PDF-"))
  # It is ours, and may be replaced.
  expect_equal(run_process(c("run", path, "--out", out, "--overwrite", "--quiet"))$status, 0)
})
