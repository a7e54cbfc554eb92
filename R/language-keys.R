# Keys: columns and periods by which rows are told apart, named as the columns of a result.

# `customer`, `c(town, region)`, `c(position = rank)` or `month(order_date)`: nodes,
# named as the columns of the result.
compile_keys <- function(expr, schema, arg, taken = character(), call = NULL) {
  if (is.null(expr)) {
    return(list())
  }
  with_mending(expr, arg, schema, function(expr) key_nodes(expr, schema, arg, taken, call))
}

key_nodes <- function(expr, schema, arg, taken, call = NULL) {
  parts <- if (is_call_to(expr, "c")) as.list(expr)[-1L] else list(expr)
  nodes <- lapply(parts, function(part) {
    if (is.call(part)) {
      called(part, sprintf("`%s`", arg), c(names(period_units), names(calendar_parts)), call)
    }
    if (is.name(part) || is.call(part)) compile_row(part, schema, arg, call)
  })
  if (!length(parts) || any(vapply(nodes, is.null, NA))) {
    stop_expression(sprintf("`%s` must name one or more columns.", arg), expr_text(expr),
      paste("Write `customer`, `c(town, region)`, `month(order_date)`, or `c(place = town)` to",
        "rename one."), call = call)
  }
  shown <- names(parts) %||% rep("", length(parts))
  own <- vapply(nodes, function(node) if (node$op == "period") node$period$unit else node$text, "")
  shown[!nzchar(shown)] <- own[!nzchar(shown)]
  again <- shown %in% c(own_columns, taken) | duplicated(shown)
  if (any(again)) stop_name_taken(shown[again][1L], arg, call, nodes[[which(again)[1L]]]$text)
  with_names(nodes, shown)
}

own_columns <- c("rank", "share", "running", "cum_share", "percentile")
