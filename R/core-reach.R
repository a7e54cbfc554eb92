# Which items reach a part of the total, and how many it takes. All go by the base that
# `share` and `cum_share` show.

#' Rows whose total before their tie block is below `part` of the base: the block
#' that crosses is in, and once reached nothing later is, whatever returns do.
#' With the boundary "within" the block that crosses is out.
#' @return A logical vector along the rows; missing where a group's base is not
#'   above zero.
#' @noRd
reach_rows <- function(ranked, part, boundary = "reach") {
  whole_blocks(reach_single(ranked, part, boundary), ranked, all = boundary == "within")
}

# The bits of the integer 0 are those of the number 0+0i.
zero_exact <- complex(1L)

reach_counts <- function(ranked, part, passes) {
  reach_counts_(ranked$share$running$value, ranked$cell, base_of(ranked)$value, part$digits,
    part$places, passes) %||% stop_too_large()
}

#' How many single items, in row order, it takes to reach `part`, per group.
#' @return Integers; missing where the base is not above zero, or the part is not reached.
#' @noRd
reach_count <- function(ranked, part) {
  replace(reach_counts(ranked, part, FALSE), !above_zero(ranked), NA)
}

# How many single items stay within a part.
within_count <- function(ranked, part) {
  pmin(reach_limit(ranked, part, TRUE), tabulate(ranked$cell, length(ranked$totals$items)))
}

# Single rows in row order until a part of the base is reached, or as long as it is
# not passed; missing where a group's base is not above zero.
reach_single <- function(ranked, part, boundary = "reach") {
  count <- reach_limit(ranked, part, boundary == "within")
  places(ranked)$place <= if (length(count) == 1L) count else count[ranked$cell]
}

# How many places of each group: all, where the part is never reached.
reach_limit <- function(ranked, part, within) {
  count <- reach_counts(ranked, part, within)
  if (within) count <- count - 1L
  count[is.na(count)] <- .Machine$integer.max
  replace(count, !above_zero(ranked), NA)
}

#' A Pareto analysis: the rows within the target, their number, and the number of items that account
#' for half.
#' @noRd
add_reach <- function(x, part, boundary = NULL, call = NULL) {
  ans <- answer_of(x)
  boundary <- boundary %||% ans$facets$reach$boundary %||% "reach"
  check_not_changes(ans, "A Pareto reading is", call)
  check_shared(ans, "parts to reach", call)
  check_base(ans$ranked, ans$plan, call)
  columns <- unclass(as_plain(x))
  check_free("reached", columns, !has_facet(ans, "reach"), call)
  ans <- reach_facet(ans, part, boundary)
  count <- ans$facets$reach$count
  ans$receipt <- add_rows(without_step(ans$receipt, "reach"), list(
    receipt_rows("reach", "part to reach", value = part$text,
      note = sprintf("the item that crosses it is %s", if (boundary == "reach") "in" else "out")),
    receipt_rows("reach", if (boundary == "reach") "items it takes" else "items within it",
      sum(count, na.rm = TRUE),
      note = if (length(count) > 1L) "over all groups" else NA)
  ))
  columns$reached <- reach_rows(ans$ranked, part, boundary)[whole_rows(ans)]
  rebuild(x, columns, ans, "eggcrate_pareto")
}

reach_facet <- function(ans, part, boundary = "reach") {
  count <- if (boundary == "reach") reach_count else within_count
  with_facet(ans, "reach", part = part, boundary = boundary, count = count(ans$ranked, part),
    half = count(ans$ranked, read_part(0.5, "reach")))
}

# Thresholds ---------------------------------------------------------------

#' One row per group and threshold: parts of the total to reach, and numbers of items.
#' @noRd
threshold_rows <- function(ans, parts, first) {
  ranked <- ans$ranked
  groups <- length(ranked$totals$items)
  size <- tabulate(ranked$cell, groups)
  counts <- c(lapply(parts, reach_count, ranked = ranked), lapply(first, pmin, size))
  tied <- c(lapply(parts, function(part) reach_tied(ranked, part)),
    rep(list(rep(NA_integer_, groups)), length(first)))
  k <- length(counts)
  cell <- rep(seq_len(groups), each = k)
  by_group <- function(x) as.vector(do.call(rbind, x)[, seq_len(groups)])
  items <- by_group(counts)
  upto <- match(cell, ranked$cell) + items - 1L
  running <- exact_at(ranked$share$running, upto)
  none <- is.na(items)
  c(
    group_columns(ans, cell),
    list(threshold = rep(c(vapply(parts, `[[`, "", "text"), sprintf("first %d", as.integer(first))),
      groups), items = as.integer(items),
      with_ties = as.integer(by_group(tied)), share_of_items = items / size[cell]),
    with_names(list(replace(exact_real(running), none, NA)), plan_measure(ans$plan)$name),
    list(share = replace(share_of(ranked$share, running, cell), none, NA))
  )
}

# Items that a part takes when those that tie at the cut are in: up to the last row of
# the block of the last one.
reach_tied <- function(ranked, part) {
  count <- reach_count(ranked, part)
  start <- match(seq_along(count), ranked$cell)
  last <- start + count - 1L
  ends <- length(ranked$block) + 1L - match(ranked$block[last], rev(ranked$block))
  ends - start + 1L
}

# The table as it is asked for, with its parts as they are written.
usual_parts <- c("50%", "80%", "95%")

thresholds_of <- function(ans, shares = usual_parts, first = c(1, 5, 10), call = NULL) {
  check_not_changes(ans, "A table of thresholds is", call)
  check_shared(ans, "parts to reach", call)
  if (!is.numeric(first) || anyNA(first) ||
    any(first < 1 | first != floor(first) | first > .Machine$integer.max)) {
    stop_eggcrate("call", "unknown_value", "`first` must be whole numbers of items.", call = call)
  }
  threshold_rows(ans, lapply(as.list(shares), read_part, arg = "shares", call = call), first)
}

# The rest -----------------------------------------------------------------

#' What the rows that are not kept make together, per group: items and the measure,
#' from components; medians from `recounted` components, where there are such.
#' @param keep Which rows of the whole are kept, as an index.
#' @param recounted The `groups` whose rest was counted anew, and its `parts`.
#' @return A list with `items`, `value`, `share` and `values` (by measure), one per group.
#' @noRd
fold_rows <- function(ans, keep, recounted = NULL) {
  ranked <- ans$ranked
  groups <- length(ranked$totals$items)
  parts <- rest_parts(ranked, ranked$order[keep], groups)
  firsts <- tally_at(ranked$tally, ranked$order[match(seq_len(groups), ranked$cell)])
  values <- lapply(ans$plan$measures, function(measure) {
    if (has_own_days(measure, ans$plan$by)) {
      return(rep(NA_real_, groups)) # of no one's days
    }
    if (!needs_rows(measure)) {
      return(quantity_real(measure_of(measure, parts, firsts, ans$plan)))
    }
    value <- rep(NA_real_, groups)
    at <- recounted$groups
    if (length(at)) {
      of_rest <- measure_of(measure, recounted$parts, tally_at(firsts, at), ans$plan)
      value[at] <- quantity_real(of_rest)
    }
    value
  })
  list(items = tabulate(ranked$cell, groups) - tabulate(ranked$cell[keep], groups),
    value = values[[1L]], values = with_names(values, measure_names(ans$plan)),
    share = rest_share(ranked, keep))
}

# Components of the rest of each group: those of all less those of the kept; the least
# and the most are looked for again.
rest_parts <- function(ranked, kept, groups) {
  cell <- integer(length(ranked$tally$rows))
  cell[ranked$order] <- ranked$cell
  gone <- NULL
  lapply(ranked$tally$parts, function(part) {
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

# Shares of the rest: the sum of those that count less that of the kept.
rest_share <- function(ranked, keep) {
  groups <- length(ranked$totals$items)
  if (is.null(ranked$share)) {
    return(rep(NA_real_, groups))
  }
  value <- counted_value(ranked$share)
  all <- exact_sum_by(value, ranked$cell, groups)
  kept <- exact_sum_by(exact_at(value, keep), ranked$cell[keep], groups)
  share_of(ranked$share, exact_less(all, kept))
}
