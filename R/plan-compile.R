# From words to a plan, by the columns of a source.

#' @param read What `read_words()` returned.
#' @param schema The columns of the source: `name`, `types`, `odd`, `as_text`; `range`, a
#'   function of a date column; and perhaps `ahead`, a function of the plan and the dates whose
#'   ranges it needs, which may find all of it at once.
#' @noRd
compile_plan <- function(read, schema, call = NULL) {
  dates <- new.env(parent = emptyenv()) # asked for so far
  read$rules["date"] <- list(compile_date(read$rules$date, schema, call))
  schema$coverage <- coverage_of(schema, read$rules, dates)
  schema$rules <- read$rules
  exprs <- read$exprs
  within <- compile_keys(exprs$within, schema, "within", call = call)
  over <- compile_over(exprs$over, schema, names(within), call)
  by <- compile_keys(exprs$by, schema, "by", taken = names(c(within, over)), call = call)
  measures <- lapply(c(list(exprs$of), read$also), compile_measure, schema = schema, call = call)
  measures <- lapply(measures, across_parts, by = by)
  check_measure_names(measures, names(c(within, over, by)), call)
  where <- if (!is.null(exprs$where)) compile_condition(exprs$where, schema, "where", call)
  having <- if (!is.null(exprs$having)) compile_having(exprs$having, schema, call)
  show <- compile_keys(exprs$show, schema, "show",
    taken = c(names(c(within, over, by)), vapply(measures, `[[`, "", "name")), call = call)
  rules <- read$rules
  gates <- if (!is.null(where)) list(new_gate(where, "filtered out", where$text, asked = TRUE))
  items <- rules$all_items
  plan <- new_plan(measures, by, within, over, show, as.list(gates), having,
    replace(rules, "all_items", list(NULL)))
  plan <- plan_items(plan, check_items(items, given_nodes(plan, items), call))
  check_shares(plan, call)
  finish_plan(plan, schema, dates, call)
}

# Gates of dates, and the days that the source covers by all dates of the plan.
finish_plan <- function(plan, schema, dates, call = NULL) {
  late <- late_gates(plan, call)
  plan <- with_plan(plan, gates = c(late, plan$gates, undated_gates(plan$over)))
  names <- union(plan_dates(plan), unlist(lapply(plan$gates, function(g) where_dates(g$node))))
  if (length(names) && !is.null(schema$ahead)) schema$ahead(plan, names, call)
  for (name in names) schema$coverage(name, call, may_be_none = TRUE)
  plan <- with_plan(plan, coverage = as.list(dates))
  rate_span(plan, call)
  plan
}

# The name of the date of the rows, or NULL.
compile_date <- function(expr, schema, call = NULL) {
  if (is.null(expr)) {
    return(NULL)
  }
  node <- compile_row(expr, schema, "date", call)
  if (node$op != "column" || !node$type %in% c("date", "blank")) {
    stop_expression("`date` must be a column of dates.", expr_text(expr),
      "Write `order_date`, or `date(x)` of a column of text.", call)
  }
  node$name
}

#' The days that a source covers by a date column: its first; and `as_of`, or the last of the date
#' of the rows, or its own last.
#' @param rules Those of the plan.
#' @param known An environment that keeps what was asked for.
#' @noRd
coverage_of <- function(schema, rules, known) {
  function(name, call = NULL, may_be_none = FALSE) {
    if (is.null(known[[name]])) {
      range <- schema$range(name, call)
      if (is.null(range)) {
        if (may_be_none) return(NULL)
        stop_no_dates(name, call)
      }
      of_rows <- if (!is.null(rules$date) && is.null(rules$as_of)) schema$range(rules$date, call)
      assign(name, list(first = range[1L], last = rules$as_of %||% of_rows[2L] %||% range[2L]),
        known)
    }
    known[[name]]
  }
}

# Rates of items that are parts of the calendar have days of their own, and do not add up.
across_parts <- function(measure, by) {
  if (measure$kind == "additive" && has_own_days(measure, by)) measure$kind <- "mergeable"
  measure
}

compile_over <- function(expr, schema, taken, call = NULL) {
  if (is.null(expr)) {
    return(list())
  }
  with_mending(expr, "over", schema, function(expr) over_node(expr, schema, taken, call))
}

over_node <- function(expr, schema, taken, call = NULL) {
  over <- key_nodes(expr, schema, "over", taken, call)
  if (length(over) > 1L || length(over) == 1L && over[[1L]]$op != "period") {
    stop_expression("`over` takes one period of a date.", expr_text(expr),
      "Write `quarter(order_date)`.", call)
  }
  if (length(over) && is_calendar(over[[1L]]$period)) {
    stop_expression(sprintf("`%s` is a part of the calendar and no period, for it comes again.",
      over[[1L]]$period$unit), expr_text(expr), "Use it as `by` or `within`, or across a grid.",
      call)
  }
  over
}

check_measure_names <- function(measures, keys, call = NULL) {
  names <- vapply(measures, `[[`, "", "name")
  for (i in seq_along(names)) {
    if (names[i] %in% c(own_columns, keys, names[seq_len(i - 1L)])) {
      stop_eggcrate("call", "name",
        sprintf("The measure's name `%s` is also a column of the result.", names[i]),
        i = sprintf("Give it another: `c(total = %s)`.", measures[[i]]$text),
        fields = list(name = names[i]), call = call)
    }
  }
}

check_shares <- function(plan, call = NULL) {
  measure <- plan_measure(plan)
  if (plan$rules$share_of == "period" && !length(plan$over)) {
    stop_eggcrate("call", "unknown_value", "`share_of = \"period\"` needs periods: say `over`.",
      call = call)
  }
  asked <- plan$rules$share_of != "group" || plan$rules$share_base != "net"
  if (asked && !can_share(measure)) stop_not_additive(measure, "shares", call)
}

# Gates of dates -----------------------------------------------------------

date_column <- function(name) new_node("column", "date", text = name, name = name)

late_gates <- function(plan, call = NULL) {
  as_of <- plan$rules$as_of
  if (is.null(as_of)) {
    return(NULL)
  }
  dates <- plan_dates(plan)
  if (!length(dates)) {
    stop_eggcrate("call", "unknown_value", "`as_of` needs a date in the question.",
      i = "Name the date column: `date = order_date`.", call = call)
  }
  lapply(dates, function(name) {
    after <- new_node(">", "flag",
      list(date_column(name), new_node("number", "date", value = as_of)))
    missing <- new_node("is_missing", "flag", list(date_column(name)))
    new_gate(new_node("|", "flag", list(missing, new_node("!", "flag", list(after)))), "excluded",
      sprintf("%s after %s", bare_name(name), day_text(as_of)))
  })
}

undated_gates <- function(over) {
  lapply(unname(over), function(node) {
    name <- node_date(node)
    new_gate(new_node("!", "flag", list(new_node("is_missing", "flag", list(date_column(name))))),
      "excluded", sprintf("no %s", bare_name(name)))
  })
}

# Items --------------------------------------------------------------------

check_items <- function(items, nodes, call = NULL) {
  if (is.null(items)) {
    return(NULL)
  }
  if (!is.data.frame(items)) {
    stop_eggcrate("call", "unknown_value",
      sprintf("`all_items` must be a table of items, not %s.", describe(items)), call = call)
  }
  of_given_table(given_keys(items, nodes, "`all_items`", call))
}

# Of keys and conditions ---------------------------------------------------

# Is a row of one of the items? Always yes or no.
any_of_items <- function(plan, items) {
  nodes <- all_keys(plan)[names(items)]
  if (length(nodes) == 1L && nodes[[1L]]$type == "text" && !anyNA(items[[1L]])) {
    known <- new_node("!", "flag", list(new_node("is_missing", "flag", nodes)))
    return(new_node("&", "flag",
      list(known, new_node("text_test", "flag", unname(nodes), values = items[[1L]]))))
  }
  join_nodes("|",
    lapply(seq_along(items[[1L]]),
      function(i) join_nodes("&", unname(Map(key_equals, nodes, lapply(items, `[[`, i))))))
}

# As halves of halves: a chain of hundreds would be too deep.
join_nodes <- function(op, nodes) {
  if (length(nodes) == 1L) {
    return(nodes[[1L]])
  }
  half <- length(nodes) %/% 2L
  new_node(op, "flag",
    list(join_nodes(op, nodes[seq_len(half)]), join_nodes(op, nodes[-seq_len(half)])))
}

# Is a row of this key? Always yes or no.
key_equals <- function(node, value) {
  missing <- new_node("is_missing", "flag", list(node))
  # A period of a missing date is missing with it.
  if (is.na(value)) {
    return(missing)
  }
  same <- switch(node$type,
    text = new_node("text_test", "flag", list(node), values = value),
    flag = if (value) node else new_node("!", "flag", list(node)),
    new_node("==", "flag", list(node, new_node("number", "number", value = as.numeric(value))))
  )
  new_node("&", "flag", list(new_node("!", "flag", list(missing)), same))
}
