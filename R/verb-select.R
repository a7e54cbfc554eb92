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
  keep_only(x, capture(substitute(which), parent.frame()), others, at_cut, call)
}

#' @rdname only
#' @export
highlight <- function(x, which, ..., at_cut = "keep") {
  call <- sys.call()[1L]
  check_no_dots(..., call = call)
  check_standings(x, call = call)
  mark_items(x, capture(substitute(which), parent.frame()), at_cut, call)
}

keep_only <- function(x, expr, others = FALSE, at_cut = "keep", call = NULL) {
  x <- drop_others(x)
  found <- select_rows(expr, unclass(as_plain(x)), facts(x), at_cut, call)
  set <- facts(x)
  set$rows <- whole_rows(set)[found$rows]
  set$only <- c(set$only, found$text)
  set$receipt <- selection_receipt(set$receipt, "only", found, at_cut)
  columns <- lapply(unclass(as_plain(x)), key_at, found$rows)
  if (isTRUE(others)) {
    rest <- others_rows(columns, set)
    columns <- Map(join_columns, columns, rest$columns[names(columns)])
    set$rows <- c(set$rows, rep(NA_integer_, length(rest$cell)))
    if (length(set$totals$items) > 1L) {
      at <- order(c(set$cell[set$rows[!is.na(set$rows)]], rest$cell))
      columns <- lapply(columns, function(column) column[at])
      set$rows <- set$rows[at]
    }
  }
  rebuild(x, columns, set)
}

mark_items <- function(x, expr, at_cut = "keep", call = NULL) {
  x <- drop_others(x)
  found <- select_rows(expr, unclass(as_plain(x)), facts(x), at_cut, call)
  set <- facts(x)
  set$highlight <- found$text
  set$highlighted <- whole_rows(set)[found$rows]
  set$receipt <- selection_receipt(set$receipt, "highlight", found, at_cut)
  rebuild(x,
    replace(unclass(as_plain(x)), "highlighted", list(replace(logical(nrow(x)), found$rows, TRUE))),
    set)
}

selection_receipt <- function(receipt, step, found, at_cut) {
  add_rows(receipt, list(
    receipt_rows(step, "items", length(found$rows), found$text),
    if (found$cut) {
      receipt_rows(step, "tied items at the cut", found$cut, at_cut, cut_notes[[at_cut]])
    }
  ))
}

cut_notes <- c(keep = "a tie at the cut is in as a whole",
  drop = "a tie at the cut is out as a whole", split = "a tie at the cut is split in row order")

# The same kind of result with other columns and rows.
rebuild <- function(x, columns, set) {
  structure(columns, row.names = .set_row_names(length(columns[[1L]])), eggcrate = set,
    class = class(x), names = names(columns))
}

# All others ---------------------------------------------------------------

# A row of all others belongs to one selection, and goes before the next.
drop_others <- function(x) {
  set <- facts(x)
  if (!anyNA(set$rows)) {
    return(x)
  }
  keep <- !is.na(set$rows)
  set$rows <- set$rows[keep]
  rebuild(x, lapply(unclass(as_plain(x)), function(column) column[keep]), set)
}

# One row for each group that has a rest; what all others have no share in is missing.
others_rows <- function(columns, set) {
  rest <- fold_rows(set, set$rows)
  cell <- which(rest$items > 0)
  known <- c(
    lapply(set$totals[group_names(set$question)], function(key) key[cell]),
    with_names(list(sprintf("all others (%d)", rest$items[cell])), names(set$question$by)[1L]),
    lapply(rest$values, function(value) value[cell]), list(share = rest$share[cell])
  )
  list(cell = cell, columns = lapply(with_names(names(columns), names(columns)),
    function(name) known[[name]] %||% rep(columns[[name]][NA_integer_], length(cell))))
}

# A key that is a number or a date becomes text beside "all others".
join_columns <- function(column, more) {
  if (is.factor(column)) {
    factor(c(as.character(column), as.character(more)), levels(column))
  } else if (is.character(more) && !is.character(column)) {
    c(written_text(column), more)
  } else {
    c(column, more)
  }
}
