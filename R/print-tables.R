# Tables besides the items, in letters.

# Shares as per cent and measures as in the main table; files keep every digit.
shown_table <- function(table, ans, width) {
  table <- as.list(table)
  measure <- plan_measure(ans$plan)$name
  figures <- list(share = percent_formatter(), share_of_items = percent_formatter(),
    cut_off = tier_formatter(ans), percent = percent_formatter(),
    attainment = percent_formatter())
  amounts <- c(measure, "split_of", unlist(lapply(unname(facets_of(ans)), facet_amounts)))
  figures[amounts] <- list(measure_formatter(ans))
  shown <- names(Filter(is.double, table))
  table[shown] <- lapply(with_names(shown, shown), function(name) {
    values <- table[[name]]
    format <- figures[[name]] %||% figure_formatter(ans, measure_named(ans, name), values)
    format(values)
  })
  titles <- vapply(names(table), function(name) {
    if (name %in% amounts) measure_title(ans, name) else measure_title(ans, name, measure_named(ans, name))
  }, "")
  kinds <- c(n = "count", items = "count", with_names(rep("figure", length(shown)), shown))
  kinds <- kinds[names(kinds) %in% names(table)]
  text_table(as.data.frame(with_names(table, titles), check.names = FALSE),
    with_names(kinds, titles[names(kinds)]), width)
}

#' Columns of a facet's tables that read as the measure does.
#' @noRd
facet_amounts <- function(facet) UseMethod("facet_amounts")

#' @export
#' @noRd
facet_amounts.eggcrate_facet <- function(facet) NULL

#' @export
#' @noRd
facet_amounts.eggcrate_facet_change <- function(facet) c("from", "to", "amount", "end")

#' @export
#' @noRd
facet_amounts.eggcrate_facet_targets <- function(facet) c("target", "gap")

#' Any table of an answer in letters.
#' @param name One of those of the grammar.
#' @param n How many items to show, NULL for as many as by default.
#' @param figures Whether a grid shows its figures; NULL for where they fit.
#' @noRd
answer_lines <- function(x, name = "items", width = getOption("width"), n = NULL, figures = NULL,
  layout = NULL, make = NULL) {
  if (name == "items") {
    further <- Filter(Negate(is.null), list(n = n, figures = figures))
    return(do.call(format, c(list(x, width = width), further)))
  }
  ans <- answer_of(x)
  if (name == "tiles") {
    return(tile_lines(x, layout, width))
  }
  if (name == "transitions" && nrow(x)) {
    return(transition_lines(ans, movement_pair(ans)))
  }
  shown_table(answer_table(x, name, layout, make), ans, width)
}
