# Periods: years, quarters, months, ISO weeks and days, as whole numbers that count
# them. The kernel finds the number of a date; here are their names and bounds.

period_units <- c(year = 0L, quarter = 1L, month = 2L, week = 3L, day = 4L)

# Parts of the calendar, for seasons: they come again each year or week, and have no first day.
calendar_parts <- c(month_of_year = 5L, quarter_of_year = 6L, weekday = 7L)
part_sizes <- c(month_of_year = 12L, quarter_of_year = 4L, weekday = 7L)
weekday_names <- c("Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday")

is_calendar <- function(period) period$unit %in% names(calendar_parts)
is_part <- function(node) node$op == "period" && is_calendar(node$period)

new_period <- function(unit, starts = 1L) list(unit = unit, starts = starts)

# Days are counted from 1970-01-01, and years for this from March, so that a leap day is the
# last of its year. As in H. Hinnant, chrono-Compatible Low-Level Date Algorithms (2013).

civil <- function(days) {
  shifted <- days + 719468
  era <- shifted %/% 146097
  of_era <- shifted - era * 146097
  year <- (of_era - of_era %/% 1460 + of_era %/% 36524 - of_era %/% 146096) %/% 365
  of_year <- of_era - (365 * year + year %/% 4 - year %/% 100)
  month <- (5 * of_year + 2) %/% 153
  late <- month >= 10 # January and February belong to the year that began in March
  list(year = year + era * 400 + late, month = month + 3 - 12 * late,
    day = of_year - (153 * month + 2) %/% 5 + 1)
}

day_number <- function(year, month, day = 1) {
  year <- year - (month <= 2)
  era <- year %/% 400
  of_era <- year - era * 400
  of_year <- (153 * (month + ifelse(month > 2, -3, 9)) + 2) %/% 5 + day - 1
  era * 146097 + of_era * 365 + of_era %/% 4 - of_era %/% 100 + of_year - 719468
}

#' @param days Days since 1970-01-01.
#' @return The number of the period that each lies in.
#' @noRd
period_number <- function(days, period) {
  days <- floor(as.numeric(days))
  if (period$unit == "day") {
    return(days)
  }
  if (period$unit == "week") {
    return((days + 3) %/% 7)
  }
  if (period$unit == "weekday") {
    return((days + 3) %% 7 + 1)
  }
  at <- civil(days)
  switch(period$unit,
    year = at$year - (at$month < period$starts) * 1,
    quarter = (at$year * 12 + at$month - period$starts) %/% 3,
    month = at$year * 12 + at$month - 1,
    month_of_year = at$month,
    quarter_of_year = (at$month - 1) %/% 3 + 1
  )
}

# First day of each period; its last is the day before the next one's first.
period_first <- function(number, period) {
  switch(period$unit,
    day = number, week = number * 7 - 3,
    year = day_number(number, period$starts),
    quarter = month_first(number * 3 + period$starts - 1),
    month = month_first(number)
  )
}

# Of a month counted from January of the year 0.
month_first <- function(number) day_number(number %/% 12, number %% 12 + 1)

period_last <- function(number, period) period_first(number + 1, period) - 1

# A day as it is written (ISO 8601), its year with four digits.
day_text <- function(day) {
  at <- civil(floor(as.numeric(day)))
  text <- sprintf("%04.0f-%02.0f-%02.0f", at$year, at$month, at$day)
  text[is.na(day)] <- NA_character_
  text
}

# Rows are many and periods few: each is put into words once.
period_label <- function(number, period) {
  different <- unique(number)
  label_each(different, period)[match(number, different)]
}

label_each <- function(number, period) {
  out <- switch(period$unit,
    day = day_text(number),
    week = week_label(number),
    year = year_label(number, period$starts),
    quarter = sprintf("%s-Q%d", year_label(number %/% 4, period$starts),
      as.integer(number %% 4 + 1)),
    month = sprintf("%04d-%02d", as.integer(number %/% 12), as.integer(number %% 12 + 1)),
    month_of_year = sprintf("%02d %s", as.integer(number), month.abb[number]),
    quarter_of_year = sprintf("Q%d", as.integer(number)),
    weekday = sprintf("%d %s", as.integer(number), substr(weekday_names[number], 1L, 3L))
  )
  out[is.na(number)] <- NA_character_
  out
}

# "2026", or "2026/27" of a year that begins in another month.
year_label <- function(year, starts) {
  year <- as.integer(year)
  if (starts == 1L) sprintf("%04d", year) else sprintf("%04d/%02d", year, (year + 1L) %% 100L)
}

# A week belongs to the year of its Thursday (ISO 8601).
week_label <- function(number) {
  thursday <- number * 7
  year <- civil(thursday)$year
  sprintf("%04d-W%02d", as.integer(year), as.integer((thursday - day_number(year, 1L)) %/% 7 + 1))
}

#' The number of a period from its name, missing if it is none.
#' @noRd
parse_period <- function(text, period) {
  if (is_calendar(period)) {
    return(parse_part(text, period$unit))
  }
  pattern <- switch(period$unit,
    year = if (period$starts == 1L) "^([0-9]{4})$" else "^([0-9]{4})/[0-9]{2}$",
    quarter = if (period$starts == 1L) "^([0-9]{4})-Q([1-4])$" else
    "^([0-9]{4})/[0-9]{2}-Q([1-4])$", month = "^([0-9]{4})-([0-9]{2})$",
    week = "^([0-9]{4})-W([0-9]{2})$", day = "^([0-9]{4})-([0-9]{2})-([0-9]{2})$"
  )
  found <- regmatches(text, regexec(pattern, text))[[1L]]
  if (!length(found)) {
    return(NA_real_)
  }
  part <- as.numeric(found[-1L])
  number <- switch(period$unit,
    year = part[1L], quarter = part[1L] * 4 + part[2L] - 1, month = part[1L] * 12 + part[2L] - 1,
    week = period_number(day_number(part[1L], 1L, 4L), period) + part[2L] - 1,
    day = as.numeric(parse_iso_date(text))
  )
  if (!is.na(number) && identical(period_label(number, period), text)) number else NA_real_
}

# "Jan", "January", "01 Jan", "1"; "Q1", "1"; "Mon", "Monday", "1 Mon", "1".
parse_part <- function(text, unit) {
  n <- part_sizes[[unit]]
  names <- switch(unit, month_of_year = month.name, weekday = weekday_names)
  known <- tolower(c(seq_len(n), sprintf("%02d", seq_len(n)),
    period_label(seq_len(n), new_period(unit)),
    substr(names, 1L, 3L), names))
  at <- match(tolower(trimws(text)), known)
  if (is.na(at)) NA_real_ else as.numeric((at - 1L) %% n + 1L)
}

# Coverage -----------------------------------------------------------------

# Days left over that are all Saturdays or Sundays do not make a period incomplete.
only_weekend <- function(from, to) from > to || all((seq(from, to) + 3) %% 7 >= 5)

#' @param coverage List of `first` and `last`, the days that the data covers.
#' @noRd
complete_period <- function(number, period, coverage) {
  starts <- vapply(number,
    function(n) only_weekend(period_first(n, period),
      min(coverage$first, period_last(n, period) + 1) - 1), NA)
  ends <- vapply(number,
    function(n) only_weekend(max(coverage$last, period_first(n, period) - 1) + 1,
      period_last(n, period)), NA)
  starts & ends
}

#' @return The number of the latest complete period.
#' @section Errors: `eggcrate_error_period` if the data cover none completely.
#' @noRd
latest_period <- function(period, coverage, call = NULL) {
  now <- period_number(coverage$last, period)
  complete <- Filter(function(number) complete_period(number, period, coverage), c(now, now - 1))
  if (!length(complete)) {
    early <- coverage$last < coverage$first
    stop_data("period", sprintf("The data do not cover a complete %s.", period$unit),
      i = if (early) sprintf("They begin on %s, after `as_of` (%s).", day_text(coverage$first),
        day_text(coverage$last)),
      i = if (!early) sprintf(paste("They cover %s to %s. Use `current(%s)` for the latest one,",
        "even if incomplete."), day_text(coverage$first), day_text(coverage$last), period$unit),
      fields = list(period = period$unit), call = call)
  }
  complete[1L]
}

#' Refuses a latest day more than a year after the day before it: it is probably wrong, and
#' `latest(month)` would count from it.
#' @noRd
check_latest <- function(schema, rules, name, call = NULL) {
  if (!is.null(rules$as_of)) {
    return(invisible())
  }
  name <- rules$date %||% name
  days <- c(schema$before(name, call), schema$range(name, call)[2L])
  if (length(days) == 2L && !anyNA(days) && diff(days) > most_days_between) {
    written <- day_text(days)
    stop_data("period",
      sprintf("The latest date of `%s`, %s, is more than a year after the date before it, %s.",
        bare_name(name), written[2L], written[1L]),
      i = sprintf("Correct it, or set the day that counts as today: `as_of = \"%s\"`.",
        written[1L]),
      fields = list(column = name, date = structure(days[2L], class = "Date")), call = call)
  }
}

most_days_between <- 366

# Days of a period that the data covers.
covered_days <- function(number, period, coverage) {
  pmin(period_last(number, period), coverage$last) -
    pmax(period_first(number, period), coverage$first) + 1
}

# Relative periods ---------------------------------------------------------

relative_periods <- c("latest", "current", "previous", "year_ago", "year_to_date",
  "quarter_to_date", "month_to_date", "last")

#' Reads `latest(month)`, `year_ago(latest(month))`, `year_to_date`, `last(12, month)`,
#' or the name of a period as text.
#' @return First and last day.
#' @noRd
resolve_period <- function(expr, coverage, part, call = NULL) {
  if (is.character(expr)) {
    return(named_range(expr, part, call))
  }
  name <- if (is.call(expr)) called(expr, "periods", relative_periods, call) else as.character(expr)
  if (!name %in% relative_periods) {
    stop_unknown_function(name, expr_text(part), relative_periods, "periods", call,
      if (is.name(expr)) variable_hint(name))
  }
  args <- if (is.call(expr)) as.list(expr)[-1L] else list()
  if (endsWith(name, "_to_date")) {
    period <- new_period(sub("_to_date$", "", name), to_date_start(args, name, part, call))
    return(c(period_first(period_number(coverage$last, period), period), coverage$last))
  }
  if (name == "year_ago" && length(args) == 1L) {
    return(year_before(resolve_period(args[[1L]], coverage, part, call)))
  }
  count <- 1
  if (name == "last" && length(args) == 2L && is.numeric(args[[1L]]) && args[[1L]] >= 1) {
    count <- args[[1L]]
    args <- args[2L]
  }
  period <- if (length(args) == 1L) relative_unit(args[[1L]], part, call)
  if (is.null(period)) {
    stop_expression(sprintf("`%s` needs a period: %s.", name, enumerate(names(period_units), "or")),
      expr_text(part), "Write `latest(month)` or `last(12, month)`.", call)
  }
  end <- switch(name, current = period_number(coverage$last, period),
    previous = latest_period(period, coverage, call) - 1, latest_period(period, coverage, call))
  c(period_first(end - count + 1, period), period_last(end, period))
}

# `month`, or `quarter(starts = 4)` of a business year.
relative_unit <- function(expr, part, call = NULL) {
  if (is.name(expr) && as.character(expr) %in% names(period_units)) {
    return(new_period(as.character(expr)))
  }
  if (is_call_to(expr, c("year", "quarter")) && identical(names(expr), c("", "starts"))) {
    new_period(as.character(expr[[1L]]), read_month(expr[[2L]], expr_text(part), call))
  }
}

# `year_to_date(starts = 4)`.
to_date_start <- function(args, name, part, call = NULL) {
  if (!length(args)) {
    return(1L)
  }
  if (!identical(names(args), "starts") || name == "month_to_date") {
    stop_expression(sprintf("`%s` takes the month that a business year starts with, or nothing.",
      name),
      expr_text(part), "Write `year_to_date(starts = 4)`.", call)
  }
  read_month(args[[1L]], expr_text(part), call)
}

# Two days with a stroke between them (ISO 8601).
is_interval <- function(x) {
  is.character(x) && grepl("^[0-9]{4}-[0-9]{2}-[0-9]{2}/[0-9]{4}-[0-9]{2}-[0-9]{2}$", x)
}

interval_days <- function(text) as.numeric(parse_iso_date(strsplit(text, "/", fixed = TRUE)[[1L]]))

#' First and last day of what an argument names: a period of the unit that is asked for, or an
#' interval. Anything else might be meant in two ways.
#' @noRd
asked_range <- function(text, period, arg, call = NULL) {
  days <- if (is_interval(text)) {
    interval_days(text)
  } else {
    number <- parse_period(text, period)
    c(period_first(number, period), period_last(number, period))
  }
  if (anyNA(days) || days[1L] > days[2L]) {
    now <- period_number(20543, period)
    stop_eggcrate("call", "unknown_value",
      sprintf("`%s` is %s, which is neither a %s nor an interval.", arg, quoted(text), period$unit),
      i = sprintf("A %s reads \"%s\", an interval \"%s/%s\".", period$unit,
        period_label(now, period), day_text(period_first(now, period)),
        day_text(period_last(now, period))), call = call)
  }
  days
}

named_range <- function(text, part, call = NULL) {
  days <- if (is_interval(text)) interval_days(text)
  if (length(days) && !anyNA(days) && days[1L] <= days[2L]) {
    return(days)
  }
  for (unit in names(period_units)) {
    number <- parse_period(text, new_period(unit))
    if (!is.na(number)) {
      return(c(period_first(number, new_period(unit)), period_last(number, new_period(unit))))
    }
  }
  stop_expression(sprintf("\"%s\" is not a period.", text), expr_text(part),
    "Periods read 2026, 2026-Q1, 2026-03, 2026-W05, 2026-03-31 or 2026-03-01/2026-03-31.", call)
}

# The same days of the year before; the last of February stays the last.
year_before <- function(range) {
  shift <- function(day, last) {
    next_day <- civil(day + 1)
    if (last && next_day$month != civil(day)$month) {
      return(day_number(next_day$year - 1L, next_day$month) - 1)
    }
    at <- civil(day)
    ends <- period_last((at$year - 1) * 12 + at$month - 1, new_period("month"))
    min(day_number(at$year - 1, at$month, at$day), ends)
  }
  whole_weeks <- (range[2L] - range[1L] + 1) %% 7 == 0 && (range[1L] + 3) %% 7 == 0
  if (whole_weeks) range - 364 else c(shift(range[1L], FALSE), shift(range[2L], TRUE))
}
