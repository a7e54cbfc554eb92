# Shares: what a value is of, in one place. Nobody else divides.

#' @param value Exact values, along the rows.
#' @param running Exact running totals within each group, along the rows.
#' @param base Exact, one for each group: what shares are of.
#' @param counted Which rows count; TRUE for all.
#' @param total Exact, one for each group: the sum of what counts.
#' @param whole Exact: the sum of what counts, of all groups.
#' @noRd
new_share <- function(value, running, base, counted, total, whole) {
  stopifnot(length(running$value) == length(value$value),
    length(base$value) == length(total$value), length(whole$value) == 1L)
  list(value = value, running = running, base = base, counted = counted, total = total,
    whole = whole)
}

#' What the shares of a tally are of, before the items are in order. With
#' `share_base = "positive"` items below zero have no share, and none counts them.
#' @param cell Number of each item's group.
#' @return As `new_share()`, with `value` and `counted` along the items and no running
#'   totals; NULL for a measure that has no shares.
#' @noRd
share_bases <- function(q, tally, cell, plan) {
  if (!can_share(plan_measure(plan))) {
    return(NULL)
  }
  value <- additive_part(q)
  counted <- if (plan$rules$share_base == "positive") exact_signs_(value$value) >= 0L else TRUE
  all <- all(counted)
  sums <- function(group, n) {
    if (all) return(exact_sum_by(value, group, n))
    exact_sum_by(exact_at(value, counted), group[counted], n)
  }
  groups <- max(0L, cell)
  total <- sums(cell, groups)
  # For each cell, the group that its shares refer to.
  of <- switch(plan$rules$share_of,
    group = seq_len(groups), all = rep(1L, groups),
    period = number_cells(tally$keys[names(plan$over)], length(cell))[match(seq_len(groups), cell)]
  )
  base <- exact_at(exact_sum_by(total, of, max(0L, of)), of)
  whole <- exact_sum_by(total, rep(1L, groups), 1L)
  list(value = value, base = base, counted = counted, total = total, whole = whole)
}

# Shares are shares of sums; a rate divides all of them alike. If a sum is not exact (such as a sum
# times a long number), doubles are counted in units of 2^-20, or in larger units if they do not fit
# into 62 bits.
additive_part <- function(q) {
  if (is_exact(q)) {
    return(new_exact(q$num, q$places, q$lowest))
  }
  value <- as.numeric(replace(q$real, q$missing, 0))
  bits <- as.integer(min(20, 61 - ceiling(log2(max(abs(value), 1)))))
  new_exact(exact_from_whole_(round(value * 2^bits)), NA_integer_, -bits)
}

# Which of the items, in which order.
bases_at <- function(bases, i) {
  if (is.null(bases)) {
    return(NULL)
  }
  bases$value <- exact_at(bases$value, i)
  if (length(bases$counted) > 1L) bases$counted <- bases$counted[i]
  bases
}

# Each row's contribution to the share base; 0 for rows without a share.
counted_value <- function(share) {
  value <- share$value
  if (!all(share$counted)) value$value[!share$counted] <- zero_exact
  value
}

# What shares are of, for each group.
base_of <- function(ranked) ranked$share$base

#' Exact parts as shares of the base of their group; missing where that is not above zero.
#' @param part Exact values.
#' @param cell The group of each; NULL where there is one for each group.
#' @noRd
share_of <- function(share, part, cell = NULL) {
  base <- share$base
  if (!is.null(cell) && length(base$value) > 1L) base <- exact_at(base, cell)
  keep_where(exact_signs_(base$value) > 0L, exact_share(part, base))
}

#' Shares and cumulative shares along the rows.
#' @noRd
share_rows <- function(share, cell) {
  list(share = keep_where(share$counted, share_of(share, share$value, cell)),
    cum_share = share_of(share, share$running, cell))
}

#' What some rows make of the total of all groups.
#' @noRd
selected_share <- function(ans, rows) {
  share <- ans$ranked$share
  part <- exact_sum_by(exact_at(counted_value(share), rows), rep(1L, length(rows)), 1L)
  if (exact_signs_(share$whole$value) <= 0L) NA_real_ else exact_share(part, share$whole)
}

# The groups in which a part can be reached.
above_zero <- function(ranked) exact_signs_(base_of(ranked)$value) > 0L

# Cut-offs on shares are an error where the base of the one group is not above zero.
check_base <- function(ranked, plan, call = NULL) {
  base <- base_of(ranked)
  if (length(base$value) == 1L && exact_signs_(base$value) <= 0L) {
    stop_data("value",
      sprintf("The total of %s is not above zero, so no part of it can be reached.",
        plan_measure(plan)$text), fields = list(total = exact_real(base)), call = call)
  }
}

# `x` where the test holds, else missing. The test may be one for all.
keep_where <- function(test, x) {
  if (!all(test)) x[rep_len(!test, length(x))] <- NA_real_
  x
}

# Of another measure than the one that is ranked by: of each group's net total.
net_share <- function(value, cell, groups) {
  total <- exact_sum_by(value, cell, groups)
  new_share(value, exact_running(value, cell), total, TRUE, total,
    exact_sum_by(total, rep(1L, groups), 1L))
}
