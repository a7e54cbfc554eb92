# Reading a file into a table, for those who want to look at it.

#' Read a file of sales
#'
#' Reads a CSV or TSV file, plain or gzipped, a Parquet file or a sheet of a workbook
#' (XLSX), and says what it found. `"-"` reads a CSV from standard input. Columns are
#' typed as a whole: a column of numbers, of amounts such as `1,234.50`,
#' `$1,234.50`, `(12.00)` or `12.00-`, or of dates becomes numbers or dates; dates are
#' ISO, or `25/12/2025` where some row proves the order of day and month; anything else, leading
#' zeros as in `007` and more than 15 digits included, stays text. Blanks around a cell are trimmed.
#' Empty cells are missing; so are `NA`, `N/A`, `NULL`, `-` and `#N/A` in a column of numbers or
#' dates. In a column of text, `NA` is a name like any other.
#'
#' A file that is not whole is refused with the number of the row, the header
#' being row 1: a row with too few or too many fields, an unclosed quote, a NUL,
#' or bytes that are not UTF-8.
#'
#' @param path Path of the file.
#' @param ... Must be empty.
#' @param columns Names of the columns to read; all by default.
#' @param text Names of columns to leave as text, exactly as written.
#' @param encoding `"UTF-8"` or `"latin1"`.
#' @param separator `","`, `";"`, `"|"` or a tab; by default the one that the
#'   header has most of.
#' @param dates `"dmy"`, `"mdy"` or `"ymd"`: the order of dates written with slashes,
#'   dots or blanks, as in `03/04/2026`. Needed only where no value of a column decides
#'   it; such a column stays text.
#' @param sheet Name or number of a workbook's sheet; the first by default.
#' @param decimal `"."` or `","`: the decimal mark of amounts in which commas or
#'   full stops also part thousands. Needed only where no value of a column
#'   decides it, as in `1,234`; such a column is refused as a measure.
#' @returns A tibble, one row per data row of the file. What was read and what
#'   was odd is shown by [receipt()] and travels into the receipt of
#'   every question asked of the table.
#' @section Errors: `eggcrate_error_file` when there is no such file,
#'   `eggcrate_error_format` when a row is not whole, with the field `row`;
#'   `eggcrate_error_unknown_column` when `columns` or `text` names none.
#' @export
#' @examples
#' path <- system.file("extdata", "orders-untidy.csv", package = "eggcrate")
#' orders <- read_sales(path)
#' receipt(orders)
#' standings(orders, of = sum(net_sales), by = customer)
read_sales <- function(path, ..., columns = NULL, text = character(), encoding = "UTF-8",
  separator = NULL, decimal = NULL, dates = NULL, sheet = NULL) {
  call <- sys.call()[1L]
  check_no_dots(..., call = call)
  check_one_path(path, call)
  options <- list(encoding = encoding, separator = separator, decimal = decimal, dates = dates,
    sheet = sheet)
  table <- file_table(path, options, columns, text, call)
  class(table) <- c("eggcrate_sales", "tbl_df", "tbl", "data.frame")
  loadNamespace("tibble")
  table
}
