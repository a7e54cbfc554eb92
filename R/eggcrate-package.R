#' @keywords internal
"_PACKAGE"

#' @useDynLib eggcrate, .registration = TRUE
NULL

`%||%` <- function(x, y) if (is.null(x)) y else x
