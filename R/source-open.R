# Opening files: what is in one, and whether it is whole.

#' Checks the whole file and says what is in it.
#' @return `path` (of plain text), `scratch` (a file to be removed), `name`, and
#'   all that the scanner found.
#' @noRd
open_file <- function(path, options = list(), call = NULL) {
  check_one_path(path, call)
  options <- check_reading(options, call)
  if (identical(path, "-")) {
    return(open_copy("stdin", "standard input", options, call))
  }
  check_path(path, call)
  if (path_kind_(path.expand(path)) == "stream") {
    return(open_copy(path, basename(path), options, call))
  }
  switch(file_kind(path),
    parquet = open_table(path, options, open_parquet, call),
    xlsx = open_table(path, options, open_sheet, call),
    open_text(path, options, call)
  )
}

check_reading <- function(options, call = NULL) {
  options$encoding <- check_choice(options$encoding %||% "UTF-8", c("UTF-8", "latin1"), "encoding",
    call)
  if (!is.null(options$separator)) {
    check_choice(options$separator, c(",", ";", "|", "\t"), "separator", call)
  }
  if (!is.null(options$decimal)) check_choice(options$decimal, c(".", ","), "decimal", call)
  if (!is.null(options$dates)) check_choice(options$dates, date_orders, "dates", call)
  if (!is.null(options$twice)) check_choice(options$twice, c("count", "refuse"), "twice", call)
  options
}

check_one_path <- function(path, call = NULL, arg = "path") {
  if (missing(path)) stop_missing_arg(arg, "Name a file, such as \"orders.csv\".", call)
  if (!is.character(path) || length(path) != 1L || is.na(path)) {
    stop_eggcrate("call", "unknown_value",
      sprintf("`%s` must be one path, not %s.", arg, describe(path)), call = call)
  }
}

check_path <- function(path, call = NULL) {
  if (!file.exists(path)) stop_file_missing(path, call)
  if (dir.exists(path)) {
    stop_data("file", sprintf("'%s' is a folder, not a file.", path), fields = list(path = path),
      call = call)
  }
  if (file.access(path, 4L) != 0L) {
    stop_data("file", sprintf("The file '%s' may not be read.", path), fields = list(path = path),
      call = call)
  }
}

# By its first bytes, not by its name.
file_kind <- function(path) {
  first <- readBin(path, "raw", 4L)
  if (identical(first, charToRaw("PAR1"))) {
    "parquet"
  } else if (identical(first, as.raw(c(0x50, 0x4b, 0x03, 0x04)))) {
    "xlsx"
  } else {
    "text"
  }
}

# What can be read once only, standard input or a pipe, is copied first.
open_copy <- function(from, name, options, call = NULL) {
  path <- scratch_name()
  kept <- FALSE
  on.exit(if (!kept) unlink(path))
  limit <- asked_number("limit") %||% 1e10
  what <- if (from == "stdin") "Standard input" else sprintf("'%s'", name)
  failed <- copy_into_(if (from == "stdin") "/dev/stdin" else path.expand(from), path, limit)
  if (failed == "NUL") {
    stop_data("format", sprintf("%s contains a NUL byte and is not a table.", what),
      fields = list(path = from), call = call)
  }
  if (failed == "too large") {
    stop_data("too_large",
      sprintf("%s is larger than %s MB.", what, count_text(ceiling(limit / 1e6))), i = limit_hint(),
      fields = list(path = from, limit = limit), call = call)
  }
  if (nzchar(failed)) {
    stop_data("file", sprintf("%s cannot be read: %s.", what, failed), call = call)
  }
  file <- switch(file_kind(path),
    parquet = c(open_table(path, options, open_parquet, call), list(scratch = path)),
    xlsx = open_table(path, options, open_sheet, call),
    open_text(path, options, call, keep = TRUE, name = name))
  kept <- path %in% file$scratch
  replace(file, "name", name)
}

#' @param keep Whether the file itself is kept no longer than the source.
#' @noRd
open_text <- function(path, options, call = NULL, keep = FALSE, name = basename(path)) {
  found <- (if (is_packed(path)) scan_packed else scan_plain)(path, options, call)
  opened <- FALSE
  on.exit(if (!opened) unlink(found$scratch))
  file <- c(found$scan, options[setdiff(names(options), "separator")],
    found[c("path", "size", "packed")],
    list(scratch = c(found$scratch, if (keep) path), name = name))
  check_scan(file, call)
  file$header <- header_names(file$header, options$encoding)
  opened <- TRUE
  file
}

scan_plain <- function(path, options, call = NULL) {
  scan <- watched(paste("Checking", basename(path)), function(progress) {
    scan_delimited_(enc2native(path.expand(path)), options$separator %||% "",
      options$encoding == "UTF-8",
      getOption("eggcrate.block", reading_block), eggcrate_threads(), progress)
  })
  list(scan = scan, path = path, size = as.numeric(file.size(path)))
}

scratch_name <- function() tempfile("eggcrate-", fileext = ".txt")

# How many bytes are read at a time.
reading_block <- 2^22

# Short work reports no progress.
long_file <- 64e6

# Typed tables: Parquet and workbooks --------------------------------------

#' @param open Function of path and options that returns a table, from `new_table()`.
#' @noRd
open_table <- function(path, options, open, call = NULL) {
  table <- reading_table(path, open(path, options, call), call)
  if (!all(validUTF8(table$names))) stop_data("format",
    sprintf("A column name of %s is not valid UTF-8.",
      basename(path)), fields = list(path = path), call = call)
  c(options, list(header = header_names(table$names, "UTF-8"), rows = table$rows, blank_lines = 0,
    doubled_quotes = FALSE,
    name = basename(path), path = path, table = table))
}

reading_table <- function(path, expr, call = NULL) {
  tryCatch(expr, error = function(e) {
    if (inherits(e, "eggcrate_error")) stop(e)
    stop_data("format", sprintf("%s cannot be read.", basename(path)), x = conditionMessage(e),
      fields = list(path = path), call = call)
  })
}

#' A typed table, whose columns are read when they are asked for, each once.
#' @param read Function of places of columns that returns them as a list; a text may be a factor.
#' @return `names`, `rows`; `columns(at)`; along `at` also `different(at)`, the different texts
#'   (NULL for other types), and `counts(at)`, the counts of the scanner for a text.
#' @noRd
new_table <- function(path, names, rows, read) {
  known <- new.env(parent = emptyenv())
  looked <- function(at, call = NULL) {
    new <- unique(at[!as.character(at) %in% ls(known)])
    if (length(new)) {
      list2env(with_names(reading_table(path, lapply(read(new), read_column, rows), call), new),
        known)
    }
    unname(mget(as.character(at), envir = known))
  }
  counts <- function(at) {
    found <- lapply(looked(at), function(column) cell_counts(column$values, column$different))
    lapply(with_names(count_fields, count_fields), function(field) vapply(found, `[[`, 0, field))
  }
  part <- function(field) function(at, call = NULL) lapply(looked(at, call), `[[`, field)
  list(names = names, rows = rows, columns = part("values"), different = part("different"),
    counts = counts)
}

# Checks a column. Texts of a Parquet file are a factor. It becomes text if a level is padded or
# empty, because two levels may then be the same value.
read_column <- function(x, rows) {
  if (length(x) != rows) stop(sprintf("The table has %s, and one of its columns %s.",
    counted(rows, "row"), count_text(length(x))))
  if (!is.factor(x)) x <- plain_cells(x)
  different <- if (is.factor(x)) levels(x) else if (is.character(x)) unique(x)
  if (!all(validUTF8(as.character(different)))) stop("A text of it is not valid UTF-8.")
  if (is.factor(x) && (length(padded_cells(different)) || any(blank_texts_(different)))) {
    x <- as.character(x)
    different <- c(different, if (anyNA(x)) NA)
  }
  list(values = x, different = different)
}

count_fields <- c("padded", "blank", "padded_row", "blank_row")

# For texts, only the different values are checked.
cell_counts <- function(x, different) {
  found <- list(padded = integer(),
    blank = if (anyNA(x)) which(is.na(x)))
  if (is.character(x)) {
    of <- function(texts) if (length(texts)) which(x %in% texts) else integer()
    found <- list(padded = of(different[padded_cells(different)]),
      blank = of(different[is.na(different) | blank_texts_(different)]))
  }
  first <- function(rows) if (length(rows)) rows[1L] + 1 else 0
  list(padded = as.numeric(length(found$padded)), blank = as.numeric(length(found$blank)),
    padded_row = first(found$padded), blank_row = first(found$blank))
}

padded_cells <- function(x) {
  blanks <- c(" ", "\t", "\u00a0")
  edge <- Reduce(`|`, lapply(blanks, function(blank) startsWith(x, blank) | endsWith(x, blank)))
  which(edge)[grepl("^[ \t\u00a0]+[^ ]|[^ ][ \t\u00a0]+$", x[which(edge)])]
}

# Reads the columns that a question needs: the usual forms from the bytes of the file, others with
# nanoparquet, in as many processes as there are threads.
open_parquet <- function(path, options, call = NULL) {
  need_package("nanoparquet", "read Parquet files", call)
  footer <- parquet_footer(path, call)
  found <- parquet_facts_(path.expand(path), footer)
  # A nested column has several names.
  if (found$nested) {
    return(whole_table(path, in_processes(list(function() nanoparquet::read_parquet(path)))[[1L]]))
  }
  new_table(path, found$names, found$rows, function(at) {
    columns <- read_parquet_(path.expand(path), footer, at, eggcrate_threads())
    rest <- which(vapply(columns, is.null, NA))
    if (!length(rest)) return(columns)
    parts <- split(rest, (seq_along(rest) - 1L) %% eggcrate_threads())
    read <- in_processes(lapply(unname(parts),
      function(part) function() lapply(parquet_columns(path, at[part]), coded_texts)))
    columns[unlist(parts)] <- unlist(read, recursive = FALSE)
    columns
  })
}

parquet_columns <- function(path, at) {
  order <- sort(at)
  unname(unclass(as.data.frame(nanoparquet::read_parquet(path, col_select = order))))[match(at,
    order)]
}

# A text column as a factor: fewer bytes to transfer.
coded_texts <- function(x) {
  if (!is.character(x)) return(x)
  code <- match_rows(list(x))
  texts <- x[first_seen(code)]
  known <- !is.na(texts)
  structure(replace(cumsum(known), !known, NA)[code], levels = texts[known], class = "factor")
}

# A table that is in memory.
whole_table <- function(path, table) {
  columns <- lapply(unclass(as.data.frame(table)), plain_cells)
  new_table(path, names(table) %||% character(), nrow(table), function(at) columns[at])
}

# Position and size of the footer. The file ends with this size and the name of the format: a
# truncated file must not reach a reader that does not check them.
parquet_footer <- function(path, call = NULL) {
  size <- file.size(path)
  end <- if (size >= 12) {
    con <- file(path, "rb")
    on.exit(close(con))
    seek(con, size - 8)
    list(footer = readBin(con, "integer", 1L, 4L, endian = "little"),
      name = readBin(con, "raw", 4L))
  }
  if (is.null(end) || !identical(end$name, charToRaw("PAR1")) || is.na(end$footer) ||
    end$footer < 1 || end$footer > size - 12) {
    stop_data("format",
      sprintf("%s is not a whole Parquet file: its end is missing.", basename(path)),
      i = "Fetch or write the file again.", fields = list(path = path), call = call)
  }
  c(size - 8 - end$footer, end$footer)
}

check_scan <- function(file, call = NULL) {
  if (file$flaw == 0L && !length(file$header)) {
    stop_data("format", sprintf("%s is empty: it has not even a header.", file$name), call = call)
  }
  if (file$flaw == 0L) {
    return()
  }
  row <- count_text(file$flaw_row)
  wanted <- length(file$header)
  words <- list(
    c(sprintf("Row %s of %s has %s, and the header has %d.", row, file$name,
      counted(file$flaw_fields, "field"), wanted),
      "A separator inside a value needs quotes around the value."),
    c(sprintf("Row %s of %s opens a quote that is never closed.", row, file$name),
      "Close it, or double it (\"\") if it belongs to the text."),
    c(sprintf("Row %s of %s has a NUL character.", row, file$name),
      "The file may be in UTF-16 or damaged; save it as UTF-8."),
    c(sprintf("Row %s of %s has bytes that are not UTF-8.", row, file$name),
      "If it was written by an older program, read it with `encoding = \"latin1\"`."),
    c(sprintf("Row %s of %s has text after a closing quote.", row, file$name),
      "Double a quote (\"\") that belongs to the text."),
    c(sprintf("The first line of %s does not end within 1 MB: it is not a header.", file$name),
      "A table begins with the names of its columns, in a line of their own.")
  )[[file$flaw]]
  stop_data("format", words[1L], i = words[2L],
    fields = list(row = file$flaw_row, path = file$path), call = call)
}

header_names <- function(header, encoding) {
  Encoding(header) <- encoding
  header <- enc2utf8(header)
  blank <- !nzchar(header)
  header[blank] <- paste0("column_", which(blank))
  header
}
