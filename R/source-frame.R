# Sources hold rows and know their columns; they neither rank nor share.
#
#   name     how messages call it
#   n        rows read
#   types    type of each column: "number", "text", "date", "flag", "other"
#   odd      for text columns that were meant as numbers: what stood in the way
#   columns  the columns a question needs, as plain vectors
#   reading  facts for the receipt about how the data was read
#   header_rows  rows of the file before the first of data

new_source <- function(name, n, types, columns, odd = list(), reading = list(), header_rows = 0L) {
  list(name = name, n = n, types = types, columns = columns, odd = odd, reading = reading,
    header_rows = header_rows)
}

#' A data frame, or the path of a file, as the source of a question.
#' @param needed Names used in the question; other columns are not touched.
#' @param keys Names used as keys only: in a file they stay the text as written.
#' @noRd
as_source <- function(data, name, needed, keys, reading = list(), call = NULL) {
  if (is.data.frame(data)) {
    return(source_frame(data, name, needed, call))
  }
  if (is.character(data) && length(data) == 1L && !is.na(data)) {
    return(source_file(data, needed, keys, reading, call))
  }
  stop_eggcrate("call", "unknown_value",
    sprintf("`data` must be a data frame or the path of a file, not %s.", describe(data)),
    call = call)
}

source_frame <- function(data, name, needed, call = NULL) {
  record <- attr(data, "reading")
  names <- names(data)
  wanted <- intersect(needed, names)
  twice <- intersect(wanted, names[duplicated(names)])
  if (length(twice)) stop_doubled_column(twice[1L], name, call)
  columns <- lapply(with_names(wanted, wanted), function(w) plain_column(.subset2(data, w)))
  new_source(
    name = record$name %||% name, n = nrow(data),
    types = with_names(vapply(names, function(w) column_type(.subset2(data, w)), ""), names),
    columns = columns, odd = record$odd %||% list(),
    # Of what was odd in the file, only what touches this question.
    reading = Filter(function(fact) fact$value %in% c(wanted, record$name), record$reading),
    header_rows = record$header_rows %||% 0L
  )
}

stop_doubled_column <- function(column, name, call = NULL) {
  stop_data("format", sprintf("The column name `%s` stands more than once in %s.", column, name),
    i = "Rename one of them, so that it is clear which is meant.", fields = list(column = column),
    call = call)
}

column_type <- function(x) {
  if (inherits(x, c("Date", "POSIXt"))) {
    "date"
  } else if (is.character(x) || is.factor(x)) {
    "text"
  } else if (is.logical(x)) {
    "flag"
  } else if (is.numeric(x) && !is.object(x)) {
    "number"
  } else {
    "other"
  }
}

# Vectors that the kernel can read where they lie.
plain_column <- function(x) {
  if (inherits(x, "POSIXt")) {
    return(structure(as.integer(as.Date(as.POSIXlt(x))), class = "Date"))
  }
  x
}
