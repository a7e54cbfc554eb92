# Tiers of an answer: its facet, and the tables that follow from it.

#' Sorts an answer into tiers.
#' @param compare_with Standings of the same items at another time, or NULL.
#' @param own,own_before A measure to tier by that the answer does not have, as `tier_rows()` takes
#'   it; of the other time too.
#' @noRd
add_tiers <- function(x, scheme, compare_with = NULL, own = NULL, own_before = NULL, call = NULL) {
  x <- drop_others(at_hand(x))
  ans <- answer_of(x)
  check_not_changes(ans, "Tiers are", call)
  columns <- unclass(as_plain(x))
  check_free(c("tier", "to_next", "above_cutoff"), columns, !has_facet(ans, "tiers"), call)
  if (!is.null(own)) scheme$of <- own$measure$name
  found <- tier_rows(ans, scheme, own, call)
  at <- whole_rows(ans)
  ans <- with_facet(ans, "tiers", scheme = scheme, number = found$tier,
    tier = labelled_tier(found$tier, scheme), gaps = found[c("to_next", "above_cutoff")], own = own,
    cuts = found$cuts)
  ans$receipt <- drop_empty_facts(add_rows(without_step(ans$receipt, "tiers"), list(
    receipt_rows("tiers", "scheme", value = scheme_title(scheme)),
    receipt_rows("tiers", "items without a tier", sum(is.na(found$tier)))
  )))
  columns$tier <- shown_tier(ans$facets$tiers$tier)[at]
  columns$to_next <- found$to_next[at]
  columns$above_cutoff <- found$above_cutoff[at]
  columns$tier_before <- if (!is.null(compare_with)) {
    tier_before(ans, scheme, answer_of(compare_with), own_before, call)[at]
  }
  rebuild(x, columns, ans)
}

# factor() would go through the text of each.
labelled_tier <- function(number, scheme) {
  structure(number, levels = scheme$labels, class = "factor")
}

# Items without a value are in a level of their own, if there are any.
shown_tier <- function(tier) {
  if (!anyNA(tier)) {
    return(tier)
  }
  factor(ifelse(is.na(tier), "(none)", as.character(tier)), c(levels(tier), "(none)"))
}

tier_before <- function(ans, scheme, before, own = NULL, call = NULL) {
  keys <- names(c(ans$plan$within, ans$plan$by))
  if (!identical(keys, names(c(before$plan$within, before$plan$by)))) {
    stop_eggcrate("call", "unknown_value",
      sprintf("`compare_with` must be standings by %s, as these are.", enumerate(tick(keys))),
      call = call)
  }
  tier <- tier_rows(before, scheme, own, call)$tier
  both <- lapply(keys,
    function(key) c(row_key(ans$ranked, key), row_key(before$ranked, key)))
  code <- match_rows(both)
  n <- length(ans$ranked$cell)
  factor(scheme$labels[tier[match(code[seq_len(n)], code[-seq_len(n)])]], scheme$labels)
}

# The table of tiers of an answer, also against other columns.
tier_rows_of <- function(x, by = NULL, call = NULL) {
  x <- drop_others(x)
  ans <- answer_of(x)
  check_tiers(ans, call)
  if (is.null(by)) tier_counts(ans) else tier_cross(x, ans, by, call)
}

# Columns of all rows of the standings, of which `only()` may have left some: the keys are
# known of all.
whole_columns <- function(x, ans, names, call = NULL) {
  rows <- whole_rows(ans)
  if (length(rows) == length(ans$ranked$cell)) {
    return(lapply(unclass(as_plain(x))[names], function(column) column[order(rows)]))
  }
  nodes <- all_keys(ans$plan)
  gone <- setdiff(names, names(nodes))
  if (length(gone)) {
    stop_eggcrate("call", "unknown_value",
      sprintf(paste("`%s` is available only for the items kept by `only()`, but the tier table",
        "counts all items."),
        gone[1L]),
      i = "Make the table before `only()`.", call = call)
  }
  Map(key_column, row_keys(ans$ranked, names), nodes[names])
}

check_tiers <- function(ans, call = NULL) {
  if (!has_facet(ans, "tiers")) {
    stop_eggcrate("call", "unknown_value", "These standings have no tiers.",
      i = "Assign them first, with `assign_tiers()`.", call = call)
  }
}

# Tiers against other columns, of all items as without them.
tier_cross <- function(x, ans, by, call = NULL) {
  for (name in by) {
    if (!name %in% names(x)) stop_unknown_column(name, names(x), "the standings", call)
  }
  measure <- plan_measure(ans$plan)
  if (!has_shares(ans)) stop_not_additive(measure, "totals of tiers", call)
  at <- seq_along(ans$ranked$cell)
  keys <- c(whole_columns(x, ans, by, call), list(tier = as.integer(ans$facets$tiers$tier)))
  group <- match_rows(keys)
  first <- first_seen(group)
  sums <- exact_sum_by(exact_at(ans$ranked$share$value, at), group, sum(first))
  # A share of what all make together.
  counted <- exact_at(counted_value(ans$ranked$share), at)
  part <- exact_sum_by(counted, group, sum(first))
  whole <- exact_sum_by(counted, rep(1L, length(at)), 1L)
  out <- c(lapply(keys, function(key) key[first]), list(items = tabulate(group)),
    with_names(list(exact_real(sums)), measure$name),
    list(share = keep_where(exact_signs_(whole$value) > 0L, exact_share(part, whole))))
  out$tier <- factor(levels(x$tier)[out$tier], levels(x$tier))
  order <- order_keys(c(lapply(out[by], plain_key), list(as.integer(out$tier))))
  lapply(out, function(column) column[order])
}
