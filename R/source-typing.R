# From the text of a column to its type: numbers, amounts, dates, or text.

# What a typed table holds is taken as it is, but for text, which is read as in any
# file.
plain_cells <- function(x) if (is.factor(x)) as.character(x) else plain_column(x)

#' @param different The different texts of `x`, if they are known.
#' @return `values`, `odd` (why a column of mostly numbers stayed text), `kind`
#'   and `n` (what was converted), `tokens` (words that mean "missing").
#' @noRd
type_column <- function(x, name, keep_text, padded, blank, file, different = NULL) {
  if (!is.character(x) && !is.factor(x)) {
    if (inherits(x, "IDate")) x <- structure(as.numeric(x), class = "Date")
    if (keep_text) return(list(values = written_text(x)))
    if (is.logical(x) && all(is.na(x))) x <- as.character(x)
    return(list(values = x))
  }
  tidy <- function(x) tidy_text(if (file$encoding == "latin1") enc2utf8(x) else x, padded,
    file$doubled_quotes, blank)
  x <- if (is.factor(x)) new_levels(x, tidy(levels(x))) else tidy(x)
  if (keep_text) {
    return(list(values = x))
  }
  distinct <- if (is.factor(x)) levels(x) else
    if (padded == 0 && blank == 0 && !is.null(different)) different else unique(x)
  found <- read_texts(distinct, file$decimal, file$dates)
  if (is.null(found$values)) {
    at <- if (!is.na(found$odd)) match(found$odd, x)
    return(list(values = x,
      odd = if (length(at)) list(value = found$odd, row = at + 1, why = found$why)))
  }
  place <- if (is.factor(x)) as.integer(x) else match(x, distinct)
  list(
    values = found$values[place], kind = found$kind, n = sum(found$converted[place], na.rm = TRUE),
    tokens = sum(found$token[place], na.rm = TRUE),
    first = match(TRUE, found$converted[place]) + 1,
    first_token = match(TRUE, found$token[place]) + 1
  )
}

trimmed_cells <- function(x) trimws(x, whitespace = "[ \t\r\n\u00a0]")

tidy_text <- function(x, padded, quotes, blank) {
  if (quotes) x <- gsub("\"\"", "\"", x, fixed = TRUE)
  if (padded > 0) x <- trimmed_cells(x)
  if (blank > 0) x[blank_texts_(x)] <- NA_character_
  x
}

# A factor with other levels, of which some may be missing or equal.
new_levels <- function(x, levels) {
  if (identical(levels, levels(x))) return(x)
  different <- unique(levels[!is.na(levels)])
  structure(match(levels, different)[x], levels = different, class = "factor")
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
  # Most columns without dates show it in their first texts.
  first <- utils::head(given, 100L)
  dates <- if (!anyNA(iso_dates(first)$values)) iso_dates(given)
  if (!is.null(dates) && !anyNA(dates$values)) {
    return(spread(dates$values, x, token, dates$converted, "dates"))
  }
  dates <- if (all(grepl(date_shape, first))) written_dates(given, order)
  if (!is.null(dates$values)) {
    return(spread(dates$values, x, token, rep(TRUE, length(given)), "dates"))
  }
  if (!is.null(dates$why)) {
    return(list(values = NULL, odd = given[dates$at], why = dates$why))
  }
  # If most texts are names or codes, the column is not one of amounts.
  if (mean(grepl("[A-DF-Za-df-z#_:/]|^0[0-9]|[0-9]-[0-9]", given, perl = TRUE)) > 0.5) {
    return(none)
  }
  percent <- grepl("%$", given)
  if (any(percent) && !anyNA(read_amounts(sub("[ \u00a0]*%$", "", given), decimal)$values)) {
    return(list(values = NULL, odd = given[percent][1L], why = "percent"))
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
  if (!all(grepl(date_shape, x))) {
    return(NULL)
  }
  found <- regmatches(x, regexec(date_shape, x))
  part <- function(i) vapply(found, `[[`, "", i)
  numbers <- lapply(c(2L, 4L, 5L), function(i) as.integer(part(i)))
  year_first <- nchar(part(2L)) == 4L
  if (length(unique(part(3L))) > 1L || length(unique(year_first)) > 1L ||
    any(nchar(part(if (year_first[1L]) 2L else 5L)) != 4L)) {
    return(list(why = "shapes",
      at = which(part(3L) != part(3L)[1L] | year_first != year_first[1L])[1L] %||% 1L))
  }
  orders <- date_places[if (year_first[1L]) "ymd" else c("dmy", "mdy")]
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

# Each by itself, missing where it is none of that order.
ordered_dates <- function(x, order) {
  found <- regmatches(x, regexec(date_shape, x))
  days <- vapply(found, function(parts) {
    if (!length(parts)) return(NA_real_)
    numbers <- as.integer(parts[c(2L, 4L, 5L)])
    at <- date_places[[order]]
    if (nchar(parts[c(2L, 4L, 5L)][at[1L]]) != 4L) return(NA_real_)
    as.numeric(parse_iso_date(sprintf("%04d-%02d-%02d", numbers[at[1L]], numbers[at[2L]],
      numbers[at[3L]])))
  }, 0)
  structure(days, class = "Date")
}

# Year, month and day among the numbers of a date; its separators are alike.
date_places <- list(ymd = 1:3, dmy = 3:1, mdy = c(3L, 1L, 2L))
date_shape <- "^([0-9]{1,4})([/. -])([0-9]{1,2})\\2([0-9]{2,4})([T ].*)?$"

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
  } else if (whole[2L] && length(both_ways <- which(read[[1L]] != read[[2L]]))) {
    # `1,234` may be either, also where another comma can only be that of a decimal.
    return(list(values = rep(NA_real_, length(x)), why = "undecided", at = both_ways[1L]))
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
    sprintf("^(([0-9]+|[1-9][0-9]{0,2}(%s[0-9]{3})+)(%s[0-9]*)?|%s[0-9]+)([eE][+-]?[0-9]+)?$",
      group,
      point, point), x)
  fits <- fits & !grepl("^0[0-9]", x) & nchar(gsub("[^0-9]", "", sub("[eE].*$", "", x))) <= 15L
  values <- rep(NA_real_, length(x))
  bare <- gsub(group, "", x[fits])
  values[fits] <- as.numeric(if (mark == ",") sub(",", ".", bare, fixed = TRUE) else bare)
  values
}

# Facts for the receipt ----------------------------------------------------

column_facts <- function(typed, name, padded, blank, padded_row, blank_row, file) {
  fact <- function(text, n, row, note = NULL) {
    if ((n %||% 0) > 0) reading_fact(text, n, name, row, note, place_in_file(file, row))
  }
  facts <- list(
    fact(sprintf("cells read as %s", typed$kind), typed$n, typed$first,
      "written with marks, times or blanks"),
    fact("cells with a word for missing", typed$tokens, typed$first_token),
    fact("cells trimmed", padded, padded_row),
    fact("empty cells", blank, blank_row)
  )
  facts[!vapply(facts, is.null, NA)]
}

# Rows count the header as row 1.
reading_fact <- function(text, n, name, row, note = NULL, place = count_text(row)) {
  first <- sprintf("first in row %s", place)
  c(receipt_rows("reading", text, n, name, paste(c(note, first), collapse = "; ")), list(row = row))
}
