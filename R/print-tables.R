# Tables besides the items, in letters.

#' The columns of a table besides the items as text: shares as per cent, and measures as in the
#' main table. Files keep every digit.
#' @noRd
table_cells <- function(table, ans) {
  table <- as.list(table)
  measure <- plan_measure(ans$plan)$name
  figures <- list(share = percent_formatter(), share_of_items = percent_formatter(),
    cut_off = tier_formatter(ans), percent = percent_formatter(),
    attainment = percent_formatter())
  amounts <- c(measure, "split_of", unlist(lapply(unname(facets_of(ans)), facet_amounts)))
  figures[amounts] <- list(measure_formatter(ans))
  if (has_worth(ans)) figures$worth <- worth_formatter(ans)
  lapply(with_names(names(table), names(table)), function(name) {
    values <- table[[name]]
    of <- if (name %in% amounts) asked_measure(ans) else measure_named(ans, name)
    title <- measure_title(ans, name, of)
    if (!is.double(values) || inherits(values, "Date")) {
      return(plain_cell(values, title, name %in% c("n", "items")))
    }
    format <- figures[[name]] %||% figure_formatter(ans, of, values)
    cell(title, ifelse(is.na(values), "", format(values)))
  })
}

plain_cell <- function(values, title, count = FALSE) {
  text <- if (count) format_count(values) else as.character(values)
  text[is.na(values)] <- ""
  cell(title, text, if (is.numeric(values)) "right" else "left")
}

# A plain table as cells; `counts` are names of its columns.
frame_cells <- function(table, counts) {
  Map(function(column, name) plain_cell(column, name, name %in% counts), as.list(table), names(table))
}

shown_table <- function(table, ans, width) cells_lines(table_cells(table, ans), width)

#' Cells as aligned lines. Where they have no room long texts are cut, and then columns leave from
#' the right; that is said.
#' @noRd
cells_lines <- function(cells, width) {
  width <- max(40L, width)
  columns <- function(cells, most) lapply(cells, function(cell) align(c(cell$title, cut_text(cell$text, most)), cell$side))
  wide <- function(texts) sum(vapply(texts, function(text) nchar(text[1L], "width") + 2L, 0)) - 2L
  texts <- columns(cells, 44L)
  for (most in c(32L, 24L, 16L)) if (wide(texts) > width) texts <- columns(cells, most)
  kept <- length(texts)
  while (kept > 1L && wide(texts[seq_len(kept)]) > width) kept <- kept - 1L
  lines <- trimws(do.call(paste, c(unname(texts[seq_len(kept)]), list(sep = "  "))), "right")
  gone <- vapply(cells[-seq_len(kept)], `[[`, "", "title")
  c(muted(lines[1L]), lines[-1L],
    if (length(gone)) muted(fold(sprintf("No room for %s: in a wider window, or in a file.", enumerate(gone)), width)))
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
    return(transition_lines(ans, movement_pair(ans), width))
  }
  shown_table(answer_table(x, name, layout, make), ans, width)
}
