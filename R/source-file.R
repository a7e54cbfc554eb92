# Files as sources: opened and checked once, columns read and typed when they are wanted.

source_file <- function(path, reading = list(), call = NULL) {
  origin <- new_origin(path, reading)
  file <- unchanged(origin, open_file(path, reading, call), call)
  new_file_source(file, origin)
}

# A source of one file, or of several files as one. `supposed` has the columns whose type is not
# certain yet (source-pass.R).
new_file_source <- function(file, origin) {
  s <- new_source(c("file", "passed"), file$name, file$rows, file = file, origin = origin,
    supposed = new.env(parent = emptyenv()))
  reg.finalizer(s, function(s) unlink(s$file$scratch), onexit = TRUE)
  s
}

#' @export
#' @noRd
source_names.eggcrate_source_file <- function(s) s$file$header

#' @export
#' @noRd
source_schema.eggcrate_source_file <- function(s, use = NULL, call = NULL) {
  header <- s$file$header
  used <- intersect(use$all %||% header, header)
  as_text <- used %in% setdiff(use$keys, use$values)
  # A column in use as values and as text is read once for both.
  both <- intersect(intersect(use$keys, use$values), header)
  typed <- known_or_supposed(s, c(used, both), c(as_text, rep(TRUE, length(both))),
    call)[seq_along(used)]
  types <- with_names(rep("text", length(header)), header)
  types[used] <- vapply(typed, `[[`, "", "type")
  odd <- with_names(lapply(typed, `[[`, "odd"), used)
  new_schema(s, types, odd[!vapply(odd, is.null, NA)], used[as_text],
    reading_facts(s$file, typed))
}

# Rows of a file count the header as row 1.
#' @export
#' @noRd
source_row.eggcrate_source_file <- function(s, row) place_in_file(s$file, row + 1)

#' @export
#' @noRd
source_columns.eggcrate_source_file <- function(s, nodes, call = NULL) {
  names <- vapply(nodes, `[[`, "", "name")
  as_text <- vapply(nodes, function(node) isTRUE(node$as_text), NA)
  typed <- file_typed(s, names, as_text, call)
  columns <- with_names(lapply(typed, `[[`, "values"), vapply(nodes, column_slot, ""))
  blank_dates(columns, nodes)
}

# Columns are read when they are first asked for, together with those asked for beside them.
file_typed <- function(s, names, as_text, call = NULL) {
  if (!length(names)) {
    return(list())
  }
  slots <- slot_of(names, as_text)
  keys <- paste0("column ", slots)
  new <- which(!vapply(keys, exists, NA, envir = s$known, inherits = FALSE) & !duplicated(keys))
  if (length(new)) {
    check_origin(s$origin, call)
    read <- unchanged(s$origin, read_typed(s$file, names[new], as_text[new], call), call)
    list2env(with_names(read, keys[new]), s$known)
    check_supposed(s, slots[new], read)
  }
  unname(mget(keys, envir = s$known))
}

#' @export
#' @noRd
source_close.eggcrate_source_file <- function(s) {
  unlink(s$file$scratch)
  NextMethod()
}

# Reading ------------------------------------------------------------------

#' The columns of an opened file, typed by their whole.
#' @param wanted Names of columns.
#' @param as_text Which of them stay the text that was written.
#' @param coded Return texts as factors, with levels in the order of their first rows?
#' @return For each `values`, `odd`, `type`, and `facts` for the receipt.
#' @noRd
read_typed <- function(file, wanted, as_text, call = NULL, coded = FALSE) {
  raw <- if (!is.null(file$several)) {
    several_columns(file, wanted, as_text, call)
  } else {
    raw_columns(file, wanted, as_text, call)
  }
  if (coded) raw <- lapply(raw, coded_texts)
  counts <- column_counts(file, wanted)
  different <- if (is.null(file$several) &&
    !is.null(file$table)) file$table$different(match(wanted, file$header)) else list(NULL)
  Map(function(x, name, as_text, padded, blank, padded_row, blank_row, different) {
    typed <- type_column(x, name, as_text, padded, blank, file, different)
    if (!is.null(typed$odd)) typed$odd$place <- place_in_file(file, typed$odd$row)
    list(values = typed$values, odd = typed$odd, type = file_type(typed$values, blank, file$rows),
      facts = column_facts(typed, name, padded, blank, padded_row, blank_row, file))
  }, raw, wanted, as_text, counts$padded, counts$blank, counts$padded_row, counts$blank_row,
    if (length(wanted)) different)
}

# Counts of the scanner: `count_fields` along `names`.
column_counts <- function(file, names) {
  at <- match(names, file$header)
  if (!is.null(file$several)) return(several_counts(file, names))
  if (!is.null(file$table)) file$table$counts(at) else lapply(file[count_fields], `[`, at)
}

# Columns as they stand in the file: numbers and dates where data.table is sure, else text.
raw_columns <- function(file, wanted, as_text, call = NULL) {
  at <- match(wanted, file$header)
  for (name in wanted) if (sum(file$header == name) > 1L) stop_doubled_column(name, file$name, call)
  if (!is.null(file$table)) {
    file$table$columns(at, call)
  } else if (length(at) && file$rows > 0) {
    # What is wanted both as it is written and as a value is read once, as text.
    once <- unique(at)
    read_columns(file, once, vapply(once, function(i) any(as_text[at == i]), NA),
      call)[match(at, once)]
  } else {
    lapply(with_names(wanted, wanted), function(w) rep(NA_character_, file$rows))
  }
}

# What the receipt says of how the file was read.
reading_facts <- function(file, typed) {
  c(
    if (!is.null(file$several)) several_facts(file),
    if (file$blank_lines > 0) {
      list(receipt_rows("reading", "blank lines skipped", file$blank_lines, file$name))
    },
    unlist(unname(lapply(typed, `[[`, "facts")), recursive = FALSE)
  )
}

# A column without any value takes the type that a question wants of it.
file_type <- function(x, blank, rows) {
  if (is.character(x) && blank == rows) "blank" else column_type(x)
}

#' @return A list of vectors: numbers and dates where data.table is sure, else text.
#' @noRd
read_columns <- function(file, at, as_text, call = NULL) {
  first <- fread_columns(file, at, as_text, nrows = 1000L, call = call)
  as_text <- as_text | !vapply(first, certain_type, NA)
  quick <- read_quickly(file, at, quick_kinds(first, as_text))
  if (!is.null(quick)) {
    return(quick)
  }
  if (file$size >= long_file) {
    say_progress(paste("Reading", file$name))
    on.exit(say_progress(paste("Reading", file$name), 1))
  }
  out <- fread_columns(file, at, as_text, nrows = Inf, call = call)
  surprised <- !as_text & !vapply(out, certain_type, NA)
  if (any(surprised)) {
    out <- fread_columns(file, at, as_text | surprised, nrows = Inf, call = call)
  }
  if (length(out[[1L]]) != file$rows) {
    stop_unreadable(file, sprintf("It has %s, and as a table %s.", counted(file$rows, "row"),
      count_text(length(out[[1L]]))), call)
  }
  out
}

#' The same as data.table would give, by our own pass over the bytes, where every cell is written as
#' most are: plain texts (as a factor), plain decimals, ISO dates. NULL where one is not, or the
#' file is of an odd kind.
#' @param kinds From `quick_kinds()`; NULL where there is a column of another kind.
#' @noRd
read_quickly <- function(file, at, kinds) {
  if (is.null(kinds) || !is_passable(file)) {
    return(NULL)
  }
  found <- watched(paste("Reading", file$name), function(progress) {
    read_fields_(list(kernel_file(file, at)), kinds, logical(length(at)), eggcrate_threads(),
      progress)
  })
  if (found$outcome == 0L) {
    values <- found$values
    dates <- kinds == quick_codes[["date"]]
    values[dates] <- lapply(values[dates], structure, class = c("IDate", "Date"))
    return(values)
  }
  # A column that begins with whole numbers may have decimals in later rows.
  odd <- found$odd
  if (odd > 0L && kinds[odd] == quick_codes[["whole"]]) {
    read_quickly(file, at, replace(kinds, odd, quick_codes[["real"]]))
  }
}

# May our own pass read it, if every cell is written as most are?
is_passable <- function(file) {
  is.null(file$table) && file$encoding == "UTF-8" && !file$doubled_quotes &&
    file$blank_lines == 0 && length(file$cuts) > 0L &&
    !isTRUE(file$as_table) && !isFALSE(getOption("eggcrate.quick"))
}

# A checked file as the kernel takes it.
kernel_file <- function(file, at) {
  list(path = enc2native(path.expand(file$packed$path %||% file$path)), points = file$packed$points,
    separator = file$separator,
    width = length(file$header), columns = as.integer(at), cuts = file$cuts, size = file$size,
    rows = as.numeric(file$rows))
}

quick_codes <- c(text = 0L, whole = 1L, real = 2L, date = 3L)

quick_kinds <- function(first, as_text) {
  kind <- vapply(first, quick_kind, "")
  kind[as_text] <- "text"
  if (!anyNA(kind)) unname(quick_codes[kind])
}

#' @param x The first cells, as data.table reads them; it leaves most dates texts, to keep zeros.
#' @return A name of `quick_codes`, or NA.
#' @noRd
quick_kind <- function(x) {
  if (is.character(x)) {
    given <- unique(x[nzchar(x)])
    if (length(given) && all(grepl("^[0-9]{4}-[0-9]{2}-[0-9]{2}$", given)) &&
      !anyNA(parse_iso_date(given))) "date" else "text"
  } else if (inherits(x, "IDate")) {
    "date"
  } else if (is.object(x)) {
    NA_character_
  } else if (is.integer(x)) {
    "whole"
  } else if (is.double(x)) {
    "real"
  } else {
    NA_character_
  }
}

# A time of day is left to us: the date as written counts, whatever its zone. So are whole
# numbers beyond 2^31 that the reader did not expect.
certain_type <- function(x) {
  is.character(x) || is.logical(x) || is.numeric(x) && !inherits(x, c("POSIXt", "integer64")) &&
    !(inherits(x, "Date") && any(x < earliest_day, na.rm = TRUE))
}

fread_columns <- function(file, at, as_text, nrows, call = NULL) {
  # The caller's own number of threads is theirs again afterwards.
  before <- data.table::getDTthreads()
  data.table::setDTthreads(eggcrate_threads())
  on.exit(data.table::setDTthreads(before))
  # The first rows are those of the first block.
  path <- if (is.finite(nrows)) file$path else whole_path(file, call)
  # Let fread finish after a warning; if aborted, it repeats the warning on its next call.
  told <- NULL
  read <- withCallingHandlers(
    data.table::fread(
      file = path, sep = file$separator, header = TRUE, select = sort(at), nrows = nrows,
      # Some versions take a line break in a cell of a lone column for bad quoting, but not if lines
      # may be filled.
      fill = length(file$header) == 1L, colClasses = list(character = at[as_text]), quote = "\"",
      dec = ".",
      strip.white = TRUE, blank.lines.skip = TRUE, na.strings = NULL, keepLeadingZeros = TRUE,
      integer64 = "character", logical01 = FALSE,
      encoding = if (file$encoding == "latin1") "Latin-1" else "UTF-8",
      showProgress = FALSE, data.table = FALSE, check.names = FALSE
    ),
    warning = function(w) {
      told <<- c(told, grep("Previous fread", conditionMessage(w), value = TRUE, invert = TRUE))
      invokeRestart("muffleWarning")
    },
    error = function(e) stop_unreadable(file, conditionMessage(e), call)
  )
  if (length(told)) stop_unreadable(file, told[1L], call)
  unname(as.list(read))[match(at, sort(at))]
}

stop_unreadable <- function(file, why, call = NULL) {
  stop_data("format", sprintf("%s could not be read to its end.", file$name), x = why, call = call)
}

# Whole files --------------------------------------------------------------

#' A whole file as a data frame that knows how it was read.
#' @noRd
file_table <- function(path, options = list(), columns = NULL, text = character(), call = NULL) {
  origin <- new_origin(path, options)
  file <- unchanged(origin, open_file(path, options, call), call)
  # The streaming pass only serves aggregations; read_sales() uses fread.
  file$as_table <- TRUE
  on.exit(unlink(file$scratch))
  for (name in c(columns, text)) {
    if (!name %in% file$header) stop_unknown_column(name, file$header, file$name, call = call)
  }
  wanted <- columns %||% unique(file$header)
  typed <- unchanged(origin, read_typed(file, wanted, wanted %in% text, call), call)
  odd <- with_names(lapply(typed, `[[`, "odd"), wanted)
  structure(with_names(lapply(typed, function(one) plain_cells(one$values)), wanted),
    row.names = .set_row_names(file$rows), class = "data.frame",
    reading = list(name = file$name, n = file$rows, columns = wanted,
      odd = odd[!vapply(odd, is.null, NA)], reading = reading_facts(file, typed),
      header_rows = 1L))
}

# A table, or the path of a file with one.
table_given <- function(x, call = NULL) {
  if (missing(x)) stop_missing_arg("layout", "Give a table with `row` and `column` of each.", call)
  if (is.character(x) && length(x) == 1L && !is.na(x)) file_table(x, call = call) else x
}
