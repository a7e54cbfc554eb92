#' How firm ranks are
#'
#' Says how sure each rank is, by drawing whole orders anew, with replacement, and ranking
#' again, many times: a rank that a few orders have made has a wide interval. Lines of one
#' order stay together.
#'
#' The ranks are those that remain when half of what is outside `level` is left out at
#' either end. Up to rank 64 they are exact; beyond, an end may be up to a tenth further
#' out, never further in. Whiskers of values are normal intervals around the value, with the
#' variance that such draws have. The same seed gives the same ranks, for any number of
#' threads.
#'
#' @param x Standings of a measure that adds up, still in the session in which they were made.
#' @param orders The column of order numbers; a line without one is an order of its own.
#' @param ... Must be empty.
#' @param times How many times to draw, from 20 to 65,535.
#' @param level The part of the draws within an interval.
#' @param seed A whole number.
#' @returns `x` with the columns `rank_low`, `rank_high` (integer) and `value_low`, `value_high`
#'   (double), and, where it has tiers, `to_cut`: the distance to the nearest line between
#'   tiers.
#' @section Errors: `eggcrate_error_not_additive` for other measures, `eggcrate_error_gone` when
#'   the rows are no longer at hand.
#' @references Davison, A. C. and Hinkley, D. V. (1997) *Bootstrap Methods and their
#'   Application*, section 3.8. Goldstein, H. and Spiegelhalter, D. J. (1996) League tables and
#'   their limitations. *Journal of the Royal Statistical Society A* 159, 385–443.
#' @seealso [chart_bars()] draws the whiskers.
#' @export
#' @examples
#' x <- standings(demo_orders(), of = sum(net_sales), by = salesperson)
#' firmness(x, orders = order_no)
firmness <- function(x, orders, ..., times = 1000, level = "90%", seed = 1) {
  call <- sys.call()[1L]
  check_no_dots(..., call = call)
  check_standings(x, call = call)
  put_firmness(x, capture(substitute(orders), parent.frame()), times, level, seed, call)
}

put_firmness <- function(x, orders, times = 1000, level = "90%", seed = 1, call = NULL) {
  check_not_changes(x, "Firmness is", call)
  if (is.null(orders)) {
    stop_expression("`orders` is missing.",
      hint = "Name the column of order numbers, such as `orders = order_no`.", call = call)
  }
  check_count(times, 20, 65535, "times", call)
  check_count(seed, 0, 2^31 - 1, "seed", call)
  level <- read_part(level, "level", call)
  x <- drop_others(x)
  set <- facts(x)
  if (set$question$measure$kind != "additive") {
    stop_not_additive(set$question$measure, "firmness", call)
  }
  asked <- held_data(x)
  if (is.null(asked)) {
    stop_data("gone", "The rows behind these standings are no longer at hand.",
      i = "Make the standings again in this session.", call = call)
  }
  again <- as.list(asked)[c("data", "words", "rules", "name", "reading")]
  again$words[c("show", "also", "having")] <- list(orders, NULL, NULL)
  compiled <- compile_asked(again, NULL, call)
  node <- compiled$question$show[1L]
  tally <- tally_rows(compiled$source, compiled$question, c(compiled$question$keys, node), call)
  entries <- order_entries(tally, compiled$question, set, names(node))
  found <- firm_rows(set, entries, times, level, seed, eggcrate_threads())
  set$firm <- list(level = level, times = times, seed = seed, orders = entries$orders)
  set$receipt <- add_rows(set$receipt, list(receipt_rows("firmness", "orders drawn", entries$orders,
    note = sprintf("%s times, seed %s", number_text(times), number_text(seed))),
    if (entries$lone) {
      receipt_rows("firmness", "rows without an order", entries$lone,
        note = "each an order of its own")
    }))
  columns <- c(unclass(as_plain(x)), lapply(found, `[`, whole_rows(set)))
  if (!is.null(set$gaps)) {
    columns$to_cut <- pmin(set$gaps$to_next, set$gaps$spare, na.rm = TRUE)[whole_rows(set)]
  }
  rebuild(x, columns, set)
}

check_count <- function(x, least, most, arg, call = NULL) {
  if (!is.numeric(x) || length(x) != 1L || is.na(x) || x < least || x > most || x != floor(x)) {
    stop_eggcrate("call", "unknown_value",
      sprintf("`%s` must be a whole number from %s to %s, not %s.", arg, number_text(least),
      number_text(most), describe(x)), call = call)
  }
}
