study_book <- function(run, folder) NULL
write_workbook <- function(book, path) invisible()
