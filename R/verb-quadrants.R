#' Quadrants: two measures, each split in two
#'
#' Sorts items into four groups by two measures: high or low in the one, high or low in
#' the other. Big customers that earn little are high in sales and low in margin.
#'
#' A split is `"median"` or `"mean"` of the items, `"overall"` (the measure over all
#' rows: the margin of everything), or a number. An item at the split is high. The splits
#' are made in each group of `within` and `over`. An item without one of the two values is
#' in no quadrant, shown as "(none)", and outside the medians and means.
#'
#' @inheritParams standings
#' @param against The second measure, such as `c(margin = sum(profit) / sum(net_sales))`.
#' @param split_of,split_against Where each measure is split; by default `"overall"` for
#'   ratios and means, `"median"` for anything else.
#' @param groups Names of the four quadrants, in the order high-high, high-low, low-high,
#'   low-low; by default made from the measures, such as "high net_sales, low margin".
#' @param near How far from a split, as a part of it, an item is still near it.
#' @param potential_at If the second measure is a ratio: the target ratio for the potential gain,
#'   such as 0.35 or `"35%"`; by default the split.
#' @returns Standings of the first measure, as from [standings()], sorted by quadrant and
#'   then by rank, with the second measure and
#'   \describe{
#'     \item{`quadrant`}{factor, in the order above}
#'     \item{`gap_of`, `gap_against`}{double: the value less the split}
#'     \item{`near`}{logical: is the item near a split?}
#'     \item{`potential`}{double, where the second measure is a ratio: what closing the gap would
#'     bring, the denominator times the ratio of `potential_at`, less the numerator; missing for
#'     items that have that ratio already, or whose denominator is not above zero}
#'   }
#'   Ranks, shares and selections such as `top(10)` are those of all items of the group.
#' @inheritSection standings Errors
#' @seealso [quadrant_table()] counts them, [chart_quadrants()] draws them; [only()]
#'   keeps one: `only(x, quadrant == "high net_sales, low margin")`.
#' @export
#' @examples
#' x <- quadrants(demo_orders(), of = sum(net_sales),
#'   against = c(margin = sum(profit) / sum(net_sales)), by = customer)
#' x
#' only(x, near & top(20))
quadrants <- function(data, of, against, by, where, ..., split_of = NULL, split_against = NULL,
  groups = NULL, near = "5%", potential_at = NULL, within, over, also, show,
  having,
  best = "highest", ties = "min", share_of = "group", share_base = "net",
  all_items = NULL, as_of = NULL, date) {
  call <- sys.call()[1L]
  check_no_dots(..., call = call)
  source <- open_source(data, data_place(substitute(data), parent.frame()), call = call)
  ask("quadrants", verb_args("quadrants", environment()), source, call)
}

#' The table of quadrants
#'
#' Counts the items of each quadrant, with its part of the items, its total and share, the
#' second measure as a whole, and the splits; empty quadrants too. Always of all items,
#' whatever [only()] has left.
#'
#' @param x The result of [quadrants()].
#' @param ... Must be empty.
#' @returns A tibble, one row per group and quadrant: the columns of the group, `quadrant` (factor),
#'   `items` (integer), `share_of_items` (double, 0 to 1), the first measure and its `share`, the
#'   second measure over all rows of the quadrant, additional measures, `potential` (double, in
#'   units of the numerator) if the second measure is a ratio, `split_of` and `split_against`
#'   (double).
#' @section Errors: `eggcrate_error_unknown_value` when `x` has no quadrants.
#' @export
#' @examples
#' quadrant_table(quadrants(demo_orders(), of = sum(net_sales),
#'   against = c(margin = sum(profit) / sum(net_sales)), by = customer))
quadrant_table <- function(x, ...) {
  check_no_dots(..., call = sys.call()[1L])
  check_result(x, "eggcrate_quadrants", "the result of `quadrants()`", sys.call()[1L])
  tibble::as_tibble(quadrant_counts(answer_of(x)))
}
