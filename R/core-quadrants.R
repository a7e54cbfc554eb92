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
quadrant_rows <- function(ans, asked, near) {
  q <- list(of = ans$ranked$quantity, against = second_quantity(ans))
  both <- !q$of$missing & !q$against$missing
  lines <- Map(split_line, q, asked, 1:2, MoreArgs = list(both = both, ans = ans))
  cell <- ans$ranked$cell
  low <- Map(function(q, line) quantity_against(q, line_of(line, cell)) < 0, q, lines)
  gaps <- Map(function(q, line) {
    keep_where(both, quantity_real(subtract_quantities(q, quantity_at(line, cell), -1)))
  }, q, lines)
  close <- Map(near_line, q, lines, MoreArgs = list(near = near, cell = cell))
  number <- 1L + 2L * low$of + low$against
  number[!both] <- NA
  list(
    number = number, gap_of = gaps$of, gap_against = gaps$against,
    near = (close$of | close$against) & !is.na(number), corner = abs(gaps$of * gaps$against),
    lines = lapply(lines, quantity_real), asked = asked, part = near
  )
}

second_quantity <- function(ans) measure_rows(ans, 2L)

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
split_line <- function(q, asked, i, both, ans) {
  groups <- length(ans$ranked$totals$items)
  if (is.numeric(asked)) {
    return(quantity_at(number_quantity(asked, 1L), rep(1L, groups)))
  }
  rows <- which(both)
  switch(asked,
    overall = ans$ranked$overall[[i]],
    median = middle_by(quantity_at(q, rows), ans$ranked$cell[rows], groups),
    mean = mean_by(quantity_at(q, rows), ans$ranked$cell[rows], groups)
  )
}

mean_by <- function(q, cell, groups) {
  size <- tabulate(cell, groups)
  if (is_decimal(q) && is.null(q$den)) {
    total <- exact_quantity(sum_exact(q$num, cell, groups), q$places, size == 0L)
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

# A line of each group for what stands against it: one line stays one.
line_of <- function(line, cell) if (length(line$missing) == 1L) line else quantity_at(line, cell)

# Within a part of the line of each group on either side.
near_line <- function(q, line, near, cell) {
  width <- multiply_quantities(line, number_quantity(near$value, length(line$missing)))
  edges <- lapply(c(-1, 1), function(side) {
    quantity_against(q, line_of(subtract_quantities(line, width, side), cell))
  })
  inside <- edges[[1L]] * edges[[2L]] <= 0
  !is.na(inside) & inside
}

#' The order of quadrants, then of ranks; what is outside comes last.
#' @noRd
quadrant_order <- function(ans) {
  order(ans$ranked$cell, ans$facets$quadrants$number, seq_along(ans$ranked$cell), na.last = TRUE)
}

#' The most notable item: furthest into the corner of high and low, of all groups. One
#' that is near a split does not.
#' @return Its row of the whole, or none.
#' @noRd
standing_out <- function(ans) {
  rows <- which(ans$facets$quadrants$number == 2L & !ans$facets$quadrants$near)
  rows[which.max(ans$facets$quadrants$corner[rows])]
}

#' One row per group and quadrant, empty ones too, with both measures as a whole.
#' @noRd
quadrant_counts <- function(ans) {
  number <- ans$facets$quadrants$number
  outside <- anyNA(number)
  k <- 4L + outside
  labels <- c(ans$facets$quadrants$labels, if (outside) "(none)")
  number[is.na(number)] <- k
  groups <- length(ans$ranked$totals$items)
  cell <- rep(seq_len(groups), each = k)
  slot <- (ans$ranked$cell - 1L) * k + number
  counts <- slot_counts(ans, slot, cell)
  potential <- ans$facets$quadrants$potential
  columns <- c(
    group_columns(ans, cell),
    list(quadrant = factor(rep(labels, groups), labels), items = counts$items,
      share_of_items = counts$share_of_items), counts$values[1L],
    if (has_shares(ans)) counts["share"], counts$values[-1L],
    if (!is.null(potential)) list(potential = sums_of(potential, slot, length(cell))),
    list(split_of = ans$facets$quadrants$lines$of[cell],
      split_against = ans$facets$quadrants$lines$against[cell])
  )
  with_marked_counts(columns, ans, slot, length(cell))
}

# Sums by slot, missing ones left away, each in the order of size.
sums_of <- function(x, slot, n) {
  vapply(seq_len(n), function(i) sum(sort(x[slot == i])), 0)
}

# The facet ----------------------------------------------------------------

# A ratio such as 0.35 or "35%".
read_ratio <- function(x, arg, call = NULL) {
  number <- if (is.character(x) && length(x) == 1L) written_numbers(x) else x
  if (!is.numeric(number) || length(number) != 1L || !is.finite(number)) {
    stop_eggcrate("call", "unknown_value",
      sprintf("`%s` must be a ratio, such as 0.35 or \"35%%\", not %s.", arg, describe(x)),
      call = call)
  }
  number
}

# "median", "overall", 5000, or a number as text from the command line.
check_split <- function(split, arg, call = NULL) {
  number <- if (is.character(split) && length(split) == 1L) written_numbers(split) else split
  if (is.null(split) || is.numeric(number) && length(number) == 1L && is.finite(number)) {
    return(number)
  }
  if (!is.character(split) || length(split) != 1L || !split %in% split_rules) {
    stop_eggcrate("call", "unknown_value",
      sprintf("`%s` must be %s, not %s.", arg, enumerate(c(quoted(split_rules), "a number"), "or"),
        describe(split)), call = call)
  }
  split
}

#' Sorts standings whose second measure is the one to split against into quadrants.
#' @param splits List `of`, `against`: a split each, or NULL.
#' @noRd
add_quadrants <- function(x, splits, groups, near, potential_at = NULL, call = NULL) {
  ans <- answer_of(x)
  columns <- unclass(as_plain(x))
  check_free(quadrant_columns, columns, TRUE, call)
  asked <- Map(function(split, measure) split %||% default_split(measure),
    with_names(splits, c("of", "against")), ans$plan$measures[1:2])
  found <- c(quadrant_rows(ans, asked, near),
    list(labels = quadrant_labels(groups, measure_names(ans$plan)[1:2], call)))
  found <- c(found, potential_rows(ans, found$lines$against, potential_at, call))
  ans <- do.call(with_facet, c(list(ans, "quadrants"), found))
  ans$receipt <- quadrant_receipt(ans)
  columns <- c(columns,
    list(
      quadrant = shown_tier(labelled_tier(found$number, list(labels = found$labels)))),
    found[c("gap_of", "gap_against", "near")], if (!is.null(found$potential)) found["potential"])
  ans$rows <- quadrant_order(ans)
  rebuild(x, lapply(columns, key_at, ans$rows), ans, "eggcrate_quadrants")
}

quadrant_columns <- c("quadrant", "gap_of", "gap_against", "near", "potential")

# Worth ----------------------------------------------------------------------

#' What an item would bring at a ratio: that part of its denominator, less its numerator. Missing
#' where it has that ratio already.
#' @param split The split of the second measure in each group.
#' @param at A ratio in the place of the split, or NULL.
#' @return `potential` per row, the ratio `potential_at` of each group, and `potential_of`, the
#'   measure of the numerator. NULL if the second measure is not a ratio.
#' @noRd
potential_rows <- function(ans, split, at, call = NULL) {
  measure <- ans$plan$measures[[2L]]
  if (measure$tree$op != "/") {
    if (!is.null(at)) {
      stop_eggcrate("call", "unknown_value",
        sprintf("`potential_at` needs a ratio, but `%s` is not a ratio.", measure$text),
        i = "Such as `against = c(margin = sum(profit) / sum(net_sales))`.", call = call)
    }
    return(NULL)
  }
  side <- function(i) {
    q <- evaluate_measure(measure$tree$args[[i]], ans$ranked$tally$parts,
      rate_days_or_none(ans, measure))
    quantity_at(q, ans$ranked$order)
  }
  at <- rep_len(at %||% split, length(split))
  # Where one is missing there is no ratio.
  potential <- at[ans$ranked$cell] * quantity_real(side(2L)) - quantity_real(side(1L))
  potential[measure_rows(ans, 2L)$missing | is.na(potential) | potential <= 0] <- NA
  of <- measure$tree$args[[1L]]
  list(potential = potential, potential_at = at,
    potential_of = list(name = sum_name(of), tree = of))
}

rate_days_or_none <- function(ans, measure) if (has_rate(measure)) rate_days(ans$plan,
  ans$ranked$tally)

# A sum of one column is called by it.
sum_name <- function(tree) {
  one <- tree$op == "aggregate" && tree$aggregate$op == "sum" &&
    identical(tree$aggregate$value$op, "column")
  if (one) tree$aggregate$value$name else tree$text
}

quadrant_labels <- function(groups, measures, call = NULL) {
  if (is.null(groups)) {
    return(sprintf("%s %s, %s %s", c("high", "high", "low", "low"), measures[1L],
      c("high", "low", "high", "low"), measures[2L]))
  }
  if (!is.character(groups) || length(groups) != 4L || anyNA(groups) || any(!nzchar(groups)) ||
    anyDuplicated(groups) || "(none)" %in% groups) {
    stop_eggcrate("call", "unknown_value",
      "`groups` must be four different names, in the order high-high, high-low, low-high, low-low.",
      call = call)
  }
  groups
}

quadrant_receipt <- function(ans) {
  found <- ans$facets$quadrants
  one <- length(ans$ranked$totals$items) == 1L
  split <- function(i, name) {
    rule <- if (is.numeric(found$asked[[i]])) "as given" else found$asked[[i]]
    receipt_rows("quadrants", paste("split of", name),
      value = if (!one) {
        "in each group"
      } else if (is.na(found$lines[[i]])) {
        "none"
      } else {
        number_text(found$lines[[i]])
      }, note = rule)
  }
  names <- measure_names(ans$plan)
  empty <- setdiff(1:4, found$number)
  rows <- list(
    split("of", names[1L]), split("against", names[2L]),
    receipt_rows("quadrants", "items outside", sum(is.na(found$number)),
      note = sprintf("without a value of %s%s", enumerate(names[1:2], "or"),
        if (anyNA(unlist(found$lines))) ", or where a split has none" else "")),
    receipt_rows("quadrants", "items near a split", sum(found$near), found$part$text,
      "of the split, on either side"),
    receipt_rows("quadrants", "empty quadrants", length(empty),
      if (length(empty)) paste(found$labels[empty], collapse = "; "))
  )
  drop_empty_facts(add_rows(ans$receipt, rows))
}
