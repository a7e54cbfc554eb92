# Actual against target: where targets come from, how they are joined, and what each
# item makes of its own.

target_statuses <- c("exceeded", "met", "missed", "no target")
target_columns <- c("target", "gap", "attainment", "pace", "status")

# Where targets come from --------------------------------------------------

#' Targets of a table: its rows, by the keys of the plan.
#' @param table A data frame with the `by` columns, `within` and `over` where it has them,
#'   and one column of numbers.
#' @return `keys` (periods as numbers), `value` (quantity); `read`: how many rows there are, of
#'   which `blank` without a target, `filtered` by the conditions, `outside` the periods (these
#'   are `periods`) and `kept`; `finer`: of which unit they are where they were added up.
#' @noRd
table_targets <- function(table, plan, periods, call = NULL) {
  finer <- finer_period(table, plan, call)
  columns <- given_keys(table, given_nodes(plan, table), "the table of targets", call)
  if (!is.null(finer)) columns[names(plan$over)] <- list(covering_period(table, finer, plan, call))
  keys <- names(columns)
  value <- target_column(table, c(keys, finer), call)
  number <- as.numeric(table[[value]])
  check_targets_finite(number, value, call)
  known <- !is.na(number)
  met <- Reduce(`&`,
    lapply(where_on(plan, keys), function(part) node_values(part, columns) %in% TRUE), known)
  over <- names(plan$over)
  inside <- if (length(over) && over %in% keys) columns[[over]] %in% periods$numbers else TRUE
  at <- which(met & inside)
  other <- if (length(over)) {
    period_label(sort(unique(columns[[over]][met & !inside])), plan$over[[1L]]$period)
  }
  each <- lapply(c(columns, as.list(table)[finer]), `[`, at)
  check_once(each, number[at], plan, setdiff(names(table), c(names(each), value)), call)
  c(sum_targets(lapply(columns, `[`, at), number_quantities(number[at])),
    list(read = length(number), blank = sum(!known), filtered = sum(known & !met),
      outside = sum(met & !inside), kept = length(at), periods = other, finer = finer))
}

#' A column of the table that has periods of another unit than the question's, whose own it
#' lacks: the name of the unit, or NULL. They are added up where they nest.
#' @noRd
finer_period <- function(table, plan, call = NULL) {
  over <- names(plan$over)
  name <- intersect(names(period_units), setdiff(names(table), names(all_keys(plan))))[1L]
  if (!length(over) || over %in% names(table) || is.na(name)) {
    return(NULL)
  }
  period <- plan$over[[1L]]$period
  if (!nests_in(name, period)) {
    stop_data("value", sprintf("Targets by %s cannot be added up to a %s.", name, period$unit),
      i = sprintf("Give them by %s, or ask by %s.", period$unit, name), call = call)
  }
  name
}

nests_in <- function(unit, period) {
  period$unit %in% switch(unit, day = names(period_units), month = c("quarter", "year"),
    quarter = if (period$starts %% 3L == 1L) "year", character())
}

covering_period <- function(table, finer, plan, call = NULL) {
  own <- new_period(finer)
  number <- given_periods(table[[finer]], finer, own, "the table of targets", call)
  period_number(period_first(number, own), plan$over[[1L]]$period)
}

# Targets of one item and period, added up.
sum_targets <- function(keys, q) {
  code <- match_rows(keys)
  first <- which(first_seen(code))
  list(keys = lapply(keys, `[`, first), value = sum_rows(q, seq_along(code), code, length(first)))
}

# Conditions on columns that a table of targets has too.
where_on <- function(plan, keys) {
  plain <- names(Filter(function(node) node$op == "column" && node$type == "text",
    all_keys(plan)[keys]))
  Filter(function(part) length(node_names(part)) && all(node_names(part) %in% plain),
    plan_conditions(plan))
}

target_column <- function(table, keys, call = NULL) {
  rest <- setdiff(names(Filter(is.numeric, as.list(table))), keys)
  if ("target" %in% rest) rest <- "target"
  if (length(rest) != 1L) {
    stop_eggcrate("call", "unknown_value",
      sprintf("The table of targets must have one column of numbers besides %s, not %d.",
        enumerate(tick(keys)), length(rest)),
      i = "Name it `target`, or remove the others.", call = call)
  }
  rest
}

check_targets_finite <- function(number, name, call = NULL) {
  if (any(is.infinite(number) | is.nan(number))) {
    stop_data("not_finite",
      sprintf("`%s` of the table of targets has a value that is not finite.", name), call = call)
  }
}

# One target for each item and period.
# A second row for an item and period is no second part of a target.
check_once <- function(keys, number, plan, unused, call = NULL) {
  code <- match_rows(keys)
  twice <- which(!first_seen(code))[1L]
  if (is.na(twice)) {
    return()
  }
  item <- lapply(keys[names(keys) %in% names(all_keys(plan))], `[`, twice)
  label <- item_labels(Map(key_column, item, all_keys(plan)[names(item)]), names(item))
  lacking <- setdiff(names(plan$over), names(keys))
  stop_data("value",
    sprintf("%s has more than one target: %s.", label,
      enumerate(number_text(number[c(match(code[twice], code), twice)]))),
    x = if (length(unused)) {
      sprintf("%s of the table %s not used.", enumerate(tick(unused)),
        if (length(unused) == 1L) "was" else "were")
    }, i = if (length(lacking)) sprintf(paste("The table has no column `%s`. If another column",
      "has the periods, name it so."), lacking),
    i = "There must be one for each item and period.", fields = list(item = label), call = call)
}

stop_not_constant <- function(keys, values, plan, call = NULL) {
  shown <- Map(key_column, keys, all_keys(plan)[names(keys)])
  stop_data("value",
    sprintf("%s has more than one target: %s.", item_labels(shown, names(shown)),
      enumerate(number_text(values))),
    i = "There must be one for each item and period.",
    fields = list(item = item_labels(shown, names(shown))), call = call)
}

#' The least and the most value of a column of targets, as measures.
#' @noRd
target_ends_of <- function(name, schema, call = NULL) {
  column <- as.name(name)
  ends <- list(least = call("min", column), most = call("max", column))
  lapply(ends, compile_measure, schema = schema, arg = "target", call = call)
}

#' Targets of a column: its least and its most value, which must be one.
#' @param ends From `target_ends_of()`.
#' @noRd
column_targets <- function(tally, plan, ends, call = NULL) {
  ends <- lapply(ends, measure_of, parts = tally$parts, tally = tally, plan = plan)
  some <- !ends[[1L]]$missing
  wrong <- which(some & quantity_against(ends[[1L]], ends[[2L]]) != 0)
  if (length(wrong)) {
    at <- wrong[1L]
    stop_not_constant(lapply(tally$keys, function(key) key[at]),
      vapply(ends, function(q) quantity_real(quantity_at(q, at)), 0), plan, call)
  }
  list(keys = lapply(tally$keys, function(key) key[some]), value = quantity_at(ends[[1L]], some))
}

constant_targets <- function(tally, number) {
  list(keys = tally$keys,
    value = quantity_at(number_quantity(number, 1L), rep(1L, length(tally$rows))))
}

#' The plan for targets of a period before: the same measure, without the conditions on the
#' date, as of the period that it is a target for. Of a period that is not complete, the
#' same days.
#' @param back `"previous"` or `"year_ago"`.
#' @return `plan`; `before`: numbers of the periods that the targets are made of; `inside`:
#'   whether the plan that the targets are for counts all their rows too.
#' @noRd
earlier_plan <- function(plan, back, periods, call = NULL) {
  node <- plan$over[[1L]]
  coverage <- plan_coverage(plan, node_date(node), call, may_be_none = TRUE)
  before <- if (back == "previous") {
    periods$numbers - 1
  } else {
    vapply(periods$numbers, year_earlier, 0, period = node$period)
  }
  gates <- earlier_gates(plan, periods$numbers, before, node, coverage)
  earlier <- with_plan(plan_measures(plan, plan$measures[1L]), gates = gates)
  # Restrict the query to these periods.
  if (length(before)) {
    span <- c(period_first(min(before), node$period), period_last(max(before), node$period))
    earlier <- plan_where(earlier, new_gate(days_node(span, node$args[[1L]]), "filtered out",
      "the periods before"))
  }
  list(plan = earlier, before = before,
    inside = length(before) > 0L && all_counted(plan, gates, before, periods, coverage))
}

# Does a plan count all rows of the periods before? It does where no condition is other than
# theirs, and the days of those that it does not look at are not in the data.
all_counted <- function(plan, gates, before, periods, coverage) {
  asked <- Filter(function(gate) !identical(gate$fact, incomplete_fact), plan$gates)
  ends <- period_number(c(coverage$first, coverage$last), plan$over[[1L]]$period)
  in_data <- before >= ends[1L] & before <= ends[2L]
  identical(gates, asked) && all(before[in_data] %in% periods$numbers)
}

#' @param tally What the source answered to that plan.
#' @noRd
earlier_targets <- function(tally, earlier, periods) {
  over <- names(earlier$plan$over)
  at <- match(tally$keys[[over]], earlier$before)
  inside <- which(!is.na(at))
  tally <- tally_at(tally, inside)
  q <- measure_of(plan_measure(earlier$plan), tally$parts, tally, earlier$plan)
  tally$keys[[over]] <- periods$numbers[at[inside]]
  rows <- sum(tally$rows)
  if (any(q$missing)) {
    some <- which(!q$missing)
    tally$keys <- lapply(tally$keys, function(key) key[some])
    q <- quantity_at(q, some)
  }
  list(keys = tally$keys, value = q, rows = rows)
}

year_earlier <- function(number, period) {
  period_number(year_before(c(period_first(number, period), period_last(number, period)))[1L],
    period)
}

# Conditions on other columns still hold; of a period whose successor is cut short, only
# the same days count.
earlier_gates <- function(plan, numbers, before, node, coverage) {
  date <- node$args[[1L]]
  kept <- lapply(plan$gates, function(gate) {
    if (gate$step != "filtered out") return(gate)
    parts <- Filter(function(part) !identical(unique(node_names(part)), date$name),
      conjuncts(gate$node))
    if (length(parts)) replace(gate, "node", list(join_nodes("&", parts)))
  })
  last <- which(period_last(numbers, node$period) > coverage$last)
  cut <- lapply(last, function(i) {
    span <- function(number) c(period_first(number, node$period), period_last(number, node$period))
    same <- same_days(span(before[i]), span(numbers[i]), coverage$last)
    over <- days_node(c(same$from[2L] + 1, span(before[i])[2L]), date)
    new_gate(new_node("!", "flag", list(over)), "filtered out", "the same days")
  })
  c(Filter(Negate(is.null), kept), cut)
}

# Joining ------------------------------------------------------------------

#' What each row makes of its target.
#' @param found The targets, by the keys of the plan.
#' @param prorate Whether the target of a period that is not over counts for the days gone by.
#' @return Along the rows of the whole: `target`, `gap` (quantities), `attainment`, `pace`,
#'   `number` of the status.
#' @noRd
target_rows <- function(ans, found, exceed_at, days_alike, prorate = FALSE) {
  keys <- row_keys(ans$ranked, names(found$keys))
  n <- length(ans$ranked$cell)
  at <- match_among(keys, found$keys)
  target <- quantity_at(found$value, replace(at, is.na(at), 1L))
  if (!length(found$value$missing)) target <- number_quantity(0, n)
  target$missing <- is.na(at)
  # Days gone by are looked at only where they matter.
  days <- if (prorate || !days_alike) period_days(ans)
  if (prorate && any(days$gone < days$all)) {
    target <- divide_quantities(multiply_quantities(target, whole_quantity(days$gone)),
      whole_quantity(days$all))
  }
  above <- quantity_against(target, number_quantity(0, 1L)) > 0
  ratio <- divide_quantities(ans$ranked$quantity, target)
  attainment <- keep_where(!is.na(above) & above, quantity_real(ratio))
  list(target = target, gap = subtract_quantities(ans$ranked$quantity, target, -1),
    attainment = attainment,
    pace = if (days_alike || prorate) attainment else attainment / (days$gone / days$all),
    number = target_status(ans$ranked$quantity, target, above, exceed_at, ans$plan$rules$best))
}

# How many days each row's period has, and how many of them have gone by; missing without
# periods.
period_days <- function(ans) {
  if (!length(ans$plan$over)) {
    none <- rep(NA_real_, length(ans$ranked$cell))
    return(list(gone = none, all = none))
  }
  number <- row_key(ans$ranked, names(ans$plan$over))
  different <- unique(number)
  period <- ans$plan$over[[1L]]$period
  first <- period_first(different, period)
  last <- period_last(different, period)
  at <- match(number, different)
  list(gone = pmax(0, pmin(last, period_today(ans$plan) %||% NA_real_) - first + 1)[at],
    all = (last - first + 1)[at])
}

target_status <- function(q, target, above, exceed_at, best) {
  turn <- if (best == "lowest") -1 else 1
  gap <- turn * quantity_against(q, target)
  factor <- number_quantity(exceed_at, length(gap))
  far <- if (exceed_at == 1) {
    gap
  } else if (best == "lowest") {
    -quantity_against(multiply_quantities(q, factor), target)
  } else {
    quantity_against(q, multiply_quantities(target, factor))
  }
  number <- 2L - (far > 0)
  below <- which(!above)
  number[below] <- 2L - (gap[below] > 0)
  # A target without a value is missed.
  number[q$missing | gap %in% -1] <- 3L
  number[target$missing] <- 4L
  number
}

#' Totals of the rows with a target, per slot: `items`, those `with` a target, the measure, the
#' target, the gap, and the attainment. A measure that is not additive is recomputed from the rows.
#' Its target is shown only if all rows have the same target.
#' @noRd
target_sums <- function(ans, slot, n) {
  found <- ans$facets$targets
  with <- found$number < 4L & !is.na(slot) & !is.na(found$number)
  items <- tabulate(slot, n)
  q <- ans$ranked$quantity
  counted <- tabulate(slot[with], n)
  # Where nobody has a target the measure is that of all.
  counts <- !is.na(slot) & (with | counted[slot] == 0L)
  if (plan_measure(ans$plan)$kind != "additive") {
    return(c(list(items = items, with = counted),
      recomputed_targets(ans, replace(slot, !counts, NA), with, n)))
  }
  value <- sum_rows(q, counts & !q$missing, slot, n)
  target <- sum_rows(found$target, with, slot, n)
  target$missing <- counted == 0L & items > 0L
  above <- quantity_against(target, number_quantity(0, 1L)) > 0
  above[is.na(above)] <- FALSE
  list(items = items, with = counted, value = quantity_real(value), target = quantity_real(target),
    gap = quantity_real(subtract_quantities(value, target, -1)),
    attainment = keep_where(above, quantity_real(divide_quantities(value, target))))
}

recomputed_targets <- function(ans, slot, with, n) {
  if (!n) return(list(value = numeric(), target = numeric(), gap = numeric(),
    attainment = numeric()))
  # Excluded rows get an additional slot, which is dropped again.
  known <- match(seq_len(n), slot)
  cell <- c(ifelse(is.na(known), 1L, ans$ranked$cell[known]), 1L)
  value <- slot_counts(ans, replace(slot, is.na(slot), n + 1L),
    cell)$values[[plan_measure(ans$plan)$name]][seq_len(n)]
  value[is.na(known)] <- NA
  targets <- quantity_real(ans$facets$targets$target)
  same <- vapply(seq_len(n), function(i) {
    of <- unique(targets[with & slot %in% i])
    if (length(of) == 1L) of else NA_real_
  }, 0)
  list(value = value, target = same, gap = value - same,
    attainment = keep_where(!is.na(same) & same > 0, value / same))
}

sum_rows <- function(q, with, slot, n) {
  if (is_decimal(q) && is.null(q$den)) {
    return(exact_quantity(sum_exact(q$num[with], slot[with], n), q$places, logical(n)))
  }
  real_quantity(sum_groups(quantity_real(q)[with], slot[with], n), logical(n))
}

#' One row per group and status, empty ones too.
#' @noRd
status_counts <- function(ans) {
  groups <- length(ans$ranked$totals$items)
  cell <- rep(seq_len(groups), each = 4L)
  slot <- (ans$ranked$cell - 1L) * 4L + ans$facets$targets$number
  sums <- target_sums(ans, slot, 4L * groups)
  apart <- rep(target_statuses, groups) == "no target"
  sums[c("target", "gap")] <- lapply(sums[c("target", "gap")], replace, apart, NA)
  columns <- c(group_columns(ans, cell),
    list(status = factor(rep(target_statuses, groups), target_statuses), items = sums$items),
    with_names(sums["value"], plan_measure(ans$plan)$name), sums[c("target", "gap", "attainment")])
  with_marked_counts(columns, ans, slot, 4L * groups)
}

target_totals <- function(ans) target_sums(ans, ans$ranked$cell, length(ans$ranked$totals$items))

# The best and the worst by attainment of each group, where there are two.
target_ends <- function(ans) {
  turn <- if (ans$plan$rules$best == "lowest") -1 else 1
  ends <- lapply(split(seq_along(ans$ranked$cell), ans$ranked$cell), function(rows) {
    a <- turn * ans$facets$targets$attainment[rows]
    if (sum(!is.na(a)) < 2L || length(unique(a[!is.na(a)])) < 2L) {
      integer()
    } else {
      rows[c(which.max(a), which.min(a))]
    }
  })
  list(best = vapply(ends, function(e) e[1L], 0L), worst = vapply(ends, function(e) e[2L], 0L))
}
