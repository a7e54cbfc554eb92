# Findings in existing tables: numbers and items, without words.

#' The period that lies furthest from the middle of the others, by the modified score of
#' Iglewicz and Hoaglin (1993, How to Detect and Handle Outliers), 0.6745 times the distance
#' from the median over the median distance. Far is above 3.5, and by at least a quarter of
#' the middle: where all lie close together nothing is far.
#' @param value Totals of periods.
#' @return Its place, `score` and the `middle`; NULL where none is far.
#' @noRd
far_value <- function(value) {
  middle <- stats::median(value)
  spread <- stats::median(abs(value - middle))
  if (length(value) < 5L || is.na(spread) || spread == 0) {
    return(NULL)
  }
  score <- 0.6745 * (value - middle) / spread
  at <- which.max(abs(score))
  if (abs(score[at]) > 3.5 && abs(value[at] - middle) >= 0.25 * abs(middle)) {
    list(at = at, score = score[at], middle = middle)
  }
}

#' Items near a cut-off: the distance to the next or to the own cut-off is at most a share of the
#' value.
#' @param gap `to_next` or `above_cutoff` along the rows of the whole.
#' @return Rows, nearest first, and their parts.
#' @noRd
near_tier <- function(ans, gap, part) {
  value <- if (is.null(ans$facets$tiers$scheme$of)) {
    quantity_real(ans$ranked$quantity)
  } else {
    line <- tier_line(ans, ans$facets$tiers$scheme)
    quantity_real(quantity_at(line$quantity, order(line$at)))
  }
  share <- gap / abs(value)
  rows <- which(share <= part)
  rows <- rows[order(share[rows], rows)]
  list(rows = rows, part = share[rows])
}

#' Among the first of a period, those that were not there before, or are not any more.
#' @param classes Which classes of change are meant.
#' @param rank `rank_from` or `rank_to`.
#' @noRd
at_the_top <- function(columns, classes, rank, top) {
  first <- which(columns[[rank]] <= top)
  at <- first[columns$class[first] %in% classes]
  at[order(columns[[rank]][at])]
}
