# The two periods that are compared, as days.

#' The days to compare.
#' @param period The period of `over`.
#' @param coverage List of `first` and `last`, the days that the data covers.
#' @param asked List `from`, `to`: periods as expressions or text, or NULL.
#' @return `from`, `to`: first and last day; `names`: how the periods read; `cut`: whether
#'   `to` is not complete, so that both are cut to the same days; `days`: of `to`, covered
#'   and in all; `late`: whether the data begin within `from`; `unequal`: whether intervals
#'   of different lengths were asked for.
#' @noRd
change_periods <- function(period, coverage, asked, call = NULL) {
  span <- function(number) c(period_first(number, period), period_last(number, period))
  given <- function(arg) {
    expr <- asked[[arg]]
    if (is.character(expr)) {
      asked_range(expr, period, arg, call)
    } else {
      resolve_period(expr, coverage, expr, call)
    }
  }
  to <- if (is.null(asked$to)) span(latest_period(period, coverage, call)) else given("to")
  from <- if (is.null(asked$from)) span_before(to, period) else given("from")
  names <- c(from = span_name(from, period), to = span_name(to, period))
  for (i in 2:1) check_span(list(from, to)[[i]], names[i], coverage, call)
  if (from[2L] >= to[1L]) {
    stop_eggcrate("call", "unknown_value",
      sprintf("`from` (%s) must end before `to` (%s) begins.", names[1L], names[2L]), call = call)
  }
  cut <- !only_weekend(coverage$last + 1, to[2L])
  days <- c(min(to[2L], coverage$last) - to[1L] + 1, to[2L] - to[1L] + 1)
  spans <- if (cut) same_days(from, to, coverage$last) else list(from = from, to = to)
  c(spans,
    list(names = names, cut = cut, days = days,
      late = !only_weekend(from[1L], coverage$first - 1),
      unequal = diff(from) != diff(to) && any(vapply(asked, is_interval, NA))))
}

# The same number of periods before. A span that is not a whole number of periods, such as the year
# to date, goes back one year.
span_before <- function(span, period) {
  number <- period_number(span, period)
  if (period_first(number[1L], period) != span[1L] || period_last(number[2L], period) != span[2L]) {
    return(year_before(span))
  }
  count <- number[2L] - number[1L] + 1
  c(period_first(number[1L] - count, period), span[1L] - 1)
}

# "2026-05", "2025-06 to 2026-05", or days.
span_name <- function(span, period) {
  for (unit in unique(c(period$unit, names(period_units)))) {
    as <- if (unit == period$unit) period else new_period(unit)
    number <- period_number(span, as)
    if (period_first(number[1L], as) == span[1L] && period_last(number[2L], as) == span[2L]) {
      return(paste(unique(period_label(number, as)), collapse = if (unit == "day") "/" else " to "))
    }
  }
}

check_span <- function(span, name, coverage, call = NULL) {
  if (span[2L] < coverage$first || span[1L] > coverage$last) {
    stop_data("period", sprintf("The data have no day in %s.", name),
      i = sprintf("They cover %s to %s.", day_text(coverage$first), day_text(coverage$last)),
      fields = list(period = name), call = call)
  }
}

#' The days of `to` up to the last covered day, and the same days of `from`: by the calendar if both
#' begin on the same day of a month, otherwise the same number of days.
#' @noRd
same_days <- function(from, to, last) {
  starts <- civil(c(from[1L], to[1L]))
  end <- if (starts$day[1L] == starts$day[2L]) {
    months <- diff(starts$year * 12 + starts$month)
    at <- civil(last)
    month <- at$year * 12 + at$month - 1 - months
    begins <- period_first(month + 0:1, new_period("month"))
    min(begins[1L] + at$day - 1, begins[2L] - 1)
  } else {
    from[1L] + last - to[1L]
  }
  list(from = c(from[1L], min(end, from[2L])), to = c(to[1L], last))
}
