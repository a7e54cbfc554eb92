#' Changes between two periods
#'
#' Compares what each item had in two periods: the amount of the change, greatest loss
#' first, its percent, the change of rank, and a class.
#'
#' * `new`: not there in any period before `to`;
#' * `returned`: not there in `from`, but some time before `to`;
#' * `up`, `unchanged`, `down`: present in both; unchanged within the tolerance;
#' * `lost`: there in `from` and not in `to`.
#'
#' An item is present in a period if it has a row that is used, or a value; `present` sets the rule.
#' The classes are computed from the rows that pass the filter, so another filter can change them.
#'
#' By default the last two complete periods of `over` are compared. `from` and `to` may be
#' periods of that unit, such as `"2026-04"` for months, relative ones, such as
#' `latest(quarter)`, `year_ago(latest(month))` or `year_to_date`, or any two days with a
#' stroke between them: `"2025-04-01/2025-06-30"` (ISO 8601). Where both are given, `over` may
#' be the date itself. Intervals of different lengths are compared as given, and the result
#' says how many days each has. A `to` that is not complete, such as `current(month)`, is compared
#' with the same days of `from`, and the result says so. Without `from`, the period
#' before `to` is taken; for the year to date, that of a year ago.
#'
#' What an item did not have is 0 for sums and counts, and missing for rates, means and
#' medians. Rows before `to` that are in neither period are history: they only tell new
#' from returned.
#'
#' Where each period has a column of its own, `from` and `to` are measures, and `of` and `over`
#' are left away: `from = sum(sales_2025), to = sum(sales_2026)`. There is no time before then, so
#' that nobody has returned.
#'
#' @inheritParams standings
#' @param over A period of a date, such as `month(order_date)`.
#' @param from,to The periods to compare; or two measures, without `of` and `over`.
#' @param also Further measures, whose values in both periods, change and percent stand beside;
#'   ranks, classes and order are those of `of`.
#' @param tolerance Up to which part of `from` a change counts as unchanged: `"5%"`.
#' @param lost_after Days without an order after which an item is lost: with 90, one whose
#'   last order was less than 90 days before the end of `to` is down, not lost, and one
#'   that comes back within 90 days is up, not returned.
#' @param present What makes an item be there in a period: `"rows"`, a row that is used, or
#'   `"value"`, a value other than 0; by default rows, and the value for two columns.
#' @returns A tibble of class `eggcrate_changes`, one row per item that was there in one of
#'   the periods, greatest loss first: the `within` and `by` columns, and
#'   \describe{
#'     \item{`from`, `to`, `change`}{double: the measure in the two periods, and `to` less
#'       `from`}
#'     \item{`percent`}{double, a part of `from`: missing where that is not above zero}
#'     \item{`class`}{factor}
#'     \item{`rank_from`, `rank_to`, `rank_change`}{ranks among those that were there; a
#'       rise is positive}
#'     \item{`last_order`}{Date of the last row that is used, up to the end of `to`; not for two
#'       columns, nor for years that are numbers}
#'   }
#'   of each additional measure `_from`, `_to`, `_change` and `_percent` behind its name, and the
#'   `show` columns. Selections such as `top(5)` go by the change, the best first.
#' @section Errors: Those of [standings()]; `eggcrate_error_period` for a period that the
#'   data do not have.
#' @seealso [class_table()] counts the classes, [bridge_table()] leads from the old total to
#'   the new, [chart_changes()] and [chart_bridge()] draw them; [only()] keeps some:
#'   `only(x, class == "lost")`.
#' @export
#' @examples
#' x <- compare_periods(demo_orders(), of = sum(net_sales), by = customer,
#'   over = quarter(order_date))
#' x
#' only(x, class == "lost" & rank_from <= 50)
#' compare_periods(demo_orders(), of = sum(net_sales), by = region, over = month(order_date),
#'   to = current(month))
#' compare_periods(demo_orders(), of = sum(net_sales), by = region, over = quarter(order_date),
#'   also = c(orders = distinct(order_no), profit = sum(profit)))
#' compare_periods(demo_orders(), of = sum(net_sales), by = category, over = month(order_date),
#'   from = year_ago(latest(month)))
#' compare_periods(demo_orders(), of = sum(net_sales), by = region, over = order_date,
#'   from = "2025-04-01/2025-06-15", to = "2026-04-01/2026-06-15")
compare_periods <- function(data, of, by, over, where, ..., from, to, within, also, show,
  tolerance = 0,
  lost_after = NULL, present = NULL, best = "highest", ties = "min", as_of = NULL, date) {
  call <- sys.call()[1L]
  check_no_dots(..., call = call)
  source <- open_source(data, data_place(substitute(data), parent.frame()), call = call)
  ask("changes", verb_args("changes", environment()), source, call)
}

#' The table of classes, and the bridge
#'
#' `class_table()` counts the items of each class, with their totals in the two periods;
#' empty ones too. The changes of the classes add up to the change of the total.
#' `bridge_table()` leads from the old total to the new, one step for each class.
#'
#' @param x The result of [compare_periods()].
#' @param by Columns of `x` to count apart, a character vector, such as those of `show`.
#' @param ... Must be empty.
#' @returns `class_table()`: a tibble, one row per group and class: the columns of the group
#'   (or of `by`), `class` (factor), `items`, `from`, `to`, `change` and `share_of_items`.
#'   `bridge_table()`: one row per group and step: `step` (`"from"`, the classes, `"to"`),
#'   `items`, `amount`, and `end`, the total after the step.
#' @section Errors: `eggcrate_error_not_additive` for the bridge of a measure that does not
#'   add up.
#' @export
#' @examples
#' x <- compare_periods(demo_orders(), of = sum(net_sales), by = customer,
#'   over = quarter(order_date), show = region)
#' class_table(x)
#' class_table(x, by = "region")
#' bridge_table(x)
class_table <- function(x, by = NULL, ...) {
  call <- sys.call()[1L]
  check_no_dots(..., call = call)
  check_result(x, "eggcrate_changes", "the result of `compare_periods()`", call)
  by <- column_names(capture("by", environment()), call)
  tibble::as_tibble(
    if (is.null(by)) class_counts(answer_of(x)) else class_cross(drop_others(x), by, call)
  )
}

#' @rdname class_table
#' @export
bridge_table <- function(x, ...) {
  call <- sys.call()[1L]
  check_no_dots(..., call = call)
  check_result(x, "eggcrate_changes", "the result of `compare_periods()`", call)
  tibble::as_tibble(checked_bridge(answer_of(x), call))
}
