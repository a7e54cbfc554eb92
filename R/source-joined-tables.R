# The table of a lookup in the database of the order lines: its own, or a copy.

# The columns of a table's key.
key_texts <- function(s, columns, call = NULL) {
  cells <- known_cells(s, columns, call)
  lapply(with_names(columns, columns), function(name) key_text_there(name, cells, name, s$engine))
}

# A table of the same database, to be asked on the connection of the order lines.
table_beside <- function(base, table, call = NULL) {
  if (!inherits(table, "eggcrate_source_database")) return(NULL)
  place <- function(s) if (!is.null(s$url)) sub("#.*$", "", s$url)
  if (identical(table$con, base$con)) return(table)
  if (is.null(base$url) || !identical(place(table), place(base))) return(NULL)
  once(table, "beside",
    source_database(database_table(base$con, sub("^[^#]*#", "", table$url), table$name, call),
      table$name, call = call))
}

table_there <- function(table, by, nodes, keys, names, mark, call = NULL) {
  if (any(vapply(nodes, is_dated, NA))) cannot("dates of the lookup are read from its text")
  columns <- vapply(nodes, `[[`, "", "name")
  of_key <- known_cells(table, unname(by), call)
  on <- Map(key_text_there, unname(by), list(of_key), unname(by), list(table$engine), blank = TRUE)
  exprs <- c(with_names(on, keys), lapply(with_names(columns, names), as.name),
    with_names(list(1L), mark))
  # The days of the rows that match may be fewer, and rows without a match have no value.
  cells <- lapply(unname(known_cells(table, unique(columns), call)[columns]),
    function(one) replace(replace(one, "range", NULL), "given", FALSE))
  columns <- in_sql(exprs, table$con)
  list(tbl = beside(dplyr::transmute(without_blank(table, of_key), !!!columns), character(), table),
    cells = with_names(cells, names))
}

#' Some engines compare each row with each row of a second table, unless it is materialized first,
#' for instance by DISTINCT: then they find rows by key. The keys are unique, so no row is lost.
#' @param keys Columns that have to be cast to text and compared by bytes.
#' @noRd
beside <- function(tbl, keys, s) {
  if (!isTRUE(s$engine$keyed)) return(tbl)
  by_bytes <- in_sql(lapply(with_names(keys, keys),
    function(key) s$engine$bytes(s$engine$text(as.name(key)))), s$con)
  dplyr::distinct(if (length(keys)) dplyr::mutate(tbl, !!!by_bytes) else tbl)
}

# Rows whose keys can match: blank keys never do.
without_blank <- function(table, cells) {
  blank <- Filter(may_be_blank, cells)
  filled <- in_sql(lapply(names(blank),
    function(name) table$engine$filled(typed_cell(name, blank[[name]], table$engine))), table$con)
  Reduce(function(tbl, condition) dplyr::filter(tbl, !!condition), filled, table$tbl)
}

#' The columns that a question needs of a table that is not in the database.
#' @return `by`: keys, and `columns`: `values` and `cells` of each, of rows that have a key.
#' @noRd
copied_rows <- function(base, lookup, nodes, call = NULL) {
  limit <- getOption("eggcrate.copy", most_copied)
  if (lookup$table$n > limit) {
    cannot(sprintf("%s is not in the same database and has more than %s", lookup$table$name,
      counted(limit, "row")))
  }
  by <- table_keys(lookup, call)
  known <- !Reduce(`|`, lapply(by, is.na))
  if (!any(known)) cannot(sprintf("%s has no rows", lookup$table$name))
  columns <- asked_columns(lookup$table, nodes, call)
  columns <- lapply(Map(key_values_of, columns, names(columns)),
    function(x) copied_column(x[known], base$engine))
  list(by = lapply(by, `[`, known), columns = columns)
}

copied_table <- function(base, rows, keys, names, mark) {
  values <- c(with_names(rows$by, keys), with_names(lapply(rows$columns, `[[`, "values"), names),
    with_names(list(rep(1L, length(rows$by[[1L]]))), mark))
  tbl <- beside(written_rows(as.data.frame(values, stringsAsFactors = FALSE), base), keys, base)
  list(tbl = tbl, cells = with_names(lapply(rows$columns, `[[`, "cells"), names))
}

#' Columns of a lookup as a mapping from keys to values, for an engine without joins.
#' @param on The keys of the order lines.
#' @param lists Names for the list of keys, and for that of each column.
#' @return `cells` with the expression (`expr`) of each column; `lists`, the SQL of the lists that
#'   these use, by name; `marked`, an expression that is missing only without a match.
#' @noRd
mapped_side <- function(base, rows, on, names, lists) {
  # Several keys are one text, each with its length.
  from <- if (length(on) == 1L) rows$by[[1L]] else
    do.call(paste0, lapply(rows$by, function(x) paste0(nchar(x, "bytes"), ":", x)))
  from <- quoted_texts(from, base$con)
  columns <- lapply(rows$columns, function(column) c(column, mapped_values(column$values, base)))
  cells <- Map(function(column, name) {
    replace(column$cells, "expr",
      list(base$engine$mapped(unname(on), as.name(lists[1L]), as.name(name),
        dbplyr::sql(column$none))))
  }, columns, lists[-1L])
  full <- Position(function(column) !anyNA(column$values), columns)
  list(cells = with_names(cells, names),
    lists = with_names(c(list(from), lapply(columns, `[[`, "sql")), lists),
    marked = if (!is.na(full)) cells[[full]]$expr)
}

#' Puts the lists that a statement uses before it. Each list is written once, even if it is used
#' several times.
#' @noRd
with_lists <- function(s, query) {
  if (!length(s$lists)) {
    return(query)
  }
  sql <- rendered(query)
  lists <- s$lists[vapply(names(s$lists), grepl, NA, x = sql, fixed = TRUE)]
  if (!length(lists)) {
    return(query)
  }
  names <- quoted_names(names(lists), s$con)
  written <- sprintf("[\n%s\n] AS %s",
    vapply(lists, function(list) paste0("  ", list, collapse = ",\n"), ""), names)
  dbplyr::sql(paste0("WITH\n", paste(written, collapse = ",\n"), "\n", sql))
}

#' @return `sql` of the values, and of `none`, a value of their type that is not among them and
#'   represents missing ones.
#' @noRd
mapped_values <- function(x, base) {
  none <- if (is.character(x)) "" else
    structure(max(0, abs(as.numeric(x)), na.rm = TRUE) + 1, class = if (inherits(x, "Date")) "Date")
  if (inherits(x, "Date") && (any(x <= 0, na.rm = TRUE) || none > base$engine$last_day)) {
    cannot("the database does not support a date of the lookup")
  }
  write <- if (is.character(x)) function(x) quoted_texts(x, base$con) else
    if (inherits(x, "Date")) function(x) sql_days(x, base) else
    function(x) sprintf("%.17g", as.numeric(x))
  list(sql = write(replace(x, is.na(x), none)), none = write(none))
}

# Rows as VALUES of a statement. dbplyr can write them for two of the three engines only.
written_rows <- function(data, base) {
  sql <- function(x) {
    if (inherits(x, "Date")) x <- format(x)
    if (is.character(x) && !is.object(x)) quoted_texts(x, base$con) else
      dbplyr::escape(x, con = base$con, parens = FALSE, collapse = NULL)
  }
  names <- sql(dbplyr::ident(names(data)))
  cast <- base$engine$written[vapply(data, function(x) class(x)[1L], "")]
  columns <- ifelse(is.na(cast), names, sprintf("CAST(%s AS %s) AS %s", names, cast, names))
  rows <- do.call(paste, c(unname(lapply(data, sql)), list(sep = ", ")))
  form <- if (isTRUE(base$engine$names_rows)) {
    "SELECT %3$s\nFROM (VALUES\n%2$s\n) AS given (%1$s)"
  } else {
    "WITH given (%1$s) AS (VALUES\n%2$s\n)\nSELECT %3$s\nFROM given"
  }
  rows <- sprintf(form, paste(names, collapse = ", "), paste0("  (", rows, ")", collapse = ",\n"),
    paste(columns, collapse = ", "))
  dplyr::tbl(base$con, dbplyr::sql(rows), vars = names(data))
}

#' @return `values`, and their `cells` (see `known_cells()`).
#' @noRd
copied_column <- function(x, engine) {
  own <- is.null(engine$forms)
  cells <- function(type, form, places = NA_integer_, largest = 0, real = FALSE) {
    list(type = type, form = if (own) "cell" else form, word = type, places = places,
      largest = largest, real = real, text = 0, blank = 0, mixed = FALSE, names = FALSE)
  }
  if (is.character(x)) {
    return(list(values = x, cells = cells(if (all(is.na(x))) "blank" else "text", "text")))
  }
  if (inherits(x, "Date")) {
    return(list(values = if (own) format(x) else x, cells = cells("date", "date")))
  }
  if (is.logical(x)) {
    return(list(values = x, cells = cells("flag", "flag")))
  }
  if (!is.numeric(x) || is.object(x)) {
    cannot("a column of the lookup is neither number, text, date nor flag")
  }
  places <- max(0L, decimal_places_(as.numeric(x[!is.na(x)])))
  largest <- max(0, abs(x), na.rm = TRUE)
  if (is.na(places) || places > most_places || !is.finite(largest)) {
    cannot("a column of the lookup has numbers that are not decimal")
  }
  if (places == 0L && largest < 2^31) {
    return(list(values = as.integer(x),
      cells = cells("number", "whole", places = 0L, largest = largest)))
  }
  list(values = as.numeric(x),
    cells = cells("number", "real", places = certain_places(places, largest), largest = largest,
      real = TRUE))
}
