#' A table of a database
#'
#' Queries a table in place: the database filters, groups and sums, and only one row per item is
#' fetched. The sums are sums of whole numbers, so they are exact, and the result equals that of the
#' same rows in a data frame, to the last digit. You can also use any lazy table as data, such as
#' `dplyr::tbl(con, "orders")` with your own joins and filters.
#'
#' The database computes sums, counts, means, minima, maxima, medians and numbers of different
#' values of whole and decimal numbers (up to six places), by columns and periods, with any
#' condition. For other questions (numbers that are not decimal, division within rows) eggcrate
#' fetches the columns it needs, if the table has at most a million rows (`options(eggcrate.fetch =
#' )`). For [rank_intervals()] the database adds up each order and item, and these sums are fetched,
#' up to the same limit. If rows have no order number, the columns are fetched. [show_sql()] shows
#' which way is used.
#'
#' A [lookup()] is joined in the database. A table of the same database is joined as it is. Another
#' table of up to 5,000 rows (`options(eggcrate.copy = )`) is written into the statement, because
#' eggcrate never writes to a database. Keys are text, whole numbers or dates. With a longer table,
#' and in ClickHouse, columns that are only used for grouping are added after the rows are counted;
#' otherwise the columns that the query needs are fetched.
#'
#' This applies to SQLite, PostgreSQL, MariaDB and ClickHouse (also to a table that is spread over
#' several servers). From other databases these columns are always fetched. SQLite has no
#' date type: a column with only texts such as `2026-03-31` is a date, as in a file. Text is
#' compared by its bytes, whatever the collation. NULL and blank text are missing, a number that is
#' not finite is an error, and a time with a zone has its day in UTC. A question runs in one
#' transaction, unless you have begun one. See `vignette("databases")`.
#'
#' @param con A connection of DBI.
#' @param table Its name, or `"schema.name"`.
#' @param ... Must be empty.
#' @returns A source, which [standings()] and all others take in the place of data. It reads only,
#'   and leaves the connection open.
#' @section Errors: `eggcrate_error_database` for a table that is not there, a question that the
#'   database refuses, and one for which too many rows would have to be fetched;
#'   `eggcrate_error_gone` where rows came or went meanwhile; `eggcrate_error_package` where DBI,
#'   dplyr or dbplyr is not installed.
#' @seealso [show_sql()], [lookup()]
#' @export
#' @examplesIf all(vapply(c("RSQLite", "dbplyr"), requireNamespace, NA, quietly = TRUE))
#' con <- DBI::dbConnect(RSQLite::SQLite(), ":memory:")
#' orders <- as.data.frame(demo_orders())
#' orders$order_date <- as.character(orders$order_date)
#' DBI::dbWriteTable(con, "orders", orders)
#' standings(sales_table(con, "orders"), of = sum(net_sales), by = customer)
#' DBI::dbDisconnect(con)
sales_table <- function(con, table, ...) {
  call <- sys.call()[1L]
  check_no_dots(..., call = call)
  if (missing(con) || !inherits(con, "DBIConnection")) {
    stop_missing_arg("con",
      "Give a connection, such as `DBI::dbConnect(RSQLite::SQLite(), \"shop.db\")`.", call)
  }
  if (missing(table) || !is.character(table) || length(table) != 1L || is.na(table)) {
    stop_missing_arg("table", "Name a table, such as \"orders\".", call)
  }
  for (package in c("dplyr", "dbplyr")) need_package(package, "ask a table of a database", call)
  source_database(database_table(con, table, "the database", call), table, call = call)
}

#' What a database is asked
#'
#' @param x A result whose rows are in a database.
#' @param ... Must be empty.
#' @returns Text of class `eggcrate_sql`: the statements, named by their purpose. If the question is
#'   not answered in the database, it is the statement that fetches the columns, named by the
#'   reason. Printing shortens rows that are written into a statement.
#' @section Errors: `eggcrate_error_unknown_value` if the rows of the result are not in a database;
#'   `eggcrate_error_gone` if the connection is closed.
#' @seealso [sales_table()]
#' @export
#' @examplesIf all(vapply(c("RSQLite", "dbplyr"), requireNamespace, NA, quietly = TRUE))
#' con <- DBI::dbConnect(RSQLite::SQLite(), ":memory:")
#' DBI::dbWriteTable(con, "orders", data.frame(customer = c("a", "b"), sales = c(10.5, 20)))
#' show_sql(standings(sales_table(con, "orders"), of = sum(sales), by = customer))
#' DBI::dbDisconnect(con)
show_sql <- function(x, ...) {
  call <- sys.call()[1L]
  check_no_dots(..., call = call)
  check_answer(x, call)
  ans <- answer_of(x)
  source <- handle_source(ans$handle, call)
  if (is.null(database_of(source))) {
    stop_eggcrate("call", "unknown_value",
      sprintf("The rows of these standings are in no database, but in %s.", source$name),
      call = call)
  }
  structure(sql_of_plan(source, ans$plan, call), class = "eggcrate_sql")
}

#' @export
print.eggcrate_sql <- function(x, ...) {
  for (text in format(x)) print_lines(c(text, ""))
  invisible(x)
}

#' @export
format.eggcrate_sql <- function(x, ...) {
  paste0("-- ", names(x), "\n", vapply(unname(unclass(x)), few_values, ""))
}

# Rows that are written into a statement, or their columns as lists, are shown as their first ones,
# and how many more there are.
few_values <- function(sql, most = 3L) {
  lines <- strsplit(sql, "\n", fixed = TRUE)[[1L]]
  begin <- which(endsWith(lines, "(VALUES") | endsWith(lines, "["))
  for (at in rev(begin)) {
    end <- at + match(TRUE, grepl("^ *\\)|^\\]", utils::tail(lines, -at))) - 1L
    more <- end - at - most
    if (isTRUE(more > 1L)) {
      lines <- c(lines[seq_len(at + most)], sprintf("-- and %s more rows", count_text(more)),
        utils::tail(lines, -end))
    }
  }
  paste(lines, collapse = "\n")
}
