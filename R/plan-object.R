# The plan: a question that has been compiled for the columns of a source. It is never
# edited: `plan_where()`, `plan_measures()`, `plan_keys()` and `plan_items()` give a new one.
# What follows from its parts (the text of the conditions, the days that rates are divided
# by, the dates that are covered) is worked out from them when it is wanted, so that it
# cannot fall behind.

#' @param measures Compiled measures; the first is the one to rank by.
#' @param by,within,over,show Named lists of nodes: keys, and columns to show.
#' @param gates Conditions that rows must pass, in order, from `new_gate()`.
#' @param having A condition on measures, or NULL.
#' @param rules List of `best`, `ties`, `share_of`, `share_base`, `all_items`, `as_of`, and `date`,
#'   which `as_of` goes by where no part of the question names one.
#' @param coverage By date column the first and the last day that the source covers, or NULL
#'   for a column without any date.
#' @param counts Further aggregates that belong to no measure.
#' @noRd
new_plan <- function(measures, by, within = list(), over = list(), show = list(), gates = list(),
  having = NULL, rules = default_rules(), coverage = list(), counts = list()) {
  stopifnot(is.list(measures), length(measures) > 0L, is.list(by), is.list(within), is.list(over),
    length(over) <= 1L, is.list(show), is.list(gates), is.list(rules), is.list(coverage),
    is.list(counts))
  structure(
    list(measures = measures, by = by, within = within, over = over, show = show, gates = gates,
      having = having, rules = rules, coverage = coverage, counts = counts),
    class = "eggcrate_plan")
}

#' A condition that rows must pass. A row is counted at the first one that it fails.
#' @param step What becomes of a row: it is `"filtered out"` or `"excluded"`.
#' @param text How it reads in the receipt.
#' @param fact What the rows are called that fail it; NULL for the usual words.
#' @param asked Did the user ask for it? Then the result names it.
#' @noRd
new_gate <- function(node, step, text, fact = NULL, asked = FALSE) {
  stopifnot(identical(node$type, "flag"), step %in% c("filtered out", "excluded"))
  list(node = node, step = step, text = text, fact = fact, asked = asked)
}

# Reading it ---------------------------------------------------------------

plan_measure <- function(plan) plan$measures[[1L]]

# Sums and counts have shares; a distinct count has them of the sum of its rows.
can_share <- function(measure) measure$kind == "additive" || measure$distinct
all_keys <- function(plan) c(plan$within, plan$over, plan$by)
plan_groups <- function(plan) c(plan$within, plan$over)
group_names <- function(plan) names(plan_groups(plan))
measure_names <- function(plan) vapply(plan$measures, `[[`, "", "name")

plan_aggregates <- function(plan) {
  found <- c(unlist(lapply(plan$measures, `[[`, "aggregates"), recursive = FALSE),
    having_aggregates(plan$having), plan$counts)
  found[!duplicated(names(found))]
}

# Did the user give `having`? A condition that a command adds has a `fact`, its name in the receipt.
having_asked <- function(plan) is.null(plan$having$fact)

# The conditions that were asked for, as one text; NULL where there are none.
plan_text <- function(plan) {
  texts <- vapply(Filter(function(gate) gate$asked, plan$gates), `[[`, "", "text")
  n <- length(texts)
  if (n) paste(c(sprintf("(%s)", texts[-n]), texts[n]), collapse = " & ")
}

# Conditions of which rows that fail are filtered out, one by one.
plan_conditions <- function(plan) {
  filters <- Filter(function(gate) gate$step == "filtered out", plan$gates)
  unlist(lapply(filters, function(gate) conjuncts(gate$node)), recursive = FALSE)
}

conjuncts <- function(node) {
  if (is.null(node)) {
    return(list())
  }
  if (node$op == "&") unlist(lapply(node$args, conjuncts), recursive = FALSE) else list(node)
}

# Making new ones ----------------------------------------------------------

with_plan <- function(plan, ...) {
  changed <- list(...)
  do.call(new_plan, replace(unclass(plan), names(changed), changed))
}

# With one more condition, after those that there are.
plan_where <- function(plan, gate) with_plan(plan, gates = c(plan$gates, list(gate)))

#' With other keys; what was shown beside the old ones, and listed of them, goes with them.
#' @noRd
plan_keys <- function(plan, by = plan$by, within = plan$within, over = plan$over) {
  with_plan(plan, by = by, within = within, over = over, show = list(),
    rules = replace(plan$rules, "all_items", list(NULL)))
}

#' With other measures, and other counts besides.
#' @noRd
plan_measures <- function(plan, measures, counts = list(), having = NULL) {
  with_plan(plan, measures = measures, counts = counts, having = having)
}

# With items that must appear even without rows: a named list of their keys, or NULL.
plan_items <- function(plan, items) {
  with_plan(plan, rules = replace(plan$rules, "all_items", list(items)))
}

# With periods, which rows without a date are in none of.
plan_over <- function(plan, over) {
  with_plan(plan_keys(plan, over = over), gates = c(plan$gates, undated_gates(over)))
}

# Dates --------------------------------------------------------------------

#' The first and the last day that the source covers by a date column; NULL without any
#' date, where there `may_be_none`, or else an error.
#' @noRd
plan_coverage <- function(plan, name, call = NULL, may_be_none = FALSE) {
  found <- plan$coverage[[name]]
  if (is.null(found) && !may_be_none) stop_no_dates(name, call)
  found
}

stop_no_dates <- function(name, call = NULL) {
  stop_data("value", sprintf("`%s` has no date at all.", bare_name(name)),
    fields = list(column = name),
    call = call)
}

# Date range shown in a chart's caption.
plan_covered <- function(plan) {
  # In a comparison of two periods, the gate that excludes rows without the date has the date
  # column.
  of_gates <- function(gates) unlist(lapply(gates, function(gate) where_dates(gate$node)))
  dates <- unique(c(plan_dates(plan),
    of_gates(Filter(function(gate) gate$step == "excluded", plan$gates)),
    of_gates(Filter(function(gate) gate$asked, plan$gates))))
  spans <- vapply(dates, function(name) {
    coverage <- plan_coverage(plan, name, may_be_none = TRUE)
    if (is.null(coverage)) {
      NA_character_
    } else {
      sprintf("%s %s to %s", bare_name(name), day_text(coverage$first), day_text(coverage$last))
    }
  }, "")
  as_of <- plan$rules$as_of
  c(unname(spans[!is.na(spans)]), if (!is.null(as_of)) paste("as of", day_text(as_of)))
}


# The date columns that a question counts periods of.
plan_dates <- function(plan) {
  rates <- rate_dates(plan)
  from_keys <- unlist(lapply(c(plan$over, plan$by, plan$within),
    function(node) if (node$op == "period") node_date(node)))
  asked <- Filter(function(gate) gate$asked, plan$gates)
  unique(c(from_keys, rates[nzchar(rates)],
    if (!is.null(plan$rules$as_of)) {
      c(plan$rules$date, plan$rules$over_date,
        unlist(lapply(asked, function(gate) where_dates(gate$node))))
    }))
}

node_date <- function(node) node_names(node)[1L]
node_names <- function(node) vapply(node_columns(node), `[[`, "", "name")

where_dates <- function(where) {
  columns <- node_columns(where)
  vapply(Filter(function(column) column$type == "date", columns), `[[`, "", "name")
}

# Rates --------------------------------------------------------------------

# The dates that rates name; "" for a rate that goes by the periods.
rate_dates <- function(plan) {
  rates <- vapply(plan$measures, function(m) m$per_day %||% NA_character_, "")
  rates[!is.na(rates)]
}

#' The days that rates are divided by: `coverage`, narrowed by conditions on the date that
#' must hold for every row; `period`, where they are counted in each. NULL without a rate.
#' @noRd
rate_span <- function(plan, call = NULL) {
  rates <- rate_dates(plan)
  if (!length(rates)) {
    return(NULL)
  }
  period <- if (length(plan$over)) plan$over[[1L]]
  named <- rates[nzchar(rates)]
  date <- if (length(named)) named[1L] else if (!is.null(period)) node_date(period)
  if (is.null(date)) {
    stop_expression("`per_day` must know which date to count days of.",
      hint = "Add `over`, or name the date: `per_day(sum(net_sales), order_date)`.", call = call)
  }
  # Rows without a date are in no period.
  coverage <- plan_coverage(plan, date, call, may_be_none = !is.null(period)) %||%
    list(first = NA_real_, last = NA_real_)
  list(coverage = Reduce(function(days, node) narrowed(days, node, date), plan_conditions(plan),
    coverage), period = if (!is.null(period) && node_date(period) == date) period$period)
}

# Conditions that must hold for every row narrow the days; others do not.
narrowed <- function(coverage, where, date) {
  for (node in conjuncts(where)) {
    if (!node$op %in% c("<", "<=", ">", ">=", "==")) next
    left <- node$args[[1L]]
    right <- node$args[[2L]]
    op <- node$op
    if (identical(right$name, date)) {
      op <- c("<" = ">", "<=" = ">=", ">" = "<", ">=" = "<=", "==" = "==")[[op]]
      right <- left
      left <- node$args[[2L]]
    }
    if (!identical(left$name, date) || right$op != "number") next
    day <- right$value
    if (op %in% c(">", ">=", "==")) coverage$first <- max(coverage$first, day + (op == ">"))
    if (op %in% c("<", "<=", "==")) coverage$last <- min(coverage$last, day - (op == "<"))
  }
  coverage
}

# Is it a rate of items that each have days of their own, such as Mondays?
has_own_days <- function(measure, by) {
  !is.null(measure$per_day) && !is.na(measure$per_day) && any(vapply(by, is_part, NA))
}

#' Days that rates are divided by, one for each item of a tally; of groups of items, whose keys
#' are left away, all days.
#' @noRd
rate_days <- function(plan, tally) {
  span <- rate_span(plan)
  keys <- c(plan$by, plan$within)
  part <- Filter(is_part, keys[names(keys) %in% names(tally$keys)])
  if (length(part) && !anyNA(unlist(span$coverage))) {
    return(part_days(plan, tally, span, part))
  }
  if (is.null(span$period)) {
    return(rep(span$coverage$last - span$coverage$first + 1, length(tally$rows)))
  }
  covered_days(tally$keys[[names(plan$over)]], span$period, span$coverage)
}

# Days of parts of the calendar, such as Mondays in January, in each period or in all.
part_days <- function(plan, tally, span, parts) {
  days <- seq(span$coverage$first, span$coverage$last)
  asked <- c(lapply(parts, `[[`, "period"),
    if (!is.null(span$period)) with_names(list(span$period), names(plan$over)))
  known <- lapply(unname(asked), function(period) period_number(days, period))
  count <- table(do.call(paste, known))
  as.numeric(count[match(do.call(paste, unname(tally$keys[names(asked)])), names(count))])
}

# The last day that is covered, by the date of the periods; NULL without periods.
period_today <- function(plan) {
  if (length(plan$over)) {
    plan_coverage(plan, node_date(plan$over[[1L]]), may_be_none = TRUE)$last
  }
}
