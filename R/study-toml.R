# TOML with its lines. RcppTOML says whether a text is TOML and what it is made of. As it gives
# keys by the alphabet, turns 3000000000 into a negative number and says no line, a scanner of
# ours gives each key its order, its line, and its value as it is written.
#
#   node   a value: `kind` ("text", "number", "flag", "date"), `value`, `text` (as written), `line`;
#          a list: kind "list", `items` (nodes), `line`;
#          a table: an environment with kind "table", `entries` (nodes by name, in order), `line`;
#          an array of tables: an environment with kind "tables", `items`, `line`

#' @param text The whole text, one string.
#' @return The node of the whole, a table; or a problem: a list of class `eggcrate_toml_problem`
#'   with `line` and `text`.
#' @noRd
toml_tree <- function(text) {
  scan <- new_scan(text)
  found <- tryCatch(scan_document(scan), eggcrate_toml_problem = function(e) e)
  theirs <- toml_parsed(text)
  if (inherits(theirs, "error")) {
    return(toml_complaint(scan, found, theirs))
  }
  # Never are values taken that the parser does not see where the scanner does.
  if (!inherits(found, "condition") && !identical(toml_paths(theirs), node_paths(found))) {
    return(toml_problem(1L, "the file is TOML, but of a shape that a study does not have"))
  }
  found
}

toml_parsed <- function(text) {
  tryCatch(RcppTOML::parseTOML(text, fromFile = FALSE), error = identity)
}

# Which line it is, where the parser does not say: the first statement that cannot stand behind
# those before it.
toml_complaint <- function(scan, found, theirs) {
  ends <- scan$ends
  if (inherits(found, "condition")) ends <- c(ends, length(scan$ch))
  for (i in seq_along(ends)) {
    part <- paste(scan$ch[seq_len(ends[i])], collapse = "")
    wrong <- toml_parsed(part)
    if (inherits(wrong, "error")) {
      if (inherits(found, "condition") && i == length(ends)) {
        return(found)
      }
      start <- if (i > 1L) ends[i - 1L] + 1L else 1L
      return(toml_problem(first_line_of(scan, start), complaint_text(wrong)))
    }
  }
  toml_problem(1L, complaint_text(theirs))
}

first_line_of <- function(scan, at) {
  while (at < length(scan$ch) && grepl("[[:space:]]", scan$ch[at])) at <- at + 1L
  scan$lines[min(at, length(scan$lines))]
}

complaint_text <- function(e) {
  text <- strsplit(conditionMessage(e), "\n", fixed = TRUE)[[1L]][1L]
  if (grepl("Not compatible", text)) {
    return("a list must have values of one kind")
  }
  sub("^Error while parsing [^:]*: ", "", text)
}

toml_problem <- function(line, text) {
  structure(class = c("eggcrate_toml_problem", "error", "condition"),
    list(message = text, call = NULL, line = line, text = text))
}

# The scanner --------------------------------------------------------------

new_scan <- function(text) {
  ch <- strsplit(gsub("\r\n", "\n", text, fixed = TRUE), "")[[1L]]
  # `stops`: positions of the special characters within a text. The characters between two of them
  # are read in one step.
  list2env(list(ch = ch, at = 1L, depth = 0L, stops = which(ch %in% c("\"", "'", "\\", "\n")),
    ends = integer(), lines = 1L + cumsum(c("", ch)[seq_along(ch)] == "\n")),
    parent = emptyenv())
}

scan_ch <- function(s, ahead = 0L) {
  at <- s$at + ahead
  if (at <= length(s$ch)) s$ch[at] else ""
}

scan_ahead <- function(s, text) {
  n <- nchar(text)
  at <- s$at + n - 1L
  at <= length(s$ch) && paste(s$ch[s$at:at], collapse = "") == text
}

scan_move <- function(s, n = 1L) s$at <- s$at + n
scan_line <- function(s) if (length(s$lines)) s$lines[max(1L, min(s$at, length(s$lines)))] else 1L
scan_stop <- function(s, text, line = scan_line(s)) stop(toml_problem(line, text))

skip_blanks <- function(s) while (scan_ch(s) %in% c(" ", "\t")) scan_move(s)

skip_comment <- function(s) {
  if (scan_ch(s) == "#") while (!scan_ch(s) %in% c("\n", "")) scan_move(s)
}

# Blanks, comments and ends of lines.
skip_space <- function(s) {
  repeat {
    skip_blanks(s)
    skip_comment(s)
    if (scan_ch(s) != "\n") break
    scan_move(s)
  }
}

skip_to_line_end <- function(s) {
  skip_blanks(s)
  skip_comment(s)
  if (!scan_ch(s) %in% c("\n", "")) {
    scan_stop(s, sprintf("there is more behind the value: %s", rest_of_line(s)))
  }
  if (scan_ch(s) == "\n") scan_move(s)
}

rest_of_line <- function(s) {
  at <- s$at
  while (at <= length(s$ch) && s$ch[at] != "\n" && at < s$at + 40L) at <- at + 1L
  quoted(trimws(paste(s$ch[s$at:max(s$at, at - 1L)], collapse = "")))
}

scan_document <- function(s) {
  root <- table_node(1L)
  here <- root
  repeat {
    skip_space(s)
    if (scan_ch(s) == "") break
    if (scan_ch(s) == "[") {
      here <- scan_header(s, root)
    } else {
      scan_pair(s, here)
    }
    skip_to_line_end(s)
    s$ends <- c(s$ends, s$at - 1L)
  }
  root
}

table_node <- function(line) {
  list2env(list(kind = "table", entries = list(), line = line), parent = emptyenv())
}

scan_header <- function(s, root) {
  line <- scan_line(s)
  several <- scan_ch(s, 1L) == "["
  scan_move(s, 1L + several)
  keys <- scan_keys(s)
  close <- if (several) "]]" else "]"
  if (!scan_ahead(s, close)) {
    scan_stop(s, sprintf("the head of a table must end in `%s`", close), line)
  }
  scan_move(s, nchar(close))
  parent <- table_at(s, root, keys[-length(keys)], line)
  key <- keys[length(keys)]
  node <- parent$entries[[key]]
  if (!several) {
    if (is.null(node)) parent$entries[[key]] <- table_node(line)
    return(last_table(s, parent$entries[[key]], key, line))
  }
  if (is.null(node)) {
    node <- list2env(list(kind = "tables", items = list(), line = line), parent = emptyenv())
    parent$entries[[key]] <- node
  }
  if (node$kind != "tables") {
    scan_stop(s, sprintf("`%s` already exists and is not a list of tables", key), line)
  }
  node$items <- c(node$items, list(table_node(line)))
  node$items[[length(node$items)]]
}

# Down the keys, making what is not there.
table_at <- function(s, node, keys, line) {
  for (key in keys) {
    if (is.null(node$entries[[key]])) node$entries[[key]] <- table_node(line)
    node <- last_table(s, node$entries[[key]], key, line)
  }
  node
}

last_table <- function(s, node, key, line) {
  if (node$kind == "tables") node <- node$items[[length(node$items)]]
  if (node$kind != "table") {
    scan_stop(s, sprintf("`%s` already exists and is not a table", key), line)
  }
  node
}

scan_pair <- function(s, table) {
  line <- scan_line(s)
  keys <- scan_keys(s)
  if (scan_ch(s) != "=") {
    scan_stop(s, sprintf("`%s` must be followed by `=` and a value", paste(keys, collapse = ".")),
      line)
  }
  scan_move(s)
  skip_blanks(s)
  parent <- table_at(s, table, keys[-length(keys)], line)
  key <- keys[length(keys)]
  if (!is.null(parent$entries[[key]])) scan_stop(s, sprintf("`%s` is given twice", key), line)
  parent$entries[[key]] <- scan_value(s, key)
}

scan_keys <- function(s) {
  keys <- character()
  repeat {
    skip_blanks(s)
    keys <- c(keys, scan_key(s))
    skip_blanks(s)
    if (scan_ch(s) != ".") break
    scan_move(s)
  }
  keys
}

scan_key <- function(s) {
  if (scan_ch(s) %in% c("\"", "'")) {
    return(scan_text(s)$value)
  }
  start <- s$at
  while (grepl("^[A-Za-z0-9_-]$", scan_ch(s))) scan_move(s)
  if (s$at == start) scan_stop(s, sprintf("a name was expected, not %s", rest_of_line(s)))
  paste(s$ch[start:(s$at - 1L)], collapse = "")
}

# Values -------------------------------------------------------------------

scan_value <- function(s, key) {
  line <- scan_line(s)
  s$depth <- s$depth + 1L
  if (s$depth > most_levels) scan_stop(s,
    sprintf("the value of `%s` has more than %d nested levels", key, most_levels))
  node <- switch(scan_ch(s), "\"" = , "'" = scan_text(s), "[" = scan_list(s, key),
    "{" = scan_inline(s),
    scan_bare(s, key))
  s$depth <- s$depth - 1L
  node$line <- line
  node
}

scan_list <- function(s, key) {
  line <- scan_line(s)
  scan_move(s)
  items <- list()
  repeat {
    skip_space(s)
    if (scan_ch(s) == "]") break
    if (scan_ch(s) == "") {
      scan_stop(s, sprintf("the list of `%s` is never closed with `]`", key), line)
    }
    items[[length(items) + 1L]] <- scan_value(s, key)
    skip_space(s)
    if (scan_ch(s) == ",") scan_move(s) else if (scan_ch(s) != "]") {
      scan_stop(s, sprintf("the list of `%s` needs a comma or `]`", key))
    }
  }
  scan_move(s)
  list(kind = "list", items = items)
}

scan_inline <- function(s) {
  table <- table_node(scan_line(s))
  scan_move(s)
  skip_blanks(s)
  while (scan_ch(s) != "}") {
    scan_pair(s, table)
    skip_blanks(s)
    if (scan_ch(s) == ",") scan_move(s) else
      if (scan_ch(s) != "}") scan_stop(s, "the table in braces needs a comma or `}`")
    skip_blanks(s)
  }
  scan_move(s)
  table
}

scan_bare <- function(s, key) {
  start <- s$at
  while (!scan_ch(s) %in% c(",", "]", "}", "#", "\n", " ", "\t", "")) scan_move(s)
  if (s$at == start) scan_stop(s, sprintf("`%s` has no value", key))
  text <- paste(s$ch[start:(s$at - 1L)], collapse = "")
  if (text %in% c("true", "false")) {
    return(list(kind = "flag", value = text == "true", text = text))
  }
  if (grepl("^[0-9]{4}-[0-9]{2}-[0-9]{2}", text)) {
    return(list(kind = "date", value = text, text = text))
  }
  written <- gsub("_", "", text, fixed = TRUE)
  number <- suppressWarnings(as.numeric(written))
  if (is.na(number)) scan_stop(s, sprintf("`%s` has %s; text must be in quotes", key, quoted(text)))
  list(kind = "number", value = number, text = sub("^[+]", "", written))
}

scan_text <- function(s) {
  line <- scan_line(s)
  mark <- scan_ch(s)
  long <- scan_ahead(s, strrep(mark, 3L))
  close <- if (long) strrep(mark, 3L) else mark
  scan_move(s, nchar(close))
  if (long && scan_ch(s) == "\n") scan_move(s)
  out <- list()
  while (!scan_ahead(s, close)) {
    if (scan_ch(s) == "" || !long && scan_ch(s) == "\n") {
      scan_stop(s, "a text is opened with a quote that is never closed", line)
    }
    out[[length(out) + 1L]] <- if (mark == "\"" && scan_ch(s) == "\\") scan_escape(s) else
      scan_run(s)
  }
  # Two quotes may stand before the three that close.
  while (long && scan_ahead(s, paste0(mark, close))) out[[length(out) + 1L]] <- scan_letter(s)
  scan_move(s, nchar(close))
  text <- enc2utf8(paste(unlist(out), collapse = ""))
  list(kind = "text", value = text, text = text)
}

# Reads up to the next special character; a special character is read alone.
scan_run <- function(s) {
  before <- findInterval(s$at, s$stops)
  if (before > 0L && s$stops[before] == s$at) {
    return(scan_letter(s))
  }
  end <- if (before < length(s$stops)) s$stops[before + 1L] else length(s$ch) + 1L
  letters <- s$ch[s$at:(end - 1L)]
  s$at <- end
  paste(letters, collapse = "")
}

scan_letter <- function(s) {
  letter <- scan_ch(s)
  scan_move(s)
  letter
}

scan_escape <- function(s) {
  scan_move(s)
  code <- scan_letter(s)
  if (grepl("^[[:space:]]$", code)) {
    # A line that goes on: its end and the blanks of the next are left away.
    while (grepl("^[[:space:]]$", scan_ch(s))) scan_move(s)
    return("")
  }
  n <- c(u = 4L, U = 8L)[code]
  if (!is.na(n)) {
    digits <- paste(s$ch[s$at + seq_len(n) - 1L], collapse = "")
    scan_move(s, n)
    return(intToUtf8(strtoi(digits, 16L)))
  }
  known <- c(b = "\b", t = "\t", n = "\n", f = "\f", r = "\r", "\"" = "\"", "\\" = "\\")
  if (!code %in% names(known)) {
    scan_stop(s, sprintf(
      "`\\%s` is not an escape in double quotes; write `\\\\`, or use single quotes",
      code))
  }
  known[[code]]
}

# Both agree ---------------------------------------------------------------

# Where keys stand, as both must see it.
toml_paths <- function(x, at = "") {
  if (!is.list(x)) {
    return(at)
  }
  names <- names(x) %||% sprintf("[%d]", seq_along(x))
  sort(c(at, unlist(Map(toml_paths, unclass(x), paste(at, names, sep = "/")), use.names = FALSE)),
    method = "radix")
}

node_paths <- function(node, at = "") {
  inside <- if (node$kind == "table") node$entries else
    if (node$kind == "tables" || is_table_list(node)) node$items
  if (is.null(inside)) {
    return(at)
  }
  names <- names(inside) %||% sprintf("[%d]", seq_along(inside))
  sort(c(at, unlist(Map(node_paths, inside, paste(at, names, sep = "/")), use.names = FALSE)),
    method = "radix")
}

is_table_list <- function(node) {
  node$kind == "list" &&
    all(vapply(node$items, function(item) item$kind %in% c("table", "list"), NA))
}
