# Amount of each item in each order, for tables of databases: added up there, because resampling
# draws whole orders.

#' @export
#' @noRd
source_entries.eggcrate_source_database <- function(s, request, call = NULL) entries_of_engine(s,
  request, call) %||% NextMethod()

#' @export
#' @noRd
source_entries.eggcrate_source_lookup <- function(s, request, call = NULL) {
  (if (!is.null(database_of(s))) entries_of_engine(s, request, call)) %||% NextMethod()
}

#' @return As from `tally_rows()`, but that a row is all that an order has of an item; NULL where
#'   the rows are to be fetched.
#' @noRd
entries_of_engine <- function(s, request, call = NULL) {
  request <- replace(request, "apart", FALSE)
  limit <- fetch_limit()
  tally <- entries_counted(s, request, limit, call)
  if (!is.character(tally) && anyNA(tally$keys[[key_of_orders]])) {
    tally <- with_lone_rows(tally, s, request, limit, call)
  }
  if (is.character(tally)) {
    return(check_fetch(database_of(s), tally, call))
  }
  tally$keys <- lapply(tally$keys, function(key) {
    values <- unique(key)
    list(values = values, code = match(key, values))
  })
  tally
}

# A tally, or why the rows are to be fetched.
entries_counted <- function(s, request, limit, call = NULL) {
  found <- counted_in_engine(s, request, call)
  if (is.character(found)) {
    return(found)
  }
  tally_in_engine(found, call, limit) %||%
    sprintf("its orders have more than %s entries", count_text(limit))
}

#' A row without an order number counts as a separate order. Such rows are grouped by all columns
#' that they add up: equal rows add the same amount.
#' @param tally By items and orders.
#' @return The tally, with them as rows of their own.
#' @noRd
with_lone_rows <- function(tally, s, request, limit, call = NULL) {
  items <- setdiff(names(request$keys), key_of_orders)
  added <- request_columns(new_request(list(), request$keys[items], request$aggregates))
  alone <- new_request(c(request$gates,
    list(new_gate(new_node("is_missing", "flag", list(request$keys[[key_of_orders]])),
      "filtered out", "rows without an order"))),
    c(request$keys[items], numbered("(value)", added)), request$aggregates)
  lone <- entries_counted(s, alone, limit, call)
  if (is.character(lone)) {
    return(lone)
  }
  if (sum(lone$rows) > limit) {
    return(sprintf("more than %s rows have no order, and each is an order of its own",
      count_text(limit)))
  }
  lone <- apart_again(lone)
  if (is.null(lone)) {
    return("rows without an order are each an order of their own")
  }
  kept <- tally_at(tally, which(!is.na(tally$keys[[key_of_orders]])))
  none <- tally$keys[[key_of_orders]][rep(NA_integer_, length(lone$rows))]
  new_tally(Map(c, kept$keys[names(request$keys)],
    c(lone$keys[items], with_names(list(none), key_of_orders))[names(request$keys)]),
    c(kept$rows, lone$rows), Map(join_parts, kept$parts, lone$parts), tally$counts)
}

#' Rows that are alike, one by one: each has an equal share.
#' @return A tally; NULL where a share is too large to be told.
#' @noRd
apart_again <- function(tally) {
  rows <- tally$rows
  shares <- lapply(tally$parts, function(part) {
    share <- exact_from_whole_(round(doubles_of(part$total, 0L, 0L) / rows))
    whole <- exact_multiply_(share, exact_from_whole_(rows))
    rest <- if (!is.null(whole)) exact_combine_(whole, 1, part$total, -1)
    if (!is.null(rest) && all(exact_signs_(rest) == 0)) share
  })
  if (any(vapply(shares, is.null, NA))) {
    return(NULL)
  }
  tally$parts <- Map(function(part, share) {
    part$total <- share
    part$rows <- rep(1, length(rows))
    for (count in c("missing", "skipped")) {
      if (!is.null(part[[count]])) part[[count]] <- part[[count]] / rows
    }
    part
  }, tally$parts, shares)
  tally$rows <- rep(1, length(rows))
  tally_at(tally, rep(seq_along(rows), rows))
}
