# Delimited files: checked by our own scanner, read by data.table, and typed by
# the whole column.

#' Read a file of sales
#'
#' Reads a CSV or TSV file, plain or gzipped, a Parquet file or a sheet of a workbook
#' (XLSX), and says what it found. `"-"` reads a CSV from standard input. Columns are
#' typed as a whole: a column of numbers, of amounts such as `1,234.50`,
#' `$1,234.50`, `(12.00)` or `12.00-`, or of dates becomes numbers or dates; dates are
#' ISO, or `25/12/2025` where some row proves the order of day and month; anything else, leading zeros as in `007` and more than 15 digits included,
#' stays text. Blanks around a cell are trimmed. Empty cells are missing; so are
#' `NA`, `N/A`, `NULL`, `-` and `#N/A` in a column of numbers or dates. In a
#' column of text, `NA` is a name like any other.
#'
#' A file that is not whole is refused with the number of the row, the header
#' being row 1: a row with too few or too many fields, an unclosed quote, a NUL,
#' or bytes that are not UTF-8.
#'
#' @param path Path of the file.
#' @param ... Must be empty.
#' @param columns Names of the columns to read; all by default.
#' @param text Names of columns to leave as text, exactly as written.
#' @param encoding `"UTF-8"` or `"latin1"`.
#' @param separator `","`, `";"`, `"|"` or a tab; by default the one that the
#'   header has most of.
#' @param dates `"dmy"`, `"mdy"` or `"ymd"`: the order of dates written with slashes,
#'   dots or blanks, as in `03/04/2026`. Needed only where no value of a column decides
#'   it; such a column stays text.
#' @param sheet Name or number of a workbook's sheet; the first by default.
#' @param decimal `"."` or `","`: the decimal mark of amounts in which commas or
#'   full stops also part thousands. Needed only where no value of a column
#'   decides it, as in `1,234`; such a column is refused as a measure.
#' @returns A tibble, one row per data row of the file. What was read and what
#'   was odd is shown by [receipt()] and travels into the receipt of
#'   every question asked of the table.
#' @section Errors: `eggcrate_error_file` when there is no such file,
#'   `eggcrate_error_format` when a row is not whole, with the field `row`;
#'   `eggcrate_error_unknown_column` when `columns` or `text` names none.
#' @export
#' @examples
#' path <- system.file("extdata", "orders-untidy.csv", package = "eggcrate")
#' orders <- read_sales(path)
#' receipt(orders)
#' standings(orders, of = sum(net_sales), by = customer)
read_sales <- function(path, ..., columns = NULL, text = character(), encoding = "UTF-8",
                       separator = NULL, decimal = NULL, dates = NULL, sheet = NULL) {
  call <- sys.call()[1L]
  check_no_dots(..., call = call)
  if (!is.character(path) || length(path) != 1L || is.na(path)) {
    stop_eggcrate("call", "unknown_value",
      sprintf("`path` must be one path, not %s.", describe(path)), call = call)
  }
  options <- list(encoding = encoding, separator = separator, decimal = decimal, dates = dates,
    sheet = sheet)
  file <- open_file(path, options, call)
  on.exit(unlink(file$scratch))
  for (name in c(columns, text)) {
    if (!name %in% file$header) stop_unknown_column(name, file$header, file$name, call = call)
  }
  source <- read_file(file, columns %||% unique(file$header), text, call)
  out <- tibble::new_tibble(source$columns, nrow = source$n, class = "eggcrate_sales")
  attr(out, "reading") <- source[c("name", "n", "odd", "reading", "header_rows")]
  out
}

check_no_dots <- function(..., call = NULL) {
  if (...length()) {
    stop_eggcrate("call", "unknown_value", "An argument is not known here.",
      x = sprintf("It is %s.", enumerate(tick(...names() %||% "an unnamed one"))), call = call)
  }
}

#' @param needed,keys See `as_source()`.
#' @noRd
source_file <- function(path, needed, keys, reading = list(), call = NULL) {
  file <- open_file(path, reading, call)
  on.exit(unlink(file$scratch))
  source <- read_file(file, intersect(needed, file$header), keys, call)
  unread <- setdiff(file$header, names(source$types))
  source$types <- c(source$types, with_names(rep("text", length(unread)), unread))[file$header]
  source
}

# Opening ------------------------------------------------------------------

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
      sprintf("%s has %s.", basename(path), count_of(length(known), "sheet")), call = call)
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
  from <- gzfile(path, "rb")
  to <- file(plain, "wb")
  on.exit({
    close(from)
    close(to)
  })
  tryCatch(
    while (length(block <- readBin(from, "raw", 4e6L))) writeBin(block, to),
    error = function(e) broken_gzip(path, plain, call),
    warning = function(w) broken_gzip(path, plain, call)
  )
  plain
}

broken_gzip <- function(path, plain, call) {
  unlink(plain)
  stop_data("format", sprintf("'%s' is gzipped, but not to its end.", basename(path)),
    i = "Fetch or pack the file again.", fields = list(path = path), call = call)
}

check_scan <- function(file, call = NULL) {
  if (file$flaw == 0L && !length(file$header)) {
    stop_data("format", sprintf("%s is empty: it has not even a header.", file$name), call = call)
  }
  if (file$flaw == 0L) {
    return()
  }
  row <- format_count(file$flaw_row)
  wanted <- length(file$header)
  words <- list(
    c(sprintf("Row %s of %s has %s, and the header has %d.", row, file$name,
      count_of(file$flaw_fields, "field"), wanted),
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

# Reading ------------------------------------------------------------------

read_file <- function(file, wanted, keep_text = character(), call = NULL) {
  at <- match(wanted, file$header)
  for (name in wanted) if (sum(file$header == name) > 1L) stop_doubled_column(name, file$name, call)
  raw <- if (!is.null(file$table)) {
    lapply(file$table[at], plain_cells, keep_text = FALSE)
  } else if (length(at) && file$rows > 0) {
    read_columns(file, at, wanted %in% keep_text, call)
  } else {
    lapply(with_names(wanted, wanted), function(w) rep(NA_character_, file$rows))
  }
  typed <- Map(type_column, raw, wanted, wanted %in% keep_text, file$padded[at], file$blank[at],
    MoreArgs = list(file = file))
  columns <- with_names(lapply(typed, `[[`, "values"), wanted)
  odd <- with_names(lapply(typed, `[[`, "odd"), wanted)
  new_source(
    name = file$name, n = file$rows,
    types = with_names(mapply(file_type, columns, file$blank[at], file$rows), wanted),
    columns = columns, odd = odd[!vapply(odd, is.null, NA)], header_rows = 1L,
    reading = c(
      if (file$blank_lines > 0) {
        list(receipt_rows("reading", "blank lines skipped", file$blank_lines, file$name))
      },
      unlist(
        unname(Map(column_facts, typed, wanted, file$padded[at], file$blank[at],
          file$padded_row[at], file$blank_row[at])), recursive = FALSE)
    )
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
  show <- if (file.size(file$path) >= long_file) report_reading("Reading", file$name, 1)
  if (!is.null(show)) {
    show(NA)
    on.exit(show(1))
  }
  out <- fread_columns(file, at, as_text, nrows = Inf, call = call)
  surprised <- !as_text & !vapply(out, certain_type, NA)
  if (any(surprised)) {
    out <- fread_columns(file, at, as_text | surprised, nrows = Inf, call = call)
  }
  if (length(out[[1L]]) != file$rows) {
    internal_error(sprintf("%s has %s rows and %s were read", file$name, file$rows,
      length(out[[1L]])))
  }
  out
}

# A time of day is left to us: the date as written counts, whatever its zone.
certain_type <- function(x) {
  is.character(x) || is.logical(x) || is.numeric(x) && !inherits(x, "POSIXt")
}

fread_columns <- function(file, at, as_text, nrows, call = NULL) {
  data.table::setDTthreads(eggcrate_threads())
  read <- tryCatch(
    data.table::fread(
      file = file$path, sep = file$separator, header = TRUE, select = sort(at), nrows = nrows,
      fill = FALSE, colClasses = list(character = at[as_text]), quote = "\"", dec = ".",
      strip.white = TRUE, blank.lines.skip = TRUE, na.strings = NULL, keepLeadingZeros = TRUE,
      integer64 = "character", logical01 = FALSE,
      encoding = if (file$encoding == "latin1") "Latin-1" else "UTF-8",
      showProgress = FALSE, data.table = FALSE, check.names = FALSE
    ),
    warning = function(w) {
      stop_data("format", sprintf("%s could not be read to its end.", file$name),
        x = conditionMessage(w), call = call)
    }
  )
  unname(as.list(read))[match(at, sort(at))]
}

# Typing -------------------------------------------------------------------

# What a typed table holds is taken as it is, but for text, which is read as in any
# file.
plain_cells <- function(x, keep_text) if (is.factor(x)) as.character(x) else plain_column(x)

#' @return `values`, `odd` (why a column of mostly numbers stayed text), `kind`
#'   and `n` (what was converted), `tokens` (words that mean "missing").
#' @noRd
type_column <- function(x, name, keep_text, padded, blank, file) {
  if (!is.character(x)) {
    if (inherits(x, "IDate")) x <- structure(as.integer(x), class = "Date")
    if (keep_text) return(list(values = written_text(x)))
    if (is.logical(x) && all(is.na(x))) x <- as.character(x)
    return(list(values = x))
  }
  if (file$encoding == "latin1") x <- enc2utf8(x)
  x <- tidy_text(x, padded, file$doubled_quotes, blank)
  if (keep_text) {
    return(list(values = x))
  }
  distinct <- unique(x)
  found <- read_texts(distinct, file$decimal, file$dates)
  if (is.null(found$values)) {
    at <- if (!is.na(found$odd)) match(found$odd, x)
    return(list(values = x,
      odd = if (length(at)) list(value = found$odd, row = at + 1, why = found$why)))
  }
  place <- match(x, distinct)
  list(
    values = found$values[place], kind = found$kind, n = sum(found$converted[place]),
    tokens = sum(found$token[place]), first = match(TRUE, found$converted[place]) + 1,
    first_token = match(TRUE, found$token[place]) + 1
  )
}

# A number that is a key reads as it does in a cell; whole ones have no decimals.
written_text <- function(x) {
  out <- if (inherits(x, "Date")) {
    format(x)
  } else if (is.numeric(x)) {
    number_text(x)
  } else {
    as.character(x)
  }
  out[is.na(x)] <- NA_character_
  out
}

tidy_text <- function(x, padded, quotes, blank) {
  if (quotes) x <- gsub("\"\"", "\"", x, fixed = TRUE)
  if (padded > 0) x <- trimws(x, whitespace = "[ \t\r\n\u00a0]")
  if (blank > 0) x[blank_texts_(x)] <- NA_character_
  x
}

missing_words <- c("NA", "N/A", "NULL", "-", "#N/A")

# Distinct texts as numbers or dates, if all of them are.
read_texts <- function(x, decimal = NULL, order = NULL) {
  token <- x %in% missing_words
  given <- x[!is.na(x) & !token]
  none <- list(values = NULL, odd = NA_character_)
  if (!length(given)) {
    return(none)
  }
  dates <- iso_dates(given)
  if (!anyNA(dates$values)) {
    return(spread(dates$values, x, token, dates$converted, "dates"))
  }
  dates <- written_dates(given, order)
  if (!is.null(dates$values)) {
    return(spread(dates$values, x, token, rep(TRUE, length(given)), "dates"))
  }
  if (!is.null(dates$why)) {
    return(list(values = NULL, odd = given[dates$at], why = dates$why))
  }
  amounts <- read_amounts(given, decimal)
  if (!anyNA(amounts$values)) {
    return(spread(amounts$values, x, token, amounts$converted, "amounts"))
  }
  # A number with few words in it was meant as one: say which word.
  if (!is.null(amounts$why) || mean(is.na(amounts$values)) < 0.5) {
    none$odd <- given[amounts$at]
    none$why <- amounts$why
  }
  none
}

spread <- function(values, x, token, converted, kind) {
  out <- rep(values[NA_integer_], length(x))
  at <- !is.na(x) & !token
  out[at] <- values
  list(values = out, kind = kind, token = token,
    converted = replace(logical(length(x)), which(at), converted))
}

iso_dates <- function(x) {
  fits <- grepl("^[0-9]{4}-[0-9]{2}-[0-9]{2}([T ].*)?$", x)
  values <- as.Date(rep(NA, length(x)))
  values[fits] <- parse_iso_date(substr(x[fits], 1L, 10L))
  list(values = values, converted = nchar(x) > 10L)
}

#' Dates such as `25/12/2025`, `25.12.2025` or `2025/12/25`: all of one shape, and the
#' order of day and month proved by some row, or said.
#' @return `values`; or `why` and `at` (which text) where it cannot be decided; NULL
#'   when they are no dates.
#' @noRd
written_dates <- function(x, order = NULL) {
  shape <- "^([0-9]{1,4})([/. -])([0-9]{1,2})\\2([0-9]{2,4})([T ].*)?$"
  found <- regmatches(x, regexec(shape, x))
  if (!all(lengths(found) > 0L)) {
    return(NULL)
  }
  part <- function(i) vapply(found, `[[`, "", i)
  numbers <- lapply(c(2L, 4L, 5L), function(i) as.integer(part(i)))
  year_first <- nchar(part(2L)) == 4L
  if (length(unique(part(3L))) > 1L || length(unique(year_first)) > 1L ||
    any(nchar(part(if (year_first[1L]) 2L else 5L)) != 4L)) {
    return(list(why = "shapes",
      at = which(part(3L) != part(3L)[1L] | year_first != year_first[1L])[1L] %||% 1L))
  }
  orders <- if (year_first[1L]) list(ymd = 1:3) else list(dmy = 3:1, mdy = c(3L, 1L, 2L))
  read <- lapply(orders,
    function(o) parse_iso_date(sprintf("%04d-%02d-%02d", numbers[[o[1L]]], numbers[[o[2L]]],
      numbers[[o[3L]]])))
  whole <- !vapply(read, anyNA, NA)
  if (!is.null(order)) whole <- whole & names(read) == order
  if (!any(whole)) {
    return(list(why = "impossible", at = which(is.na(read[[1L]]))[1L]))
  }
  if (sum(whole) > 1L && !identical(read[[1L]], read[[2L]])) {
    return(list(why = "day or month", at = which(read[[1L]] != read[[2L]])[1L]))
  }
  list(values = read[[which(whole)[1L]]])
}

#' Amounts as people write them. A column whose commas could part thousands or
#' decimals is not guessed at: `why` says so.
#' @param decimal `"."`, `","` or NULL to let the column decide.
#' @noRd
read_amounts <- function(x, decimal = NULL) {
  text <- gsub("[ \u00a0\u202f]", "", x)
  signs <- "[$\u20ac\u00a3\u00a5]"
  minus <- grepl("^\\(.*\\)$", text) | grepl("^[^0-9.,]*-", text) | grepl("-$", text)
  core <- gsub("^\\(|\\)$|^[+-]|-$", "", text)
  currency <- regmatches(core, regexpr(signs, core))
  core <- sub("^[+-]", "", sub(paste0("^", signs, "|", signs, "$"), "", core))
  read <- lapply(c(".", ","), function(mark) plain_number(core, mark))
  whole <- !vapply(read, anyNA, NA)
  if (!is.null(decimal)) {
    values <- read[[match(decimal, c(".", ","))]]
  } else if (all(whole) && !identical(read[[1L]], read[[2L]])) {
    return(list(values = rep(NA_real_, length(x)), why = "undecided",
      at = which(read[[1L]] != read[[2L]])[1L]))
  } else {
    values <- read[[if (whole[2L] && !whole[1L]) 2L else 1L]]
  }
  if (length(unique(currency)) > 1L) {
    other <- grep(unique(currency)[2L], x, fixed = TRUE)[1L]
    return(list(values = rep(NA_real_, length(x)), why = "currencies", at = other))
  }
  values[minus] <- -values[minus]
  written <- sub("^-", "", text)
  list(values = values, converted = written != core | grepl(",", core, fixed = TRUE),
    at = which(is.na(values))[1L])
}

# Digits with an optional fraction, or in groups of three; `007` is a name, and
# so is what has more digits than a double.
plain_number <- function(x, mark) {
  group <- if (mark == ".") "," else "\\."
  point <- if (mark == ".") "\\." else ","
  fits <- grepl(
    sprintf("^(([0-9]+|[0-9]{1,3}(%s[0-9]{3})+)(%s[0-9]*)?|%s[0-9]+)([eE][+-]?[0-9]+)?$", group,
      point, point), x)
  fits <- fits & !grepl("^0[0-9]", x) & nchar(gsub("[^0-9]", "", sub("[eE].*$", "", x))) <= 15L
  values <- rep(NA_real_, length(x))
  bare <- gsub(group, "", x[fits])
  values[fits] <- as.numeric(if (mark == ",") sub(",", ".", bare, fixed = TRUE) else bare)
  values
}

# Facts for the receipt ----------------------------------------------------

column_facts <- function(typed, name, padded, blank, padded_row, blank_row) {
  fact <- function(text, n, row, note = NULL) {
    if ((n %||% 0) > 0) reading_fact(text, n, name, row, note)
  }
  facts <- list(
    fact(sprintf("cells read as %s", typed$kind), typed$n, typed$first,
      "written with marks, times or blanks"),
    fact("cells with a word for missing", typed$tokens, typed$first_token),
    fact("cells trimmed", padded, padded_row),
    fact("blank cells", blank, blank_row)
  )
  facts[!vapply(facts, is.null, NA)]
}

# Rows count the header as row 1.
reading_fact <- function(text, n, name, row, note = NULL) {
  first <- sprintf("first in row %s", format_count(row))
  c(receipt_rows("reading", text, n, name, paste(c(note, first), collapse = "; ")), list(row = row))
}
