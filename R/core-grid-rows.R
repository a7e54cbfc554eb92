# Rows of a grid that are kept or marked: a selection counts among the rows as standings of their
# own, by the value of the whole row.

#' The rows of a grid as an answer.
#' @noRd
grid_side <- function(ans, call = NULL) {
  side <- ans$facets$grid$side
  if (is.null(side)) {
    stop_eggcrate("call", "unknown_value", "Rows of rates per day have no value of their own.",
      i = "Choose them by `where`.", call = call)
  }
  facets <- side$facets %||% list()
  rows <- side$rows
  columns <- if (is.null(rows)) side$columns else lapply(side$columns, key_at, rows)
  if (!is.null(facets$marks)) {
    marked <- list(ranked = side$ranked, facets = facets, rows = rows)
    columns$highlighted <- mark_column(marked)
  }
  new_answer(columns, side$ranked, side$plan, ans$receipt, ans$source, ans$handle, facets, rows)
}

# Rows of the grid for rows of its side.
side_places <- function(ans, rows) {
  numbers <- ans$facets$grid$numbers$rows
  if (is.null(numbers)) {
    return(rows)
  }
  ranked <- ans$facets$grid$side$ranked
  match(ranked$tally$keys[[1L]][ranked$order[rows]], numbers)
}

keep_grid_rows <- function(x, expr, at_cut = "keep", call = NULL) {
  grid_with(x, keep_only(grid_side(answer_of(x), call), expr, NULL, at_cut, call))
}

mark_grid_rows <- function(x, marks, at_cut = "keep", call = NULL) {
  grid_with(x, mark_items(grid_side(answer_of(x), call), marks, at_cut, call))
}

# The grid with what its side has now.
grid_with <- function(x, side) {
  ans <- answer_of(x)
  found <- answer_of(side)
  ans$receipt <- found$receipt
  ans$facets$grid$side$facets <- found$facets
  ans$facets$grid$side["rows"] <- list(found$rows)
  # Rows that are periods stay in calendar order.
  shown <- side_places(ans, whole_rows(found))
  if (has_facet(found, "selection")) {
    ans$facets$grid$shown <- if (is.null(ans$facets$grid$numbers$rows)) shown else sort(shown)
  }
  if (has_facet(found, "marks")) {
    marks <- integer(length(ans$facets$grid$labels$rows))
    marks[side_places(ans, seq_along(found$ranked$cell))] <- mark_numbers(found)
    ans$facets$grid$marks <- marks
  }
  grid_table(ans)
}

# Along the rows: true or false for one mark without a name, else the name.
grid_mark_column <- function(ans) {
  marks <- ans$facets$grid$side$facets$marks
  marked_by(ans$facets$grid$marks, marks)
}
