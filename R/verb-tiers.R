#' Tier schemes
#'
#' A scheme says how items are sorted into tiers, best first. It is checked when it is
#' made, and prints as intervals without a gap or an overlap.
#'
#' * `tiers_by_value()`: by lower bounds, inclusive (upper bounds, growing, where the
#'   lowest value is best). The same everywhere, in every group.
#' * `tiers_by_share()`: by the cumulative share, from the best down. With
#'   `boundary = "reach"` the item that crosses the line is in the better tier, with
#'   `"within"` it is in the next.
#' * `tiers_by_percentile()`: by sizes from the top, as parts of the items that add up
#'   to 100%. Cut-offs are quantiles of type 7 (Hyndman and Fan, 1996, The American
#'   Statistician 50, 361–365); an item at a cut-off is above it.
#' * `tiers_by_rank()`: by the last rank of each tier.
#' * `tiers_equal()`: so many tiers of equal size; the first ones get one more where
#'   the number does not divide.
#'
#' All but the first are cut anew in each group. Items with equal values are always in
#' one tier. An item without a value is in none, shown as "(none)".
#'
#' @param bounds Named numbers or parts, best tier first: `c(A = 10000, B = 5000)`,
#'   `c(A = "80%", B = "95%")`, ranks `c(A = 10, B = 50)`. Bounds by value may be written as
#'   percentages too: `"30%"` is 0.3.
#' @param sizes Named parts that add up to 100%: `c(A = "5%", B = "15%", C = "80%")`.
#' @param tiers How many tiers.
#' @param rest Label of the tier for all others.
#' @param labels Labels of equal tiers; their numbers by default.
#' @param of Another measure to tier by: the name of one of the standings, such as `margin`, or any
#'   measure, such as `sum(profit) / sum(net_sales)`; the one that they are ranked by, if `NULL`.
#' @param boundary `"reach"` or `"within"`.
#' @param colours Colours of the tiers, named by label; the package's own by default.
#' @param x A scheme.
#' @param ... Must be empty.
#' @returns A scheme, a value of class `eggcrate_scheme`.
#' @section Errors: `eggcrate_error_scheme` says which tier is wrong, and how.
#' @export
#' @examples
#' tiers_by_share(c(A = "80%", B = "95%"), rest = "C")
#' tiers_by_percentile(c(A = "5%", B = "15%", C = "60%", D = "20%"))
tiers_by_value <- function(bounds = NULL, rest = "rest", of = NULL, colours = NULL, ...) {
  bounds <- plain_argument("bounds", environment())
  check_tier_names(bounds, ..., call = sys.call()[1L])
  scheme_value(bounds, rest, tier_measure(capture("of", environment())), colours = colours,
    call = sys.call()[1L])
}

#' @rdname tiers_by_value
#' @export
tiers_by_share <- function(bounds = NULL, rest = "rest", boundary = "reach", of = NULL,
  colours = NULL, ...) {
  bounds <- plain_argument("bounds", environment())
  check_tier_names(bounds, ..., call = sys.call()[1L])
  scheme_share(bounds, rest, boundary, tier_measure(capture("of", environment())), colours,
    sys.call()[1L])
}

#' @rdname tiers_by_value
#' @export
tiers_by_percentile <- function(sizes = NULL, of = NULL, colours = NULL, ...) {
  sizes <- plain_argument("sizes", environment())
  check_tier_names(sizes, ..., call = sys.call()[1L])
  scheme_percentile(sizes, tier_measure(capture("of", environment())), colours, sys.call()[1L])
}

#' @rdname tiers_by_value
#' @export
tiers_by_rank <- function(bounds = NULL, rest = "rest", of = NULL, colours = NULL, ...) {
  bounds <- plain_argument("bounds", environment())
  check_tier_names(bounds, ..., call = sys.call()[1L])
  scheme_rank(bounds, rest, tier_measure(capture("of", environment())), colours, sys.call()[1L])
}

#' @rdname tiers_by_value
#' @export
tiers_equal <- function(tiers = NULL, labels = NULL, of = NULL, colours = NULL, ...) {
  tiers <- plain_argument("tiers", environment())
  check_tier_names(tiers, ..., call = sys.call()[1L])
  scheme_equal(tiers, labels, tier_measure(capture("of", environment())), colours, sys.call()[1L])
}

# Labels belong into one vector.
check_tier_names <- function(first, ..., call = NULL) {
  if (!is.null(first)) check_no_dots(..., call = call)
  if (...length()) {
    given <- as.list(substitute(list(...)))[-1L]
    stop_scheme("The tiers are one argument.",
      sprintf("Write %s.", expr_text(as.call(c(call[[1L]], as.call(c(as.name("c"), given)))))),
      call)
  }
}

#' Sort standings into tiers
#'
#' Adds the tier of each item, what it lacks for the next tier up, and how far it is
#' above its own floor.
#'
#' For schemes by value the lines are the bounds; for the others they are the value
#' of the last item now in the tier, others standing still. The best tier lacks
#' nothing, and the last one has no floor: both are missing there. A tier without
#' items is passed over.
#'
#' @param x Standings, from [standings()] or [pareto()].
#' @param scheme A scheme, such as `tiers_by_share(c(A = "80%", B = "95%"))`.
#' @param ... Must be empty.
#' @param compare_with Standings of the same items in another period, which are
#'   sorted by the same scheme and give the column `tier_before`: missing for an item
#'   that was not there.
#' @returns Standings with the columns `tier` (factor, best first), `to_next` and
#'   `above_cutoff` (double, in units of the measure), and `tier_before` if asked for.
#' @inheritSection tiers_by_value Errors
#' @seealso [tier_table()] counts them, [chart_tiers()] draws them, [only()] with
#'   `in_tier("A")` lists the members of one.
#' @export
#' @examples
#' customers <- standings(demo_orders(), of = sum(net_sales), by = customer)
#' sorted <- assign_tiers(customers, tiers_by_share(c(A = "80%", B = "95%"), rest = "C"))
#' tier_table(sorted)
#' only(sorted, in_tier("B"))
#' assign_tiers(customers, tiers_by_value(c(good = "35%", fair = "25%"), rest = "poor",
#'   of = c(margin = sum(profit) / sum(net_sales))))
assign_tiers <- function(x, scheme, ..., compare_with = NULL) {
  call <- sys.call()[1L]
  check_no_dots(..., call = call)
  check_standings(x, call = call)
  check_scheme(scheme, call)
  if (!is.null(compare_with)) check_standings(compare_with, "compare_with", call)
  record_follow_up(follow_up(x, tiered(x, scheme, compare_with, call)), x, "tiers",
    list(scheme = scheme, compare_with = asked_of(compare_with)$args$where))
}

#' The table of tiers
#'
#' Counts the items of each tier, with its cut-off, total and shares; empty tiers too.
#' Always of all items, whatever [only()] has left.
#'
#' @param x Standings with tiers, from [assign_tiers()].
#' @param by Columns of the standings to count apart, a character vector, such as
#'   those of `show`: tier by region.
#' @param ... Must be empty.
#' @returns A tibble, one row per group and tier: the columns of the group, `tier`
#'   (factor, best first), `cut_off` (the value from which an item is in, missing for
#'   the last tier), `items`, the measure, `share_of_items` and `share`; with `by`,
#'   one row per tier and value of these columns, with `items`, the measure and `share`.
#' @export
#' @inherit assign_tiers examples
tier_table <- function(x, by = NULL, ...) {
  call <- sys.call()[1L]
  check_no_dots(..., call = call)
  check_standings(x, call = call)
  tibble::as_tibble(tier_rows_of(x, column_names(capture("by", environment()), call), call))
}
