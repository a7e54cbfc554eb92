# Best and worst: every item of the first and of the last tie block of each group.

#' @return One row per item: `row` of the whole, `cell`, `end` ("best", "worst"); and
#'   `equal`, per group, whether all its items tie. Of a single item and of equal ones there
#'   is no worst.
#' @noRd
extreme_rows <- function(set) {
  at <- places(set)
  ranked <- which(!is.na(at$place))
  block <- set$block[ranked]
  cell <- set$cell[ranked]
  size <- at$size[ranked]
  last <- block[at$place[ranked] == size]
  best <- at$first[ranked] == 1L
  worst <- !best & block %in% last
  groups <- length(set$totals$items)
  items <- tabulate(cell, groups)
  rows <- c(ranked[best], ranked[worst])
  end <- rep(c("best", "worst"), c(sum(best), sum(worst)))
  order <- order(set$cell[rows], end, rows)
  list(row = rows[order], cell = set$cell[rows][order], end = end[order],
    equal = items > 1L & tabulate(cell[best], groups) == items)
}

#' The table of extremes: the columns of the group, `end`, `rank`, the item, its value and
#' its share.
#' @noRd
extreme_table <- function(x, set) {
  found <- extreme_rows(set)
  # Of the whole, whatever a selection has left.
  at <- found$row
  keys <- lapply(set$tally$keys, function(key) key[set$order[at]])
  shown <- Map(key_column, keys, set$question$keys[names(keys)])
  groups <- group_names(set$question)
  value <- quantity_real(quantity_at(set$quantity, at))
  share <- if (is.null(set$value)) NULL else {
    base <- if (length(set$base$value) > 1L) exact_at(set$base, at) else set$base
    share <- exact_share(exact_at(set$value, at), base)
    counted <- if (length(set$counted) > 1L) set$counted[at] else TRUE
    keep_where(exact_signs_(base$value) > 0L & counted, share)
  }
  list(
    columns = c(shown[groups], list(end = found$end, rank = as.integer(places(set)$first[at])),
      shown[names(set$question$by)], with_names(list(value), set$question$measure$name),
      if (!is.null(share)) list(share = share)),
    found = found
  )
}
