# Workbooks that say of themselves what cannot be.

# A workbook of two rows whose sheet has been rewritten by `change`.
rewritten <- function(change, env = parent.frame()) {
  folder <- withr::local_tempdir(.local_envir = env)
  whole <- file.path(folder, "whole.xlsx")
  openxlsx::write.xlsx(data.frame(k = c("a", "b"), v = c(1.5, 2)), whole)
  parts <- file.path(folder, "parts")
  utils::unzip(whole, exdir = parts)
  sheet <- file.path(parts, "xl/worksheets/sheet1.xml")
  writeLines(change(paste(readLines(sheet, warn = FALSE), collapse = "")), sheet)
  path <- file.path(folder, "orders.xlsx")
  zip::zip(path, list.files(parts, recursive = TRUE, all.files = TRUE), root = parts)
  path
}

test_that("rows, cells and tags that cannot be are refused before a reader trusts in them", {
  put <- function(from, to) function(sheet) sub(from, to, sheet, fixed = TRUE)
  expect_equal(read_sales(rewritten(identity))$v, c(1.5, 2))
  # What stands in a comment is no row.
  expect_equal(nrow(read_sales(rewritten(put("<sheetData>", "<!-- <row r='-5'> > --><sheetData>")))), 2)
  wrong <- list("numbered \"-5\"" = put("<row r=\"2\"", "<row r=\"-5\""),
    "numbered \"99999999\"" = put("<row r=\"2\"", "<row r='99999999'"),
    "cell at \"ZZZZ3\"" = put("r=\"B3\"", "r=\"ZZZZ3\""),
    "cell at \"B0\"" = put("r=\"B3\"", "r=\"B0\""),
    "tags within tags" = put("</worksheet>",
      paste0(strrep("<a>", 2e5), strrep("</a>", 2e5), "</worksheet>")),
    "document type" = put("<worksheet", "<!DOCTYPE x [<!ENTITY a 'b'>]><worksheet"))
  for (text in names(wrong)) {
    expect_error(read_sales(rewritten(wrong[[text]])), text, class = "eggcrate_error_format")
  }
  far <- rewritten(put("r=\"B3\"", "r=\"XFD1048576\""))
  expect_error(read_sales(far), "row 1,048,576 and column 16,384", class = "eggcrate_error_too_large")
  large <- rewritten(function(sheet) {
    sub("<sheetData>", paste0("<sheetData>", strrep(" ", 3e6)), sheet, fixed = TRUE)
  })
  withr::local_options(eggcrate.limit = 1e6)
  expect_error(read_sales(large), "unpack to more than 1 MB", class = "eggcrate_error_too_large")
})

test_that("a workbook may fill what the machine has left, and no more", {
  said <- withr::local_tempfile(lines = c("MemTotal:       16 kB", "MemAvailable:    9 kB"))
  expect_identical(free_memory(said), 9216)
  expect_identical(free_memory(tempfile()), Inf)
  path <- rewritten(identity)
  expect_identical(unpacked_limit(path), 5e8)
  expect_identical(unpacked_limit(path, memory = 3e8), 3e8)
  withr::local_options(eggcrate.limit = 4e8)
  expect_identical(unpacked_limit(path, memory = 3e8), 4e8)
})

test_that("a workbook with bytes changed is read or refused, and the session goes on", {
  path <- rewritten(identity)
  bytes <- readBin(path, "raw", 1e6)
  set.seed(5)
  for (i in 1:40) {
    at <- sample.int(length(bytes), 3)
    writeBin(replace(bytes, at, as.raw(sample(0:255, 3))), path)
    got <- tryCatch(class(read_sales(path))[1], error = function(e) class(e)[1])
    expect_match(got, "^eggcrate_")
  }
})
