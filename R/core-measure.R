# From components to measures, in one place: ratios, differences, means, rates.
#
# A quantity is a list with `missing` (logical, per item) and either
#   num, places, lowest, den    exact: num / den in units of 10^-places (`den` NULL is
#                               1), or sums of doubles in units of 2^lowest
#   real                        doubles, where exactness has ended

exact_quantity <- function(num, places, missing, den = NULL, lowest = 0L) {
  list(num = num, places = places, lowest = lowest, den = den, missing = missing)
}

is_exact <- function(q) is.null(q$real)

# Exact and in decimals: what can be added and divided without loss.
is_decimal <- function(q) is_exact(q) && !is.na(q$places)

#' @param node The measure's tree.
#' @param parts The components, by text.
#' @param days Days to divide a rate by, one per item; NULL if there is none.
#' @noRd
evaluate_measure <- function(node, parts, days = NULL) {
  switch(node$op,
    aggregate = part_quantity(parts[[node$text]], node$aggregate),
    number = number_quantity(node$value, length(parts[[1L]]$total)),
    negate = subtract_quantities(number_quantity(0, length(parts[[1L]]$total)),
      evaluate_measure(node$args[[1L]], parts, days), -1),
    per_day = divide_quantities(evaluate_measure(node$args[[1L]], parts, days),
      whole_quantity(days)),
    {
      a <- evaluate_measure(node$args[[1L]], parts, days)
      b <- evaluate_measure(node$args[[2L]], parts, days)
      switch(node$op,
        "+" = subtract_quantities(a, b, 1), "-" = subtract_quantities(a, b, -1),
        "*" = multiply_quantities(a, b), "/" = divide_quantities(a, b)
      )
    }
  )
}

#' The measure of some items, or of groups of them: `parts` are their components,
#' `tally` says in which periods they lie.
#' @noRd
measure_of <- function(measure, parts, tally, plan) {
  evaluate_measure(measure$tree, parts, if (has_rate(measure)) rate_days(plan, tally))
}

has_rate <- function(measure) !is.null(measure$per_day) && !is.na(measure$per_day)

# A measure of the plan along the rows of an answer, by its number.
measure_rows <- function(ans, i) {
  if (i == 1L) ans$ranked$quantity else ans$ranked$additional[[i - 1L]]
}

# Neither its items' values nor their components tell that of a group.
needs_rows <- function(measure) measure$kind == "holistic" && !measure$distinct

whole_quantity <- function(x) {
  exact_quantity(exact_from_whole_(as.numeric(x)), 0L, logical(length(x)))
}

number_quantity <- function(value, n) {
  value <- as.numeric(value)
  places <- decimal_places_(value)
  if (is.na(places)) {
    return(list(real = rep(value, n), missing = logical(n)))
  }
  exact_quantity(exact_from_whole_(rep(round(value * 10^places), n)), places, logical(n))
}

part_quantity <- function(part, aggregate) {
  nothing <- if (aggregate$op %in% c("sum", "count", "distinct")) {
    part_without_value(part)
  } else {
    contributing(part) == 0
  }
  switch(aggregate$op,
    sum = exact_quantity(part$total, part$places, nothing, lowest = part$lowest),
    count = , distinct = exact_quantity(part$total, 0L, nothing),
    mean = divide_quantities(exact_quantity(part$total, part$places, nothing, lowest = part$lowest),
      whole_quantity(contributing(part))),
    min = , max = decoded(part, nothing, 1),
    median = decoded(part, nothing, 2)
  )
}

# Least, most and middle of doubles are kept as integers of the same order; a
# median of decimals as twice its value.
decoded <- function(part, nothing, times) {
  if (is.na(part$places)) {
    return(list(real = keep_where(!nothing, real_from_exact_(part$total)), missing = nothing))
  }
  den <- if (times > 1) exact_from_whole_(rep(times, length(part$total)))
  exact_quantity(part$total, part$places, nothing, den = den)
}

# Rows that have a value and meet `when`.
contributing <- function(part) part$rows - (part$missing %||% 0) - (part$skipped %||% 0)

# All rows lack the measure; a `when` that no row meets is no lack.
part_without_value <- function(part) {
  if (is.null(part$missing)) {
    logical(length(part$total))
  } else {
    part$missing >= part$rows & !(part$listed %||% FALSE)
  }
}

# Arithmetic ---------------------------------------------------------------

quantity_real <- function(q) {
  if (!is_exact(q)) {
    return(q$real)
  }
  real <- if (is.null(q$den)) {
    doubles_of(q$num, q$places, q$lowest)
  } else {
    exact_ratio_(q$num, scaled_up(q$den, q$places))
  }
  # In place: no copy is made of what nobody else has.
  if (any(q$missing)) real[q$missing] <- NA_real_
  real
}

# den * 10^places; places of a fraction are at most a few.
scaled_up <- function(x, places) {
  if (places == 0L) {
    return(x)
  }
  exact_combine_(x, 10^places, x, 0) %||% stop_data("too_large", "A ratio has more than 37 digits.")
}

real_quantity <- function(real, missing) {
  bad <- missing | !is.finite(real)
  list(real = keep_where(!bad, real), missing = bad)
}

subtract_quantities <- function(a, b, sign) {
  missing <- a$missing | b$missing
  if (is_decimal(a) && is_decimal(b) && is.null(a$den) && is.null(b$den)) {
    places <- max(a$places, b$places)
    num <- exact_combine_(a$num, 10^(places - a$places), b$num, sign * 10^(places - b$places))
    if (!is.null(num)) {
      return(exact_quantity(num, places, missing))
    }
  }
  real_quantity(quantity_real(a) + sign * quantity_real(b), missing)
}

multiply_quantities <- function(a, b) {
  missing <- a$missing | b$missing
  if (is_decimal(a) && is_decimal(b) && a$places + b$places <= 18L && is.null(a$den) &&
    is.null(b$den)) {
    num <- exact_multiply_(a$num, b$num)
    if (!is.null(num)) {
      return(exact_quantity(num, a$places + b$places, missing))
    }
  }
  real_quantity(quantity_real(a) * quantity_real(b), missing)
}

# A division by zero is missing, never infinite.
divide_quantities <- function(a, b) {
  if (!(is_decimal(a) && is_decimal(b) && is.null(a$den) && is.null(b$den))) {
    return(real_quantity(quantity_real(a) / quantity_real(b), a$missing | b$missing))
  }
  sign <- exact_signs_(b$num)
  missing <- a$missing | b$missing | sign == 0L
  num <- a$num
  den <- b$num
  if (any(sign < 0L)) {
    flip <- exact_from_whole_(c(-1, 1, 1)[sign + 2L])
    num <- exact_multiply_(num, flip)
    den <- exact_multiply_(den, flip)
  }
  # (a / 10^p) / (b / 10^q): what is left of the units goes to one side.
  more <- b$places - a$places
  if (more > 0L) num <- exact_combine_(num, 10^more, num, 0)
  if (is.null(num) || is.null(den)) {
    return(real_quantity(quantity_real(a) / quantity_real(b), missing))
  }
  den[missing] <- exact_from_whole_(1)
  exact_quantity(num, max(0L, -more), missing, den = den)
}

# Integers in the order of the values; equal values have the same one.
order_numbers <- function(q) {
  if (!is_exact(q)) {
    return(exact_from_real_(as.numeric(replace(q$real, q$missing, 0))))
  }
  if (is.null(q$den)) q$num else exact_number_fractions_(q$num, q$den)
}

# -1, 0, 1: how quantities stand to others, or to one; missing where one of them is.
# Fractions are multiplied crosswise, so that equal ones are equal.
quantity_against <- function(a, b) {
  if (is_decimal(a) && is.null(a$den) && length(b$missing) == 1L && is_decimal(b) &&
    is.null(b$den) && b$places <= a$places) {
    sign <- exact_against_one_(a$num, exact_combine_(b$num, 10^(a$places - b$places), b$num, 0))
    return(if (any(a$missing)) replace(sign, a$missing, NA) else sign)
  }
  if (length(b$missing) == 1L) b <- quantity_at(b, rep(1L, length(a$missing)))
  sign <- fraction_signs(a, b)
  if (is.null(sign)) {
    gap <- subtract_quantities(a, b, -1)
    sign <- if (is_exact(gap)) exact_signs_(gap$num) else sign(gap$real)
  }
  unknown <- a$missing | b$missing
  if (any(unknown)) sign[unknown] <- NA
  sign
}

# NULL where one is no fraction of decimals, or has too many digits.
fraction_signs <- function(a, b) {
  if (!is_decimal(a) || !is_decimal(b) || is.null(a$den) && is.null(b$den)) {
    return(NULL)
  }
  n <- length(a$missing)
  places <- max(a$places, b$places)
  num <- lapply(list(a, b), function(q) exact_combine_(q$num, 10^(places - q$places), q$num, 0))
  if (any(vapply(num, is.null, NA))) {
    return(NULL)
  }
  den <- lapply(list(a, b), function(q) q$den %||% rep(exact_from_whole_(1), n))
  exact_fraction_signs_(num[[1L]], den[[1L]], num[[2L]], den[[2L]])
}

quantity_at <- function(q, i) {
  for (field in c("num", "den", "real", "missing")) {
    if (!is.null(q[[field]])) q[[field]] <- q[[field]][i]
  }
  q
}

# Joining items ------------------------------------------------------------

#' Components of groups of items: what totals and "all others" are made of.
#' @param group Number of the group of each item.
#' @noRd
fold_part <- function(part, group, n) {
  if (part$op %in% c("min", "max")) {
    filled <- contributing(part) > 0
    part$total <- exact_extreme_by_(part$total[filled], group[filled], n, part$op == "min")
  } else {
    part$total <- sum_exact(part$total, group, n)
  }
  for (count in c("rows", "missing", "skipped")) {
    if (!is.null(part[[count]])) part[[count]] <- sum_groups(part[[count]], group, n)
  }
  part["listed"] <- list(if (is.null(part$listed)) NULL else logical(n))
  part
}

sum_groups <- function(x, group, n) {
  if (n == 1L) {
    return(sum(x))
  }
  out <- numeric(n)
  if (length(group)) {
    summed <- rowsum(as.numeric(x), group)
    out[as.integer(rownames(summed))] <- summed
  }
  out
}
