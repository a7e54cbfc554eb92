#' Ask the same one level below
#'
#' Asks the question of some standings again, of the rows of one or more of their items
#' only, and by another column: a customer's products, the regions of a tier.
#'
#' @param x Standings, still in the session in which they were made.
#' @param item Names of items, as in `items()` of [only()]; or a selection such as
#'   `in_tier("A")` or `top(3)`.
#' @param by What to rank: a column, or several as in `c(town, region)`.
#' @param ... Must be empty.
#' @returns Standings of the same measures, by the new column. Groups of `x` in which no
#'   item was chosen have no rows.
#' @section Errors: `eggcrate_error_unknown_item` for an item that is not there;
#'   `eggcrate_error_gone` when `x` was read from a file and its rows are no longer at
#'   hand.
#' @export
#' @examples
#' customers <- standings(demo_orders(), of = sum(net_sales), by = customer)
#' drill(customers, "Varlow Boatyard", by = category)
#' drill(customers, top(3), by = product)
drill <- function(x, item, by, ...) {
  call <- sys.call()[1L]
  check_no_dots(..., call = call)
  check_standings(x, call = call)
  at_rest(ask_drill(x, capture("item", environment()), capture("by", environment()), call))
}
