# Tier schemes, which are values, and what they make of standings.
#
# A scheme has
#   kind      "value", "share", "percentile", "rank" or "equal"
#   labels    of all tiers, best first; the last one catches the rest
#   bounds    one less than labels: numbers, or parts as `read_part()` gives them
#   of        name of the measure to tier by; NULL is the ranking measure
#   boundary  "reach" or "within", for shares
#   colours   by label, or NULL

new_scheme <- function(kind, labels, bounds, of = NULL, boundary = NULL, colours = NULL,
  call = NULL) {
  check_labels(labels, call)
  check_tier_colours(colours, labels, call)
  structure(list(kind = kind, labels = labels, bounds = bounds, of = of, boundary = boundary,
    colours = colours), class = "eggcrate_scheme")
}

check_labels <- function(labels, call = NULL) {
  twice <- unique(labels[duplicated(labels)])
  if (length(twice)) {
    stop_scheme(sprintf("The label %s stands for more than one tier.", quoted(twice[1L])),
      "Each tier needs a label of its own.", call)
  }
  if (anyNA(labels) || any(!nzchar(labels))) {
    stop_scheme("Each tier needs a label.", "Write `c(A = 10000, B = 5000)`.", call)
  }
  if ("(none)" %in% labels) {
    stop_scheme("The label \"(none)\" is for items without a value.", call = call)
  }
}

check_tier_colours <- function(colours, labels, call = NULL) {
  unknown <- setdiff(names(colours), labels)
  if (length(colours) && (is.null(names(colours)) || length(unknown))) {
    stop_scheme("`colours` must name the tiers, as in c(A = \"#22303C\").",
      if (length(unknown)) sprintf("There is no tier %s.", quoted(unknown[1L])), call)
  }
}

stop_scheme <- function(header, hint = NULL, call = NULL) {
  stop_eggcrate("call", "scheme", header, i = hint, call = call)
}

# Numbers that fall (or grow) from tier to tier: else a tier would lie inside
# another.
check_order <- function(x, labels, falling, call = NULL) {
  wrong <- which(if (falling) diff(x) >= 0 else diff(x) <= 0)
  if (length(wrong)) {
    at <- wrong[1L] + 0:1
    stop_scheme(sprintf("Tier %s (%s) leaves nothing to tier %s (%s).", labels[at[1L]],
      number_text(x[at[1L]]), labels[at[2L]], number_text(x[at[2L]])),
      sprintf("Give the tiers best first, with bounds that %s.", if (falling) "fall" else "grow"),
      call)
  }
}

# Making schemes -------------------------------------------------------------

scheme_value <- function(bounds, rest, of, lowest, colours, call = NULL) {
  check_bounds(bounds, "numbers", call)
  if (!is.numeric(bounds) || any(!is.finite(bounds))) {
    stop_scheme("The bounds must be numbers, such as c(A = 10000, B = 5000).", call = call)
  }
  # Falling bounds are lower ones; growing ones are upper ones, for best = "lowest".
  if (length(bounds) > 1L) {
    check_order(unname(bounds), names(bounds), bounds[1L] > bounds[length(bounds)], call)
  }
  new_scheme("value", c(names(bounds), rest), unname(bounds), of, colours = colours, call = call)
}

scheme_share <- function(bounds, rest, of, boundary, colours, call = NULL) {
  check_choice(boundary, c("reach", "within"), "boundary", call)
  new_scheme("share", c(names(bounds), rest), growing_parts(bounds, call), of, boundary, colours,
    call)
}

growing_parts <- function(bounds, call = NULL) {
  check_bounds(bounds, "parts", call)
  parts <- lapply(bounds, read_part, arg = "a tier's part", call = call)
  values <- vapply(parts, `[[`, 0, "value")
  if (length(values) > 1L) check_order(unname(values), names(bounds), FALSE, call)
  if (values[length(values)] == 1) {
    stop_scheme("The last part is all there is, so that nothing is left for the rest.",
      "Parts cumulate: c(A = \"80%\", B = \"95%\").", call)
  }
  unname(parts)
}

scheme_percentile <- function(sizes, of, colours, call = NULL) {
  check_bounds(sizes, "parts", call)
  parts <- unname(lapply(sizes, read_part, arg = "a tier's size", call = call))
  places <- max(vapply(parts, `[[`, 0, "places"))
  digits <- vapply(parts, function(p) p$digits * 10^(places - p$places), 0)
  if (sum(digits) != 10^places) {
    stop_scheme(sprintf("The sizes add up to %s, not 100 %%.",
      paste0(number_text(sum(digits) * 100 / 10^places), " %")),
      "Sizes are parts of the items, from the top.", call)
  }
  cumulated <- lapply(cumsum(digits),
    function(d) list(value = d / 10^places, digits = d, places = places,
    text = paste0(number_text(d * 100 / 10^places), " %")))
  new_scheme("percentile", names(sizes), cumulated[-length(cumulated)], of, colours = colours,
    call = call)
}

scheme_rank <- function(bounds, rest, of, colours, call = NULL) {
  check_bounds(bounds, "ranks", call)
  if (!is.numeric(bounds) || any(!is.finite(bounds) | bounds < 1 | bounds != floor(bounds))) {
    stop_scheme("The bounds must be ranks, such as c(A = 10, B = 50).", call = call)
  }
  check_order(unname(bounds), names(bounds), FALSE, call)
  new_scheme("rank", c(names(bounds), rest), unname(bounds), of, colours = colours, call = call)
}

scheme_equal <- function(tiers, labels, of, colours, call = NULL) {
  if (!is.numeric(tiers) || length(tiers) != 1L || is.na(tiers) || tiers < 2 ||
    tiers != floor(tiers) || tiers > 100) {
    stop_scheme(sprintf("`tiers` must be a whole number from 2 to 100, not %s.", describe(tiers)),
      call = call)
  }
  labels <- as.character(labels %||% seq_len(tiers))
  if (length(labels) != tiers) {
    stop_scheme(sprintf("There are %d tiers and %d labels.", as.integer(tiers), length(labels)),
      call = call)
  }
  new_scheme("equal", labels, numeric(tiers - 1L), of, colours = colours, call = call)
}

check_bounds <- function(bounds, what, call = NULL) {
  if (!length(bounds) || is.null(names(bounds)) || any(!nzchar(names(bounds))) || anyNA(bounds)) {
    stop_scheme(sprintf("The tiers must be %s with labels, such as %s.", what,
      switch(what, numbers = "c(A = 10000, B = 5000)", ranks = "c(A = 10, B = 50)",
        "c(A = \"80%\", B = \"95%\")")), call = call)
  }
}

# Applying them --------------------------------------------------------------

#' @param set What belongs to standings as a whole.
#' @return Along the rows of the whole: `tier` (number of the label, missing without a
#'   value), `to_next`, `spare`; and `cuts`, one per group and tier: the value that
#'   parts it from the next below.
#' @noRd
tier_rows <- function(set, scheme, call = NULL) {
  line <- tier_line(set, scheme, call)
  tier <- as.integer(tier_numbers(line, scheme, call))
  cuts <- tier_cuts(line, tier, scheme)
  gaps <- tier_gaps(line, tier, cuts, scheme)
  back <- function(x) {
    if (!is.null(line$at)) x[line$at] <- x
    x
  }
  list(tier = back(tier), to_next = back(gaps$to_next), spare = back(gaps$spare), cuts = cuts$table)
}

# The rows in the order of the measure to tier by: that of the ranks, or that of
# another measure. `at` says which row of the standings each one is.
tier_line <- function(set, scheme, call = NULL) {
  own <- c(set[c("quantity", "cell", "block", "value", "running", "total", "question")],
    list(best = set$question$best))
  if (is.null(scheme$of)) {
    return(own)
  }
  measures <- measure_names(set$question)
  if (!scheme$of %in% measures) {
    stop_unknown_value("of", scheme$of, measures, call)
  }
  measure <- set$question$measures[[match(scheme$of, measures)]]
  q <- quantity_at(measure_of(measure, set$tally$parts, set$tally, set$question), set$order)
  keys <- lapply(set$tally$keys[names(set$question$by)], function(key) key[set$order])
  placed <- place_items(q, set$cell, "highest", keys)
  line <- list(quantity = quantity_at(q, placed$order), cell = placed$cell, block = placed$block,
    at = placed$order, best = "highest",
    question = replace(set$question, c("measures", "measure"), list(list(measure), measure)))
  if (measure$kind == "additive" && is_exact(q)) {
    line$value <- exact_at(new_exact(q$num, q$places, q$lowest), placed$order)
    line$running <- exact_running(line$value, line$cell)
    line$total <- exact_sum_by(line$value, line$cell, length(set$totals$items))
  }
  line
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
  if (is.null(line$value)) stop_not_additive(line$question$measure, "tiers by share", call)
  check_total(line, call)
  within <- scheme$boundary == "within"
  limits <- lapply(scheme$bounds, function(part) {
    count <- reach_limit(line, part, within)
    if (within) whole_block_limit(line, count) else count
  })
  tier <- place_tiers(at, limits, line$cell)
  if (anyNA(limits[[1L]])) tier[is.na(limits[[1L]])[line$cell]] <- NA
  tier
}

# The last place at which a whole block ends, of so many places, by group.
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
  list(to_next = gap_to(line, up, cuts, scheme, 1), spare = gap_to(line, own, cuts, scheme, -1))
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
  out[known] <- sign * quantity_real(gap)
  out
}

# Several numbers as one quantity of decimals, if they all are.
number_quantities <- function(x) {
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
tier_counts <- function(set) {
  scheme <- set$scheme
  k <- length(scheme$labels)
  groups <- length(set$totals$items)
  none <- anyNA(set$tier_number)
  tiers <- k + none
  number <- set$tier_number
  if (none) number[is.na(number)] <- k + 1L
  slot <- (set$cell - 1L) * tiers + number
  cell <- rep(seq_len(groups), each = tiers)
  labels <- c(scheme$labels, if (none) "(none)")
  cut <- rep(NA_real_, groups * tiers)
  cut[(set$cuts$cell - 1L) * tiers + set$cuts$tier] <- set$cuts$cut
  counts <- slot_counts(set, slot, cell)
  c(
    lapply(set$totals[group_names(set$question)], function(key) key[cell]),
    list(tier = factor(rep(labels, groups), labels), cut_off = cut, items = counts$items),
    counts$values[1L], counts[c("share_of_items", if (!is.null(set$value)) "share")]
  )
}

#' What the items of each slot make together.
#' @param slot Number of the slot that each row of the whole lies in.
#' @param cell For each slot the group that it lies in.
#' @return Per slot `items`, `values` (by measure; missing for holistic ones), and the
#'   parts of the group's items and of its total.
#' @noRd
slot_counts <- function(set, slot, cell) {
  n <- length(cell)
  items <- tabulate(slot, n)
  by_item <- integer(length(slot))
  by_item[set$order] <- slot
  parts <- lapply(set$tally$parts, fold_part, group = by_item, n = n)
  firsts <- tally_at(set$tally, set$order[match(cell, set$cell)])
  value_of <- function(measure) {
    value <- if (needs_rows(measure)) {
      rep(NA_real_, n)
    } else {
      quantity_real(measure_of(measure, parts, firsts, set$question))
    }
    if (measure$kind == "additive") value[items == 0L] <- 0
    value
  }
  out <- list(items = items,
    values = with_names(lapply(set$question$measures, value_of), measure_names(set$question)),
    share_of_items = items / tabulate(set$cell, length(set$totals$items))[cell])
  if (!is.null(set$value)) {
    sums <- exact_sum_by(set$value, slot, n)
    out$share <- keep_where(exact_signs_(set$total$value)[cell] > 0L,
      exact_share(sums, exact_at(set$total, cell)))
  }
  out
}
