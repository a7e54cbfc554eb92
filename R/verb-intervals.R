#' Rank intervals (bootstrap)
#'
#' Adds an interval to each rank. Whole orders are resampled with replacement and ranked again,
#' `times` times. If a rank depends on a few orders, its interval is wide. Lines of one order stay
#' together.
#'
#' `rank_low` and `rank_high` are the percentiles of the resampled ranks at both ends of `level`.
#' They are exact up to rank 64; above it an end may be up to a tenth further out, never further in.
#' `value_low` and `value_high` are normal intervals around the value, with the variance of the
#' resampled sums. The same seed gives the same ranks, for any number of threads.
#'
#' @param x Standings of a measure that adds up, still in the session in which they were made.
#' @param orders The column of order numbers. A row without an order number counts as a separate
#'   order.
#' @param ... Must be empty.
#' @param times Number of resamples, from 20 to 65,535.
#' @param level Share of the resamples within an interval.
#' @param seed A whole number.
#' @returns `x` with the columns `rank_low`, `rank_high` (integer) and `value_low`, `value_high`
#'   (double), and, if it has tiers, `to_cut`: the distance to the nearest cut-off of a
#'   tier.
#' @section Errors: `eggcrate_error_not_additive` for other measures, `eggcrate_error_gone` if
#'   the rows are no longer available.
#' @references Davison, A. C. and Hinkley, D. V. (1997) *Bootstrap Methods and their
#'   Application*, section 3.8. Goldstein, H. and Spiegelhalter, D. J. (1996) League tables and
#'   their limitations. *Journal of the Royal Statistical Society A* 159, 385–443.
#' @seealso [chart_bars()] draws the intervals as error bars.
#' @export
#' @examples
#' x <- standings(demo_orders(), of = sum(net_sales), by = salesperson)
#' rank_intervals(x, orders = order_no)
rank_intervals <- function(x, orders, ..., times = 1000, level = "90%", seed = 1) {
  call <- sys.call()[1L]
  check_no_dots(..., call = call)
  check_standings(x, call = call)
  orders <- capture("orders", environment())
  record_follow_up(follow_up(x, ask_intervals(x, orders, times, level, seed, call)), x, "intervals",
    list(orders = orders,
      times = if (times != 1000) times, level = if (!identical(level, "90%")) level,
      seed = if (seed != 1) seed))
}
