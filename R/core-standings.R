# From a tally to standings: order, rank, share, running total, percentile.

#' @param tally What a source answered.
#' @param question The compiled question.
#' @param whole For holistic measures, the tally of the groups themselves.
#' @return A list: `columns` (the table, in row order); in row order the exact
#'   `value`, `cell` (number of the group), `block` (tie block), `tally`; per group
#'   `total` (exact), `totals` (a table) and `overall` (quantities by measure, over all
#'   rows of the group); counts for the receipt.
#' @noRd
rank_tally <- function(tally, question, whole = NULL) {
  listed <- list_items(tally, question)
  tally <- if (all(listed$valued)) listed$tally else tally_at(listed$tally, listed$valued)
  cell <- number_cells(tally$keys[names(c(question$within, question$over))], length(tally$rows))
  measured <- lapply(question$measures, measure_of, parts = tally$parts, tally = tally,
    question = question)
  bases <- share_bases(measured[[1L]], tally, cell, question)

  met <- having_met(tally, question)
  cells <- cell_totals(tally, cell, bases, question, whole)
  incomplete <- incomplete_cells(tally, cell, question)
  if (!all(met)) {
    tally <- tally_at(tally, met)
    measured <- lapply(measured, quantity_at, met)
    bases <- base_at(bases, met)
    cell <- cell[met]
  }
  q <- measured[[1L]]

  placed <- place_items(q, cell, question$best, tally$keys[names(question$by)])
  order <- placed$order
  ranked <- standing_columns(tally, measured, placed, base_at(bases, order), question)
  list(
    columns = ranked$columns, value = ranked$value, quantity = quantity_at(q, order),
    running = ranked$running, base = ranked$base, counted = ranked$counted, cell = placed$cell,
    block = placed$block, total = cells$total, totals = cells$table, overall = cells$overall,
    incomplete = incomplete, tally = tally, order = order, dropped = sum(!listed$valued),
    below_having = sum(!met), unranked = sum(q$missing),
    tied = sum(placed$first != placed$last, na.rm = TRUE),
    left_out = left_out_rows(listed$tally$parts, question$measures[[1L]]),
    arithmetic = list(places = q$places, real = q$real[0L], ratio = !is.null(q$den))
  )
}

# Items --------------------------------------------------------------------

# An item all of whose rows lack the measure is not an item, unless it was listed.
list_items <- function(tally, question) {
  if (!is.null(question$all_items)) tally <- add_items(tally, question)
  first <- tally$parts[[main_part(question$measures[[1L]])]]
  valued <- if (is.null(first$missing) && is.null(first$skipped)) {
    TRUE
  } else if (length(question$measures[[1L]]$aggregates) > 1L) {
    contributing(first) > 0 | (first$listed %||% FALSE)
  } else {
    (first$missing %||% 0) < first$rows | (first$listed %||% FALSE)
  }
  list(tally = tally, valued = rep_len(valued, length(tally$rows)))
}

# Of several aggregates, the one that counts the rows that have all columns.
main_part <- function(measure) {
  names <- names(measure$aggregates)
  names[length(names)]
}

left_out_rows <- function(parts, measure) {
  part <- parts[[main_part(measure)]]
  if (length(measure$aggregates) > 1L) sum(part$skipped %||% 0) else part$all_missing
}

# Items that must appear even without rows: their sums are 0, the rest is missing.
add_items <- function(tally, question) {
  wanted <- question$all_items
  groups <- setdiff(names(tally$keys), names(wanted))
  if (length(groups)) wanted <- cross_groups(wanted, tally$keys[groups])
  wanted <- wanted[names(tally$keys)]
  both <- Map(c, tally$keys, wanted)
  have <- length(tally$rows)
  code <- match_rows(both)
  new <- setdiff(seq_along(code), seq_len(have))
  new <- new[!code[new] %in% code[seq_len(have)] & !duplicated(code[new])]
  at <- c(seq_len(have), new)
  tally$keys <- lapply(both, function(key) key[at])
  tally$rows <- c(tally$rows, numeric(length(new)))
  tally$parts <- lapply(tally$parts, function(part) {
    part$total <- c(part$total, rep(zero_exact, length(new)))
    for (count in c("rows", "missing", "skipped")) {
      if (!is.null(part[[count]])) part[[count]] <- c(part[[count]], numeric(length(new)))
    }
    part$listed <- code[at] %in% code[-seq_len(have)]
    part
  })
  tally
}

cross_groups <- function(items, keys) {
  first <- !duplicated(match_rows(keys))
  keys <- lapply(keys, function(key) key[first])
  n <- length(items[[1L]])
  c(lapply(keys, rep, each = n), lapply(items, rep, times = sum(first)))
}

# `having` drops items before ranks, never from the base of the shares.
having_met <- function(tally, question) {
  if (is.null(question$having)) {
    return(rep(TRUE, length(tally$rows)))
  }
  met <- having_truth(question$having, tally$parts)
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

# Shares -------------------------------------------------------------------

#' What shares are of: for each item the exact base, or NULL where the measure has
#' no shares. `share_base = "positive"` counts items above zero only.
#' @noRd
share_bases <- function(q, tally, cell, question) {
  measure <- question$measures[[1L]]
  if (measure$kind != "additive" && !measure$distinct) {
    return(NULL)
  }
  part <- additive_part(q)
  group <- switch(question$share_of,
    group = cell, all = rep(1L, length(cell)),
    period = number_cells(tally$keys[names(question$over)], length(cell))
  )
  counted <- if (question$share_base == "positive") exact_signs_(part$value) > 0L else TRUE
  all <- all(counted)
  base <- exact_sum_by_(if (all) part$value else part$value[counted],
    if (all) group else group[counted], max(0L, group))
  # One base for all stays one.
  list(value = part,
    base = new_exact(if (length(base) == 1L) base else base[group], part$places, part$lowest),
    counted = counted)
}

# Shares are of sums; a rate divides all of them alike. Where exactness has ended
# (a sum times a long number, say), doubles are counted in units of 2^-20.
additive_part <- function(q) {
  if (is_exact(q)) {
    return(new_exact(q$num, q$places, q$lowest))
  }
  new_exact(exact_from_whole_(round(ifelse(q$missing, 0, q$real) * 2^20)), NA_integer_, -20L)
}

base_at <- function(bases, i) {
  if (is.null(bases)) {
    return(NULL)
  }
  each <- function(x, at) if (length(x) == 1L) x else x[at]
  bases$value <- exact_at(bases$value, i)
  bases$base$value <- each(bases$base$value, i)
  bases$counted <- each(bases$counted, i)
  bases
}

# `x` where the test holds, else missing. The test may be one for all.
keep_where <- function(test, x) {
  if (!all(test)) x[rep_len(!test, length(x))] <- NA_real_
  x
}

# Order --------------------------------------------------------------------

# Groups in ascending order of their columns, numbered from 1.
number_cells <- function(keys, n) {
  if (!length(keys)) {
    return(rep(1L, n))
  }
  group <- match_rows(keys)
  firsts <- lapply(keys, function(key) key[!duplicated(group)])
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
#' @noRd
place_items <- function(q, cell, best, keys) {
  n <- length(cell)
  numbers <- order_numbers(q)
  ranked <- which(!q$missing)
  some <- length(ranked) < n
  placed <- exact_order_(if (some) numbers[ranked] else numbers, if (some) cell[ranked] else cell,
    best == "highest")
  size <- tabulate(cell[ranked], max(0L, cell))
  placed$order <- settle_ties_(ranked[placed$order], placed$block, keys)
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

standing_columns <- function(tally, measured, placed, bases, question) {
  order <- placed$order
  keys <- function(nodes) {
    Map(function(node, name) key_column(key_at(tally$keys[[name]], order), node), nodes,
      names(nodes))
  }
  measured <- lapply(measured, quantity_at, i = order)
  values <- lapply(measured, quantity_real)
  names <- vapply(question$measures, `[[`, "", "name")
  shares <- share_columns(bases, placed$cell, measured[[1L]])
  list(
    columns = c(
      keys(question$within), keys(question$over), list(rank = ranks(placed, question$ties)),
      keys(question$by), with_names(values[1L], names[1L]), shares$columns,
      list(percentile = percentiles(placed)), with_names(values[-1L], names[-1L])
    ),
    value = bases$value, running = shares$running, base = bases$base, counted = bases$counted
  )
}

# As `key[i]`, which waits for each text in turn.
key_at <- function(key, i) if (is.character(key)) texts_at_(key, i) else key[i]

key_column <- function(key, node) if (node$op == "period") period_label(key, node$period) else key

share_columns <- function(bases, cell, q) {
  if (is.null(bases)) {
    return(NULL)
  }
  value <- bases$value
  if (!all(bases$counted)) value$value[!bases$counted] <- zero_exact
  running <- exact_running(value, cell)
  above <- exact_signs_(bases$base$value) > 0L
  share_of <- function(x) keep_where(above, exact_share(x, bases$base))
  over_days <- function(x) {
    if (is.null(q$den)) exact_real(x) else quantity_real(replace(q, "num", list(x$value)))
  }
  list(running = running, columns = list(
    share = keep_where(bases$counted, share_of(bases$value)), running = over_days(running),
    cum_share = share_of(running)
  ))
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

# The whole in sections, such as quadrants, each a part of one group: for tables that
# show them apart. Ranks and shares stay those of the group.
section_set <- function(set, section, labels) {
  at <- order(section)
  back <- order(at)
  first <- match(seq_along(labels), section)
  counts <- slot_counts(set, section, set$cell[first])
  for (field in intersect(c("value", "running"), names(set))) {
    set[[field]] <- exact_at(set[[field]], at)
  }
  if (length(set$base$value) > 1L) set$base <- exact_at(set$base, at)
  if (length(set$counted) > 1L) set$counted <- set$counted[at]
  set$quantity <- quantity_at(set$quantity, at)
  set[c("order", "block")] <- list(set$order[at], set$block[at])
  set$incomplete <- set$incomplete[set$cell[first]]
  set$cell <- section[at]
  set$totals <- c(list(items = counts$items), counts$values)
  if (!is.null(set$value)) set$total <- exact_sum_by(set$value, set$cell, length(labels))
  set$rows <- back[set$rows]
  set$highlighted <- back[set$highlighted]
  set$sections <- labels
  set["asked"] <- list(NULL) # rows are counted anew by group only
  set
}

# Totals -------------------------------------------------------------------

#' One row per group: its columns, the items, and the total of each measure, which
#' is a sum for additive ones, made from components for mergeable ones, and counted
#' anew for holistic ones. A distinct count has both: the sum of its rows, and the
#' different ones in all.
#' @noRd
cell_totals <- function(tally, cell, bases, question, whole = NULL) {
  groups <- max(0L, cell)
  folded <- lapply(tally$parts, fold_part, group = cell, n = groups)
  first <- match(seq_len(groups), cell)
  keys <- c(question$within, question$over)
  table <- c(
    Map(function(node, name) key_column(tally$keys[[name]][first], node), keys, names(keys)),
    list(items = tabulate(cell, groups))
  )
  at <- if (!is.null(whole)) match_cells(tally$keys[names(keys)], first, whole$keys)
  firsts <- list(keys = lapply(tally$keys, function(key) key[first]), rows = numeric(groups))
  overall <- list()
  for (measure in question$measures) {
    parts <- if (needs_rows(measure)) tally_at(whole, at)$parts else folded
    overall[[measure$name]] <- measure_of(measure, parts, firsts, question)
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
incomplete_cells <- function(tally, cell, question) {
  groups <- max(0L, cell)
  if (!length(question$over) || !groups) {
    return(logical(groups))
  }
  node <- question$over[[1L]]
  number <- tally$keys[[names(question$over)]][match(seq_len(groups), cell)]
  !complete_period(number, node$period, question$coverage(node_date(node)))
}

match_cells <- function(keys, first, whole_keys) {
  if (!length(keys)) {
    return(rep(1L, length(first)))
  }
  both <- Map(function(a, b) c(a[first], b), keys, whole_keys[names(keys)])
  code <- match_rows(both)
  match(code[seq_along(first)], code[-seq_along(first)])
}
