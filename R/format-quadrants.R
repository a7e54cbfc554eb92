# Quadrants in words.

# How the second measure reads; its splits read alike.
against_formatter <- function(ans) {
  figure_formatter(ans, ans$plan$measures[[2L]], greatest(quantity_real(second_quantity(ans))))
}

#' "Varlow Boatyard stands out: no. 4 of 241 customers by net sales, margin -0.005 (overall
#' 0.313)": of the item furthest into the corner of high and low.
#' @noRd
quadrant_finding <- function(ans) {
  row <- standing_out(ans)
  names <- measure_names(ans$plan)
  if (length(row)) {
    at <- places(ans$ranked)
    group <- ans$ranked$cell[row]
    number <- said_formatter(ans, ans$plan$measures[[2L]], against_formatter(ans))
    rule <- ans$facets$quadrants$asked$against
    return(sprintf("%s%s stands out: no. %s of %s by %s, %s %s (%s %s)",
      item_names(ans, ans$ranked$order[row]),
      if (length(ans$ranked$totals$items) > 1L) sprintf(" (%s)", group_labels(ans)[group]) else "",
      format_count(at$first[row]), count_of(at$size[row], item_noun(ans$plan)),
      plain_words(names[1L]), plain_words(names[2L]),
      number(quantity_real(quantity_at(second_quantity(ans), row))),
      if (is.numeric(rule)) "split at" else rule,
        number(ans$facets$quadrants$lines$against[group])))
  }
  first <- which(tabulate(ans$facets$quadrants$number, 4L) > 0L)[1L]
  if (is.na(first)) {
    return(question_text(ans$plan))
  }
  sprintf("%s: %s", ans$facets$quadrants$labels[first],
    selected_words(ans, which(ans$facets$quadrants$number == first)))
}

# "net_sales split at 9,134.11 (median), margin at 0.313 (overall)".
split_words <- function(ans) {
  found <- ans$facets$quadrants
  rule <- vapply(found$asked, function(split) if (is.numeric(split)) "as given" else split, "")
  if (length(ans$ranked$totals$items) == 1L) {
    rule <- sprintf("%s (%s)",
      c(said_formatter(ans, number = measure_formatter(ans, "no value"))(found$lines$of),
        ifelse(is.na(found$lines$against), "no value",
        against_formatter(ans)(found$lines$against))), rule)
  }
  sprintf("%s split at %s, %s at %s%s", shown_name(measure_names(ans$plan)[1L]), rule[1L],
    shown_name(measure_names(ans$plan)[2L]), rule[2L],
    if (length(ans$ranked$totals$items) > 1L) " of each group" else "")
}
