# From a tally to standings: order, rank, share, running total, percentile.

#' @param tally What a source answered.
#' @param question The compiled question: `measure`, `by`, `within`, `best`, `ties`.
#' @return A list: `columns` (the table, in row order), `value` (exact, in row
#'   order), `cell` (number of the group), `block` (tie block), `totals`
#'   (per group), `dropped` (items without any value).
#' @noRd
rank_tally <- function(tally, question) {
  part <- tally$parts[[1L]]
  valued <- part$missing < tally$rows
  keys <- lapply(tally$keys, function(key) key[valued])
  value <- new_exact(part$total[valued], part$places, part$lowest)
  cell <- number_cells(keys[names(question$within)], sum(valued))
  placed <- exact_order_(value$value, cell, question$best == "highest")
  order <- settle_ties(placed$order, placed$block, keys[names(question$by)])

  value <- exact_at(value, order)
  cell <- cell[order]
  groups <- max(0L, cell)
  size <- tabulate(cell, groups)
  place <- seq_along(order) - (cumsum(size) - size)[cell]
  total <- exact_sum_by(value, cell, groups)
  whole <- exact_at(total, cell)
  whole_above_zero <- exact_sign(whole) > 0
  running <- exact_running(value, cell)
  share_of <- function(x) ifelse_missing(whole_above_zero, exact_share(x, whole))
  columns <- c(
    lapply(keys[names(question$within)], function(key) key[order]),
    list(rank = ranks(placed$block, place, cell, question$ties)),
    lapply(keys[names(question$by)], function(key) key[order]),
    with_names(list(exact_real(value)), question$measure$name),
    list(
      share = share_of(value), running = exact_real(running), cum_share = share_of(running),
      percentile = percentiles(placed$block, place, size[cell])
    )
  )
  list(
    columns = columns, value = value, cell = cell, block = placed$block, total = total,
    totals = cell_totals(keys[names(question$within)], cell, order, size, total, question$measure$name),
    dropped = sum(!valued)
  )
}

ifelse_missing <- function(test, x) {
  x[!test] <- NA_real_
  x
}

# Groups in ascending order of their columns, numbered from 1.
number_cells <- function(keys, n) {
  if (!length(keys)) {
    return(rep(1L, n))
  }
  group <- match_rows(keys)
  firsts <- lapply(keys, function(key) key[!duplicated(group)])
  match(group, order_keys(firsts))
}

# Text by its UTF-8 bytes, numbers and dates by value, missing last.
order_keys <- function(keys) {
  do.call(order, c(unname(lapply(keys, function(k) if (is.character(k)) enc2utf8(k) else k)),
    list(method = "radix", na.last = TRUE)))
}

# Rows of a tie stand by their keys, ascending.
settle_ties <- function(order, block, keys) {
  tied <- which(duplicated(block) | duplicated(block, fromLast = TRUE))
  if (!length(tied)) {
    return(order)
  }
  rows <- order[tied]
  by_key <- order_keys(c(list(block[tied]), lapply(keys, function(key) key[rows])))
  order[tied] <- rows[by_key]
  order
}

# `block` numbers the ties along the rows, `place` counts rows in each group.
ranks <- function(block, place, cell, ties) {
  n <- length(block)
  if (!n) {
    return(integer())
  }
  start <- !duplicated(block)
  first <- place[start][block]
  switch(ties,
    first = as.integer(place),
    min = as.integer(first),
    max = as.integer(first + tabulate(block) [block] - 1L),
    average = first + (tabulate(block)[block] - 1) / 2,
    dense = {
      new_cell <- !duplicated(cell)
      as.integer(block - block[new_cell][cell] + 1L)
    }
  )
}

# The part of the other items that an item beats: S12 of the rules.
percentiles <- function(block, place, size) {
  start <- !duplicated(block)
  last <- place[start][block] + tabulate(block)[block] - 1L
  ifelse_missing(size > 1L, (size - last) / (size - 1))
}

cell_totals <- function(keys, cell, order, size, total, name) {
  first <- order[!duplicated(cell)]
  c(lapply(keys, function(key) key[first]), list(items = size), with_names(list(exact_real(total)), name))
}
