#' Regions laid out as on a map
#'
#' Places regions (or any items) as tiles of one size, so that small ones can be read like
#' large ones. A layout is a table with the region, its row and its column.
#'
#' Of standings by region each tile has the region's value, rank and share, and its tier
#' where tiers are assigned. Of standings `within` regions a tile has the total of the region,
#' and its first items are in the table and in the alternative text of the picture.
#'
#' @param x Standings by one column, or within one.
#' @param layout A data frame with that column, `row` and `column` (whole numbers, from the
#'   top left), or the path of a file with one.
#' @param top How many items to name for each region.
#' @param title Text to replace the finding.
#' @returns `tile_table()`: a tibble, one row per tile, row by row: the region, `row`, `column`,
#'   `rank`, the measure, `share`, and, where there are, `tier` and `top` (character, the first
#'   items with their values). Regions of the layout without rows have a missing value.
#'   `chart_tiles()`: a ggplot of that.
#' @section Errors: `eggcrate_error_unknown_column` for a layout without the columns,
#'   `eggcrate_error_value` for one with two tiles in one place or with a region of `x` missing.
#' @export
#' @examplesIf requireNamespace("ggplot2", quietly = TRUE)
#' customers <- standings(demo_orders(), of = sum(net_sales), by = customer, within = region)
#' tile_table(customers, demo_tiles())
#' chart_tiles(customers, demo_tiles())
chart_tiles <- function(x, layout, top = 3, title = NULL) {
  call <- sys.call()[1L]
  need_package("ggplot2", "draw a chart", call)
  check_standings(x, call = call)
  ans <- answer_of(drop_others(x))
  table <- tile_rows(ans, read_layout(table_given(layout, call), ans, call), top, call = call)
  if (!length(ans$ranked$cell)) {
    return(empty_chart(ans, title))
  }
  draw_tiles(table, ans, title)
}

#' @rdname chart_tiles
#' @export
tile_table <- function(x, layout, top = 3) {
  call <- sys.call()[1L]
  check_standings(x, call = call)
  ans <- answer_of(drop_others(x))
  tibble::as_tibble(tile_rows(ans, read_layout(table_given(layout, call), ans, call), top, call = call))
}
