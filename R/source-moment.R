# Transactions: one question sees one state of a database. Also errors of an engine, and caches that
# a change invalidates.

stop_engine <- function(s, e, call = NULL) {
  whole <- whole_of(s)
  # After an error nothing else is answered in the same transaction; the next one may see other
  # cells.
  if (isTRUE(whole$begun)) {
    end_moment(whole)
    whole$begun <- begin_moment(whole)
    forget_changed(whole$asking, whole$begun)
  }
  stop_data("database", sprintf("%s could not answer a question of %s.", s$engine$name, s$name),
    x = engine_words(e), call = call)
}

#' Queries during `code` see one state, if the engine has transactions and the user has not begun
#' one.
#' @param code Function without arguments.
#' @noRd
in_one_moment <- function(source, code) {
  s <- database_of(source)
  if (is.null(s) || !is.null(s$asking)) {
    return(code())
  }
  # With the tables joined to it.
  s$asking <- source
  on.exit(s$asking <- NULL)
  s$begun <- begin_moment(s)
  on.exit(end_moment(s), add = TRUE)
  forget_changed(source, s$begun)
  code()
}

#' Facts about cells are valid for one state. They are kept as long as the engine reports no writes.
#' If it cannot report them, they are kept for one question, and while a page of the desk is open.
#' @param begun Is the transaction ours? In the user's own transaction, writes may not be visible.
#' @noRd
forget_changed <- function(source, begun) {
  s <- database_of(source)
  state <- if (begun) engine_state(s)
  same <- if (is.null(state)) !is.null(source$most_kept) else
    identical(state, s$state)
  if (same) {
    return(invisible())
  }
  s$state <- state
  forget_cells(source)
}

forget_cells <- function(s) {
  for (part in list(s$base, s$table)) {
    if (!is.null(part) && !is.null(database_of(part))) forget_cells(part)
  }
  rm(list = setdiff(ls(s$known), known_of_catalogue), envir = s$known)
}

# Facts about declarations, not cells; and expectations that do no harm if they are outdated.
known_of_catalogue <- c("clickhouse forms", "driver columns", "declared decimals", "had blanks")

# Something that is another after anything was written.
engine_state <- function(s) {
  if (!is.null(s$engine$state)) {
    tryCatch(lapply(s$engine$state, function(sql) as.character(DBI::dbGetQuery(s$con, sql)[[1L]])),
      error = function(e) NULL)
  }
}

begin_moment <- function(s) {
  begun <- !is.null(s$engine$moment) && tryCatch(DBI::dbBegin(s$con), error = function(e) FALSE)
  if (begun) {
    tryCatch(for (sql in s$engine$moment) DBI::dbExecute(s$con, sql), error = function(e) NULL)
  }
  begun
}

end_moment <- function(s) {
  if (s$begun) tryCatch(DBI::dbRollback(s$con), error = function(e) NULL)
  s$begun <- FALSE
}

# A server may quote invalid bytes.
first_line <- function(text) strsplit(paste0(iconv(text, "UTF-8", "UTF-8", sub = "?"), "\n"), "\n",
  fixed = TRUE)[[1L]][1L]
