#' @keywords internal
"_PACKAGE"

#' @useDynLib eggcrate, .registration = TRUE
NULL

`%||%` <- function(x, y) if (is.null(x)) y else x

utils::globalVariables(".data") # ggplot2's pronoun; importing it would load rlang at each start
