#' Top, bottom and other groups
#'
#' `only()` keeps some items of standings and `highlight()` marks them and keeps
#' all. Ranks, shares, tiers and totals stay those of the whole.
#'
#' A selection is made of parts that combine with `&`, `|` and `!`; in groups each
#' group selects its own.
#'
#' * `top(10)`, `bottom(3)`: so many items from the best or the worst end;
#'   `top("33%")`: so large a part of the items, floor((n - 1) p) + 1 of n.
#' * `reaching("80%")`: the items that it takes, from the best down, to reach a part of
#'   the total; the one that crosses it is in. With `boundary = "within"` it is out.
#' * `above(x)`, `at_least(x)`, `below(x)`, `at_most(x)`: by the ranking measure.
#' * `in_tier("A", "B")`: by the tier that [assign_tiers()] gave.
#' * `items("Rope", "Paint")`: by name; names of several columns read
#'   `"town, region"`.
#' * Conditions on the columns of the result, such as `salesperson == "…"` or
#'   `share > 0.1`.
#'
#' Items with equal values are one block. Where a cut by number or part goes through a
#' block, `at_cut` says what becomes of it, and the receipt says that it did.
#' An item without a value is in no group, nor in the complement of one.
#'
#' @param x Standings, from [standings()], [pareto()] or [assign_tiers()].
#' @param which The selection, an expression or text. A value of your own comes in by
#'   `!!x`.
#' @param ... Must be empty.
#' @param others Whether the rest of each group becomes one more row, "all others".
#' @param at_cut `"keep"` all of a tie that a cut goes through, `"drop"` it, or
#'   `"split"` it in row order.
#' @returns Standings with fewer rows, or with one more column, `highlighted` (logical).
#' @section Errors: `eggcrate_error_expression` for a selection that cannot be,
#'   `eggcrate_error_unknown_item` for an item that is not there, and
#'   `eggcrate_error_not_additive` for parts of a measure that has no shares.
#' @export
#' @examples
#' customers <- standings(demo_orders(), of = sum(net_sales), by = customer, show = region)
#' only(customers, top(5), others = TRUE)
#' only(customers, top(50) & region == "Northfirth")
#' highlight(customers, bottom(3) | items("Wyrick Slipway"))
only <- function(x, which, ..., others = FALSE, at_cut = "keep") {
  call <- sys.call()[1L]
  check_no_dots(..., call = call)
  check_standings(x, call = call)
  at_rest(select_only(x, capture("which", environment()), isTRUE(others), at_cut, call))
}

#' @rdname only
#' @export
highlight <- function(x, which, ..., at_cut = "keep") {
  call <- sys.call()[1L]
  check_no_dots(..., call = call)
  check_standings(x, call = call)
  at_rest(mark_items(x, capture("which", environment()), at_cut, call))
}
