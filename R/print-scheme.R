# Schemes as text.

#' @rdname tiers_by_value
#' @export
print.eggcrate_scheme <- function(x, ...) {
  print_lines(format(x))
  invisible(x)
}

#' @rdname tiers_by_value
#' @export
format.eggcrate_scheme <- function(x, ...) {
  c(shown_scheme(x), paste0("  ", align(x$labels, "left"), "  ", tier_intervals(x)))
}
