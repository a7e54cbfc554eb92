# Lookups of a table of a database: joined there, so that only components travel. A table that is in
# the same database is joined as it is; a small one from elsewhere is written into the statement,
# for nothing is written to a database.

# So many rows of a table from elsewhere go into a statement.
most_copied <- 5000

# The table of a database behind a source.
database_of <- function(s) {
  while (inherits(s, "eggcrate_source_lookup")) s <- s$base
  if (inherits(s, "eggcrate_source_database")) s
}

# An engine that is known, and that takes statements within statements.
joins_there <- function(s) s$engine$answers && is.null(s$engine$mapped)

#' @export
#' @noRd
source_answer.eggcrate_source_lookup <- function(s, requests, call = NULL) {
  base <- database_of(s)
  if (is.null(base)) return(NextMethod())
  answer_in_engine(s, requests, function(request) {
    found <- counted_in_engine(s, request, call)
    if (is.list(found)) return(tally_in_engine(found, call))
    looked_up_after(s, request, call) %||% {
      check_fetch(base, found, call)
      source_answer.eggcrate_source(s, requests, call)[[1L]]
    }
  }, call)
}

#' Counts by the keys of lookups, and finds their columns for the items: where no more is wanted of
#' them than to group by them.
#' @return A tally; NULL where more is wanted.
#' @noRd
looked_up_after <- function(s, request, call = NULL) {
  before <- request_before(s, request)
  if (is.null(before)) {
    return(NULL)
  }
  tally <- source_tally(database_of(s), before$request, call)
  found <- looked_up_of(before$lookups,
    with_names(utils::tail(tally$keys, length(before$by)), before$by), call)
  if (!length(request$gates)) keep_unmatched(before$lookups[[length(before$lookups)]]$lookup,
    unmatched_of(found, tally$rows))
  keys <- tally$keys[seq_along(before$own)]
  theirs <- setdiff(names(request$keys), names(keys))
  keys[theirs] <- found$columns[vapply(request$keys[theirs], column_slot, "")]
  fold_tally(tally, keys[names(request$keys)])
}

#' What lookups have for some keys, one after the other.
#' @param found Keys by the columns of the order lines that they are.
#' @return `columns`, by slot; of the last one `keys`, as texts, and `rows`, missing where it has no
#'   match.
#' @noRd
looked_up_of <- function(lookups, found, call = NULL) {
  columns <- list()
  for (one in lookups) {
    keys <- lapply(names(one$lookup$by),
      function(name) key_text_of(found[[name]] %||% columns[[slot_of(name, TRUE)]]))
    rows <- matched_rows(one$lookup, keys, call)
    mine <- if (length(one$nodes)) asked_columns(one$lookup$table, one$nodes, call)
    columns[names(mine)] <- Map(looked_up, Map(key_values_of, mine, names(mine)), list(rows))
  }
  list(columns = columns, keys = keys, rows = rows)
}

#' @return `request`: the same by the keys of the lookups in the place of their columns, which are
#'   the columns `by`; `own`: its other keys; `lookups`. NULL where it is another question.
#' @noRd
request_before <- function(s, request) {
  known <- source_names(database_of(s))
  lookups <- lookups_of(s, request_columns(request))
  added <- vapply(request$keys,
    function(node) node$op == "column" && !bare_name(node$name) %in% known, NA)
  own <- request$keys[!added]
  if (!any(added) || !all(request_names(replace(request, "keys", list(own))) %in% known) ||
    !can_be_folded(request)) {
    return(NULL)
  }
  by <- keys_of_lines(lookups, known)
  list(request = replace(request, "keys", list(c(own, numbered("(lookup)", key_nodes_of(by))))),
    own = own, by = by, lookups = lookups)
}

# The keys of lookups that are columns of the order lines; others are columns of lookups before
# them.
keys_of_lines <- function(lookups,
  known) intersect(unlist(lapply(lookups, function(one) names(one$lookup$by))), known)

# Can items be put together after they were counted?
can_be_folded <- function(request) {
  !request$apart && !any(vapply(request$keys, is_dated, NA)) &&
    !any(vapply(request$aggregates, `[[`, "", "op") %in% c("median", "distinct"))
}

# Blank texts are missing.
key_values_of <- function(x, name) {
  x <- plain_key(x)
  if (is.character(x)) as_key_text(x, bare_name(name)) else x
}

#' The lookups that add any of the columns, or keys of those that do, from the first to the last.
#' @return A list of `lookup` and `nodes`.
#' @noRd
lookups_of <- function(s, nodes) {
  found <- list()
  while (inherits(s, "eggcrate_source_lookup")) {
    mine <- is_added(s, vapply(nodes, function(node) bare_name(node$name), ""))
    if (any(mine)) {
      found <- c(list(list(lookup = s, nodes = nodes[mine])), found)
      nodes <- with_keys(nodes, s)
    }
    s <- s$base
  }
  found
}

# A lookup itself, with those that its keys are columns of.
lookups_before <- function(s) c(lookups_of(s$base, with_keys(list(), s)),
  list(list(lookup = s, nodes = list())))

with_keys <- function(nodes, s) {
  all <- c(nodes, key_nodes_of(names(s$by)))
  all[!duplicated(vapply(all, column_slot, ""))]
}

#' @export
#' @noRd
source_range.eggcrate_source_lookup <- function(s, column, call = NULL) {
  if (is.null(database_of(s))) {
    return(NextMethod())
  }
  if (column %in% source_names(s$base)) {
    return(source_range(s$base, column, call))
  }
  one <- new_request(list(), list(day = date_column(column)), list())
  found <- tryCatch(joined_request(s, one, call), eggcrate_not_in_sql = function(e) NULL)
  if (is.null(found)) NextMethod() else
    source_range(found$source, found$request$keys$day$name, call)
}

#' Where a request can be counted in a database: `source`, with the table that is asked, `request`,
#' by its columns, and its `sql`. Or why it cannot.
#' @noRd
counted_in_engine <- function(s, request, call = NULL) {
  joined <- inherits(s, "eggcrate_source_lookup")
  found <- if (joined) tryCatch(joined_request(s, request, call),
    eggcrate_not_in_sql = conditionMessage) else list(source = s, request = request)
  if (is.character(found)) {
    return(found)
  }
  sql <- request_in_sql(found$source, found$request, call)
  if (is.character(sql)) sql else c(found, list(sql = sql))
}

joined_request <- function(s, request, call = NULL) {
  base <- database_of(s)
  if (!base$engine$answers) cannot(unknown_engine(base))
  nodes <- request_columns(request)
  lookups <- lookups_of(s, nodes)
  own <- setdiff(request_names(request),
    unlist(lapply(lookups,
      function(one) vapply(one$nodes, function(node) bare_name(node$name), ""))))
  slots <- sort(vapply(nodes, column_slot, ""))
  joined <- once(s, paste(c("joined", slots), collapse = "\r"), {
    sides <- joined_sides(lookups, base, call)
    list(source = joined_source(base, sides, own, call),
      names = unlist(lapply(sides, `[[`, "names")))
  })
  list(source = joined$source, request = renamed_request(request, joined$names))
}

joined_sides <- function(lookups, base, call = NULL) {
  sides <- list()
  for (i in seq_along(lookups)) sides[[i]] <- joined_side(lookups[[i]], i, base, sides, call)
  sides
}

#' A table that is joined.
#' @param one A `lookup`, and the `nodes` of what it adds; none to know which rows have a match.
#' @param sides Those that are joined before it.
#' @return `tbl`: keys as text, columns under unique names, and a mark for its rows (no mark in an
#'   engine without joins); `on`: the keys of the order lines as text, by the names of the keys of
#'   the table; `chained`: are these columns of an earlier lookup?; `names` of columns by slot;
#'   `cells` by name; `lists` (see `mapped_side()`); `mark`; `match`: finds the rows without a
#'   match, if possible (see `shown_match()`).
#' @noRd
joined_side <- function(one, i, base, sides, call = NULL) {
  lookup <- one$lookup
  by <- lookup$by
  named <- function(letter, n) apart_names(base, sprintf("%s%d_%d", letter, i, seq_len(n)))
  keys <- named("j", length(by))
  names <- with_names(named("a", length(one$nodes)), vapply(one$nodes, column_slot, ""))
  mark <- named("m", 1L)
  chained <- !names(by) %in% source_names(base)
  on <- Map(function(name, chained) {
    if (!chained) {
      return(key_text_there(name, known_cells(base, name, call), name, base$engine, blank = TRUE))
    }
    at <- Find(function(side) slot_of(name, TRUE) %in% names(side$names), sides, right = TRUE)
    key_text_there(at$names[[slot_of(name, TRUE)]], at$cells, name, base$engine, blank = TRUE)
  }, names(by), chained)
  on <- with_names(on, keys)
  table <- if (joins_there(base)) table_beside(base, lookup$table, call)
  side <- if (!is.null(table)) {
    table_there(table, by, one$nodes, keys, names, mark, call)
  } else if (joins_there(base)) {
    copied_table(base, copied_rows(base, lookup, one$nodes, call), keys, names, mark)
  } else {
    mapped_side(base, copied_rows(base, lookup, one$nodes, call), on, names,
      named("f", 1L + length(one$nodes)))
  }
  marked <- if (is.null(side$tbl)) side$marked else as.name(mark)
  match <- if (!is.null(marked)) shown_match(base, lookup, marked,
    if (is.null(side$tbl)) unname(on) else lapply(keys, as.name))
  c(side, list(on = on, chained = chained, names = names, mark = mark, match = match))
}

#' @param marked An expression that is missing where a row has no match.
#' @param on Its key.
#' @return `lookup`; `mark`, that expression; and `key` as one text, missing if the row has a match
#'   or a part of the key is blank.
#' @noRd
shown_match <- function(base, lookup, marked, on) {
  engine <- base$engine
  told <- Reduce(function(a, b) inside("&", a, b),
    c(call("is.na", marked), lapply(on, engine$filled)))
  key <- if (length(on) == 1L) on[[1L]] else
    as.call(c(as.name(engine$concat %||% "paste0"),
      utils::head(unlist(lapply(on, list, ", ")), -1L)))
  list(lookup = lookup, mark = marked, key = call("case_when", call("~", told, key)))
}

# Lookups whose number of unmatched rows is still unknown; the next result provides it.
open_matches <- function(s) Filter(function(match) is.null(match$lookup$known$unmatched), s$matches)

without_match <- function(i) {
  rows <- call("-", quote(n()), call("COUNT", as.name(sprintf("x%d", i))))
  with_names(list(rows, call("min", as.name(sprintf("y%d", i)), na.rm = TRUE)),
    sprintf(c("x%d", "y%d"), i))
}

# As `count_unmatched()` has it.
unmatched_told <- function(answer, i) {
  rows <- sum(as.numeric(plain_column(answer[[sprintf("x%d", i)]])))
  list(rows = rows,
    key = c(sort(enc2utf8(as.character(answer[[sprintf("y%d", i)]])), method = "radix"), NA)[1L],
    any = TRUE)
}

#' A key column as text, compared by its bytes. Blank keys become missing, except in order lines:
#' there they match nothing anyway, and an engine joins bare columns faster.
#' @param cells By column, from `known_cells()`.
#' @param called What its user calls it.
#' @noRd
key_text_there <- function(name, cells, called, engine, blank = FALSE) {
  one <- cells[[name]]
  if (one$type == "number") {
    if (is.na(one$places) || one$places > 0L || one$largest > 2^53) {
      cannot(sprintf("the key `%s` has numbers that are not whole", called))
    }
    x <- typed_cell(name, one, engine)
    return(engine$bytes(engine$text(if (one$real) engine$whole(x) else x)))
  }
  if (one$type == "date" && one$form != "cell") {
    return(engine$bytes((engine$text_of_day %||% engine$text)(typed_cell(name, one, engine))))
  }
  if (!one$type %in% c("text", "blank") && one$form != "cell") {
    cannot(sprintf("the key `%s` is not text", called))
  }
  if (blank) engine$bytes(typed_cell(name, one, engine)) else
    sql_cell(new_node("column", one$type, text = called, name = name),
      list(cells = cells, engine = engine))
}

#' The order lines with what is joined, as a table of a database.
#' @param own The needed columns of the order lines.
#' @noRd
joined_source <- function(base, sides, own, call = NULL) {
  if (!length(sides)) return(base)
  cells <- if (length(own)) known_cells(base, own, call)
  s <- new_source("database", base$name, 0, base = base,
    matches = Filter(Negate(is.null), lapply(sides, `[[`, "match")),
    lists = unlist(lapply(sides, `[[`, "lists"), recursive = FALSE),
    tbl = if (joins_there(base)) joined_table(base, sides) else base$tbl, con = base$con,
    path = NULL, engine = base$engine, close = NULL, asked = character())
  count_when_asked(s, function() base$n)
  cells <- c(cells, unlist(lapply(sides, `[[`, "cells"), recursive = FALSE))
  for (name in names(cells)) assign(paste0("cells of ", name), cells[[name]], s$known)
  for (name in own) s$known[[range_key(name)]] <- base$known[[range_key(name)]]
  s
}

joined_table <- function(base, sides) {
  with_columns <- function(tbl, exprs) {
    if (!length(exprs)) return(tbl)
    columns <- in_sql(exprs, base$con)
    dplyr::mutate(tbl, !!!columns)
  }
  tbl <- with_columns(base$tbl,
    unlist(lapply(sides, function(side) side$on[!side$chained]), recursive = FALSE))
  for (side in sides) tbl <- dplyr::left_join(with_columns(tbl, side$on[side$chained]), side$tbl,
    by = names(side$on))
  tbl
}

#' @param names New names of columns, by slot.
#' @noRd
renamed_request <- function(request, names) {
  rename <- function(node) {
    if (is.null(node)) return(NULL)
    if (node$op == "column" && column_slot(node) %in% names(names)) {
      return(replace(node, c("name", "as_text"), list(names[[column_slot(node)]], FALSE)))
    }
    node$args <- lapply(node$args, rename)
    node
  }
  request$gates <- lapply(request$gates,
    function(gate) replace(gate, "node", list(rename(gate$node))))
  for (part in c("keys", "shown")) request[part] <- list(lapply(request[[part]], rename))
  request$aggregates <- lapply(request$aggregates, function(one) {
    for (part in intersect(c("value", "when"), names(one))) one[part] <- list(rename(one[[part]]))
    one
  })
  request
}

#' How many rows have no match, as `count_unmatched()` has it; NULL where the table is not joined.
#' @noRd
unmatched_in_engine <- function(s, call = NULL) {
  base <- database_of(s)
  if (is.null(base) || !joins_there(base)) {
    return(NULL)
  }
  sides <- tryCatch(joined_sides(lookups_before(s), base, call),
    eggcrate_not_in_sql = function(e) NULL)
  if (is.null(sides)) {
    return(NULL)
  }
  side <- sides[[length(sides)]]
  none <- dplyr::filter(joined_table(base, sides), !!call("is.na", as.name(side$mark)))
  columns <- in_sql(list(rows = call("n"), key = call("min", side$match$key, na.rm = TRUE)),
    base$con)
  found <- ask_engine(base, select_sql(base$con, columns, none), call)
  list(rows = as.numeric(plain_column(found$rows)), key = as.character(found$key), any = TRUE)
}

# The same by counting the keys, where they are columns of the database.
unmatched_after <- function(s, call = NULL) {
  base <- database_of(s)
  if (is.null(base)) {
    return(NULL)
  }
  lookups <- lookups_before(s)
  by <- keys_of_lines(lookups, source_names(base))
  tally <- source_tally(base, new_request(list(), numbered("key", key_nodes_of(by)), list()), call)
  found <- looked_up_of(lookups, with_names(tally$keys, by), call)
  unmatched_of(found, tally$rows)
}

# As `count_unmatched()` has it, of what `looked_up_of()` has found.
unmatched_of <- function(found, rows) {
  none <- is.na(found$rows)
  list(rows = sum(rows[none]),
    key = if (any(none)) vapply(found$keys, `[`, "",
      which(none)[order_keys(lapply(found$keys, `[`, none))[1L]]), any = TRUE)
}

# A table whose keys are looked through where it is.
is_large_database <- function(table) {
  inherits(table, "eggcrate_source_database") && joins_there(table) && table$n > most_copied
}

#' @return A data frame of the keys that stand twice, of one at most.
#' @noRd
key_twice <- function(table, by, call = NULL) {
  texts <- tryCatch(key_texts(table, unname(by), call),
    eggcrate_not_in_sql = function(e) lapply(unname(by), as.name))
  keys <- with_names(texts, sprintf("k%d", seq_along(by)))
  names <- lapply(names(keys), as.name)
  texts <- in_sql(keys, table$con)
  tbl <- dplyr::transmute(table$tbl, !!!texts)
  for (name in names) tbl <- dplyr::filter(tbl, !!call("!", call("is.na", name)))
  counted <- dplyr::summarise(dplyr::group_by(tbl, !!!names), rows = dplyr::n(), .groups = "drop")
  ask_engine(table, utils::head(dplyr::filter(counted, !!quote(rows > 1L)), 1L), call)
}
