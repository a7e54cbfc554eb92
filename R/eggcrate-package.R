#' @section Options:
#' * `eggcrate.threads`: how many threads count, read and check (2).
#' * `eggcrate.held`: after two questions about the same open file, its columns are kept in memory
#'   if they take at most so many bytes (1e9).
#' * `eggcrate.fetch`: the largest number of rows that are fetched from a database if it cannot
#'   answer a question (1e6). For the command, set the environment variable `EGGCRATE_FETCH`.
#' * `eggcrate.limit`: the largest size in bytes of an unpacked file (200 times its packed size) or
#'   a pipe (10 GB). For the command, set the environment variable `EGGCRATE_LIMIT`.
#' * `eggcrate.patience`: seconds until long work says how far it is (0.4).
#'
#' @keywords internal
"_PACKAGE"

#' @useDynLib eggcrate, .registration = TRUE
#' @importFrom Rcpp evalCpp
NULL

utils::globalVariables(".data") # ggplot2's pronoun; importing it would load rlang at each start
