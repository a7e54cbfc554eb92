# The pass from the bytes of a file to the tally: no column is in memory as a whole. Types are
# guessed from the first rows, and checked when the pass has seen every cell. If a cell has another
# type, or a form that the pass cannot read, the columns are read in the general way, and its result
# is used.

#' @export
#' @noRd
source_tally.eggcrate_source_passed <- function(s, request, call = NULL) {
  if (isTRUE(s$gathers) && is.na(place_ahead(s, request))) pass_gathered(s, request, call)
  passed <- take_ahead(s, request)
  if (is.null(passed)) passed <- pass_tallies(s, list(request), call)[[1L]]
  passed %||% NextMethod()
}

# What a pass has found already, which is given out once.
take_ahead <- function(s, request) {
  at <- place_ahead(s, request)
  if (is.na(at)) {
    return(NULL)
  }
  found <- s$ahead[[at]]$tally
  if (!isTRUE(s$gathers)) s$ahead[[at]] <- NULL
  found
}

#' Collects announced requests until the first of them is made. Then all are answered in one pass,
#' or with few statements, and kept until the source is closed.
#' @noRd
gather_requests <- function(s) {
  keep_columns(s)
  if (inherits(s, "eggcrate_source_passed") || !is.null(database_of(s))) s$gathers <- TRUE
}

pass_gathered <- function(s, request, call = NULL) {
  requests <- unique(c(list(request), s$gathered))
  s$gathered <- list()
  if (length(requests) > 1L) pass_ahead(s, requests, call)
}

pass_ahead <- function(s, requests, call = NULL) {
  passed <- pass_tallies(s, requests, call)
  known <- which(lengths(passed) > 0L)
  keep_ahead(s, requests[known], passed[known])
}

# Where it is among what was found ahead, NA where it is not.
place_ahead <- function(s, request) match(TRUE,
  vapply(s$ahead, function(one) identical(one$request, request), NA))

#' @export
#' @noRd
source_ahead.eggcrate_source_passed <- function(s, requests, dates = character(), call = NULL) {
  dates <- dates[vapply(dates,
    function(name) is.null(s$known[[range_key(name)]]) &&
    !is.null(to_pass(s, list(date_column(name)))), NA)]
  requests <- unique(c(requests, lapply(dates, range_request)))
  new <- requests[vapply(requests, function(request) is.na(place_ahead(s, request)), NA)]
  if (isTRUE(s$gathers) && !length(dates)) {
    s$gathered <- unique(c(s$gathered, new))
  } else if (length(new) > 1L) {
    pass_ahead(s, new, call)
  }
  invisible()
}

#' @export
#' @noRd
source_range.eggcrate_source_passed <- function(s, column, call = NULL) {
  request <- range_request(column)
  if (is.null(s$known[[range_key(column)]])) {
    passed <- take_ahead(s, request)
    if (is.null(passed)) passed <- pass_tallies(s, list(request), call, again = TRUE)[[1L]]
    if (!is.null(passed)) {
      ends <- year_ends(passed)
      assign(range_key(column), whole_range(if (nrow(ends)) range(ends) else NA, column), s$known)
      assign(before_key(column), before_of_ends(ends), s$known)
    }
  }
  NextMethod()
}


# Whether to pass --------------------------------------------------------------

# Smaller files are in memory at once, for whatever is asked next.
pass_from <- 64e6
# How often a source is passed through before its columns are held, if they take no more than so
# many bytes.
passes_before_holding <- 2L
most_held <- 1e9

#' @param again Whether this is work on the way to a question, which does not count as one.
#' @return What is to be passed, from `to_pass()`; NULL where the columns are to be held instead.
#' @noRd
may_pass <- function(s, requests, again = FALSE) {
  nodes <- columns_of_all(requests)
  if (any(vapply(requests, `[[`, NA, "apart")) || !length(nodes)) {
    return(NULL)
  }
  through <- to_pass(s, nodes)
  file <- through$file
  slots <- through$slots
  if (!length(slots) || all(slots %in% held_slots(file)) ||
    !all(vapply(slots, function(slot) !is.null(file$supposed[[slot]]), NA))) {
    return(NULL)
  }
  passes <- file$passes %||% 0L
  if (!again) file$passes <- passes + 1L
  # All columns of which something is only supposed are seen on the way.
  if (passes < passes_before_holding || !fits_memory(file, length(slots))) {
    replace(through, "slots", list(union(slots, unseen_slots(file))))
  }
}

#' What is to be passed for columns of a source.
#' @return `file`: the source of the files; `slots` of its columns; `lookups` from the first to the
#'   last, each with its source, the slots of its keys, and the nodes of the columns it adds. NULL
#'   if the rows are not in files.
#' @noRd
to_pass <- function(s, nodes) {
  if (inherits(s, "eggcrate_source_lookup")) {
    added <- is_added(s, vapply(nodes, function(node) bare_name(node$name), ""))
    keys <- if (any(added)) key_nodes_of(names(s$by))
    through <- to_pass(s$base, c(nodes[!added], keys))
    here <- if (any(added)) list(list(source = s, keys = vapply(keys, column_slot, ""),
      nodes = nodes[added]))
    return(if (!is.null(through)) replace(through, "lookups", list(c(through$lookups, here))))
  }
  # A date in another form is read from its whole column.
  if (!is.null(s$supposed) && !any(vapply(nodes, is_dated, NA))) {
    list(file = s, slots = unique(vapply(nodes, column_slot, "")), lookups = list())
  }
}

# The nodes of the columns of several requests.
columns_of_all <- function(requests) {
  nodes <- unlist(lapply(requests, request_columns), recursive = FALSE)
  nodes[!duplicated(vapply(nodes, column_slot, ""))]
}

held_slots <- function(s) sub("^column ", "", grep("^column ", ls(s$known), value = TRUE))

# So many columns, of eight bytes a row.
fits_memory <- function(s, columns) s$n * 8 * columns <= getOption("eggcrate.held", most_held)

# Types from the first rows ----------------------------------------------------

#' What columns are taken to be until a pass has seen all their cells.
#' @return Along `names`: `kind` (of `quick_codes`), and `type`, `odd` and `facts` as in
#'   `read_typed()`, and whether all cells are `seen`; NULL where the first rows tell already that
#'   the pass will not do.
#' @noRd
suppose <- function(s, names, as_text, call = NULL) {
  parts <- parts_of(s$file)
  if (!all(vapply(parts, is_passable, NA)) ||
    sum(vapply(parts, `[[`, 0, "size")) < getOption("eggcrate.pass", pass_from)) {
    return(vector("list", length(names)))
  }
  at <- lapply(parts, function(part) match(names, part$header))
  twice <- vapply(parts, function(part) anyDuplicated(part$header) > 0L, NA)
  if (anyNA(unlist(at)) || any(twice)) {
    return(vector("list", length(names)))
  }
  firsts <- Map(function(part, at) fread_columns(part, at, as_text, nrows = 1000L, call = call),
    parts, at)
  counts <- column_counts(s$file, names)
  lapply(seq_along(names), function(j) {
    if (counts$blank[j] == s$n) {
      return(NULL)
    }
    kind <- kind_of_all(lapply(firsts, `[[`, j), as_text[j], s$file)
    if (is.null(kind)) {
      return(NULL)
    }
    facts <- column_facts(list(), names[j], counts$padded[j], counts$blank[j], counts$padded_row[j],
      counts$blank_row[j], s$file)
    list(kind = kind, type = switch(kind, text = "text", date = "date", "number"), odd = NULL,
      facts = facts,
      trims = counts$padded[j] > 0, seen = FALSE)
  })
}

parts_of <- function(file) file$several %||% list(file)

# One kind for the first rows of all files, or NULL.
kind_of_all <- function(firsts, as_text, file) {
  if (as_text) {
    return("text")
  }
  kinds <- unique(vapply(firsts, quick_kind, ""))
  if (setequal(kinds, c("whole", "real"))) kinds <- "real"
  if (length(kinds) != 1L || is.na(kinds)) {
    return(NULL)
  }
  if (kinds == "text" && !is_plain_text(unlist(firsts), file)) NULL else kinds
}

# Are these no numbers or dates, and none was meant?
is_plain_text <- function(x, file) {
  x <- unique(trimmed_cells(x))
  x[blank_texts_(x)] <- NA_character_
  read <- read_texts(unique(x), file$decimal, file$dates)
  is.null(read$values) && is.na(read$odd)
}

# Is one of these texts not a date in any form? Missing words are not counted.
not_all_dates <- function(x) {
  x <- trimmed_cells(x)
  given <- x[!blank_texts_(x) & !x %in% missing_words]
  anyNA(iso_dates(given)$values) && !all(grepl(date_shape, given))
}

# What a schema says of columns: as they are where they are held, else as they are supposed to be.
known_or_supposed <- function(s, names, as_text, call = NULL) {
  if (!length(names)) {
    return(list())
  }
  slots <- slot_of(names, as_text)
  new <- !slots %in% c(held_slots(s), ls(s$supposed)) & !duplicated(slots)
  if (any(new) && !isTRUE(s$known$no_pass)) {
    check_origin(s$origin, call)
    found <- unchanged(s$origin, suppose(s, names[new], as_text[new], call), call)
    list2env(with_names(found, slots[new])[!vapply(found, is.null, NA)], s$supposed)
  }
  read <- !slots %in% ls(s$supposed) | slots %in% held_slots(s)
  out <- vector("list", length(slots))
  out[read] <- file_typed(s, names[read], as_text[read], call)
  out[!read] <- unname(mget(slots[!read], envir = s$supposed))
  out
}

# The pass ---------------------------------------------------------------------

#' @return The tallies of the requests, NULL for one that the pass cannot give. NULL for all where
#'   the columns are held instead.
#' @noRd
pass_tallies <- function(s, requests, call = NULL, again = FALSE) {
  through <- may_pass(s, requests, again)
  found <- if (!is.null(through)) pass_through(through, requests, call)
  if (is.null(found)) {
    return(NULL)
  }
  # Re-run one by one to find the query that failed.
  if (found$status$code != 0L && length(requests) > 1L) {
    return(vector("list", length(requests)))
  }
  lapply(seq_along(requests), function(i) {
    counted <- checked_count(found$status, found$answers[i][[1L]], found$columns, requests[[i]],
      call)
    counted_tally(counted, found$columns, s$n, requests[[i]])
  })
}

#' Reads all cells of columns. If a column has another type than expected, or the pass cannot read
#' it, the columns are read into memory, and there are no more passes.
#' @return The result of the kernel, and the `columns` of its questions; NULL if the columns are in
#'   memory.
#' @noRd
pass_through <- function(through, requests, call = NULL) {
  s <- through$file
  tables <- pass_tables(through, requests, call)
  if (is.null(tables)) {
    return(NULL)
  }
  check_origin(s$origin, call)
  found <- unchanged(s$origin, pass_once(through, tables, requests), call)
  if (found$outcome == 0L && texts_are_texts(s, found, through$slots)) {
    Map(keep_unmatched, lapply(through$lookups, `[[`, "source"), found$unmatched)
    return(found)
  }
  assign("no_pass", TRUE, s$known)
  file_typed(s, slot_name(through$slots), slot_as_text(through$slots), call)
  NULL
}

#' The tables that are looked up in a pass, as the kernel takes them, with columns by slot.
#' @return NULL where a key is no text of the table before, or a date of a table is none.
#' @noRd
pass_tables <- function(through, requests, call = NULL) {
  known <- through$slots
  tables <- list()
  for (one in through$lookups) {
    if (!all(one$keys %in% known)) {
      return(NULL)
    }
    # Only rows that have it tell of what is wrong in a table.
    columns <- tryCatch(asked_columns(one$source$table, one$nodes, call),
      eggcrate_error_value = function(e) NULL)
    if (is.null(columns)) {
      return(NULL)
    }
    columns <- lapply(columns, whole_days)
    check_columns(columns, one$source$table$n, call)
    for (request in requests) columns <- as_compared(columns, request)
    texts <- vapply(columns, is.character, NA)
    columns[texts] <- Map(as_key_text, columns[texts], bare_name(names(columns)[texts]))
    tables <- c(tables,
      list(list(keys = match(one$keys, known), theirs = table_keys(one$source, call),
        columns = columns)))
    # Of what it adds only texts may be keys of the next.
    known <- c(known, ifelse(texts, names(columns), NA))
  }
  tables
}

pass_once <- function(through, tables, requests) {
  s <- through$file
  slots <- through$slots
  names <- slot_name(slots)
  supposed <- mget(slots, envir = s$supposed)
  kinds <- vapply(supposed, `[[`, "", "kind")
  columns <- with_names(lapply(kinds, function(kind) empty_columns[[kind]]), slots)
  files <- lapply(parts_of(s$file), function(part) kernel_file(part, match(names, part$header)))
  told <- kinds == "text" & !slot_as_text(slots) & !vapply(supposed, `[[`, NA, "seen")
  of_tables <- unlist(lapply(tables, `[[`, "columns"), recursive = FALSE)
  columns <- c(columns, lapply(of_tables, `[`, 0L))
  found <- watched(paste("Reading", s$name), function(progress) {
    tally_files_(files, unname(quick_codes[kinds]), unname(vapply(supposed, `[[`, NA, "trims")),
      unname(told),
      lapply(tables, bare_table), lapply(requests, kernel_question, columns), eggcrate_threads(),
      progress)
  })
  # What is whole at first may have decimals further down.
  if (found$outcome == 1L && found$odd > 0L && kinds[found$odd] == "whole") {
    s$supposed[[slots[found$odd]]]$kind <- "real"
    return(pass_once(through, tables, requests))
  }
  c(found, list(columns = columns))
}

empty_columns <- list(text = character(), whole = integer(), real = numeric(),
  date = structure(numeric(), class = "Date"))

#' All cells are seen: could the texts of a column be numbers or dates after all?
#' @param found Result of the kernel: per column its `texts`, or, if it is `lettered`, the first of
#'   them.
#' @noRd
texts_are_texts <- function(s, found, slots) {
  for (i in seq_along(slots)) {
    if (s$supposed[[slots[i]]]$seen) next
    texts <- found$texts[[i]]
    if (!is.null(texts) &&
      !(if (found$lettered[i]) not_all_dates(texts) else is_plain_text(texts, s$file))) {
      return(FALSE)
    }
    s$supposed[[slots[i]]]$seen <- TRUE
  }
  TRUE
}

#' If columns turn out to have other types than expected, the question is asked again.
#' @param read As from `read_typed()`, along `slots`.
#' @noRd
check_supposed <- function(s, slots, read) {
  other <- vapply(seq_along(slots), function(i) {
    supposed <- s$supposed[[slots[i]]]
    !is.null(supposed) &&
      !identical(supposed[c("type", "odd", "facts")], read[[i]][c("type", "odd", "facts")])
  }, NA)
  rm(list = intersect(slots, ls(s$supposed)), envir = s$supposed)
  again <- Filter(function(restart) restart$name == "eggcrate_ask_again", computeRestarts())
  if (any(other) && length(again)) invokeRestart(again[[1L]])
}

#' Runs a question, and a second time if columns have other types than expected. Before an error is
#' raised, the expected types are checked.
#' @param asking Function without arguments.
#' @noRd
as_it_turns_out <- function(source, asking, call = NULL) {
  # What was found ahead and not asked for after all is not kept.
  on.exit(forget_ahead(source))
  again <- FALSE
  value <- withRestarts(
    withCallingHandlers(in_one_moment(source, asking), eggcrate_error = function(e) {
      if (!inherits(e, "eggcrate_error_gone")) for (s in file_sources(source)) see_all(s, call)
    }),
    eggcrate_ask_again = function() again <<- TRUE)
  if (again) asking() else value
}

# The schema for those who do not ask again: all cells of its columns are seen.
seen_schema <- function(source, use, call = NULL) {
  schema <- source_schema(source, use, call)
  unseen <- Filter(function(s) length(unseen_slots(s)) > 0L, file_sources(source))
  if (!length(unseen)) {
    return(schema)
  }
  for (s in unseen) see_all(s, call)
  source_schema(source, use, call)
}

# The sources of files that a source is made of.
file_sources <- function(s) {
  c(if (!is.null(s$supposed)) list(s),
    unlist(lapply(list(s$base, s$table), function(part) if (!is.null(part)) file_sources(part)),
      recursive = FALSE))
}

forget_ahead <- function(s) {
  if (!isTRUE(s$gathers)) s$ahead <- NULL
  for (part in list(s$base, s$table)) if (!is.null(part)) forget_ahead(part)
}

unseen_slots <- function(s) names(Filter(function(one) !one$seen, as.list(s$supposed)))

# Sees the cells of all columns of which something is only supposed.
see_all <- function(s, call = NULL) {
  unseen <- unseen_slots(s)
  all_rows <- new_request(list(), list(all = new_node("number", "number", value = 1)), list())
  if (length(unseen)) {
    pass_through(list(file = s, slots = unseen, lookups = list()), list(all_rows), call)
  }
}
