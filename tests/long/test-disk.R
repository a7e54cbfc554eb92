# Disks without room.

asked <- c("--of", "sum(net_sales)", "--by", "customer")

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
