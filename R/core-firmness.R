# How firm a rank is: whole orders are drawn anew in the kernel, and the spread of each
# value follows from its orders without drawing.

#' What each order adds to each item, sorted by order.
#' @param tally Cells of the items and orders.
#' @param question The question that they were tallied by.
#' @param name Name of the key that holds the orders.
#' @return `start`, `item` (row of the whole, from 0), `value`, and `ranked`, the same in units
#'   that ranks can go by; `orders`: how many.
#' @noRd
order_entries <- function(tally, question, set, name) {
  keys <- names(set$tally$keys)
  rows <- lapply(set$tally$keys, function(key) key[set$order])
  code <- match_rows(Map(c, rows, tally$keys[keys]))
  n <- length(set$cell)
  item <- match(code[-seq_len(n)], code[seq_len(n)])
  q <- measure_of(question$measure, tally$parts, tally, question)
  used <- which(!is.na(item) & !q$missing)
  order <- run_codes(tally$keys[[name]][used])
  at <- used[order(order, method = "radix")]
  sizes <- tabulate(order)
  list(start = c(0L, as.integer(cumsum(sizes))), item = item[at] - 1L, value = quantity_real(q)[at], ranked = additive_real(quantity_at(q, at)),
    orders = length(sizes))
}

# Numbers of equal values; as a rule those of one order stand together, and only the first of
# each run is looked up.
run_codes <- function(key) {
  n <- length(key)
  if (!n) {
    return(integer())
  }
  same <- key[-1L] == key[-n]
  starts <- c(TRUE, is.na(same) | !same)
  heads <- key[starts]
  match(heads, unique(heads))[cumsum(starts)]
}

# In whole units where there are such, so that equal totals are equal; a rate divides all of a
# group alike.
additive_real <- function(q) if (is_exact(q)) exact_real_(q$num, 0L, q$lowest) else quantity_real(q)

#' @param entries From `order_entries()`.
#' @param level The part of the resamples within the interval, from `read_part()`.
#' @return Along the rows of the whole: `rank_low`, `rank_high`, `value_low`, `value_high`;
#'   missing without a rank.
#' @noRd
firm_rows <- function(set, entries, times, level, seed, threads) {
  outside <- (1 - level$value) / 2
  found <- resample_ranks_(entries$start, entries$item, entries$ranked, as.integer(set$cell), set$question$best == "highest", as.integer(times),
    as.numeric(seed),
    threads, outside)
  if (found$status$code != 0L) stop_kernel(found$status, character())
  # The variance of a total of orders drawn with replacement.
  n <- length(set$cell)
  of_item <- function(x) sum_groups(x, entries$item + 1L, n)
  total <- of_item(entries$value)
  spread <- sqrt(pmax(0, of_item(entries$value^2) - total^2 / entries$orders)) * stats::qnorm(1 - outside)
  value <- quantity_real(set$quantity)
  none <- set$quantity$missing
  list(rank_low = replace(found$low, none, NA), rank_high = replace(found$high, none, NA), value_low = value - spread, value_high = value + spread)
}
