# Measures: aggregates, and arithmetic between them.

aggregates <- c("sum", "count", "mean", "min", "max", "median", "distinct")
measure_language <- c(aggregates, "per_day", "+", "-", "*", "/", "(")

# Additive measures add up over items; mergeable ones can be made for a group
# from the components of its items; holistic ones need the rows again.
measure_kinds <- c(additive = 1L, mergeable = 2L, holistic = 3L)

#' @return `name`, `text`, `tree`, `aggregates` by text, `kind`, `distinct` (a plain
#'   distinct count, whose rows may be added up), `per_day` (its date, if any).
#' @noRd
compile_measure <- function(expr, schema, arg = "of", call = NULL) {
  if (is_call_to(expr, "c") && length(expr) > 2L) stop_measures(expr, arg, call)
  with_mending(expr, arg, schema, function(expr) new_measure(expr, schema, arg, call))
}

# Of several, one ranks.
stop_measures <- function(expr, arg, call = NULL) {
  parts <- split_measures(expr)
  as_asked <- function(part) {
    if (is_call_to(part, "=")) sprintf("c(%s)", expr_text(part)) else expr_text(part)
  }
  texts <- vapply(parts, as_asked, "")
  rest <- if (length(texts) == 2L) texts[2L] else {
    sprintf("c(%s)", paste(vapply(parts[-1L], expr_text, ""), collapse = ", "))
  }
  stop_expression(sprintf("`%s` takes one measure, by which the items are ranked.", arg),
    expr_text(expr),
    if (length(parts) > 1L && arg == "of") {
      sprintf("Write `of = %s`, and `also = %s`.", texts[1L], rest)
    }, call)
}

# `c(orders = count(), sum(profit))` is several measures.
split_measures <- function(expr) {
  if (!is_call_to(expr, "c")) {
    return(list(expr))
  }
  parts <- as.list(expr)[-1L]
  names <- names(parts) %||% rep("", length(parts))
  unname(Map(function(part, name) if (nzchar(name)) call("=", as.name(name), part) else part, parts,
    names))
}

new_measure <- function(expr, schema, arg, call = NULL) {
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
    return(name_text(expr))
  }
  if (is_call_to(expr, "sum") && length(expr) == 2L && is.name(expr[[2L]])) {
    return(name_text(expr[[2L]]))
  }
  expr_text(expr)
}

measure_node <- function(expr, schema, call = NULL) {
  text <- expr_text(expr)
  expr <- percent_as_number(expr)
  if (is.numeric(expr) && length(expr) == 1L && is.finite(expr)) {
    return(list(op = "number", value = as.numeric(expr), kind = 0L, text = text))
  }
  if (is.name(expr)) {
    column_node(name_text(expr), schema, call)
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

# A row that lacks a column of one aggregate is excluded from all of the measure's.
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
    fields <- c("op", "type", "args", "text", "name", "as_text", "levels")
    return(list(node[intersect(fields, names(node))]))
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
    # Of a column without any value nothing is counted, as of a text.
    return(as_type(node, "text"))
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
  with_mending(expr, "having", schema, function(expr) having_node(expr, schema, call))
}

having_node <- function(expr, schema, call = NULL) {
  text <- expr_text(expr)
  name <- if (is.call(expr)) {
    called(expr, "having", c(comparisons, "&", "|", "!", "("), call)
  } else {
    ""
  }
  if (name == "(") {
    return(having_node(expr[[2L]], schema, call))
  }
  if (name %in% c("&", "|", "!")) {
    return(list(op = name,
      args = lapply(as.list(expr)[-1L], having_node, schema = schema, call = call), text = text))
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
