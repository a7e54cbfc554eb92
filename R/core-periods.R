# Which periods of `over` are looked at.

#' Which periods are looked at: those with days that pass the conditions on the date
#' alone, without incomplete ones at either end unless asked for, or unless there are no
#' others.
#' @return `numbers`; `left_out`: numbers of incomplete ones; NULL without `over`.
#' @noRd
periods_in_view <- function(plan, incomplete, call = NULL) {
  if (!length(plan$over)) {
    return(NULL)
  }
  node <- plan$over[[1L]]
  date <- node_date(node)
  coverage <- plan_coverage(plan, date, call, may_be_none = TRUE)
  if (is.null(coverage)) {
    return(list(numbers = numeric(), left_out = numeric()))
  }
  check_period_count(period_number(c(coverage$first, coverage$last), node$period), node$period,
    call)
  days <- seq(coverage$first, coverage$last)
  alone <- Filter(function(part) identical(unique(node_names(part)), date),
    plan_conditions(plan))
  for (part in alone) {
    days <- days[which(node_values(part, with_names(list(structure(days, class = "Date")), date)))]
  }
  numbers <- unique(period_number(days, node$period))
  whole <- complete_period(numbers, node$period, coverage)
  if (incomplete || !any(whole)) {
    list(numbers = numbers, left_out = numeric())
  } else {
    list(numbers = numbers[whole], left_out = numbers[!whole])
  }
}

# Rows of periods that are not complete are not compared.
without_incomplete <- function(plan, periods) {
  if (!length(periods$left_out)) {
    return(plan)
  }
  node <- plan$over[[1L]]
  date <- node$args[[1L]]
  span <- c(period_first(min(periods$numbers), node$period),
    period_last(max(periods$numbers), node$period))
  names <- paste(period_label(sort(periods$left_out), node$period), collapse = ", ")
  plan_where(plan, new_gate(days_node(span, date), "filtered out", names, fact = incomplete_fact))
}

incomplete_fact <- "rows of periods not complete"

# The most periods that a table may have. A wrong date can make more.
most_periods <- 20000

check_period_count <- function(ends, period, call = NULL) {
  count <- diff(ends) + 1
  if (count > most_periods) {
    stop_data("too_many",
      sprintf("The dates go from %s to %s, which are %s: too many to show.",
        period_label(ends[1L], period), period_label(ends[2L], period),
        counted(count, period$unit)),
      i = "Narrow them by `where`, such as `in_period(order_date, last(24, month))`.",
      call = call)
  }
}
