# Reasons in letters.

#' @rdname why
#' @export
print.eggcrate_why <- function(x, ...) {
  print_lines(format(x, ...))
  invisible(x)
}

#' @rdname why
#' @export
format.eggcrate_why <- function(x, ...) {
  width <- max(nchar(x$step))
  lines <- split(paste0("  ", align(x$step, "left", width), "  ", harmless(x$text)),
    factor(x$group, unique(x$group)))
  c(bold(harmless(attr(x, "title"))),
    unlist(Map(function(group, lines) c(if (nzchar(group)) c("", group), lines), names(lines),
      lines), use.names = FALSE))
}
