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
  set <- facts(drop_others(x))
  table <- tile_rows(set, read_layout(layout, set, call), top, call = call)
  if (!length(set$cell)) {
    return(empty_chart(set, title))
  }
  draw_tiles(table, set, title)
}

#' @rdname chart_tiles
#' @export
tile_table <- function(x, layout, top = 3) {
  call <- sys.call()[1L]
  check_standings(x, call = call)
  set <- facts(drop_others(x))
  tibble::as_tibble(tile_rows(set, read_layout(layout, set, call), top, call = call))
}

# The column whose values are the tiles: that of the groups, else of the items.
tile_key <- function(set, call = NULL) {
  groups <- names(set$question$within)
  names <- if (length(groups)) groups else names(set$question$by)
  if (length(names) != 1L || length(set$question$over)) {
    stop_eggcrate("call", "unknown_value",
      "A tile layout shows standings by one column, or within one, of one time.", call = call)
  }
  names
}

read_layout <- function(layout, set, call = NULL) {
  if (is.character(layout) && length(layout) == 1L) layout <- read_sales(layout)
  key <- tile_key(set, call)
  if (!is.data.frame(layout)) {
    stop_eggcrate("call", "unknown_value",
      sprintf("`layout` must be a table, not %s.", describe(layout)), call = call)
  }
  for (name in c(key, "row", "column")) {
    if (!name %in% names(layout)) stop_unknown_column(name, names(layout), "the layout", call)
  }
  places <- as.list(layout)[c("row", "column")]
  if (!all(vapply(places, function(p) is.numeric(p) && !anyNA(p) && all(p == floor(p)), NA))) {
    stop_data("value", "`row` and `column` of the layout must be whole numbers.", call = call)
  }
  label <- as.character(layout[[key]])
  twice <- which(duplicated(paste(places$row, places$column)) | duplicated(label))
  if (length(twice)) {
    stop_data("value",
      sprintf("The layout has %s twice, or another tile in its place.", quoted(label[twice[1L]])),
      fields = list(item = label[twice[1L]]), call = call)
  }
  list(label = label, row = places$row, column = places$column)
}
