# Going back to the rows for what cannot be made from items: medians of groups, and of the
# rest of a group.

#' The groups themselves, for holistic measures; NULL where there are none.
#' @noRd
whole_tally <- function(source, plan, call = NULL) {
  requests <- whole_requests(plan)
  if (length(requests)) source_tally(source, requests[[1L]], call)
}

# The request for that, if there is one.
whole_requests <- function(plan) {
  if (any(vapply(plan$measures, `[[`, "", "kind") == "holistic")) {
    list(plan_request(plan, group_keys(plan)))
  }
}

# All that `answer_plan()` asks a source for.
plan_requests <- function(plan) {
  c(list(plan_request(plan)), whole_requests(plan),
    lapply(names(plan$show), show_request, plan = plan))
}

# Beyond this many items to leave out, asking each row takes too long.
most_left_out <- 1000L

#' What the rows that are not kept make together, per group, as from `fold_rows()`.
#' @param keep Which rows of the whole are kept, as an index.
#' @noRd
rest_of <- function(ans, keep) fold_rows(ans, keep, recount_rest(ans, keep))

# Components of the rest of those `groups` that have one, from the rows; none where they are not
# at hand, or nobody needs them.
recount_rest <- function(ans, keep) {
  none <- list(groups = integer())
  if (!any(vapply(ans$plan$measures, needs_rows, NA)) || length(keep) > most_left_out) {
    return(none)
  }
  if (length(unique(keep)) == length(ans$ranked$cell)) return(none)
  source <- reachable_source(ans$handle)
  if (is.null(source)) return(none)
  on.exit(drop_columns(source))
  ranked <- ans$ranked
  plan <- ans$plan
  if (length(keep)) {
    items <- lapply(ranked$tally$keys, function(key) key[ranked$order[keep]])
    others <- new_node("!", "flag", list(any_of_items(plan, items)))
    plan <- plan_where(plan, new_gate(others, "filtered out", "the rest"))
  }
  rest <- source_tally(source, plan_request(plan, group_keys(plan)))
  first <- ranked$order[match(seq_along(ranked$totals$items), ranked$cell)]
  at <- match_cells(ranked$tally$keys[group_names(plan)], first, rest$keys)
  some <- which(!is.na(at))
  list(groups = some, parts = tally_at(rest, at[some])$parts)
}

# Columns to show ----------------------------------------------------------

show_request <- function(name, plan) new_request(plan$gates, c(all_keys(plan), plan$show[name]),
  list(), shows = name)

#' One value per item, or "(several)".
#' @noRd
show_columns <- function(source, plan, ranked, call = NULL) {
  columns <- lapply(names(plan$show), function(name) {
    seen <- source_tally(source, show_request(name, plan), call)
    known <- !is.na(seen$keys[[name]])
    keys <- lapply(seen$keys, function(key) key[known])
    items <- row_keys(ranked)
    code <- match_rows(Map(c, items, keys[names(items)]))
    n <- length(ranked$cell)
    at <- match(code[seq_len(n)], code[-seq_len(n)])
    several <- code[seq_len(n)] %in% code[-seq_len(n)][duplicated(code[-seq_len(n)])]
    value <- key_column(keys[[name]][at], plan$show[[name]])
    if (any(several)) value <- replace(written_text(value), several, "(several)")
    value
  })
  with_names(columns, names(plan$show))
}
