# Which items reach a part of the total, and how many it takes.

#' Rows whose total before their tie block is below `part` of the base: the block
#' that crosses is in, and once reached nothing later is, whatever returns do.
#' @param set A list with `value`, `running`, `cell`, `block`, `total` as in standings.
#' @return A logical vector along the rows; missing where a group's total is not
#'   above zero.
#' @noRd
reach_rows <- function(set, part) whole_blocks(reach_single(set, part), set, all = FALSE)

# The bits of the integer 0 are those of the number 0+0i.
zero_exact <- complex(1L)

#' How many single items, in row order, it takes to reach `part`, per group.
#' @return Integers; missing where the total is not above zero.
#' @noRd
reach_count <- function(set, part) {
  count <- reach_counts_(set$running$value, set$cell, set$total$value, part$digits, part$places,
    FALSE)
  replace(count, exact_signs_(set$total$value) <= 0L, NA)
}

#' One row per group and threshold: parts of the total to reach, and numbers of items.
#' @noRd
threshold_rows <- function(set, parts, first) {
  groups <- length(set$totals$items)
  size <- tabulate(set$cell, groups)
  counts <- c(lapply(parts, reach_count, set = set), lapply(first, pmin, size))
  tied <- c(lapply(parts, function(part) reach_tied(set, part)),
    rep(list(rep(NA_integer_, groups)), length(first)))
  k <- length(counts)
  cell <- rep(seq_len(groups), each = k)
  by_group <- function(x) as.vector(do.call(rbind, x)[, seq_len(groups)])
  items <- by_group(counts)
  upto <- match(cell, set$cell) + items - 1L
  value <- exact_real(exact_at(set$running, upto))
  share <- exact_share(exact_at(set$running, upto), exact_at(set$total, cell))
  none <- is.na(items) | exact_signs_(set$total$value)[cell] <= 0L
  c(
    lapply(set$totals[group_names(set$question)], function(key) key[cell]),
    list(threshold = rep(c(vapply(parts, `[[`, "", "text"), sprintf("first %d", as.integer(first))),
      groups), items = as.integer(items),
      with_ties = as.integer(by_group(tied)), share_of_items = items / size[cell]),
    with_names(list(replace(value, is.na(items), NA)), set$question$measures[[1L]]$name),
    list(share = replace(share, none, NA))
  )
}

# Items that a part takes when those that tie at the cut are in: up to the last row of
# the block of the last one.
reach_tied <- function(set, part) {
  count <- reach_count(set, part)
  start <- match(seq_along(count), set$cell)
  last <- start + count - 1L
  size <- tabulate(set$cell, length(count))
  vapply(seq_along(count), function(g) {
    at <- last[g]
    while (!is.na(at) && at < start[g] + size[g] - 1L &&
      set$block[at + 1L] == set$block[at]) at <- at + 1L
    at - start[g] + 1L
  }, 0L)
}

#' What the rows that are not kept make together, per group: items and the measure,
#' from components; holistic measures from the rows, where they are still at hand.
#' @param keep Which rows of the whole are kept, as an index.
#' @return A list with `items`, `value`, `share` and `values` (by measure), one per group.
#' @noRd
fold_rows <- function(set, keep) {
  groups <- length(set$totals$items)
  kept <- set$order[keep]
  parts <- rest_parts(set, kept, groups)
  firsts <- tally_at(set$tally, set$order[match(seq_len(groups), set$cell)])
  recounted <- rest_recounted(set, keep)
  values <- lapply(set$question$measures, function(measure) {
    from <- if (needs_rows(measure)) recounted else parts
    if (is.null(from)) {
      rep(NA_real_, groups)
    } else {
      quantity_real(measure_of(measure, from, firsts, set$question))
    }
  })
  list(items = tabulate(set$cell, groups) - tabulate(set$cell[keep], groups), value = values[[1L]],
    values = with_names(values, measure_names(set$question)),
    share = fold_shares(set, keep))
}

# Components of the rest of each group: those of all less those of the kept; the least
# and the most are looked for again.
rest_parts <- function(set, kept, groups) {
  cell <- integer(length(set$tally$rows))
  cell[set$order] <- set$cell
  gone <- NULL
  lapply(set$tally$parts, function(part) {
    at <- function(i) {
      tally_at(list(keys = list(), rows = numeric(), parts = list(part)), i)$parts[[1L]]
    }
    if (part$op %in% c("min", "max")) {
      if (is.null(gone)) gone <<- which(!seq_along(cell) %in% kept)
      return(fold_part(at(gone), cell[gone], groups))
    }
    less_part(fold_part(part, cell, groups), fold_part(at(kept), cell[kept], groups))
  })
}

less_part <- function(all, some) {
  all$total <- exact_combine_(all$total, 1, some$total, -1)
  for (count in c("rows", "missing", "skipped")) {
    if (!is.null(all[[count]])) all[[count]] <- all[[count]] - some[[count]]
  }
  all
}

measure_names <- function(question) vapply(question$measures, `[[`, "", "name")

# Beyond this many items to leave out, asking each row takes too long.
most_left_out <- 1000L

# Components of the rest of each group, from the rows; NULL where they are not at
# hand, or nobody needs them.
rest_recounted <- function(set, keep) {
  source <- if (!is.null(set$asked)) held_(set$asked$reference)$source
  if (!any(vapply(set$question$measures, needs_rows, NA)) || is.null(source) ||
    length(set$order[keep]) > most_left_out) {
    return(NULL)
  }
  groups <- length(set$totals$items)
  rest <- tally_without(source, set$question,
    lapply(set$tally$keys, function(key) key[set$order[keep]]))
  keys <- set$tally$keys[names(c(set$question$within, set$question$over))]
  tally_at(rest, match_cells(keys, set$order[match(seq_len(groups), set$cell)], rest$keys))$parts
}

# Shares of the rest: the sum of those that count less that of the kept, by the base
# of each group's rows.
fold_shares <- function(set, keep) {
  groups <- length(set$totals$items)
  if (is.null(set$value)) {
    return(rep(NA_real_, groups))
  }
  counted <- length(set$counted) > 1L
  sums <- function(rows) {
    if (counted) rows <- (rows %||% seq_along(set$cell))[set$counted[rows %||% seq_along(set$cell)]]
    if (is.null(rows)) {
      exact_sum_by(set$value, set$cell, groups)
    } else {
      exact_sum_by(exact_at(set$value, rows), set$cell[rows], groups)
    }
  }
  share_of_base(set, exact_combine_(sums(NULL)$value, 1, sums(seq_along(set$cell)[keep])$value, -1))
}

# What some rows make of the total of all groups.
selected_share <- function(set, rows) {
  all <- rep(1L, length(set$total$value))
  part <- exact_sum_by(exact_at(set$value, rows), rep(1L, length(rows)), 1L)
  whole <- exact_sum_by(set$total, all, 1L)
  if (!length(all) || exact_signs_(whole$value) <= 0L) NA_real_ else exact_share(part, whole)
}

share_of_base <- function(set, x) {
  x <- new_exact(x, set$value$places, set$value$lowest)
  base <- set$base
  if (length(base$value) > 1L) base <- exact_at(base, match(seq_along(set$totals$items), set$cell))
  keep_where(exact_signs_(base$value) > 0L, exact_share(x, base))
}
