# What the desk offers: the columns with their types and some values, and a first question.

# Of how many rows values are looked at.
desk_sample <- 1e5L

#' @return List of `name`, `type` ("" where that is not known yet), `values` (a few, as text),
#'   `known` (how many there are in the sample) and `different`.
#' @noRd
desk_columns <- function(source) {
  names <- source_names(source)
  names <- names[!names %in% names[duplicated(names)]]
  if (!fits_memory(source, length(names))) {
    return(lapply(names, desk_column, type = "", x = NULL))
  }
  types <- source_schema(source)$types[names]
  nodes <- Map(function(name, type) new_node("column", type, text = name, name = name), names,
    types)
  values <- source_columns(source, unname(nodes[types != "other"]))
  unname(Map(desk_column, names, types, values[names]))
}

desk_column <- function(name, type, x) {
  x <- utils::head(x, desk_sample)
  different <- unique(x[!is.na(x)])
  first <- utils::head(different, 6L)
  list(name = name, type = type,
    values = if (inherits(first, "Date")) day_text(first) else as.character(first),
    known = sum(!is.na(x)), different = length(different))
}

# Names of the columns of some types.
columns_of_type <- function(columns, ...) {
  as.character(unlist(lapply(columns, function(column) if (column$type %in% c(...)) column$name)))
}

#' The question that the columns suggest.
#' @return A step.
#' @noRd
desk_first <- function(columns, rows) {
  field <- function(name, like) vapply(columns, `[[`, like, name)
  table <- data.frame(column = field("name", ""), type = field("type", ""),
    values = field("known", 1L),
    different = field("different", 1L))
  named <- suggested_columns(list(columns = table, rows = min(rows, desk_sample)))
  item <- named$item %||% c(table$column[table$type == "text"], table$column)[1L]
  new_step("standings",
    list(of = if (is.null(named$measure)) "count()" else
      sprintf("sum(%s)", tick_odd(named$measure)),
      by = if (!is.na(item)) tick_odd(item)))
}

# What a condition looks like, of these columns.
a_condition <- function(columns) {
  few <- Filter(function(column) column$type == "text" && column$different > 1L &&
    column$different <= 40L, columns)
  number <- Filter(function(column) column$type == "number", columns)
  if (length(few)) {
    sprintf("%s == %s", tick_odd(few[[1L]]$name), text_literal(few[[1L]]$values[1L]))
  } else if (length(number)) {
    sprintf("%s > 0", tick_odd(number[[1L]]$name))
  }
}

#' Choices for a field.
#' @param type Of the argument.
#' @noRd
desk_offers <- function(type, columns) {
  of_type <- function(...) tick_odd(columns_of_type(columns, ...))
  dates <- of_type("date")
  periods <- unlist(lapply(dates,
    function(date) sprintf("%s(%s)", c("month", "quarter", "year"), date)))
  offers <- switch(type,
    measure = c(sprintf("sum(%s)", of_type("number")), "count()",
      sprintf("mean(%s)", of_type("number"))),
    keys = c(of_type("text", "flag"), periods),
    condition = c(sprintf("%s > 0", of_type("number")),
      sprintf("in_period(%s, latest(quarter))", dates)),
    span = relative_spans,
    selection = c("top(10)", "bottom(5)", "reaching(\"80%\")"),
    order = c(of_type("number"), paste0("-", of_type("number"))),
    scheme = c("tiers_by_share(c(A = \"80%\", B = \"95%\"), rest = \"C\")",
      "tiers_by_rank(c(A = 10, B = 50), rest = \"C\")",
      "tiers_equal(4)"),
    split = split_rules, target = c("previous()", "year_ago()"), part = c("50%", "80%", "95%"),
    tolerance = c("5%", "10%"), character())
  utils::head(unique(offers[nzchar(offers)]), 40L)
}

relative_spans <- c("latest(month)", "latest(quarter)", "year_ago(latest(month))", "year_to_date")
