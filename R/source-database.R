# Tables of databases: filter and grouping run there, and only components travel. What a database cannot do exactly is
# done here, with the columns in question fetched, if they are not too many.

#' @param tbl A lazy table of dbplyr, with whatever its user has joined and filtered.
#' @param close Function without arguments that ends what was opened for it; NULL for what its user has opened.
#' @noRd
source_database <- function(tbl, name, close = NULL, call = NULL) {
  for (package in c("DBI", "dplyr", "dbplyr")) need_package(package, "ask a table of a database", call)
  con <- dbplyr::remote_con(tbl)
  tbl <- dplyr::ungroup(tbl)
  s <- new_source("database", name, 0, tbl = tbl, con = con, engine = engine_of(con), close = close, asked = character())
  s$n <- as.numeric(plain_column(ask_engine(s, dplyr::summarise(tbl, rows = dplyr::n()), call)$rows))
  if (!is.null(close)) reg.finalizer(s, source_close, onexit = TRUE)
  s
}

#' Sends a statement and takes all that comes of it.
#' @return A data frame.
#' @noRd
ask_engine <- function(s, query, call = NULL) {
  sql <- as.character(dbplyr::sql_render(query))
  s$asked <- c(s$asked, sql)
  tryCatch(DBI::dbGetQuery(s$con, sql), error = function(e) stop_engine(s, e, call))
}

stop_engine <- function(s, e, call = NULL) {
  stop_data("database", sprintf("%s could not answer a question of %s.", s$engine$name, s$name), x = first_line(conditionMessage(e)), call = call)
}

first_line <- function(text) strsplit(paste0(text, "\n"), "\n", fixed = TRUE)[[1L]][1L]

#' @export
#' @noRd
source_names.eggcrate_source_database <- function(s) colnames(s$tbl)

#' @export
#' @noRd
source_schema.eggcrate_source_database <- function(s, use = NULL, call = NULL) {
  names <- source_names(s)
  used <- intersect(use$all %||% names, names)
  found <- database_cells(s, used, call)
  types <- with_names(rep("text", length(names)), names)
  types[used] <- vapply(found, `[[`, "", "type")
  strange <- used[types[used] == "other"]
  new_schema(s, types, lapply(with_names(strange, strange), function(name) {
    list(value = if (isTRUE(found[[name]]$mixed)) "both numbers and text" else "bytes", why = "class")
  }))
}

# Of an engine that is not known, the columns are fetched to know them.
database_cells <- function(s, columns, call = NULL) {
  if (s$engine$answers) {
    return(known_cells(s, columns, call))
  }
  nodes <- lapply(columns, function(name) new_node("column", "text", text = name, name = name))
  lapply(with_names(source_columns(s, nodes, call), columns), function(x) list(type = column_type(x)))
}

#' @export
#' @noRd
source_range.eggcrate_source_database <- function(s, column, call = NULL) {
  if (!s$engine$answers || !is.na(form_of(column))) {
    return(NextMethod())
  }
  found <- database_cells(s, column, call)[[1L]]$range
  if (length(found) && !anyNA(found)) found
}

#' @export
#' @noRd
source_tally.eggcrate_source_database <- function(s, request, call = NULL) {
  sql <- request_in_sql(s, request, call)
  if (is.character(sql)) {
    check_fetch(s, sql, call)
    return(NextMethod())
  }
  read_answer(s, sql, ask_engine(s, sql$query, call), request, call)
}

request_in_sql <- function(s, request, call = NULL) {
  sql_request(s, request, database_cells(s, request_names(request), call))
}

#' What came of a request, as a tally.
#' @noRd
read_answer <- function(s, sql, answer, request, call = NULL) {
  number <- function(name) as.numeric(plain_column(answer[[name]]))
  rows <- number("rows")
  outcome <- if (length(request$gates)) number("outcome") else 0 * rows
  if (sum(rows) != s$n) {
    stop_data("gone", sprintf("%s has changed since it was opened: it had %s and has %s.", s$name, counted(s$n, "row"), count_text(sum(rows))),
      i = "Ask again.", call = call)
  }
  used <- which(outcome == 0)
  count <- function(which) sum(rows[which])
  gates <- seq_along(request$gates)
  keys <- Map(function(read, name) read(answer[[name]][used]), sql$keys, names(numbered("k", sql$keys)))
  # A column has so many places as its used cells have (S6).
  places <- vapply(names(numbered("p", sql$decimals)), function(p) max(0L, as.integer(number(p)[used]), na.rm = TRUE), 0L)
  places <- with_names(places, names(sql$decimals))
  parts <- Map(function(aggregate, part, i) database_part(aggregate, part, i, answer[used, , drop = FALSE], rows[used], places),
    request$aggregates, sql$parts, seq_along(sql$parts))
  new_tally(with_names(keys, names(request$keys)), rows[used], with_names(parts, names(request$aggregates)),
    list(read = s$n, refused = vapply(gates, function(g) count(outcome == g), 0), unsure = vapply(gates, function(g) count(outcome == -g), 0),
      first = rep(NA_real_, length(gates)), passed = sum(rows[used])))
}

# The component as the kernel would give it.
database_part <- function(aggregate, part, i, answer, rows, places) {
  column <- function(letter) answer[[sprintf("%s%d", letter, i)]]
  used <- if (is.null(part$node)) 0L else node_places(part$node, places)
  total <- if (part$of_days) as.numeric(read_day(column("t"))) else column("t")
  total <- exact_from_64_(as_real(total), 10^(part$places - used))
  none <- is.na(column("t"))
  if (part$op %in% c("min", "max")) total[none] <- if (part$op == "min") nothing_less() else exact_multiply_(nothing_less(), exact_from_whole_(-1))
  missing <- as.numeric(plain_column(column("m")))
  skipped <- if (!is.null(part$met)) as.numeric(plain_column(column("s"))) else 0
  new_part(aggregate, list(total = total, places = used, lowest = 0L, missing = if (any(missing > 0)) missing, skipped = if (any(skipped > 0)) skipped,
    all_missing = sum(missing), first_missing = NA_real_), rows)
}

# What the kernel begins with: more than any value.
nothing_less <- function() exact_multiply_(exact_multiply_(exact_from_whole_(2^62), exact_from_whole_(2^62)), exact_from_whole_(4))

#' The places of an expression, from those of its columns.
#' @param places By column; those that are not there have none.
#' @noRd
node_places <- function(node, places) {
  args <- lapply(node$args, node_places, places)
  switch(node$op,
    column = if (node$name %in% names(places)) places[[node$name]] else 0L,
    number = decimal_places_(as.numeric(node$value)),
    "*" = args[[1L]] + args[[2L]],
    "+" = , "-" = max(args[[1L]], args[[2L]]),
    args[[1L]])
}

# R's packages for databases have whole numbers in 64 bits as their bits in doubles.
as_real <- function(x) if (inherits(x, "integer64")) x else as.numeric(x)

# Fetching --------------------------------------------------------------------------

# So many rows are fetched where a question cannot be answered in the database.
most_fetched <- 1e6

check_fetch <- function(s, why, call = NULL) {
  limit <- getOption("eggcrate.fetch", most_fetched)
  if (s$n > limit) {
    stop_data("database", sprintf("This cannot be answered in the database: %s.", why),
      x = sprintf("%s has %s; no more than %s are fetched.", capital(s$name), counted(s$n, "row"), count_text(limit)),
      i = "Filter the table first, or raise the limit: `options(eggcrate.fetch = 1e7)`.", call = call)
  }
}

#' @export
#' @noRd
source_columns.eggcrate_source_database <- function(s, nodes, call = NULL) {
  names <- vapply(nodes, `[[`, "", "name")
  new <- unique(names[!vapply(paste0("column ", names), exists, NA, envir = s$known, inherits = FALSE)])
  if (length(new)) {
    check_fetch(s, if (s$engine$answers) "each row is wanted by itself" else unknown_engine(s), call)
    cells <- if (s$engine$answers) known_cells(s, new, call)
    found <- ask_engine(s, fetching_query(s, new, call), call)
    if (nrow(found) != s$n) stop_data("gone", sprintf("%s has changed since it was opened.", s$name), i = "Ask again.", call = call)
    found <- Map(function(x, name) fetched_column(x, cells[[name]]$type), found[new], new)
    list2env(with_names(found, paste0("column ", new)), s$known)
  }
  columns <- with_names(unname(mget(paste0("column ", names), envir = s$known)), vapply(nodes, column_slot, ""))
  blank_dates(columns, nodes)
}

fetching_query <- function(s, columns, call = NULL) {
  cells <- if (s$engine$answers) known_cells(s, columns, call)
  dplyr::transmute(s$tbl, !!!lapply(with_names(columns, columns), function(name) {
    if (identical(cells[[name]]$type, "number")) number_cell(as.name(name), cells[[name]], s$engine) else as.name(name)
  }))
}

fetched_column <- function(x, type) {
  switch(type %||% "as it is", date = read_day(replace(x, blank_texts_(as.character(x)), NA)), blank = rep(NA_character_, length(x)), plain_column(x))
}

#' @export
#' @noRd
source_close.eggcrate_source_database <- function(s) {
  if (!is.null(s$close)) s$close()
  s$close <- NULL
  NextMethod()
}

# The statements of a plan, named by what they are for.
sql_of_plan <- function(s, plan, call = NULL) {
  rendered <- function(query) as.character(dbplyr::sql_render(query))
  requests <- plan_requests(plan)
  columns <- unique(unlist(lapply(requests, request_names)))
  counted <- unlist(lapply(requests, function(request) {
    sql <- request_in_sql(s, request, call)
    if (is.character(sql)) {
      with_names(rendered(fetching_query(s, request_names(request), call)), sprintf("Its columns, fetched because %s", sql))
    } else {
      c("What is counted" = rendered(sql$query))
    }
  }))
  if (!s$engine$answers) {
    return(counted)
  }
  looks <- lapply(with_names(columns, columns), first_look, s$engine)
  c(counted, "What the cells of its columns hold, asked once before" = rendered(cells_query(s, looks)))
}

request_names <- function(request) unique(vapply(request_columns(request), function(node) bare_name(node$name), ""))
