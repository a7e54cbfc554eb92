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
#'   to 100 %. Cut-offs are quantiles of type 7 (Hyndman and Fan, 1996, The American
#'   Statistician 50, 361–365); an item at a cut-off is above it.
#' * `tiers_by_rank()`: by the last rank of each tier.
#' * `tiers_equal()`: so many tiers of equal size; the first ones get one more where
#'   the number does not divide.
#'
#' All but the first are cut anew in each group. Items with equal values are always in
#' one tier. An item without a value is in none, shown as "(none)".
#'
#' @param bounds Named numbers or parts, best tier first: `c(A = 10000, B = 5000)`,
#'   `c(A = "80%", B = "95%")`, ranks `c(A = 10, B = 50)`.
#' @param sizes Named parts that add up to 100 %: `c(A = "5%", B = "15%", C = "80%")`.
#' @param tiers How many tiers.
#' @param rest Label of the tier for all others.
#' @param labels Labels of equal tiers; their numbers by default.
#' @param of Name of another measure of the standings to tier by, such as `margin`; the
#'   one that they are ranked by, if `NULL`.
#' @param boundary `"reach"` or `"within"`.
#' @param colours Colours of the tiers, named by label; the package's own by default.
#' @param x A scheme.
#' @param ... Ignored.
#' @returns A scheme, a value of class `eggcrate_scheme`.
#' @section Errors: `eggcrate_error_scheme` says which tier is wrong, and how.
#' @export
#' @examples
#' tiers_by_share(c(A = "80%", B = "95%"), rest = "C")
#' tiers_by_percentile(c(A = "5%", B = "15%", C = "60%", D = "20%"))
tiers_by_value <- function(bounds, rest = "rest", of = NULL, colours = NULL) {
  scheme_value(bounds, rest, tier_measure(substitute(of), parent.frame()), colours = colours,
    call = sys.call()[1L])
}

#' @rdname tiers_by_value
#' @export
tiers_by_share <- function(bounds, rest = "rest", boundary = "reach", of = NULL, colours = NULL) {
  scheme_share(bounds, rest, tier_measure(substitute(of), parent.frame()), boundary, colours,
    sys.call()[1L])
}

#' @rdname tiers_by_value
#' @export
tiers_by_percentile <- function(sizes, of = NULL, colours = NULL) {
  scheme_percentile(sizes, tier_measure(substitute(of), parent.frame()), colours, sys.call()[1L])
}

#' @rdname tiers_by_value
#' @export
tiers_by_rank <- function(bounds, rest = "rest", of = NULL, colours = NULL) {
  scheme_rank(bounds, rest, tier_measure(substitute(of), parent.frame()), colours, sys.call()[1L])
}

#' @rdname tiers_by_value
#' @export
tiers_equal <- function(tiers, labels = NULL, of = NULL, colours = NULL) {
  scheme_equal(tiers, labels, tier_measure(substitute(of), parent.frame()), colours, sys.call()[1L])
}

# The name of a measure, bare or as text.
tier_measure <- function(code, env) {
  of <- capture(code, env)
  if (is.name(of)) as.character(of) else if (is.null(of) || is.character(of)) of else expr_text(of)
}

#' @rdname tiers_by_value
#' @export
print.eggcrate_scheme <- function(x, ...) {
  writeLines(format(x))
  invisible(x)
}

#' @rdname tiers_by_value
#' @export
format.eggcrate_scheme <- function(x, ...) {
  c(scheme_title(x), paste0("  ", align(x$labels, "left"), "  ", tier_intervals(x)))
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
#'   `spare` (double, in units of the measure), and `tier_before` if asked for.
#' @inheritSection tiers_by_value Errors
#' @seealso [tier_table()] counts them, [chart_tiers()] draws them, [only()] with
#'   `in_tier("A")` lists the members of one.
#' @export
#' @examples
#' customers <- standings(demo_orders(), of = sum(net_sales), by = customer)
#' sorted <- assign_tiers(customers, tiers_by_share(c(A = "80%", B = "95%"), rest = "C"))
#' tier_table(sorted)
#' only(sorted, in_tier("B"))
assign_tiers <- function(x, scheme, ..., compare_with = NULL) {
  call <- sys.call()[1L]
  check_no_dots(..., call = call)
  check_standings(x, call = call)
  check_scheme(scheme, call)
  put_tiers(x, scheme, compare_with, call)
}

check_scheme <- function(scheme, call = NULL) {
  if (!inherits(scheme, "eggcrate_scheme")) {
    stop_eggcrate("call", "unknown_value",
      sprintf("`scheme` must be a tier scheme, not %s.", describe(scheme)),
      i = "Make one, for instance with `tiers_by_share(c(A = \"80%\", B = \"95%\"))`.", call = call)
  }
}

put_tiers <- function(x, scheme, compare_with = NULL, call = NULL) {
  check_not_changes(x, "Tiers are", call)
  x <- drop_others(x)
  set <- facts(x)
  columns <- unclass(as_plain(x))
  check_free(c("tier", "to_next", "spare"), columns, is.null(set$scheme), call)
  found <- tier_rows(set, scheme, call)
  at <- whole_rows(set)
  set$scheme <- scheme
  set$tier_number <- found$tier
  set$tier <- labelled_tier(found$tier, scheme)
  set$gaps <- found[c("to_next", "spare")]
  set$cuts <- found$cuts
  set$receipt <- add_rows(set$receipt, list(
    receipt_rows("tiers", "scheme", value = scheme_title(scheme)),
    receipt_rows("tiers", "items without a tier", sum(is.na(found$tier)))
  ))
  set$receipt <- drop_empty_facts(set$receipt)
  here <- function(x) if (is.null(set$rows)) x else x[at]
  columns$tier <- here(shown_tier(set$tier))
  columns$to_next <- here(found$to_next)
  columns$spare <- here(found$spare)
  if (!is.null(compare_with)) {
    columns$tier_before <- tier_before(set, scheme, compare_with, call)[at]
  }
  rebuild(x, columns, set)
}

check_free <- function(names, columns, new, call = NULL) {
  taken <- intersect(names, names(columns))
  if (new && length(taken)) stop_name_taken(taken[1L], "by", call)
}

# factor() would go through the text of each.
labelled_tier <- function(number, scheme) {
  structure(number, levels = scheme$labels, class = "factor")
}

# Items without a value are in a level of their own, if there are any.
shown_tier <- function(tier) {
  if (!anyNA(tier)) {
    return(tier)
  }
  factor(ifelse(is.na(tier), "(none)", as.character(tier)), c(levels(tier), "(none)"))
}

tier_before <- function(set, scheme, other, call = NULL) {
  check_standings(other, "compare_with", call)
  before <- facts(other)
  keys <- names(c(set$question$within, set$question$by))
  if (!identical(keys, names(c(before$question$within, before$question$by)))) {
    stop_eggcrate("call", "unknown_value",
      sprintf("`compare_with` must be standings by %s, as these are.", enumerate(tick(keys))),
      call = call)
  }
  tier <- tier_rows(before, scheme, call)$tier
  both <- lapply(keys,
    function(key) c(set$tally$keys[[key]][set$order], before$tally$keys[[key]][before$order]))
  code <- match_rows(both)
  n <- length(set$cell)
  factor(scheme$labels[tier[match(code[seq_len(n)], code[-seq_len(n)])]], scheme$labels)
}

#' The table of tiers
#'
#' Counts the items of each tier, with its cut-off, total and shares; empty tiers too.
#' Always of all items, whatever [only()] has left.
#'
#' @param x Standings with tiers, from [assign_tiers()].
#' @param by Columns of the standings to count apart, a character vector, such as
#'   those of `show`: tier by region.
#' @returns A tibble, one row per group and tier: the columns of the group, `tier`
#'   (factor, best first), `cut_off` (the value from which an item is in, missing for
#'   the last tier), `items`, the measure, `share_of_items` and `share`; with `by`,
#'   one row per tier and value of these columns, with `items`, the measure and `share`.
#' @export
#' @inherit assign_tiers examples
tier_table <- function(x, by = NULL) {
  call <- sys.call()[1L]
  check_standings(x, call = call)
  set <- facts(x)
  if (is.null(set$scheme)) {
    stop_eggcrate("call", "unknown_value", "These standings have no tiers.",
      i = "Assign them first, with `assign_tiers()`.", call = call)
  }
  tibble::as_tibble(if (is.null(by)) tier_counts(set) else tier_cross(x, by, call))
}

# Tiers against other columns of the rows at hand.
tier_cross <- function(x, by, call = NULL) {
  x <- drop_others(x)
  set <- facts(x)
  for (name in by) {
    if (!name %in% names(x)) stop_unknown_column(name, names(x), "the standings", call)
  }
  measure <- set$question$measures[[1L]]
  if (is.null(set$value)) stop_not_additive(measure, "totals of tiers", call)
  at <- whole_rows(set)
  keys <- unclass(as_plain(x))[c(by, "tier")]
  keys$tier <- as.integer(keys$tier)
  group <- match_rows(keys)
  first <- !duplicated(group)
  sums <- exact_sum_by(exact_at(set$value, at), group, sum(first))
  whole <- exact_sum_by(exact_at(set$value, at), rep(1L, length(at)), 1L)
  out <- c(lapply(keys, function(key) key[first]), list(items = tabulate(group)),
    with_names(list(exact_real(sums)), measure$name),
    list(
      share = if (exact_signs_(whole$value) > 0L) {
        exact_share(sums, whole)
      } else {
        rep(NA_real_, sum(first))
      }))
  out$tier <- factor(levels(x$tier)[out$tier], levels(x$tier))
  order <- order_keys(c(lapply(out[by], plain_key), list(as.integer(out$tier))))
  lapply(out, function(column) column[order])
}

# Schemes as text ------------------------------------------------------------

#' A scheme written as in R, from the command line: one of five calls with plain
#' values, never run as R code.
#' @noRd
read_scheme <- function(x, call = NULL) {
  expr <- read_expression(x, "scheme", call)
  makers <- list(tiers_by_value = tiers_by_value, tiers_by_share = tiers_by_share,
    tiers_by_percentile = tiers_by_percentile, tiers_by_rank = tiers_by_rank,
    tiers_equal = tiers_equal)
  if (!is.call(expr)) stop_scheme("A scheme is a call such as tiers_by_rank(c(A = 10, B = 50)).",
    sprintf("The schemes are %s.", enumerate(tick(names(makers)))), call)
  name <- called(expr, "schemes", names(makers), call)
  given <- as.list(expr)[-1L]
  unknown <- setdiff(names(given), c("", names(formals(makers[[name]]))))
  if (length(unknown)) {
    stop_unknown_value(sprintf("an argument of %s()", name), unknown[1L],
      names(formals(makers[[name]])), call)
  }
  values <- lapply(given, function(arg) {
    if (is.name(arg)) {
      as.character(arg)
    } else if (is_call_to(arg, "c")) {
      named_values(arg, expr, call)
    } else {
      plain_value(arg, expr, call)
    }
  })
  do.call(makers[[name]], values)
}

named_values <- function(arg, expr, call = NULL) {
  values <- lapply(as.list(arg)[-1L], plain_value, expr = expr, call = call)
  unlist(values)
}
