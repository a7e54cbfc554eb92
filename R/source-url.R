# A table of a database by an address: `sqlite:shop.db#orders`.

is_database_url <- function(x) is.character(x) && length(x) == 1L && !is.na(x) && grepl("^[a-z]{2,}:[^#]*#", x) && !file.exists(x)

url_engines <- c("sqlite")

#' Opens the database for reading, and ends with the source.
#' @noRd
source_url <- function(url, call = NULL) {
  kind <- sub(":.*$", "", url)
  if (!kind %in% url_engines) {
    stop_data("database", sprintf("'%s:' is no kind of database that can be opened by its address.", kind),
      i = sprintf("Known is %s; of others give a table, as from `dplyr::tbl()`.", enumerate(sprintf("'%s:'", url_engines))), call = call)
  }
  place <- sub("#.*$", "", sub("^[a-z]+:(//)?", "", url))
  table <- sub("^[^#]*#", "", url)
  if (!nzchar(place) || !nzchar(table)) {
    stop_data("database", "The address of a table needs a file and the table's name.", i = "Write `sqlite:shop.db#orders`.", call = call)
  }
  check_path(place, call)
  for (package in c("DBI", "dplyr", "dbplyr", "RSQLite")) need_package(package, "ask a table of a database", call)
  con <- DBI::dbConnect(RSQLite::SQLite(), path.expand(place), flags = RSQLite::SQLITE_RO, synchronous = NULL)
  opened <- FALSE
  on.exit(if (!opened) DBI::dbDisconnect(con))
  s <- source_database(database_table(con, table, basename(place), call), table, close = function() DBI::dbDisconnect(con), call = call)
  opened <- TRUE
  s
}

#' @param table Its name, or `schema.name`.
#' @param where How messages call the database.
#' @return A lazy table.
#' @noRd
database_table <- function(con, table, where, call = NULL) {
  tables <- tryCatch(DBI::dbListTables(con), error = function(e) {
    stop_data("database", sprintf("Nothing can be read in %s.", where), x = first_line(conditionMessage(e)), call = call)
  })
  parts <- if (table %in% tables) table else strsplit(table, ".", fixed = TRUE)[[1L]]
  name <- if (length(parts) == 2L) dbplyr::in_schema(parts[1L], parts[2L]) else table
  tryCatch(dplyr::tbl(con, name), error = function(e) {
    close <- close_names(table, tables)
    stop_data("database", sprintf("There is no table %s in %s.", quoted(table), where),
      i = if (length(close)) sprintf("Did you mean %s?", enumerate(quoted(close), "or")),
      i = if (length(tables)) sprintf("It has %s.", enumerate(utils::head(tables, 10L))), fields = list(table = table), call = call)
  })
}
