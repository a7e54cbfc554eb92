# Writing a study: a question that was asked becomes a part, what is there stays as it is.

#' Add a question to a study
#'
#' Writes how a result was asked as a part of a study, a TOML file, which [run_study()] asks again.
#' What is in the file stays as it is, comments included; a file that is not there is made. The
#' study is read back before it takes its place.
#'
#' @param x A result: of [standings()], [pareto()], [assign_tiers()] and so on, with what [only()],
#'   [highlight()] and [in_order()] did.
#' @param path Path of the study.
#' @param ... Must be empty.
#' @param name What the part is to be called; by default after its command and what it ranks.
#' @param text A sentence of your own, shown below the finding.
#' @param file Path of the order lines, for a study that is not there yet; by default the file that
#'   was asked.
#' @returns The name of the part, invisibly.
#' @section Errors: `eggcrate_error_unknown_value` for a result that a single question cannot give,
#'   such as a drill, or that needs a table of R; `eggcrate_error_study` for a study with mistakes.
#' @seealso [run_study()]
#' @export
#' @examplesIf requireNamespace("RcppTOML", quietly = TRUE)
#' orders <- system.file("extdata", "orders.csv", package = "eggcrate")
#' customers <- standings(orders, of = sum(net_sales), by = customer)
#' study <- file.path(tempdir(), "mine.toml")
#' add_part(only(customers, top(10)), study, text = "The ten best.")
#' cat(readLines(study), sep = "\n")
add_part <- function(x, path, ..., name = NULL, text = NULL, file = NULL) {
  call <- sys.call()[1L]
  check_no_dots(..., call = call)
  need_package("RcppTOML", "write a study", call)
  if (missing(x)) stop_missing_arg("x", "Give the result to ask for again.", call)
  check_one_path(path, call)
  asked <- asked_of(x)
  check_asked_again(asked, x, call)
  origin <- answer_origin(x)
  invisible(in_utf8(keep_part(asked, path, name, list(text = text), file %||% origin_paths(origin),
    origin$reading,
    getOption("eggcrate.display"), call)))
}

check_asked_again <- function(asked, x, call = NULL) {
  if (is.null(asked)) {
    stop_eggcrate("call", "unknown_value",
      "`x` must be the result of a single question.",
      i = "A drill, or a result changed by hand, has no question of its own.",
      call = call)
  }
  if (length(asked$untold)) {
    stop_eggcrate("call", "unknown_value",
      sprintf("A study cannot say %s of this result.", enumerate(tick(asked$untold))),
      i = "Tables must be files, and values be written where they are used.", call = call)
  }
}

# The file that an answer came from, and how it was read.
answer_origin <- function(x) {
  handle <- unclass(attr(x, "eggcrate", exact = TRUE))$handle
  handle$origin
}

#' @param asked `command` and `args`.
#' @param shown What is to be shown, by the keys of a part.
#' @return The name of the part.
#' @noRd
keep_part <- function(asked, path, name = NULL, shown = list(), file = NULL, reading = list(),
  display = NULL, call = NULL, lookups = NULL) {
  there <- file.exists(path)
  before <- if (there) study_text(path, call) else
    new_study_lines(path, file, reading, display, call, lookups)
  before <- paste(before, collapse = "\n")
  known <- part_names_in(before, path, file, call)
  name <- part_name(name, asked, known, call)
  lines <- part_lines(asked, name, shown, dirname(path))
  after <- paste0(sub("\n*$", "\n", before), "\n", paste(lines, collapse = "\n"), "\n")
  check_kept(after, before, name, path, call)
  write_whole(path,
    function(place) write_new_(strsplit(sub("\n$", "", after), "\n", fixed = TRUE)[[1L]], place),
    overwrite = there)
  name
}

# Read back, it must be what it was with one part more.
check_kept <- function(after, before, name, path, call = NULL) {
  tree <- toml_tree(after)
  names <- if (!inherits(tree, "condition")) tree_part_names(tree)
  if (!identical(names, c(part_names_in(before, path, call = call), name))) {
    stop_eggcrate("call", "study",
      sprintf("A part cannot be added at the end of %s.", basename(path)),
      i = "Its parts must be headed by [[part]].", call = call)
  }
}

#' Names of the parts of a study that can take another.
#' @param file Path of the order lines, which must be those of the study; NULL if it is not known.
#' @noRd
part_names_in <- function(text, path, file = NULL, call = NULL) {
  tree <- toml_tree(text)
  if (inherits(tree, "condition")) {
    stop_eggcrate("call", "study", sprintf("%s is not valid TOML.", basename(path)),
      x = sprintf("Line %d: %s", tree$line, tree$text),
      i = "Correct it first; nothing was written.",
      call = call)
  }
  if (!is.null(tree$entries[["eggcrate"]]) &&
    !identical(tree$entries[["eggcrate"]]$value, study_version)) {
    stop_eggcrate("call", "study", sprintf("%s is of another version.", basename(path)),
      call = call)
  }
  if (!is.null(tree$entries[["part"]]) && tree$entries[["part"]]$kind != "tables") {
    stop_eggcrate("call", "study",
      sprintf("A part cannot be added at the end of %s.", basename(path)),
      i = "Its parts must be headed by [[part]].", call = call)
  }
  check_same_source(tree, path, file, call)
  tree_part_names(tree)
}

# A question of another file would not be answered by this one.
check_same_source <- function(tree, path, file, call = NULL) {
  entries <- tree$entries[["source"]]$entries
  own <- unlist(lapply(entries[intersect(c("file", "files"), names(entries))], texts_value))
  if (is.null(file) || is.null(own)) {
    return(invisible())
  }
  whole <- function(paths) normalizePath(unlist(lapply(paths, function(one) {
    if (is_database_url(one)) kept_url(one, normalizePath) else
      if (grepl("[*?]", one)) Sys.glob(one) else if (dir.exists(one)) expand_paths(one) else one
  })), mustWork = FALSE)
  from <- function(one) if (startsWith(one, "/")) one else file.path(dirname(path), one)
  theirs <- whole(vapply(own,
    function(one) if (is_database_url(one)) kept_url(one, from) else from(one), ""))
  if (!setequal(theirs, whole(file))) {
    stop_eggcrate("call", "unknown_value",
      sprintf("%s is a study of %s, and this was asked of %s.", basename(path),
        enumerate(basename(own), most = 3L), enumerate(basename(file), most = 3L)),
      i = "Name another study.", call = call)
  }
}

tree_part_names <- function(tree) {
  vapply(tree$entries[["part"]]$items,
    function(part) as.character(part$entries[["name"]]$value %||% "?"), "")
}

part_name <- function(name, asked, known, call = NULL) {
  if (!is.null(name)) {
    if (!is_part_name(name)) {
      stop_eggcrate("call", "unknown_value", sprintf("A part cannot be called %s.", quoted(name)),
        i = part_name_hint, call = call)
    }
    if (tolower(name) %in% tolower(known)) {
      stop_eggcrate("call", "name", sprintf("The study has a part %s already.", quoted(name)),
        i = "Give it another name.", call = call)
    }
    return(name)
  }
  words <- c(asked$command, unlist(asked$args$by))
  base <- gsub("(^-+|-+$)", "", gsub("[^a-z0-9]+", "-", tolower(paste(words, collapse = "-"))))
  base <- substr(base, 1L, 50L)
  tries <- c(base, paste0(base, "-", seq_along(known) + 1L))
  tries[!tries %in% tolower(known)][1L]
}

# TOML ---------------------------------------------------------------------

new_study_lines <- function(path, file, reading, display, call = NULL, lookups = NULL) {
  if (is.null(file)) {
    stop_eggcrate("call", "unknown_value",
      "The study must say where its rows come from, and these came from no file.",
      i = "Name it: `file = \"orders.csv\"`.", call = call)
  }
  title <- spaced_name(study_stem(path))
  reading <- c(Filter(Negate(is.null), reading["date"]), reading_given(reading))
  c(sprintf("eggcrate = %d", study_version), toml_line("title", title), "", "[source]",
    toml_line(if (length(file) > 1L) "files" else "file",
      vapply(file, path_from, "", dirname(path), USE.NAMES = FALSE)), toml_lines(reading),
    unlist(lapply(lookups, function(one) {
      c("", "[[lookup]]", toml_line("file", path_from(one$file, dirname(path))),
        if (!is.null(one$by)) toml_line("by", as.list(one$by)))
    })), display_lines(display))
}

display_lines <- function(display) {
  own <- own_display(display)
  if (length(own)) c("", "[display]", toml_lines(own))
}

# A path, or an address without its password, as it is written from a folder, whole where that is
# another branch.
path_from <- function(path, folder) {
  if (is_database_url(path)) {
    return(kept_url(path, function(place) path_from(place, folder)))
  }
  path <- normalizePath(path, mustWork = FALSE)
  folder <- normalizePath(folder, mustWork = FALSE)
  up <- character()
  repeat {
    at <- if (folder == "/") "/" else paste0(folder, "/")
    if (startsWith(path, at) || length(up) > 2L) break
    up <- c(up, "..")
    folder <- dirname(folder)
  }
  if (startsWith(path, at) && at != "/") paste(c(up, substring(path, nchar(at) + 1L)),
    collapse = "/") else path
}

part_lines <- function(asked, name, shown = list(), folder = ".") {
  args <- asked$args
  of_files <- names(args)[vapply(names(args), function(arg) is_path_of(args[[arg]], arg), NA)]
  args[of_files] <- lapply(args[of_files], path_from, folder)
  shown <- Filter(Negate(is.null), shown)
  if (!is.null(shown$layout)) shown$layout <- path_from(shown$layout, folder)
  c("[[part]]", toml_line("name", name), toml_line("command", asked$command),
    toml_lines(shown["text"[!is.null(shown$text)]]),
    toml_lines(args), toml_lines(shown[setdiff(names(shown), "text")]))
}

is_path_of <- function(value, name) {
  type <- grammar_arguments[[name]]$type
  is.character(value) && length(value) == 1L &&
    (type == "table" || type == "target" && file.exists(value))
}

toml_lines <- function(values) unlist(Map(toml_line, names(values), values), use.names = FALSE)
toml_line <- function(name, value) sprintf("%s = %s", name, toml_value(value))

toml_value <- function(value) {
  if (is.list(value)) value <- unlist(value)
  if (!is.null(names(value))) {
    if (anyNA(value)) return(toml_value(names(value)))
    keys <- ifelse(grepl("^[A-Za-z0-9_-]+$", names(value)), names(value), toml_text(names(value)))
    return(sprintf("{ %s }", paste(keys, "=", vapply(value, toml_value, ""), collapse = ", ")))
  }
  if (length(value) != 1L) {
    return(sprintf("[%s]",
      paste(vapply(value, toml_value, "", USE.NAMES = FALSE), collapse = ", ")))
  }
  if (is.logical(value)) {
    return(if (value) "true" else "false")
  }
  if (is.numeric(value)) {
    return(number_text(value))
  }
  toml_text(value)
}

# In single quotes where that spares marks of escape.
toml_text <- function(x) {
  ifelse(grepl("[\"\\\\]", x) & !grepl("['[:cntrl:]]", x), paste0("'", x, "'"),
    paste0("\"", toml_escaped(x), "\""))
}

toml_escaped <- function(x) {
  x <- gsub("\"", "\\\"", gsub("\\", "\\\\", x, fixed = TRUE), fixed = TRUE)
  vapply(strsplit(x, ""), function(letters) {
    acts <- grepl("[\u0001-\u001f\u007f]", letters, perl = TRUE)
    letters[acts] <- vapply(letters[acts], written_letter, "")
    paste(letters, collapse = "")
  }, "")
}

# Beginning a study --------------------------------------------------------

#' The lines of a study of a file, with the parts that its columns suggest and a line on why each.
#' @noRd
begin_study <- function(file, reading, path, call = NULL) {
  looked <- check_columns_of(file, reading, call)
  named <- suggested_columns(looked)
  if (is.null(named$measure) || is.null(named$item)) {
    stop_data("columns",
      sprintf("%s has no column to %s.", basename(file),
        if (is.null(named$measure)) "add up" else "rank"),
      i = paste("A study needs a column of numbers, and one of names; write one by hand, or add",
        "parts with --add-to."), call = call)
  }
  head <- new_study_lines(path, file, reading, NULL, call)
  head <- c(paste("# A study: run it with `eggcrate run`, check it with `eggcrate check`. Change",
    "what you like."), head)
  if (!is.null(named$date)) head <- append(head,
    c("# This date decides which periods are complete.", toml_line("date", named$date)),
    length(head))
  if (!is.null(named$profit)) {
    head <- c(head, "", "[display]", toml_line("money", c(named$measure, named$profit)),
      sprintf("percent = [%s]", toml_text(ratio_name(named))))
  }
  c(head, unlist(lapply(suggested_parts(named), function(part) {
    c("", paste("#", strwrap(part$why, 100)), part_lines(part, part$name, part$shown))
  })))
}

check_columns_of <- function(file, reading, call = NULL) {
  looked <- check_sales(file, encoding = reading$encoding %||% "UTF-8",
    separator = reading$separator, decimal = reading$decimal,
    dates = reading$dates, sheet = reading$sheet)
  looked[c("columns", "rows")]
}

# Which columns are what, by their types, how many values they have, and the words in their names.
suggested_columns <- function(looked) {
  columns <- looked$columns
  known <- columns$values > 0.5 * looked$rows
  is_key <- grepl("(^|_| )(id|no|nr|number|code|key)$", tolower(columns$column))
  numbers <- columns$column[columns$type == "number" & known & !is_key & columns$different > 2]
  money <- grepl("sales|revenue|amount|value|turnover|net|total", tolower(numbers))
  profit <- numbers[grepl("profit|margin|contribution", tolower(numbers))]
  measure <- c(setdiff(numbers[money], profit), setdiff(numbers, profit), numbers)[1L]
  text <- columns[columns$type == "text" & known & !is_key, ]
  text <- text[text$different >= 2 & text$different < looked$rows, ]
  text <- text[order(-text$different), ]
  order_no <- columns$column[is_key & columns$different > 1 & columns$different < columns$values]
  date <- columns$column[columns$type == "date" & known & columns$different > 2]
  pick <- function(x) if (length(x) && !is.na(x[1L])) x[1L]
  named <- function(pattern) pick(text$column[grepl(pattern, tolower(text$column))])
  item <- named("customer|client|account") %||% pick(text$column)
  small <- text$column[text$different <= 40 & text$column != (item %||% "")]
  list(measure = pick(measure), profit = pick(setdiff(profit, measure)), item = item,
    product = pick(setdiff(named("product|article|item|sku") %||% character(), item)),
    group = named("region|area|country|store|branch") %||% pick(rev(small)), small = small,
    date = pick(date),
    order_no = pick(order_no))
}

suggested_parts <- function(named) {
  of <- sprintf("sum(%s)", tick_odd(named$measure))
  item <- tick_odd(named$item)
  part <- function(name, command, why, ..., shown = list()) {
    list(name = name, command = command, why = why,
      args = Filter(Negate(is.null), list(of = of, ...)), shown = shown)
  }
  month <- if (!is.null(named$date)) sprintf("month(%s)", tick_odd(named$date))
  quarter <- if (!is.null(named$date)) sprintf("quarter(%s)", tick_odd(named$date))
  margin <- if (!is.null(named$profit)) sprintf("%s = sum(%s) / %s", ratio_name(named),
    tick_odd(named$profit), of)
  parts <- list(
    part("findings", "findings", "What stands out: read this first.", by = item, over = quarter,
      against = margin),
    if (!is.null(month)) part("last-month", "changes",
      sprintf("%s has dates: the last complete month next to the one before.", named$date),
      by = item, over = month),
    part("few", "pareto",
      sprintf("How few %s account for 80%% of %s.", plural(spaced_words(named$item)),
        named$measure), by = item, reach = "80%"),
    part("tiers", "tiers", "Tiers by cumulative share; put your own thresholds here.", by = item,
      scheme = "tiers_by_share(c(A = \"80%\", B = \"95%\"), rest = \"C\")"),
    if (!is.null(named$product)) part("products", "standings",
      sprintf("%s is ranked too.", capital(named$product)), by = tick_odd(named$product)),
    if (!is.null(named$group)) part("groups", "standings",
      sprintf("%s has few values: each one's share.", capital(named$group)),
      by = tick_odd(named$group)),
    if (!is.null(margin)) part("two-measures", "quadrants",
      sprintf("%s is there too: who is big and poor.", capital(named$profit)),
      by = item, against = margin),
    if (!is.null(quarter) && !is.null(named$group)) part("course", "grid",
      "Each one's quarters, shaded in its row.",
      by = tick_odd(named$group), across = quarter, along = "rows"))
  Filter(Negate(is.null), parts)
}

ratio_name <- function(named) paste0(gsub("[^A-Za-z0-9]+", "_", named$profit), "_share")
