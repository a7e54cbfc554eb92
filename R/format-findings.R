# Findings in words, each with its figure and its items; nothing where a table bears none
# out.

a_finding <- function(kind, text, value, items = character()) {
  list(list(kind = kind, text = paste0(capital(text), "."), value = as.numeric(value),
    items = items))
}

# At most half of the items make 80% of the total.
find_few <- function(ans) {
  if (!has_shares(ans) || !length(ans$ranked$cell) || !above_zero(ans$ranked)) {
    return(NULL)
  }
  ans <- reach_facet(ans, read_part("80%", "reach"))
  count <- ans$facets$reach$count
  if (is.na(count) || count > ans$ranked$totals$items / 2) {
    return(NULL)
  }
  a_finding("concentration", reach_finding(ans), count,
    item_names(ans, ans$ranked$order[seq_len(count)]))
}

# The item that is big and poor, by quadrants.
poor_finding <- function(ans) {
  row <- standing_out(ans)
  c(if (length(row)) {
    a_finding("exception", quadrant_finding(ans),
      quantity_real(quantity_at(second_quantity(ans), row)),
      item_names(ans, ans$ranked$order[row]))
  }, if (has_potential(ans)) potential_finding(ans))
}

find_near <- function(ans) {
  if (!has_facet(ans, "tiers")) {
    return(NULL)
  }
  tiers <- ans$facets$tiers
  side <- function(gap, line, words) {
    near <- near_tier(ans, tiers$gaps[[gap]], 0.05)
    if (!length(near$rows)) return(NULL)
    names <- item_names(ans, ans$ranked$order[near$rows])
    first <- near$rows[1L]
    text <- sprintf("%s %s within 5%% of %s, nearest %s in tier %s, which %s",
      count_of(length(names), item_noun(ans$plan)), if (length(names) == 1L) "is" else "are",
      line, names[1L], tiers$tier[first],
      sprintf(words, said_tier_formatter(ans)(tiers$gaps[[gap]][first])))
    a_finding("near cut-off", text, near$part[1L], names)
  }
  # Cut-offs of other schemes are the values of their last items, which are always near.
  c(side("to_next", "the next tier", "needs %s more"),
    if (tiers$scheme$kind == "value") side("above_cutoff", "the cut-off of their tier",
      "is %s above it"))
}

# Who is new at the top of the last two periods, and who is lost from it.
top_findings <- function(x, ans, top) {
  columns <- unclass(as_plain(x))
  rows <- ans$ranked$order[whole_rows(ans)]
  spans <- ans$facets$change$spans$names
  noun <- plural_of(item_noun(ans$plan))
  said <- function(at, kind, span, what) {
    if (!length(at)) return(NULL)
    names <- item_names(ans, rows[at])
    text <- sprintf("%s of the first %s %s of %s %s %s: %s", format_count(length(at)),
      format_count(top), noun, span, if (length(at) == 1L) "is" else "are", what,
      enumerate(names))
    a_finding(kind, text, length(at), names)
  }
  c(said(at_the_top(columns, c("new", "returned"), "rank_to", top), "new at the top", spans[2L],
    sprintf("new or returned since %s", spans[1L])),
    said(at_the_top(columns, "lost", "rank_from", top), "lost from the top", spans[1L],
      sprintf("lost in %s", spans[2L])))
}

# Gini of the last complete period against the one before.
concentration_change <- function(ans, changes) {
  if (!has_shares(ans)) {
    return(NULL)
  }
  gini <- vapply(2:3, function(side) {
    concentration_of(stats::na.omit(quantity_real(measure_rows(changes, side))))$gini
  }, 0)
  change <- diff(gini)
  if (is.na(change) || abs(change) < 0.01) {
    return(NULL)
  }
  labels <- changes$facets$change$spans$names
  three <- number_formatter(3L)
  a_finding("concentration change",
    sprintf("%s: %s concentrated in %s than in %s (Gini %s, %s from %s)",
      capital(measure_words(ans)), if (change > 0) "more" else "less", labels[2L], labels[1L],
      three(gini[2L]), if (change > 0) "up" else "down", three(gini[1L])), change)
}

#' A complete period far from the others.
#' @param periods List of `label`, `value`, `complete`, and what they are called.
#' @noRd
far_period <- function(ans, periods) {
  whole <- which(periods$complete)
  far <- far_value(periods$value[whole])
  if (is.null(far)) {
    return(NULL)
  }
  at <- whole[far$at]
  number <- said_formatter(ans)
  a_finding("unusual period",
    sprintf("%s is far %s the other %s: %s %s, %s in the middle", periods$label[at],
      if (far$score > 0) "above" else "below", plural_of(periods$noun), number(periods$value[at]),
      measure_words(ans), number(far$middle)), far$score, periods$label[at])
}
