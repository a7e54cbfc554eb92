# Which items reach a part of the total, and how many it takes.

#' Rows whose total before their tie block is below `part` of the base: the block
#' that crosses is in, and once reached nothing later is, whatever returns do.
#' @param set A list with `value`, `running`, `cell`, `block`, `total` as in standings.
#' @return A logical vector along the rows; missing where a group's total is not
#'   above zero.
#' @noRd
reach_rows <- function(set, part) {
  n <- length(set$cell)
  if (!n) {
    return(logical())
  }
  start <- row_starts(set$block)
  before <- set$running
  before$value <- c(zero_exact, before$value[-n])
  before$value[row_starts(set$cell)] <- zero_exact
  before_block <- exact_at(before, which(start)[set$block])
  below <- exact_against(before_block, exact_at(set$total, set$cell), part) < 0L
  keep_known(set, !ends_before(!below, set$cell))
}

# The bits of the integer 0 are those of the number 0+0i.
zero_exact <- complex(1L)

keep_known <- function(set, x) {
  x[exact_signs_(set$total$value)[set$cell] <= 0L] <- NA
  x
}

#' How many single items, in row order, it takes to reach `part`, per group.
#' @return Integers; missing where the total is not above zero.
#' @noRd
reach_count <- function(set, part) {
  groups <- length(set$total$value)
  reached <- exact_against(set$running, exact_at(set$total, set$cell), part) >= 0L
  at <- which(reached)[match(seq_len(groups), set$cell[reached])]
  size <- tabulate(set$cell, groups)
  count <- at - (cumsum(size) - size)
  count[exact_signs_(set$total$value) <= 0L] <- NA
  as.integer(count)
}

#' What the rows that are not kept make together, per group: items and the measure,
#' from components; holistic measures from the rows, where they are still at hand.
#' @return A list with `items`, `value` and `share`, one per group.
#' @noRd
fold_rows <- function(set, keep) {
  groups <- length(set$totals$items)
  measure <- set$question$measures[[1L]]
  rest <- tally_at(set$tally, set$order[!keep])
  cell <- set$cell[!keep]
  parts <- lapply(rest$parts, fold_part, group = cell, n = groups)
  firsts <- match(seq_len(groups), set$cell)
  value <- if (needs_rows(measure)) {
    recounted_value(set, keep)
  } else {
    quantity_real(measure_of(measure, parts, tally_at(set$tally, set$order[firsts]), set$question))
  }
  list(items = tabulate(cell, groups), value = value, share = fold_shares(set, keep))
}

# Beyond this many items to leave out, asking each row takes too long.
most_left_out <- 1000L

recounted_value <- function(set, keep) {
  groups <- length(set$totals$items)
  source <- held_(set$asked$reference)$source
  if (is.null(source) || sum(keep) > most_left_out) {
    return(rep(NA_real_, groups))
  }
  rest <- tally_without(source, set$question, lapply(set$tally$keys, function(key) key[set$order[keep]]))
  keys <- set$tally$keys[names(c(set$question$within, set$question$over))]
  at <- match_cells(keys, set$order[match(seq_len(groups), set$cell)], rest$keys)
  quantity_real(evaluate_measure(set$question$measures[[1L]]$tree, rest$parts))[at]
}

# Shares of the rest: its sum by the base of each group's rows.
fold_shares <- function(set, keep) {
  groups <- length(set$totals$items)
  if (is.null(set$value)) {
    return(rep(NA_real_, groups))
  }
  counted <- !keep & set$counted
  rest <- exact_sum_by(exact_at(set$value, counted), set$cell[counted], groups)
  share_of_base(set, rest$value)
}

share_of_base <- function(set, x) {
  x <- new_exact(x, set$value$places, set$value$lowest)
  base <- set$base
  if (length(base$value) > 1L) base <- exact_at(base, match(seq_along(set$totals$items), set$cell))
  keep_where(exact_signs_(base$value) > 0L, exact_share(x, base))
}

# Has it been true in this row or earlier in its group?
ends_before <- function(x, cell) {
  seen <- cumsum(x)
  seen > (seen - x)[row_starts(cell)][cell]
}
