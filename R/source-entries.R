# What each order adds to each item, of tables of databases: put together there, as drawing orders goes by what a whole order adds.

#' @export
#' @noRd
source_entries.eggcrate_source_database <- function(s, request, call = NULL) entries_of_engine(s, request, call) %||% NextMethod()

#' @export
#' @noRd
source_entries.eggcrate_source_lookup <- function(s, request, call = NULL) {
  (if (!is.null(database_of(s))) entries_of_engine(s, request, call)) %||% NextMethod()
}

#' @return As from `tally_rows()`, but that a row is all that an order has of an item; NULL where the rows are to be fetched.
#' @noRd
entries_of_engine <- function(s, request, call = NULL) {
  base <- database_of(s)
  fetch <- function(why) check_fetch(base, why, call)
  found <- counted_in_engine(s, replace(request, "apart", FALSE), call)
  if (is.character(found)) {
    return(fetch(found))
  }
  limit <- getOption("eggcrate.fetch", most_fetched)
  tally <- tally_in_engine(found, call, limit)
  if (is.null(tally)) {
    return(fetch(sprintf("its orders have more than %s entries", count_text(limit))))
  }
  if (anyNA(tally$keys[[key_of_orders]])) {
    return(fetch("rows without an order are each an order of their own"))
  }
  if (length(tally$parts) > 1L && !all(vapply(tally$parts, is_complete, NA))) {
    return(fetch("a row counts only where it has each of several values"))
  }
  tally$keys <- lapply(tally$keys, function(key) {
    values <- unique(key)
    list(values = values, code = match(key, values))
  })
  tally
}

is_complete <- function(part) is.null(part$missing) && is.null(part$skipped)
