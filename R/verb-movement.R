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
#' @param scheme How tiers are cut, from [tiers_equal()] and its like.
#' @param from,to Two periods to hold against each other, such as `"2026-Q1"`, when the movement
#'   is printed and in [transitions()]; by default the last two complete ones.
#' @param x A movement.
#' @param n How many items to show; `Inf` for all.
#' @param width How many letters a line may have.
#' @returns A tibble of class `eggcrate_movement`, one row per period and item, absent ones
#'   last: the period, `rank` and `rank_change` (to the period before; a rise is positive),
#'   the `by` columns, the measure, and `tier` (factor; the last level is "(absent)").
#' @inheritSection standings Errors
#' @seealso [transitions()] counts who moved between tiers, [period_table()] the items of
#'   each period, [chart_movement()] draws it.
#' @export
#' @examples
#' x <- movement(demo_orders(), of = sum(net_sales), by = customer, over = quarter(order_date), scheme = tiers_equal(3))
#' x
#' transitions(x)
movement <- function(data, of, by, over, where, ..., scheme = tiers_equal(4), from = NULL,
  to = NULL, best = "highest", ties = "min", as_of = NULL) {
  call <- sys.call()[1L]
  check_no_dots(..., call = call)
  asked <- called_words(environment(), parent.frame(), c("of", "by", "over", "where"))
  rules <- replace(default_rules(), c("best", "ties", "as_of"), list(best, ties, as_of))
  check_scheme(scheme, call)
  ask_movement(data, asked, rules, scheme, list(from = from, to = to), data_name(substitute(data)),
    call = call)
}

ask_movement <- function(data, words, rules, scheme, pair = list(), name = "the data",
  reading = list(), call = NULL) {
  if (is.null(words$over)) {
    stop_expression("`over` is missing.",
      hint = "Say which periods to follow, such as `over = quarter(order_date)`.", call = call)
  }
  asked <- list(data = data, words = words, rules = rules, name = name, reading = reading)
  compiled <- compile_asked(asked, NULL, call)
  node <- compiled$question$over[[1L]]
  coverage <- compiled$question$coverage(node_date(node), call, may_be_none = TRUE)
  x <- put_tiers(answer_question(compiled$source, compiled$question, asked, call), scheme,
    call = call)
  put_movement(x, target_periods(compiled$question, TRUE, call)$numbers,
    function(numbers) complete_period(numbers, node$period, coverage), pair, call)
}

put_movement <- function(x, periods, complete, pair = list(), call = NULL) {
  set <- facts(x)
  taken <- intersect(names(set$question$keys), c("tier", "rank_change"))
  if (length(taken)) stop_name_taken(taken[1L], "by", call)
  set$rank <- .subset2(x, "rank")
  set$movement <- c(movement_places(set, periods, complete), list(asked = pair))
  if (length(unlist(pair)) && nrow(set$movement$row)) movement_pair(set, call = call)
  set$receipt <- drop_empty_facts(add_rows(set$receipt, list(
    receipt_rows("movement", "periods", length(set$movement$labels)),
    receipt_rows("movement", "different items", nrow(set$movement$row)),
    receipt_rows("movement", "periods without rows", sum(colSums(!is.na(set$movement$row)) == 0))
  )))
  rows <- movement_rows(set)
  first <- there(set$movement$row)
  by <- names(set$question$by)
  keys <- lapply(set$tally$keys[by], function(key) key[set$order[first[rows$item]]])
  columns <- c(with_names(list(set$movement$labels[rows$period]), names(set$question$over)),
    list(rank = rows$rank, rank_change = rows$change), Map(key_column, keys, set$question$by),
    with_names(list(quantity_real(set$quantity)[rows$row]), set$question$measure$name),
    list(tier = rows$tier))
  structure(columns, row.names = .set_row_names(length(rows$item)),
    class = c("eggcrate_movement", "tbl_df", "tbl", "data.frame"), eggcrate = set)
}

#' Who moved between tiers
#'
#' `transitions()` counts the items by their tiers in two periods. Absent is a tier of its
#' own, so that the margins are the numbers of items in each tier of either period.
#' `period_table()` counts the items of each period.
#'
#' @param x The result of [movement()].
#' @param from,to The periods, such as `"2026-Q1"`; by default those of [movement()]. One that is
#'   not complete is compared only when it is named.
#' @returns `transitions()`: a tibble, one row per pair of tiers: `from`, `to` (factors) and
#'   `items`. `period_table()`: one row per period: the period, `items`, `complete` (logical)
#'   and the measure of all.
#' @section Errors: `eggcrate_error_period` for a period that is not there.
#' @export
#' @examples
#' x <- movement(demo_orders(), of = sum(net_sales), by = customer, over = quarter(order_date))
#' transitions(x, from = "2025-Q1", to = "2026-Q1")
#' period_table(x)
transitions <- function(x, from = NULL, to = NULL) {
  call <- sys.call()[1L]
  check_result(x, "eggcrate_movement", "the result of `movement()`", call)
  tibble::as_tibble(checked_transitions(facts(x), from, to, call))
}

# Where nothing is left there are none.
checked_transitions <- function(set, from = NULL, to = NULL, call = NULL) {
  if (nrow(set$movement$row)) {
    transition_counts(set, movement_pair(set, from, to, call))
  } else {
    list(from = factor(), to = factor(), items = integer())
  }
}

#' @rdname transitions
#' @export
period_table <- function(x) {
  check_result(x, "eggcrate_movement", "the result of `movement()`", sys.call()[1L])
  tibble::as_tibble(movement_counts(facts(x)))
}

#' @rdname movement
#' @export
print.eggcrate_movement <- function(x, n = 15, width = getOption("width"), ...) {
  writeLines(format(x, n = n, width = width))
  invisible(x)
}

#' @rdname movement
#' @export
format.eggcrate_movement <- function(x, n = 15, width = getOption("width"), ...) {
  movement_lines(facts(x), n, width)
}
