# A study against its source: every question is compiled against the columns, and asked of a few
# made-up rows of the same types, so that what cannot be asked is found before anything is asked.

#' Check a study
#'
#' Reads a study, a TOML file, and says everything that is wrong with it at once: what is no
#' TOML, what a study does not have, names that are unknown or go in a circle, and what the
#' source does not have. Nothing is asked.
#'
#' @param path Path of the study.
#' @param ... Must be empty.
#' @param source Path of another file of order lines to check it against.
#' @returns A list of class `eggcrate_study_check`: `study` (its file's name), `title`, `parts` (a
#'   tibble with `name`, `command`, `question`) and `problems` (a tibble with `line`, `problem`,
#'   `hint`), without a row where nothing is wrong.
#' @section Errors: `eggcrate_error_data` when the file cannot be read; `eggcrate_error_package`
#'   when RcppTOML is not installed.
#' @seealso [run_study()]
#' @export
#' @examplesIf requireNamespace("RcppTOML", quietly = TRUE)
#' check_study(system.file("studies", "review.toml", package = "eggcrate"))
check_study <- function(path, ..., source = NULL) {
  call <- sys.call()[1L]
  check_no_dots(..., call = call)
  checked <- in_utf8({
    study <- load_study(path, call = call)
    with_study_source(study, source, function(study, s) study, call)
  })
  structure(list(study = basename(checked$path), title = checked$title %||% basename(checked$path),
    parts = tibble::tibble(name = vapply(checked$parts, `[[`, "", "name"),
      command = vapply(checked$parts, `[[`, "", "command"),
      question = vapply(checked$parts, part_words, "")),
    problems = tibble::tibble(line = vapply(checked$problems, function(p) as.integer(p$line), 1L),
      problem = vapply(checked$problems, `[[`, "", "text"),
      hint = vapply(checked$problems, `[[`, "", "hint"))),
    class = "eggcrate_study_check")
}

load_study <- function(path, set = list(), call = NULL) {
  need_package("RcppTOML", "read a study", call)
  check_one_path(path, call)
  if (!is_study_path(path)) {
    stop_eggcrate("call", "unknown_value",
      sprintf("A study is a .toml file, but '%s' is not.", path),
      i = sprintf("Begin one: `eggcrate study %s`.", path), call = call)
  }
  read_study(path, set, call)
}

# Of another source, seen from wherever the study is.
whole_address <- function(path) if (is_database_url(path)) whole_url(path) else
  normalizePath(path, mustWork = FALSE)

#' Goes on with a study and its opened source, in the folder of the study, which its paths start
#' from.
#' @param source Path of another file; NULL for the study's.
#' @param go Function of the study, with all its problems, and of the source, or NULL where it
#'   cannot be opened.
#' @noRd
with_study_source <- function(study, source, go, call = NULL) {
  if (!is.null(source)) study$source[c("file", "files")] <- list(whole_address(source), NULL)
  before <- setwd(dirname(normalizePath(study$path)))
  on.exit(setwd(before))
  file <- study_files(study)
  if (is.null(file)) {
    return(go(study, NULL))
  }
  reading <- study$source[setdiff(names(source_keys), c("file", "files", "date"))]
  reading$twice <- reading$twice %||% "refuse"
  # What is opened is not what is kept.
  study$source[c("file", "files")] <- lapply(study$source[c("file", "files")], without_passwords)
  s <- tryCatch(open_source(file, reading = reading, call = call), eggcrate_error = function(e) {
    if (!is.null(source)) stop(e)
    e
  })
  if (inherits(s, "error")) {
    line <- c(study$lines[intersect(c("source.file", "source.files"), names(study$lines))],
      1L)[[1L]]
    return(go(add_problem(study, line, s$header, c(s$details, s$hints)), NULL))
  }
  for (one in study$lookup) {
    joined <- tryCatch(with_lookups(s, list(one), call), eggcrate_error = identity)
    if (inherits(joined, "error")) {
      study <- add_problem(study, one$line, joined$header, c(joined$details, joined$hints))
    } else {
      s <- joined
    }
  }
  on.exit(source_close(s), add = TRUE)
  keep_tallies(s)
  # All parts see one moment.
  in_one_moment(s, function() go(check_parts(study, s), s))
}

study_files <- function(study) study$source$files %||% study$source$file

add_problem <- function(study, line, text, hint = NULL) {
  study$problems <- by_line(c(study$problems, list(a_problem(line, text, hint))))
  study
}

# Against the source -------------------------------------------------------

check_parts <- function(study, source) {
  uses <- study_uses(study, source)
  # All columns are read at once.
  source_schema(source, all_uses(uses))
  study <- check_study_columns(study, source)
  questions <- lapply(study$parts, function(part) part_args(study, part))
  trial <- trial_source(source, Filter(Negate(is.null), uses))
  for (i in seq_along(study$parts)) {
    study <- check_study_part(study, study$parts[[i]], questions[[i]], source, trial)
  }
  study
}

# The columns of all questions, so that the rows are read once.
study_uses <- function(study, source) {
  columns <- source_names(source)
  uses <- lapply(study$parts, function(part) {
    args <- part_args(study, part)
    tryCatch(read_asked(part$command, name_columns(args, columns))$use,
      eggcrate_error = function(e) mentioned(args, columns))
  })
  each <- study$for_each$column
  c(uses, list(list(all = c(columns[1L], each), values = character(), keys = c(columns[1L], each))))
}

# Of a question that cannot be read yet: the columns that stand in it.
mentioned <- function(args, columns) {
  texts <- unlist(Filter(function(value) is.character(value) || is.list(value), args))
  found <- unlist(lapply(texts, function(text) c(text, all.vars(parsed(text)))))
  found <- intersect(found, columns)
  list(all = found, values = found, keys = character())
}

# What concerns the study as a whole: its names, its condition, its date.
check_study_columns <- function(study, source) {
  columns <- source_names(source)
  for (name in intersect(names(study$names), columns)) {
    one <- study$names[[name]]
    study <- add_problem(study, one$line,
      sprintf("`%s` is in [%s] and a column of %s.", name, one$kind, source$name),
      "A bare name is a column, always: call it otherwise.")
  }
  refused <- function(args) question_error("standings",
    c(list(of = "count()", by = columns[1L]), args), source)
  alone <- list(where = study$where, date = study$source$date)
  for (key in names(Filter(Negate(is.null), alone))) {
    wrong <- refused(alone[key])
    if (is.null(wrong)) next
    line <- study$lines[[if (key == "date") "source.date" else key]]
    study <- add_problem(study, line, wrong$header, c(wrong$details, wrong$hints))
    if (key == "date") study$source["date"] <- list(NULL) else study["where"] <- list(NULL)
  }
  parts <- vapply(study$parts, `[[`, "", "name")
  if (!is.null(study$for_each$part) && !study$for_each$part %in% parts &&
    !length(study$for_each$asks)) {
    study <- add_problem(study, study$lines[["for_each"]],
      sprintf("`for_each` names a part %s that there is not.", quoted(study$for_each$part)),
      sprintf("The parts are %s.", enumerate(parts)))
  }
  if (!is.null(study$for_each) && !study$for_each$column %in% columns) {
    close <- close_names(study$for_each$column, columns)
    study <- add_problem(study, study$lines[["for_each"]],
      sprintf("There is no column `%s` in %s.", study$for_each$column,
        source$name),
      if (length(close)) sprintf("Did you mean %s?", enumerate(tick(close), "or")) else
      sprintf("Its columns are %s.", enumerate(tick(columns))))
  }
  study
}

#' The arguments of a part's question, with what the study says for all.
#' @param additional One more condition.
#' @noRd
part_args <- function(study, part, additional = NULL) {
  args <- part$args
  takes <- names(arguments_of(part$command))
  args$where <- all_conditions(c(study$where, args$where, additional))
  if ("as_of" %in% takes) args$as_of <- args$as_of %||% study$as_of
  if ("date" %in% takes) args$date <- args$date %||% study$source$date

  args[intersect(takes, names(args))]
}

all_conditions <- function(texts) {
  if (length(texts) > 1L) paste(sprintf("(%s)", texts), collapse = " & ") else texts
}

table_args <- function(args) Filter(function(name) grammar_arguments[[name]]$type == "table",
  names(args))

# Files of tables are read when the question is asked.
with_tables <- function(args, call = NULL) {
  of_files <- table_args(args)
  args[of_files] <- lapply(args[of_files], table_given, call = call)
  args
}

# The error of a question, or NULL. Values of second tables are checked, values of the order lines
# are not.
question_error <- function(command, args, source, trial = NULL, show = NULL) {
  tryCatch({
    args <- with_tables(args)
    check_asked(command, name_columns(args, source_names(source)),
      function(use) source_schema(source, use))
    if (!is.null(trial)) {
      x <- ask(command, args, trial)
      if (!is.null(show)) show(x)
    }
    NULL
  }, eggcrate_error_call = identity, eggcrate_error_file = identity,
    eggcrate_error_format = identity,
    eggcrate_error_data = function(e) if (isTRUE(e$of_table)) e)
}

check_study_part <- function(study, part, args, source, trial) {
  show <- function(x) {
    check_has_member(x, part, study$for_each$column)
    if (!is.null(part$shown$columns)) check_chosen(part$shown$columns, x)
    for (table in setdiff(part_tables(part), "items")) {
      answer_table(x, table, if (!is.null(part$shown$layout)) table_given(part$shown$layout),
        part$shown$shares)
    }
  }
  refused <- function(args) question_error(part$command, args, source, trial)
  lines <- argument_lines(study, part)
  found <- complaints_of(names(lines), args, refused, source)
  for (one in found) {
    line <- if (is.null(one$name)) part$line else lines[[one$name]]
    study <- add_problem(study, line, sprintf("%s: %s", part$name, one$error$header),
      c(one$error$details, plain_hints(one$error$hints),
        name_hint(args[[one$name %||% "none"]], study, source)))
  }
  if (!length(found)) {
    wrong <- question_error(part$command, args, source, trial, show)
    if (!is.null(wrong)) {
      at <- intersect(c(wrong$argument, "layout", "shares", "tables"), names(part$lines))
      study <- add_problem(study, c(part$lines[at], part$line)[[1L]],
        sprintf("%s: %s", part$name, wrong$header),
        c(wrong$details, plain_hints(wrong$hints)))
    }
  }
  study
}

# With `whole`, a page selects its rows by a column of the result.
check_has_member <- function(x, part, column) {
  if (isTRUE(part$shown$whole) && !is.null(column) && !column %in% names(as_plain(x))) {
    stop_eggcrate("call", "unknown_value",
      sprintf("`whole` needs the column `%s` of `for_each` in the result.", column),
      i = sprintf("Add `show = \"%s\"`.", column), fields = list(argument = "whole"))
  }
}

# A bare name that is nothing may be meant to be one of the study's.
name_hint <- function(value, study, source) {
  texts <- gsub(in_quotes, "", unlist(value)[vapply(unlist(value), is.character, NA)], perl = TRUE)
  bare <- unique(unlist(regmatches(texts, gregexpr(bare_names, texts, perl = TRUE))))
  bare <- setdiff(bare, c(source_names(source), language_names(), names(study$names)))
  close <- unique(unlist(lapply(bare, close_names, names(study$names), most = 1L)))
  if (length(close)) sprintf("Did you mean %s of the study?", enumerate(tick(close), "or"))
}

# Where each argument of a part stands: in the part, else where the study says it for all.
argument_lines <- function(study, part) {
  for_all <- c(as_of = "as_of", date = "source.date", where = "where")
  inherited <- unlist(lapply(for_all[for_all %in% names(study$lines)],
    function(key) study$lines[[key]]))
  c(part$lines, inherited[setdiff(names(inherited), names(part$lines))])
}

#' All complaints about a question, one argument after the other.
#' @param own Names of the arguments that may be at fault.
#' @param refused Function of arguments: the complaint about them, or NULL.
#' @return List of `name` (NULL where it is none of them) and `error`.
#' @noRd
complaints_of <- function(own, args, refused, source) {
  found <- list()
  while (length(found) < 12L) {
    wrong <- refused(args)
    if (is.null(wrong)) break
    name <- culprit(own, args, wrong, refused, source)
    found <- c(found, list(list(name = name, error = wrong)))
    if (is.null(name)) break
    args[name] <- list(stand_in(name, source))
  }
  found
}

# The argument without which there is no complaint, else the first without which it is another one.
culprit <- function(own, args, wrong, refused, source) {
  other <- NULL
  for (name in own[own %in% names(args)]) {
    after <- refused(replace(args, name, list(stand_in(name, source))))
    if (is.null(after)) return(name)
    if (is.null(other) && after$header != wrong$header && !says_missing(after, name)) other <- name
  }
  other
}

says_missing <- function(e, name) !is.null(e) && grepl(sprintf("^`%s` is missing", name), e$header)

# What an argument that a question cannot do without is replaced by while the others are checked.
stand_in <- function(name, source) {
  column <- source_names(source)[1L]
  switch(name, of = "count()", against = "other_measure = count()", by = , across = ,
    orders = column, target = "1",
    item = "x")
}

#' A few rows of the source's types, of which a question can be asked that the data need not answer.
#' @noRd
trial_source <- function(source, uses) {
  schema <- source_schema(source,
    Reduce(join_use, uses, list(all = character(), values = character(), keys = character())))
  columns <- Map(function(name, type) {
    switch(type, number = c(3, 2, 2, 1), text = c("a", "b", "c", "d"),
      flag = c(TRUE, FALSE, TRUE, NA),
      date = {
        days <- schema$range(name)
        ends <- c(days[1L] %||% 0, days[2L] %||% 0)
        # The last two days are near each other, as in most data.
        structure(c(ends[1L], mean(ends) %/% 1, max(ends[1L], ends[2L] - 1), ends[2L]),
          class = "Date")
      },
      rep(NA_character_, 4L))
  }, names(schema$types), schema$types)
  source_frame(structure(columns[!duplicated(names(columns))], row.names = 1:4,
    class = "data.frame"), source$name)
}

# Printing -----------------------------------------------------------------

part_words <- function(part) {
  paste(c(sprintf("%s by %s", as.character(part$args$of %||% "?"),
    enumerate(as.character(part$args$by %||% "?"))),
    if (!is.null(part$args$over)) paste("over", part$args$over),
    if (!is.null(part$args$within)) paste("within", enumerate(as.character(part$args$within)))),
    collapse = " ")
}

#' @export
format.eggcrate_study_check <- function(x, ..., width = cli::console_width()) {
  n <- nrow(x$problems)
  if (!n) {
    name <- format(x$parts$name)
    return(c(sprintf("%s: %s, nothing is wrong.", x$study, counted(nrow(x$parts), "part")), "",
      cut_lines(sprintf("  %s  %s  %s", name, format(x$parts$command), x$parts$question), width)))
  }
  lines <- unlist(Map(function(line, problem, hint) {
    c(strwrap(sprintf("Line %d: %s", line, harmless(problem)), width - 2L, exdent = 2L),
      if (nzchar(hint)) strwrap(harmless(hint), width - 2L, indent = 4L, exdent = 4L))
  }, x$problems$line, x$problems$problem, x$problems$hint))
  c(sprintf("%s: %s wrong.", x$study, if (n == 1L) "one thing is" else sprintf("%d things are", n)),
    "", lines)
}

cut_lines <- function(lines, width) {
  long <- nchar(lines, "width") > width
  lines[long] <- paste0(substr(lines[long], 1L, width - 1L), "\u2026")
  lines
}

#' @export
print.eggcrate_study_check <- function(x, ...) {
  print_lines(format(x))
  invisible(x)
}
