# Tables of databases: the database filters and groups, and only components are fetched. If a
# database cannot add up exactly, the needed columns are fetched, up to a limit.

#' @param tbl A lazy table of dbplyr, with whatever its user has joined and filtered.
#' @param close Function without arguments that closes a connection of ours; NULL for one that the
#'   user opened.
#' @noRd
source_database <- function(tbl, name, close = NULL, call = NULL) {
  for (package in c("DBI", "dplyr", "dbplyr")) {
    need_package(package, "ask a table of a database", call)
  }
  con <- dbplyr::remote_con(tbl)
  path <- attr(tbl, "path")
  groups <- dplyr::group_vars(tbl)
  tbl <- dplyr::ungroup(tbl)
  s <- new_source("database", name, 0, tbl = tbl, groups = groups, con = con, path = path,
    engine = engine_of(con), close = close, asked = character())
  s$state <- engine_state(s)
  count_when_asked(s,
    function() as.numeric(plain_column(ask_engine(s,
      select_sql(con, in_sql(list(rows = call("n")), con), tbl))$rows)))
  if (!is.null(close)) reg.finalizer(s, source_close, onexit = TRUE)
  s
}

#' Counts the rows of a source only if needed: usually a result gives the number.
#' @param count Function without arguments.
#' @noRd
count_when_asked <- function(s, count) {
  s$counted <- NULL
  rm(list = "n", envir = s)
  makeActiveBinding("n", function() {
    if (is.null(s$counted)) s$counted <- count()
    s$counted
  }, s)
}

#' Sends a statement and takes all that comes of it.
#' @return A data frame.
#' @noRd
ask_engine <- function(s, query, call = NULL) {
  sql <- rendered(query)
  note_asked(s, sql)
  tryCatch(DBI::dbGetQuery(s$con, sql), error = function(e) stop_engine(s, e, call))
}

# The table of the order lines, where others are joined to it.
whole_of <- function(s) s$base %||% s

note_asked <- function(s, sql) {
  whole <- whole_of(s)
  whole$asked <- c(whole$asked, sql)
}

rendered <- function(query) as.character(if (inherits(query, "sql")) query else
  dbplyr::sql_render(query))

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
    list(value = found[[name]]$word, why = "class")
  }), reading = time_facts(s, found))
}

# Of times the day counts, and which one that is.
time_facts <- function(s, found) {
  forms <- vapply(found, function(cells) cells$form %||% "", "")
  at <- forms %in% c("time", "moment")
  days <- ifelse(forms[at] == "time", "the day as it is stored",
    s$engine$zone %||% "the day in UTC")
  unname(Map(function(name, day) receipt_rows("reading", "times read as days", NA, name, day),
    names(found)[at], days))
}

# Of an engine that is not known, the columns are fetched to know them.
database_cells <- function(s, columns, call = NULL) {
  if (s$engine$answers) {
    return(known_cells(s, columns, call))
  }
  nodes <- lapply(columns, function(name) new_node("column", "text", text = name, name = name))
  lapply(with_names(source_columns(s, nodes, call), columns),
    function(x) list(type = column_type(x)))
}

#' @export
#' @noRd
source_range.eggcrate_source_database <- function(s, column, call = NULL) {
  if (!s$engine$answers || !is.na(form_of(column))) {
    return(NextMethod())
  }
  cells <- known_cells(s, column, call)[[1L]]
  found <- cells$range %||% if (cells$type == "date") declared_range(s, column, cells, call)
  if (length(found) && !anyNA(found)) found
}

declared_range <- function(s, column, cells, call = NULL) {
  once(s, paste0("range of ", column), {
    x <- typed_cell(column, cells, s$engine)
    found <- ask_cells(s,
      with_names(list(list(least = call("min", x, na.rm = TRUE),
        most = call("max", x, na.rm = TRUE))), column), call)[[1L]]
    as.numeric(read_day(c(as.character(found$least), as.character(found$most))))
  })
}

#' @export
#' @noRd
source_answer.eggcrate_source_database <- function(s, requests, call = NULL) {
  answer_in_engine(s, requests, function(request) {
    found <- counted_in_engine(s, request, call)
    if (is.list(found)) return(tally_in_engine(found, call))
    check_fetch(s, found, call)
    source_answer.eggcrate_source(s, requests, call)[[1L]]
  }, call)
}

#' @param found From `counted_in_engine()`.
#' @param most How many rows may come back.
#' @return A tally; NULL where there are more.
#' @noRd
tally_in_engine <- function(found, call = NULL, most = Inf) {
  s <- found$source
  sql <- found$sql
  count <- function(sql) {
    answer <- ask_engine(s, if (is.finite(most)) first_rows(s, sql$query, most + 1) else sql$query,
      call)
    with_names(answer, sub("^e+_", "", names(answer)))
  }
  answer <- count(sql)
  if (nrow(answer) > most) {
    return(NULL)
  }
  if (blank_keys(s, sql, answer)) {
    sql <- request_in_sql(s, found$request, call)
    answer <- count(sql)
  }
  read_answer(s, sql, answer, found$request, call)
}

# The columns of an answer that are cells, and what of.
cell_columns <- function(sql) {
  c(numbered("k", lapply(sql$keys, `[[`, "name")), numbered("l", lapply(sql$shown, `[[`, "name")),
    numbered("u", lapply(sql$shown, `[[`, "name")))
}

# If keys have blank texts although none were expected, remember it (also for the order lines
# without lookups), and query again.
blank_keys <- function(s, sql, answer) {
  found <- FALSE
  names <- cell_columns(sql)
  for (column in names(names)) {
    x <- answer[[column]]
    if (is.null(names[[column]]) || !is.character(x)) next
    name <- names[[column]]
    if (is.na(s$known[[paste0("cells of ", name)]]$blank) && any(blank_texts_(x[!is.na(x)]))) {
      for (part in list(s, whole_of(s))) if (name %in% source_names(part)) expect_blanks(part, name)
      found <- TRUE
    }
  }
  found
}

expect_blanks <- function(s, name) {
  slot <- paste0("cells of ", name)
  s$known[[slot]] <- replace(s$known[[slot]], "blank", 1)
  s$known[["had blanks"]] <- union(s$known[["had blanks"]], name)
}

# Query the values of a column if its declaration allows values that are too large or not numbers.
request_in_sql <- function(s, request, call = NULL) {
  names <- request_names(request)
  sql <- sql_request(s, request, database_cells(s, names, call))
  if (inherits(sql, "eggcrate_unsure_in_sql") && look_closer(s, names, call)) {
    sql <- sql_request(s, request, known_cells(s, names, call))
  }
  if (inherits(sql, "condition")) conditionMessage(sql) else sql
}

#' What came of a request, as a tally.
#' @noRd
read_answer <- function(s, sql, answer, request, call = NULL) {
  number <- function(name) as.numeric(plain_column(answer[[name]]))
  rows <- number("rows")
  outcome <- if (length(request$gates)) number("outcome") else 0 * rows
  whole <- whole_of(s)
  if (is.null(whole$counted)) whole$counted <- sum(rows)
  if (sum(rows) != whole$n) {
    stop_data("gone",
      sprintf("%s has changed since it was opened: it had %s and has %s.", s$name,
        counted(whole$n, "row"), count_text(sum(rows))),
      i = "Open the table again, and repeat the question.", call = call)
  }
  for (i in seq_along(sql$matches)) {
    keep_unmatched(sql$matches[[i]]$lookup, unmatched_told(answer, i))
  }
  used <- which(outcome == 0)
  count <- function(which) sum(rows[which])
  gates <- seq_along(request$gates)
  keys <- Map(function(key, name) key$read(answer[[name]][used]), sql$keys,
    names(numbered("k", sql$keys)))
  these <- if (length(used) < nrow(answer)) answer[used, , drop = FALSE] else answer
  places <- used_places(s, sql, these, call)
  parts <- Map(function(aggregate, part, i) database_part(aggregate, part, i, these, rows[used],
    places),
    request$aggregates, sql$parts, seq_along(sql$parts))
  tally <- new_tally(with_names(keys, names(request$keys)), rows[used],
    with_names(parts, names(request$aggregates)),
    list(read = whole$n, refused = vapply(gates, function(g) count(outcome == g), 0),
      unsure = vapply(gates, function(g) count(outcome == -g), 0),
      first = rep(NA_real_, length(gates)), passed = sum(rows[used])))
  tally$shown <- Map(function(one, i) {
    lapply(c(least = "l%d", most = "u%d"),
      function(letter) one$read(answer[[sprintf(letter, i)]][used]))
  }, sql$shown, seq_along(sql$shown))
  tally
}

# The number of places of a column is that of its used cells (S6): counted, taken from the totals,
# or queried.
used_places <- function(s, sql, answer, call = NULL) {
  most_of <- function(x) max(0L, as.integer(plain_column(x)), na.rm = TRUE)
  counted <- with_names(vapply(seq_along(sql$counted),
    function(i) most_of(answer[[sprintf("p%d", i)]]), 0L), sql$counted)
  told <- integer()
  for (i in seq_along(sql$parts)) {
    name <- told_column(sql$parts[[i]])
    if (length(name) && !name %in% sql$counted) {
      told[name] <- max(told[name],
        places_in_text(answer[[sprintf("t%d", i)]], sql$parts[[i]]$places, sql$decimals[[name]]),
        na.rm = TRUE)
    }
  }
  open <- names(told)[told < sql$decimals[names(told)]]
  if (length(open) && nrow(answer)) {
    asked <- ask_engine(s, sql$places(open), call)
    told[open] <- vapply(seq_along(open), function(i) most_of(asked[[i]]), 0L)
  }
  c(counted, told)
}

# Places of numbers written in a unit of 10^-places. Usually the first ones already have the
# maximum.
places_in_text <- function(x, places, most) {
  shown_by <- function(x) {
    x <- x[!is.na(x) & grepl("[1-9]", x)]
    max(0L, places +
      nchar(sub("^[^.]*[.]?", "", x)) - nchar(sub("^.*[^0]", "", sub(".", "", x, fixed = TRUE))))
  }
  found <- shown_by(utils::head(x, 100L))
  if (found < most) shown_by(x) else found
}

# The component as the kernel would give it.
database_part <- function(aggregate, part, i, answer, rows, places) {
  column <- function(letter) answer[[sprintf("%s%d", letter, i)]]
  used <- if (is.null(part$node)) 0L else node_places(part$node, places)
  total <- if (part$of_days) exact_from_whole_(as.numeric(read_day(column("t")))) else
    written_total(column("t"), part, used)
  none <- is.na(column("t"))
  if (part$op %in% c("min", "max")) total[none] <- if (part$op == "min") nothing_less() else
    exact_multiply_(nothing_less(), exact_from_whole_(-1))
  missing <- as.numeric(plain_column(column("m")))
  skipped <- if (!is.null(part$met)) as.numeric(plain_column(column("s"))) else 0
  new_part(aggregate,
    list(total = total, places = used, lowest = 0L, missing = if (any(missing > 0)) missing,
      skipped = if (any(skipped > 0)) skipped,
      all_missing = sum(missing), first_missing = NA_real_), rows)
}

written_total <- function(x, part, used) {
  x <- as.character(x)
  if (any(x %in% endless_words)) stop_endless(sprintf("`%s`", part$node$text))
  total <- exact_from_text_(x, -part$places, -used)
  if (is.null(total)) {
    stop_data("too_large", sprintf("A total of `%s` is too large to be exact.", part$node$text))
  }
  total
}

# What the kernel begins with: more than any value.
nothing_less <- function() exact_multiply_(exact_multiply_(exact_from_whole_(2^62),
  exact_from_whole_(2^62)), exact_from_whole_(4))

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

# Fetching --------------------------------------------------------------------------

# So many rows are fetched where a question cannot be answered in the database.
most_fetched <- 1e6
fetch_limit <- function() asked_number("fetch") %||% most_fetched

check_fetch <- function(s, why, call = NULL) {
  limit <- fetch_limit()
  if (s$n > limit) {
    stop_data("database", sprintf("This cannot be answered in the database: %s.", why),
      x = sprintf("%s has %s; no more than %s are fetched.", capital(s$name), counted(s$n, "row"),
        count_text(limit)),
      i = paste("Filter the table first, or raise the limit: EGGCRATE_FETCH=1e7 for the command,",
        "`options(eggcrate.fetch = 1e7)` in R."), call = call)
  }
}

#' @export
#' @noRd
source_columns.eggcrate_source_database <- function(s, nodes, call = NULL) {
  names <- vapply(nodes, `[[`, "", "name")
  new <- unique(names[!vapply(sprintf("column %s", names), exists, NA, envir = s$known,
    inherits = FALSE)])
  if (length(new)) {
    check_fetch(s, if (s$engine$answers) "each row is wanted by itself" else unknown_engine(s),
      call)
    cells <- if (s$engine$answers) known_cells(s, new, call)
    found <- ask_engine(s, fetching_query(s, new, call), call)
    if (nrow(found) != s$n) {
      stop_data("gone", sprintf("%s has changed since it was opened.", s$name),
        i = "Open the table again, and repeat the question.", call = call)
    }
    found <- Map(function(x, name) fetched_column(x, cells[[name]]$type), found[new], new)
    list2env(with_names(found, paste0("column ", new)), s$known)
  }
  columns <- with_names(unname(mget(sprintf("column %s", names), envir = s$known)),
    vapply(nodes, column_slot, ""))
  blank_dates(columns, nodes)
}

fetching_query <- function(s, columns, call = NULL) {
  cells <- if (s$engine$answers) known_cells(s, columns, call)
  columns <- in_sql(lapply(with_names(columns, columns), function(name) {
    if (!s$engine$answers) return(as.name(name))
    x <- typed_cell(name, cells[[name]], s$engine)
    if (is.null(s$engine$read)) x else s$engine$read(x, cells[[name]]$form)
  }), s$con)
  select_sql(s$con, columns, s$tbl)
}

fetched_column <- function(x, type) {
  switch(type %||% "as it is", date = read_day(replace(x, blank_texts_(as.character(x)), NA)),
    blank = rep(NA_character_, length(x)), number = read_number(x), plain_column(x))
}

# In a table no row is the first one.
#' @export
#' @noRd
source_row.eggcrate_source_database <- function(s, row) NA_character_

#' @export
#' @noRd
source_close.eggcrate_source_database <- function(s) {
  if (!is.null(s$close)) s$close()
  s$close <- NULL
  NextMethod()
}

# The statements of a plan, named by what they are for.
sql_of_plan <- function(s, plan, call = NULL) {
  requests <- plan_requests(plan)
  base <- database_of(s)
  columns <- intersect(unlist(lapply(requests, request_names)), source_names(base))
  counted <- unlist(lapply(if (base$engine$answers) requests_in_engine(s, requests, call) else
    requests, function(request) {
      sql <- sql_of_request(s, request, call)
      if (is.character(sql)) {
        with_names(rendered(fetching_query(base, intersect(request_names(request), columns), call)),
          sprintf("Its columns, fetched because %s", sql))
      } else {
        c("What is counted" = rendered(sql$query))
      }
    }))
  if (!base$engine$answers) {
    return(counted)
  }
  looks <- first_looks(base, columns, call)
  if (!length(looks)) return(counted)
  c(counted,
    "What the cells of its columns hold, asked once before" = rendered(cells_query(base, looks)))
}

sql_of_request <- function(s, request, call = NULL) {
  found <- counted_in_engine(s, request, call)
  before <- if (is.character(found) && inherits(s, "eggcrate_source_lookup")) request_before(s,
    request)
  if (!is.null(before)) request_in_sql(database_of(s), before$request, call) else
    if (is.character(found)) found else found$sql
}

request_names <- function(request) unique(vapply(request_columns(request),
  function(node) bare_name(node$name), ""))
