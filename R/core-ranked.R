# From a tally to ranked items: order, ties, ranks, shares, totals of groups.

#' @param tally The tally, in its own order.
#' @param order Where in the tally each row's item is.
#' @param cell Number of each row's group.
#' @param block Number of each row's tie block.
#' @param rank The rank along the rows, by the rule for ties.
#' @param quantities The plan's measures along the rows, the one that ranks first.
#' @param share From `new_share()`, or NULL for a measure that has none.
#' @param totals Columns of the groups, their items, and the total of each measure.
#' @param total Exact totals of the groups, or NULL.
#' @param overall The measures over all rows of each group, as quantities by name.
#' @param incomplete Which groups lie in a period that is not complete.
#' @param account What the receipt counts.
#' @noRd
new_ranked <- function(tally, order, cell, block, rank, quantities, share, totals, total, overall,
  incomplete, account) {
  n <- length(order)
  stopifnot(length(cell) == n, length(block) == n, length(rank) == n,
    all(vapply(quantities, function(q) length(q$missing) == n, NA)),
    is.null(share) || length(share$value$value) == n,
    length(incomplete) == length(totals$items))
  structure(list(tally = tally, order = order, cell = cell, block = block, rank = rank,
    quantity = quantities[[1L]], additional = quantities[-1L], share = share, totals = totals,
    total = total, overall = overall, incomplete = incomplete, account = account),
    class = "eggcrate_ranked")
}

#' @param tally What a source answered.
#' @param whole For holistic measures, the tally of the groups themselves.
#' @return List of `ranked` and the `columns` of its table.
#' @noRd
rank_tally <- function(tally, plan, whole = NULL) {
  said <- function(part = NA) if (length(tally$rows) >= long_ranking) say_progress("Ranking", part)
  said()
  listed <- list_items(tally, plan)
  tally <- if (all(listed$valued)) listed$tally else tally_at(listed$tally, which(listed$valued))
  cell <- number_cells(tally$keys[group_names(plan)], length(tally$rows), plan_groups(plan))
  measured <- lapply(plan$measures, measure_of, parts = tally$parts, tally = tally, plan = plan)
  bases <- share_bases(measured[[1L]], tally, cell, plan)

  met <- having_met(tally, plan)
  cells <- cell_totals(tally, cell, bases, plan, whole)
  incomplete <- incomplete_cells(tally, cell, plan)
  if (!all(met)) {
    tally <- tally_at(tally, met)
    measured <- lapply(measured, quantity_at, met)
    bases <- bases_at(bases, met)
    cell <- cell[met]
    # Items that an own condition drops are not counted; items that `having` drops are.
    if (!having_asked(plan)) cells$table$items <- tabulate(cell, length(cells$table$items))
  }
  q <- measured[[1L]]

  said()
  placed <- place_items(q, cell, plan$rules$best, tally$keys[names(plan$by)])
  said()
  measured <- lapply(measured, quantity_at, i = placed$order)
  share <- placed_share(bases_at(bases, placed$order), placed$cell)
  ranked <- new_ranked(tally, placed$order, placed$cell, placed$block,
    ranks(placed, plan$rules$ties), measured, share, cells$table, cells$total, cells$overall,
    incomplete,
    list(
      dropped = sum(!listed$valued), below_having = sum(!met), unranked = sum(q$missing),
      tied = sum(placed$first != placed$last, na.rm = TRUE),
      left_out = left_out_rows(listed$tally$parts, plan_measure(plan)),
      arithmetic = list(places = q$places, real = q$real[0L], ratio = !is.null(q$den))
    ))
  said()
  columns <- standing_columns(ranked, measured, placed, plan)
  said(1)
  list(ranked = ranked, columns = columns)
}

# So many items take a while.
long_ranking <- 2e5

placed_share <- function(bases, cell) {
  if (is.null(bases)) {
    return(NULL)
  }
  new_share(bases$value, exact_running(counted_value(bases), cell), bases$base, bases$counted,
    bases$total, bases$whole)
}

# Items --------------------------------------------------------------------

# An item all of whose rows lack the measure is not an item, unless it was listed.
list_items <- function(tally, plan) {
  if (!is.null(plan$rules$all_items)) tally <- add_items(tally, plan)
  first <- tally$parts[[main_part(plan_measure(plan))]]
  valued <- if (is.null(first$missing) && is.null(first$skipped)) {
    TRUE
  } else if (length(plan_measure(plan)$aggregates) > 1L) {
    contributing(first) > 0 | (first$listed %||% FALSE)
  } else {
    (first$missing %||% 0) < first$rows | (first$listed %||% FALSE)
  }
  list(tally = tally, valued = rep_len(valued, length(tally$rows)))
}

# Of several aggregates, the one that counts the rows that have all columns.
main_part <- function(measure) {
  names <- names(measure$aggregates)
  measure$main %||% names[length(names)]
}

left_out_rows <- function(parts, measure) {
  part <- parts[[main_part(measure)]]
  if (length(measure$aggregates) > 1L) sum(part$skipped %||% 0) else part$all_missing
}

# Items that must appear even without rows: their sums are 0, the rest is missing.
add_items <- function(tally, plan) {
  wanted <- plan$rules$all_items
  groups <- setdiff(names(tally$keys), names(wanted))
  if (length(groups)) wanted <- cross_groups(wanted, tally$keys[groups])
  wanted <- wanted[names(tally$keys)]
  both <- Map(c, tally$keys, wanted)
  have <- length(tally$rows)
  code <- match_rows(both)
  # Numbers grow with the firsts, so those beyond the known ones are new.
  known <- max(0L, code[seq_len(have)])
  asked <- code[have + seq_len(length(code) - have)]
  at <- c(seq_len(have), have + which(first_seen(asked, known)))
  listed <- replace(logical(max(0L, code)), asked, TRUE)
  tally$keys <- lapply(both, function(key) key[at])
  tally$rows <- c(tally$rows, numeric(length(at) - have))
  tally$parts <- lapply(tally$parts, function(part) {
    part$total <- c(part$total, rep(zero_exact, length(at) - have))
    for (count in c("rows", "missing", "skipped")) {
      if (!is.null(part[[count]])) part[[count]] <- c(part[[count]], numeric(length(at) - have))
    }
    part$listed <- listed[code[at]]
    part
  })
  tally
}

cross_groups <- function(items, keys) {
  first <- first_seen(match_rows(keys))
  keys <- lapply(keys, function(key) key[first])
  n <- length(items[[1L]])
  c(lapply(keys, rep, each = n), lapply(items, rep, times = sum(first)))
}

# `having` drops items before ranks, never from the base of the shares.
having_met <- function(tally, plan) {
  if (is.null(plan$having)) {
    return(rep(TRUE, length(tally$rows)))
  }
  met <- having_truth(plan$having, tally$parts)
  !is.na(met) & met
}

having_truth <- function(node, parts) {
  if (node$op %in% c("&", "|", "!")) {
    sides <- lapply(node$args, having_truth, parts = parts)
    return(switch(node$op, "&" = sides[[1L]] & sides[[2L]], "|" = sides[[1L]] | sides[[2L]],
      !sides[[1L]]))
  }
  sides <- lapply(node$args, evaluate_measure, parts = parts)
  gap <- subtract_quantities(sides[[1L]], sides[[2L]], -1)
  sign <- if (is_exact(gap)) exact_signs_(gap$num) else sign(gap$real)
  sign[gap$missing] <- NA
  do.call(node$op, list(sign, 0))
}

# Order --------------------------------------------------------------------

#' Groups in ascending order of their columns, numbered from 1.
#' @param nodes Of the keys, by name: one that has an order of its own goes by that.
#' @noRd
number_cells <- function(keys, n, nodes = list()) {
  if (!length(keys)) {
    return(rep(1L, n))
  }
  group <- match_rows(keys)
  firsts <- lapply(keys, function(key) key[first_seen(group)])
  ordered <- names(Filter(function(node) !is.null(node$levels), nodes))
  firsts[ordered] <- Map(function(key, node) match(enc2utf8(key), enc2utf8(node$levels)),
    firsts[ordered],
    nodes[ordered])
  match(group, order_keys(firsts))
}

# Text by its UTF-8 bytes, numbers and dates by value, missing last.
order_keys <- function(keys) {
  do.call(order, c(unname(lapply(keys, function(k) if (is.character(k)) enc2utf8(k) else k)),
    list(method = "radix", na.last = TRUE)))
}

#' Items in row order; those without a value come last in their group, without a
#' place.
#' @return `order`, `cell`, and along the rows `block`, `first`, `last` (places that
#'   the tie block spans, missing without a value) and `size` (ranked items).
#' @param keys Keys that order ties; NULL if their order does not matter.
#' @noRd
place_items <- function(q, cell, best, keys) {
  n <- length(cell)
  numbers <- order_numbers(q)
  ranked <- which(!q$missing)
  some <- length(ranked) < n
  placed <- exact_order_(if (some) numbers[ranked] else numbers, if (some) cell[ranked] else cell,
    best == "highest")
  size <- tabulate(cell[ranked], max(0L, cell))
  placed$order <- ranked[placed$order]
  if (!is.null(keys)) placed$order <- settle_ties_(placed$order, placed$block, keys)
  if (some) placed <- append_unranked(placed, q, cell, keys, size)
  placed$cell <- cell[placed$order]
  placed$size <- if (length(size) == 1L) size else size[placed$cell]
  placed
}

append_unranked <- function(placed, q, cell, keys, size) {
  rest <- which(q$missing)
  rest <- rest[order_keys(c(list(cell[rest]), lapply(keys, function(key) key[rest])))]
  all <- c(placed$order, rest)
  at <- order(cell[all], seq_along(all) > length(placed$order))
  none <- rep(NA_integer_, length(rest))
  blocks <- c(placed$block, none)[at]
  # Each item without a value is a block of its own, so that blocks still grow.
  starts <- is.na(blocks) | !duplicated(blocks)
  list(order = all[at], block = cumsum(starts), first = c(placed$first, none)[at],
    last = c(placed$last, none)[at])
}

# Columns ------------------------------------------------------------------

standing_columns <- function(ranked, measured, placed, plan) {
  keys <- function(nodes) {
    Map(function(node, name) key_column(key_at(ranked$tally$keys[[name]], ranked$order), node),
      nodes, names(nodes))
  }
  values <- with_names(lapply(measured, quantity_real), measure_names(plan))
  c(keys(plan$within), keys(plan$over), list(rank = ranked$rank),
    keys(plan$by), values[1L], share_columns(ranked, measured[[1L]]),
    list(percentile = percentiles(placed)), values[-1L])
}

# A key along the rows, and several.
row_key <- function(ranked, name) ranked$tally$keys[[name]][ranked$order]
row_keys <- function(ranked, names = base::names(ranked$tally$keys)) {
  lapply(ranked$tally$keys[names], function(key) key[ranked$order])
}

# The columns that name the groups, for some groups in turn, or all.
group_columns <- function(ans, cell = seq_along(ans$ranked$totals$items)) {
  lapply(ans$ranked$totals[group_names(ans$plan)], function(key) key[cell])
}

# As `key[i]`, which waits for each text in turn.
key_at <- function(key, i) if (is.character(key)) texts_at_(key, i) else key[i]

key_column <- function(key, node) if (node$op == "period") period_label(key, node$period) else key

share_columns <- function(ranked, q) {
  share <- ranked$share
  if (is.null(share)) {
    return(NULL)
  }
  over_days <- function(x) {
    if (is.null(q$den)) exact_real(x) else quantity_real(replace(q, "num", list(x$value)))
  }
  shares <- share_rows(share, ranked$cell)
  list(share = shares$share, running = over_days(share$running), cum_share = shares$cum_share)
}

ranks <- function(placed, ties) {
  switch(ties,
    min = placed$first,
    max = placed$last,
    average = (placed$first + placed$last) / 2,
    dense = keep_where(!is.na(placed$first), restart(placed$block, placed$cell)),
    first = keep_where(!is.na(placed$first), restart(seq_along(placed$cell), placed$cell))
  )
}

# A number that grows along the rows, counted from 1 again in each cell.
restart <- function(number, cell) number - (number[row_starts(cell)] - 1L)[cumsum(row_starts(cell))]

# Where a number that only grows along the rows is new.
row_starts <- function(number) number != c(0L, number[-length(number)])

# The part of the other items that an item beats.
percentiles <- function(placed) {
  keep_where(placed$size > 1L, (placed$size - placed$last) / (placed$size - 1))
}

# Sections -----------------------------------------------------------------

# The whole in sections, such as quadrants, each a part of one group: for tables that
# show them apart. Ranks and shares stay those of the group.
section_answer <- function(ans, section, labels) {
  ranked <- ans$ranked
  at <- order(section)
  back <- order(at)
  cell <- ranked$cell[match(seq_along(labels), section)]
  counts <- slot_counts(ans, section, cell)
  share <- ranked$share
  if (!is.null(share)) {
    share <- new_share(exact_at(share$value, at), exact_at(share$running, at),
      exact_at(share$base, cell),
      if (length(share$counted) > 1L) share$counted[at] else share$counted,
      exact_sum_by(counted_value(share), section, length(labels)), share$whole)
  }
  ans$ranked <- new_ranked(ranked$tally, ranked$order[at], section[at], ranked$block[at],
    ranked$rank[at], lapply(c(list(ranked$quantity), ranked$additional), quantity_at, at), share,
    c(list(items = counts$items), counts$values),
    if (!is.null(share)) exact_sum_by(share$value, section[at], length(labels)), ranked$overall,
    ranked$incomplete[cell], ranked$account)
  ans$rows <- back[ans$rows]
  if (has_facet(ans, "marks")) {
    ans$facets$marks$rows <- lapply(ans$facets$marks$rows, function(rows) back[rows])
  }
  ans$sections <- labels
  ans["handle"] <- list(NULL) # rows are counted again by group only
  ans
}

# Totals -------------------------------------------------------------------

#' One row per group: its columns, the items, and the total of each measure, which
#' is a sum for additive ones, made from components for mergeable ones, and counted
#' anew for holistic ones. A distinct count has both: the sum of its rows, and the
#' different ones in all.
#' @noRd
cell_totals <- function(tally, cell, bases, plan, whole = NULL) {
  groups <- max(0L, cell)
  folded <- lapply(tally$parts, fold_part, group = cell, n = groups)
  first <- match(seq_len(groups), cell)
  keys <- plan_groups(plan)
  table <- c(
    Map(function(node, name) key_column(tally$keys[[name]][first], node), keys, names(keys)),
    list(items = tabulate(cell, groups))
  )
  at <- if (!is.null(whole)) match_cells(tally$keys[names(keys)], first, whole$keys)
  firsts <- list(keys = lapply(tally$keys[names(keys)], function(key) key[first]),
    rows = numeric(groups))
  overall <- list()
  for (measure in plan$measures) {
    parts <- if (needs_rows(measure)) tally_at(whole, at)$parts else folded
    overall[[measure$name]] <- measure_of(measure, parts, firsts, plan)
    table[[measure$name]] <- quantity_real(overall[[measure$name]])
    if (measure$distinct) {
      overall[[measure$name]] <- evaluate_measure(measure$tree, tally_at(whole, at)$parts)
      table[[paste(measure$name, "in all")]] <- quantity_real(overall[[measure$name]])
    }
  }
  total <- if (!is.null(bases)) exact_sum_by(bases$value, cell, groups)
  list(table = table, total = total, overall = overall)
}

# Which groups lie in a period that the data does not cover to its ends.
incomplete_cells <- function(tally, cell, plan) {
  groups <- max(0L, cell)
  if (!length(plan$over) || !groups) {
    return(logical(groups))
  }
  node <- plan$over[[1L]]
  number <- tally$keys[[names(plan$over)]][match(seq_len(groups), cell)]
  !complete_period(number, node$period, plan_coverage(plan, node_date(node)))
}

match_cells <- function(keys, first, whole_keys) {
  if (!length(keys)) {
    return(rep(1L, length(first)))
  }
  both <- Map(function(a, b) c(a[first], b), keys, whole_keys[names(keys)])
  code <- match_rows(both)
  match(code[seq_along(first)], code[-seq_along(first)])
}

# How each group reads; one without a name is "".
group_labels <- function(ans) {
  names <- group_names(ans$plan)
  ans$sections %||% if (length(names)) harmless(item_labels(ans$ranked$totals, names)) else ""
}
