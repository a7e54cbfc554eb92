# A step: one question as the fields of the page have it, all text. Kinds of answers and their
# fields follow from the grammar.

#' Kinds of results: the command of each, and its chart if that is not the default one.
#' @noRd
desk_kinds <- list(
  standings = list(title = "Standings", command = "standings"),
  pareto = list(title = "Pareto", command = "pareto"),
  tiers = list(title = "Tiers", command = "tiers"),
  quadrants = list(title = "Quadrants", command = "quadrants"),
  changes = list(title = "Changes", command = "changes"),
  targets = list(title = "Targets", command = "targets"),
  grid = list(title = "Grid", command = "grid"),
  movement = list(title = "Movement", command = "movement"),
  tiles = list(title = "Tiles", command = "standings", chart = "tiles"),
  concentration = list(title = "Concentration", command = "concentration"),
  extremes = list(title = "Best and worst", command = "extremes"),
  findings = list(title = "Findings", command = "findings")
)

# Fields that read as a sentence, in this order; the words before them.
desk_words <- c(of = "of", against = "against", by = "by", across = "across",
  within = "within each", over = "over",
  from = "from", to = "to", target = "against target", scheme = "in tiers", reach = "up to")

# Conditions are lines of their own; tables of the caller's are no fields.
desk_left_out <- c("where", "item", "all_items", "others")

#' @param kind One of `desk_kinds`.
#' @param args Named list of texts, and TRUE for what is switched on.
#' @param conditions List of `text` and `on`.
#' @param rows How many rows are shown, as text.
#' @param name What the analyst calls it.
#' @param chart One of the kind's figures; "" for the natural one.
#' @noRd
new_step <- function(kind, args, conditions = list(), rows = "10", name = "", chart = "") {
  stopifnot(kind %in% names(desk_kinds), is.list(args), is.list(conditions))
  list(kind = kind, args = Filter(is_told, args[intersect(names(args), step_fields(kind))]),
    conditions = conditions,
    rows = rows, name = name, chart = if (chart %in% kind_charts(kind)) chart else "")
}

# Figures to choose from; tiles are a kind of their own.
kind_charts <- function(kind) {
  if (!is.null(desk_kinds[[kind]]$chart)) return(character())
  setdiff(grammar_commands[[desk_kinds[[kind]]$command]]$charts, "tiles")
}

is_told <- function(value) isTRUE(value) || is.character(value) && any(nzchar(trimws(value)))

step_command <- function(step) desk_kinds[[step$kind]]$command

step_fields <- function(kind) setdiff(names(arguments_of(desk_kinds[[kind]]$command)),
  desk_left_out)

#' A step from what the page sent: only what a page may send becomes one.
#' @noRd
step_of_page <- function(given) {
  text <- function(value) if (is.character(value) && length(value) == 1L &&
    !is.na(value)) substr(value, 1L, 5000L) else ""
  given <- if (is.list(given)) given
  kind <- text(given$kind)
  if (!kind %in% names(desk_kinds)) kind <- "standings"
  args <- lapply(as.list(given$args)[intersect(names(given$args), step_fields(kind))],
    function(value) if (isTRUE(value)) TRUE else text(value))
  conditions <- lapply(Filter(is.list, utils::head(as.list(given$conditions), 100L)),
    function(one) list(text = text(one$text), on = isTRUE(one$on)))
  rows <- text(given$rows)
  new_step(kind, args, Filter(function(one) nzchar(trimws(one$text)), conditions),
    if (rows %in% desk_row_counts) rows else desk_row_counts[1L], chart = text(given$chart))
}

desk_row_counts <- c("10", "25", "100", "1000")

#' The question of a step as `ask()` takes it.
#' @noRd
step_args <- function(step) {
  texts <- Map(function(value, name) {
    argument <- argument_of(step_command(step), name)
    if (argument$type == "target" && is_text_target(one_line(value))) {
      stop_eggcrate("call", "unknown_value", "The desk reads no additional files.",
        i = paste("A target is a column, previous(), year_ago() or a number here; give columns",
          "from a second file by a lookup."))
    }
    if (isTRUE(argument$repeated)) {
      as.list(field_lines(value))
    } else if (argument$type == "switch") {
      if (isTRUE(value)) "no" # its field switches it off
    } else if (isTRUE(value)) TRUE else one_line(value)
  }, step$args, names(step$args))
  args <- Filter(Negate(is.null), asked_args(step_command(step), texts, field_title))
  args$where <- all_conditions(conditions_on(step)) %|0|% NULL
  Filter(Negate(is.null), args)
}

# Is the text not an expression? Then it could be the path of a file, with or without quotes.
is_text_target <- function(text) is.character(percent_as_number(target_expression(text) %||% ""))

# Of several, one to a line.
field_lines <- function(text) {
  lines <- trimws(strsplit(text, "\n", fixed = TRUE)[[1L]])
  lines[nzchar(lines)]
}

one_line <- function(text) trimws(gsub("[\r\n]+", " ", text))

field_title <- function(name) gsub("_", " ", name)

# As it reads in the sentence.
field_word <- function(name) if (name %in% names(desk_words)) desk_words[[name]] else
  field_title(name)

# The conditions of a step that hold.
conditions_on <- function(step) {
  as.character(unlist(lapply(step$conditions, function(one) if (one$on) one_line(one$text))))
}

#' The step as a part of a study, which it is asked and shown as.
#' @param layout Where regions lie, for tiles.
#' @noRd
step_part <- function(step, name = "answer", layout = NULL) {
  chart <- desk_kinds[[step$kind]]$chart %||% if (nzchar(step$chart)) step$chart
  list(name = name, command = step_command(step), args = step_args(step),
    shown = list(charts = chart, rows = as.numeric(step$rows),
      layout = if (identical(chart, "tiles")) layout))
}

#' The problem of a field, next to the field.
#' @return Named list of texts: by field, `condition 1` and so on, or `question` for the whole.
#' @noRd
step_complaints <- function(step, source) {
  wrong_line <- function(one) {
    if (one$on) {
      question_error("standings",
        list(of = "count()", by = tick_odd(source_names(source)[1L]), where = one_line(one$text)),
        source)
    }
  }
  lines <- lapply(step$conditions, wrong_line)
  names(lines) <- sprintf("condition %d", seq_along(lines))
  lines <- Filter(Negate(is.null), lines)
  args <- tryCatch(step_args(step), eggcrate_error = identity)
  if (inherits(args, "error")) {
    return(lapply(c(lines, list(question = args)), complaint_line))
  }
  if (length(lines)) args$where <- NULL
  refused <- function(args) question_error(step_command(step), args, source)
  found <- complaints_of(names(args), args, refused, source)
  errors <- with_names(lapply(found, `[[`, "error"),
    vapply(found, function(one) one$name %||% missing_field(one$error), ""))
  lapply(c(lines, errors), complaint_line)
}

# "`by` is missing." belongs to its field.
missing_field <- function(e) {
  shape <- "^`([a-z_]+)` is missing.*$"
  if (grepl(shape, e$header)) sub(shape, "\\1", e$header) else "question"
}

complaint_line <- function(e) paste(complaint_lines(e), collapse = " ")

# What is typed is the same question where only blanks differ.
same_question <- function(a, b) identical(question_of(a), question_of(b))

question_of <- function(step) {
  args <- lapply(step$args, function(value) if (is.character(value)) field_lines(value) else value)
  list(step$kind, args[order(names(args))],
    lapply(step$conditions, function(one) list(one_line(one$text), one$on)), step$rows, step$chart)
}
