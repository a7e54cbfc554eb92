# Numbers and components of a request as SQL.

whole_literal <- function(x) dbplyr::sql(sprintf("%.0f", x))

#' A number in a unit of 10^-places: a whole one, or a decimal where an engine's own are exact.
#' @return `expr`, `places`, `bound` (the greatest magnitude), `decimals` (columns in it that may
#'   use fewer places than they have), `wide`: does its type hold whatever comes of it?
#' @noRd
sql_number <- function(node, at) {
  if (node$type != "number" && !node$op %in% c("column", "number")) cannot("it is not a number")
  switch(node$op,
    column = sql_column(node$name, at),
    number = sql_constant(node$value, at),
    negate = negated(widened(sql_number(node$args[[1L]], at), at)),
    "+" = , "-" = ,
    "*" = sql_arithmetic(node$op, sql_number(node$args[[1L]], at),
      sql_number(node$args[[2L]], at), at),
    "/" = if (is_nothing(node)) sql_nothing(at) else cannot("rows are divided, which is not exact"))
}

# A missing number in each row. PostgreSQL takes a NULL without a type for a text.
sql_nothing <- function(at) list(
  expr = at$engine$missing %||% at$engine$wide(dbplyr::sql("NULL")), places = 0L, bound = 0,
  decimals = character(), wide = TRUE)

negated <- function(x) replace(x, c("expr", "value"), list(inside("-", x$expr), NULL))

sql_column <- function(name, at) {
  cells <- at$cells[[name]]
  if (cells$type == "blank") {
    return(sql_nothing(at))
  }
  if (is.na(cells$places)) cannot(sprintf("`%s` has numbers that are not decimal", name))
  x <- sql_cell(list(op = "column", type = "number", name = name), at)
  uses <- if (cells$places > 0) name else character()
  if (cells$form == "decimal" && at$engine$decimals) {
    return(list(expr = x, places = 0L, bound = cells$largest, decimals = uses, wide = TRUE))
  }
  if (cells$form == "decimal") x <- at$engine$wide(if (cells$places > 0) inside("*", x,
    whole_literal(10^cells$places)) else x)
  if (cells$real) x <- at$engine$whole(if (cells$places > 0) inside("*", x, 10^cells$places) else x)
  within_bounds(list(expr = x, places = cells$places, bound = cells$largest * 10^cells$places,
    decimals = uses, wide = FALSE), at)
}

# Its `value` is that of the expression.
sql_constant <- function(value, at) {
  places <- decimal_places_(as.numeric(value))
  if (is.na(places)) cannot("a number in it is not decimal")
  whole <- round(value * 10^places)
  within_bounds(list(expr = whole_literal(whole), places = places, bound = abs(whole),
    decimals = character(), wide = FALSE, value = whole), at)
}

scaled_constant <- function(x, by, places) {
  replace(x, c("expr", "places", "bound", "value"),
    list(whole_literal(x$value * by), places, x$bound * by, x$value * by))
}

widened <- function(x, at) if (x$wide) x else
  replace(x, c("expr", "wide"), list(at$engine$wide(x$expr), TRUE))

sql_arithmetic <- function(op, a, b, at) {
  decimals <- union(a$decimals, b$decimals)
  a <- widened(a, at)
  b <- widened(b, at)
  if (op == "*") {
    if (a$places + b$places > 18L) cannot("a product has too many places")
    return(within_bounds(list(expr = inside("*", a$expr, b$expr), places = a$places + b$places,
      bound = a$bound * b$bound, decimals = decimals, wide = TRUE), at))
  }
  places <- max(a$places, b$places)
  a <- scaled_to(a, places, at)
  b <- scaled_to(b, places, at)
  within_bounds(list(expr = inside(op, a$expr, b$expr), places = places, bound = a$bound + b$bound,
    decimals = decimals, wide = TRUE), at)
}

scaled_to <- function(x, places, at) {
  by <- 10^(places - x$places)
  if (by == 1) {
    return(x)
  }
  if (!is.null(x$value)) {
    return(scaled_constant(x, by, places))
  }
  x <- widened(x, at)
  within_bounds(replace(x, c("expr", "places", "bound"),
    list(inside("*", x$expr, whole_literal(by)), places, x$bound * by)), at)
}

# Engines overflow in their own ways: none comes near to it.
within_bounds <- function(x, at) if (x$bound < at$engine$most) x else too_large("its values")

# Components ----------------------------------------------------------------------

sql_part <- function(aggregate, at) {
  op <- aggregate$op
  value <- aggregate$value %||% new_node("number", "number", value = 1)
  of_days <- op %in% c("min", "max") && value$type == "date"
  found <- if (op == "distinct" || of_days) {
    list(expr = sql_given(value, at), places = 0L, bound = 0, decimals = character(), most = Inf)
  } else {
    added_decimals(aggregate, at) %||% c(sql_number(value, at), most = at$engine$most)
  }
  if (!op %in% c("min", "max", "median", "distinct") &&
    found$bound * at$most_rows(found$bound, found$most) >= found$most) {
    too_large("its totals")
  }
  met <- if (!is.null(aggregate$when)) call("case_when",
    call("~", sql_truth(aggregate$when, at), 1L), call("~", TRUE, 0L))
  list(op = op, value = found$expr, node = if (op != "distinct") value, of_days = of_days,
    places = found$places, met = met, decimals = found$decimals, wide = found$wide)
}

# Sums of a bare decimal column, for an engine whose decimal sums are exact but which computes with
# whole numbers otherwise.
added_decimals <- function(aggregate, at) {
  node <- aggregate$value
  if (is.null(at$engine$adds) || !aggregate$op %in% c("sum", "mean") || !is.null(aggregate$when) ||
    !identical(node$op, "column")) {
    return(NULL)
  }
  cells <- at$cells[[node$name]]
  if (cells$form == "decimal" && !is.na(cells$places)) {
    list(expr = sql_cell(node, at), places = 0L, bound = cells$largest,
      decimals = if (cells$places > 0) node$name else character(), wide = TRUE,
      most = at$engine$adds)
  }
}

# The value of a row that meets the condition of part `i`.
met_value <- function(i, part) {
  v <- as.name(sprintf("v%d", i))
  if (is.null(part$met)) v else
    call("case_when", call("~", call("==", as.name(sprintf("w%d", i)), 1L), v))
}

# Medians that need the ranks of values, by number.
placed_medians <- function(parts, at) {
  found <- which(vapply(parts, `[[`, "", "op") == "median" & is.null(at$engine$median))
  with_names(lapply(found, function(i) met_value(i, parts[[i]])), found)
}

# Twice the median: the two values in the middle, which are one of an odd number.
median_total <- function(i, part, at) {
  x <- met_value(i, part)
  if (!is.null(at$engine$median)) {
    return(at$engine$median(if (part$wide) x else at$engine$wide(x)))
  }
  place <- inside("*", 2L, as.name(sprintf("r%d", i)))
  count <- as.name(sprintf("c%d", i))
  of <- function(side, condition) {
    found <- call(side, call("case_when", call("~", condition, x)), na.rm = TRUE)
    if (part$wide) found else at$engine$wide(found)
  }
  inside("+", of("min", call(">=", place, count)),
    of("max", call("<=", place, inside("+", count, 2L))))
}

# Totals are written out by the engine: drivers have too few digits.
part_totals <- function(i, parts, at) {
  part <- parts[[i]]
  v <- as.name(sprintf("v%d", i))
  w <- as.name(sprintf("w%d", i))
  always <- is.null(part$met)
  met <- met_value(i, part)
  without <- if (always && !is.null(part$node) && !part$of_days && is_given(part$node, at)) 0L else
    if (always) call("-", quote(n()), call("COUNT", v)) else
    count_where(inside("&", call("==", w, 1L), call("is.na", v)))
  total <- switch(part$op, min = call("min", met, na.rm = TRUE),
    max = call("max", met, na.rm = TRUE),
    distinct = call(at$engine$distinct %||% "n_distinct", met),
    median = median_total(i, part, at),
    call("sum", met, na.rm = TRUE))
  if (!part$of_days) total <- at$engine$text(total)
  with_names(c(total, without, if (!always) count_where(call("!=", w, 1L))),
    sprintf(c("t%d", "m%d", if (!always) "s%d"), i))
}

# Does each row have a number, according to the declarations of its columns?
is_given <- function(node, at) {
  if (is_nothing(node)) FALSE else
    if (identical(node$op, "column")) isTRUE(at$cells[[node$name]]$given) else
    all(vapply(node$args, is_given, NA, at))
}

# How many places of a decimal column have a digit.
places_in_use <- function(i, name, at) {
  d <- as.name(sprintf("d%d", i))
  if (sql_column(name, at)$places == 0L) {
    return(call("max", places_of_decimal(d), na.rm = TRUE))
  }
  most <- at$cells[[name]]$places
  arms <- lapply(seq_len(most),
    function(j) call("~", call("!=", inside("%%", d, whole_literal(10^j)), 0L), most - j + 1L))
  call("max", as.call(c(as.name("case_when"), arms, call("~", TRUE, 0L))), na.rm = TRUE)
}
