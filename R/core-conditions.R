# Conditions on the columns of a result.

columns_schema <- function(columns) {
  list(name = "the result", types = vapply(columns, column_type, ""), odd = list(), coverage = NULL)
}

condition_truth <- function(expr, columns, call = NULL) {
  kinds <- lapply(Filter(is.factor, columns), levels)
  columns <- lapply(columns, function(x) if (is.factor(x)) as.character(x) else x)
  node <- compile_row(expr, columns_schema(columns), "selections", call)
  if (node$type != "flag") {
    stop_type(sprintf("A selection must be true or false of each item, not %s.",
      type_words[[node$type]]), expr_text(expr),
      call = call)
  }
  check_kinds(node, kinds, call)
  node_values(node, columns)
}

# A tier, class or quadrant that there is not would select nothing without a word.
check_kinds <- function(node, kinds, call = NULL) {
  if (node$op == "text_test" && !is.null(kinds[[node$args[[1L]]$name]])) {
    name <- node$args[[1L]]$name
    for (value in node$values) {
      if (!value %in% kinds[[name]]) stop_unknown_value(name, value, kinds[[name]], call)
    }
  }
  for (side in node$args) check_kinds(side, kinds, call)
}

# The values of a node along rows that are plain vectors already.
node_values <- function(node, columns) {
  sides <- lapply(if (node$op == "text_test") list() else node$args, node_values, columns = columns)
  switch(node$op,
    column = present(columns[[node$name]]),
    number = , text = , flag = node$value,
    negate = -sides[[1L]],
    text_test = {
      x <- present(columns[[node$args[[1L]]$name]])
      ifelse(is.na(x), NA, enc2utf8(as.character(x)) %in% enc2utf8(node$values))
    },
    same_text = , "==" = sides[[1L]] == sides[[2L]],
    is_missing = is.na(sides[[1L]]),
    period = period_number(sides[[1L]], node$period),
    do.call(node$op, sides)
  )
}

present <- function(x) {
  if (is.character(x)) x[blank_texts_(x)] <- NA
  if (inherits(x, "Date")) as.numeric(x) else x
}
