# A source that keeps what it last counted: where only a threshold moves, the same tally is asked
# for again, and no row is looked at.

#' @param most How many cells are kept in all; the newest tally always is.
#' @return The source itself.
#' @noRd
keep_tallies <- function(s, most = 2e7) {
  s$kept <- list()
  s$most_kept <- most
  class(s) <- unique(c("eggcrate_source_keeping", class(s)))
  s
}

#' @export
#' @noRd
source_tally.eggcrate_source_keeping <- function(s, request, call = NULL) {
  key <- rlang::hash(request)
  tally <- s$kept[[key]] %||% NextMethod()
  kept <- c(with_names(list(tally), key), s$kept[setdiff(names(s$kept), key)])
  s$kept <- kept[cumsum(vapply(kept, tally_cells, 0)) <= s$most_kept | seq_along(kept) == 1L]
  tally
}

tally_cells <- function(tally) length(tally$rows) * (length(tally$keys) + length(tally$parts))
