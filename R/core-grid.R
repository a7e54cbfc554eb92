# Heat grid: a measure by rows and columns, with a shade for each cell.
#
# The cells are standings within each column; here they get their places, their shades,
# and the margins.

grid_columns <- c("shade")

#' Places of the cells: sides that are periods stand in calendar order and are complete,
#' other keys by the value of the whole side, best first. The same rule for both sides, so
#' that the transposed grid is the same one.
#' @param set What belongs to the standings of the cells.
#' @param across Name of the key that makes the columns.
#' @param sides List `rows`, `columns`: standings of each side alone, or NULL where the
#'   measure has none.
#' @param periods Numbers of the periods that the columns have by the conditions on their date,
#'   or NULL; rows that are periods go from their first to their last.
#' @return `row`, `column`: numbers per cell; `labels`: of rows and columns; `totals`: of
#'   rows and columns, missing where there are none.
#' @noRd
grid_places <- function(set, across, sides, periods) {
  keys <- lapply(set$tally$keys, function(key) key[set$order])
  side <- function(names, standing, periods) {
    if (length(names) == 1L && set$question$keys[[names]]$op == "period") {
      return(calendar_side(keys[[names]], set$question$keys[[names]]$period, periods, standing))
    }
    ranked_side(keys[names], set, standing)
  }
  rows <- side(names(set$question$by), sides$rows, NULL)
  columns <- side(across, sides$columns, periods)
  list(row = rows$at, column = columns$at,
    labels = list(rows = rows$labels, columns = columns$labels),
    totals = list(rows = rows$totals, columns = columns$totals),
    numbers = list(rows = rows$numbers, columns = columns$numbers))
}

calendar_side <- function(number, period, periods, standing) {
  known <- number[!is.na(number)]
  all <- c(sort(unique(c(periods, if (length(known)) seq(min(known), max(known))))),
    if (anyNA(number)) NA)
  totals <- if (is.null(standing)) rep(NA_real_, length(all)) else side_totals(standing, all)
  list(at = match(number, all), labels = ifelse(is.na(all), "(missing)", period_label(all, period)),
    totals = totals, numbers = all)
}

# Best first by the value of the whole side; where a side has none, by its sum of cells.
ranked_side <- function(keys, set, standing) {
  if (is.null(standing)) {
    code <- match_rows(keys)
    part <- additive_part(set$quantity)
    sums <- exact_sum_by(part, code, max(0L, code))
    first <- match(seq_len(max(0L, code)), code)
    q <- exact_quantity(sums$value, sums$places, logical(length(first)))
    placed <- place_items(q, rep(1L, length(first)), set$question$best,
      lapply(keys, function(key) key[first]))
    at <- first[placed$order]
    return(list(at = match(code, code[at]),
      labels = key_labels(lapply(keys, function(key) key[at]), set),
      totals = rep(NA_real_, length(at))))
  }
  own <- lapply(standing$tally$keys[names(keys)], function(key) key[standing$order])
  code <- match_rows(Map(c, own, keys))
  n <- length(standing$cell)
  list(at = match(code[-seq_len(n)], code[seq_len(n)]), labels = key_labels(own, set),
    totals = quantity_real(standing$quantity))
}

key_labels <- function(keys, set) {
  item_labels(Map(key_column, keys, set$question$keys[names(keys)]), names(keys))
}

side_totals <- function(standing, numbers) {
  at <- match(numbers, standing$tally$keys[[1L]][standing$order])
  quantity_real(standing$quantity)[at]
}

# Shades -------------------------------------------------------------------

#' @param places What `grid_places()` found.
#' @param asked List `shade` ("rank", "value"), `along` ("all", "rows", "columns"), `floor`,
#'   `target`, `ceiling`, `centre`.
#' @return Per cell 0 to 1, high for the best; with a centre -1 to 1. Missing without a
#'   value.
#' @noRd
grid_shades <- function(set, places, asked) {
  group <- switch(asked$along, all = rep(1L, length(set$cell)), rows = places$row,
    columns = places$column)
  if (asked$shade == "rank") {
    rank_shades(set, group)
  } else {
    value_shades(quantity_real(set$quantity), group, asked, set$question$best)
  }
}

# The percentile, with tied cells at the mean of their block; a cell alone is in the
# middle, and so are equal ones.
rank_shades <- function(set, group) {
  keys <- lapply(set$tally$keys, function(key) key[set$order])
  placed <- place_items(set$quantity, group, set$question$best, keys)
  placed$size <- rep_len(placed$size, length(group))
  shade <- ifelse(placed$size == 1L, 0.5,
    (placed$size - (placed$first + placed$last) / 2) / (placed$size - 1))
  out <- numeric(length(group))
  out[placed$order] <- shade
  out
}

# Straight lines from floor to target to ceiling, or to both sides of a centre; the least
# and the greatest of the cells where nothing is said.
value_shades <- function(value, group, asked, best) {
  ends <- function(f, none) {
    out <- rep(none, max(0L, group))
    found <- tapply(value, group, f, na.rm = TRUE)
    out[as.integer(names(found))] <- found
    out[group]
  }
  finite <- function(x) replace(x, !is.finite(x), NA)
  low <- finite(suppressWarnings(ends(min, NA_real_)))
  high <- finite(suppressWarnings(ends(max, NA_real_)))
  if (best == "lowest") {
    swap <- low
    low <- high
    high <- swap
  }
  floor <- rep_len(asked$floor %||% low, length(value))
  ceiling <- rep_len(asked$ceiling %||% high, length(value))
  if (!is.null(asked$centre)) {
    reach <- pmax(abs(floor - asked$centre), abs(ceiling - asked$centre))
    side <- if (best == "lowest") -1 else 1
    return(ifelse(reach == 0, 0, pmin(pmax(side * (value - asked$centre) / reach, -1), 1)))
  }
  target <- rep_len(asked$target %||% NA_real_, length(value))
  middle <- ifelse(is.na(target), (floor + ceiling) / 2, target)
  part <- function(x, from, to) {
    ifelse(from == to, ifelse(x == from, 0.5, as.numeric((x > from) == (to >= from))),
      (x - from) / (to - from))
  }
  below <- (value - middle) * sign(ceiling - floor) <= 0
  shade <- ifelse(below, 0.5 * part(value, floor, middle), 0.5 + 0.5 * part(value, middle, ceiling))
  shade <- ifelse(floor == ceiling, 0.5, shade)
  pmin(pmax(shade, 0), 1)
}

#' All cells of the grid, row by row; those without a row of data are missing.
#' @noRd
grid_cells <- function(set) {
  grid <- set$grid
  n <- length(grid$labels$rows)
  k <- length(grid$labels$columns)
  slot <- (grid$row - 1L) * k + grid$column
  fill <- function(x) replace(rep(NA_real_, n * k), slot, x)
  list(row = rep(seq_len(n), each = k), column = rep(seq_len(k), n),
    value = fill(quantity_real(set$quantity)), shade = fill(grid$shade))
}
