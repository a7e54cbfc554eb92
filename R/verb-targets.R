#' Actual against target
#'
#' Holds what each item has against its target: the gap, the attainment, the pace of a
#' period that is not over, and whether the target was missed, met or exceeded.
#'
#' A target comes from
#' * a column of the data, the same in all rows of an item and period: `target = budget`;
#' * a table with the `by` columns, those of `within` and `over` where it has them, and
#'   one column of numbers: `target = targets`, or the path of a file. With a column `month`
#'   in a question over quarters, the targets of the months are added up;
#' * the period before, or a year ago: `target = previous()`, `target = year_ago()`;
#' * a number, the same for all.
#'
#' Items are joined from both sides. A target without sales is missed, with 0. Sales
#' without a target have status "no target" and count in no total of targets. The
#' receipt names both. Conditions on the columns of the table hold for the targets too.
#'
#' Met is an attainment from 1 up to `exceed_at`, exceeded is above. Where the lowest
#' value is best it is turned round: at most the target is met, and exceeded when
#' `exceed_at` times the value is still below it. A target at or below zero has no
#' attainment, and goes by the gap.
#'
#' Incomplete periods are excluded, unless there are no others or you set `incomplete`. Their `pace`
#' is the attainment divided by the share of the days elapsed. With `prorate` only the target for
#' the days elapsed counts. With `previous()` or `year_ago()` the same days are compared.
#'
#' @inheritParams standings
#' @param target Where the target comes from.
#' @param exceed_at The attainment above which a target is exceeded, such as 1.1.
#' @param incomplete Whether to show periods that are not complete.
#' @param prorate Whether the target of a period that is not over counts only for the part of
#'   its days that have elapsed.
#' @returns Standings of the measure, as from [standings()], without the columns of shares,
#'   and with
#'   \describe{
#'     \item{`target`, `gap`}{double: the target, and the measure less the target}
#'     \item{`attainment`}{double: the measure as a part of the target}
#'     \item{`pace`}{double: attainment divided by the share of the days elapsed; missing
#'       without periods}
#'     \item{`status`}{factor: exceeded, met, missed, no target}
#'   }
#' @section Errors: Those of [standings()]; `eggcrate_error_value` when an item has more
#'   than one target in a period.
#' @seealso [status_table()] counts them, [chart_targets()] draws them; [only()] keeps
#'   some: `only(x, status == "missed" & gap < -500)`.
#' @export
#' @examples
#' targets <- demo_targets()
#' x <- against_target(demo_orders(), of = sum(net_sales), by = region, over = month(order_date),
#'   where = in_period(order_date, latest(month)), target = targets)
#' x
#' against_target(demo_orders(), of = sum(net_sales), by = salesperson, over = quarter(order_date),
#'   where = in_period(order_date, latest(quarter)), target = year_ago())
against_target <- function(data, of, by, target, where, ..., within, over, show, exceed_at = 1,
  incomplete = FALSE, prorate = FALSE, best = "highest", ties = "min", as_of = NULL, date) {
  call <- sys.call()[1L]
  check_no_dots(..., call = call)
  source <- open_source(data, data_place(substitute(data), parent.frame()), call = call)
  ask("targets", verb_args("targets", environment()), source, call)
}

#' The table of statuses
#'
#' Counts the items that exceeded, met or missed their target, and those without one,
#' with what they have, their targets, gap and attainment. Always of all items, whatever
#' [only()] has left.
#'
#' @param x The result of [against_target()].
#' @param ... Must be empty.
#' @returns A tibble, one row per group and status: the columns of the group, `status`
#'   (factor), `items`, the measure, `target`, `gap` and `attainment`; sums are missing for
#'   measures that do not add up.
#' @section Errors: `eggcrate_error_unknown_value` when `x` has no targets.
#' @export
#' @examples
#' status_table(against_target(demo_orders(), of = sum(net_sales), by = region,
#'   over = month(order_date),
#'   where = in_period(order_date, latest(month)), target = demo_targets()))
status_table <- function(x, ...) {
  check_no_dots(..., call = sys.call()[1L])
  check_result(x, "eggcrate_targets", "the result of `against_target()`", sys.call()[1L])
  tibble::as_tibble(status_counts(answer_of(x)))
}
