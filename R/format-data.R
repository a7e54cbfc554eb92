# Forms for other programs: CSV and JSON, with every digit.

# Columns as text: every digit of a number, missing as it is.
exact_text <- function(x) {
  columns <- as.list(unclass(if (is.data.frame(x)) as_plain(x) else x))
  lapply(columns, function(column) {
    # Whole numbers are written as they are.
    if (!is.double(column) || inherits(column, "Date")) column else number_texts_(column)
  })
}

#' Any table of any answer as CSV.
#' @noRd
answer_csv <- function(x, table = "items", layout = NULL, make = NULL, escape = TRUE) {
  csv_text(answer_table(x, table, layout, make), escape)
}

# Lists of names in one cell.
plain_columns <- function(x) {
  columns <- unclass(if (is.data.frame(x)) as_plain(x) else x)
  listed <- vapply(columns, is.list, NA)
  if (!any(listed)) {
    return(x)
  }
  columns[listed] <- lapply(columns[listed],
    function(column) vapply(column, paste, "", collapse = "; "))
  as.data.frame(c(columns), check.names = FALSE)
}

csv_text <- function(x, escape) {
  # By way of a file: what goes to the console would be read as a format, so that "80% of"
  # came out as a number.
  path <- tempfile(fileext = ".csv")
  on.exit(unlink(path))
  tryCatch(csv_file(x, path, escape), eggcrate_error_file = function(e) {
    stop_data("file", sprintf("The temporary folder '%s' is full.", dirname(path)),
      i = "Make room, or name another with the environment variable TMPDIR.")
  })
  text <- readBin(path, "raw", file.size(path))
  text <- rawToChar(text[-length(text)])
  Encoding(text) <- "UTF-8"
  text
}

#' A table as CSV in a file that is not there yet.
#' @noRd
csv_file <- function(x, path, escape) {
  x <- plain_columns(x)
  columns <- exact_text(x)
  text <- !vapply(unclass(x), is.numeric, NA)
  if (escape) {
    columns[text] <- lapply(columns[text], as_written_text)
    names(columns) <- as_written_text(names(columns))
  }
  table <- as.data.frame(columns, check.names = FALSE, stringsAsFactors = FALSE)
  names(table) <- names(columns)
  data.table::fwrite(table, path, na = "", quote = "auto", eol = "\n", logical01 = FALSE,
    showProgress = FALSE)
  # Where the disk is full the writer stops without a word. Figures have no line breaks.
  breaks <- function(x) {
    x <- grep("\n", x, fixed = TRUE, value = TRUE)
    sum(lengths(regmatches(x, gregexpr("\n", x, fixed = TRUE))))
  }
  words <- table[text & vapply(table, is.character, NA)]
  within <- vapply(c(list(names(table)), words), breaks, 0)
  if (sum(readBin(path, "raw", file.size(path)) == as.raw(10L)) != nrow(table) + 1L + sum(within)) {
    stop_data("file", sprintf("There is not enough space for '%s'.", basename(path)))
  }
}

# A spreadsheet would run it as a formula; an apostrophe makes it text.
as_written_text <- function(x) {
  if (!is.character(x)) {
    return(x)
  }
  formula <- substr(x, 1L, 1L) %in% c("=", "+", "@", "\t", "\r", "-")
  x[formula] <- paste0("'", x[formula])
  x
}

#' @param tables_asked Names of the tables to give besides items, totals and receipt.
#' @noRd
json_lines <- function(x, tables_asked = character()) {
  ans <- answer_of(x)
  answer <- list(question = json_question(ans), items = json_table(unclass(as_plain(x))),
    totals = json_table(answer_totals(ans)), receipt = json_table(ans$receipt))
  tables <- own_tables(ans)
  tables <- lapply(tables[intersect(names(tables), tables_asked)], function(table) {
    table <- table_or_null(table, ans)
    if (!is.null(table)) json_table(table)
  })
  own <- c(list(scheme = if (has_facet(ans, "tiers")) shown_scheme(ans$facets$tiers$scheme),
    periods = as.list(ans$facets$change$spans$names)), tables)
  json_text(append(answer, Filter(length, own), after = 2L), auto_unbox = TRUE, null = "null")
}

# The table that was asked for, with the question and the receipt.
json_table_lines <- function(x, name, table) {
  ans <- answer_of(x)
  answer <- c(list(question = json_question(ans)),
    with_names(list(json_table(as.list(table))), name),
    if (name != "receipt") list(receipt = json_table(ans$receipt)))
  json_text(answer, auto_unbox = TRUE, null = "null")
}

#' An answer as JSON.
#'
#' jsonlite writes at most 15 digits. Numbers go through it as text with all of theirs, behind a
#' mark that no text of the answer begins with, and the marks are taken off.
#' @param ... For `jsonlite::toJSON()`.
#' @return Lines.
#' @noRd
json_text <- function(answer, ...) {
  mark <- "number:"
  while (any(startsWith(texts_in(answer), mark))) mark <- paste0(mark, ":")
  text <- jsonlite::toJSON(with_marks(answer, mark), na = "null", pretty = 1, Date = "ISO8601", ...)
  text <- gsub(sprintf("\"%s([-+.0-9e]+)\"", mark), "\\1", text)
  strsplit(text, "\n", fixed = TRUE)[[1L]]
}

texts_in <- function(x) {
  if (is.list(x)) return(c(character(), unlist(lapply(unname(x), texts_in))))
  if (is.factor(x)) levels(x) else if (is.character(x)) x[!is.na(x)] else character()
}

with_marks <- function(x, mark) {
  if (is.list(x)) {
    x[] <- lapply(x, with_marks, mark)
    return(x)
  }
  if (!is.numeric(x) || inherits(x, c("Date", "factor"))) return(x)
  text <- number_text(x)
  text <- ifelse(is.na(text), NA, paste0(mark, text))
  if (inherits(x, "scalar")) jsonlite::unbox(text) else text
}

json_question <- function(ans) {
  plan <- ans$plan
  list(of = asked_measure(ans)$text, by = I(names(plan$by)),
    within = I(as.character(names(plan$within))),
    over = if (length(plan$over)) plan$over[[1L]]$text, where = plan_text(plan),
    also = I(lapply(additional_measures(ans), `[[`, "text")),
    having = if (having_asked(plan)) plan$having$text,
    only = I(as.character(ans$facets$selection$text)), highlight = marks_written(ans),
    best = plan$rules$best, ties = plan$rules$ties, share_of = plan$rules$share_of,
    share_base = plan$rules$share_base)
}

# Of two periods both sides are of the one measure.
additional_measures <- function(ans) {
  if (has_facet(ans, "change")) ans$facets$change$additional else ans$plan$measures[-1L]
}

json_table <- function(columns) {
  as.data.frame(c(columns), check.names = FALSE, stringsAsFactors = FALSE,
    col.names = names(columns))
}

receipt_lines <- function(receipt) {
  n <- ifelse(is.na(receipt$n), "", format_count(receipt$n))
  known <- function(x) ifelse(is.na(x), "", x)
  detail <- trimws(paste0(n, ifelse(nzchar(n) & !is.na(receipt$value), "  ", ""),
    known(receipt$value), ifelse(is.na(receipt$note), "", paste0("  (", receipt$note, ")"))))
  sprintf("%s  %s  %s", align(receipt$step, "left"), align(receipt$fact, "left"), detail)
}

findings_json <- function(table) {
  lapply(seq_along(table$kind), function(i) {
    list(kind = jsonlite::unbox(table$kind[i]), finding = jsonlite::unbox(table$finding[i]),
      value = jsonlite::unbox(table$value[i]), items = table$items[[i]])
  })
}

# As they were asked for: "best = top(3)".
marks_written <- function(ans) {
  facet <- ans$facets$marks
  if (!is.null(facet)) {
    ifelse(facet$name == facet$text, facet$text, paste(facet$name, facet$text, sep = " = "))
  }
}
