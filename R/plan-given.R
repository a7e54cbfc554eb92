# Keys of tables that a caller gives, such as targets, items, the layout of tiles: in the form
# that the keys of a tally have.

#' @param table A data frame.
#' @param nodes The keys to read, by name.
#' @param what How an error calls the table.
#' @return List of the keys: periods as numbers, an empty cell as the missing key.
#' @noRd
given_keys <- function(table, nodes, what, call = NULL) {
  for (name in setdiff(names(nodes), names(table))) {
    stop_unknown_column(name, names(table), what, call)
  }
  Map(function(name, node) given_key(table[[name]], name, node, what, call),
    with_names(names(nodes), names(nodes)), nodes)
}

# The keys of a plan that a table must have, those of the items, and those that it may have.
given_nodes <- function(plan, table) {
  all <- all_keys(plan)
  all[names(all) %in% c(names(plan$by), names(table))]
}

given_key <- function(x, name, node, what, call = NULL) {
  x <- plain_key(x)
  if (node$op == "period") {
    return(given_periods(x, name, node$period, what, call))
  }
  if (node$type == "text") {
    return(as_key_text(as.character(x), name))
  }
  if (node$type == "date") {
    read <- function(text) as.numeric(parse_iso_date(text))
    day <- if (is.character(x)) given_texts(x, read, name, what, "date", NULL, call) else x
    return(structure(as.numeric(day), class = "Date"))
  }
  if (is.character(x)) given_texts(x, as.numeric, name, what, "number", NULL, call) else x
}

given_periods <- function(x, name, period, what, call = NULL) {
  if (inherits(x, "Date")) {
    return(period_number(x, period))
  }
  read <- function(text) vapply(text, parse_period, 0, period = period, USE.NAMES = FALSE)
  given_texts(as.character(x), read, name, what, period$unit,
    sprintf("Write it as \"%s\".", period_label(period_number(20543, period), period)), call)
}

# Each different text is read once.
given_texts <- function(x, read, name, what, noun, hint, call = NULL) {
  text <- unique(x)
  number <- rep(NA_real_, length(text))
  given <- !is.na(text) & !blank_texts_(text)
  number[given] <- suppressWarnings(read(trimws(text[given])))
  bad <- text[given & is.na(number)]
  if (length(bad)) {
    stop_data("value",
      sprintf("%s has %s in `%s`, which is not a %s.", capital(what), quoted(bad[1L]), name, noun),
      i = hint, fields = list(column = name, value = bad[1L]), call = call)
  }
  number[match(x, text)]
}

plain_key <- function(x) if (is.factor(x)) as.character(x) else x

as_key_text <- function(x, name) {
  blank <- blank_texts_(x)
  x <- enc2utf8(x)
  x[blank] <- NA_character_
  wrong <- !is.na(x) & !validUTF8(x)
  if (any(wrong)) {
    stop_data("value", sprintf("`%s` has text that is not valid UTF-8.", name),
      i = "Declare its encoding, for instance with `Encoding(x) <- \"latin1\"`.",
      fields = list(column = name))
  }
  x
}
