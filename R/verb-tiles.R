# The table of tiles.

#' @rdname chart_tiles
#' @export
tile_table <- function(x, layout, top = 3, ...) {
  call <- sys.call()[1L]
  check_no_dots(..., call = call)
  check_standings(x, call = call)
  ans <- answer_of(drop_others(x))
  tibble::as_tibble(tile_table_rows(ans, table_given(layout, call), top, call))
}
