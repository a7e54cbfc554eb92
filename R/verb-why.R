#' Why an item stands where it does
#'
#' The steps that put an item in its place: its rows, its value, who is next above and
#' below and by how much, its share and the sums behind it, its percentile, and its tier,
#' quadrant, class or status.
#'
#' @param x Standings, or the result of [quadrants()], [compare_periods()] or
#'   [against_target()].
#' @param item The name of one item; of several columns, `"town, region"`. Use `""` for the item
#'   without a key.
#' @param width Maximum number of characters of a line.
#' @param ... Ignored.
#' @returns A tibble of class `eggcrate_why`, which prints as sentences: `step`
#'   (character), `value` (double) and `text` (character); in groups the steps of each
#'   group that the item is in, with `group` (character).
#' @section Errors: `eggcrate_error_unknown_item` for an item that is not there.
#' @export
#' @examples
#' customers <- standings(demo_orders(), of = sum(net_sales), by = customer)
#' why(assign_tiers(customers, tiers_by_share(c(A = "80%", B = "95%"), rest = "C")),
#'   "Merrisk Ferries")
why <- function(x, item, ...) {
  call <- sys.call()[1L]
  check_no_dots(..., call = call)
  check_standings(x, call = call)
  if (missing(item)) stop_missing_arg("item", "Name the item to explain.", call)
  record_follow_up(follow_up(x, explain(x, item, call)), x, "why", list(item = item))
}
