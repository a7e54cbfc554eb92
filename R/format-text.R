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

#' Names cut to a width; those that would be alike are cut in their middle, so that their ends tell
#' them apart.
#' @noRd
cut_names <- function(x, width) {
  x <- harmless(x)
  cut <- cut_text(x, width)
  alike <- cut != x & cut %in% cut[duplicated(cut) & !duplicated(x)]
  cut[alike] <- cut_middle(x[alike], width)
  cut
}

cut_middle <- function(x, width) {
  dots <- symbol("..", "\u2026")
  tail <- (width - nchar(dots, "width")) %/% 2L
  head <- width - nchar(dots, "width") - tail
  paste0(trimws(strtrim(x, head), "right"), dots, trimws(strtail(x, tail), "left"))
}

# The end of a text, as wide as there is room.
strtail <- function(x, width) backwards(strtrim(backwards(x), width))
backwards <- function(x) vapply(strsplit(x, ""),
  function(letters) paste(rev(letters), collapse = ""), "")

fold <- function(x, width) {
  if (length(x)) strwrap(harmless(x), width = width + 1L, exdent = 2L) else character()
}

symbol <- function(plain, fancy) {
  if (l10n_info()[["UTF-8"]] && !isFALSE(getOption("cli.unicode"))) fancy else plain
}

rank_text <- function(rank) ifelse(is.na(rank), symbol("-", "\u2013"), number_text(rank))

# A name and what it means, side by side; a name that is too long has a line of its own.
two_columns <- function(names, texts, width, wide = max(nchar(names))) {
  width <- max(40L, width)
  pad <- strrep(" ", wide + 4L)
  unlist(Map(function(name, text) {
    lines <- strwrap(text, width - wide - 4L)
    if (nchar(name) > wide) {
      return(c(paste0("  ", name), paste0(pad, lines)))
    }
    c(paste0("  ", formatC(name, width = -wide), "  ", lines[1L]),
      paste0(rep(pad, length(lines) - 1L), lines[-1L]))
  }, names, texts), use.names = FALSE)
}

# All that a selection has left.
rows_by_default <- function(shown, n) if (is.null(shown)) n else Inf
