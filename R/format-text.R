# Text of tables and figures: aligned, cut, folded.

align <- function(x, side, width = max(0L, nchar(x, "width"))) {
  x <- harmless(x)
  pad <- strrep(" ", pmax(0L, width - nchar(x, "width")))
  if (side == "left") paste0(x, pad) else paste0(pad, x)
}

cut_text <- function(x, width) {
  x <- harmless(x)
  long <- nchar(x, "width") > width
  dots <- symbol("..", "\u2026")
  x[long] <- paste0(trimws(strtrim(x[long], width - nchar(dots, "width")), "right"), dots)
  x
}

fold <- function(x, width) {
  if (length(x)) strwrap(harmless(x), width = width + 1L, exdent = 2L) else character()
}

symbol <- function(plain, fancy) {
  if (l10n_info()[["UTF-8"]] && !isFALSE(getOption("cli.unicode"))) fancy else plain
}

rank_text <- function(rank) ifelse(is.na(rank), symbol("-", "\u2013"), number_text(rank))
