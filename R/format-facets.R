# What the facets of an answer say in words, in tables and figures alike.

# Titles -------------------------------------------------------------------

# Facets that give an answer its title, the first that there is.
title_facets <- c("marks", "reach", "tiers")

#' The finding of a facet as title; NULL where it has none to give.
#' @noRd
facet_title <- function(facet, ans) UseMethod("facet_title")

#' @export
#' @noRd
facet_title.eggcrate_facet <- function(facet, ans) NULL

# Marks are named by their legend, and the table is about all.
#' @export
#' @noRd
facet_title.eggcrate_facet_marks <- function(facet, ans) question_text(ans$plan)

#' @export
#' @noRd
facet_title.eggcrate_facet_reach <- function(facet, ans) if (one_group(ans)) reach_finding(ans)

#' @export
#' @noRd
facet_title.eggcrate_facet_tiers <- function(facet, ans) if (one_group(ans)) tier_finding(ans)

one_group <- function(ans) length(ans$ranked$totals$items) == 1L

# Are tiers cut by the measure that is ranked by?
tiers_ranked <- function(ans) is.null(ans$facets$tiers$scheme$of)

# Marks --------------------------------------------------------------------

# The facet whose items are marked: those that were asked for, else those that are reached.
mark_facet <- function(ans) ans$facets$marks %||% ans$facets$reach

#' What the sign of a marked item means, and what the marked and the others are called in
#' a legend.
#' @noRd
facet_legend <- function(facet, ans) UseMethod("facet_legend")
facet_marks <- function(facet, ans) UseMethod("facet_marks")

#' @export
#' @noRd
facet_legend.eggcrate_facet_marks <- function(facet, ans) {
  sprintf("%s: %s.", facet$text, selected_words(ans, facet$rows))
}

#' @export
#' @noRd
facet_legend.eggcrate_facet_reach <- function(facet, ans) {
  sprintf("among those that reach %s; the item that crosses the line is in.", facet$part$text)
}

#' @export
#' @noRd
facet_marks.eggcrate_facet_marks <- function(facet, ans) c(facet$text, "the rest")

#' @export
#' @noRd
facet_marks.eggcrate_facet_reach <- function(facet, ans) reach_legend(ans)

# What is said behind the name of a group.
group_words <- function(ans, group) {
  if (has_facet(ans, "reach") && !has_facet(ans, "marks")) {
    paste0(": ", reach_finding(ans, group))
  } else {
    ""
  }
}

# What a sign before the rank says; the first that there is.
mark_columns <- c("highlighted", "reached")

marks_of <- function(x) {
  column <- intersect(mark_columns, names(x))
  if (length(column)) .subset2(x, column[1L])
}

#' How sure ranks are, and by what.
#' @noRd
firm_words <- function(ans) {
  sprintf("Ranks and whiskers: %s intervals, %s orders drawn anew %s times, seed %s.",
    ans$facets$firmness$level$text, format_count(ans$facets$firmness$orders),
      format_count(ans$facets$firmness$times),
    number_text(ans$facets$firmness$seed))
}

# The first of the highlighted items are shown wherever they stand.
marked_places <- function(mark, cell) {
  if (is.null(mark)) {
    return(rep(Inf, length(cell)))
  }
  out <- rep(Inf, length(cell))
  out[mark] <- seq_len(sum(mark)) - match(cell[mark], cell[mark]) + 1L
  out
}
