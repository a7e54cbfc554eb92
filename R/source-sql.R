# From a request to a query: gates, keys and components as expressions, in one statement. If a
# database cannot add up exactly, or would count in another way than the kernel, the reason is
# returned, and the rows are fetched.

# Not to be answered there, and why.
cannot <- function(why, class = NULL) {
  stop(structure(list(message = why, call = NULL),
    class = c(class, "eggcrate_not_in_sql", "error", "condition")))
}

# Not as long as only the declarations of columns are known.
unsure <- function(why) cannot(why, "eggcrate_unsure_in_sql")

too_large <- function(what) unsure(sprintf("%s are too large to be added there", what))

unknown_engine <- function(s) sprintf("how %s adds and compares is not known", s$engine$name)

#' @param cells From `known_cells()`, by column.
#' @return `query`: a lazy table of `outcome` (0 for rows that are used, i if gate i refuses, -i if
#'   it cannot decide), `rows`, `k1`, ... (keys), `t1`, `m1`, `s1`, ... (per component: total, rows
#'   without a value, rows skipped), `l1`, `u1`, ... (minimum and maximum of shown columns), `x1`,
#'   `y1`, ... (per lookup: rows without a match, and one of their keys), and `p1`, ... (places in
#'   use); `keys` and `shown` (their column, if it is one, and how it is read), `parts` (meaning of
#'   the totals), `matches` (the lookups), `decimals` (columns that may use fewer places), `counted`
#'   (those that `p` counts; totals may give others), and `places`: a function from such columns to
#'   a query of their places. Or a condition with the reason.
#' @noRd
sql_request <- function(s, request, cells) {
  at <- list(cells = cells, engine = s$engine, con = s$con,
    most_rows = function(bound, most) if (bound * most_rows < most) most_rows else s$n,
    range = function(name) source_range(s, name))
  tryCatch(write_request(s, request, at), eggcrate_not_in_sql = identity)
}

write_request <- function(s, request, at) {
  if (!s$engine$answers) cannot(unknown_engine(s))
  if (request$apart) cannot("each row is wanted by itself")
  check_doubtful(request, at)
  keys <- lapply(unname(request$keys), sql_key, at)
  parts <- lapply(unname(request$aggregates), sql_part, at)
  shown <- lapply(unname(request$shown), sql_shown, at)
  matches <- open_matches(s)
  decimals <- unique(unlist(lapply(parts, `[[`, "decimals")))
  most <- vapply(decimals, function(name) at$cells[[name]]$places, 0L)
  gates <- lapply(request$gates, function(gate) sql_truth(gate$node, at))
  outcome <- if (length(gates)) list(outcome = sql_outcome(gates, at))
  digits <- function(columns) numbered("d",
    lapply(columns, function(name) sql_column(name, at)$expr))
  places <- function(columns) numbered("p",
    lapply(seq_along(columns), function(i) places_in_use(i, columns[i], at)))
  counted <- setdiff(decimals, unlist(lapply(parts, told_column)))
  row <- c(outcome, numbered("k", lapply(keys, `[[`, "expr")),
    numbered("v", lapply(parts, `[[`, "value")),
    Filter(Negate(is.null), numbered("w", lapply(parts, `[[`, "met"))),
    numbered("h", lapply(shown, `[[`, "expr")),
    numbered("x", lapply(matches, `[[`, "mark")), numbered("y", lapply(matches, `[[`, "key")),
    digits(counted))
  totals <- c(list(rows = quote(n())),
    unlist(lapply(seq_along(parts), part_totals, parts, at), recursive = FALSE),
    unlist(lapply(seq_along(shown), ends_of_shown), recursive = FALSE),
    unlist(lapply(seq_along(matches), without_match), recursive = FALSE), places(counted))
  names <- names(numbered("k", keys))
  query <- counting_query(s, row, names, totals, placed_medians(parts, at))
  if (nchar(query, "bytes") > (at$engine$longest %||% Inf)) {
    cannot("the statement would be too long")
  }
  list(query = query, keys = keys, parts = parts, shown = shown, matches = matches,
    decimals = with_names(most, decimals), counted = counted,
    places = function(columns) {
      within <- if (length(gates)) lapply(digits(columns), of_used, outcome[[1L]]) else
        digits(columns)
      flat_query(s, lapply(places(columns), function(p) do.call(substitute, list(p, within))))
    })
}

# No table has more: how many rows there are need not be counted for it.
most_rows <- 1e15

# What is no number shows in a sum, and nowhere else.
check_doubtful <- function(request, at) {
  shows <- function(aggregate) aggregate$op %in% c("sum", "mean") && is.null(aggregate$when)
  request$aggregates <- Filter(Negate(shows), request$aggregates)
  cells <- at$cells[request_names(request)]
  if (any(vapply(cells, function(one) one$form %in% at$engine$doubtful && isFALSE(one$seen), NA))) {
    unsure("a value may be no number")
  }
}

# The decimal column whose places a total shows.
told_column <- function(part) {
  if (part$op %in% c("sum", "min", "max") && identical(part$node$op, "column")) {
    intersect(part$node$name, part$decimals)
  }
}

# One statement without parts. The names are none that the table has.
flat_query <- function(s, exprs, tbl = s$tbl) {
  pieces <- with_names(in_sql(exprs, s$con), apart_names(s, names(exprs)))
  with_lists(s, select_sql(s$con, pieces, tbl))
}

#' A SELECT of SQL expressions. dbplyr writes it in a fraction of the time that the verbs of dplyr
#' take.
#' @param columns Named SQL expressions.
#' @param from A lazy table or a statement.
#' @param groups Group by the first `groups` columns.
#' @noRd
select_sql <- function(con, columns, from, groups = 0L) {
  names <- quoted_names(names(columns), con)
  columns <- vapply(unname(columns), as.character, "")
  named <- ifelse(columns == names, names, paste(columns, "AS", names))
  dbplyr::sql_query_select(con, dbplyr::sql(named), from_sql(from, con),
    group_by = if (groups > 0L) dbplyr::sql(names[seq_len(groups)]))
}

# The name of a table; anything else is a subquery.
from_sql <- function(from, con) {
  sql <- rendered(from)
  whole_table <- "^SELECT [*]\nFROM ([^\n(]+)$"
  if (grepl(whole_table, sql)) return(dbplyr::sql(trimws(sub(whole_table, "\\1", sql))))
  dbplyr::sql_query_wrap(con, dbplyr::sql(sql), dbplyr::ident("q01"))
}

quoted_names <- function(names, con) {
  as.character(dbplyr::escape(dbplyr::ident(names), con = con, parens = FALSE, collapse = NULL))
}

# Translates expressions to SQL. dbplyr is slow, so expressions that differ only in names and texts
# are translated once.
in_sql <- function(exprs, con) {
  # The driver quotes names and texts. A simulated connection of the same class translates
  # everything else: with the driver, dbplyr would call it hundreds of times to quote nothing.
  own <- engine_of(con)$dialect %||% function() dbplyr::simulate_dbi(class(con)[[1L]])
  dialect <- if (isS4(con)) own() else con
  marked <- lapply(unname(exprs), with_sql_marks)
  patterns <- sql_patterns(lapply(marked, `[[`, "expr"), dialect)
  pieces <- do.call(c, lapply(marked, `[[`, "pieces"))
  pieces <- pieces[!duplicated(names(pieces))]
  quoted <- with_names(quoted_pieces(unname(pieces), con), names(pieces))
  sql <- Map(function(one, pattern) {
    at <- seq_along(pattern) %% 2L == 0L
    pattern[at] <- quoted[names(one$pieces)][as.integer(pattern[at])]
    dbplyr::sql(paste(pattern, collapse = ""))
  }, marked, patterns)
  with_names(sql, names(exprs))
}

#' Replaces the names and texts of an expression by numbered marks.
#' @return `expr`, and `pieces`: the name, text or list of texts of each mark, by a key. The column
#'   `a` and the text `"a"` are different pieces.
#' @noRd
with_sql_marks <- function(expr) {
  pieces <- list()
  mark <- function(piece) {
    key <- if (is.list(piece)) rlang::hash(piece) else paste(class(piece), piece)
    if (!key %in% names(pieces)) pieces[[key]] <<- piece
    dbplyr::sql(sprintf("\001%d\001", match(key, names(pieces))))
  }
  marked <- function(expr) {
    if (is.name(expr) || is.character(expr) && !is.object(expr) && length(expr) == 1L) {
      return(mark(expr))
    }
    if (!is.call(expr)) return(expr)
    if (identical(expr[[1L]], quote(`%in%`))) {
      return(call("%IN%", marked(expr[[2L]]), mark(as.list(expr[[3L]]))))
    }
    expr[-1L] <- lapply(as.list(expr[-1L]), marked)
    expr
  }
  list(expr = marked(expr), pieces = pieces)
}

# All names in one call of the driver, and all texts: each call is slow.
quoted_pieces <- function(pieces, con) {
  name <- vapply(pieces, is.name, NA)
  several <- vapply(pieces, is.list, NA)
  quoted <- character(length(pieces))
  if (any(name)) quoted[name] <- quoted_names(vapply(pieces[name], as.character, ""), con)
  one <- !name & !several
  if (any(one)) quoted[one] <- quoted_texts(unlist(pieces[one]), con)
  quoted[several] <- vapply(pieces[several],
    function(texts) sprintf("(%s)", paste(quoted_texts(unlist(texts), con), collapse = ", ")), "")
  quoted
}

known_patterns <- new.env()
most_patterns <- 5000L

# The SQL of expressions, split at their marks.
sql_patterns <- function(exprs, dialect) {
  if (length(known_patterns) > most_patterns) rm(list = ls(known_patterns), envir = known_patterns)
  keys <- vapply(exprs, function(expr) rlang::hash(list(class(dialect), expr)), "")
  new <- which(!duplicated(keys) & !vapply(keys, exists, NA, known_patterns, inherits = FALSE))
  sql <- dbplyr::translate_sql_(lapply(exprs[new], rlang::new_quosure, baseenv()), con = dialect,
    window = FALSE)
  for (i in seq_along(new)) {
    pattern <- strsplit(as.character(sql[[i]]), "\001", fixed = TRUE)[[1L]]
    assign(keys[new[i]], pattern, known_patterns)
  }
  mget(keys, known_patterns)
}

#' Texts as literals, quoted by the driver: engines differ in the meaning of a backslash, and not
#' all versions of dbplyr use the driver.
#' @return SQL for each.
#' @noRd
quoted_texts <- function(x, con) {
  dbplyr::sql(as.character(if (isS4(con)) DBI::dbQuoteString(con, enc2utf8(x)) else
    dbplyr::escape(x, con = con, parens = FALSE, collapse = NULL)))
}

# Counts rows by outcome and keys. The expressions of a row are a subquery, unless an engine needs
# one flat statement, in which names refer to columns of the same level. Rows that are not used are
# counted whatever their keys.
#' @param medians What places are counted of, from `placed_medians()`.
#' @noRd
counting_query <- function(s, row, keys, totals, medians = list()) {
  flat <- isTRUE(s$engine$flat)
  own <- with_names(lapply(apart_names(s, names(row)), as.name), names(row))
  groups <- c(if ("outcome" %in% names(row)) "outcome", keys)
  from <- if (flat) s$tbl else flat_query(s, row)
  if (!flat) row <- own
  if (length(medians)) {
    from <- with_places(s, from, medians, own, groups)
    row <- c(row,
      lapply(with_names(apart_names(s, place_columns(medians)), place_columns(medians)), as.name))
  }
  if (length(groups) > length(keys)) row[keys] <- lapply(row[keys], of_used, own$outcome)
  within <- row[setdiff(names(row), groups)]
  pieces <- c(row[groups], lapply(totals, function(total) do.call(substitute, list(total, within))))
  sql <- in_sql(pieces, s$con)
  # Not by the names of the query within it: engines take these for those of its columns.
  names(sql) <- if (flat) apart_names(s, names(pieces)) else names(pieces)
  with_lists(s, select_sql(s$con, sql, from, length(groups)))
}

#' Rows with the rank of each value within its item, and the number of values, for medians in
#' engines that have no exact median.
#' @param medians By number, an expression of the value.
#' @noRd
with_places <- function(s, from, medians, own, groups) {
  sql <- in_sql(c(unname(own[groups]),
    lapply(medians, function(x) do.call(substitute, list(x, own)))), s$con)
  items <- unlist(sql[seq_along(groups)])
  over <- function(sql, ...) dbplyr::win_over(dbplyr::sql(sql), ..., con = s$con)
  places <- unlist(lapply(sql[-seq_along(groups)], function(x) {
    missing <- in_sql(list(call("is.na", x)), s$con)[[1L]]
    list(over("ROW_NUMBER()", partition = dbplyr::sql(c(items, missing)), order = x),
      over(sprintf("COUNT(%s)", x), partition = if (length(items)) dbplyr::sql(items)))
  }), recursive = FALSE)
  own <- with_names(in_sql(own, s$con), vapply(own, as.character, ""))
  select_sql(s$con, c(own, with_names(places, apart_names(s, place_columns(medians)))), from)
}

place_columns <- function(medians) as.vector(rbind(sprintf("r%s", names(medians)),
  sprintf("c%s", names(medians))))

first_rows <- function(s, query, n) utils::head(dplyr::tbl(s$con, query, vars = "outcome"), n)

apart_names <- function(s, names) {
  mark <- "e"
  while (any(startsWith(source_names(s), paste0(mark, "_")))) mark <- paste0(mark, "e")
  sprintf("%s_%s", mark, names)
}

# Missing in rows that are not used.
of_used <- function(x, outcome) call("case_when", call("~", call("==", outcome, 0L), x))

numbered <- function(letter, x) with_names(x, sprintf("%s%d", letter, seq_along(x)))

# The first gate that refuses a row. Each condition is written once, except for engines in which
# NULL does not propagate.
sql_outcome <- function(gates, at) {
  outcome <- 0L
  for (i in rev(seq_along(gates))) {
    outcome <- if (isTRUE(at$engine$levels)) {
      call("case_when", call("~", gates[[i]], outcome), call("~", sql_not(gates[[i]]), i),
        call("~", TRUE, -i))
    } else {
      dbplyr::sql(sprintf("CASE %s\nWHEN TRUE THEN %s\nWHEN FALSE THEN %d\nELSE %d\nEND",
        in_sql(gates[i], at$con)[[1L]], outcome, i, -i))
    }
  }
  outcome
}

# Keys -------------------------------------------------------------------------

# The expression, and how what comes back is read.
sql_key <- function(node, at) {
  if (node$op == "number") {
    return(list(expr = whole_literal(node$value), read = as.numeric))
  }
  if (node$op == "period") {
    return(list(expr = sql_period(node, at), read = as.numeric))
  }
  if (node$op != "column") cannot("a key is made of more than a column")
  cells <- at$cells[[node$name]]
  if (cells$form == "decimal" && is.na(cells$places)) {
    cannot(sprintf("`%s` has numbers that are not decimal", node$name))
  }
  expr <- sql_cell(node, at, supposed = TRUE)
  list(expr = if (is.null(at$engine$read)) expr else at$engine$read(expr, cells$form),
    name = node$name,
    read = switch(cells$type, date = read_day, flag = as.logical, text = ,
      blank = function(x) enc2utf8(as.character(x)), number = read_number, plain_column))
}

# A column that is shown where an item has one value of it, with the least and the greatest.
sql_shown <- function(node, at) if (node$type == "flag") cannot("flags have no order there") else
  sql_key(node, at)

ends_of_shown <- function(i) {
  h <- as.name(sprintf("h%d", i))
  with_names(list(call("min", h, na.rm = TRUE), call("max", h, na.rm = TRUE)),
    sprintf(c("l%d", "u%d"), i))
}

read_number <- function(x) if (is.character(x)) as.numeric(x) else plain_column(x)
read_day <- function(x) structure(as.numeric(parse_iso_date(as.character(x))), class = "Date")

#' A column's cell as it is told apart: blank texts are missing, text goes by its bytes.
#' @param supposed Assume that a column has no empty texts if this is unknown. The result shows
#'   whether it has some.
#' @noRd
sql_cell <- function(node, at, supposed = FALSE) {
  if (is_dated(node)) {
    cannot(sprintf("the dates of `%s` are read from its text", bare_name(node$name)))
  }
  cells <- at$cells[[node$name]]
  x <- typed_cell(node$name, cells, at$engine)
  if (!holds_text(cells)) {
    return(x)
  }
  if (may_be_blank(cells, supposed)) x <- call("case_when", call("~", at$engine$filled(x), x))
  at$engine$bytes(x)
}

# Dates are texts where each cell has a type of its own.
holds_text <- function(cells) !(cells$type %in% c("number", "flag") || cells$form != "cell" &&
  cells$type == "date")
may_be_blank <- function(cells, supposed = FALSE) holds_text(cells) &&
  if (is.na(cells$blank)) !supposed else cells$blank > 0

# As it is fetched, too. Blank texts among numbers are missing, and whole numbers beyond 2^53 are
# texts (S40).
typed_cell <- function(name, cells, engine) {
  x <- engine$column(cells$expr %||% as.name(name), cells$form)
  if (cells$names) return(engine$text(x))
  if (isTRUE(cells$undated > 0)) return(dated_cell(x, engine))
  if (cells$type == "number" && cells$text > 0) call("case_when",
    call("~", call("!", engine$kinds(x)$text), x)) else x
}

# Dates such as 0000-00-00 are missing.
dated_cell <- function(x, engine) call("case_when", call("~", engine$dated(x), x))

# Periods by comparing days: no engine's own dates are asked.
sql_period <- function(node, at) {
  of <- node$args[[1L]]
  x <- sql_cell(of, at)
  range <- at$range(of$name)
  if (is.null(range)) cannot(sprintf("`%s` has no dates", of$name))
  starts <- period_starts(range, node$period)
  if (length(starts) > most_stretches) {
    cannot(sprintf("`%s` has more than %d periods", of$name, most_stretches))
  }
  number <- period_number(starts, node$period)
  # From the last one down. They are many, and all alike.
  arms <- rev(sprintf("WHEN (%s >= %s) THEN %.0f", in_sql(list(x), at$con)[[1L]],
    sql_days(starts, at), number))
  dbplyr::sql(paste(c("CASE", arms, "END"), collapse = "\n"))
}

sql_days <- function(days, at) sprintf(at$engine$day %||% "%s",
  quoted_texts(day_text(days), at$con))

most_stretches <- 400L

# The first days of the periods of a range; of a part of the calendar all stretches of it.
period_starts <- function(range, period) {
  days <- seq(range[1L], range[2L])
  number <- period_number(days, period)
  days[c(TRUE, number[-1L] != number[-length(number)])]
}
