# From a tally to standings: order, rank, share, running total, percentile.

#' @param tally What a source answered.
#' @param question The compiled question: `measure`, `by`, `within`, `best`, `ties`.
#' @return A list: `columns` (the table, in row order), `value` (exact, in row
#'   order), `cell` (number of the group), `block` (tie block), `totals`
#'   (per group), `dropped` (items without any value).
#' @noRd
rank_tally <- function(tally, question) {
  part <- tally$parts[[1L]]
  valued <- if (is.null(part$missing)) TRUE else part$missing < tally$rows
  if (!all(valued)) tally <- keep_items(tally, valued)
  keys <- tally$keys
  value <- new_exact(tally$parts[[1L]]$total, part$places, part$lowest)
  cell <- number_cells(keys[names(question$within)], length(value$value))
  placed <- exact_order_(value$value, cell, question$best == "highest")
  order <- settle_ties(placed, keys[names(question$by)])

  value <- exact_at(value, order)
  cell <- cell[order]
  size <- tabulate(cell, max(0L, cell))
  total <- exact_sum_by(value, cell, length(size))
  per_row <- function(x) if (length(size) == 1L) x else x[cell]
  whole <- exact_at(total, per_row(seq_along(size)))
  whole_above_zero <- exact_sign(whole) > 0
  running <- exact_running(value, cell)
  share_of <- function(x) keep_where(whole_above_zero, exact_share(x, whole))
  columns <- c(
    lapply(keys[names(question$within)], function(key) key[order]),
    list(rank = ranks(placed, cell, question$ties)),
    lapply(keys[names(question$by)], function(key) key[order]),
    with_names(list(exact_real(value)), question$measure$name),
    list(
      share = share_of(value), running = exact_real(running), cum_share = share_of(running),
      percentile = percentiles(placed$last, per_row(size))
    )
  )
  list(
    columns = columns, value = value, cell = cell, block = placed$block, total = total,
    totals = cell_totals(columns[names(question$within)], cell, size, total, question$measure$name),
    dropped = sum(!valued)
  )
}

# An item all of whose rows lack the measure is not an item.
keep_items <- function(tally, kept) {
  tally$keys <- lapply(tally$keys, function(key) key[kept])
  tally$rows <- tally$rows[kept]
  tally$parts <- lapply(tally$parts, function(part) {
    part[c("total", "missing")] <- list(part$total[kept], part$missing[kept])
    part
  })
  tally
}

# `x` where the test holds, else missing. The test may be one for all.
keep_where <- function(test, x) {
  if (!all(test)) x[!test] <- NA_real_
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
settle_ties <- function(placed, keys) {
  order <- placed$order
  tied <- which(placed$first != placed$last)
  if (length(tied)) {
    rows <- order[tied]
    by_key <- order_keys(c(list(placed$block[tied]), lapply(keys, function(key) key[rows])))
    order[tied] <- rows[by_key]
  }
  order
}

ranks <- function(placed, cell, ties) {
  switch(ties,
    min = placed$first,
    max = placed$last,
    average = (placed$first + placed$last) / 2,
    dense = restart(placed$block, cell),
    first = restart(seq_along(cell), cell)
  )
}

# A number that grows along the rows, counted from 1 again in each cell.
restart <- function(number, cell) number - (number[row_starts(cell)] - 1L)[cell]

# Where a number that only grows along the rows is new.
row_starts <- function(number) number != c(0L, number[-length(number)])

# The part of the other items that an item beats.
percentiles <- function(last, size) {
  keep_where(size > 1L, (size - last) / (size - 1))
}

cell_totals <- function(keys, cell, size, total, name) {
  first <- row_starts(cell)
  c(lapply(keys, function(key) key[first]), list(items = size), with_names(list(exact_real(total)), name))
}
