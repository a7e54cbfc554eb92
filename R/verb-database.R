#' A table of a database
#'
#' Asks order lines where they are: filter, groups and sums run in the database, and only what is
#' counted comes back, one row per item. Sums are of whole numbers there, so that they are exact,
#' and the answer is that of the same rows in a data frame, to the last digit. Any lazy table does
#' as well, such as `dplyr::tbl(con, "orders")` with joins and filters of your own: give it in the
#' place of data.
#'
#' What is asked in the database: sums, counts, means, minima, maxima, medians and numbers of
#' different values of whole and decimal numbers (up to six places), by columns and periods, with
#' any condition. What is not is done here, with the columns in question fetched, if the table has
#' no more than a million rows (`options(eggcrate.fetch = )` says how many): numbers that are not
#' decimal, and division within rows. For [rank_intervals()] what each order adds to each item is
#' put together there and fetched, up to as many entries; the columns, where rows have no order.
#' [show_sql()] tells which it is.
#'
#' A [lookup()] is joined there too: a table of the same database as it is, one from elsewhere with
#' up to 5,000 rows (`options(eggcrate.copy = )`) written into the statement, as nothing is ever
#' written to the database. Keys are text, whole numbers or dates. Of a longer one, and in
#' ClickHouse, columns that are only grouped by are found after the rows are counted; else the
#' columns in question are fetched.
#'
#' That holds for SQLite, PostgreSQL, MariaDB and ClickHouse (also for a table that is spread over
#' several servers); of other engines all columns in question are fetched. SQLite knows no dates: a
#' column of nothing but `2026-03-31` is one of dates, as in a file. Text is compared by its bytes,
#' whatever the collation; NULL and blank text are missing, a value that is not a finite number is
#' an error, and the day of a time with its zone is that of UTC. A question is asked in one
#' transaction, unless you have begun one. `vignette("databases")` tells more.
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
#' @returns Text of class `eggcrate_sql`: the statements, named by what each is for. When it is
#'   printed, rows that are written into a statement are shortened. Where the question is
#'   not answered in the database, the one that fetches columns, named by the reason.
#' @section Errors: `eggcrate_error_unknown_value` for a result whose rows are in no database,
#'   `eggcrate_error_gone` where they are no longer at hand.
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
