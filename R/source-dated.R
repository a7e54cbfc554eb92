# Dates in another form: read once, from the column that has them.

# The columns that a request needs; dates in another form are read from the column that has them.
asked_columns <- function(s, nodes, call = NULL) {
  dated <- vapply(nodes, is_dated, NA)
  bases <- lapply(nodes[dated], function(node) {
    name <- bare_name(node$name)
    new_node("column", "text", text = name, name = name)
  })
  plain <- c(nodes[!dated], bases)
  plain <- plain[!duplicated(vapply(plain, column_slot, ""))]
  columns <- source_columns(s, plain, call)
  columns[vapply(nodes[dated], `[[`, "", "name")] <- Map(function(node, base) {
    once(s, paste0("column ", node$name), read_dated(s, columns[[base$name]], node, call))
  }, nodes[dated], bases)
  columns[vapply(nodes, column_slot, "")]
}

# What a source has worked out is kept with it.
once <- function(s, key, value) {
  if (is.null(s$known[[key]])) assign(key, value, s$known)
  s$known[[key]]
}

#' @param x The column as it stands: text, a factor, or whole numbers.
#' @param node The node of the date, whose name says in what form.
#' @return Days.
#' @noRd
read_dated <- function(s, x, node, call = NULL) {
  form <- form_of(node$name)
  if (inherits(x, "Date")) {
    return(x)
  }
  read <- if (form == "years") {
    list(known = x, days = year_starts(x))
  } else {
    written_days(if (is.factor(x)) as.character(x) else x, form)
  }
  wrong <- which(!is.na(read$known) & is.na(read$days))
  if (length(wrong)) stop_not_dated(s, bare_name(node$name), x[wrong[1L]], wrong[1L], form, call)
  structure(read$days, class = "Date")
}

year_starts <- function(x) {
  fits <- !is.na(x) & x >= 1 & x <= 9999 & x == floor(x)
  ifelse(fits, day_number(replace(x, !fits, 1), 1), NA_real_)
}

# Rows are many and days few.
written_days <- function(x, form) {
  different <- unique(x)
  different[blank_texts_(different) | trimws(different) %in% missing_words] <- NA_character_
  given <- trimws(different[!is.na(different)])
  days <- rep(NA_real_, length(different))
  days[!is.na(different)] <- if (form == "iso") {
    as.numeric(iso_dates(given)$values)
  } else {
    as.numeric(ordered_dates(given, form))
  }
  at <- match(x, unique(x))
  list(known = different[at], days = days[at])
}

stop_not_dated <- function(s, column, value, row, form, call = NULL) {
  hint <- switch(form,
    years = "Correct it, or leave it empty.",
    iso = sprintf(paste("Name the order of day, month and year: `date(%s, \"dmy\")`,",
      "\"mdy\" or \"ymd\"."), column),
    paste("Correct it, or name the order of day, month and year: \"dmy\", \"mdy\" or",
      "\"ymd\"."))
  where <- source_row(s, row)
  shown <- if (is.numeric(value)) number_text(value) else quoted(value)
  stop_data("value",
    sprintf("`%s` must be %s, and not all of it is.", column,
      if (form == "years") "a year from 1 to 9999" else
      if (form == "iso") "a date such as 2026-03-31" else
      sprintf("a date in the order %s", form)),
    x = if (is.na(where)) sprintf("There is %s.", shown) else
    sprintf("Row %s has %s.", where, shown),
    i = hint, fields = list(column = column, value = value,
      row = if (!is.na(where)) row + inherits(s, "eggcrate_source_file")), call = call)
}
