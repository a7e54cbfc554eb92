# Tables other than the one of items, as text.

# The columns of a table besides the items as text. Files keep every digit.
table_cells <- function(table, ans) {
  Map(function(values, column) {
    if (is.null(column$format)) {
      return(plain_cell(values, column$title, column$count))
    }
    cell(column$title, ifelse(is.na(values), "", column$format(values)))
  }, as.list(table), column_formats(table, ans))
}

plain_cell <- function(values, title, count = FALSE) {
  text <- if (count) format_count(values) else as.character(values)
  text[is.na(values)] <- ""
  cell(title, text, if (is.numeric(values)) "right" else "left")
}

# A plain table as cells; `counts` are names of its columns.
frame_cells <- function(table, counts) {
  Map(function(column, name) plain_cell(column, name, name %in% counts), as.list(table),
    names(table))
}

shown_table <- function(table, ans, width) cells_lines(table_cells(table, ans), width)

#' Cells as aligned lines. Where they have no room long texts are cut, and then columns leave from
#' the right; that is said.
#' @noRd
cells_lines <- function(cells, width) {
  width <- max(40L, width)
  columns <- function(cells, most) lapply(cells,
    function(cell) align(c(cell$title, cut_text(cell$text, most)), cell$side))
  wide <- function(texts) sum(vapply(texts, function(text) nchar(text[1L], "width") + 2L, 0)) - 2L
  texts <- columns(cells, 44L)
  for (most in c(32L, 24L, 16L)) if (wide(texts) > width) texts <- columns(cells, most)
  kept <- length(texts)
  while (kept > 1L && wide(texts[seq_len(kept)]) > width) kept <- kept - 1L
  lines <- trimws(do.call(paste, c(unname(texts[seq_len(kept)]), list(sep = "  "))), "right")
  gone <- vapply(cells[-seq_len(kept)], `[[`, "", "title")
  c(muted(lines[1L]), lines[-1L],
    if (length(gone)) muted(fold(no_room_words(gone), width)))
}

#' A table of an answer as text.
#' @param name One of those of the grammar.
#' @param n How many items to show, NULL for as many as by default.
#' @param figures Whether a grid shows its figures; NULL for where they fit.
#' @noRd
answer_lines <- function(x, name = "items", width = getOption("width"), n = NULL, figures = NULL,
  layout = NULL, shares = NULL) {
  if (name == "items") {
    additional <- Filter(Negate(is.null), list(n = n, figures = figures))
    return(do.call(format, c(list(x, width = width), additional)))
  }
  ans <- answer_of(x)
  if (name == "tiles") {
    return(tile_lines(x, layout, width))
  }
  if (name == "transitions" && nrow(x)) {
    return(transition_lines(ans, movement_pair(ans), width))
  }
  shown_table(answer_table(x, name, layout, shares), ans, width)
}

#' The columns of a result, and one line for the rest.
#' @rawNamespace S3method(utils::str, eggcrate_answer)
#' @noRd
str.eggcrate_answer <- function(object, ...) {
  ans <- answer_of(object)
  utils::str(unclass(as_plain(object)), give.attr = FALSE, ...)
  cat(" - from ", ans$source, ", with receipt\n", sep = "")
}
