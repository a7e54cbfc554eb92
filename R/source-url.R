# A table of a database by an address: `sqlite:shop.db#orders`,
# `postgresql://user@host:5432/shop#schema.orders`.

is_database_url <- function(x) {
  is.character(x) && length(x) == 1L && !is.na(x) && !file.exists(x) &&
    (grepl("^[a-z]{2,}:[^#]*#", x) ||
      grepl(":", x, fixed = TRUE) && sub(":.*$", "", x) %in% names(engines()))
}

is_table_of_database <- function(x) inherits(x, c("tbl_lazy", "eggcrate_source_database")) ||
  is_database_url(x)

# With just what the address gives: what it does not give the engine has places for.
connect <- function(driver, at, names, ...) {
  # Drivers look for a zone of their own, which some machines complain of; days are all that is
  # read.
  if (!nzchar(Sys.getenv("TZ"))) {
    Sys.setenv(TZ = "UTC")
    on.exit(Sys.unsetenv("TZ"))
  }
  given <- Filter(Negate(is.null), at[c("host", "port", "user", "password", "database")])
  renamed <- names(given) %in% names(names)
  names(given)[renamed] <- names[names(given)[renamed]]
  do.call(DBI::dbConnect, c(list(driver), given, list(...)))
}

#' Opens the database for reading, and ends with the source.
#' @noRd
source_url <- function(url, call = NULL) {
  at <- read_url(url, call)
  engine <- engines()[[at$kind]]
  for (package in c("DBI", "dplyr", "dbplyr", engine$package)) {
    need_package(package, "ask a table of a database", call)
  }
  con <- tryCatch(engine$open(at), error = function(e) {
    stop_data("database", sprintf("%s cannot be opened.", capital(at$where)),
      x = without_word(engine_words(e), at$password), call = call)
  })
  opened <- FALSE
  on.exit(if (!opened) DBI::dbDisconnect(con))
  s <- source_database(database_table(con, at$table, at$where, call), at$table,
    close = function() DBI::dbDisconnect(con), call = call)
  s$url <- kept_url(url, normalizePath)
  opened <- TRUE
  pool_connection(s, whole_url(url))
}

#' The parts of an address.
#' @return `kind`, `table`, `where` (how messages call the database: nothing secret); `place` of a
#'   file, or `user`, `password`, `host`, `port`, `database`, NULL where they are not given.
#' @noRd
read_url <- function(url, call = NULL) {
  kind <- sub(":.*$", "", url)
  if (kind == "postgres") kind <- "postgresql"
  if (!kind %in% names(engines())) {
    stop_data("database",
      sprintf("'%s:' is not a database that can be opened by its address.", kind),
      i = sprintf("Known are %s; of others give a table, as from `dplyr::tbl()`.",
        enumerate(sprintf("'%s:'", names(engines())))), call = call)
  }
  table <- if (grepl("#", url, fixed = TRUE)) sub("^[^#]*#", "", url) else ""
  place <- sub("#.*$", "", sub("^[a-z]+:(//)?", "", url))
  if (kind == "sqlite") {
    if (!nzchar(place) || !nzchar(table)) stop_url("sqlite:shop.db#orders", call)
    check_path(place, call)
    return(list(kind = kind, table = table, place = place, where = basename(place)))
  }
  shape <- "^(([^:@/]*)(:([^/]*))?@)?([^:/@]*|\\[[^]]*\\])(:([0-9]+))?(/([^/?]*))?$"
  found <- regmatches(place, regexec(shape, place))[[1L]]
  if (!length(found) || !nzchar(table) ||
    !grepl("^[a-z]+://", url)) stop_url(sprintf("%s://user@host:port/shop#orders", kind), call)
  part <- function(i) if (nzchar(found[i])) enc2utf8(utils::URLdecode(found[i]))
  port <- part(8L)
  at <- list(kind = kind, table = table, user = part(3L), password = part(5L), host = part(6L),
    port = if (!is.null(port)) as.integer(port), database = part(10L))
  c(at, where = sprintf("the database%s at %s",
    if (is.null(at$database)) "" else paste0(" ", at$database), at$host %||% "this machine"))
}

stop_url <- function(example, call = NULL) {
  stop_data("database", "The table address is incomplete.", i = sprintf("Write `%s`.", example),
    call = call)
}

without_word <- function(text, word) if (is.null(word)) text else
  gsub(word, "...", text, fixed = TRUE)

#' An address as it may be kept and shown: without its password.
#' @param move Function of the path of a file that it names.
#' @noRd
kept_url <- function(url, move = identity) without_passwords(whole_url(url, move))

whole_url <- function(url, move = normalizePath) {
  if (!startsWith(url, "sqlite:")) return(url)
  place <- sub("^sqlite:(//)?", "", sub("#.*$", "", url))
  paste0("sqlite:", move(place), sub("^[^#]*", "", url))
}

#' @param table Its name, or `schema.name`.
#' @param where How messages call the database.
#' @return A lazy table, with its `path`: the name it was asked by.
#' @noRd
database_table <- function(con, table, where, call = NULL) {
  tables <- tryCatch(DBI::dbListTables(con), error = function(e) {
    stop_data("database", sprintf("Nothing can be read in %s.", where),
      x = first_line(conditionMessage(e)), call = call)
  })
  parts <- if (table %in% tables) table else strsplit(table, ".", fixed = TRUE)[[1L]]
  path <- if (length(parts) == 2L) parts else table
  name <- if (length(path) == 2L) dbplyr::in_schema(path[1L], path[2L]) else table
  columns <- engine_of(con)$columns
  found <- tryCatch({
    vars <- if (!is.null(columns)) columns(con, path)
    if (length(vars)) dplyr::tbl(con, name, vars = vars) else dplyr::tbl(con, name)
  }, error = function(e) stop_no_table(e, table, tables, where, call))
  structure(found, path = path)
}

# A table that is there may still not be read: then the engine's own words say why.
stop_no_table <- function(e, table, tables, where, call = NULL) {
  if (table %in% tables || grepl("denied", engine_words(e))) {
    stop_data("database", sprintf("The table %s in %s cannot be read.", quoted(table), where),
      x = engine_words(e), fields = list(table = table), call = call)
  }
  close <- close_names(table, tables)
  stop_data("database", sprintf("There is no table %s in %s.", quoted(table), where),
    i = if (length(close)) sprintf("Did you mean %s?", enumerate(quoted(close), "or")),
    i = if (length(tables)) sprintf("It has %s.", enumerate(utils::head(tables, 10L))),
    fields = list(table = table), call = call)
}

# What the engine said, without what was put around it on the way.
engine_words <- function(e) {
  while (!is.null(e$parent)) e <- e$parent
  first_line(conditionMessage(e))
}
