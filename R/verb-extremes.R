#' Best and worst
#'
#' The best and the worst item of each group and period, with their share of its total.
#' Items that tie for best or worst are all there. A single item is best, and there is no
#' worst; where all are equal, the result says so.
#'
#' @param x Standings, from [standings()].
#' @param width Maximum number of characters of a line.
#' @param ... Ignored.
#' @returns A tibble of class `eggcrate_extremes`: the columns of the group, `end` (`"best"` or
#'   `"worst"`), `rank`, the `by` columns, the measure, and `share` for measures that add up.
#'   Always of all items, whatever [only()] has left.
#' @section Errors: `eggcrate_error_unknown_value` when `x` is not standings.
#' @seealso [chart_extremes()] draws it.
#' @export
#' @examples
#' extremes(standings(demo_orders(), of = sum(net_sales), by = customer))
#' extremes(standings(demo_orders(), of = sum(net_sales), by = salesperson,
#'   over = quarter(order_date)))
extremes <- function(x, ...) {
  call <- sys.call()[1L]
  check_no_dots(..., call = call)
  check_standings(x, call = call)
  record_follow_up(follow_up(x, as_extremes(x)), x, "extremes")
}
