# Best and worst: every item of the first and of the last tie block of each group.

#' @return One row per item: `row` of the whole, `cell`, `end` ("best", "worst"); and
#'   `equal`, per group, whether all its items tie. Of a single item and of equal ones there
#'   is no worst.
#' @noRd
extreme_rows <- function(ans) {
  at <- places(ans$ranked)
  ranked <- which(!is.na(at$place))
  block <- ans$ranked$block[ranked]
  cell <- ans$ranked$cell[ranked]
  size <- at$size[ranked]
  last <- block[at$place[ranked] == size]
  best <- at$first[ranked] == 1L
  worst <- !best & block %in% last
  groups <- length(ans$ranked$totals$items)
  items <- tabulate(cell, groups)
  rows <- c(ranked[best], ranked[worst])
  end <- rep(c("best", "worst"), c(sum(best), sum(worst)))
  order <- order(ans$ranked$cell[rows], end, rows)
  list(row = rows[order], cell = ans$ranked$cell[rows][order], end = end[order],
    equal = items > 1L & tabulate(cell[best], groups) == items)
}

#' The best and the worst as a table, of all items, whatever a selection has left: the
#' columns of the group, `end`, `rank`, the item, its value and its share.
#' @noRd
as_extremes <- function(x) {
  ans <- answer_of(drop_others(x))
  ranked <- ans$ranked
  found <- extreme_rows(ans)
  at <- found$row
  keys <- lapply(ranked$tally$keys, function(key) key[ranked$order[at]])
  shown <- Map(key_column, keys, all_keys(ans$plan)[names(keys)])
  value <- quantity_real(quantity_at(ranked$quantity, at))
  share <- if (has_shares(ans)) list(share = share_rows(ranked$share, ranked$cell)$share[at])
  columns <- c(shown[group_names(ans$plan)],
    list(end = found$end, rank = as.integer(places(ranked)$first[at])), shown[names(ans$plan$by)],
    with_names(list(value), plan_measure(ans$plan)$name), share)
  answer_table_of(columns, do.call(with_facet, c(list(ans, "extremes"), found)),
    "eggcrate_extremes")
}
