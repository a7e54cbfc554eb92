# Slips: what is written in other places in another form. Where an expression cannot be read and
# one that is meant can, the error says that one.

#' Compiles an expression; its error says what would have been read.
#' @param arg The argument that it is, or NULL for a selection.
#' @param compile A function of the expression.
#' @noRd
with_mending <- function(expr, arg, schema, compile) {
  tryCatch(compile(expr), eggcrate_error_call = function(e) {
    meant <- mend(expr, arg, schema)
    if (is.null(e$variable) && !identical(meant, expr) &&
      (holds_variable(meant) || can_compile(meant, compile))) {
      text <- expr_text(meant)
      e <- with_hints(e, sprintf("Write `%s`.", if (is.null(arg)) text else paste(arg, "=", text)))
    }
    stop(e)
  })
}

# `!!x`, whose value is the caller's.
holds_variable <- function(expr) {
  is.call(expr) && (is_call_to(expr, "!") && is_call_to(expr[[2L]], "!") ||
    any(vapply(as.list(expr)[-1L], holds_variable, NA)))
}
value_of <- function(name) call("!", call("!", name))

can_compile <- function(expr, compile) {
  tryCatch({
    compile(expr)
    TRUE
  }, eggcrate_error = function(e) FALSE)
}

mend <- function(expr, arg, schema) {
  expr <- mend_calls(expr, schema$types)
  if (is.null(arg)) {
    mend_selection(expr)
  } else if (arg %in% c("of", "also", "against")) {
    mend_measure(expr, schema$types)
  } else if (arg %in% c("where", "when", "having", "compare_with")) {
    expr
  } else {
    mend_keys(expr, schema$types)
  }
}

# From within to without.
mend_calls <- function(expr, types) {
  if (!is.call(expr)) {
    return(expr)
  }
  attr(expr, "typed") <- NULL
  for (i in seq_along(expr)[-1L]) {
    if (is.call(expr[[i]])) expr[i] <- list(mend_calls(expr[[i]], types))
  }
  slip <- if (is.name(expr[[1L]])) slips[[as.character(expr[[1L]])]]
  left_out <- vapply(as.list(expr), identical, NA, quote(expr = ))
  if (is.null(slip) || any(left_out) || length(expr) < 2L && !is_call_to(expr, "n")) expr else
    slip(expr, types)
}

written_as <- function(name) function(expr, types) replace(expr, 1L, list(as.name(name)))
first_argument <- function(expr, types) expr[[2L]]
of_how_many <- function(name) {
  function(expr, types) {
    number <- Filter(is.numeric, as.list(expr)[-1L])
    if (length(number)) call(name, number[[1L]]) else expr
  }
}

slips <- list(
  "=" = function(expr, types) mend_comparison(written_as("==")(expr), types),
  "&&" = written_as("&"), "||" = written_as("|"),
  is.na = written_as("is_missing"), is.null = written_as("is_missing"),
  avg = written_as("mean"), average = written_as("mean"), n_distinct = written_as("distinct"),
  n = function(expr, types) quote(count()),
  length = function(expr, types) mend_count(expr),
  as.Date = first_argument, as_date = first_argument, ymd = first_argument,
  round = first_argument, desc = first_argument,
  "$" = function(expr, types) {
    if (length(expr) != 3L) expr else
      if (identical(expr[[2L]], quote(.env))) value_of(expr[[3L]]) else expr[[3L]]
  },
  all_of = function(expr, types) if (is.name(expr[[2L]])) value_of(expr[[2L]]) else expr[[2L]],
  "[[" = function(expr, types) if (length(expr) == 3L &&
    is.character(expr[[3L]])) as.name(expr[[3L]]) else expr,
  top_n = of_how_many("top"), head = of_how_many("top"), slice_max = of_how_many("top"),
  tail = of_how_many("bottom"), slice_min = of_how_many("bottom"),
  in_period = function(expr, types) mend_in_period(expr)
)
slips$any_of <- slips$all_of
slips[c("sum", "mean", "min", "max", "median", "count", "distinct")] <- list(function(expr, types) {
  mend_aggregate(expr)
})
slips[c("==", "!=", "<", "<=", ">", ">=", "%in%")] <- list(function(expr, types) {
  mend_comparison(expr, types)
})

# Measures -----------------------------------------------------------------

is_condition <- function(expr) {
  is_call_to(expr, c("==", "!=", "<", "<=", ">", ">=", "&", "|", "!", "%in%", "between",
    "is_missing", "in_period"))
}

mend_count <- function(expr) {
  of <- expr[[2L]]
  if (is_call_to(of, c("unique", "distinct")) && length(of) == 2L) call("distinct", of[[2L]]) else
    quote(count())
}

# `sum(x, na.rm = TRUE)`, `sum(x[condition])`, `sum(ifelse(condition, x, 0))`, `sum(condition)`.
mend_aggregate <- function(expr) {
  name <- expr[[1L]]
  if (!is.null(names(expr))) expr <- expr[!names(expr) %in% "na.rm"]
  if (length(expr) < 2L) {
    return(expr)
  }
  of <- expr[[2L]]
  if (is_call_to(expr, "count")) {
    return(if (identical(names(expr)[2L], "when")) expr else mend_count(expr))
  }
  if (is_call_to(of, "[") && length(of) == 3L) {
    return(as.call(list(name, of[[2L]], when = of[[3L]])))
  }
  if (is_call_to(of, c("ifelse", "if_else")) && length(of) >= 3L) {
    return(if (is.numeric(of[[3L]])) {
      call("*", as.call(list(as.name("count"), when = of[[2L]])), of[[3L]])
    } else {
      as.call(list(name, of[[3L]], when = of[[2L]]))
    })
  }
  if (is_condition(of)) {
    those <- as.call(list(as.name("count"), when = of))
    return(switch(as.character(name), sum = those, mean = call("/", those, quote(count())), expr))
  }
  expr
}

# Columns that are not added up yet, and the name of an aggregate for its call.
mend_measure <- function(expr, types) {
  given <- split_name(expr)
  inner <- add_up(given$expr, types)
  if (is.null(given$name)) inner else
    as.call(with_names(list(as.name("c"), inner), c("", given$name)))
}

add_up <- function(expr, types) {
  if (is_call_to(expr, c("+", "-", "*", "/", "("))) {
    for (i in seq_along(expr)[-1L]) expr[i] <- list(add_up(expr[[i]], types))
    return(expr)
  }
  if (!is.name(expr)) {
    return(expr)
  }
  if (name_text(expr) %in% names(types)) call("sum", expr) else
    if (expr == "count") quote(count()) else expr
}

# Keys ---------------------------------------------------------------------

mend_keys <- function(expr, types) {
  if (is_call_to(expr, "c")) {
    for (i in seq_along(expr)[-1L]) expr[i] <- list(mend_key(expr[[i]], types))
    return(expr)
  }
  mend_key(expr, types)
}

# The unit of a period alone, for that of the one date that there is; a date alone.
mend_key <- function(expr, types) {
  dates <- names(types)[types == "date"]
  if (!is.name(expr)) {
    return(expr)
  }
  name <- name_text(expr)
  if (name %in% dates) {
    return(call("month", expr))
  }
  if (name %in% c(names(period_units), names(calendar_parts)) && !name %in% names(types) &&
    length(dates) == 1L) {
    return(call(name, as.name(dates)))
  }
  expr
}

# Selections ---------------------------------------------------------------

mend_selection <- function(expr) {
  if (is.numeric(expr) && length(expr) == 1L && isTRUE(expr >= 1)) call("top", expr) else expr
}

# Conditions and periods ---------------------------------------------------

mend_in_period <- function(expr) {
  if (length(expr) != 3L) {
    return(expr)
  }
  if (is.atomic(expr[[3L]])) {
    expr[[3L]] <- guess_period(expr[[3L]])$text %||% expr[[3L]]
  } else if (is.name(expr[[3L]])) {
    expr[[3L]] <- relative_meant(name_text(expr[[3L]])) %||% expr[[3L]]
  }
  expr
}

# `last_month`, `this_year`.
relative_meant <- function(name) {
  shape <- "^(last|latest|this|current|previous)_?(year|quarter|month|week)$"
  found <- regmatches(name, regexec(shape, name))[[1L]]
  if (length(found)) {
    word <- switch(found[2L], this = , current = "current", previous = "previous", "latest")
    call(word, as.name(found[3L]))
  }
}

mend_comparison <- function(expr, types) {
  if (length(expr) != 3L) {
    return(expr)
  }
  if (is_call_to(expr, c("==", "!=")) && is_call_to(expr[[3L]], "c")) {
    inside <- mend_comparison(call("%in%", expr[[2L]], expr[[3L]]), types)
    return(if (is_call_to(expr, "==")) inside else call("!", inside))
  }
  for (side in 2:3) {
    other <- expr[[5L - side]]
    if (is_one_missing(expr[[side]])) {
      missing <- call("is_missing", other)
      return(if (is_call_to(expr, "!=")) call("!", missing) else missing)
    }
    if (is_call_to(other, "month") && is_month_number(expr[[side]])) {
      expr[[5L - side]][[1L]] <- as.name("month_of_year")
      return(expr)
    }
    if (is_call_to(other, names(period_units))) {
      expr[side] <- list(each_value(expr[[side]], period_beside, key = other))
    } else if (is.name(other)) {
      type <- types[name_text(other)]
      if (type %in% "date") {
        return(beside_date(expr, side))
      }
      if (type %in% "text") expr[side] <- list(each_value(expr[[side]], text_beside, types = types))
    }
  }
  expr
}

is_one_missing <- function(x) is.atomic(x) && length(x) == 1L && is.na(x)

# `5`, or `c(6, 7, 8)`, compared with a month.
is_month_number <- function(x) {
  values <- if (is_call_to(x, "c")) as.list(x)[-1L] else list(x)
  all(vapply(values, function(value) is.numeric(value) && length(value) == 1L && value %in% 1:12,
    NA))
}

# A value, or each of `c(…)`.
each_value <- function(x, f, ...) {
  if (is_call_to(x, "c")) {
    for (i in seq_along(x)[-1L]) x[i] <- list(f(x[[i]], ...))
    return(x)
  }
  f(x, ...)
}

period_beside <- function(x, key) {
  guess <- guess_period(x)
  unit <- as.character(key[[1L]])
  if (unit == "year" && identical(guess$unit, "year") && !is.null(key$starts)) {
    year <- as.integer(guess$text)
    return(sprintf("%d/%02d", year, (year + 1L) %% 100L))
  }
  if (identical(guess$unit, unit)) guess$text else x
}

# Text is written in quotes.
text_beside <- function(x, types) {
  if (is.name(x) && !name_text(x) %in% names(types)) {
    name_text(x)
  } else if (is.numeric(x)) {
    number_text(x)
  } else {
    x
  }
}

# A day in another form; or a longer period, which the period of the date is compared with.
beside_date <- function(expr, side) {
  value <- expr[[side]]
  guess <- guess_period(value)
  if (is.null(guess)) {
    return(expr)
  }
  expr[[side]] <- guess$text
  if (guess$unit != "day") expr[[5L - side]] <- call(guess$unit, expr[[5L - side]])
  expr
}

#' The period that somebody may have meant, such as by "Q1 2025", "May 2025" or 2025.
#' @return `unit` and `text` as it is written here, or NULL.
#' @noRd
guess_period <- function(x) {
  if (!is.atomic(x) || length(x) != 1L || is.na(x)) {
    return(NULL)
  }
  text <- trimws(as.character(x))
  for (shape in period_shapes) {
    found <- regmatches(text, regexec(shape$pattern, text, ignore.case = TRUE))[[1L]]
    if (length(found)) {
      label <- shape$label(found[-1L])
      number <- parse_period(label, new_period(shape$unit))
      return(if (!is.na(number)) list(unit = shape$unit, text = label))
    }
  }
}

named_month <- function(name) {
  match(tolower(substr(name, 1L, 3L)), tolower(month.abb), nomatch = 0L)
}

period_shapes <- list(
  list(unit = "year", pattern = "^([0-9]{4})$", label = function(x) x),
  list(unit = "quarter", pattern = "^Q([1-4])[ /-]?([0-9]{4})$",
    label = function(x) sprintf("%s-Q%s", x[2L], x[1L])),
  list(unit = "quarter", pattern = "^([0-9]{4})[ /-]?Q([1-4])$",
    label = function(x) sprintf("%s-Q%s", x[1L], x[2L])),
  list(unit = "week", pattern = "^W([0-9]{1,2})[ /-]([0-9]{4})$",
    label = function(x) sprintf("%s-W%02d", x[2L], as.integer(x[1L]))),
  list(unit = "month", pattern = "^([0-9]{1,2})[/.-]([0-9]{4})$",
    label = function(x) sprintf("%s-%02d", x[2L], as.integer(x[1L]))),
  list(unit = "week", pattern = "^([0-9]{4})[ /-]?W([0-9]{1,2})$",
    label = function(x) sprintf("%s-W%02d", x[1L], as.integer(x[2L]))),
  list(unit = "month", pattern = "^([0-9]{4})[/.-]?([0-9]{1,2})$",
    label = function(x) sprintf("%s-%02d", x[1L], as.integer(x[2L]))),
  list(unit = "month", pattern = "^([a-z]{3,9})[ ./-]*([0-9]{4})$",
    label = function(x) sprintf("%s-%02d", x[2L], named_month(x[1L]))),
  list(unit = "month", pattern = "^([0-9]{4})[ ./-]*([a-z]{3,9})$",
    label = function(x) sprintf("%s-%02d", x[1L], named_month(x[2L]))),
  list(unit = "day", pattern = "^([0-9]{4})[-/.]([0-9]{1,2})[-/.]([0-9]{1,2})$",
    label = function(x) sprintf("%s-%02d-%02d", x[1L], as.integer(x[2L]), as.integer(x[3L]))),
  list(unit = "day", pattern = "^([0-9]{1,2})[.]([0-9]{1,2})[.]([0-9]{4})$",
    label = function(x) sprintf("%s-%02d-%02d", x[3L], as.integer(x[2L]), as.integer(x[1L])))
)
