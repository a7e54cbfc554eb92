# Data frames: columns are used where they lie.

#' @param place From `data_place()`, or a name.
#' @noRd
source_frame <- function(data, place) {
  record <- attr(data, "reading")
  if (!is.list(place)) place <- list(name = place)
  new_source("frame", record$name %||% place$name, nrow(data), data = data, record = record,
    place = place)
}

#' @export
#' @noRd
source_names.eggcrate_source_frame <- function(s) names(s$data)

#' @export
#' @noRd
source_schema.eggcrate_source_frame <- function(s, use = NULL, call = NULL) {
  names <- names(s$data)
  used <- use$all %||% names
  twice <- intersect(used, names[duplicated(names)])
  if (length(twice)) stop_doubled_column(twice[1L], s$name, call)
  types <- with_names(vapply(names, function(w) frame_type(s, w, w %in% used), ""), names)
  record <- s$record
  new_schema(s, types, c(own_verdicts(record, s$data), strangers(s, types)),
    # Of what was odd in the file, only what touches this question.
    reading = Filter(function(fact) fact$value %in% c(used, record$name), record$reading),
    levels = lapply(Filter(is.ordered, unclass(s$data)), levels))
}

# A table that was read from a file has the rows of that file.
#' @export
#' @noRd
source_row.eggcrate_source_frame <- function(s, row) count_text(row +
  (s$record$header_rows %||% 0L))

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

# Converts a column to a plain vector, once. A column without values becomes
# empty text, as in a file.
frame_column <- function(s, name) {
  x <- .subset2(s$data, name)
  if (is_blank_column(s, name)) {
    rep(NA_character_, length(x))
  } else if (inherits(x, c(plain_forms, "Date"))) {
    once(s, paste0("column ", name), checked_years(plain_column(x), name))
  } else {
    x
  }
}

# 0001-01-01 and 9999-12-31 as days since 1970.
earliest_day <- -719162
latest_day <- 2932896

checked_years <- function(x, name) {
  if (inherits(x, "Date") && length(x)) {
    wrong <- which(x < earliest_day | x >= latest_day + 1)[1L]
    if (!is.na(wrong)) {
      stop_data("value",
        sprintf("`%s` has a date outside the years 1 to 9999 in row %s.", name, count_text(wrong)),
        i = "Correct it, or make it missing.", fields = list(column = name, row = wrong))
    }
  }
  x
}

is_blank_column <- function(s, name) {
  x <- .subset2(s$data, name)
  if (!(is.logical(x) || is.character(x) || is.factor(x) || is.numeric(x) ||
    inherits(x, c(plain_forms, "Date"))) || length(dim(x)) ||
    (if (length(x)) !is.na(x[1L]) else !is.logical(x))) {
    return(FALSE)
  }
  once(s, paste0("blank ", name), all(is.na(x)) && !(is.double(x) && any(is.nan(x))))
}

# Whether a column is its labels or its codes is known by its values, which only those are
# asked for that are used.
frame_type <- function(s, name, used) {
  x <- .subset2(s$data, name)
  if (used && is_blank_column(s, name)) {
    "blank"
  } else if (inherits(x, plain_forms)) {
    column_type(if (used) frame_column(s, name) else plain_column(x[0L]))
  } else {
    column_type(x)
  }
}

# Columns that cannot be used, with what they are.
strangers <- function(s, types) {
  names <- names(types)[types == "other"]
  lapply(with_names(names, names),
    function(name) list(value = class(.subset2(s$data, name))[1L], why = "class"))
}

# A column without values that is asked for as a date is one of missing dates.
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
  stop_data("format", sprintf("The column name `%s` occurs more than once in %s.", column, name),
    i = "Rename one of them, so that it is clear which is meant.", fields = list(column = column),
    call = call)
}

# Vectors that the kernel can read where they lie.
plain_column <- function(x) {
  if (inherits(x, "POSIXt")) {
    structure(day_of_time(as.POSIXct(x)), class = "Date")
  } else if (inherits(x, "haven_labelled")) {
    labelled_values(x)
  } else if (inherits(x, "integer64")) {
    whole_of_64(x)
  } else {
    x
  }
}

plain_forms <- c("POSIXt", "haven_labelled", "integer64")

# Codes with labels are their labels, and a code without one is itself; where only codes for
# missing values have labels, numbers stay numbers.
labelled_values <- function(x) {
  labels <- attr(x, "labels", exact = TRUE)
  missing <- is.na(x) | x %in% attr(x, "na_values", exact = TRUE)
  value <- as.vector(unclass(x))
  at <- match(value, as.vector(unclass(labels)))
  value[missing] <- NA
  if (is.numeric(value) && !any(!is.na(at) & !missing)) {
    return(value)
  }
  text <- if (is.numeric(value)) number_text(value) else value
  ifelse(missing | is.na(at), text, names(labels)[at])
}

# Up to 2^53 they are numbers; beyond that a double would be another number, and they are names.
whole_of_64 <- function(x) {
  number <- whole_64_(unclass(x))
  if (is.null(number)) texts_64_(unclass(x)) else number
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
