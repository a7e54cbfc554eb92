#' How concentrated sales are
#'
#' Says for each group how much of the total rests on few items: the indices of Gini and
#' Herfindahl, how many items of equal size would be as concentrated, and how many account for 50,
#' 80 and 95%.
#'
#' Both indices count only items above zero; the printed table gives the number of excluded items.
#' Gini is Σ(2i − n − 1)x / (nΣx) with x in ascending order: 0 if all items are equal, near 1 if one
#' item has everything. The Herfindahl–Hirschman index is the sum of the squared shares, from 1/n to
#' 1.
#'
#' @param x Standings of a measure that adds up.
#' @param compare_with Standings of another time to compare with, such as a year ago, in the
#'   same groups.
#' @param width Maximum number of characters of a line.
#' @param ... Ignored.
#' @returns A tibble of class `eggcrate_concentration`, one row per group: the columns of the
#'   group, `items` (above zero), `total`, `gini`, `herfindahl`, `effective` (one over
#'   Herfindahl), `n_50`, `n_80`, `n_95` (how many make these parts, as in
#'   [threshold_table()]), `left_out`; with `compare_with` the same of then, `items_before`
#'   to `left_out_before`, missing for a group that had no rows.
#' @section Errors: `eggcrate_error_not_additive` for measures that have no shares.
#' @references Dixon, P. M., Weiner, J., Mitchell-Olds, T. and Woodley, R. (1987)
#'   Bootstrapping the Gini coefficient of inequality. *Ecology* 68, 1548–1551.
#' @seealso [chart_concentration()] draws the curve.
#' @export
#' @examples
#' orders <- demo_orders()
#' now <- standings(orders, of = sum(net_sales), by = customer,
#'   where = in_period(order_date, year_to_date))
#' before <- standings(orders, of = sum(net_sales), by = customer,
#'   where = in_period(order_date, year_ago(year_to_date)))
#' concentration(now, compare_with = before)
concentration <- function(x, compare_with = NULL, ...) {
  call <- sys.call()[1L]
  check_no_dots(..., call = call)
  check_standings(x, call = call)
  if (!is.null(compare_with)) check_standings(compare_with, "compare_with", call)
  record_follow_up(follow_up(x, as_concentration(x, compare_with, call)), x, "concentration",
    list(compare_with = asked_of(compare_with)$args$where))
}
