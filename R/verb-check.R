#' Look through a file or a table of sales
#'
#' Reads a file as [read_sales()] does, or takes a data frame, and lists its columns, with type,
#' number of empty and of different values, and range; and everything unusual.
#'
#' @details
#' Findings are:
#' * cells that were converted, and cells that keep a column from being numbers or dates;
#' * text that reads as dates, numbers or percentages;
#' * names that differ in case or spaces only;
#' * duplicate lines and duplicate column names; of several files the duplicate files, by their
#'   bytes or by name and number of rows;
#' * dates in the future; dates more than a year before or after all others (a single date, or
#'   several in less than 1% of the rows);
#' * numbers far above the others: at least ten times the median, with a modified z-score of their
#'   logarithms above 3.5 (Iglewicz and Hoaglin 1993, How to Detect and Handle Outliers). With many
#'   rows the threshold rises to the score that one such column in 20 reaches by chance.
#'
#' `print()` shows the first 5 findings of a kind for each column, and counts the others.
#' `x$findings` has all, and so have `--format csv --table findings` and `--format json`.
#'
#' @param data Path of a file, several paths, a pattern or a folder, as in [standings()]; a data
#'   frame; or a table of a database or its address, whose rows are fetched.
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
    look_at_frame(data, data_place(substitute(data), parent.frame())$name)
  } else if (!missing(data) && is_table_of_database(data)) {
    look_at_table(data, call)
  } else {
    if (missing(data) || length(data) < 2L) check_one_path(data, call, "data")
    look_at_file(data, list(encoding = encoding, separator = separator, decimal = decimal,
      dates = dates, sheet = sheet), call)
  }
  findings <- c(looked$reading,
    unlist(unname(lapply(looked$columns, `[[`, "findings")), recursive = FALSE),
    list(repeated_lines(looked$repeated)))
  structure(
    list(name = looked$name, rows = looked$rows,
      columns = do.call(rbind, unname(lapply(looked$columns, `[[`, "summary"))),
      findings = tibble::as_tibble(do.call(rbind, c(findings, list(no_finding))))),
    class = "eggcrate_check"
  )
}

# Columns as their different values ----------------------------------------

# Columns are read together up to this many cells, 80 MB of numbers.
cells_at_once <- 1e7

#' Checks a table a few columns at a time, and keeps only the different values of each column.
#' @param read A function of names that returns `values` and `types` by column.
#' @param look A function of a profile and a name: a further finding.
#' @return `columns`: for each its `summary`, its `findings`, and what `look` found; `repeated`: how
#'   many rows are equal to an earlier row, and the `first` of these.
#' @noRd
look_at_columns <- function(names, rows, header, read, look = function(column, name) NULL,
  at_once = cells_at_once) {
  per_look <- max(1, at_once %/% max(rows, 1))
  columns <- list()
  alike <- NULL
  for (some in split(names, (seq_along(names) - 1) %/% per_look)) {
    # Free the memory of the previous columns; it would add to the peak.
    if (rows > 1e6) gc(FALSE)
    found <- read(some)
    for (name in some) {
      x <- coded_texts(found$values[[name]])
      found$values[name] <- list(NULL)
      column <- column_profile(x, found$types[[name]], header)
      columns[[name]] <- list(summary = column_summary(column, name, rows),
        findings = column_findings(column, name), look = look(column, name))
      alike <- still_alike(alike, column$code)
    }
  }
  again <- alike$row[duplicated(alike$code)]
  list(columns = columns,
    repeated = list(n = length(again), row = if (length(again)) min(again) + header))
}

# The different values of a column, with the number of rows and the first row of each. One profile
# at a time is in memory: a column may have as many values as rows.
column_profile <- function(x, type, header) {
  code <- if (is.factor(x)) unclass(x) else match_rows(list(x))
  if (anyNA(code)) code[is.na(code)] <- 0L
  first <- first_rows_(code, max(code, 0L))
  n <- tabulate(code, length(first))
  known <- first > 0L
  known[known] <- !is.na(x[first[known]])
  list(type = type, values = plain_cells(x[first[known]]), n = n[known],
    row = first[known] + header, code = code)
}

#' Keeps the rows that share the value of one more column with another row.
#' @param alike `row`, and `code`: rows with one code are equal in all columns so far; NULL before
#'   the first column.
#' @param code Number of the value of each row in this column.
#' @noRd
still_alike <- function(alike, code) {
  if (is.null(alike)) {
    shared <- (tabulate(code + 1L) > 1L)[code + 1L]
    return(list(row = which(shared), code = code[shared]))
  }
  # As doubles: there may be more pairs than whole numbers.
  row <- alike$row
  both <- alike$code * (max(code, 0L) + 1) + code[row]
  again <- both[duplicated(both)]
  shared <- both %in% again
  list(row = row[shared], code = match(both[shared], again))
}

# The rows of a table, fetched if they are not too many.
look_at_table <- function(data, call = NULL) {
  source <- open_source(data, call = call)
  if (!identical(source, data)) on.exit(source_close(source))
  names <- source_names(source)
  nodes <- lapply(names, function(name) new_node("column", "text", text = name, name = name))
  columns <- with_names(unname(source_columns(source, nodes, call)), names)
  look_at_frame(structure(columns, row.names = seq_len(source$n), class = "data.frame"),
    source$name)
}

look_at_file <- function(path, options, call = NULL) {
  paths <- expand_paths(path, call)
  files <- unname(lapply(paths, open_file, options, call))
  file <- if (length(files) > 1L) joined_file(files) else files[[1L]]
  on.exit(unlink(file$scratch))
  once <- file$header[!file$header %in% file$header[duplicated(file$header)]]
  lacking <- lapply(with_names(once, once),
    function(name) which(!vapply(files, function(one) name %in% one$header, NA)))
  once <- once[lengths(lacking) == 0L]
  facts <- list()
  looked <- look_at_columns(once, file$rows, 1L, function(names) {
    typed <- with_names(read_typed(file, names, logical(length(names)), call, coded = TRUE), names)
    facts <<- c(facts, lapply(typed, `[`, c("odd", "facts")))
    list(values = lapply(typed, `[[`, "values"), types = vapply(typed, `[[`, "", "type"))
  })
  # Percentages are reported separately.
  odd <- Filter(function(one) !is.null(one) && !identical(one$why, "percent"),
    lapply(facts, `[[`, "odd"))
  reading <- c(
    twice_findings(file$header),
    if (length(files) > 1L) same_file_findings(paths, files),
    lacking_findings(lacking, files),
    unname(lapply(reading_facts(file, facts),
      function(fact) finding(if (fact$fact == file_rows) fact$note else fact$value, fact$fact,
        fact$n, NA, fact$row %||% NA))),
    unname(Map(odd_finding, odd, names(odd))))
  c(looked, list(name = file$name, rows = file$rows, reading = reading))
}

look_at_frame <- function(data, name) {
  once <- !names(data) %in% names(data)[duplicated(names(data))]
  cells <- with_names(unclass(data)[once], names(data)[once])
  types <- vapply(cells, function(x) column_type(plain_cells(x)), "")
  looked <- look_at_columns(names(cells)[types != "other"], nrow(data), 0L, function(names) {
    values <- lapply(cells[names], plain_cells)
    text <- names[types[names] == "text"]
    values[text] <- lapply(values[text], function(x) replace(x, blank_texts_(x), NA))
    list(values = values, types = types[names])
  }, looks_finding)
  strange <- names(cells)[types == "other"]
  reading <- c(
    twice_findings(names(data)),
    lapply(strange, function(name) finding(name, sprintf("of class %s, which cannot be used",
      class(data[[name]])[1L]), NA)),
    unname(lapply(looked$columns, `[[`, "look")))
  c(looked, list(name = name, rows = nrow(data), reading = reading))
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

# Columns that some of the files do not have. They are not checked.
lacking_findings <- function(lacking, files) {
  lacking <- lacking[lengths(lacking) > 0L]
  unname(Map(function(name, at) {
    finding(name, "column missing in some files", length(at),
      enumerate(vapply(files[at], `[[`, "", "name")))
  }, names(lacking), lacking))
}

twice_findings <- function(names) {
  lapply(unique(names[duplicated(names)]),
    function(name) finding(name, "duplicate column name", sum(names == name)))
}

column_findings <- function(column, name) {
  switch(column$type,
    text = c(list(percent_finding(column, name)), variant_findings(column, name)),
    number = outlier_findings(column, name),
    date = c(list(late_finding(column, name)), stray_findings(column, name)))
}

# Text of a data frame that would be read in a file.
looks_finding <- function(column, name) {
  known <- column$values
  if (column$type != "text" || !length(known)) {
    return(NULL)
  }
  read <- read_texts(trimws(known))
  if (is.null(read$values)) {
    return(if ((read$why %||% "percent") != "percent") odd_finding(list(why = read$why,
      value = read$odd,
      row = column$row[match(read$odd, trimws(known))]), name))
  }
  words <- if (read$kind == "amounts") {
    "numbers as text"
  } else {
    orders <- Filter(function(order) !anyNA(ordered_dates(known, order)), date_orders)
    sprintf("dates as text: date(%s)",
      if (anyNA(iso_dates(known)$values)) sprintf("%s, \"%s\"", name, orders[1L]) else name)
  }
  finding(name, words, sum(column$n), known[1L], column$row[1L])
}

percent_finding <- function(column, name) {
  ends <- which(endsWith(column$values, "%"))
  fits <- ends[grepl("^[+-]?[0-9][0-9.,]*[[:space:]]?%$", column$values[ends])]
  if (length(fits) > 0.5 * length(column$values)) {
    finding(name, "percentages as text", sum(column$n[fits]), column$values[fits[1L]],
      column$row[fits[1L]])
  }
}

no_finding <- data.frame(column = character(), finding = character(), n = numeric(),
  example = character(),
  row = numeric())

finding <- function(column, finding, n, example = NA, row = NA) {
  data.frame(column = column, finding = finding, n = as.numeric(n), example = as.character(example),
    row = as.numeric(row))
}

column_summary <- function(column, name, rows) {
  ends <- if (length(column$values) && column$type %in% c("number", "date")) {
    if (column$type == "date") day_text(range(column$values)) else number_text(range(column$values))
  } else {
    c(NA, NA)
  }
  values <- sum(column$n)
  data.frame(column = name, type = column$type, values = values, blank = as.integer(rows - values),
    different = length(column$values), least = ends[1L], most = ends[2L])
}

odd_finding <- function(odd, name) {
  words <- c("undecided" = "commas may part thousands or decimals",
    "currencies" = "amounts in more than one currency",
    "day or month" = "day and month cannot be told apart",
    "shapes" = "dates written in more than one way", "impossible" = "a date that does not exist",
    "word" = "not a number, though most of the column is")
  finding(name, words[[odd$why %||% "word"]], NA, odd$value, odd$row)
}

# One finding for each group of names that differ in case or spaces only.
variant_findings <- function(column, name) {
  plain <- plain_names(column$values)
  alike <- which(plain %in% plain[duplicated(plain)])
  lapply(unname(split(alike, factor(plain[alike], unique(plain[alike])))), function(at) {
    finding(name, "names that differ in case or spaces only", sum(column$n[at]),
      paste(column$values[at], collapse = " | "), column$row[at[2L]])
  })
}

# Texts without differences of case and of spaces.
plain_names <- function(x) {
  # Numbers and codes of digits have neither.
  letters <- grepl("[^0-9]", x, perl = TRUE)
  x[letters] <- without_case(x[letters])
  x
}

without_case <- function(x) {
  x <- tolower(x)
  has <- function(space) grepl(space, x, fixed = TRUE)
  spaced <- has("  ") | has("\t") | has("\n") | has("\r") | has("\u00a0") | startsWith(x,
    " ") | endsWith(x, " ")
  x[spaced] <- trimws(gsub("[[:space:]\u00a0]+", " ", x[spaced]))
  x
}

late_finding <- function(column, name) {
  late <- which(column$values > Sys.Date())
  if (length(late)) {
    finding(name, "dates in the future", sum(column$n[late]), day_text(column$values[late[1L]]),
      column$row[late[1L]])
  }
}

# Days beyond a gap of more than a year, at either end: one day, or several in less than one row of
# a hundred.
stray_findings <- function(column, name) {
  order <- order(column$values)
  days <- as.numeric(column$values)[order]
  gaps <- which(diff(days) > most_days_between)
  few <- function(at) length(at) == 1L || sum(column$n[order[at]]) < 0.01 * sum(column$n)
  ends <- list(
    if (length(gaps)) list(at = seq_len(gaps[1L]),
      words = "more than a year before all other dates"),
    if (length(gaps)) list(at = seq(gaps[length(gaps)] + 1L, length(days)),
      words = "more than a year after all other dates"))
  lapply(Filter(function(end) !is.null(end) && few(end$at), ends), function(end) {
    at <- order[end$at]
    finding(name, end$words, sum(column$n[at]),
      paste(day_text(column$values[at]), collapse = " | "), min(column$row[at]))
  })
}

#' Numbers far above the others: the modified z-score of their logarithms (0.6745 times the distance
#' from the median, divided by the median distance) is above a threshold, and they are at least ten
#' times the median. The threshold is 3.5, or with many rows the score that one row in 20 such
#' columns exceeds by chance.
#' Source: Iglewicz and Hoaglin 1993, How to Detect and Handle Outliers.
#' @noRd
outlier_findings <- function(column, name) {
  used <- which(column$values != 0)
  size <- log10(abs(column$values[used]))
  n <- column$n[used]
  if (sum(n) < 10) {
    return(list())
  }
  middle <- weighted_median(size, n)
  distance <- abs(size - middle)
  spread <- weighted_median(distance, n) / 0.6745
  # If most values are equal, the median distance is 0; use the mean distance.
  if (spread == 0) spread <- 1.253314 * sum(distance * n) / sum(n)
  far <- which(size - middle >= 1 & (size - middle) / spread > max(3.5,
    stats::qnorm(1 - 0.05 / sum(n))))
  lapply(used[far], function(at) {
    finding(name, sprintf("far above the others (median %s)", number_text(signif(10^middle, 3))),
      column$n[at], number_text(column$values[at]), column$row[at])
  })
}

# The median of values that are in `n` rows each.
weighted_median <- function(x, n) {
  order <- order(x)
  x <- x[order]
  upto <- cumsum(n[order])
  half <- upto[length(upto)] / 2
  mean(x[c(which(upto >= half)[1L], which(upto > half)[1L])])
}

repeated_lines <- function(repeated) {
  if (repeated$n) finding("all", "duplicate lines", repeated$n, NA, repeated$row)
}
