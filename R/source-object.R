# Sources hold rows and know their columns; they neither rank nor share. One is opened once,
# for a question and all that follows from it, and is asked through these generics only:
#
#   source_names(s)             names of all columns
#   source_schema(s, use)       columns and types, for the columns in use
#   source_range(s, column)     first and last day of a date
#   source_places(s, columns)   decimals of columns
#   source_answer(s, requests)  the tallies of requests, found together; of several requests, NULL
#                               for one that has to be answered alone
#   source_entries(s, request)  what each row adds, with its keys; in a database, of an item and an
#                               order together
#   source_row(s, row)          where a row is, in words; missing if rows have no place
#   source_close(s)
#
# A source is an environment, so that what it has read is kept with it.

#' @param kind The narrower classes.
#' @param name How messages call it.
#' @param n Rows.
#' @param ... What the kind needs besides.
#' @noRd
new_source <- function(kind, name, n, ...) {
  stopifnot(is.character(name), length(name) == 1L, is.numeric(n), length(n) == 1L)
  self <- list2env(list(name = name, n = n, ..., known = new.env(parent = emptyenv())),
    parent = emptyenv())
  structure(self, class = c(paste0("eggcrate_source_", kind), "eggcrate_source"))
}

#' A data frame, or the path of a file, as a source.
#' @param place From `data_place()`, or a name.
#' @noRd
open_source <- function(data, place = list(name = "the data"), reading = list(), call = NULL) {
  if (missing(data)) {
    stop_missing_arg("data", "Give a data frame, or the path of a file of order lines.", call)
  }
  # Before `data`, so that its expression is known.
  if (is.character(place)) place <- list(name = place)
  if (inherits(data, "eggcrate_source")) {
    return(data)
  }
  if (is.data.frame(data)) {
    if (!rlang::is_reference(variable_value(place), data)) place["env"] <- list(NULL)
    return(source_frame(data, place))
  }
  if (inherits(data, "tbl_lazy")) {
    return(source_database(data, place$name, call = call))
  }
  if (is_database_url(data)) {
    return(source_url(data, call))
  }
  if (is.character(data) && length(data) && !anyNA(data)) {
    paths <- expand_paths(data, call)
    return(if (length(paths) > 1L) source_several(paths, reading, call) else
      source_file(paths, reading, call))
  }
  stop_eggcrate("call", "unknown_value",
    sprintf("`data` must be a data frame, paths of files or a table of a database, not %s.",
      describe(data)),
    call = call)
}

source_names <- function(s) UseMethod("source_names")
source_schema <- function(s, use = NULL, call = NULL) UseMethod("source_schema")
source_range <- function(s, column, call = NULL) UseMethod("source_range")
source_places <- function(s, columns) UseMethod("source_places")
source_answer <- function(s, requests, call = NULL) UseMethod("source_answer")
source_entries <- function(s, request, call = NULL) UseMethod("source_entries")
source_row <- function(s, row) UseMethod("source_row")
source_close <- function(s) {
  s$closed <- TRUE
  UseMethod("source_close")
}

# Columns as they stand, as vectors by slot. Internal to sources of rows, which are asked by
# `asked_columns()`.
source_columns <- function(s, nodes, call = NULL) UseMethod("source_columns")

#' @param types Type of each column: "number", "text", "date", "flag", "blank", "other".
#' @param odd For text columns that were meant as numbers: what stood in the way.
#' @param as_text Columns that stay the text that was written.
#' @param levels For columns whose values have an order: all of them, in it.
#' @param reading Facts for the receipt about how the data was read.
#' @noRd
new_schema <- function(s, types, odd = list(), as_text = character(), reading = list(),
  levels = list()) {
  list(name = s$name, types = types, odd = odd, as_text = as_text, levels = levels,
    reading = reading,
    range = function(column, call = NULL) source_range(s, column, call),
    before = function(column, call = NULL) day_before_last(s, column, call),
    ahead = function(plan, dates, call = NULL) range_ahead(s, plan_requests(plan), dates, call))
}

# Columns by which the rows are grouped already.
source_groups <- function(s) {
  if (!is.null(s$tbl)) {
    s$groups
  } else if (inherits(s$data, "grouped_df")) {
    setdiff(names(attr(s$data, "groups", exact = TRUE)), ".rows")
  }
}

# What a source of rows does alike, whatever its kind ------------------------

#' @export
#' @noRd
source_row.eggcrate_source <- function(s, row) count_text(row)

#' @export
#' @noRd
source_answer.eggcrate_source <- function(s, requests, call = NULL) {
  tally_columns(asked_columns(s, columns_of_all(requests), call), s$n, requests, call)
}

#' @export
#' @noRd
source_entries.eggcrate_source <- function(s, request, call = NULL) {
  tally_rows(asked_columns(s, request_columns(request), call), s$n, request, call)
}

range_key <- function(column) paste0("range of ", column)

#' @export
#' @noRd
source_range.eggcrate_source <- function(s, column, call = NULL) {
  key <- range_key(column)
  if (is.null(s$known[[key]])) {
    values <- asked_columns(s, list(date_column(column)), call)[[column]]
    bare <- unclass(values)
    days <- if (is.numeric(bare)) {
      suppressWarnings(c(min(bare, na.rm = TRUE), max(bare, na.rm = TRUE)))
    } else {
      NA
    }
    assign(key, whole_range(days, column), s$known)
    earlier <- if (is.numeric(bare)) bare[which(bare < days[2L])]
    assign(before_key(column), if (length(earlier)) max(earlier) else NA_real_, s$known)
  }
  if (anyNA(s$known[[key]])) NULL else s$known[[key]]
}

before_key <- function(column) paste0("day before the last of ", column)

#' The latest day before the last one of a date column; NA if there is no such day. Sources that
#' read rows find it with the range.
#' @noRd
day_before_last <- function(s, column, call = NULL) {
  if (is.null(source_range(s, column, call))) return(NA_real_)
  key <- before_key(column)
  if (is.null(s$known[[key]])) assign(key,
    before_of_ends(year_ends(source_tally(s, range_request(column), call))), s$known)
  last_of_year(s$known[[key]], column)
}

# The first and the last day of each year, as measures of all rows.
range_request <- function(column) {
  date <- date_column(column)
  ends <- lapply(with_names(c("min", "max"), c("min", "max")),
    function(op) list(op = op, text = op, value = date, when = NULL))
  new_request(list(),
    list(year = new_node("period", "period", list(date), "year", period = new_period("year"))),
    ends)
}

#' @return A matrix of days: a row a year that has dates, in order; its first day and its last.
#' @noRd
year_ends <- function(tally) {
  dated <- which(!is.na(tally$keys$year))
  dated <- dated[order(tally$keys$year[dated])]
  ends <- lapply(tally$parts,
    function(part) doubles_of(part$total, part$places, part$lowest)[dated])
  matrix(unlist(ends), ncol = 2L)
}

# The latest day before the last one. If the last year has several days, its first day is returned:
# it is less than a year earlier, and nothing else is checked.
before_of_ends <- function(ends) {
  n <- nrow(ends)
  if (n && ends[n, 1L] < ends[n, 2L]) ends[n, 1L] else if (n > 1L) ends[n - 1L, 2L] else NA_real_
}

# Whole days; NA where there are none. Years that are numbers are whole ones.
whole_range <- function(days, column) {
  if (!all(is.finite(days))) {
    return(NA)
  }
  floor(c(days[1L], last_of_year(days[2L], column)))
}

# The day itself, or the last day of its year in a column of years.
last_of_year <- function(day, column) {
  year <- new_period("year")
  if (form_of(column) %in% "years") period_last(period_number(day, year), year) else day
}

#' @export
#' @noRd
source_places.eggcrate_source <- function(s, columns) {
  vapply(with_names(columns, columns), function(name) {
    values <- source_columns(s, list(new_node("column", "number", text = name, name = name)))[[1L]]
    places <- decimal_places_(as.numeric(values[!is.na(values)]))
    if (length(places)) max(places) else 0L
  }, 0L)
}

#' @export
#' @noRd
source_close.eggcrate_source <- function(s) rm(list = ls(s$known, all.names = TRUE),
  envir = s$known)

# Files ----------------------------------------------------------------------

# A file that has changed would answer another question.
check_origin <- function(origin, call = NULL, when = "since these standings were made",
  hint = "Make the standings again.") {
  for (part in origin$parts) check_origin(part, call, when, hint)
  if (!is.null(origin$path) && !identical(file_stamp(origin$path), origin$stamp)) {
    stop_data("gone", sprintf("'%s' has changed %s.", basename(origin$path), when), i = hint,
      fields = list(path = origin$path), call = call)
  }
}

# If the file changes during the scan, discard all results, including errors: they may mix two
# versions.
unchanged <- function(origin, expr, call = NULL) {
  check <- function() {
    check_origin(origin, call, "while it was read", "Ask again when nobody writes to it.")
  }
  value <- withCallingHandlers(expr, error = function(e) check())
  check()
  value
}

# What can be read once only has no origin to go back to.
new_origin <- function(path, reading) {
  again <- !identical(path, "-") && path_kind_(path.expand(path)) != "stream"
  list(path = if (again) path, reading = reading, stamp = if (again) file_stamp(path))
}

# The files that a source came from.
origin_paths <- function(origin) c(origin$path, unlist(lapply(origin$parts, `[[`, "path")))

file_stamp <- function(path) as.list(file.info(path, extra_cols = FALSE)[c("size", "mtime")])
