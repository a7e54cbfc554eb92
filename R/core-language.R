# The small language: R's syntax, read against a closed list, never evaluated.
#
# An expression becomes a tree of nodes, each a list with
#   op     "column", "number", "text", "flag", or a name of `row_language`
#   type   "number", "text", "date", "flag", or "blank" of a column without values
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
    stop_expression(sprintf("`%s` must be one expression, not %d.", arg, length(found)), x, call = call)
  }
  found[[1L]]
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
  if (is_call_to(expr, "c") && length(expr) == 2L && !is.null(names(expr)) && nzchar(names(expr)[2L])) {
    return(list(name = names(expr)[2L], expr = expr[[2L]]))
  }
  list(name = NULL, expr = expr)
}

expr_text <- function(expr) paste(trimws(deparse(expr, width.cutoff = 500L)), collapse = " ")

is_call_to <- function(expr, name) is.call(expr) && is.name(expr[[1L]]) && as.character(expr[[1L]]) %in% name

called <- function(expr, place, known, call = NULL) {
  if (!is.name(expr[[1L]])) {
    stop_expression(sprintf("Only functions of the language can be called in %s.", place), expr_text(expr), call = call)
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
    is_missing = function(args, text) missing_node(args, text)
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
  given <- as.list(expr)[-1L]
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
    stop_expression("A missing value cannot be compared.", text, "Ask with `is_missing()`.", call = call)
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
    text = replace(node, "type", "text"),
    flag = new_node("==", "flag", list(replace(nothing, "type", "number"), zero_node), node$text),
    nothing
  )
}
zero_node <- list(op = "number", type = "number", args = list(), text = "0", value = 0)

check_type <- function(node, type, name, text) {
  if (type == "number" && !is.null(node$odd)) stop_not_number(node$name, node$odd)
  if (!identical(node$type, type) || identical(node$op, "set")) {
    stop_type(sprintf("`%s` needs %s, and `%s` is %s.", name, type_words[[type]], node$text,
      type_words[[node$type]]), text)
  }
}

type_words <- c(number = "a number", text = "text", date = "a date", flag = "a condition", blank = "empty")

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
    if (args[[3L - side]]$type == "number" && !is.null(args[[side]]$odd)) stop_not_number(args[[side]]$name, args[[side]]$odd)
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

# Text and truth values are compared with plain values only.
equality_node <- function(op, args, text) {
  plain <- vapply(args, function(a) a$op %in% c("text", "flag") && is.null(a$name), NA)
  if (sum(plain) != 1L) {
    stop_expression("A column of text is compared with a text in quotes.", text)
  }
  column <- args[[which(!plain)]]
  value <- args[[which(plain)]]
  same <- if (value$op == "flag") {
    if (value$value) column else new_node("!", "flag", list(column), text)
  } else {
    new_node("text_test", "flag", list(column), text, values = check_text(value$value, column, text))
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

row_arithmetic <- c("negate", "+", "-", "*", "/")

# A date may be written as text beside a date; anything else must be alike.
match_types <- function(args, text) {
  known <- setdiff(vapply(args, plausible_type, ""), "blank")
  args <- lapply(args, as_type, type = if (length(known)) known[1L] else "number")
  types <- vapply(args, function(a) a$type, "")
  if ("date" %in% types) args <- lapply(args, as_date_node, text = text)
  types <- vapply(args, function(a) a$type, "")
  if (types[1L] != types[2L] || any(vapply(args, function(a) a$op == "set", NA))) {
    stop_type(sprintf("`%s` is %s and `%s` is %s: they cannot be compared.",
      args[[1L]]$text, type_words[[types[1L]]], args[[2L]]$text, type_words[[types[2L]]]),
      text, type_hint(args, types))
  }
  args
}

# Beside an empty column, a text that reads as a date is meant as one.
plausible_type <- function(node) if (node$op == "text" && !is.na(parse_iso_date(node$value))) "date" else node$type

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
    stop_expression(sprintf("\"%s\" is not a date.", node$value), text, "Write dates as \"2026-03-31\".")
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

aggregates <- c("sum", "count")

# A measure: its name, its own text, and the aggregate to be tallied.
compile_measure <- function(expr, schema, arg = "of", call = NULL) {
  given <- split_name(expr)
  expr <- given$expr
  node <- if (is.name(expr)) {
    # A bare column means its sum.
    aggregate_node(call("sum", expr), schema, call)
  } else if (is.call(expr)) {
    called(expr, "measures", aggregates, call)
    aggregate_node(expr, schema, call)
  } else {
    stop_expression(sprintf("`%s` must be a measure, such as `sum(net_sales)`.", arg), expr_text(expr), call = call)
  }
  list(
    name = given$name %||% default_measure_name(expr),
    text = expr_text(expr), aggregate = node, kind = "additive"
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
      if (name == "count") "no argument but `when`" else "one argument, and `when` if needed"), text, call = call)
  }
  list(
    op = name, text = text,
    value = if (length(plain)) compile_summand(plain[[1L]], schema, text, call),
    when = if (length(when)) compile_condition(when[[1L]], schema, "when", call)
  )
}

compile_summand <- function(expr, schema, text, call = NULL) {
  node <- as_type(compile_row(expr, schema, "measures", call), "number")
  if (!is.null(node$odd)) stop_not_number(node$name, node$odd, call)
  if (!identical(node$type, "number")) {
    stop_type(sprintf("Only numbers can be added up, and `%s` is %s.", node$text, type_words[[node$type]]),
      text, if (node$type == "text") "Use `count()` to count rows.", call = call)
  }
  node
}

# Keys ---------------------------------------------------------------------

# `customer`, `c(town, region)` or `c(position = rank)` -> named columns.
compile_keys <- function(expr, schema, arg, taken = character(), call = NULL) {
  if (is.null(expr)) {
    return(character())
  }
  parts <- if (is_call_to(expr, "c")) as.list(expr)[-1L] else list(expr)
  plain <- vapply(parts, is.name, NA)
  if (!length(parts) || !all(plain)) {
    stop_expression(sprintf("`%s` must name one or more columns.", arg), expr_text(expr),
      "Write `customer`, `c(town, region)`, or `c(place = town)` to rename one.", call = call)
  }
  columns <- vapply(parts, as.character, "")
  for (name in columns) column_node(name, schema, call)
  shown <- names(parts) %||% rep("", length(parts))
  shown[!nzchar(shown)] <- columns[!nzchar(shown)]
  for (name in shown) if (name %in% c(own_columns, taken)) stop_name_taken(name, arg, call)
  if (anyDuplicated(shown)) stop_name_taken(shown[anyDuplicated(shown)], arg, call)
  with_names(columns, shown)
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
      sprintf("`%s` must be a part of the whole, such as 0.8 or \"80%%\", not %s.", arg, describe(x)),
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
