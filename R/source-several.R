# Several files as one table: opened one by one, their columns by name, each typed over all files
# together.

#' Which files are meant: paths, patterns (`exports/*.csv`), folders; in the order given, what a
#' pattern or a folder has by name.
#' @return Paths; as they are given where each is one file.
#' @noRd
expand_paths <- function(paths, call = NULL) {
  unlist(lapply(paths, function(path) {
    if (dir.exists(path)) {
      found <- list.files(path, "[.](csv|tsv|txt|parquet|xlsx)([.]gz)?$", full.names = TRUE,
        ignore.case = TRUE)
      return(found_files(found, path, "The folder '%s' has no file of order lines.", call))
    }
    if (!grepl("[*?]", path) || file.exists(path)) {
      return(path)
    }
    found_files(Sys.glob(path), path, "There is no file '%s'.", call)
  }))
}

found_files <- function(found, path, none, call = NULL) {
  if (!length(found)) {
    stop_data("file", sprintf(none, path),
      i = "A folder's files end in .csv, .tsv, .txt, .parquet or .xlsx, also with .gz.",
      fields = list(path = path), call = call)
  }
  found[order(found, method = "radix")]
}

#' @param paths Several paths.
#' @noRd
source_several <- function(paths, reading = list(), call = NULL) {
  twice <- paths[duplicated(normalizePath(paths, mustWork = FALSE))]
  if (length(twice)) {
    stop_eggcrate("call", "unknown_value", sprintf("The file '%s' is given twice.", twice[1L]),
      i = "Its rows would count twice.", call = call)
  }
  origins <- lapply(paths, new_origin, reading = reading)
  files <- Map(function(path, origin) unchanged(origin, open_file(path, reading, call), call),
    paths, origins)
  copies <- same_files(paths, unname(files))$words
  if (length(copies) && identical(reading$twice, "refuse")) {
    unlink(unlist(lapply(files, `[[`, "scratch")))
    stop_data("twice", sprintf("Two files contain the same rows: %s.", copies[1L]),
      i = "Remove one of them. In a study, `twice = \"count\"` accepts both.", call = call)
  }
  file <- joined_file(unname(files))
  file$copies <- copies
  new_file_source(file, list(parts = unname(origins), reading = reading))
}

#' Finds duplicate files: those with the same bytes as an earlier file, or with the same first and
#' last thousand lines.
#' @return `at`, the positions of the duplicates; `first`, the positions of the earlier files;
#'   `words`, a sentence for each.
#' @noRd
same_files <- function(paths, files) {
  names <- vapply(files, `[[`, "", "name")
  paths <- path.expand(paths)
  size <- file.size(paths)
  alike <- size %in% size[duplicated(size)]
  bytes <- replace(as.character(seq_along(paths)), alike, tools::md5sum(paths[alike]))
  # Compare 20 lines first, because most files differ there.
  starts <- vapply(seq_along(files), function(i) line_ends(files[[i]], 20L) %||% as.character(i),
    "")
  begin_alike <- starts %in% starts[duplicated(starts)]
  ends <- replace(starts, begin_alike,
    vapply(files[begin_alike], function(file) line_ends(file, 1000L), ""))
  first <- ifelse(duplicated(bytes), match(bytes, bytes), match(ends, ends))
  at <- which(first < seq_along(files) & vapply(files, function(file) file$rows > 0, NA))
  list(at = at, first = first[at],
    words = sprintf("%s has the same %s %s", names[at],
      ifelse(duplicated(bytes)[at], "bytes as",
        "first and last thousand lines as"), names[first[at]]))
}

# A hash of the first and last lines of a text file, without its header; NULL for other files and
# compressed ones.
line_ends <- function(file, lines) {
  if (!is.null(file$table) || !is.null(file$packed)) {
    return(NULL)
  }
  con <- file(file$path, "rb")
  on.exit(close(con))
  size <- file.size(file$path)
  # At most 400 characters for each line.
  most <- min(size, 400 * lines)
  part <- function(from) {
    seek(con, from)
    text <- gsub("\r", "", readChar(con, most, useBytes = TRUE), fixed = TRUE, useBytes = TRUE)
    strsplit(text, "\n", fixed = TRUE, useBytes = TRUE)[[1L]][-1L]
  }
  rlang::hash(list(utils::head(part(0), lines), utils::tail(part(size - most), lines)))
}

# What is to be known of all files together.
joined_file <- function(files) {
  rows <- vapply(files, function(file) as.numeric(file$rows), 0)
  names <- vapply(files, `[[`, "", "name")
  field <- function(name, or) vapply(files, function(file) file[[name]] %||% or, or)
  list(several = files, header = unique(unlist(lapply(files, `[[`, "header"))), rows = sum(rows),
    starts = cumsum(c(0, rows)),
    name = sprintf("%s and %s more", names[1L], count_text(length(files) - 1L)), names = names,
    blank_lines = sum(field("blank_lines", 0)),
    doubled_quotes = any(field("doubled_quotes", FALSE)),
    encoding = files[[1L]]$encoding, decimal = files[[1L]]$decimal, dates = files[[1L]]$dates,
    scratch = unlist(lapply(files, `[[`, "scratch")))
}

# The columns of several files, one after the other.
several_columns <- function(file, wanted, as_text, call = NULL) {
  parts <- lapply(file$several, function(part) {
    for (name in wanted) if (!name %in% part$header) stop_column_of_file(name, part, file, call)
    raw_columns(part, wanted, as_text, call)
  })
  lapply(seq_along(wanted), function(j) {
    pieces <- lapply(parts, function(part) plain_part(part[[j]]))
    if (!same_kind(pieces)) {
      pieces <- lapply(file$several,
        function(part) as.character(written_text(plain_part(raw_columns(part, wanted[j], TRUE,
          call)[[1L]]))))
    }
    # Factors are joined as factors.
    if (!all(vapply(pieces, is.factor, NA))) pieces <- lapply(pieces, plain_texts)
    do.call(c, pieces)
  })
}

several_counts <- function(file, wanted) {
  count <- function(field) vapply(wanted,
    function(name) sum(vapply(file$several, at_column, 0, name, field)), 0)
  first <- function(field) vapply(wanted, function(name) first_of_several(file, name, field), 0)
  list(padded = count("padded"), blank = count("blank"), padded_row = first("padded_row"),
    blank_row = first("blank_row"))
}

at_column <- function(part, name, field) as.numeric(column_counts(part, name)[[field]])

# The row of the first among all, which is counted through all files.
first_of_several <- function(file, name, field) {
  counted <- sub("_row$", "", field)
  for (i in seq_along(file$several)) {
    if (at_column(file$several[[i]], name, counted) > 0) {
      return(at_column(file$several[[i]], name, field) + file$starts[i])
    }
  }
  NA_real_
}

plain_part <- function(x) if (inherits(x, "IDate")) structure(as.integer(x), class = "Date") else x

plain_texts <- function(x) if (is.factor(x)) as.character(x) else x

# May pieces be put together as they are? Blank ones take the type of the others.
same_kind <- function(pieces) {
  blank <- vapply(pieces, function(x) all(is.na(x)), NA)
  kinds <- unique(vapply(pieces[!blank],
    function(x) if (inherits(x, "Date")) "date" else if (is.numeric(x)) "number" else
      class(plain_texts(x))[1L],
    ""))
  length(kinds) <= 1L && (!any(blank) || identical(kinds, "number"))
}

stop_column_of_file <- function(name, part, file, call = NULL) {
  if (!name %in% unlist(lapply(file$several, `[[`, "header"))) {
    stop_unknown_column(name, file$header, file$name, call = call)
  }
  close <- close_names(name, part$header)
  stop_data("format",
    sprintf("There is no column `%s` in %s, one of %d files.", name, part$name,
      length(file$several)),
    i = if (length(close)) sprintf("It has %s.", enumerate(tick(close))),
    i = "All files must have the columns that the query needs, with the same names.",
    fields = list(column = name, path = part$path), call = call)
}

#' Where a row is: its number, counted from the header as 1, and of several files the file.
#' @noRd
place_in_file <- function(file, row) {
  if (is.null(file$several) || length(row) != 1L || is.na(row)) {
    return(count_text(row))
  }
  i <- findInterval(row - 1.5, file$starts, rightmost.closed = TRUE)
  sprintf("%s of %s", count_text(row - file$starts[i]), file$names[i])
}

file_rows <- "rows of a file"

# A line of the receipt for each file.
several_facts <- function(file) {
  c(Map(function(name, rows) receipt_rows("reading", file_rows, rows, file$name, name), file$names,
    vapply(file$several, function(part) as.numeric(part$rows), 0), USE.NAMES = FALSE),
    lapply(file$copies,
      function(copy) receipt_rows("reading", file_twice, NA, file$name,
        paste0(copy, ": its rows are counted twice"))))
}
file_twice <- "duplicate file"
