# Headings and formats of the columns of all tables, in text, pages and workbooks.

#' Shares as per cent, and measures as in the main table.
#' @param table A named list of columns.
#' @return By column: `title`; `format`, a function from numbers to text, or NULL for what stays as
#'   it is; and `count`, whether it counts.
#' @noRd
column_formats <- function(table, ans) {
  table <- as.list(table)
  measure <- plan_measure(ans$plan)$name
  parts <- c("share", "share_of_items", "cum_share", "percentile", "percent", "attainment", "pace")
  figures <- with_names(rep(list(percent_formatter()), length(parts)), parts)
  figures[intersect(c("cut_off", "to_next", "above_cutoff"),
    names(table))] <- list(tier_formatter(ans))
  amounts <- c(measure, "running", "split_of",
    unlist(lapply(unname(facets_of(ans)), facet_amounts)))
  figures[amounts] <- list(measure_formatter(ans))
  if (has_potential(ans)) figures$potential <- potential_formatter(ans)
  Map(function(name, values) {
    of <- if (name %in% amounts) asked_measure(ans) else measure_named(ans, name)
    formatted <- is.double(values) && !inherits(values, "Date")
    list(title = measure_title(ans, words_of_column(ans, name), of),
      count = name %in% c("n", "items"),
      format = if (formatted) figures[[name]] %||% figure_formatter(ans, of, values))
  }, names(table), table)
}

# Of two periods each column has the name of its own.
words_of_column <- function(ans, name) {
  spans <- ans$facets$change$spans$names
  if (length(spans) == 2L && name %in% c("from", "to")) spans[match(name, c("from", "to"))] else
    shown_name(name, spaced_words(name))
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
