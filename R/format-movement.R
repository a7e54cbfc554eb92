# Movement in words.

# The last two complete periods, where there are two.
pair_or_none <- function(ans) {
  if (nrow(ans$facets$movement$row)) tryCatch(movement_pair(ans),
    eggcrate_error_period = function(e) NULL)
}

# A one-character code for each tier: the first character of its label if these differ, otherwise
# its number.
tier_codes <- function(ans) {
  labels <- ans$facets$tiers$scheme$labels
  codes <- label_codes(labels)
  with_names(c(codes, "?", symbol(".", "\u00b7")), c(labels, "(none)", absent))
}

label_codes <- function(labels) {
  first <- substr(labels, 1L, 1L)
  with_names(if (anyDuplicated(first)) as.character(seq_along(labels)) else first, labels)
}

movement_names <- function(ans, items) {
  item_names(ans, ans$ranked$order[there(ans$facets$movement$row[items, , drop = FALSE])])
}

# With the group behind the name, where there are groups.
names_in_groups <- function(ans, items) {
  moved <- ans$facets$movement
  names <- movement_names(ans, items)
  if (length(moved$groups)) sprintf("%s, %s", names, moved$groups[moved$group[items]]) else names
}

# Rows are the tiers before, columns those after.
transition_table <- function(ans, pair) {
  table <- transition_counts(ans, pair)
  labels <- levels(table$from)
  counts <- matrix(table$items, length(labels), byrow = TRUE, dimnames = list(labels, labels))
  used <- rowSums(counts) + colSums(counts) > 0
  counts[used, used, drop = FALSE]
}

#' "From 2025-Q4 to 2026-Q1 31 of 241 customers rose a tier or more, 22 fell, 50 came, 23
#' went".
#' @noRd
movement_finding <- function(ans) {
  pair <- pair_or_none(ans)
  if (is.null(pair)) {
    return(question_text(ans$plan))
  }
  table <- transition_counts(ans, pair)
  tiers <- ans$facets$tiers$scheme$labels
  both <- table$from %in% tiers & table$to %in% tiers
  count <- function(at) format_count(sum(table$items[at]))
  sprintf("%s to %s: %s rose a tier or more, %s fell, %s were added and %s dropped out",
    ans$facets$movement$labels[pair[1L]], ans$facets$movement$labels[pair[2L]],
    paste(count(both & as.integer(table$to) < as.integer(table$from)), "of",
      count_of(sum(table$items), item_noun(ans$plan))),
    count(both & as.integer(table$to) > as.integer(table$from)),
    count(table$from == absent & table$to != absent),
    count(table$from != absent & table$to == absent))
}

period_names <- function(ans) paste0(ans$facets$movement$labels,
  ifelse(ans$facets$movement$complete, "", " *"))

# The first `n` items of each group that are shown.
items_in_view <- function(ans, n) {
  items <- shown_items(ans)
  group <- ans$facets$movement$group[items]
  items[stats::ave(seq_along(items), group, FUN = seq_along) <= n]
}

# Lines above a movement table: the conditions and the selection.
movement_words_above <- function(ans) {
  c(standings_lines(ans), shown_items_words(ans))
}

shown_items_words <- function(ans) {
  moved <- ans$facets$movement
  if (length(moved$shown_text)) {
    sprintf("only %s: %s of %s", paste(moved$shown_text, collapse = ", then "),
      format_count(length(moved$shown)),
      count_of(nrow(moved$row), item_noun(ans$plan)))
  }
}

scheme_words <- function(ans) {
  within <- names(ans$plan$within)
  sprintf("%s%s.", capital(shown_scheme(ans$facets$tiers$scheme)),
    if (length(within)) sprintf(", in each %s", enumerate(vapply(within, plain_words, ""))) else "")
}

# Those who are not there have a tile in the colour of the ground.
movement_colours <- function(ans) c(tier_colours(ans$facets$tiers$scheme),
  with_names("#F4F4F1", absent))
