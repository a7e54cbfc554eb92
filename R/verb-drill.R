#' Rank the rows of some items by another column
#'
#' Asks the question of a ranking again, for the rows of one or more of its items, by another
#' column: the products of a customer, the regions of a tier.
#'
#' @param x A ranking: of [standings()], [pareto()], [assign_tiers()], [quadrants()],
#'   [compare_periods()] or [against_target()]. A saved ranking of a file or of a database address
#'   works, as long as the file is unchanged. A saved ranking of a data frame does not.
#' @param item Names of items, as in `items()` of [only()]; or a selection such as
#'   `in_tier("A")` or `top(3)`.
#' @param by What to rank: a column, or several as in `c(town, region)`.
#' @param ... Must be empty.
#' @returns A ranking of the same measures, by the new column, with the columns of [standings()].
#'   Groups of `x` without a chosen item have no rows.
#' @section Errors: `eggcrate_error_unknown_item` for an item that `x` does not have;
#'   `eggcrate_error_gone` if the rows cannot be read again: the file changed, the connection is
#'   closed, or `x` is a saved ranking of a data frame.
#' @seealso [why()], [only()]
#' @export
#' @examples
#' customers <- standings(demo_orders(), of = sum(net_sales), by = customer)
#' drill(customers, "Varlow Boatyard", by = category)
#' drill(customers, top(3), by = product)
drill <- function(x, item, by, ...) {
  call <- sys.call()[1L]
  check_no_dots(..., call = call)
  check_standings(x, call = call)
  item <- capture("item", environment())
  by <- capture("by", environment())
  follow_up(x, ask_drill(x, item, by, call))
}
