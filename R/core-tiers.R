# Tiers of a ranking by a scheme: tiers, cut-offs, the amount to the next tier, and the amount above
# the cut-off of the own tier.

#' @param ans Standings.
#' @param own A measure to tier by that they do not have: the `measure`, and its `quantity` along
#'   the rows of the whole; NULL where they have it.
#' @return Along the rows of the whole: `tier` (number of the label, missing without a
#'   value), `to_next`, `above_cutoff`; and `cuts`, one per group and tier: the value that
#'   parts it from the next below.
#' @noRd
tier_rows <- function(ans, scheme, own = NULL, call = NULL) {
  line <- tier_line(ans, scheme, own, call)
  tier <- as.integer(tier_numbers(line, scheme, call))
  cuts <- tier_cuts(line, tier, scheme)
  gaps <- tier_gaps(line, tier, cuts, scheme)
  back <- function(x) {
    if (!is.null(line$at)) x[line$at] <- x
    x
  }
  list(tier = back(tier), to_next = back(gaps$to_next), above_cutoff = back(gaps$above_cutoff),
    cuts = cuts$table)
}

# The rows in the order of the measure to tier by: that of the ranks, or that of
# another measure. `at` says which row of the standings each one is.
tier_line <- function(ans, scheme, own = ans$facets$tiers$own, call = NULL) {
  ranked <- ans$ranked
  if (is.null(scheme$of)) {
    return(c(unclass(ranked)[c("quantity", "cell", "block", "share")],
      list(best = ans$plan$rules$best, measure = asked_measure(ans))))
  }
  if (is.null(own)) {
    measures <- measure_names(ans$plan)
    if (!scheme$of %in% measures) stop_no_tier_measure(scheme$of, measures, call)
    number <- match(scheme$of, measures)
    own <- list(measure = ans$plan$measures[[number]], quantity = measure_rows(ans, number))
  }
  measure <- own$measure
  q <- own$quantity
  keys <- row_keys(ranked, names(ans$plan$by))
  placed <- place_items(q, ranked$cell, "highest", keys)
  line <- list(quantity = quantity_at(q, placed$order), cell = placed$cell, block = placed$block,
    at = placed$order, best = "highest", measure = measure)
  if (measure$kind == "additive" && is_exact(q)) {
    line$share <- net_share(exact_at(new_exact(q$num, q$places, q$lowest), placed$order),
      line$cell, length(ranked$totals$items))
  }
  line
}

stop_no_tier_measure <- function(of, measures, call = NULL) {
  close <- close_names(of, measures)
  stop_eggcrate("call", "unknown_value", sprintf("There is no measure %s to tier by.", tick(of)),
    i = if (length(close)) sprintf("Did you mean %s?", enumerate(tick(close), "or")),
    i = sprintf("There %s %s; any other is written out, as in `of = sum(profit) / sum(net_sales)`.",
      if (length(measures) == 1L) "is" else "are", enumerate(tick(measures))),
    fields = list(arg = "of", value = of), call = call)
}

tier_numbers <- function(line, scheme, call = NULL) {
  at <- places(line)
  size <- at$size[match(seq_len(max(0L, line$cell)), line$cell)] # of each group
  tier <- switch(scheme$kind,
    value = value_tiers(line, scheme, call),
    share = share_tiers(line, scheme, at, call),
    percentile = place_tiers(at, lapply(scheme$bounds, items_in_part, n = size), line$cell),
    rank = place_tiers(at, lapply(scheme$bounds, rep, length(size)), line$cell),
    equal = place_tiers(at,
      lapply(seq_along(scheme$bounds), equal_limit, size = size, tiers = length(scheme$labels)),
      line$cell)
  )
  if (any(line$quantity$missing)) tier[line$quantity$missing] <- NA
  tier
}

# The first tier whose last place is not before the first of the block. `limits` are
# those last places, by group.
place_tiers <- function(at, limits, cell) {
  tier <- rep(length(limits) + 1L, length(at$first))
  for (i in rev(seq_along(limits))) {
    tier[which(at$first <= if (length(limits[[i]]) == 1L) limits[[i]] else limits[[i]][cell])] <- i
  }
  tier
}

# The first n mod k tiers get one more.
equal_limit <- function(i, size, tiers) i * (size %/% tiers) + pmin(i, size %% tiers)

value_tiers <- function(line, scheme, call = NULL) {
  lowest <- line$best == "lowest"
  growing <- length(scheme$bounds) > 1L && scheme$bounds[1L] < scheme$bounds[2L]
  if (length(scheme$bounds) > 1L && growing != lowest) {
    stop_scheme(sprintf("The bounds %s, but the %s value is best.", if (growing) "grow" else "fall",
      line$best),
      if (lowest) "Give upper bounds, smallest first." else "Give lower bounds, largest first.",
      call)
  }
  tier <- rep(length(scheme$labels), length(line$cell))
  for (i in rev(seq_along(scheme$bounds))) {
    sign <- quantity_against(line$quantity, number_quantity(scheme$bounds[i], 1L))
    tier[which(if (lowest) sign <= 0L else sign >= 0L)] <- i
  }
  tier
}

share_tiers <- function(line, scheme, at, call = NULL) {
  if (is.null(line$share)) stop_not_additive(line$measure, "tiers by share", call)
  check_base(line, list(measures = list(line$measure)), call)
  within <- scheme$boundary == "within"
  limits <- lapply(scheme$bounds, function(part) {
    count <- reach_limit(line, part, within)
    if (within) whole_block_limit(line, count) else count
  })
  tier <- place_tiers(at, limits, line$cell)
  if (anyNA(limits[[1L]])) tier[is.na(limits[[1L]])[line$cell]] <- NA
  tier
}

# The last place at which a whole block ends, up to a number of places, by group.
whole_block_limit <- function(line, count) {
  start <- match(seq_along(count), line$cell)
  last <- start + pmin(count, tabulate(line$cell, length(count))) - 1L
  torn <- !is.na(last) & last >= start &
    line$block[pmin(last + 1L, length(line$block))] == line$block[pmax(last, 1L)] &
    last < length(line$block)
  ifelse(torn, match(line$block[pmax(last, 1L)], line$block) - start, count)
}

# Cut-offs -------------------------------------------------------------------

# For each group and tier the row that is its last, and the value that an item must
# have to be in it.
tier_cuts <- function(line, tier, scheme) {
  groups <- max(0L, line$cell)
  k <- length(scheme$labels)
  slot <- (line$cell - 1L) * k + tier
  known <- if (anyNA(slot)) which(!is.na(slot)) else seq_along(slot)
  last <- rep(NA_integer_, groups * k)
  last[slot[known]] <- known # rows go from best to worst: the last one stays
  cut <- switch(scheme$kind,
    value = rep(c(scheme$bounds, NA_real_), groups),
    percentile = percentile_cuts(line, scheme),
    {
      held <- !is.na(last) & seq_len(k) != k
      replace(rep(NA_real_, groups * k), which(held),
        quantity_real(quantity_at(line$quantity, last[held])))
    }
  )
  list(last = last, k = k,
    table = list(cell = rep(seq_len(groups), each = k), tier = rep(seq_len(k), groups), cut = cut))
}

# Quantiles of type 7 at one minus the cumulated sizes.
percentile_cuts <- function(line, scheme) {
  start <- match(seq_len(max(0L, line$cell)), line$cell)
  size <- tabulate(line$cell[!line$quantity$missing], length(start))
  unlist(lapply(seq_along(start), function(g) {
    n <- size[g]
    cut <- vapply(scheme$bounds, function(part) {
      if (n == 0L) return(NA_real_)
      exact <- (n - 1) * part$digits
      low <- exact %/% 10^part$places + 1 # place from the top
      over <- (exact %% 10^part$places) / 10^part$places
      x <- quantity_real(quantity_at(line$quantity, start[g] + c(low, min(low + 1, n)) - 1))
      if (over == 0) x[1L] else x[1L] + over * (x[2L] - x[1L])
    }, 0)
    c(cut, NA_real_)
  }))
}

#' What an item lacks for the next tier up that has items, and how far it is above
#' its own floor. For relative schemes both are lines drawn by items: the value of
#' the last one in a tier, others standing still.
#' @noRd
tier_gaps <- function(line, tier, cuts, scheme) {
  n <- length(line$cell)
  slot <- (line$cell - 1L) * cuts$k + tier
  up <- next_up(cuts$last, cuts$k)[slot]
  own <- slot
  own[which(tier == cuts$k)] <- NA_integer_
  list(to_next = gap_to(line, up, cuts, scheme, 1),
    above_cutoff = gap_to(line, own, cuts, scheme, -1))
}

# For each slot (group and tier) the nearest one above in the same group that has items.
next_up <- function(last, k) {
  out <- rep(NA_integer_, length(last))
  for (i in seq_along(last)) {
    if ((i - 1L) %% k == 0L) next
    out[i] <- if (!is.na(last[i - 1L])) i - 1L else out[i - 1L]
  }
  out
}

# sign * (cut-off of the slot - value), exact where both are.
gap_to <- function(line, slot, cuts, scheme, sign) {
  cut <- if (scheme$kind == "value") {
    number_quantities(cuts$table$cut)
  } else {
    quantity_at(line$quantity, cuts$last)
  }
  q <- line$quantity
  if (is_decimal(q) && is.null(q$den) && is_decimal(cut) && cut$places <= q$places) {
    num <- exact_combine_(cut$num, 10^(q$places - cut$places), cut$num, 0)
    return(exact_gaps_(q$num, as.integer(slot), num, q$places, sign < 0))
  }
  known <- which(!is.na(slot))
  out <- rep(NA_real_, length(slot))
  gap <- subtract_quantities(quantity_at(cut, slot[known]), quantity_at(q, known), -1)
  out[known] <- sign * quantity_real(gap) + 0 # no gap is 0, never -0
  out
}

# Several numbers as one quantity of decimals, if they all are.
number_quantities <- function(x) {
  x <- as.numeric(x)
  x[is.na(x)] <- 0 # no line there, and nobody asks for it
  places <- decimal_places_(x)
  if (anyNA(places) || !length(x)) {
    return(list(real = x, missing = logical(length(x))))
  }
  exact_quantity(exact_from_whole_(round(x * 10^max(places))), max(places), logical(length(x)))
}

# The table of tiers ---------------------------------------------------------

#' One row per group and tier, empty ones too: cut-off, items, total, and the parts
#' of the group's items and of its total.
#' @noRd
tier_counts <- function(ans) {
  tiers <- ans$facets$tiers
  labels <- c(tiers$scheme$labels, if (anyNA(tiers$number)) "(none)")
  k <- length(labels)
  groups <- length(ans$ranked$totals$items)
  slot <- (ans$ranked$cell - 1L) * k + replace(tiers$number, is.na(tiers$number), k)
  cell <- rep(seq_len(groups), each = k)
  cut <- rep(NA_real_, groups * k)
  cut[(tiers$cuts$cell - 1L) * k + tiers$cuts$tier] <- tiers$cuts$cut
  counts <- slot_counts(ans, slot, cell)
  columns <- c(
    group_columns(ans, cell),
    list(tier = factor(rep(labels, groups), labels), cut_off = cut, items = counts$items),
    counts$values[1L], counts[c("share_of_items", if (has_shares(ans)) "share")]
  )
  with_marked_counts(columns, ans, slot, length(cell))
}

#' What the items of each slot make together.
#' @param slot Number of the slot that each row of the whole lies in.
#' @param cell For each slot the group that it lies in.
#' @return Per slot `items`, `values` (by measure; missing for holistic ones), and the
#'   parts of the group's items and of its total.
#' @noRd
slot_counts <- function(ans, slot, cell) {
  ranked <- ans$ranked
  n <- length(cell)
  items <- tabulate(slot, n)
  by_item <- integer(length(slot))
  by_item[ranked$order] <- slot
  parts <- lapply(ranked$tally$parts, fold_part, group = by_item, n = n)
  firsts <- tally_at(ranked$tally, ranked$order[match(cell, ranked$cell)])
  value_of <- function(measure) {
    value <- if (needs_rows(measure) || has_own_days(measure, ans$plan$by)) {
      rep(NA_real_, n)
    } else {
      quantity_real(measure_of(measure, parts, firsts, ans$plan))
    }
    if (measure$kind == "additive") value[items == 0L] <- 0
    value
  }
  out <- list(items = items,
    values = with_names(lapply(ans$plan$measures, value_of), measure_names(ans$plan)),
    share_of_items = items / tabulate(ranked$cell, length(ranked$totals$items))[cell])
  if (has_shares(ans)) {
    share <- ans$ranked$share
    out$share <- share_of(share, exact_sum_by(counted_value(share), slot, n), cell)
  }
  out
}
