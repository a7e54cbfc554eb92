# Requests for the same rows and items are sent as one statement, with all of their measures, and
# shown columns by minimum and maximum.

#' @export
#' @noRd
source_ahead.eggcrate_source_database <- function(s, requests, dates = character(),
  call = NULL) announce(s, requests, call)

#' @export
#' @noRd
source_ahead.eggcrate_source_lookup <- function(s, requests, dates = character(), call = NULL) {
  if (is.null(database_of(s))) NextMethod() else announce(s, requests, call)
}

# What several questions will ask is gathered until the first of it is asked for.
announce <- function(s, requests, call = NULL) {
  if (isTRUE(s$gathers)) s$gathered <- unique(c(s$gathered, requests)) else
    ask_together(s, requests, call)
  invisible()
}

#' A tally that was found before, or is counted now. Collected tallies are kept until the source is
#' closed.
#' @param count Function without arguments.
#' @noRd
tally_ahead <- function(s, request, count, call = NULL) {
  gathers <- isTRUE(s$gathers) && any(vapply(s$gathered, identical, NA, request))
  if (gathers && !isTRUE(s$together)) {
    s$together <- TRUE
    ask_together(s, s$gathered, call)
  }
  found <- take_ahead(s, request)
  if (!is.null(found)) {
    return(found)
  }
  found <- count()
  if (gathers) keep_ahead(s, list(request), list(found))
  found
}

keep_ahead <- function(s, requests, tallies) {
  s$ahead <- c(s$ahead,
    Map(function(request, tally) list(request = request, tally = tally), requests, tallies))
}

# If the combined query fails, run the queries one at a time. If a single query fails in the
# engine itself, stop: it would fail again, and a time-out would take as long.
ask_together <- function(s, requests, call = NULL) {
  if (!database_of(s)$engine$answers) {
    return(invisible())
  }
  new <- requests[vapply(requests, function(request) is.na(place_ahead(s, request)), NA)]
  for (each in alike(new)) {
    joint <- joint_request(each)
    tally <- tryCatch({
      found <- counted_in_engine(s, joint, call)
      if (is.list(found)) tally_in_engine(found, call)
    }, eggcrate_error = function(e) if (inherits(e, "eggcrate_error_database") &&
      !isTRUE(s$gathers)) stop(e))
    if (!is.null(tally)) keep_ahead(s, each, lapply(each, part_of_joint, tally, joint))
  }
}

# The requests that are made of these in the end.
requests_in_engine <- function(s, requests, call = NULL) {
  for (each in alike(requests)) {
    joint <- joint_request(each)
    if (is.list(counted_in_engine(s, joint, call))) {
      requests <- c(list(joint),
        Filter(function(one) !any(vapply(each, identical, NA, one)), requests))
    }
  }
  requests
}

#' Requests of the same rows and items, where there are several.
#' @return A list of lists.
#' @noRd
alike <- function(requests) {
  requests <- Filter(function(request) !request$apart, unique(requests))
  groups <- vapply(requests,
    function(request) rlang::hash(list(request$gates, keys_of_items(request))), "")
  Filter(function(each) length(each) > 1L, unname(split(requests, factor(groups, unique(groups)))))
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
