# Tiles in letters: a line for each region, and its first items below it.

tile_lines <- function(x, layout, width, top = 3) {
  ans <- answer_of(drop_others(x))
  number <- measure_formatter(ans)
  table <- tile_rows(ans, read_layout(layout, ans), top, number)
  known <- !is.na(table[[plan_measure(ans$plan)$name]])
  cells <- list(
    align(table[[1L]], "left"),
    align(ifelse(known, sprintf("no. %s", format_count(table$rank)), "no sales"), "left"),
    align(ifelse(known, number(table[[plan_measure(ans$plan)$name]]), ""), "right"),
    if (!is.null(table$share)) align(percent_formatter()(table$share), "right"),
    if (!is.null(table$tier)) ifelse(is.na(table$tier), "", paste("tier", table$tier))
  )
  lines <- trimws(do.call(paste, c(Filter(Negate(is.null), cells), list(sep = "  "))), "right")
  below <- if (is.null(table$top)) {
    list(character())
  } else {
    lapply(table$top, function(top) if (!is.na(top)) muted(paste0("  ", fold(top, width - 2L))))
  }
  c(bold(fold(tiles_finding(table, ans), width)),
    muted(unlist(lapply(standings_lines(ans), fold, width))), "",
    unlist(Map(c, lines, below), use.names = FALSE), "",
    muted(fold(sprintf("%s.", rows_sentence(ans$receipt)), width)))
}
