# Another order of the rows: ranks, shares and groups stay as they are.

#' @param expr Columns of the result: `profit`, `-profit`, `c(region, profit)`.
#' @noRd
order_rows <- function(x, expr, call = NULL) {
  x <- drop_others(at_hand(x))
  ans <- answer_of(x)
  columns <- unclass(as_plain(x))
  expr <- read_order(expr, columns, call)
  parts <- with_mending(expr, NULL, columns_schema(columns),
    function(expr) order_parts(expr, columns, call))
  at <- ans$ranked$cell[whole_rows(ans)]
  keys <- c(list(match(at, at)), lapply(parts, `[[`, "key"))
  falling <- c(FALSE, vapply(parts, `[[`, NA, "falling"))
  order <- do.call(base::order,
    c(keys, list(method = "radix", decreasing = falling, na.last = TRUE)))
  ans$rows <- whole_rows(ans)[order]
  text <- enumerate(vapply(parts, `[[`, "", "text"))
  ans <- with_facet(ans, "order", text = text)
  ans$receipt <- add_rows(without_step(ans$receipt, "order"),
    list(receipt_rows("order", "rows", value = text,
      note = "ranks and shares stay those of the measure")))
  rebuild(x, lapply(columns, function(column) column[order]), ans)
}

# A text that is a column's name is that column.
read_order <- function(x, columns, call = NULL) {
  if (is.null(x)) {
    stop_missing_arg("by", "Name a column, such as `profit`, or `-profit` for lowest first.",
      call)
  }
  named <- text_keys(x, names(columns))
  read_expression(named, "the order", call)
}

# Figures go from the highest, text and days from the first; `-` turns that round.
order_parts <- function(expr, columns, call = NULL) {
  lapply(key_parts(expr), function(part) {
    turned <- is_call_to(part, "-") && length(part) == 2L
    name <- if (turned) part[[2L]] else part
    if (!is.name(name)) {
      stop_expression("An order is made of columns of the result.", expr_text(expr),
        "Write `profit`, `-profit` or `c(region, profit)`.", call)
    }
    name <- name_text(name)
    if (!name %in% names(columns)) {
      stop_unknown_column(name, names(columns), "the result", call = call)
    }
    column <- columns[[name]]
    figure <- is.numeric(column) && !inherits(column, "Date") && name != "rank"
    falling <- figure != turned
    list(key = order_key(column), falling = falling,
      text = paste0(name, if (figure) c(", lowest first", ", highest first")[falling + 1L] else
        if (falling) ", last first"))
  })
}

order_key <- function(column) {
  if (is.character(column)) enc2utf8(column) else if (is.factor(column)) as.integer(column) else
    as.numeric(column)
}
