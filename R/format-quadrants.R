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

# Worth --------------------------------------------------------------------

has_potential <- function(ans) !is.null(ans$facets$quadrants$potential)

potential_formatter <- function(ans) {
  facet <- ans$facets$quadrants
  figure_formatter(ans, facet$potential_of, greatest(facet$potential))
}

potential_title <- function(ans) measure_title(ans, "potential", ans$facets$quadrants$potential_of)

# "margin 0.313", of several groups "the split".
potential_target <- function(ans) {
  at <- unique(ans$facets$quadrants$potential_at)
  name <- plain_words(measure_names(ans$plan)[2L])
  if (length(at) == 1L && !is.na(at)) paste(name, against_formatter(ans)(at)) else
    sprintf("its split of %s", name)
}

potential_note <- function(ans) {
  if (has_potential(ans) && any(!is.na(ans$facets$quadrants$potential))) {
    sprintf("Potential: how much more %s an item would bring at %s; %s in all.",
      plain_words(ans$facets$quadrants$potential_of$name), potential_target(ans),
      said_potential(ans, sum(quadrant_counts(ans)$potential)))
  }
}

said_potential <- function(ans, x) {
  said_formatter(ans, ans$facets$quadrants$potential_of, potential_formatter(ans))(x)
}

# "with high net sales and low margin", or "in mend" if the user named the quadrant.
quadrant_words_of <- function(label, ans) {
  if (!grepl("^(high|low) ", label)) return(paste("in", label))
  for (name in measure_names(ans$plan)) label <- gsub(name, plain_words(name), label, fixed = TRUE)
  paste("with", sub(", ", " and ", label, fixed = TRUE))
}

#' "12 customers with high net sales and low margin would bring 107,826.31 more profit at margin
#' 31.3%".
#' @noRd
potential_finding <- function(ans) {
  facet <- ans$facets$quadrants
  rows <- which(facet$number == 2L & !is.na(facet$potential))
  if (!length(rows)) {
    return(NULL)
  }
  rows <- rows[order(-facet$potential[rows], rows)]
  total <- sum(sort(facet$potential[rows]))
  text <- sprintf("%s %s would bring %s more %s at %s",
    count_of(length(rows), item_noun(ans$plan)),
    quadrant_words_of(facet$labels[2L], ans), said_potential(ans, total),
    plain_words(facet$potential_of$name),
    potential_target(ans))
  a_finding("potential", text, total, item_names(ans, ans$ranked$order[rows]))
}
