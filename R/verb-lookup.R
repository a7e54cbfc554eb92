#' Further columns by a key
#'
#' Gives order lines the columns of a second table, such as the segment of each customer: every
#' question can use them as if they stood in the lines. Rows are not copied, and their number never
#' changes; those without a match have missing values and are counted in the receipt. An empty key
#' matches nothing, as in SQL: order lines with an empty key have no match, and the receipt counts
#' rows of the table with an empty key.
#'
#' @param data Order lines: a data frame, paths of files, a table of a database (see
#'   [sales_table()]), or the result of another `lookup()`.
#' @param table The second table: a data frame, the path of a file, or a table of a database, which
#'   is joined there where the order lines are in the same one. Its keys must be unique.
#' @param by The key: a column, or several as in `c(region, town)`; `c(customer = id)` where the
#'   column of the order lines, first, has another name in the table. By default the columns that
#'   both have.
#' @param ... Must be empty.
#' @returns A source, which [standings()] and all others take in the place of data.
#' @section Errors: `eggcrate_error_value` for a key that stands twice in the table;
#'   `eggcrate_error_unknown_column` for a key that is not there; a column that both tables have is
#'   refused when it is used.
#' @export
#' @examples
#' regions <- data.frame(region = c("Ambermouth", "Gannet Bay"), coast = "west")
#' standings(lookup(demo_orders(), regions, by = region), of = sum(net_sales), by = coast)
lookup <- function(data, table, by, ...) {
  call <- sys.call()[1L]
  check_no_dots(..., call = call)
  if (missing(table)) stop_missing_arg("table", "Give a data frame, or the path of a file.", call)
  base <- open_source(data, data_place(substitute(data), parent.frame()), call = call)
  table <- open_source(table, data_place(substitute(table), parent.frame()), call = call)
  code <- capture("by", environment())
  source_lookup(base, table, lookup_by(base, table, key_columns(code, call), call), call)
}

# `customer`, `c(region, town)`, `c(customer = id)`, or text.
key_columns <- function(code, call = NULL) {
  if (is.null(code)) {
    return(NULL)
  }
  parts <- if (is.character(code)) as.list(code) else key_parts(code)
  names <- vapply(parts, function(part) {
    if (!is.name(part) && !(is.character(part) && length(part) == 1L)) {
      stop_expression("`by` must name one or more columns.", expr_text(code),
        "Write `customer` or `c(customer = id)`.", call)
    }
    name_text(part)
  }, "")
  with_names(names, if (is.character(code)) names(code) else names(parts))
}
