#' Pareto reading: the few items with most of the total
#'
#' Standings with the items marked that it takes, from the best down, to reach a
#' part of the total. An item is among them when the running total before it,
#' and before those that tie with it, is still below that part; so the item
#' that crosses the line is in, and a tie at the line is in as a whole.
#'
#' @inheritParams standings
#' @param reach The part of the total to reach: `0.8` or `"80%"`.
#' @param boundary `"reach"`, or `"within"` for the items that stay within the part: the one that
#'   crosses the line, and a tie at it, is out.
#' @returns Standings with one more column, `reached`: `TRUE` for the items
#'   that it takes, missing in a group whose total is not above zero.
#' @inheritSection standings Errors
#' @seealso [chart_pareto()] draws it.
#' @export
#' @examples
#' pareto(demo_orders(), of = sum(net_sales), by = product, reach = "80%")
pareto <- function(data, of, by, where, ..., reach = "80%", boundary = "reach", within, over, also,
  show, having,
  best = "highest", ties = "min", share_of = "group", share_base = "net",
  all_items = NULL, as_of = NULL, date) {
  call <- sys.call()[1L]
  check_no_dots(..., call = call)
  source <- open_source(data, data_place(substitute(data), parent.frame()), call = call)
  ask("pareto", verb_args("pareto", environment()), source, call)
}

#' Number of items that account for 50, 80 or 95%
#'
#' Says how many items, counted one by one from the best down, it takes to reach parts
#' of the total, and the share of the first few.
#'
#' @param x Standings of a measure that adds up.
#' @param shares Shares of the total, such as `c("50%", "80%")` or `0.8`.
#' @param first Numbers of items.
#' @param ... Must be empty.
#' @returns A tibble, one row per group and threshold: the columns of the group,
#'   `threshold` (character), `items` (how many it takes), `with_ties` (how many those
#'   that tie at the cut bring in, as in [pareto()]), `share_of_items`, the measure
#'   and `share` (share of the total of these `items`); missing in a group whose total is not above
#'   zero.
#' @section Errors: `eggcrate_error_not_additive` when the measure has no shares.
#' @export
#' @examples
#' threshold_table(standings(demo_orders(), of = sum(net_sales), by = customer))
threshold_table <- function(x, shares = c("50%", "80%", "95%"), first = c(1, 5, 10), ...) {
  call <- sys.call()[1L]
  check_no_dots(..., call = call)
  check_standings(x, call = call)
  tibble::as_tibble(thresholds_of(answer_of(x), shares, first, call))
}
