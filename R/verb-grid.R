#' Heat grid
#'
#' A measure by rows and columns, such as regions by months, with a shade for each cell
#' that says how it stands among the others.
#'
#' * `shade = "rank"`: by the part of the other cells that a cell beats, 0 to 1; equal cells
#'   have one shade, a cell alone or all equal ones the middle.
#' * `shade = "value"`: along straight lines from `floor` (0) over `target` (the middle) to
#'   `ceiling` (1), and no further; the least and the greatest of the cells where nothing is
#'   said. With `centre` the shade is signed, -1 to 1, and equal on both sides.
#'
#' Cells are compared with `"all"` others, or `along = "rows"` or `"columns"`. High is good:
#' with `best = "lowest"` the low values have the high shades. Totals are never shaded.
#'
#' Periods stand in calendar order, and all of them are there, with or without rows; other
#' keys stand by the value of the whole row or column, best first. A cell without a row
#' of data is blank, not 0. Swapping `by` and `across` (and `"rows"` and `"columns"`) swaps
#' the sides and nothing else.
#'
#' @inheritParams standings
#' @param by What makes the rows.
#' @param across What makes the columns: a period such as `month(order_date)`, a part of the
#'   calendar such as `month_of_year(order_date)`, or a column.
#' @param within Groups of rows, which stand together; cells are compared within their group.
#' @param shade `"rank"` or `"value"`.
#' @param along What a cell is compared with: `"all"`, `"rows"` or `"columns"`.
#' @param scheme Tiers in the place of shades, from [tiers_equal()] and its like: the cells that are
#'   compared are sorted into them.
#' @param totals Whether to show the totals of rows and columns.
#' @param floor,target,ceiling,centre Values that set the shade; numbers.
#' @param x A grid.
#' @param n How many rows to show of each group, `Inf` for all; by default 20, and all that [only()]
#'   has left.
#' @param figures Whether to show the figures; by default where they fit.
#' @param width Maximum number of characters of a line.
#' @returns A tibble of class `eggcrate_grid`, one row per cell: the `within` columns, if any; the
#'   `by` columns; the column of `across` (periods as text); the measure; and `shade` (double, 0 to
#'   1; with a `centre` -1 to 1), or with `scheme` the `tier` (factor).
#' @inheritSection standings Errors
#' @seealso [chart_heat()] draws it.
#' @export
#' @examples
#' heat_grid(demo_orders(), of = sum(net_sales), by = region, across = quarter(order_date),
#'   along = "rows")
#' # Seasons: a line for each year, and the rank of each month within it.
#' heat_grid(demo_orders(), of = sum(net_sales), by = year(order_date),
#'   across = month_of_year(order_date), along = "rows")
#' # Tiers of the cells, and the rows that sell most.
#' highlight(heat_grid(demo_orders(), of = sum(net_sales), by = region,
#'   across = quarter(order_date), scheme = tiers_equal(3)), top(2))
#' heat_grid(demo_orders(), of = per_day(sum(net_sales)), by = category, across = month(order_date),
#'   where = in_period(order_date, last(12, month)))
heat_grid <- function(data, of, by, across, where, ..., within, shade = "rank", along = "all",
  scheme = NULL, floor = NULL, target = NULL, ceiling = NULL, centre = NULL, totals = TRUE,
  best = "highest", as_of = NULL, date) {
  call <- sys.call()[1L]
  check_no_dots(..., call = call)
  source <- open_source(data, data_place(substitute(data), parent.frame()), call = call)
  ask("grid", verb_args("grid", environment()), source, call)
}
