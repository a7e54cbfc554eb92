# The pass from the bytes of a file to the tally: no column is in memory as a whole. Types are
# guessed from the first rows, and checked when the pass has seen every cell. If a cell has another
# type, or a form that the pass cannot read, the columns are read in the general way, and its result
# is used.

#' @export
#' @noRd
source_answer.eggcrate_source_passed <- function(s, requests, call = NULL) {
  passes <- vapply(requests, function(request) !is.null(may_pass(s, list(request))), NA)
  found <- vector("list", length(requests))
  if (any(passes)) found[passes] <- pass_tallies(s, requests[passes], call)
  # What the pass cannot give, and of several requests only what was not passed for.
  rest <- if (length(requests) > 1L) !passes else lengths(found) == 0L
  if (any(rest)) found[rest] <- source_answer.eggcrate_source(s, requests[rest], call)
  found
}

#' Finds the ranges of dates in the same pass as the requests of a question.
#' @noRd
range_ahead <- function(s, requests, dates, call = NULL) {
  ranges <- lapply(dates, range_request)
  open <- vapply(seq_along(dates), function(i) {
    inherits(s, "eggcrate_source_passed") && is.null(s$known[[range_key(dates[i])]]) &&
      !is.null(may_pass(s, ranges[i]))
  }, NA)
  if (any(open)) answer_ahead(s, c(requests, ranges[open]), call)
}

#' @export
#' @noRd
source_range.eggcrate_source_passed <- function(s, column, call = NULL) {
  request <- range_request(column)
  if (is.null(s$known[[range_key(column)]]) && !is.null(may_pass(s, list(request)))) {
    ends <- year_ends(source_tally(s, request, call))
    assign(range_key(column), whole_range(if (nrow(ends)) range(ends) else NA, column), s$known)
    assign(before_key(column), before_of_ends(ends), s$known)
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

#' @return What is to be passed, from `to_pass()`; NULL where the columns are to be held instead.
#' @noRd
may_pass <- function(s, requests) {
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
  # All columns of which something is only supposed are seen on the way.
  if ((file$passes %||% 0L) < passes_before_holding || !fits_memory(file, length(slots))) {
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
  firsts <- Map(function(part, at) first_cells(part, at, as_text, call), parts, at)
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

# The cells of the first thousand rows; of columns that stay text none is looked at.
first_cells <- function(part, at, as_text, call = NULL) {
  cells <- vector("list", length(at))
  if (!all(as_text)) {
    cells[!as_text] <- fread_columns(part, at[!as_text], logical(sum(!as_text)), nrows = 1000L,
      call = call)
  }
  cells
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

#' @return Tallies along the requests. NULL for one that the pass cannot give, for all if one of
#'   several fails or the columns are held instead.
#' @noRd
pass_tallies <- function(s, requests, call = NULL) {
  through <- may_pass(s, requests)
  found <- if (!is.null(through)) pass_through(through, requests, call)
  if (is.null(found)) return(vector("list", length(requests)))
  through$file$passed <- TRUE
  Map(function(counted, request) {
    if (!is.null(counted)) counted_tally(counted, found$columns, s$n, request)
  }, checked_counts(found, found$columns, requests, call), requests)
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
    columns <- as_compared(columns, requests)
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

#' Signals that columns have other types than expected: the question is asked again.
#' @param read As from `read_typed()`, along `slots`.
#' @noRd
check_supposed <- function(s, slots, read) {
  other <- vapply(seq_along(slots), function(i) {
    supposed <- s$supposed[[slots[i]]]
    !is.null(supposed) &&
      !identical(supposed[c("type", "odd", "facts")], read[[i]][c("type", "odd", "facts")])
  }, NA)
  rm(list = intersect(slots, ls(s$supposed)), envir = s$supposed)
  if (any(other)) signalCondition(structure(class = c("eggcrate_retyped", "condition"),
    list(message = "Columns have other types than expected.", call = NULL)))
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

unseen_slots <- function(s) names(Filter(function(one) !one$seen, as.list(s$supposed)))

# Sees the cells of all columns of which something is only supposed.
see_all <- function(s, call = NULL) {
  unseen <- unseen_slots(s)
  all_rows <- new_request(list(), list(all = new_node("number", "number", value = 1)), list())
  if (length(unseen)) {
    pass_through(list(file = s, slots = unseen, lookups = list()), list(all_rows), call)
  }
}
