# Opening files: what is in one, and whether it is whole.

#' Checks the whole file and says what is in it.
#' @return `path` (of plain text), `scratch` (a file to be removed), `name`, and
#'   all that the scanner found.
#' @noRd
open_file <- function(path, options = list(), call = NULL) {
  options <- check_reading(options, call)
  if (identical(path, "-")) {
    path <- standard_input()
    on.exit(unlink(path))
    return(replace(open_text(path, options, call, keep = TRUE), "name", "standard input"))
  }
  check_path(path, call)
  switch(file_kind(path),
    parquet = open_table(path, options, read_parquet_table, call),
    xlsx = open_table(path, options, read_sheet_table, call),
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
  if (!is.null(options$dates)) check_choice(options$dates, c("dmy", "mdy", "ymd"), "dates", call)
  options
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

standard_input <- function() {
  path <- tempfile("eggcrate-", fileext = ".txt")
  from <- file("stdin", "rb")
  to <- file(path, "wb")
  on.exit({
    close(from)
    close(to)
  })
  while (length(block <- readBin(from, "raw", 1e6L))) writeBin(block, to)
  path
}

open_text <- function(path, options, call = NULL, keep = FALSE) {
  plain <- unpack(path, call)
  opened <- FALSE
  on.exit(if (!opened && plain != path) unlink(plain))
  scan <- scan_delimited_(enc2native(path.expand(plain)), options$separator %||% "",
    options$encoding == "UTF-8", report_reading("Checking", path, file.size(plain)))
  if (keep && plain == path) file.copy(path, plain <- tempfile("eggcrate-", fileext = ".txt"))
  file <- c(scan, options[setdiff(names(options), "separator")],
    list(path = plain, scratch = if (plain != path) plain, name = basename(path)))
  check_scan(file, call)
  file$header <- header_names(file$header, options$encoding)
  opened <- TRUE
  file
}

# A function of the bytes that have been read, for whoever wants to show them: the
# option `eggcrate.progress` is a function of a text and of the part done, NA where
# that is not known and 1 at the end.
report_reading <- function(doing, path, size) {
  show <- getOption("eggcrate.progress")
  if (is.function(show)) function(bytes) show(paste(doing, basename(path)), min(bytes / size, 1))
}

# Only what takes a while is worth a word.
long_file <- 64e6

# Typed tables: Parquet and workbooks --------------------------------------

#' @param read Function of path and options that returns a data frame.
#' @noRd
open_table <- function(path, options, read, call = NULL) {
  table <- tryCatch(read(path, options, call), error = function(e) {
    if (inherits(e, "eggcrate_error")) stop(e)
    stop_data("format", sprintf("%s cannot be read.", basename(path)), x = conditionMessage(e),
      fields = list(path = path), call = call)
  })
  columns <- unclass(as.data.frame(table))
  empty <- lapply(columns, function(x) is.na(x) | (is.character(x) & blank_texts_(as.character(x))))
  padded <- lapply(columns, padded_cells)
  row_of <- function(x) unname(vapply(x, function(cells) match(TRUE, cells, nomatch = -1L) + 1, 0))
  c(options, list(
    header = header_names(names(table) %||% character(), "UTF-8"), rows = nrow(table),
    blank = unname(vapply(empty, sum, 0)), padded = unname(vapply(padded, sum, 0)),
    blank_row = row_of(empty), padded_row = row_of(padded), blank_lines = 0, doubled_quotes = FALSE,
    name = basename(path), path = path, table = unname(columns)
  ))
}

padded_cells <- function(x) {
  is.character(x) & grepl("^[ \t\u00a0]+[^ ]|[^ ][ \t\u00a0]+$", as.character(x))
}

read_parquet_table <- function(path, options, call = NULL) {
  need_package("nanoparquet", "read Parquet files", call)
  check_parquet_end(path, call)
  nanoparquet::read_parquet(path)
}

# The format ends with the length of what precedes it and its own name: a file that
# was cut short must not reach a reader that trusts in them.
check_parquet_end <- function(path, call = NULL) {
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
}

read_sheet_table <- function(path, options, call = NULL) {
  need_package("readxl", "read XLSX files", call)
  sheet <- options$sheet %||% 1L
  known <- readxl::excel_sheets(path)
  if (is.character(sheet) && grepl("^[0-9]+$", sheet) && !sheet %in% known) {
    sheet <- as.integer(sheet)
  }
  if (is.character(sheet) && !sheet %in% known) check_choice(sheet, known, "sheet", call)
  if (is.numeric(sheet) && !sheet %in% seq_along(known)) {
    stop_eggcrate("call", "unknown_value",
      sprintf("%s has %s.", basename(path), counted(length(known), "sheet")), call = call)
  }
  table <- readxl::read_excel(path, sheet = sheet, guess_max = 1048576L, .name_repair = "minimal",
    progress = FALSE)
  # A cell of a date column is a time for the workbook; days are what was meant.
  table[] <- lapply(table, function(x) if (inherits(x, "POSIXct")) as.Date(x) else x)
  table
}

unpack <- function(path, call = NULL) {
  if (!identical(readBin(path, "raw", 2L), as.raw(c(0x1f, 0x8b)))) {
    return(path)
  }
  plain <- tempfile("eggcrate-", fileext = ".txt")
  limit <- unpacked_limit(path)
  whole <- FALSE
  on.exit(if (!whole) unlink(plain))
  failed <- unpack_gzip_(path.expand(path), plain, limit)
  if (failed == "large") stop_unpacks_large(path, limit, call)
  if (failed %in% c("cut", "damaged")) {
    stop_data("format", if (failed == "cut") {
      sprintf("'%s' is gzipped, but not to its end.", basename(path))
    } else {
      sprintf("'%s' is gzipped and damaged: it does not unpack to what was packed.", basename(path))
    }, i = "Fetch or pack the file again.", fields = list(path = path), call = call)
  }
  if (nzchar(failed)) {
    stop_data("file", sprintf("'%s' cannot be unpacked: %s.", basename(path), failed),
      x = sprintf("The temporary folder is '%s'.", dirname(plain)), fields = list(path = path),
      call = call)
  }
  whole <- TRUE
  plain
}

#' What a packed file may unpack to, in bytes. Order lines pack to a tenth or twentieth; what
#' unpacks to hundreds of times its size is no such table.
#' @noRd
unpacked_limit <- function(path) {
  asked <- getOption("eggcrate.limit", Sys.getenv("EGGCRATE_LIMIT"))
  number <- suppressWarnings(as.numeric(asked))
  if (length(number) == 1L && !is.na(number)) number else max(5e8, 200 * file.size(path))
}

stop_unpacks_large <- function(path, limit, call = NULL) {
  stop_data("too_large",
    sprintf("'%s' would unpack to more than %s MB, from %s.", basename(path),
      count_text(ceiling(limit / 1e6)), size_text(file.size(path))),
    i = paste("If that is right, raise the limit, in bytes: EGGCRATE_LIMIT=4e9 for the command,",
      "`options(eggcrate.limit = 4e9)` in R."),
    fields = list(path = path, limit = limit), call = call)
}

size_text <- function(bytes) {
  if (bytes < 1e6) sprintf("%s kB", count_text(ceiling(bytes / 1e3))) else
    sprintf("%s MB", count_text(ceiling(bytes / 1e6)))
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
      "Double a quote (\"\") that belongs to the text.")
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
