# The tally: one row per item with its components, in exact form.
#
#   keys      the key columns, one value per item; periods as numbers
#   rows      rows of each item that passed the gates
#   parts     one per aggregate, by text, from `new_part()`
#   counts    rows read, refused and not told at each gate, and passed
# From here on nothing knows where the rows came from.

#' @param keys Named list of the keys of the items.
#' @param rows Rows of each item.
#' @param parts Named list of components.
#' @param counts List of `read`, `refused`, `unsure`, `first`, `passed`.
#' @noRd
new_tally <- function(keys, rows, parts, counts = list()) {
  n <- length(rows)
  if (any(lengths(keys) != n) || any(vapply(parts, function(p) length(p$total), 0L) != n)) {
    internal_error("the parts of a tally are not of one length")
  }
  list(keys = keys, rows = rows, parts = parts, counts = counts)
}

#' A component of each item.
#' @param aggregate What it is of: `op` and `text`.
#' @param sum `total` (exact), `places` and `lowest` (its unit: 10^-places, or 2^lowest for
#'   sums of doubles), and rows per item without a value: `missing`, `skipped` (not met by
#'   `when`); NULL for none.
#' @param rows Rows of each item.
#' @noRd
new_part <- function(aggregate, sum, rows) {
  list(
    op = aggregate$op, text = aggregate$text, total = sum$total, places = sum$places,
    lowest = sum$lowest, rows = rows, missing = sum$missing, skipped = sum$skipped,
    all_missing = sum$all_missing, first_missing = sum$first_missing
  )
}

#' Two tallies of the same request as one: what several files or parts of a table give.
#' Medians and distinct counts need the rows of both, and are refused.
#' @noRd
join_tallies <- function(a, b) {
  if (!identical(names(a$keys), names(b$keys)) || !identical(names(a$parts), names(b$parts))) {
    internal_error("tallies of two requests cannot be joined")
  }
  keys <- Map(c, a$keys, b$keys)
  both <- new_tally(keys, c(a$rows, b$rows), Map(join_parts, a$parts, b$parts),
    join_counts(a$counts, b$counts))
  fold_tally(both, keys)
}

join_parts <- function(a, b) {
  if (a$op %in% c("median", "distinct") || is.na(a$places) != is.na(b$places)) {
    internal_error(sprintf("the parts of `%s` cannot be joined", a$text))
  }
  parts <- list(a, b)
  ordered <- is.na(a$places) && a$op %in% c("min", "max")
  unit <- if (is.na(a$places)) min(a$lowest, b$lowest) else max(a$places, b$places)
  scaled <- lapply(parts, function(p) {
    by <- if (ordered) 1 else if (is.na(p$places)) 2^(p$lowest - unit) else 10^(unit - p$places)
    exact_combine_(p$total, by, p$total, 0) %||% stop_data("too_large", "A total is too large.")
  })
  count <- function(name) {
    if (is.null(a[[name]]) && is.null(b[[name]])) return(NULL)
    unlist(lapply(parts, function(p) p[[name]] %||% numeric(length(p$total))))
  }
  list(op = a$op, text = a$text, total = unlist(scaled),
    places = if (is.na(a$places)) NA_integer_ else unit,
    lowest = if (is.na(a$places) && !ordered) unit else a$lowest, rows = c(a$rows, b$rows),
    missing = count("missing"), skipped = count("skipped"),
    all_missing = a$all_missing + b$all_missing,
    first_missing = c(stats::na.omit(c(a$first_missing, b$first_missing)), NA)[1L])
}

join_counts <- function(a, b) {
  first <- ifelse(is.na(a$first), b$first + a$read, a$first)
  list(read = a$read + b$read, refused = a$refused + b$refused, unsure = a$unsure + b$unsure,
    first = first, passed = a$passed + b$passed)
}

# Keys that are one text ---------------------------------------------------

# The kernel tells texts apart by R's handles. The same text marked with another
# encoding, and all ways of being blank, are one key; they are few, so they
# are joined here.
#' @param odd For each key the positions of texts that need a second look.
#' @noRd
unite_texts <- function(tally, odd) {
  for (i in which(lengths(odd) > 0L)) {
    tally$keys[[i]][odd[[i]]] <- as_key_text(tally$keys[[i]][odd[[i]]], names(tally$keys)[i])
  }
  if (any(lengths(odd) > 0L)) fold_tally(tally, tally$keys) else tally
}

# Joins the items whose `keys` are equal.
fold_tally <- function(tally, keys) {
  group <- match_rows(keys)
  first <- first_seen(group)
  n <- sum(first)
  if (n == length(group)) {
    tally$keys <- keys
    return(tally)
  }
  tally$keys <- lapply(keys, function(key) key[first])
  tally$rows <- sum_groups(tally$rows, group, n)
  tally$parts <- lapply(tally$parts, fold_part, group = group, n = n)
  tally
}

# For each row the number of the first row equal to it, counted among firsts.
match_rows <- function(keys) {
  plain <- lapply(unname(keys), function(key) if (is.character(key)) enc2utf8(key) else key)
  number_rows_(plain, length(plain[[1L]]))
}

#' For each row of `keys` the row of `among` that is equal to it, missing where there is none.
#' @noRd
match_among <- function(keys, among) {
  n <- length(keys[[1L]])
  code <- match_rows(Map(c, among[names(keys)], keys))
  theirs <- seq_len(length(code) - n)
  which(first_seen(code[theirs]))[code[length(theirs) + seq_len(n)]]
}

# Where numbers of firsts are new; those up to `known` are not.
first_seen <- function(code, known = 0L) code > cummax(c(known, code))[seq_along(code)]

# Items by position, with all that belongs to them.
tally_at <- function(tally, i) {
  tally$keys <- lapply(tally$keys, function(key) key[i])
  tally$rows <- tally$rows[i]
  per_item <- c("total", "rows", "missing", "skipped", "listed")
  tally$parts <- lapply(tally$parts, function(part) {
    for (field in intersect(per_item, names(part))) {
      if (!is.null(part[[field]])) part[[field]] <- part[[field]][i]
    }
    part
  })
  tally
}
