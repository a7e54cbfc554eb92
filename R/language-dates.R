# Dates in another form: `date(x)`, `date(x, "dmy")` of text, and
# `year(x)` of whole numbers. Each is a column of its own, whose name has the form behind it, so
# that what is known of a date is known of it as of any other.

date_orders <- c("dmy", "mdy", "ymd")
written_forms <- c(text = "text", iso = "date", years = "years",
  dmy = "date dmy", mdy = "date mdy", ymd = "date ymd")
written_shape <- sprintf("\n(%s)$", paste(written_forms, collapse = "|"))

#' The column of a source that a name is of, without its form; and the form, or NA.
#' @noRd
bare_name <- function(name) sub(written_shape, "", name)
form_of <- function(name) {
  found <- regmatches(name, regexec(written_shape, name))[[1L]]
  if (length(found)) names(written_forms)[match(found[2L], written_forms)] else NA_character_
}
is_dated <- function(node) node$type == "date" && !is.na(form_of(node$name))

#' @param node The node of the unconverted column.
#' @param form One of `written_forms`.
#' @noRd
dated_node <- function(node, form, text) {
  new_node("column", "date", text = text, name = paste0(node$name, "\n", written_forms[[form]]))
}

# `date(x)`: what is a date already is itself.
date_node <- function(args, text) {
  check_arity(args, 1:2, "date", text)
  column <- args[[1L]]
  order <- if (length(args) == 2L) args[[2L]]
  if (!is.null(order) && !(order$op == "text" && order$value %in% date_orders)) {
    stop_expression("The order of a date is \"dmy\", \"mdy\" or \"ymd\".", text,
      sprintf("Write `date(%s, \"dmy\")`.", column$text))
  }
  if (column$type %in% c("date", "blank")) {
    return(as_type(column, "date"))
  }
  if (column$op != "column" || column$type != "text") {
    stop_type(sprintf("`date` reads dates from text, and `%s` is %s.", column$text,
      type_words[[column$type]]), text)
  }
  dated_node(column, if (is.null(order)) "iso" else order$value, text)
}

# `year(x)` of a column of whole numbers takes them as years.
year_of_numbers <- function(column, text, starts) {
  if (column$op != "column") {
    stop_type(sprintf("`year` needs a date or a column of years, and `%s` is a number.",
      column$text),
      text)
  }
  if (starts != 1L) {
    stop_expression(sprintf("`%s` has years already, which begin when they begin.", column$text),
      text,
      sprintf("Write `year(%s)`.", column$text))
  }
  dated_node(column, "years", column$text)
}
