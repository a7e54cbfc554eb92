# Intervals of ranks (bootstrap): the kernel resamples whole orders, and the spread of each
# value follows from its orders without drawing.

# The key that holds the orders, in what rows add.
key_of_orders <- "(order)"

#' Amount of each item in each order, order by order. Orders are sorted by their numbers as text, so
#' that the resamples depend neither on the order of the rows nor on the type of the column.
#' @param tally Rows with their items and orders, from `tally_rows()`. Rows of one order and item
#'   may be added up already.
#' @param plan The plan that they were tallied by.
#' @return `start`, `item` (row of the whole, from 0), `value` (in whole units where there are
#'   such); `orders`: how many, of which `lone` are rows without an order.
#' @noRd
order_entries <- function(tally, plan, ans) {
  item <- item_rows(tally$keys[setdiff(names(tally$keys), key_of_orders)], ans)
  # Rates count the days of each row's period.
  over <- lapply(tally$keys[names(plan$over)], function(key) key$values[key$code])
  q <- measure_of(plan_measure(plan), tally$parts, list(keys = over, rows = tally$rows), plan)
  number <- tally$keys[[key_of_orders]]
  place <- number$code
  # Numbers of orders are texts in some sources. As a rule an order book stands by its orders.
  texts <- if (is.character(number$values)) number$values else written_text(number$values)
  if (!ascending_(texts)) place <- order(order_keys(list(texts)))[place]
  used <- !is.na(item) & !q$missing
  if (!all(used)) {
    item <- item[used]
    place <- place[used]
    q <- quantity_at(q, used)
  }
  value <- additive_real(q)
  # A row without an order is one of its own.
  lone <- if (anyNA(number$values)) which(is.na(number$values[number$code[used]]))
  if (length(lone)) {
    place[lone[order(item[lone], value[lone])]] <- length(number$values) + seq_along(lone)
  }
  # Sums of whole numbers are the same in any order, others are not.
  at <- if (!is_decimal(q)) {
    order(place, item, value)
  } else if (is.unsorted(place)) {
    order(place, method = "radix")
  } else {
    seq_along(place)
  }
  sizes <- tabulate(place)
  sizes <- sizes[sizes > 0L]
  list(start = c(0L, as.integer(cumsum(sizes))), item = item[at] - 1L, value = value[at],
    orders = length(sizes), lone = length(lone))
}

# The row of the whole that each row of the data belongs to.
item_rows <- function(keys, ans) {
  whole <- row_keys(ans$ranked, names(keys))
  if (length(keys) == 1L) {
    return(match(keys[[1L]]$values, whole[[1L]])[keys[[1L]]$code])
  }
  numbers <- Map(function(key, own) {
    values <- unique(own)
    list(row = match(key$values, values)[key$code], own = match(own, values), n = length(values))
  }, keys, whole)
  # Whole numbers below 2^53 for any number of items that there may be.
  pair <- function(a, b) {
    list(row = (a$row - 1) * b$n + b$row, own = (a$own - 1) * b$n + b$own, n = a$n * b$n)
  }
  all <- Reduce(pair, numbers)
  match(all$row, all$own)
}

# In whole units where there are such, so that equal totals are equal; a rate divides all of a
# group alike.
additive_real <- function(q) if (is_exact(q)) doubles_of(q$num, 0L, q$lowest) else quantity_real(q)
additive_unit <- function(q) {
  if (is_exact(q)) {
    quantity_real(replace(q, "num", list(rep(exact_from_whole_(1), length(q$num)))))
  } else {
    1
  }
}

#' @param entries From `order_entries()`.
#' @param level The part of the resamples within the interval, from `read_part()`.
#' @return Along the rows of the whole: `rank_low`, `rank_high`, `value_low`, `value_high`;
#'   missing without a rank.
#' @noRd
interval_rows <- function(ans, entries, times, level, seed, threads) {
  outside <- (1 - level$value) / 2
  found <- watched("Resampling", function(progress) {
    resample_ranks_(entries$start, entries$item, entries$value, as.integer(ans$ranked$cell),
      ans$plan$rules$best == "highest", as.integer(times), as.numeric(seed), threads, outside,
      progress)
  })
  if (found$status$code != 0L) stop_kernel(found$status, character())
  spread <- found$spread * additive_unit(ans$ranked$quantity) * stats::qnorm(1 - outside)
  value <- quantity_real(ans$ranked$quantity)
  none <- ans$ranked$quantity$missing
  list(rank_low = replace(found$low, none, NA), rank_high = replace(found$high, none, NA),
    value_low = value - spread, value_high = value + spread)
}
