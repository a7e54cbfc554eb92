#' Look through a file of sales
#'
#' Reads a file as [read_sales()] does and says what is in it: for each column its
#' type, blank and different values, and range; and what is odd: cells that were
#' converted or that keep a column from being numbers or dates, names that differ
#' only in case or blanks, whole lines that stand more than once, dates in the
#' future, column names that stand twice.
#'
#' @inheritParams read_sales
#' @returns A list of class `eggcrate_check` with the tibbles `columns` (`column`,
#'   `type`, `values`, `blank`, `different`, `least`, `most`) and `findings`
#'   (`column`, `finding`, `n`, `example`, `row`; rows count the header as 1).
#' @inheritSection read_sales Errors
#' @export
#' @examples
#' check_sales(system.file("extdata", "orders-untidy.csv", package = "eggcrate"))
check_sales <- function(path, ..., encoding = "UTF-8", separator = NULL, decimal = NULL,
  dates = NULL, sheet = NULL) {
  call <- sys.call()[1L]
  check_no_dots(..., call = call)
  check_one_path(path, call)
  file <- open_file(path,
    list(encoding = encoding, separator = separator, decimal = decimal, dates = dates,
      sheet = sheet), call)
  on.exit(unlink(file$scratch))
  once <- file$header[!file$header %in% file$header[duplicated(file$header)]]
  typed <- with_names(read_typed(file, once, logical(length(once)), call), once)
  values <- lapply(typed, `[[`, "values")
  found <- lapply(values, different)
  types <- vapply(typed, `[[`, "", "type")
  columns <- do.call(rbind, Map(column_summary, values, found, once, types))
  odd <- Filter(Negate(is.null), lapply(typed, `[[`, "odd"))
  findings <- c(
    lapply(unique(file$header[duplicated(file$header)]),
      function(name) finding(name, "column name stands more than once", sum(file$header == name))),
    unname(lapply(reading_facts(file, typed),
      function(fact) finding(fact$value, fact$fact, fact$n, NA, fact$row %||% NA))),
    unname(Map(odd_finding, odd, names(odd))),
    unlist(unname(Map(name_findings, values, found, once)), recursive = FALSE),
    unname(Map(late_finding, values, once)), list(repeated_lines(values))
  )
  structure(
    list(name = file$name, rows = file$rows, columns = columns,
      findings = do.call(rbind, findings)),
    class = "eggcrate_check"
  )
}

finding <- function(column, finding, n, example = NA, row = NA) {
  data.frame(column = column, finding = finding, n = as.numeric(n), example = as.character(example),
    row = as.numeric(row))
}

column_summary <- function(x, known, name, type) {
  ends <- if (length(known) && type %in% c("number", "date")) {
    if (type == "date") day_text(range(known)) else number_text(range(known))
  } else {
    c(NA, NA)
  }
  data.frame(column = name, type = type, values = sum(!is.na(x)), blank = sum(is.na(x)),
    different = length(known), least = ends[1L], most = ends[2L])
}

odd_finding <- function(odd, name) {
  words <- c("undecided" = "commas may part thousands or decimals",
    "currencies" = "amounts in more than one currency",
    "day or month" = "day and month cannot be told apart",
    "shapes" = "dates written in more than one way", "impossible" = "a date that does not exist",
    "word" = "not a number, though most of the column is")
  finding(name, words[[odd$why %||% "word"]], NA, odd$value, odd$row)
}

# The different values that there are.
different <- function(x) {
  first <- x[which(first_seen(match_rows(list(x))))]
  first[!is.na(first)]
}

# Names that are one but for case and blanks.
name_findings <- function(x, known, name) {
  if (!is.character(x)) {
    return(list())
  }
  plain <- gsub("[[:space:]]+", " ", tolower(known))
  twice <- unique(plain[duplicated(plain)])
  lapply(utils::head(twice, 5L), function(one) {
    alike <- known[plain == one]
    finding(name, sprintf("%d names differ in case or blanks only", length(alike)),
      sum(x %in% alike), paste(alike, collapse = " | "), match(alike[2L], x) + 1)
  })
}

late_finding <- function(x, name) {
  if (!inherits(x, "Date")) {
    return(NULL)
  }
  late <- which(x > Sys.Date())
  if (length(late)) {
    finding(name, "dates in the future", length(late), day_text(x[late[1L]]), late[1L] + 1)
  }
}

repeated_lines <- function(columns) {
  if (!length(columns) || !length(columns[[1L]])) {
    return(NULL)
  }
  again <- which(!first_seen(match_rows(columns)))
  if (length(again)) {
    finding("all", "lines that stand more than once", length(again), NA, again[1L] + 1)
  }
}
