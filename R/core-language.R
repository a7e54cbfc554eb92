# The small language: R's syntax, read against a closed list, never evaluated.
#
# An expression becomes a tree of nodes, each a list with
#   op     "column", "number", "text", "flag", or a name of `row_language`
#   type   "number", "text", "date", "period", "flag", or "blank" of a column without values
#   args   the nodes below
#   text   how it reads, for errors
# A source turns the tree into instructions of the kernel, or into SQL.

# Reading ------------------------------------------------------------------

# An expression from what a caller gave: code as it stands, or text.
read_expression <- function(x, arg, call = NULL) {
  if (!is.character(x)) {
    return(x)
  }
  if (length(x) != 1L || is.na(x) || !nzchar(trimws(x))) {
    stop_expression(sprintf("`%s` must be one expression, not %s.", arg, describe(x)), call = call)
  }
  found <- tryCatch(str2expression(x), error = function(e) {
    stop_expression(sprintf("`%s` cannot be read: %s.", arg, syntax_complaint(e)), x, call = call)
  })
  if (length(found) != 1L) {
    stop_expression(sprintf("`%s` must be one expression, not %d.", arg, length(found)), x,
      call = call)
  }
  expr <- found[[1L]]
  if (is.call(expr)) attr(expr, "typed") <- trimws(x)
  expr
}

syntax_complaint <- function(e) {
  line <- strsplit(conditionMessage(e), "\n", fixed = TRUE)[[1L]][1L]
  line <- sub("^<text>:[0-9]+:0: unexpected end of input$", "it ends too early", line)
  gsub("<text>:[0-9]+:([0-9]+): ", "at letter \\1, ", line)
}

# `margin = sum(profit) / sum(net_sales)` in text is a named expression.
split_name <- function(expr) {
  if (is.call(expr) && identical(expr[[1L]], as.name("=")) && is.name(expr[[2L]])) {
    return(list(name = as.character(expr[[2L]]), expr = expr[[3L]]))
  }
  if (is_call_to(expr, "c") && length(expr) == 2L && !is.null(names(expr)) &&
    nzchar(names(expr)[2L])) {
    return(list(name = names(expr)[2L], expr = expr[[2L]]))
  }
  list(name = NULL, expr = expr)
}

# As it was typed, if it came as text.
expr_text <- function(expr) {
  attr(expr, "typed") %||% paste(trimws(deparse(expr, width.cutoff = 500L)), collapse = " ")
}

is_call_to <- function(expr, name) {
  is.call(expr) && is.name(expr[[1L]]) && as.character(expr[[1L]]) %in% name
}

called <- function(expr, place, known, call = NULL) {
  if (!is.name(expr[[1L]])) {
    stop_expression(sprintf("Only functions of the language can be called in %s.", place),
      expr_text(expr), call = call)
  }
  name <- as.character(expr[[1L]])
  if (!name %in% known) {
    stop_unknown_function(name, expr_text(expr), setdiff(known, "("), place, call = call)
  }
  name
}

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
    in_period = function(args, text) args[[1L]]
  )
}

new_node <- function(op, type, args = list(), text = "", ...) {
  list(op = op, type = type, args = args, text = text, ...)
}

compile_row <- function(expr, schema, place, call = NULL) {
  text <- expr_text(expr)
  if (is.name(expr)) {
    return(column_node(as.character(expr), schema, call))
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
  if (name == "year" && identical(names(given), c("", "starts"))) {
    starts <- read_month(given[[2L]], text, call)
    return(period_node("year", list(compile_row(given[[1L]], schema, place, call)), text, starts))
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
    stop_type(sprintf("`%s` has a type that cannot be used here.", name), name,
      "Use columns of numbers, text, dates or TRUE and FALSE.", call = call)
  }
  new_node("column", type, text = name, name = name, odd = schema$odd[[name]])
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

# A column without any value is whatever is asked of it: missing.
as_type <- function(node, type) {
  if (node$type != "blank") {
    return(node)
  }
  nothing <- new_node("/", type, list(zero_node, zero_node), node$text)
  switch(type,
    text = , date = replace(node, "type", type),
    flag = new_node("==", "flag", list(replace(nothing, "type", "number"), zero_node), node$text),
    nothing
  )
}
zero_node <- list(op = "number", type = "number", args = list(), text = "0", value = 0)

check_type <- function(node, type, name, text) {
  if (type == "number" && !is.null(node$odd)) stop_not_number(node$name, node$odd)
  if (type == "date" && is_odd_date(node$odd)) stop_not_date(node$name, node$odd)
  if (!identical(node$type, type) || identical(node$op, "set")) {
    stop_type(sprintf("`%s` needs %s, and `%s` is %s.", name, type_words[[type]], node$text,
      type_words[[node$type]]), text)
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
    stop_type(sprintf("Text has no order: `%s` is for numbers and dates.", op), text,
      "Use `==`, `!=` or `%in%`.")
  }
  if (type %in% c("text", "flag")) {
    return(equality_node(op, args, text))
  }
  new_node(op, "flag", args, text)
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
  range <- resolve_period(expr[[3L]], schema$coverage(date$name, call), expr, call)
  bound <- function(day) {
    new_node("number", "date", text = format(structure(day, class = "Date")), value = day)
  }
  between_node(list(date, bound(range[1L]), bound(range[2L])), text)
}

# Beside a period, text is the name of one.
as_period_node <- function(node, period, text) {
  if (node$op != "text") {
    return(node)
  }
  number <- parse_period(node$value, period)
  if (is.na(number)) {
    stop_expression(sprintf("\"%s\" is not a %s.", node$value, period$unit), text,
      sprintf("Write it as \"%s\".", period_label(period_number(20543, period), period)))
  }
  new_node("number", "period", text = node$text, value = number)
}

row_arithmetic <- c("negate", "+", "-", "*", "/")

# A date may be written as text beside a date; anything else must be alike.
match_types <- function(args, text) {
  known <- setdiff(vapply(args, plausible_type, ""), "blank")
  args <- lapply(args, as_type, type = if (length(known)) known[1L] else "number")
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
  fits <- grepl("^[0-9]{4}-[0-9]{2}-[0-9]{2}$", x)
  day[fits] <- as.Date(x[fits], format = "%Y-%m-%d")
  day
}

# Conditions ---------------------------------------------------------------

compile_condition <- function(expr, schema, arg = "where", call = NULL) {
  node <- as_type(compile_row(expr, schema, "conditions", call), "flag")
  if (!identical(node$type, "flag")) {
    stop_type(sprintf("`%s` must be a condition, and this is %s.", arg, type_words[[node$type]]),
      node$text, "Compare it with something, such as `units > 10`.", call = call)
  }
  node
}

# Measures -----------------------------------------------------------------

aggregates <- c("sum", "count", "mean", "min", "max", "median", "distinct")
measure_language <- c(aggregates, "per_day", "+", "-", "*", "/", "(")

# Additive measures add up over items; mergeable ones can be made for a group
# from the components of its items; holistic ones need the rows again.
measure_kinds <- c(additive = 1L, mergeable = 2L, holistic = 3L)

#' @return `name`, `text`, `tree`, `aggregates` by text, `kind`, `distinct` (a plain
#'   distinct count, whose rows may be added up), `per_day` (its date, if any).
#' @noRd
compile_measure <- function(expr, schema, arg = "of", call = NULL) {
  given <- split_name(expr)
  expr <- given$expr
  # A bare column means its sum.
  whole <- if (is.name(expr)) call("sum", expr) else expr
  tree <- measure_node(whole, schema, call)
  found <- tree_aggregates(tree)
  # Components of a measure of several are its own: they leave out rows together.
  if (length(found) > 1L) {
    tree <- relabel(tree, sprintf(" of %s", expr_text(expr)))
    found <- tree_aggregates(tree)
  }
  if (!length(found)) {
    stop_expression(sprintf("`%s` must be a measure, such as `sum(net_sales)`.", arg),
      expr_text(expr), call = call)
  }
  list(
    name = given$name %||% default_measure_name(expr), text = expr_text(expr), tree = tree,
    aggregates = together(found), kind = names(measure_kinds)[tree$kind],
    distinct = tree$op == "aggregate" && tree$aggregate$op == "distinct",
    per_day = tree_per_day(tree)
  )
}

default_measure_name <- function(expr) {
  if (is.name(expr)) {
    return(as.character(expr))
  }
  if (is_call_to(expr, "sum") && length(expr) == 2L && is.name(expr[[2L]])) {
    return(as.character(expr[[2L]]))
  }
  expr_text(expr)
}

measure_node <- function(expr, schema, call = NULL) {
  text <- expr_text(expr)
  if (is.numeric(expr) && length(expr) == 1L && is.finite(expr)) {
    return(list(op = "number", value = as.numeric(expr), kind = 0L, text = text))
  }
  if (is.name(expr)) {
    column_node(as.character(expr), schema, call)
    stop_expression(sprintf("`%s` must be added up before it can be part of a measure.", text),
      text, sprintf("Write `sum(%s)`.", text), call)
  }
  if (!is.call(expr)) {
    stop_expression("A measure is made of aggregates such as `sum(net_sales)` and numbers.", text,
      call = call)
  }
  name <- called(expr, "measures", measure_language, call)
  if (name %in% aggregates) {
    return(aggregate_leaf(expr, schema, call))
  }
  if (name == "per_day") {
    return(per_day_node(expr, schema, text, call))
  }
  args <- lapply(as.list(expr)[-1L], measure_node, schema = schema, call = call)
  if (name == "(") {
    return(args[[1L]])
  }
  list(op = if (length(args) == 1L) "negate" else name, args = args, text = text,
    kind = joined_kind(name, args))
}

joined_kind <- function(name, args) {
  kinds <- vapply(args, `[[`, 0L, "kind")
  plain <- name %in% c("+", "-") && all(kinds == 1L) ||
    name == "*" && setequal(kinds, 0:1) || name == "/" && identical(kinds, c(1L, 0L)) ||
    length(args) == 1L
  if (plain) max(kinds) else max(kinds, if (all(kinds == 0L)) 0L else 2L)
}

aggregate_leaf <- function(expr, schema, call = NULL) {
  aggregate <- aggregate_node(expr, schema, call)
  kind <- switch(aggregate$op, sum = , count = "additive", mean = , min = , max = "mergeable",
    "holistic")
  list(op = "aggregate", aggregate = aggregate, text = aggregate$text, kind = measure_kinds[[kind]])
}

per_day_node <- function(expr, schema, text, call = NULL) {
  if (!length(expr) %in% 2:3) {
    stop_expression("`per_day` takes a measure and, without `over`, a date.", text,
      "Write `per_day(sum(net_sales), order_date)`.", call)
  }
  inner <- measure_node(expr[[2L]], schema, call)
  if (inner$kind != 1L) {
    stop_expression("Only sums and counts have a rate per day.", text, call = call)
  }
  date <- if (length(expr) == 3L) expr[[3L]]
  if (!is.null(date)) {
    check_type(as_type(compile_row(date, schema, "measures", call), "date"), "date", "per_day",
      text)
  }
  list(op = "per_day", args = list(inner), text = text, kind = 1L,
    date = if (!is.null(date)) expr_text(date) else "")
}

tree_aggregates <- function(tree) {
  if (tree$op == "aggregate") {
    return(with_names(list(tree$aggregate), tree$text))
  }
  found <- unlist(lapply(tree$args, tree_aggregates), recursive = FALSE)
  found[!duplicated(names(found))]
}

tree_per_day <- function(tree) {
  if (identical(tree$op, "per_day")) {
    return(tree$date)
  }
  unlist(lapply(tree$args, tree_per_day))[1L]
}

# A row that lacks a column of one aggregate is left out of all of the measure's.
# One aggregate sees to that itself; of several, each asks for the others'
# columns, and the rows that have them all are counted.
together <- function(found) {
  if (length(found) < 2L) {
    return(found)
  }
  columns <- unique(unlist(lapply(found, function(a) node_columns(a$value)), recursive = FALSE))
  if (!length(columns)) {
    return(found)
  }
  present <- Reduce(function(a, b) new_node("&", "flag", list(a, b)),
    lapply(columns, function(column) {
    new_node("!", "flag", list(new_node("is_missing", "flag", list(column))))
  }))
  found <- lapply(found, function(a) {
    a$when <- if (is.null(a$when)) present else new_node("&", "flag", list(a$when, present))
    a
  })
  label <- paste(c("rows with", names(found)), collapse = " ")
  c(found, with_names(list(list(op = "count", text = label, value = NULL, when = present)), label))
}

relabel <- function(tree, suffix) {
  if (tree$op == "aggregate") {
    tree$text <- tree$aggregate$text <- paste0(tree$text, suffix)
  } else {
    tree$args <- lapply(tree$args, relabel, suffix = suffix)
  }
  tree
}

node_columns <- function(node) {
  if (is.null(node)) {
    return(list())
  }
  if (node$op == "column") {
    return(list(node[c("op", "type", "args", "text", "name")]))
  }
  unlist(lapply(node$args, node_columns), recursive = FALSE)
}

aggregate_node <- function(expr, schema, call = NULL) {
  text <- expr_text(expr)
  given <- as.list(expr)[-1L]
  named <- names(given) %||% rep("", length(given))
  when <- given[named == "when"]
  plain <- given[named == ""]
  if (length(when) > 1L || length(when) + length(plain) < length(given)) {
    stop_expression("An aggregate takes no named argument but `when`.", text, call = call)
  }
  name <- as.character(expr[[1L]])
  if (length(plain) != (if (name == "count") 0L else 1L)) {
    stop_expression(sprintf("`%s` takes %s.", name,
      if (name == "count") "no argument but `when`" else "one argument, and `when` if needed"),
      text, call = call)
  }
  list(
    op = name, text = text,
    value = if (length(plain)) compile_summand(plain[[1L]], name, schema, text, call),
    when = if (length(when)) compile_condition(when[[1L]], schema, "when", call)
  )
}

compile_summand <- function(expr, name, schema, text, call = NULL) {
  node <- compile_row(expr, schema, "measures", call)
  if (name == "distinct") {
    if (node$op != "column") {
      stop_expression("`distinct` counts the different values of a column.", text, call = call)
    }
    return(node)
  }
  node <- as_type(node, "number")
  if (!is.null(node$odd)) stop_not_number(node$name, node$odd, call)
  if (!identical(node$type, "number")) {
    stop_type(sprintf("`%s` is for numbers, and `%s` is %s.", name, node$text,
      type_words[[node$type]]),
      text,
      if (node$type == "text") {
        "Use `count()` to count rows, or `distinct()` to count different values."
      }, call = call)
  }
  node
}

# Measures compared, after the tally: `sum(net_sales) >= 1000 & count() > 3`.
compile_having <- function(expr, schema, call = NULL) {
  text <- expr_text(expr)
  name <- if (is.call(expr)) {
    called(expr, "having", c(comparisons, "&", "|", "!", "("), call)
  } else {
    ""
  }
  if (name == "(") {
    return(compile_having(expr[[2L]], schema, call))
  }
  if (name %in% c("&", "|", "!")) {
    return(list(op = name,
      args = lapply(as.list(expr)[-1L], compile_having, schema = schema, call = call), text = text))
  }
  if (!name %in% comparisons) {
    stop_expression("`having` compares measures.", text, "Write `sum(net_sales) >= 1000`.", call)
  }
  sides <- lapply(as.list(expr)[-1L], measure_node, schema = schema, call = call)
  list(op = name, args = sides, text = text,
    aggregates = unlist(lapply(sides, tree_aggregates), recursive = FALSE))
}

comparisons <- c("==", "!=", "<", "<=", ">", ">=")

having_aggregates <- function(node) {
  if (is.null(node)) {
    return(list())
  }
  if (!is.null(node$aggregates)) {
    node$aggregates
  } else {
    unlist(lapply(node$args, having_aggregates), recursive = FALSE)
  }
}

# Keys ---------------------------------------------------------------------

# `customer`, `c(town, region)`, `c(position = rank)` or `month(order_date)`: nodes,
# named as the columns of the result.
compile_keys <- function(expr, schema, arg, taken = character(), call = NULL) {
  if (is.null(expr)) {
    return(list())
  }
  parts <- if (is_call_to(expr, "c")) as.list(expr)[-1L] else list(expr)
  nodes <- lapply(parts, function(part) {
    if (is.call(part)) called(part, sprintf("`%s`", arg), names(period_units), call)
    if (is.name(part) || is.call(part)) compile_row(part, schema, arg, call)
  })
  if (!length(parts) || any(vapply(nodes, is.null, NA))) {
    stop_expression(sprintf("`%s` must name one or more columns.", arg), expr_text(expr),
      "Write `customer`, `c(town, region)`, `month(order_date)`, or `c(place = town)` to rename one.", call = call)
  }
  shown <- names(parts) %||% rep("", length(parts))
  own <- vapply(nodes, function(node) if (node$op == "period") node$period$unit else node$text, "")
  shown[!nzchar(shown)] <- own[!nzchar(shown)]
  again <- shown %in% c(own_columns, taken) | duplicated(shown)
  if (any(again)) stop_name_taken(shown[again][1L], arg, call, nodes[[which(again)[1L]]]$text)
  with_names(nodes, shown)
}

own_columns <- c("rank", "share", "running", "cum_share", "percentile")

with_names <- function(x, names) {
  names(x) <- names
  x
}

# Parts of a whole ---------------------------------------------------------

# `0.8` or "80%" as a decimal: list(value, digits, places, text).
read_part <- function(x, arg, call = NULL) {
  bad <- function(hint) {
    stop_eggcrate("call", "unknown_value",
      sprintf("`%s` must be a part of the whole, such as 0.8 or \"80%%\", not %s.", arg,
        describe(x)),
      i = hint, fields = list(arg = arg, value = x), call = call)
  }
  if (length(x) != 1L || is.na(x) || !(is.numeric(x) || is.character(x))) bad(NULL)
  text <- trimws(as.character(x))
  percent <- is.character(x) && grepl("%$", text)
  number <- suppressWarnings(as.numeric(sub("[[:space:]]*%$", "", text)))
  if (is.na(number) || number < 0) bad(NULL)
  if (!percent && number > 1) bad(sprintf("Did you mean \"%s%%\"?", text))
  if (percent && number > 100) bad("100% is everything.")
  value <- if (percent) number / 100 else number
  if (value == 0) bad("It must be above 0.")
  decimals <- decimal_places_(number)
  if (is.na(decimals)) decimals <- 12L # such as 1/3: as near as it matters
  list(
    value = value, digits = round(number * 10^decimals), places = decimals + 2L * percent,
    text = paste0(format(value * 100, digits = 12L), " %")
  )
}
