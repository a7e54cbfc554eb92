#' @keywords internal
"_PACKAGE"

#' @useDynLib eggcrate, .registration = TRUE
#' @importFrom Rcpp evalCpp
NULL

utils::globalVariables(".data") # ggplot2's pronoun; importing it would load rlang at each start
