# Tiles in letters: a line for each region, and its first items below it.

tile_lines <- function(table, set, width) {
  table <- as.list(table)
  number <- measure_formatter(set)
  known <- !is.na(table[[set$question$measure$name]])
  cells <- list(
    align(table[[1L]], "left"), align(ifelse(known, sprintf("no. %s", format_count(table$rank)), "no sales"), "left"),
    align(ifelse(known, number(table[[set$question$measure$name]]), ""), "right"),
    if (!is.null(table$share)) align(percent_formatter()(table$share), "right"),
    if (!is.null(table$tier)) ifelse(is.na(table$tier), "", paste("tier", table$tier))
  )
  lines <- trimws(do.call(paste, c(Filter(Negate(is.null), cells), list(sep = "  "))), "right")
  if (is.null(table$top)) {
    return(lines)
  }
  below <- lapply(table$top, function(top) if (!is.na(top)) muted(paste0("  ", fold(top, width - 2L))))
  unlist(Map(c, lines, below), use.names = FALSE)
}
