# Quadrants: two measures, each split in two, in every group.
#
# Quadrants are numbered high-high, high-low, low-high, low-low. An item without one
# of the values is outside, and outside the splits.

split_rules <- c("median", "mean", "overall")

#' @param set What belongs to standings whose second measure is the one to split
#'   against.
#' @param asked List `of`, `against`: a split rule or a number each.
#' @param near How far from a split, as a part of it, is near it; from `read_part()`.
#' @return Along the rows of the whole: `number` (missing outside), `gap_of`,
#'   `gap_against` (value less split), `near`, `corner` (how far from both lines, as an
#'   area); `lines`: the splits, per group; `asked`.
#' @noRd
quadrant_rows <- function(set, asked, near) {
  q <- list(of = set$quantity, against = second_quantity(set))
  both <- !q$of$missing & !q$against$missing
  lines <- Map(split_line, q, asked, 1:2, MoreArgs = list(both = both, set = set))
  at <- lapply(lines, quantity_at, i = set$cell)
  low <- Map(function(q, line) quantity_against(q, line) < 0, q, at)
  gaps <- Map(function(q, line) keep_where(both, quantity_real(subtract_quantities(q, line, -1))),
    q, at)
  close <- Map(near_line, q, at, MoreArgs = list(near = near))
  number <- 1L + 2L * low$of + low$against
  number[!both] <- NA
  list(
    number = number, gap_of = gaps$of, gap_against = gaps$against,
    near = (close$of | close$against) & !is.na(number), corner = abs(gaps$of * gaps$against),
    lines = lapply(lines, quantity_real), asked = asked, part = near
  )
}

second_quantity <- function(set) {
  quantity_at(measure_of(set$question$measures[[2L]], set$tally$parts, set$tally, set$question),
    set$order)
}

# Rates are split at what they are overall, anything else at the middle item.
default_split <- function(measure) if (is_rate(measure$tree)) "overall" else "median"

is_rate <- function(tree) {
  tree$op == "/" && tree$kind == 2L || tree$op == "aggregate" && tree$aggregate$op == "mean" ||
    any(vapply(tree$args, is_rate, NA))
}

#' The split of one measure in each group, a quantity.
#' @param both Which rows have both values.
#' @param i Which measure of the question `q` is.
#' @noRd
split_line <- function(q, asked, i, both, set) {
  groups <- length(set$totals$items)
  if (is.numeric(asked)) {
    return(quantity_at(number_quantity(asked, 1L), rep(1L, groups)))
  }
  rows <- which(both)
  switch(asked,
    overall = set$overall[[i]],
    median = middle_by(quantity_at(q, rows), set$cell[rows], groups),
    mean = mean_by(quantity_at(q, rows), set$cell[rows], groups)
  )
}

mean_by <- function(q, cell, groups) {
  size <- tabulate(cell, groups)
  if (is_decimal(q) && is.null(q$den)) {
    total <- exact_quantity(exact_sum_by_(q$num, cell, groups), q$places, size == 0L)
    return(divide_quantities(total, whole_quantity(size)))
  }
  value <- quantity_real(q)
  # Added in order of size, so that the order of the rows does not matter.
  sums <- vapply(seq_len(groups), function(g) sum(sort(value[cell == g])), 0)
  real_quantity(sums / size, size == 0L)
}

#' The middle value of each group; of an even number half way between the two.
#' @noRd
middle_by <- function(q, cell, groups) {
  if (!length(cell)) {
    return(real_quantity(rep(NA_real_, groups), rep(TRUE, groups)))
  }
  size <- tabulate(cell, groups)
  placed <- exact_order_(order_numbers(q), cell, FALSE)$order
  before <- cumsum(c(0L, size))[seq_len(groups)]
  none <- size == 0L
  pick <- function(place) quantity_at(q, placed[replace(before + place, none, 1L)])
  low <- pick((size + 1L) %/% 2L)
  high <- pick(size %/% 2L + 1L)
  if (is_decimal(q) && is.null(q$den)) {
    # Half of a sum of decimals has one place more: (a + b) * 5 / 10.
    num <- exact_combine_(low$num, 5, high$num, 5)
    return(exact_quantity(num, q$places + 1L, none))
  }
  if (is_exact(q) && all(size %% 2L == 1L)) {
    return(low)
  }
  real_quantity((quantity_real(low) + quantity_real(high)) / 2, none)
}

# Within a part of the line on either side.
near_line <- function(q, line, near) {
  width <- multiply_quantities(line, number_quantity(near$value, length(line$missing)))
  edges <- lapply(c(-1, 1),
    function(side) quantity_against(q, subtract_quantities(line, width, side)))
  inside <- edges[[1L]] * edges[[2L]] <= 0
  !is.na(inside) & inside
}

#' The order of quadrants, then of ranks; what is outside comes last.
#' @noRd
quadrant_order <- function(set) {
  order(set$cell, set$quadrants$number, seq_along(set$cell), na.last = TRUE)
}

#' The item that stands out: furthest into the corner of high and low, of all groups. One
#' that is near a split does not.
#' @return Its row of the whole, or none.
#' @noRd
standing_out <- function(set) {
  rows <- which(set$quadrants$number == 2L & !set$quadrants$near)
  rows[which.max(set$quadrants$corner[rows])]
}

#' One row per group and quadrant, empty ones too, with both measures as a whole.
#' @noRd
quadrant_counts <- function(set) {
  number <- set$quadrants$number
  outside <- anyNA(number)
  k <- 4L + outside
  labels <- c(set$quadrants$labels, if (outside) "(none)")
  number[is.na(number)] <- k
  groups <- length(set$totals$items)
  cell <- rep(seq_len(groups), each = k)
  counts <- slot_counts(set, (set$cell - 1L) * k + number, cell)
  c(
    lapply(set$totals[group_names(set$question)], function(key) key[cell]),
    list(quadrant = factor(rep(labels, groups), labels), items = counts$items,
      share_of_items = counts$share_of_items), counts$values[1L],
    list(share = counts$share), counts$values[-1L],
    list(split_of = set$quadrants$lines$of[cell], split_against = set$quadrants$lines$against[cell])
  )
}
