#' Movement through time
#'
#' The rank and the tier of each item in each period: who rose, who fell, who came and
#' went.
#'
#' Ranks are among the items that are there in a period; an item without rows in it is
#' absent, a state of its own. All periods are there, with rows or without. Tiers are cut
#' in each period anew, so that relative schemes such as [tiers_equal()] stay meaningful
#' under any filter.
#'
#' @inheritParams standings
#' @param over A period of a date, such as `quarter(order_date)`.
#' @param within Groups, in each of which items are ranked and tiers are cut.
#' @param scheme How tiers are cut, from [tiers_equal()] and its like.
#' @param from,to Two periods to hold against each other, such as `"2026-Q1"`, when the movement
#'   is printed and in [transitions()]; by default the last two complete ones.
#' @param x A movement.
#' @param n How many items to show of each group, `Inf` for all; by default 15, and all that
#'   [only()] has left.
#' @param width Maximum number of characters of a line.
#' @returns A tibble of class `eggcrate_movement`, one row per group, period and item,
#'   absent ones last: the `within` columns, the period, `rank` and `rank_change` (to the period
#'   before; a rise is positive), the `by` columns, the measure, and `tier` (factor; the last level
#'   is "(absent)").
#' @inheritSection standings Errors
#' @seealso [transitions()] counts who moved between tiers, [period_table()] the items of
#'   each period, [chart_movement()] draws it.
#' @export
#' @examples
#' x <- movement(demo_orders(), of = sum(net_sales), by = customer, over = quarter(order_date),
#'   scheme = tiers_equal(3))
#' x
#' transitions(x)
#' only(x, top(5))
#' movement(demo_orders(), of = sum(net_sales), by = salesperson, over = quarter(order_date),
#'   within = region, scheme = tiers_equal(2))
movement <- function(data, of, by, over, where, ..., within, scheme = tiers_equal(4), from = NULL,
  to = NULL, best = "highest", ties = "min", as_of = NULL, date) {
  call <- sys.call()[1L]
  check_no_dots(..., call = call)
  source <- open_source(data, data_place(substitute(data), parent.frame()), call = call)
  ask("movement", verb_args("movement", environment()), source, call)
}

#' Who moved between tiers
#'
#' `transitions()` counts the items by their tiers in two periods. Absent is a tier of its
#' own, so that the margins are the numbers of items in each tier of either period.
#' `period_table()` counts the items of each period. Both are of all items, whatever [only()] has
#' kept.
#'
#' @param x The result of [movement()].
#' @param from,to The periods, such as `"2026-Q1"`; by default those of [movement()]. One that is
#'   not complete is compared only when it is named.
#' @param ... Must be empty.
#' @returns `transitions()`: a tibble, one row per pair of tiers: `from`, `to` (factors) and
#'   `items`. `period_table()`: one row per group and period: the `within` columns, the period,
#'   `items`, `complete` (logical) and the measure of all.
#' @section Errors: `eggcrate_error_period` for a period that is not there.
#' @export
#' @examples
#' x <- movement(demo_orders(), of = sum(net_sales), by = customer, over = quarter(order_date))
#' transitions(x, from = "2025-Q1", to = "2026-Q1")
#' period_table(x)
transitions <- function(x, from = NULL, to = NULL, ...) {
  call <- sys.call()[1L]
  check_no_dots(..., call = call)
  check_result(x, "eggcrate_movement", "the result of `movement()`", call)
  tibble::as_tibble(checked_transitions(answer_of(x), from, to, call))
}

#' @rdname transitions
#' @export
period_table <- function(x, ...) {
  check_no_dots(..., call = sys.call()[1L])
  check_result(x, "eggcrate_movement", "the result of `movement()`", sys.call()[1L])
  tibble::as_tibble(movement_counts(answer_of(x)))
}
