# The tally: one row per item with its components, in exact form.
#
# A source answers a compiled question with a list of
#   keys      the key columns, one value per item; periods as numbers
#   rows      rows of each item that passed the filter
#   parts     one per aggregate, by text: `total` (exact), `places`, `lowest`, and
#             rows per item without a value: `missing`, `skipped` (NULL for none)
#   counts    rows read, filtered out and why
# From here on nothing knows where the rows came from.

#' @param source A source with its columns loaded.
#' @param question A compiled question.
#' @param keys Nodes to tally by; those of the question by default.
#' @noRd
tally_frame <- function(source, question, keys = question$keys, call = NULL) {
  columns <- as_compared(source$columns, question)
  counted <- count_rows(columns, source$n, question, keys, FALSE, call)
  values <- Map(function(values, node) {
    if (node$op == "column") restore_key(values, columns[[node$name]]) else as.numeric(values)
  }, counted$keys, keys)
  parts <- Map(as_part, question$aggregates, counted$sums, list(counted$rows))
  tally <- list(
    keys = with_names(values, names(keys)), rows = counted$rows,
    parts = with_names(parts, names(question$aggregates)),
    counts = list(read = source$n, refused = counted$refused, unsure = counted$unsure,
      first = counted$first, passed = counted$used)
  )
  united <- unite_texts(tally, counted$odd)
  joined <- length(united$rows) < length(tally$rows)
  if (!joined || !any(vapply(question$aggregates, `[[`, "", "op") %in% c("median", "distinct"))) {
    return(united)
  }
  # These cannot be joined, so the rows are counted again by the one text.
  texts <- names(Filter(is.character, columns))
  source$columns[texts] <- Map(as_key_text, columns[texts], texts)
  tally_frame(source, question, keys, call)
}

#' The rows that are used, each a cell of its own, in their order.
#' @return `keys`: for each its different `values`, and their number in each row, `code`;
#'   `rows` (all 1) and `parts` as in a tally.
#' @noRd
tally_rows <- function(source, question, keys, call = NULL) {
  columns <- as_compared(source$columns, question)
  counted <- count_rows(columns, source$n, question, keys, TRUE, call)
  one_text <- function(key, odd, name) {
    values <- restore_key(key$values, columns[[keys[[name]]$name]])
    if (!length(odd)) {
      return(list(code = key$code, values = values))
    }
    values[odd] <- as_key_text(values[odd], name)
    different <- unique(values)
    list(code = match(values, different)[key$code], values = different)
  }
  parts <- Map(as_part, question$aggregates, counted$sums, list(counted$rows))
  values <- Map(one_text, counted$keys, counted$odd, names(keys))
  list(keys = with_names(values, names(keys)), rows = counted$rows,
    parts = with_names(parts, names(question$aggregates)))
}

count_rows <- function(columns, n, question, keys, apart, call = NULL) {
  counted <- tally_(
    columns = unname(lapply(columns, bare_column)), n = n,
    gates = lapply(question$gates, function(g) lower(g$node, columns)),
    keys = lapply(unname(keys), key_spec, columns = columns),
    sums = lapply(unname(question$aggregates), sum_spec, columns = columns),
    apart = apart, threads = eggcrate_threads()
  )
  if (counted$status$code != 0L) {
    stop_kernel(counted$status, status_columns(counted, keys, question, columns), call)
  }
  counted
}

# A text is compared with a text, not with a level's number.
as_compared <- function(columns, question) {
  trees <- c(lapply(question$gates, `[[`, "node"), lapply(question$aggregates, `[[`, "when"))
  names <- unlist(lapply(trees, compared_texts))
  for (name in names) {
    if (is.factor(columns[[name]])) columns[[name]] <- as.character(columns[[name]])
  }
  columns
}

compared_texts <- function(node) {
  if (is.null(node)) {
    return(character())
  }
  if (node$op == "same_text") {
    vapply(node$args, `[[`, "", "name")
  } else {
    unlist(lapply(node$args, compared_texts))
  }
}

# Attributes would only be in the kernel's way; a factor is its codes.
bare_column <- function(x) if (is.factor(x)) unclass(x) else x

key_spec <- function(node, columns) {
  if (node$op != "column") {
    return(list(column = 0L, codes = 0L, program = lower(node, columns)))
  }
  column <- columns[[node$name]]
  list(column = column_place(node$name, columns),
    codes = if (is.factor(column)) nlevels(column) else 0L, program = NULL)
}

kernel_measures <- c(sum = 0L, count = 0L, mean = 0L, min = 1L, max = 2L, median = 3L,
  distinct = 4L)

sum_spec <- function(aggregate, columns) {
  told_apart <- aggregate$op == "distinct"
  value <- aggregate$value %||% new_node("number", "number", value = 1)
  # For a distinct count the program says which texts are missing.
  program <- if (!told_apart) {
    value
  } else if (value$type == "text") {
    new_node("is_missing", "flag", list(value))
  } else {
    new_node("number", "number", value = 1)
  }
  list(
    measure = kernel_measures[[aggregate$op]], value = lower(program, columns),
    of = if (told_apart) key_spec(value, columns),
    when = if (!is.null(aggregate$when)) lower(aggregate$when, columns)
  )
}

as_part <- function(aggregate, sum, rows) {
  list(
    op = aggregate$op, text = aggregate$text, total = sum$total, places = sum$places,
    lowest = sum$lowest, rows = rows, missing = sum$missing, skipped = sum$skipped,
    all_missing = sum$all_missing, first_missing = sum$first_missing
  )
}

# The kernel numbers keys, and then the columns told apart, from -2 down.
status_columns <- function(counted, keys, question, columns) {
  if (counted$status$column >= -1L) {
    return(names(columns))
  }
  apart <- vapply(question$aggregates, function(a) if (is.null(a$value)) "" else a$value$text, "")
  c(NA, vapply(keys, `[[`, "", "text"), apart)
}

restore_key <- function(values, like) {
  if (is.factor(like)) {
    return(levels(like)[values])
  }
  if (inherits(like, "Date")) {
    return(structure(as.numeric(values), class = "Date"))
  }
  if (is.character(like)) values else as.vector(values)
}

eggcrate_threads <- function() {
  threads <- getOption("eggcrate.threads", 2L)
  if (!is.numeric(threads) || length(threads) != 1L || is.na(threads) || threads < 1) {
    stop_unknown_value("options(eggcrate.threads = )", threads, "a whole number from 1")
  }
  as.integer(threads)
}

# Going back to the rows -----------------------------------------------------

#' The groups counted anew without some items: what holistic measures of the rest
#' need.
#' @param items Keys of the items to leave out, a named list.
#' @noRd
tally_without <- function(source, question, items, call = NULL) {
  if (length(items[[1L]])) {
    rest <- new_node("!", "flag", list(any_of_items(question, items)))
    question$gates <- c(question$gates,
      list(list(node = rest, step = "filtered out", text = "the rest")))
  }
  tally_frame(source, question, group_keys(question), call)
}

# Is a row of one of the items? Always yes or no.
any_of_items <- function(question, items) {
  nodes <- question$keys[names(items)]
  if (length(nodes) == 1L && nodes[[1L]]$type == "text" && !anyNA(items[[1L]])) {
    known <- new_node("!", "flag", list(new_node("is_missing", "flag", nodes)))
    return(new_node("&", "flag",
      list(known, new_node("text_test", "flag", unname(nodes), values = items[[1L]]))))
  }
  join_nodes("|",
    lapply(seq_along(items[[1L]]),
      function(i) join_nodes("&", unname(Map(key_equals, nodes, lapply(items, `[[`, i))))))
}

# Groups of standings, or one of all rows.
group_keys <- function(question) {
  groups <- c(question$within, question$over)
  if (length(groups)) groups else list(all = new_node("number", "number", value = 1))
}

# As halves of halves: a chain of hundreds would be too deep.
join_nodes <- function(op, nodes) {
  if (length(nodes) == 1L) {
    return(nodes[[1L]])
  }
  half <- length(nodes) %/% 2L
  new_node(op, "flag",
    list(join_nodes(op, nodes[seq_len(half)]), join_nodes(op, nodes[-seq_len(half)])))
}

# Is a row of this key? Always yes or no.
key_equals <- function(node, value) {
  missing <- new_node("is_missing", "flag", list(node))
  # A period of a missing date is missing with it.
  if (is.na(value)) {
    return(missing)
  }
  same <- switch(node$type,
    text = new_node("text_test", "flag", list(node), values = value),
    flag = if (value) node else new_node("!", "flag", list(node)),
    new_node("==", "flag", list(node, new_node("number", "number", value = as.numeric(value))))
  )
  new_node("&", "flag", list(new_node("!", "flag", list(missing)), same))
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

as_key_text <- function(x, name) {
  blank <- blank_texts_(x)
  x <- enc2utf8(x)
  x[blank] <- NA_character_
  wrong <- !is.na(x) & !validUTF8(x)
  if (any(wrong)) {
    stop_data("value", sprintf("`%s` has text that is not valid UTF-8.", name),
      i = "Say in which encoding it is, for instance with `Encoding(x) <- \"latin1\"`.",
      fields = list(column = name))
  }
  x
}

# Joins the items whose `keys` are equal.
fold_tally <- function(tally, keys) {
  group <- match_rows(keys)
  first <- !duplicated(group)
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
  code <- match(keys[[1L]], unique(keys[[1L]]))
  for (key in keys[-1L]) {
    values <- match(key, unique(key))
    # Whole numbers below 2^53 for any number of rows that there may be.
    pair <- (code - 1) * (max(0, values) + 1) + values
    code <- match(pair, unique(pair))
  }
  code
}

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
