# Requests for the same rows and items are sent as one statement, with all of their measures, and
# shown columns by minimum and maximum.

#' Answers requests in an engine: several requests with joint statements, one with `alone`.
#' @param alone Function of one request.
#' @return Tallies along the requests. NULL for those of several requests that share no statement,
#'   or whose joint statement cannot be made. If the engine refuses a statement, an error: each
#'   alone would be refused too, and a time-out would take as long.
#' @noRd
answer_in_engine <- function(s, requests, alone, call = NULL) {
  if (length(requests) == 1L) return(list(alone(requests[[1L]])))
  found <- vector("list", length(requests))
  if (!database_of(s)$engine$answers) return(found)
  for (each in alike(requests)) {
    joint <- joint_request(requests[each])
    tally <- tryCatch({
      counted <- counted_in_engine(s, joint, call)
      if (is.list(counted)) tally_in_engine(counted, call)
    }, eggcrate_error = function(e) if (inherits(e, "eggcrate_error_database")) stop(e))
    if (!is.null(tally)) found[each] <- lapply(requests[each], part_of_joint, tally, joint)
  }
  found
}

# The requests that are made of these in the end.
requests_in_engine <- function(s, requests, call = NULL) {
  groups <- alike(requests)
  joint <- lapply(groups, function(each) joint_request(requests[each]))
  works <- vapply(joint, function(one) is.list(counted_in_engine(s, one, call)), NA)
  alone <- setdiff(seq_along(requests), unlist(groups[works]))
  c(rev(joint[works]), requests[alone])
}

#' Requests of the same rows and items, where there are several.
#' @return A list of their positions.
#' @noRd
alike <- function(requests) {
  groups <- vapply(requests,
    function(request) rlang::hash(list(request$gates, keys_of_items(request))), "")
  at <- split(seq_along(requests), factor(groups, unique(groups)))
  Filter(function(each) length(each) > 1L, unname(at))
}

# Without the column that is to be shown.
keys_of_items <- function(request) request$keys[setdiff(names(request$keys), request$shows)]

joint_request <- function(requests) {
  joint <- requests[[1L]]
  joint$keys <- keys_of_items(joint)
  joint["shows"] <- list(NULL)
  aggregates <- unlist(lapply(requests, function(one) unname(one$aggregates)), recursive = FALSE)
  joint$aggregates <- numbered("a", unique(aggregates))
  joint$shown <- numbered("h",
    unique(unlist(lapply(requests, function(one) unname(one$keys[one$shows])), recursive = FALSE)))
  joint
}

part_of_joint <- function(request, tally, joint) {
  place <- function(node, all) match(TRUE, vapply(all, identical, NA, node))
  if (!is.null(request$shows)) {
    return(shown_tally(tally, request$shows,
      tally$shown[[place(request$keys[[request$shows]], joint$shown)]]))
  }
  at <- vapply(request$aggregates, place, 0L, joint$aggregates)
  new_tally(tally$keys, tally$rows, with_names(tally$parts[at], names(request$aggregates)),
    tally$counts)
}

# Of each item the least and the greatest value, which are one of those that have no other.
shown_tally <- function(tally, name, ends) {
  least <- which(!is.na(ends$least))
  most <- which(!is.na(ends$most) & ends$least != ends$most)
  at <- c(least, most)
  value <- c(ends$least[least], ends$most[most])
  new_tally(c(lapply(tally$keys, `[`, at), with_names(list(value), name)), tally$rows[at], list(),
    tally$counts)
}
