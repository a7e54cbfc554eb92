#' How firm ranks are
#'
#' Says how sure each rank is, by drawing whole orders anew, with replacement, and ranking
#' again, many times: a rank that a few orders have made has a wide interval. Lines of one
#' order stay together.
#'
#' The ranks are those that remain when half of what is outside `level` is left out at
#' either end. Up to rank 64 they are exact; beyond, an end may be up to a tenth further
#' out, never further in. Whiskers of values are normal intervals around the value, with the
#' variance that such draws have. The same seed gives the same ranks, for any number of
#' threads.
#'
#' @param x Standings of a measure that adds up, still in the session in which they were made.
#' @param orders The column of order numbers; a line without one is an order of its own.
#' @param ... Must be empty.
#' @param times How many times to draw, from 20 to 65,535.
#' @param level The part of the draws within an interval.
#' @param seed A whole number.
#' @returns `x` with the columns `rank_low`, `rank_high` (integer) and `value_low`, `value_high`
#'   (double), and, where it has tiers, `to_cut`: the distance to the nearest line between
#'   tiers.
#' @section Errors: `eggcrate_error_not_additive` for other measures, `eggcrate_error_gone` when
#'   the rows are no longer at hand.
#' @references Davison, A. C. and Hinkley, D. V. (1997) *Bootstrap Methods and their
#'   Application*, section 3.8. Goldstein, H. and Spiegelhalter, D. J. (1996) League tables and
#'   their limitations. *Journal of the Royal Statistical Society A* 159, 385–443.
#' @seealso [chart_bars()] draws the whiskers.
#' @export
#' @examples
#' x <- standings(demo_orders(), of = sum(net_sales), by = salesperson)
#' firmness(x, orders = order_no)
firmness <- function(x, orders, ..., times = 1000, level = "90%", seed = 1) {
  call <- sys.call()[1L]
  check_no_dots(..., call = call)
  check_standings(x, call = call)
  orders <- capture("orders", environment())
  record_further(at_rest(ask_firmness(x, orders, times, level, seed, call)), x, "firmness", list(orders = orders,
    times = if (times != 1000) times, level = if (!identical(level, "90%")) level, seed = if (seed != 1) seed))
}
