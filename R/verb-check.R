#' Look through a file or a table of sales
#'
#' Reads a file as [read_sales()] does, or takes a data frame, and says what is in it: for each
#' column its type, blank and different values, and range; and what is odd: cells that were
#' converted or that keep a column from being numbers or dates, text that reads as dates, numbers
#' or percentages, names that differ only in case or blanks, whole lines that stand more than
#' once, dates in the future, column names that stand twice; of several files those that are there twice, by their bytes or
#' by name and number of rows.
#'
#' @param data Path of a file, several paths, a pattern or a folder, as in [standings()]; a data frame; or a table of a database or its address,
#'   whose rows are fetched.
#' @inheritParams read_sales
#' @returns A list of class `eggcrate_check` with the tibbles `columns` (`column`,
#'   `type`, `values`, `blank`, `different`, `least`, `most`) and `findings`
#'   (`column`, `finding`, `n`, `example`, `row`; rows of a file count the header as 1).
#' @inheritSection read_sales Errors
#' @export
#' @examples
#' check_sales(system.file("extdata", "orders-untidy.csv", package = "eggcrate"))
check_sales <- function(data, ..., encoding = "UTF-8", separator = NULL, decimal = NULL,
  dates = NULL, sheet = NULL) {
  call <- sys.call()[1L]
  check_no_dots(..., call = call)
  looked <- if (!missing(data) && is.data.frame(data)) {
    look_at_frame(data, data_name(substitute(data)))
  } else if (!missing(data) && is_table_of_database(data)) {
    look_at_table(data, call)
  } else {
    if (missing(data) || length(data) < 2L) check_one_path(data, call, "data")
    look_at_file(data, list(encoding = encoding, separator = separator, decimal = decimal,
      dates = dates, sheet = sheet), call)
  }
  findings <- c(looked$reading, column_findings(looked))
  structure(
    list(name = looked$name, rows = looked$rows,
      columns = do.call(rbind, unname(Map(column_summary, looked$values, looked$different,
        names(looked$values), looked$types))),
      findings = tibble::as_tibble(do.call(rbind, c(findings, list(no_finding))))),
    class = "eggcrate_check"
  )
}

#' What there is to look at: `name`, `rows`, `header` (rows of the file before the first of
#' data); `values` of each column, their `types`, the `different` ones; and what was found when it
#' was read, `reading`.
#' @noRd
looked_at <- function(name, rows, header, values, types, reading) {
  list(name = name, rows = rows, header = header, values = values, types = types,
    different = lapply(values, different), reading = reading)
}

# The rows of a table, fetched if they are not too many.
look_at_table <- function(data, call = NULL) {
  source <- open_source(data, call = call)
  if (!identical(source, data)) on.exit(source_close(source))
  names <- source_names(source)
  nodes <- lapply(names, function(name) new_node("column", "text", text = name, name = name))
  columns <- with_names(unname(source_columns(source, nodes, call)), names)
  look_at_frame(structure(columns, row.names = seq_len(source$n), class = "data.frame"), source$name)
}

look_at_file <- function(path, options, call = NULL) {
  paths <- expand_paths(path, call)
  files <- unname(lapply(paths, open_file, options, call))
  file <- if (length(files) > 1L) joined_file(files) else files[[1L]]
  on.exit(unlink(file$scratch))
  once <- file$header[!file$header %in% file$header[duplicated(file$header)]]
  typed <- with_names(read_typed(file, once, logical(length(once)), call), once)
  # Percentages are reported separately.
  odd <- Filter(function(one) !is.null(one) && !identical(one$why, "percent"), lapply(typed, `[[`, "odd"))
  reading <- c(
    twice_findings(file$header),
    if (length(files) > 1L) same_file_findings(paths, files),
    unname(lapply(reading_facts(file, typed),
      function(fact) finding(if (fact$fact == file_rows) fact$note else fact$value, fact$fact, fact$n, NA, fact$row %||% NA))),
    unname(Map(odd_finding, odd, names(odd))))
  looked_at(file$name, file$rows, 1L, lapply(typed, `[[`, "values"), vapply(typed, `[[`, "", "type"),
    reading)
}

look_at_frame <- function(data, name) {
  once <- !names(data) %in% names(data)[duplicated(names(data))]
  values <- lapply(with_names(unclass(data)[once], names(data)[once]), plain_cells)
  types <- vapply(values, column_type, "")
  text <- names(values)[types == "text"]
  values[text] <- lapply(values[text], function(x) replace(x, blank_texts_(x), NA))
  strange <- names(values)[types == "other"]
  reading <- c(
    twice_findings(names(data)),
    lapply(strange, function(name) finding(name, sprintf("of class %s, which cannot be used",
      class(data[[name]])[1L]), NA)),
    unname(Map(looks_finding, values[text], text)))
  known <- types != "other"
  looked_at(name, nrow(data), 0L, values[known], types[known], reading)
}

# Duplicate files, and files with the same name and number of rows.
same_file_findings <- function(paths, files) {
  copies <- same_files(paths, files)
  names <- vapply(files, `[[`, "", "name")
  rows <- vapply(files, function(file) as.numeric(file$rows), 0)
  named <- paste(rows, names)
  at <- sort(union(copies$at, which(duplicated(named))))
  lapply(at, function(i) {
    first <- if (i %in% copies$at) copies$first[match(i, copies$at)] else match(named[i], named)
    finding(names[i], file_twice, rows[i], paths[first])
  })
}

twice_findings <- function(names) {
  lapply(unique(names[duplicated(names)]),
    function(name) finding(name, "column name stands more than once", sum(names == name)))
}

column_findings <- function(looked) {
  names <- names(looked$values)
  c(unname(Map(percent_finding, looked$values, looked$different, names, looked$header)),
    unlist(unname(Map(name_findings, looked$values, looked$different, names, looked$header)),
      recursive = FALSE),
    unname(Map(late_finding, looked$values, names, looked$header)),
    list(repeated_lines(looked$values, looked$header)))
}

# Text of a data frame that would be read in a file.
looks_finding <- function(x, name) {
  known <- different(x)
  read <- read_texts(trimws(known))
  if (is.null(read$values)) {
    return(if ((read$why %||% "percent") != "percent") odd_finding(list(why = read$why, value = read$odd,
      row = match(read$odd, x)), name))
  }
  words <- if (read$kind == "amounts") {
    "numbers as text"
  } else {
    orders <- Filter(function(order) !anyNA(ordered_dates(known, order)), date_orders)
    sprintf("dates as text: date(%s)",
      if (anyNA(iso_dates(known)$values)) sprintf("%s, \"%s\"", name, orders[1L]) else name)
  }
  finding(name, words, sum(!is.na(x)), known[1L], match(known[1L], x))
}

percent_finding <- function(x, known, name, header) {
  if (!is.character(x) || !length(known)) {
    return(NULL)
  }
  shape <- "^[+-]?[0-9][0-9.,]*[[:space:]]?%$"
  fits <- grepl(shape, known)
  if (mean(fits) > 0.5) {
    one <- known[fits][1L]
    finding(name, "percentages as text", sum(x %in% known[fits]), one, match(one, x) + header)
  }
}

no_finding <- data.frame(column = character(), finding = character(), n = numeric(), example = character(),
  row = numeric())

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
name_findings <- function(x, known, name, header) {
  if (!is.character(x)) {
    return(list())
  }
  plain <- gsub("[[:space:]]+", " ", tolower(known))
  twice <- unique(plain[duplicated(plain)])
  lapply(utils::head(twice, 5L), function(one) {
    alike <- known[plain == one]
    finding(name, sprintf("%d names differ in case or blanks only", length(alike)),
      sum(x %in% alike), paste(alike, collapse = " | "), match(alike[2L], x) + header)
  })
}

late_finding <- function(x, name, header) {
  if (!inherits(x, "Date")) {
    return(NULL)
  }
  late <- which(x > Sys.Date())
  if (length(late)) {
    finding(name, "dates in the future", length(late), day_text(x[late[1L]]), late[1L] + header)
  }
}

repeated_lines <- function(columns, header) {
  if (!length(columns) || !length(columns[[1L]])) {
    return(NULL)
  }
  again <- which(!first_seen(match_rows(columns)))
  if (length(again)) {
    finding("all", "lines that stand more than once", length(again), NA, again[1L] + header)
  }
}
