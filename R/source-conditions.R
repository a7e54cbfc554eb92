# Gates as conditions of SQL, with three values.

# True, false or NULL, as S12 has it.
sql_truth <- function(node, at) {
  args <- node$args
  switch(node$op,
    "&" = , "|" = if (isTRUE(at$engine$levels)) truth_of_level(sql_level(node, at)) else
    inside(node$op, sql_truth(args[[1L]], at), sql_truth(args[[2L]], at)),
    "!" = sql_not(sql_truth(args[[1L]], at)),
    flag = call("==", 1L, as.integer(node$value)),
    column = sql_cell(node, at),
    is_missing = call("is.na", sql_given(args[[1L]], at)),
    text_test = sql_text_test(node, at),
    same_text = call("==", sql_cell(args[[1L]], at), sql_cell(args[[2L]], at)),
    "<" = , "<=" = , ">" = , ">=" = , "==" = , "!=" = sql_comparison(node, at),
    cannot("a condition is not one of comparisons"))
}

# A double negation is left out.
sql_not <- function(x) {
  within <- x
  while (is.call(within) && identical(within[[1L]], as.name("("))) within <- within[[2L]]
  if (is.call(within) && identical(within[[1L]], as.name("!"))) within[[2L]] else
    call("!", call("(", x))
}

#' False, unknown and true as 0, 1 and 2, for an engine in which NULL does not propagate. Each
#' condition is written once.
#' @noRd
sql_level <- function(node, at) {
  level <- function(i) sql_level(node$args[[i]], at)
  switch(node$op,
    "&" = call("least", level(1L), level(2L)),
    "|" = call("greatest", level(1L), level(2L)),
    "!" = inside("-", 2L, level(1L)),
    call("ifNull", inside("*", call("toUInt8", sql_truth(node, at)), 2L), 1L))
}

truth_of_level <- function(level) call("case_when",
  call("~", call("==", level, 2L), quote(1L == 1L)),
  call("~", call("==", level, 0L), quote(1L == 0L)))

# Something that is missing where the node is.
sql_given <- function(node, at) {
  if (node$op == "column") sql_cell(node, at) else
    if (node$op == "period") sql_cell(node$args[[1L]], at) else sql_number(node, at)$expr
}

sql_text_test <- function(node, at) {
  x <- sql_cell(node$args[[1L]], at)
  if (!length(node$values)) {
    return(call("case_when", call("~", call("!", call("is.na", x)), quote(1L == 0L))))
  }
  among <- at$engine$among %||% function(x, test) test
  among(x, call("%in%", x, enc2utf8(node$values)))
}

sql_comparison <- function(node, at) {
  sides <- node$args
  types <- vapply(sides, `[[`, "", "type")
  if ("date" %in% types) {
    return(as.call(c(as.name(node$op), lapply(sides, sql_day, at))))
  }
  if ("period" %in% types) {
    return(as.call(c(as.name(node$op),
      lapply(sides,
        function(side) if (side$op == "period") sql_period(side, at) else
        whole_literal(side$value)))))
  }
  a <- sql_number(sides[[1L]], at)
  b <- sql_number(sides[[2L]], at)
  places <- max(a$places, b$places)
  call(node$op, scaled_to(a, places, at)$expr, scaled_to(b, places, at)$expr)
}

sql_day <- function(node, at) {
  if (node$op == "number") dbplyr::sql(sql_days(node$value, at)) else
    if (node$op == "column") sql_cell(node, at) else cannot("a day is computed")
}
