# Tiles in letters: a line for each region, and its first items below it.

tile_lines <- function(x, layout, width, top = 3) {
  set <- facts(drop_others(x))
  number <- measure_formatter(set)
  table <- tile_rows(set, read_layout(layout, set), top, number)
  known <- !is.na(table[[set$question$measure$name]])
  cells <- list(
    align(table[[1L]], "left"),
    align(ifelse(known, sprintf("no. %s", format_count(table$rank)), "no sales"), "left"),
    align(ifelse(known, number(table[[set$question$measure$name]]), ""), "right"),
    if (!is.null(table$share)) align(percent_formatter()(table$share), "right"),
    if (!is.null(table$tier)) ifelse(is.na(table$tier), "", paste("tier", table$tier))
  )
  lines <- trimws(do.call(paste, c(Filter(Negate(is.null), cells), list(sep = "  "))), "right")
  below <- if (is.null(table$top)) {
    list(character())
  } else {
    lapply(table$top, function(top) if (!is.na(top)) muted(paste0("  ", fold(top, width - 2L))))
  }
  c(bold(fold(tiles_finding(table, set), width)),
    muted(unlist(lapply(standings_lines(set), fold, width))), "",
    unlist(Map(c, lines, below), use.names = FALSE), "",
    muted(fold(sprintf("%s.", rows_sentence(set$receipt)), width)))
}
