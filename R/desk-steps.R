# The trail: every step that was asked, in the order of asking. None is ever taken away; going back
# and asking on makes a branch, which remembers where it began.

#' A desk: what does not change (`source`, `columns`, `layout`, `study`), the trail, and where one
#' is in it.
#' @param study Entries of a study for this source: `source` (`file`, reading), `lookup`, `display`.
#' @noRd
new_desk <- function(source, study = list(), layout = NULL) {
  columns <- desk_columns(source)
  first <- desk_first(columns, source$n)
  # What is handed over names it.
  if (!is.null(study$source$file)) study$source$file <- without_passwords(study$source$file)
  list(source = source, columns = columns, study = study, layout = layout,
    answers = new.env(parent = emptyenv()),
    trail = list(c(first, list(from = 0L))), at = 1L, picked = character(), beside = 0L)
}

desk_step <- function(desk, at = desk$at) desk$trail[[at]]

#' @param slid What was moved: one step for the whole of a movement.
#' @noRd
add_step <- function(desk, step, slid = "") {
  now <- desk_step(desk)
  if (same_question(step, now)) {
    return(desk)
  }
  step$slid <- slid
  moving <- nzchar(slid) && identical(now$slid, slid) && desk$at == length(desk$trail) &&
    !nzchar(now$name)
  step$from <- if (moving) now$from else desk$at
  step$name <- ""
  at <- if (moving) desk$at else length(desk$trail) + 1L
  desk$trail[[at]] <- step
  desk$at <- at
  desk
}

go_to <- function(desk, at) {
  if (is_step_number(at, desk)) {
    desk$at <- as.integer(at)
    desk$picked <- character()
  }
  desk
}

is_step_number <- function(at, desk) is.numeric(at) && length(at) == 1L &&
  at %in% seq_along(desk$trail)

# In words -----------------------------------------------------------------

#' "Standings of sum(net_sales) by customer".
#' @noRd
step_sentence <- function(step) {
  said <- intersect(names(desk_words), names(step$args))
  paste(c(desk_kinds[[step$kind]]$title,
    sprintf("%s %s", desk_words[said], vapply(said, function(name) flat(step$args[[name]]), ""))),
    collapse = " ")
}

flat <- function(value) if (isTRUE(value)) "yes" else paste(field_lines(value), collapse = ", ")

#' What a step has otherwise than another.
#' @return Texts; none where they are alike.
#' @noRd
step_changes <- function(step, before) {
  # What the new kind of answer does not have is not missed.
  fields <- intersect(union(names(step$args), names(before$args)), step_fields(step$kind))
  changed <- Filter(function(name) !identical(said_of(step, name), said_of(before, name)), fields)
  words <- vapply(changed, function(name) {
    title <- field_word(name)
    if (is.null(step$args[[name]])) paste("no", title) else
      if (isTRUE(step$args[[name]])) title else paste(title, flat(step$args[[name]]))
  }, "")
  c(if (step$kind != before$kind) desk_kinds[[step$kind]]$title, unname(words),
    condition_changes(step, before),
    if (step$rows != before$rows) sprintf("%s rows", step$rows),
    if (step$chart != before$chart && nzchar(step$chart)) sprintf("drawn as %s",
      spaced_words(step$chart)))
}

said_of <- function(step, name) if (!is.null(step$args[[name]])) flat(step$args[[name]])

condition_changes <- function(after, before) {
  now <- conditions_on(after)
  then <- conditions_on(before)
  c(paste("where", setdiff(now, then), recycle0 = TRUE),
    paste("no longer where", setdiff(then, now), recycle0 = TRUE))
}

#' The line of the trail: all of the first step, of others what is new.
#' @noRd
step_line <- function(desk, at) {
  step <- desk_step(desk, at)
  if (nzchar(step$name)) {
    return(step$name)
  }
  if (step$from == 0L) step_sentence(step) else
    paste(step_changes(step, desk_step(desk, step$from)) %|0|% "as before", collapse = ", ")
}

#' Two steps next to each other: the values of each field that differs.
#' @return Columns `field`, `here`, `there`.
#' @noRd
step_differences <- function(here, there) {
  fields <- union(names(here$args), names(there$args))
  fields <- Filter(function(name) !identical(said_of(here, name), said_of(there, name)), fields)
  conditions <- function(step) paste(conditions_on(step), collapse = "; ")
  rows <- c(lapply(fields,
    function(name) c(field_title(name), said_of(here, name) %||% "", said_of(there, name) %||% "")),
    list(c("answer", desk_kinds[[here$kind]]$title, desk_kinds[[there$kind]]$title),
      c("where", conditions(here), conditions(there))))
  rows <- Filter(function(row) row[2L] != row[3L], rows)
  column <- function(i) vapply(rows, `[[`, "", i)
  list(field = column(1L), here = column(2L), there = column(3L))
}

# Handing over -------------------------------------------------------------

#' Chosen steps as R code, as commands, or as a study.
#' @param chosen Numbers of steps.
#' @return Lines.
#' @noRd
steps_as_code <- function(desk, chosen, form) {
  code <- if (form == "r") desk_r_code else desk_shell_code
  blocks <- lapply(chosen, function(at) {
    step <- desk_step(desk, at)
    c(paste("#", step_title(desk, at)), code(desk, step_command(step), step_args(step)), "")
  })
  head <- if (form == "r") c("library(eggcrate)", "", r_display(desk$study$display),
    if (length(own_display(desk$study$display))) "") else {
    c("#!/bin/sh",
      if (is.null(study_files(desk$study))) paste("# The table of R that was asked must be",
        "written into orders.csv first."), "")
  }
  c(head, unlist(blocks))
}

# A table of R has a name, and no file.
desk_r_code <- function(desk, command, args) {
  r_code(command, args, study_files(desk$study) %||% as.name(desk$source$name), desk$study$lookup,
    desk$study$source)
}

desk_shell_code <- function(desk, command, args) {
  paste0(shell_code(command, args, study_files(desk$study) %||% "orders.csv", desk$study$lookup,
    desk$study$source), shell_display(desk$study$display, command))
}

# Wherever the browser puts it, its paths are whole.
steps_as_study <- function(desk, chosen, path = "/desk.toml") {
  need_package("RcppTOML", "write a study")
  source <- desk$study$source
  lines <- new_study_lines(path, study_files(desk$study),
    source[setdiff(names(source), c("file", "files"))], desk$study$display,
    lookups = desk$study$lookup)
  known <- character()
  for (at in chosen) {
    step <- desk_step(desk, at)
    asked <- list(command = step_command(step), args = step_args(step))
    name <- part_name(NULL, asked, known)
    known <- c(known, name)
    shown <- step_part(step, layout = desk$layout)$shown
    if (identical(shown$rows, 10)) shown$rows <- NULL
    if (!is.character(shown$layout)) shown$layout <- NULL # a table of R has no path
    lines <- c(lines, "", paste("#", step_title(desk, at)),
      part_lines(asked, name, shown, dirname(path)))
  }
  lines
}

step_title <- function(desk, at) {
  step <- desk_step(desk, at)
  # It is part of a comment, which must not end before the line does.
  harmless(one_line(if (nzchar(step$name)) step$name else step_sentence(step)))
}
