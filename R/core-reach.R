# Which items reach a part of the total, and how many it takes.

#' Rows whose total before their tie block is below `part` of the base: the block
#' that crosses is in, and once reached nothing later is, whatever returns do.
#' @param set A list with `value`, `cell`, `block`, `total` as in standings.
#' @return A logical vector along the rows; missing where a group's total is not
#'   above zero.
#' @noRd
reach_rows <- function(set, part) {
  n <- length(set$cell)
  if (!n) {
    return(logical())
  }
  start <- row_starts(set$block)
  before <- new_exact(c(zero_exact, exact_running(set$value, set$cell)$value[-n]), set$value$places, set$value$lowest)
  before$value[row_starts(set$cell)] <- zero_exact
  before_block <- exact_at(before, which(start)[set$block])
  below <- exact_against(before_block, exact_at(set$total, set$cell), part) < 0L
  ended <- stats::ave(as.integer(!below), set$cell, FUN = cumsum) > 0L
  keep_known(set, !ended)
}

# The bits of the integer 0 are those of the number 0+0i.
zero_exact <- complex(1L)

keep_known <- function(set, x) {
  x[exact_sign(set$total)[set$cell] <= 0] <- NA
  x
}

#' How many single items, in row order, it takes to reach `part`, per group.
#' @return Integers; missing where the total is not above zero.
#' @noRd
reach_count <- function(set, part) {
  groups <- length(set$total$value)
  running <- exact_running(set$value, set$cell)
  reached <- exact_against(running, exact_at(set$total, set$cell), part) >= 0L
  first <- match(seq_len(groups), set$cell[reached])
  at <- which(reached)[first]
  size <- tabulate(set$cell, groups)
  count <- at - (cumsum(size) - size)
  count[exact_sign(set$total) <= 0] <- NA
  as.integer(count)
}

#' Adds up the rows that are not kept, per group.
#' @return A list with `items`, `value` (exact) and `share`, one per group.
#' @noRd
fold_rows <- function(set, keep) {
  groups <- length(set$total$value)
  rest <- exact_sum_by(exact_at(set$value, !keep), set$cell[!keep], groups)
  share <- keep_where(exact_sign(set$total) > 0, exact_share(rest, set$total))
  list(items = tabulate(set$cell[!keep], groups), value = exact_real(rest), share = share)
}
