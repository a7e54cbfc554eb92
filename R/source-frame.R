# Data frames: columns are used where they lie.

source_frame <- function(data, name) {
  record <- attr(data, "reading")
  new_source("frame", record$name %||% name, nrow(data), data = data, record = record)
}

#' @export
#' @noRd
source_schema.eggcrate_source_frame <- function(s, use = NULL, call = NULL) {
  names <- names(s$data)
  used <- use$all %||% names
  twice <- intersect(used, names[duplicated(names)])
  if (length(twice)) stop_doubled_column(twice[1L], s$name, call)
  types <- with_names(vapply(names, function(w) column_type(.subset2(s$data, w)), ""), names)
  record <- s$record
  new_schema(s, types, own_verdicts(record, s$data),
    # Of what was odd in the file, only what touches this question.
    reading = Filter(function(fact) fact$value %in% c(used, record$name), record$reading),
    header_rows = record$header_rows %||% 0L)
}

# What was said of a column when it was read holds for this column only, not for another
# that has its name now.
own_verdicts <- function(record, data) {
  odd <- record$odd %||% list()
  same <- match(names(odd), record$columns) == match(names(odd), names(data))
  odd[!is.na(same) & same]
}

#' @export
#' @noRd
source_columns.eggcrate_source_frame <- function(s, nodes, call = NULL) {
  slots <- vapply(nodes, column_slot, "")
  columns <- with_names(lapply(nodes, function(node) frame_column(s, node$name)), slots)
  blank_dates(columns, nodes)
}

# A time stamp is made a date once, whatever is asked of it.
frame_column <- function(s, name) {
  x <- .subset2(s$data, name)
  if (!inherits(x, "POSIXt")) {
    return(x)
  }
  key <- paste0("days of ", name)
  if (is.null(s$known[[key]])) assign(key, plain_column(x), s$known)
  s$known[[key]]
}

# A column without any value that is asked for as a date is one of missing dates.
blank_dates <- function(columns, nodes) {
  for (node in nodes) {
    slot <- column_slot(node)
    if (node$type == "date" && is.character(columns[[slot]])) {
      columns[[slot]] <- structure(rep(NA_real_, length(columns[[slot]])), class = "Date")
    }
  }
  columns
}

stop_doubled_column <- function(column, name, call = NULL) {
  stop_data("format", sprintf("The column name `%s` stands more than once in %s.", column, name),
    i = "Rename one of them, so that it is clear which is meant.", fields = list(column = column),
    call = call)
}

# Vectors that the kernel can read where they lie.
plain_column <- function(x) {
  if (inherits(x, "POSIXt")) {
    return(structure(day_of_time(as.POSIXct(x)), class = "Date"))
  }
  x
}

# The day of each time stamp in its own zone. Zones are whole quarters of an hour away from
# each other since 1970, and quarters are few where rows are many.
day_of_time <- function(x) {
  quarter <- floor(unclass(x) / 900)
  attributes(quarter) <- NULL
  if (length(quarter) < 10000L || any(quarter < 0, na.rm = TRUE)) {
    return(as.integer(as.Date(as.POSIXlt(x))))
  }
  different <- unique(quarter)
  start <- structure(different * 900, class = c("POSIXct", "POSIXt"), tzone = attr(x, "tzone"))
  as.integer(as.Date(as.POSIXlt(start)))[match(quarter, different)]
}
