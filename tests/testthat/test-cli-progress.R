test_that("one line is written over and gone at the end", {
  lines <- capture.output(type = "message", {
    eggcrate:::show_progress("Checking orders.csv", 0.5)
    eggcrate:::show_progress("Reading orders.csv", NA)
    eggcrate:::show_progress("Reading orders.csv", 1)
  })
  shown <- strsplit(paste(lines, collapse = ""), "\r")[[1]]
  expect_equal(trimws(shown),
    c("", "Checking orders.csv [############............]  50%", "Reading orders.csv ...", ""))
  expect_gte(nchar(shown[4]), nchar(shown[2]) - 8)
})
