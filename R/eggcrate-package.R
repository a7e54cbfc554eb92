#' @section Options:
#' * `eggcrate.threads`: how many threads count, read and check (2).
#' * `eggcrate.held`: how many bytes the columns of a large file may take, of which more than two questions are asked, before
#'   they are read anew for each question instead (1e9).
#' * `eggcrate.fetch`: how many rows of a table in a database are fetched at most, where a question cannot be answered there (1e6); for the
#'   command the environment variable `EGGCRATE_FETCH`.
#' * `eggcrate.limit`: how many bytes a packed file may unpack to, by default 200 times its size; and a pipe may give, by
#'   default 10 GB.
#' * `eggcrate.patience`: seconds until long work says how far it is (0.4).
#'
#' @keywords internal
"_PACKAGE"

#' @useDynLib eggcrate, .registration = TRUE
#' @importFrom Rcpp evalCpp
NULL

utils::globalVariables(".data") # ggplot2's pronoun; importing it would load rlang at each start
