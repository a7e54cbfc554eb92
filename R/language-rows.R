# The small language: R's syntax, read against a closed list, never evaluated.
#
# An expression becomes a tree of nodes, each a list with
#   op     "column", "number", "text", "flag", or a name of `row_language`
#   type   "number", "text", "date", "period", "flag", or "blank" of a column without values
#   args   the nodes below
#   text   how it reads, for errors
# A source turns the tree into instructions of the kernel, or into SQL.

# Row-wise expressions -----------------------------------------------------

# The closed list: name -> function(args, text) that checks types and returns a
# node. `read` marks those that look at the expressions themselves.
row_language <- function() {
  list(
    "(" = function(args, text) args[[1L]],
    "+" = function(args, text) arithmetic_node("+", args, text),
    "-" = function(args, text) arithmetic_node("-", args, text),
    "*" = function(args, text) arithmetic_node("*", args, text),
    "/" = function(args, text) arithmetic_node("/", args, text),
    "==" = function(args, text) comparison_node("==", args, text),
    "!=" = function(args, text) comparison_node("!=", args, text),
    "<" = function(args, text) comparison_node("<", args, text),
    "<=" = function(args, text) comparison_node("<=", args, text),
    ">" = function(args, text) comparison_node(">", args, text),
    ">=" = function(args, text) comparison_node(">=", args, text),
    "&" = function(args, text) logic_node("&", args, text),
    "|" = function(args, text) logic_node("|", args, text),
    "!" = function(args, text) logic_node("!", args, text),
    "%in%" = function(args, text) membership_node(args, text),
    between = function(args, text) between_node(args, text),
    is_missing = function(args, text) missing_node(args, text),
    year = function(args, text) period_node("year", args, text),
    quarter = function(args, text) period_node("quarter", args, text),
    month = function(args, text) period_node("month", args, text),
    week = function(args, text) period_node("week", args, text),
    day = function(args, text) period_node("day", args, text),
    month_of_year = function(args, text) period_node("month_of_year", args, text),
    quarter_of_year = function(args, text) period_node("quarter_of_year", args, text),
    weekday = function(args, text) period_node("weekday", args, text),
    date = function(args, text) date_node(args, text),
    in_period = function(args, text) args[[1L]]
  )
}

new_node <- function(op, type, args = list(), text = "", ...) {
  list(op = op, type = type, args = args, text = text, ...)
}

compile_row <- function(expr, schema, place, call = NULL) {
  text <- expr_text(expr)
  if (is.name(expr)) {
    return(column_node(name_text(expr), schema, call))
  }
  if (is.atomic(expr)) {
    return(literal_node(expr, text, call))
  }
  if (is_call_to(expr, "c")) {
    values <- lapply(as.list(expr)[-1L], compile_row, schema = schema, place = place, call = call)
    return(set_node(values, text, call))
  }
  known <- row_language()
  name <- called(expr, place, names(known), call)
  if (name == "in_period") {
    return(in_period_node(expr, schema, text, call))
  }
  given <- as.list(expr)[-1L]
  if (name %in% c("year", "quarter") && identical(names(given), c("", "starts"))) {
    starts <- read_month(given[[2L]], text, call)
    return(period_node(name, list(compile_row(given[[1L]], schema, place, call)), text, starts))
  }
  if (any(nzchar(names(given)))) {
    stop_expression(sprintf("`%s` takes no named arguments.", name), text, call = call)
  }
  args <- lapply(given, compile_row, schema = schema, place = place, call = call)
  tryCatch(
    known[[name]](args, text),
    eggcrate_error = function(e) {
      if (is.null(e$call)) e["call"] <- list(call)
      stop(e)
    }
  )
}

column_node <- function(name, schema, call = NULL) {
  if (!name %in% names(schema$types)) {
    stop_unknown_column(name, names(schema$types), schema$name, call = call)
  }
  type <- schema$types[[name]]
  if (identical(type, "other")) {
    class <- schema$odd[[name]]$value %||% "unknown"
    stop_type(sprintf("`%s` is of class %s, which cannot be used here.", name, class), name,
      if (class == "difftime") {
        sprintf("Give it as a number, such as `as.numeric(%s, units = \"days\")`.", name)
      } else {
        "Use columns of numbers, text, dates or TRUE and FALSE."
      }, call = call)
  }
  new_node("column", type, text = name, name = name, odd = schema$odd[[name]],
    as_text = name %in% schema$as_text, levels = schema$levels[[name]])
}

literal_node <- function(value, text, call = NULL) {
  if (length(value) != 1L) {
    return(set_node(lapply(value, literal_node, text = text, call = call), text, call))
  }
  if (is.na(value)) {
    stop_expression("A missing value cannot be compared.", text, "Ask with `is_missing()`.",
      call = call)
  }
  if (inherits(value, "Date")) {
    return(new_node("number", "date", text = text, value = as.numeric(value)))
  }
  if (is.factor(value)) value <- as.character(value)
  if (is.logical(value)) {
    return(new_node("flag", "flag", text = text, value = value))
  }
  if (is.character(value)) {
    return(new_node("text", "text", text = text, value = value))
  }
  if (!is.numeric(value) || !is.finite(value)) {
    stop_expression(sprintf("%s is not a value of the language.", text), text, call = call)
  }
  new_node("number", "number", text = text, value = as.numeric(value))
}

set_node <- function(values, text, call = NULL) {
  literal <- vapply(values, function(v) v$op %in% c("number", "text", "flag"), NA)
  if (!length(values) || !all(literal)) {
    stop_expression("`c()` must hold one or more plain values.", text, call = call)
  }
  new_node("set", values[[1L]]$type, values, text)
}

check_arity <- function(args, n, name, text) {
  if (!length(args) %in% n) {
    stop_expression(sprintf("`%s` takes %s argument%s, not %d.", name, enumerate(n, "or"),
      if (identical(n, 1L)) "" else "s", length(args)), text)
  }
}

# A column without values takes the type that is needed. A percentage becomes a number if a number
# is needed.
as_type <- function(node, type) {
  if (type == "number" && node$op == "text") {
    number <- percent_as_number(node$value)
    return(if (is.numeric(number)) new_node("number", "number", text = node$value,
      value = number) else node)
  }
  if (node$type != "blank") {
    return(node)
  }
  nothing <- new_node("/", type, list(zero_node, zero_node), node$text) # see is_nothing()
  switch(type,
    text = , date = replace(node, "type", type),
    flag = new_node("==", "flag", list(replace(nothing, "type", "number"), zero_node), node$text),
    nothing
  )
}
zero_node <- list(op = "number", type = "number", args = list(), text = "0", value = 0)

# Is this the number of a column without values?
is_nothing <- function(node) identical(node$op, "/") &&
  identical(node$args, list(zero_node, zero_node))

check_type <- function(node, type, name, text) {
  if (type == "number" && !is.null(node$odd)) stop_not_number(node$name, node$odd)
  if (type == "date" && is_odd_date(node$odd)) stop_not_date(node$name, node$odd)
  if (!identical(node$type, type) || identical(node$op, "set")) {
    stop_type(sprintf("`%s` needs %s, and `%s` is %s.", name, type_words[[type]], node$text,
      type_words[[node$type]]), text,
      if (type == "date" && node$op == "column" && node$type == "text") {
        sprintf("If it holds dates as text: `date(%s)`, or `date(%s, \"dmy\")`.", node$text,
          node$text)
      })
  }
}

type_words <- c(number = "a number", text = "text", date = "a date", flag = "a condition",
  period = "a period", blank = "empty")

arithmetic_node <- function(op, args, text) {
  check_arity(args, if (op %in% c("+", "-")) 1:2 else 2L, op, text)
  args <- lapply(args, as_type, type = "number")
  for (a in args) check_type(a, "number", op, text)
  if (length(args) == 1L) {
    return(if (op == "+") args[[1L]] else new_node("negate", "number", args, text))
  }
  new_node(op, "number", args, text)
}

logic_node <- function(op, args, text) {
  check_arity(args, if (op == "!") 1L else 2L, op, text)
  args <- lapply(args, as_type, type = "flag")
  for (a in args) check_type(a, "flag", op, text)
  new_node(op, "flag", args, text)
}

comparison_node <- function(op, args, text) {
  check_arity(args, 2L, op, text)
  for (side in 1:2) {
    other <- args[[3L - side]]
    if (other$type == "number" && !is.null(args[[side]]$odd)) {
      stop_not_number(args[[side]]$name, args[[side]]$odd)
    }
    if (plausible_type(other) == "date" && is_odd_date(args[[side]]$odd)) {
      stop_not_date(args[[side]]$name, args[[side]]$odd)
    }
  }
  args <- match_types(args, text)
  type <- args[[1L]]$type
  if (type == "text" && !op %in% c("==", "!=")) {
    return(order_node(op, args, text))
  }
  if (type %in% c("text", "flag")) {
    return(equality_node(op, args, text))
  }
  new_node(op, "flag", args, text)
}

# Text has an order only where its column says which: those values that lie on the right side.
order_node <- function(op, args, text) {
  at <- which(vapply(args, function(a) !is.null(a$levels), NA))
  if (!length(at)) {
    stop_type(sprintf("Text has no order: `%s` is for numbers, dates and ordered factors.", op),
      text,
      "Use `==`, `!=` or `%in%`.")
  }
  value <- args[[3L - at[1L]]]
  if (length(at) > 1L || value$op != "text") {
    stop_expression("A column in an order is compared with one of its values in quotes.", text)
  }
  levels <- enc2utf8(args[[at]]$levels)
  place <- match(enc2utf8(value$value), levels)
  if (is.na(place)) {
    stop_expression(
      sprintf("%s is not a value of `%s`.", quoted(value$value), args[[at]]$text), text,
      sprintf("Its order is %s.", cut_echo(paste(vapply(levels, quoted, ""), collapse = " < "))))
  }
  sides <- list(seq_along(levels), place)
  new_node("text_test", "flag", args[at], text,
    values = levels[do.call(op, if (at == 1L) sides else rev(sides))])
}

# Text and truth values are compared with plain ones, or text with text.
equality_node <- function(op, args, text) {
  plain <- vapply(args, function(a) a$op %in% c("text", "flag") && is.null(a$name), NA)
  if (all(!plain) && all(vapply(args, `[[`, "", "op") == "column") && args[[1L]]$type == "text") {
    same <- new_node("same_text", "flag", args, text)
    return(if (op == "==") same else new_node("!", "flag", list(same), text))
  }
  if (sum(plain) != 1L) {
    stop_expression("A column of text is compared with a text in quotes or another column of text.",
      text)
  }
  column <- args[[which(!plain)]]
  value <- args[[which(plain)]]
  same <- if (value$op == "flag") {
    if (value$value) column else new_node("!", "flag", list(column), text)
  } else {
    new_node("text_test", "flag", list(column), text,
      values = check_text(value$value, column, text))
  }
  if (op == "==") same else new_node("!", "flag", list(same), text)
}

check_text <- function(values, column, text) {
  if (any(blank_texts_(values))) {
    stop_expression("Blank text is missing and equals nothing.", text,
      sprintf("Ask with `is_missing(%s)`.", column$text))
  }
  values
}

membership_node <- function(args, text) {
  check_arity(args, 2L, "%in%", text)
  set <- args[[2L]]
  if (!set$op %in% c("set", "number", "text", "flag")) {
    stop_expression("`%in%` needs plain values at its right, such as `c(\"a\", \"b\")`.", text)
  }
  values <- if (set$op == "set") set$args else list(set)
  one_by_one <- lapply(values, function(v) comparison_node("==", list(args[[1L]], v), text))
  if (one_by_one[[1L]]$op == "text_test") {
    all_values <- unlist(lapply(one_by_one, function(n) n$values))
    return(new_node("text_test", "flag", args[1L], text, values = all_values))
  }
  Reduce(function(a, b) new_node("|", "flag", list(a, b), text), one_by_one)
}

between_node <- function(args, text) {
  check_arity(args, 3L, "between", text)
  new_node("&", "flag", list(
    comparison_node(">=", args[c(1L, 2L)], text),
    comparison_node("<=", args[c(1L, 3L)], text)
  ), text)
}

missing_node <- function(args, text) {
  check_arity(args, 1L, "is_missing", text)
  args <- lapply(args, as_type, type = "text")
  if (!args[[1L]]$op %in% c("column", row_arithmetic)) {
    stop_expression("`is_missing()` asks about a column.", text)
  }
  new_node("is_missing", "flag", args, text)
}

# Periods ------------------------------------------------------------------

period_node <- function(unit, args, text, starts = 1L) {
  check_arity(args, 1L, unit, text)
  args <- lapply(args, as_type, type = "date")
  if (unit == "year" && args[[1L]]$type == "number" && is.null(args[[1L]]$odd)) {
    args <- list(year_of_numbers(args[[1L]], text, starts))
  }
  check_type(args[[1L]], "date", unit, text)
  new_node("period", "period", args, text, period = new_period(unit, starts))
}

read_month <- function(x, text, call = NULL) {
  if (!is.numeric(x) || !x %in% 1:12) {
    stop_expression("`starts` must be a month from 1 to 12.", text,
      "Write `year(order_date, starts = 4)`.", call)
  }
  as.integer(x)
}

# `in_period(order_date, latest(month))` is between the first and the last day.
in_period_node <- function(expr, schema, text, call = NULL) {
  if (length(expr) != 3L) {
    stop_expression("`in_period` takes a date and a period.", text,
      "Write `in_period(order_date, latest(month))`.", call)
  }
  date <- as_type(compile_row(expr[[2L]], schema, "conditions", call), "date")
  check_type(date, "date", "in_period", text)
  if (!is.character(expr[[3L]])) check_latest(schema, schema$rules, date$name, call)
  range <- resolve_period(expr[[3L]], schema$coverage(date$name, call), expr, call)
  bound <- function(day) {
    new_node("number", "date", text = day_text(day), value = day)
  }
  c(between_node(list(date, bound(range[1L]), bound(range[2L])), text), list(range = range))
}

# Beside a period, text is the name of one.
as_period_node <- function(node, period, text) {
  # The number of a part of the calendar is a name of it; that of a year might be two things.
  named <- node$op == "text" || is_calendar(period) && node$op == "number" && node$type == "number"
  if (!named) {
    return(node)
  }
  number <- parse_period(written_text(node$value), period)
  if (is.na(number)) {
    stop_expression(sprintf("%s is not a %s.",
      if (node$op == "text") quoted(node$value) else node$text,
      spaced_words(period$unit)), text,
      sprintf("Write it as \"%s\".", period_label(period_number(20543, period), period)))
  }
  new_node("number", "period", text = node$text, value = number)
}

row_arithmetic <- c("negate", "+", "-", "*", "/")

# A date may be compared with a text of a date; otherwise both sides must have the same type.
match_types <- function(args, text) {
  known <- setdiff(vapply(args, plausible_type, ""), "blank")
  args <- lapply(args, as_type,
    type = if ("number" %in% known || !length(known)) "number" else known[1L])
  types <- vapply(args, function(a) a$type, "")
  if ("date" %in% types) args <- lapply(args, as_date_node, text = text)
  period <- Find(function(a) a$op == "period", args)$period
  if (!is.null(period)) args <- lapply(args, as_period_node, period = period, text = text)
  types <- vapply(args, function(a) a$type, "")
  if (types[1L] != types[2L] || any(vapply(args, function(a) a$op == "set", NA))) {
    stop_type(sprintf("`%s` is %s and `%s` is %s: they cannot be compared.",
      args[[1L]]$text, type_words[[types[1L]]], args[[2L]]$text, type_words[[types[2L]]]),
      text, type_hint(args, types))
  }
  args
}

# Beside an empty column, a text that reads as a date is meant as one.
plausible_type <- function(node) {
  if (node$op == "text" && !is.na(parse_iso_date(node$value))) "date" else node$type
}

type_hint <- function(args, types) {
  column <- which(vapply(args, function(a) a$op == "column", NA))
  if (length(column) == 1L && types[column] == "text" && types[-column] == "number") {
    return(sprintf("Put the value in quotes: \"%s\".", args[[-column]]$text))
  }
  if (setequal(types, c("number", "text"))) "Write numbers without quotes."
}

as_date_node <- function(node, text) {
  if (node$op != "text") {
    return(node)
  }
  day <- parse_iso_date(node$value)
  if (is.na(day)) {
    stop_expression(sprintf("\"%s\" is not a date.", node$value), text,
      "Write dates as \"2026-03-31\".")
  }
  new_node("number", "date", text = node$text, value = as.numeric(day))
}

parse_iso_date <- function(x) {
  day <- rep(as.Date(NA), length(x))
  # There is no year 0.
  fits <- grepl("^[0-9]{4}-[0-9]{2}-[0-9]{2}$", x) & !startsWith(as.character(x), "0000")
  day[fits] <- as.Date(x[fits], format = "%Y-%m-%d")
  day
}

# Conditions ---------------------------------------------------------------

compile_condition <- function(expr, schema, arg = "where", call = NULL) {
  with_mending(expr, arg, schema, function(expr) condition_node(expr, schema, arg, call))
}

condition_node <- function(expr, schema, arg, call = NULL) {
  node <- as_type(compile_row(expr, schema, "conditions", call), "flag")
  if (!identical(node$type, "flag")) {
    stop_type(sprintf("`%s` must be a condition, and this is %s.", arg, type_words[[node$type]]),
      node$text, "Compare it with something, such as `units > 10`.", call = call)
  }
  node
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
