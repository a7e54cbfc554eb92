# From a request to a question of a database: gates, keys and components as expressions, in one statement. What a
# database cannot add up exactly, or in another way than the kernel would, is said, and the rows are fetched instead.

# Not to be answered there, and why.
cannot <- function(why) {
  stop(structure(list(message = why, call = NULL), class = c("eggcrate_not_in_sql", "error", "condition")))
}

unknown_engine <- function(s) sprintf("how %s adds and compares is not known", s$engine$name)

#' @param cells From `known_cells()`, by column.
#' @return `query`: a lazy table of `outcome` (0 for rows that are used, i where gate i refuses, -i where it cannot tell),
#'   `rows`, `k1`, ... (keys), `t1`, `m1`, `s1`, ... (total, rows without a value and rows passed over of each component),
#'   and `p1`, ... (places that are used); `keys` (how each is read), `parts` (what the totals are), `decimals` (columns
#'   that `p` tells of, with the places that they have at most). Or text: why not.
#' @noRd
sql_request <- function(s, request, cells) {
  at <- list(cells = cells, engine = s$engine, n = s$n, range = function(name) cells[[name]]$range)
  tryCatch(write_request(s, request, at), eggcrate_not_in_sql = conditionMessage)
}

write_request <- function(s, request, at) {
  if (!s$engine$answers) cannot(unknown_engine(s))
  if (request$apart) cannot("each row is wanted by itself")
  keys <- lapply(unname(request$keys), sql_key, at)
  parts <- lapply(unname(request$aggregates), sql_part, at)
  decimals <- unique(unlist(lapply(parts, `[[`, "decimals")))
  most <- vapply(decimals, function(name) at$cells[[name]]$places, 0L)
  gates <- lapply(request$gates, function(gate) sql_truth(gate$node, at))
  digits <- lapply(decimals, function(name) sql_column(name, at)$expr)
  row <- c(if (length(gates)) list(outcome = sql_outcome(gates)), numbered("k", lapply(keys, `[[`, "expr")), numbered("v", lapply(parts, `[[`, "value")),
    Filter(Negate(is.null), numbered("w", lapply(parts, `[[`, "met"))), numbered("d", digits))
  totals <- c(list(rows = quote(n())), unlist(lapply(seq_along(parts), part_totals, parts), recursive = FALSE),
    numbered("p", lapply(seq_along(most), function(i) places_in_use(i, most[[i]]))))
  query <- counting_query(named_apart(s, row), names(numbered("k", keys)), length(gates) > 0L, totals)
  list(query = query, keys = lapply(keys, `[[`, "read"), parts = parts, decimals = most)
}

# The rows of a table as they are counted: columns that are made of its own, which may have any names.
named_apart <- function(s, row) {
  own <- source_names(s)
  mark <- "e"
  while (any(startsWith(own, paste0(mark, "_")))) mark <- paste0(mark, "e")
  apart <- paste0(mark, "_", names(row))
  dplyr::rename(dplyr::transmute(s$tbl, !!!with_names(row, apart)), !!!lapply(with_names(apart, names(row)), as.name))
}

# Rows that are not used are counted too, whatever their keys.
counting_query <- function(rows, keys, gated, totals) {
  if (gated) {
    rows <- dplyr::mutate(rows, !!!lapply(with_names(keys, keys), function(k) call("case_when", call("~", quote(outcome == 0L), as.name(k)))))
  }
  dplyr::summarise(dplyr::group_by(rows, !!!lapply(c(if (gated) "outcome", keys), as.name)), !!!totals, .groups = "drop")
}

numbered <- function(letter, x) with_names(x, sprintf("%s%d", letter, seq_along(x)))

# The first gate that a row does not pass.
sql_outcome <- function(gates) {
  outcome <- 0L
  for (i in rev(seq_along(gates))) {
    outcome <- call("case_when", call("~", gates[[i]], outcome), call("~", call("!", gates[[i]]), i), call("~", TRUE, -i))
  }
  outcome
}

# Keys -------------------------------------------------------------------------

# The expression, and how what comes back is read.
sql_key <- function(node, at) {
  if (node$op == "number") {
    return(list(expr = whole_literal(node$value), read = as.numeric))
  }
  if (node$op == "period") {
    return(list(expr = sql_period(node, at), read = as.numeric))
  }
  if (node$op != "column") cannot("a key is made of more than a column")
  type <- at$cells[[node$name]]$type
  list(expr = sql_cell(node, at), read = switch(type, date = read_day, text = , blank = function(x) enc2utf8(as.character(x)), plain_column))
}

read_day <- function(x) structure(as.numeric(parse_iso_date(as.character(x))), class = "Date")

# A column's cell as it is told apart: blank texts are missing, text goes by its bytes.
sql_cell <- function(node, at) {
  if (is_dated(node)) cannot(sprintf("the dates of `%s` are read from its text", bare_name(node$name)))
  cells <- at$cells[[node$name]]
  x <- as.name(node$name)
  if (cells$type == "number") {
    return(number_cell(x, cells, at$engine))
  }
  if (cells$names) cannot(sprintf("`%s` has whole numbers beyond 2^53, which are names", node$name))
  if (cells$blank > 0) x <- call("case_when", call("~", at$engine$filled(x), x))
  at$engine$bytes(x)
}

# Blank texts among numbers are missing.
number_cell <- function(x, cells, engine) if (cells$text > 0) call("case_when", call("~", call("!", engine$kinds(x)$text), x)) else x

# Periods by comparing days: no engine's own dates are asked.
sql_period <- function(node, at) {
  of <- node$args[[1L]]
  x <- sql_cell(of, at)
  range <- at$range(of$name)
  if (is.null(range)) cannot(sprintf("`%s` has no dates", of$name))
  starts <- period_starts(range, node$period)
  if (length(starts) > most_stretches) cannot(sprintf("`%s` has more than %d periods", of$name, most_stretches))
  number <- period_number(starts, node$period)
  # From the last one down.
  arms <- lapply(rev(seq_along(starts)), function(i) call("~", call(">=", x, at$engine$day(starts[i])), whole_literal(number[i])))
  as.call(c(as.name("case_when"), arms))
}

most_stretches <- 400L

# The first days of the periods of a range; of a part of the calendar all stretches of it.
period_starts <- function(range, period) {
  days <- seq(range[1L], range[2L])
  number <- period_number(days, period)
  days[c(TRUE, number[-1L] != number[-length(number)])]
}

# Numbers ------------------------------------------------------------------------

whole_literal <- function(x) dbplyr::sql(sprintf("%.0f", x))

#' A number as a whole one of a unit of 10^-places.
#' @return `expr`, `places`, `bound` (the greatest magnitude), `decimals` (columns in it that may have fewer places).
#' @noRd
sql_number <- function(node, at) {
  if (node$type != "number" && !node$op %in% c("column", "number")) cannot("it is no number")
  switch(node$op,
    column = sql_column(node$name, at),
    number = sql_constant(node$value),
    negate = negated(sql_number(node$args[[1L]], at)),
    "+" = , "-" = , "*" = sql_arithmetic(node$op, sql_number(node$args[[1L]], at), sql_number(node$args[[2L]], at)),
    cannot("rows are divided, which is not exact"))
}

negated <- function(x) replace(x, "expr", list(inside("-", x$expr)))

sql_column <- function(name, at) {
  cells <- at$cells[[name]]
  if (cells$type == "blank") {
    return(list(expr = dbplyr::sql("NULL"), places = 0L, bound = 0, decimals = character()))
  }
  if (is.na(cells$places)) cannot(sprintf("`%s` has numbers that are not decimal", name))
  x <- sql_cell(list(op = "column", type = "number", name = name), at)
  if (cells$real) x <- call("as.integer", call("round", if (cells$places > 0) inside("*", x, 10^cells$places) else x))
  within_bounds(list(expr = x, places = cells$places, bound = cells$largest * 10^cells$places, decimals = if (cells$places > 0) name else character()))
}

sql_constant <- function(value) {
  places <- decimal_places_(as.numeric(value))
  if (is.na(places)) cannot("a number in it is not decimal")
  list(expr = whole_literal(round(value * 10^places)), places = places, bound = abs(value) * 10^places, decimals = character())
}

sql_arithmetic <- function(op, a, b) {
  decimals <- union(a$decimals, b$decimals)
  if (op == "*") {
    if (a$places + b$places > 18L) cannot("a product has too many places")
    return(within_bounds(list(expr = inside("*", a$expr, b$expr), places = a$places + b$places, bound = a$bound * b$bound, decimals = decimals)))
  }
  places <- max(a$places, b$places)
  a <- scaled_to(a, places)
  b <- scaled_to(b, places)
  within_bounds(list(expr = inside(op, a$expr, b$expr), places = places, bound = a$bound + b$bound, decimals = decimals))
}

scaled_to <- function(x, places) {
  by <- 10^(places - x$places)
  if (by == 1) x else within_bounds(replace(x, c("expr", "places", "bound"), list(inside("*", x$expr, whole_literal(by)), places, x$bound * by)))
}

# Engines overflow in their own ways: none comes near to it.
within_bounds <- function(x) if (x$bound < 2^62) x else cannot("its values are too large to be added there")

# Conditions ---------------------------------------------------------------------

# True, false or NULL, as S12 has it.
sql_truth <- function(node, at) {
  args <- node$args
  switch(node$op,
    "&" = , "|" = inside(node$op, sql_truth(args[[1L]], at), sql_truth(args[[2L]], at)),
    "!" = call("!", call("(", sql_truth(args[[1L]], at))),
    flag = call("==", 1L, as.integer(node$value)),
    is_missing = call("is.na", sql_given(args[[1L]], at)),
    text_test = sql_text_test(node, at),
    same_text = call("==", sql_cell(args[[1L]], at), sql_cell(args[[2L]], at)),
    "<" = , "<=" = , ">" = , ">=" = , "==" = , "!=" = sql_comparison(node, at),
    cannot("a condition is not one of comparisons"))
}

# Something that is missing where the node is.
sql_given <- function(node, at) {
  if (node$op == "column") sql_cell(node, at) else if (node$op == "period") sql_cell(node$args[[1L]], at) else sql_number(node, at)$expr
}

sql_text_test <- function(node, at) {
  x <- sql_cell(node$args[[1L]], at)
  if (!length(node$values)) {
    return(call("case_when", call("~", call("!", call("is.na", x)), 1L == 0L)))
  }
  call("%in%", x, enc2utf8(node$values))
}

sql_comparison <- function(node, at) {
  sides <- node$args
  types <- vapply(sides, `[[`, "", "type")
  if ("date" %in% types) {
    return(as.call(c(as.name(node$op), lapply(sides, sql_day, at))))
  }
  if ("period" %in% types) {
    return(as.call(c(as.name(node$op), lapply(sides, function(side) if (side$op == "period") sql_period(side, at) else whole_literal(side$value)))))
  }
  a <- sql_number(sides[[1L]], at)
  b <- sql_number(sides[[2L]], at)
  places <- max(a$places, b$places)
  call(node$op, scaled_to(a, places)$expr, scaled_to(b, places)$expr)
}

sql_day <- function(node, at) {
  if (node$op == "number") at$engine$day(node$value) else if (node$op == "column") sql_cell(node, at) else cannot("a day is reckoned")
}

# Components ----------------------------------------------------------------------

sql_part <- function(aggregate, at) {
  op <- aggregate$op
  if (op == "median") cannot("a median needs the values in their order")
  value <- aggregate$value %||% new_node("number", "number", value = 1)
  of_days <- op %in% c("min", "max") && value$type == "date"
  found <- if (op == "distinct" || of_days) {
    list(expr = sql_given(value, at), places = 0L, bound = 0, decimals = character())
  } else {
    sql_number(value, at)
  }
  if (!op %in% c("min", "max", "distinct") && found$bound * at$n >= 2^62) cannot("its totals are too large to be added there")
  met <- if (!is.null(aggregate$when)) call("case_when", call("~", sql_truth(aggregate$when, at), 1L), call("~", TRUE, 0L))
  list(op = op, value = found$expr, node = if (op != "distinct") value, of_days = of_days, places = found$places, met = met, decimals = found$decimals)
}

part_totals <- function(i, parts) {
  part <- parts[[i]]
  v <- as.name(sprintf("v%d", i))
  w <- as.name(sprintf("w%d", i))
  counts <- call("==", w, 1L)
  always <- is.null(part$met)
  met <- if (always) v else call("case_when", call("~", counts, v))
  missing <- call("is.na", v)
  total <- switch(part$op, min = call("min", met, na.rm = TRUE), max = call("max", met, na.rm = TRUE), distinct = call("n_distinct", met),
    call("sum", met, na.rm = TRUE))
  with_names(c(total, count_where(if (always) missing else inside("&", counts, missing)), if (!always) count_where(call("!=", w, 1L))),
    sprintf(c("t%d", "m%d", if (!always) "s%d"), i))
}

# How many places of a decimal column have a digit.
places_in_use <- function(i, most) {
  d <- as.name(sprintf("d%d", i))
  arms <- lapply(seq_len(most), function(j) call("~", call("!=", inside("%%", d, whole_literal(10^j)), 0L), most - j + 1L))
  call("max", as.call(c(as.name("case_when"), arms, call("~", TRUE, 0L))), na.rm = TRUE)
}
