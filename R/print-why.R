# Reasons as text.

#' @rdname why
#' @export
print.eggcrate_why <- function(x, width = getOption("width"), ...) {
  print_lines(format(x, width = width, ...))
  invisible(x)
}

#' @rdname why
#' @export
format.eggcrate_why <- function(x, width = getOption("width"), ...) {
  check_shown(width = width)
  wide <- max(nchar(x$step))
  lines <- split(Map(function(step, text) {
    text <- strwrap(text, max(20L, width - wide - 3L))
    paste0("  ", c(step, rep(strrep(" ", wide), length(text) - 1L)), "  ", text)
  }, align(x$step, "left", wide), harmless(x$text)), factor(x$group, unique(x$group)))
  c(bold(fold(attr(x, "title"), width)),
    unlist(Map(function(group, lines) c(if (nzchar(group)) c("", group), lines), names(lines),
      lines), use.names = FALSE))
}
