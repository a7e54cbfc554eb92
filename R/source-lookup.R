# Lookups: a source whose rows have additional columns from a second table, found by a key. No row
# is copied, multiplied or lost.

#' @param base The source of order lines.
#' @param table The source of the table.
#' @param by Named: columns of the table by those of the order lines.
#' @noRd
source_lookup <- function(base, table, by, call = NULL) {
  for (name in names(by)) {
    if (!name %in% source_names(base)) {
      stop_unknown_column(name, source_names(base), base$name, call = call)
    }
  }
  for (name in by) {
    if (!name %in% source_names(table)) {
      stop_unknown_column(name, source_names(table), table$name, call = call)
    }
  }
  for (part in list(base, table)) {
    unpool(part)
    keep_columns(part)
  }
  s <- new_source(c("lookup", "passed"), base$name, 0, base = base, table = table, by = by)
  count_when_asked(s, function() base$n)
  check_lookup_keys(s, call)
  s
}

# Columns that the table adds; what both have is of the order lines, and refused when it is used.
added_columns <- function(s) setdiff(source_names(s$table), s$by)
is_added <- function(s, names) names %in% added_columns(s) & !names %in% source_names(s$base)

key_nodes_of <- function(columns) {
  lapply(unname(columns),
    function(name) new_node("column", "text", text = name, name = name, as_text = TRUE))
}

# Keys as text, blanks as missing, whatever their columns are.
lookup_keys <- function(source, columns, call = NULL) {
  use <- list(all = unname(columns), values = character(), keys = unname(columns))
  source_schema(source, use, call)
  lapply(unname(source_columns(source, key_nodes_of(columns), call)), key_text_of)
}

table_keys <- function(s, call = NULL) once(s, "keys of the table",
  lookup_keys(s$table, s$by, call))

check_lookup_keys <- function(s, call = NULL) {
  if (is_large_database(s$table)) {
    again <- key_twice(s$table, s$by, call)
    if (nrow(again)) {
      stop_key_twice(s, unlist(lapply(again[names(again) != "rows"], as.character)), call = call)
    }
    return()
  }
  keys <- table_keys(s, call)
  known <- !Reduce(`|`, lapply(keys, is.na))
  code <- match_rows(keys)
  again <- which(known & !first_seen(code))
  if (length(again)) {
    stop_key_twice(s, vapply(keys, `[`, "", again[1L]),
      sprintf("The second time in row %s.", count_text(again[1L] + 1)), call)
  }
}

stop_key_twice <- function(s, value, where = NULL, call = NULL) {
  value <- paste(value, collapse = ", ")
  stop_data("value",
    sprintf("%s has %s %s twice.", capital(s$table$name), enumerate(tick(s$by)), quoted(value)),
    x = where,
    i = "Each key of a lookup must be unique.",
    fields = list(column = unname(s$by), value = value), call = call)
}

#' The row of the table for each row of the order lines, missing where there is none.
#' @noRd
lookup_rows <- function(s, call = NULL) {
  if (is.null(s$known$rows)) {
    assign("rows", matched_rows(s, lookup_keys(s$base, names(s$by), call), call), s$known)
  }
  s$known$rows
}

# The row of the table for each of some keys, which are texts.
matched_rows <- function(s, ours, call = NULL) {
  theirs <- table_keys(s, call)
  n <- length(theirs[[1L]])
  code <- match_rows(Map(c, theirs, ours))
  missing <- Reduce(`|`, lapply(ours, is.na))
  replace(match(code[-seq_len(n)], code[seq_len(n)]), missing, NA)
}

key_text_of <- function(x) as_key_text(as.character(written_text(plain_key(x))), "key")

#' @export
#' @noRd
source_names.eggcrate_source_lookup <- function(s) union(source_names(s$base), added_columns(s))

#' @export
#' @noRd
source_schema.eggcrate_source_lookup <- function(s, use = NULL, call = NULL) {
  both <- intersect(intersect(use$all, added_columns(s)), source_names(s$base))
  if (length(both)) {
    stop_data("format",
      sprintf("`%s` is a column of %s and of %s.", both[1L], s$base$name, s$table$name),
      i = "Rename one of them, so that it is clear which is meant.",
      fields = list(column = both[1L]), call = call)
  }
  part <- function(names) if (!is.null(use)) lapply(use[c("all", "values", "keys")], intersect,
    names)
  own <- intersect(use$all %||% added_columns(s), added_columns(s))
  of_base <- part(source_names(s$base))
  # One look at columns and keys.
  keys <- list(all = names(s$by), keys = names(s$by))
  if (length(own) && !is.null(use)) of_base <- all_uses(list(of_base, keys))
  base <- source_schema(s$base, of_base, call)
  table <- source_schema(s$table, part(own) %||% list(all = own, values = own, keys = character()),
    call)
  added <- setdiff(added_columns(s), source_names(s$base))
  new_schema(s, c(base$types, table$types[added]),
    c(base$odd, table$odd[intersect(names(table$odd), added)]),
    c(base$as_text, intersect(table$as_text, added)), base$reading,
    levels = c(base$levels, table$levels[intersect(names(table$levels), added)]))
}

#' @export
#' @noRd
source_row.eggcrate_source_lookup <- function(s, row) source_row(s$base, row)

#' Facts for the receipt of the lookups that add any of the columns. They are known after counting.
#' @noRd
lookup_facts <- function(s, columns) {
  if (!inherits(s, "eggcrate_source_lookup")) return(NULL)
  own <- any(columns %in% added_columns(s))
  c(lookup_facts(s$base, c(columns, if (own) names(s$by))),
    if (own) c(unmatched_fact(s), empty_key_fact(s)))
}

unmatched_fact <- function(s) {
  found <- once(s, "unmatched", count_unmatched(s))
  if (found$rows > 0) {
    list(receipt_rows("lookup", sprintf("rows without a match in %s", s$table$name), found$rows,
      s$name,
      if (length(found$key)) sprintf("%s %s", if (isTRUE(found$any)) "such as" else "first",
        paste(ifelse(is.na(found$key), "(missing)", found$key), collapse = ", "))))
  }
}

# Counts the rows of the lookup with an empty key. They match nothing.
empty_key_fact <- function(s) {
  if (is_large_database(s$table)) {
    return(NULL)
  }
  empty <- which(Reduce(`|`, lapply(table_keys(s), is.na)))
  if (length(empty)) {
    row <- source_row(s$table, empty[1L])
    list(receipt_rows("lookup", sprintf("rows of %s with an empty key", s$table$name),
      length(empty), s$name,
      paste0("they match nothing", if (!is.na(row)) sprintf("; first in row %s", row))))
  }
}

# How many `rows` have no match, and the `key` of the first; or, where rows have no order, of `any`.
count_unmatched <- function(s) {
  found <- unmatched_in_engine(s) %||% unmatched_after(s)
  if (!is.null(found)) {
    return(found)
  }
  none <- which(is.na(lookup_rows(s)))
  list(rows = length(none),
    key = if (length(none)) vapply(lookup_keys(s$base, names(s$by)), `[`, "", none[1L]),
    any = is.na(source_row(s, 1)))
}

# The same as it was counted beside something else.
keep_unmatched <- function(s, found) {
  key <- found$key %||% character()
  found$key <- replace(key, blank_texts_(key), NA_character_)
  assign("unmatched", found, s$known)
}

#' @export
#' @noRd
source_columns.eggcrate_source_lookup <- function(s, nodes, call = NULL) {
  added <- is_added(s, vapply(nodes, function(node) bare_name(node$name), ""))
  base <- source_columns(s$base, nodes[!added], call)
  table <- source_columns(s$table, nodes[added], call)
  if (length(table)) table <- lapply(table, looked_up, lookup_rows(s, call))
  c(base, table)[vapply(nodes, column_slot, "")]
}

# Text by its few values, so that the rows share them.
looked_up <- function(x, rows) whole_days(x)[rows]

whole_days <- function(x) if (inherits(x, "Date")) structure(as.numeric(x), class = "Date") else x

# A table as the kernel takes it.
bare_table <- function(table) replace(table, "columns",
  list(unname(lapply(table$columns, bare_column))))

#' @export
#' @noRd
source_close.eggcrate_source_lookup <- function(s) {
  source_close(s$base)
  source_close(s$table)
  NextMethod()
}

#' @export
print.eggcrate_source <- function(x, ...) {
  text <- sprintf("%s: %s, %s", x$name, counted(x$n, "row"),
    counted(length(source_names(x)), "column"))
  if (inherits(x, "eggcrate_source_lookup")) {
    text <- c(text,
      sprintf("with %s from %s, by %s", enumerate(setdiff(added_columns(x), source_names(x$base))),
        x$table$name, enumerate(names(x$by))))
  }
  print_lines(text)
  invisible(x)
}

# Which columns make the key --------------------------------------------------

#' @param by `NULL` for the columns that both have, names, or names by names.
#' @noRd
lookup_by <- function(base, table, by, call = NULL) {
  if (is.null(by)) {
    by <- intersect(source_names(base), source_names(table))
    if (!length(by)) {
      stop_eggcrate("call", "unknown_value",
        sprintf("%s and %s have no column of the same name to look up by.", base$name, table$name),
        i = "Name it: `by = c(customer = id)`, the column of the order lines first.", call = call)
    }
  }
  names <- names(by) %||% rep("", length(by))
  with_names(unname(by), ifelse(nzchar(names), names, by))
}

#' "customers.csv: customer = id, region" as the command has it.
#' @return `file`, and `by` or NULL.
#' @noRd
lookup_text <- function(text) {
  at <- regexpr(": ", text, fixed = TRUE)
  if (at < 0 || file.exists(text)) {
    return(list(file = text, by = NULL))
  }
  parts <- trimws(strsplit(substring(text, at + 2L), ",", fixed = TRUE)[[1L]])
  left <- trimws(sub("=.*$", "", parts))
  right <- trimws(sub("^[^=]*=", "", parts))
  if (any(!nzchar(left) | !nzchar(right))) {
    stop_eggcrate("call", "option",
      sprintf("A lookup is a file, or a file and its key, not %s.", quoted(text)),
      i = "Write `--lookup customers.csv` or `--lookup 'customers.csv: customer = id'`.")
  }
  list(file = substr(text, 1L, at - 1L), by = with_names(right, left))
}

#' A source with all its lookups.
#' @param lookups List of `file` and `by`.
#' @noRd
with_lookups <- function(source, lookups, call = NULL) {
  for (one in lookups) {
    table <- open_source(one$file, list(name = basename(one$file)), call = call)
    source <- source_lookup(source, table, lookup_by(source, table, one$by, call), call)
  }
  source
}
