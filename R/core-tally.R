# The tally: one row per item with its components, in exact form.
#
# A source answers a compiled question with a list of
#   keys      the key columns, one value per item
#   rows      rows of each item that passed the filter
#   parts     one per aggregate: `total` (exact), `places`, `lowest`, and rows
#             without a value: `missing` (per item, NULL for none), `all_missing`
#   counts    rows read, filtered out and why, left out and why
# From here on nothing knows where the rows came from.

#' @param source A source with its columns loaded.
#' @param question A compiled question.
#' @noRd
tally_frame <- function(source, question, call = NULL) {
  columns <- source$columns
  gates <- question$gates
  counted <- tally_(
    columns = unname(lapply(columns, bare_column)), n = source$n,
    gates = lapply(gates, function(g) lower(g$node, columns)),
    keys = lapply(unname(question$keys), key_spec, columns = columns),
    sums = lapply(question$aggregates, sum_spec, columns = columns),
    threads = eggcrate_threads()
  )
  if (counted$status$code != 0L) stop_kernel(counted$status, status_columns(counted, question, columns), call)
  keys <- Map(function(values, name) restore_key(values, columns[[name]]), counted$keys, question$keys)
  names(keys) <- names(question$keys)
  unite_texts(list(
    keys = keys, rows = counted$rows, parts = Map(as_part, question$aggregates, counted$sums),
    counts = list(read = source$n, refused = counted$refused, unsure = counted$unsure, passed = counted$used)
  ))
}

# Attributes would only be in the kernel's way; a factor is its codes.
bare_column <- function(x) if (is.factor(x)) unclass(x) else x

key_spec <- function(name, columns) {
  column <- columns[[name]]
  list(column = match(name, names(columns)), codes = if (is.factor(column)) nlevels(column) else 0L)
}

sum_spec <- function(aggregate, columns) {
  value <- aggregate$value %||% new_node("number", "number", value = 1)
  list(value = lower(value, columns), when = if (!is.null(aggregate$when)) lower(aggregate$when, columns))
}

as_part <- function(aggregate, sum) {
  list(
    op = aggregate$op, text = aggregate$text, total = sum$total, places = sum$places, lowest = sum$lowest,
    missing = sum$missing, all_missing = sum$all_missing
  )
}

# The kernel numbers a key's column below -1, others from 1.
status_columns <- function(counted, question, columns) {
  if (counted$status$column < -1L) c(NA, question$keys) else names(columns)
}

restore_key <- function(values, like) {
  if (is.factor(like)) {
    text <- levels(like)[values]
    return(text)
  }
  if (inherits(like, "Date")) {
    return(structure(as.numeric(values), class = "Date"))
  }
  if (is.character(like)) {
    return(values)
  }
  as.vector(values)
}

eggcrate_threads <- function() {
  threads <- getOption("eggcrate.threads", 2L)
  if (!is.numeric(threads) || length(threads) != 1L || is.na(threads) || threads < 1) {
    stop_unknown_value("options(eggcrate.threads = )", threads, "a whole number from 1")
  }
  as.integer(threads)
}

# Keys that are one text ---------------------------------------------------

# The kernel tells texts apart by R's handles. The same text marked with another
# encoding, and all ways of being blank, are one key; they are few, so they
# are joined here.
unite_texts <- function(tally) {
  odd <- FALSE
  for (name in names(tally$keys)) {
    key <- tally$keys[[name]]
    if (!is.character(key)) next
    at <- odd_texts_(key)
    if (!length(at)) next
    odd <- TRUE
    key[at] <- as_key_text(key[at], name)
    tally$keys[[name]] <- key
  }
  if (odd) fold_tally(tally, tally$keys) else tally
}

as_key_text <- function(x, name) {
  blank <- blank_texts_(x)
  x <- enc2utf8(x)
  x[blank] <- NA_character_
  wrong <- !is.na(x) & !validUTF8(x)
  if (any(wrong)) {
    stop_data("value", sprintf("`%s` has text that is not valid UTF-8.", name),
      i = "Say in which encoding it is, for instance with `Encoding(x) <- \"latin1\"`.", fields = list(column = name))
  }
  x
}

# Joins the items whose `keys` are equal.
fold_tally <- function(tally, keys) {
  group <- match_rows(keys)
  first <- !duplicated(group)
  if (all(first)) {
    tally$keys <- keys
    return(tally)
  }
  n <- sum(first)
  tally$keys <- lapply(keys, function(key) key[first])
  tally$rows <- sum_groups(tally$rows, group, n)
  tally$parts <- lapply(tally$parts, function(part) {
    part$total <- exact_sum_by_(part$total, group, n)
    if (!is.null(part$missing)) part$missing <- sum_groups(part$missing, group, n)
    part
  })
  tally
}

# For each row the number of the first row equal to it, counted among firsts.
match_rows <- function(keys) {
  code <- rep(1L, length(keys[[1L]]))
  for (key in keys) {
    values <- match(key, unique(key))
    code <- match(pair <- paste(code, values), unique(pair))
  }
  code
}

sum_groups <- function(x, group, n) {
  out <- numeric(n)
  summed <- rowsum(x, group)
  out[as.integer(rownames(summed))] <- summed
  out
}
