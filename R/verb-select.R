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
#' * `first_shown(3)`, `last_shown(1)`: of the items that `only()` kept, in the order of their
#'   ranks. `bottom(1)` is the last of all items, whether it is kept or not.
#' * Conditions on the columns of the result, such as `salesperson == "…"` or
#'   `share > 0.1`.
#'
#' Items with equal values are one block. Where a cut by number or part goes through a
#' block, `at_cut` says what becomes of it, and the receipt says that it did.
#' An item without a value is in no group, nor in the complement of one.
#'
#' Up to four selections can be marked, at once or one after the other, each with a sign, a
#' colour and a line with its count and share. An item that is in two has the mark of the
#' first. Marked items are shown and drawn wherever they stand.
#'
#' Of a [heat_grid()] rows are kept or marked, by the value of the whole row; of [movement()] items
#' are kept, by the last complete period that has any, and named ones whenever they are there.
#' Shades, tiers and totals stay those of the whole.
#'
#' @param x Standings, from [standings()], [pareto()], [assign_tiers()] and so on; a grid, or for
#'   `only()` a movement.
#' @param which The selection, an expression or text. A value of your own comes in by
#'   `!!x`.
#' @param ... For `only()` nothing; for `highlight()` additional selections, each with a name, as in
#'   `best = top(3), worst = bottom(3)`.
#' @param others Whether the rest of each group becomes one more row, "all others".
#' @param at_cut `"keep"` all of a tie that a cut goes through, `"drop"` it, or
#'   `"split"` it in row order.
#' @returns Standings with fewer rows, or with one more column, `highlighted`: logical for one
#'   selection without a name, else a factor of the names, missing for the rest.
#' @section Errors: `eggcrate_error_expression` for a selection that cannot be,
#'   `eggcrate_error_unknown_item` for an item that is not there, and
#'   `eggcrate_error_not_additive` for parts of a measure that has no shares.
#' @export
#' @examples
#' customers <- standings(demo_orders(), of = sum(net_sales), by = customer, show = region)
#' only(customers, top(5), others = TRUE)
#' only(customers, top(50) & region == "Northfirth")
#' highlight(customers, bottom(3) | items("Wyrick Slipway"))
#' highlight(customers, best = top(3), worst = bottom(3))
#' highlight(only(customers, top(10)), last_shown(1))
only <- function(x, which, ..., others = FALSE, at_cut = "keep") {
  call <- sys.call()[1L]
  check_no_dots(..., call = call)
  check_selectable(x, paste0("eggcrate_", c("grid", "movement")), call)
  which <- capture("which", environment())
  record_follow_up(follow_up(x, select_only(x, which, isTRUE(others), at_cut, call)), x,
    args = list(only = which,
      others = if (isTRUE(others)) TRUE, at_cut = if (at_cut != "keep") at_cut))
}

#' @rdname only
#' @export
highlight <- function(x, which, ..., at_cut = "keep") {
  call <- sys.call()[1L]
  check_selectable(x, "eggcrate_grid", call)
  marks <- c(list(capture("which", environment())), capture_dots(...))
  unnamed <- names(marks) %in% "" & seq_along(marks) > 1L
  if (any(unnamed)) {
    stop_eggcrate("call", "unknown_value", "A second selection needs a name.",
      i = "Write `highlight(x, best = top(3), worst = bottom(3))`.", call = call)
  }
  if (is.null(marks[[1L]]) && length(marks) > 1L) marks <- marks[-1L]
  record_follow_up(follow_up(x, select_marks(x, marks, at_cut, call)), x,
    args = list(highlight = marks, at_cut = if (at_cut != "keep") at_cut))
}

# Standings, and `others` that can be chosen from too.
check_selectable <- function(x, others, call = NULL) {
  if (missing(x) || !inherits(x, others)) check_standings(x, call = call)
}

#' Show in another order
#'
#' Puts the rows of standings into the order of other columns. Ranks, shares, tiers and totals
#' stay those of the ranking measure, and groups stay together; tables and charts show the rows as
#' they stand.
#'
#' @param x Standings, from [standings()], [pareto()], [assign_tiers()] and so on.
#' @param by Columns of the result, bare or as text: `profit`, or several as in
#'   `c(town, profit)`. Figures go from the highest to the lowest, ranks, text and days from the
#'   first to the last; a minus sign turns that round, as in `-profit`. Rows without a value are
#'   last.
#' @param ... Must be empty.
#' @returns The same standings, with their rows in another order.
#' @section Errors: `eggcrate_error_unknown_column` for a column that is not there,
#'   `eggcrate_error_expression` for anything that is no column.
#' @export
#' @examples
#' customers <- standings(demo_orders(), of = sum(net_sales), by = customer,
#'   also = c(profit = sum(profit)))
#' in_order(only(customers, top(5)), profit)
#' in_order(customers, -profit)
in_order <- function(x, by, ...) {
  call <- sys.call()[1L]
  check_no_dots(..., call = call)
  check_standings(x, call = call)
  by <- capture("by", environment())
  record_follow_up(follow_up(x, order_rows(x, by, call)), x, args = list(order_by = by))
}
