# Requests and their tallies. What a question needs is sent to its source at once; tallies are kept
# until the question ends, and longer for a study or the desk.

#' The tally of a request: the kept one, or the source's answer.
#' @noRd
source_tally <- function(s, request, call = NULL) {
  at <- kept_place(s, request)
  tally <- if (!is.na(at)) s$tallies[[at]]$tally
  keep_tally(s, request, tally %||% source_answer(s, list(request), call)[[1L]])
}

#' Answers the requests of a question, or of several questions, together. A request that has to be
#' answered alone is answered when its tally is needed.
#' @noRd
answer_ahead <- function(s, requests, call = NULL) {
  new <- Filter(function(request) is.na(kept_place(s, request)), unique(requests))
  if (length(new)) Map(keep_tally, list(s), new, source_answer(s, new, call))
  invisible()
}

kept_place <- function(s, request) {
  match(TRUE, vapply(s$tallies, function(one) identical(one$request, request), NA))
}

# The newest tally comes first.
keep_tally <- function(s, request, tally) {
  at <- kept_place(s, request)
  others <- if (is.na(at)) s$tallies else s$tallies[-at]
  s$tallies <- c(list(list(request = request, tally = tally)), others)
  tally
}

#' Keeps tallies and columns for the next questions: if only a threshold changes, no row is read.
#' @param most Number of cells to keep. The newest tally is always kept.
#' @return The source itself.
#' @noRd
keep_tallies <- function(s, most = 2e7) {
  keep_columns(s)
  s$most_kept <- most
  s
}

#' The end of a question: drops the tallies that are not kept for the next one.
#' @noRd
end_question <- function(s) {
  s$tallies <- if (!is.null(s$most_kept)) newest_within(s$tallies, tally_cells, s$most_kept)
  if (isTRUE(s$passed)) s$passes <- (s$passes %||% 0L) + 1L
  s$passed <- FALSE
  for (part in list(s$base, s$table)) if (!is.null(part)) end_question(part)
}

forget_tallies <- function(s) {
  s$tallies <- NULL
  for (part in list(s$base, s$table)) if (!is.null(part)) forget_tallies(part)
}

#' The newest items within a limit. The newest of all is always among them.
#' @param kept List, newest first.
#' @param size Function that returns the size of one item.
#' @param most Limit of the sum of sizes.
#' @noRd
newest_within <- function(kept, size, most) {
  kept[cumsum(vapply(kept, size, 0)) <= most | seq_along(kept) == 1L]
}

newest_kept <- function(kept, key, value, size, most) {
  newest_within(c(with_names(list(value), key), kept[setdiff(names(kept), key)]), size, most)
}

tally_cells <- function(one) length(one$tally$rows) * (length(one$tally$keys) +
  length(one$tally$parts))

#' @return The nodes of the columns of several requests, without repetition.
#' @noRd
columns_of_all <- function(requests) {
  nodes <- unlist(lapply(requests, request_columns), recursive = FALSE)
  nodes[!duplicated(vapply(nodes, column_slot, ""))]
}
