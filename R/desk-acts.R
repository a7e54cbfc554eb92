# What the page may ask of the desk. Each act takes the desk and what the page sent, and returns the
# desk as it is then, which views are new, and what was wrong. Nothing here knows of a browser.

#' @param views Names of views that are new.
#' @param wrong Named texts: complaints by field; NULL where the fields were not looked at.
#' @param step The step that is shown, where it is not in the trail yet.
#' @param take A file to hand over: `name`, `type`, `content` (lines or raw).
#' @noRd
after_act <- function(desk, views = character(), wrong = NULL, step = desk_step(desk), take = NULL,
  word = NULL) {
  list(desk = desk, views = views, wrong = wrong, step = step, take = take, word = word)
}

answer_views <- c("finding", "moving", "table", "picked", "trail", "beside")
all_views <- c("sentence", answer_views)

#' @param sent What the page sent: `what`, and what the act needs.
#' @noRd
desk_act <- function(desk, sent) {
  what <- sent$what
  act <- if (is.character(what) && length(what) == 1L &&
    what %in% names(desk_acts)) desk_acts[[what]]
  if (is.null(act)) after_act(desk) else act(desk, sent)
}

desk_acts <- list(
  hello = function(desk, sent) after_act(desk, all_views),
  check = function(desk, sent) after_act(desk,
    wrong = step_complaints(step_of_page(sent$question), desk$source)),
  ask = function(desk, sent) {
    step <- step_of_page(sent$question)
    before <- desk$draft %||% desk_step(desk)
    other <- step$kind != before$kind
    step <- without_names(step, before)
    if (other) step <- turned_step(step, before, desk$columns)
    asked_step(desk, step,
      if (other || !identical(step$args, step_of_page(sent$question)$args)) "sentence")
  },
  slide = function(desk, sent) {
    result <- step_result(desk, desk_step(desk))
    id <- as.character(sent$id)[1L]
    known <- if (is_answered(result)) vapply(step_thresholds(desk_step(desk), result$x), `[[`, "",
      "id")
    if (!id %in% known) {
      return(after_act(desk))
    }
    step <- move_threshold(desk_step(desk), id, sent$value, result$x)
    if (isTRUE(sent$final)) asked_step(desk, step, "sentence", slid = id) else
      after_act(desk, c("finding", "table"), step = step)
  },
  only = function(desk, sent) {
    step <- desk_step(desk)
    step$args$only <- if (is_told(sent$selection)) one_line(sent$selection)
    asked_step(desk, step, "sentence")
  },
  pick = function(desk, sent) {
    result <- step_result(desk, desk_step(desk))
    if (has_items(result)) {
      desk$picked <- picked_names(desk$picked,
        names_of_rows(drop_others(result$x), sent_rows(sent$rows)), as.character(sent$how)[1L])
    }
    after_act(desk, "picked")
  },
  follow = function(desk, sent) {
    step <- step_from_picked(desk, as.character(sent$how)[1L], as.character(sent$by %||% "")[1L])
    if (is.null(step)) {
      return(after_act(desk, word = "This cannot be asked of what is picked."))
    }
    if (!identical(sent$how, "mark")) desk$picked <- character()
    asked_step(desk, step, "sentence")
  },
  go = function(desk, sent) {
    desk <- go_to(desk, sent$to)
    desk$draft <- NULL
    after_act(desk, all_views, wrong = list())
  },
  beside = function(desk, sent) {
    desk$beside <- if (is_step_number(sent$to, desk) &&
      !identical(as.integer(sent$to), desk$beside)) as.integer(sent$to) else 0L
    after_act(desk, c("beside", "trail"))
  },
  name = function(desk, sent) {
    name <- one_line(substr(as.character(sent$name)[1L], 1L, 200L))
    if (is_step_number(sent$at, desk) && !is.na(name)) desk$trail[[sent$at]]$name <- name
    after_act(desk, "trail")
  },
  take = function(desk, sent) {
    taken <- tryCatch(taken_file(desk, as.character(sent$form)[1L], sent_rows(sent$chosen)),
      eggcrate_error = identity)
    if (inherits(taken, "error")) after_act(desk, word = complaint_line(taken)) else
      after_act(desk, take = taken)
  }
)

# A step that can be asked joins the trail; of one that cannot be, what is wrong is said.
asked_step <- function(desk, step, additional = NULL, slid = "") {
  wrong <- step_complaints(step, desk$source)
  if (length(wrong)) {
    desk$draft <- step
    return(after_act(desk, additional, wrong, desk_step(desk)))
  }
  desk$draft <- NULL
  desk <- add_step(desk, step, slid)
  after_act(desk, unique(c(additional, answer_views)), wrong = list())
}

#' Changes the kind of the question. Fields of the former kind are cleared, and required fields of
#' the new kind are filled in.
#' @noRd
turned_step <- function(step, before, columns) {
  old <- kind_needs(before$kind, columns, step$args$of)
  new <- kind_needs(step$kind, columns, step$args$of)
  type <- function(name, kind) argument_of(desk_kinds[[kind]]$command, name)$type
  stale <- Filter(function(name) identical(step$args[[name]], old$args[[name]]) ||
    name %in% step_fields(before$kind) &&
    type(name, step$kind) != type(name, before$kind), names(step$args))
  step$args[stale] <- NULL
  step$conditions <- Filter(function(one) !one$text %in% old$condition, step$conditions)
  step$args <- c(step$args, new$args[setdiff(names(new$args), names(step$args))])
  if (!length(step$conditions) && length(new$condition)) {
    step$conditions <- list(list(text = new$condition, on = TRUE))
  }
  step
}

# Items that were named are those of the column before.
without_names <- function(step, before) {
  if (!identical(said_of(step, "by"), said_of(before, "by"))) {
    for (name in intersect(c("highlight", "only"), names(step$args))) {
      lines <- field_lines(step$args[[name]])
      step$args[[name]] <- paste(lines[!grepl("items(", lines, fixed = TRUE)], collapse = "\n")
    }
    step$args <- Filter(is_told, step$args)
  }
  step
}

# What a kind of answer cannot do without, from the columns.
kind_needs <- function(kind, columns, of = NULL) {
  of_type <- function(type) tick_odd(columns_of_type(columns, type))
  date <- of_type("date")[1L]
  dated <- !is.na(date)
  profit <- grep("profit|margin|contribution", of_type("number"), ignore.case = TRUE,
    value = TRUE)[1L]
  over <- function(unit) if (dated) sprintf("%s(%s)", unit, date)
  ratio <- if (is.na(profit)) "lines = count()" else
    sprintf("margin = sum(%s) / %s", profit, of %||% "count()")
  args <- switch(kind, changes = list(over = over("month")),
    targets = list(over = over("month"), target = "previous()"),
    movement = , extremes = , findings = list(over = over("quarter")),
    tiles = list(also = if (!is.na(profit)) sprintf("profit = sum(%s)", profit)),
    grid = list(across = over("quarter") %||% of_type("text")[1L]),
    quadrants = list(against = ratio))
  list(args = Filter(function(value) !is.null(value) && !is.na(value), as.list(args)),
    condition = if (kind == "targets" && dated) sprintf("in_period(%s, latest(month))", date))
}

sent_rows <- function(rows) {
  rows <- if (is.atomic(rows) || is.list(rows)) unlist(Filter(is.numeric, as.list(rows)))
  rows <- as.numeric(rows)
  utils::head(rows[!is.na(rows)], 100000L)
}

picked_names <- function(before, names, how) {
  switch(how, also = unique(c(before, names)),
    toggle = c(setdiff(before, names), setdiff(names, before)), none = character(), names)
}

# Handing over -------------------------------------------------------------

#' A file of the current step, or of the chosen ones.
#' @return `name`, `type` (a MIME type) and `content` (lines, or raw).
#' @noRd
taken_file <- function(desk, form, chosen) {
  chosen <- Filter(function(at) is_step_number(at, desk), chosen)
  if (!length(chosen)) chosen <- desk$at
  result <- step_result(desk, desk_step(desk))
  if (form %in% c("csv", "xlsx", "png", "svg") && !is_answered(result)) {
    stop_data("columns", "There is no result to export.", i = "Correct the question first.")
  }
  file <- function(name, type, content) list(name = name, type = type, content = content)
  switch(form,
    csv = file("answer.csv", "text/csv; charset=utf-8", sub("\n$", "", answer_csv(result$x))),
    xlsx = file("answer.xlsx", "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
      written_bytes(".xlsx", function(path) {
        need_package("openxlsx", "write a workbook")
        write_workbook(answer_book(result$x, sheet_tables(result$x)), path)
      })),
    png = , svg = file(paste0("figure.", form), c(png = "image/png", svg = "image/svg+xml")[[form]],
      written_bytes(paste0(".", form),
        function(path) write_chart(desk_chart(result), path))),
    html = file("answers.html", "text/html; charset=utf-8", steps_as_page(desk, chosen)),
    toml = file("desk.toml", "application/toml; charset=utf-8", steps_as_study(desk, chosen)),
    r = file("desk.R", "text/plain; charset=utf-8", steps_as_code(desk, chosen, "r")),
    sh = file("desk.sh", "text/x-shellscript; charset=utf-8", steps_as_code(desk, chosen, "shell")),
    stop_unknown_value("the form", form, c("csv", "xlsx", "png", "svg", "html", "toml", "r", "sh")))
}

desk_chart <- function(result) {
  if (!length(result$charts)) {
    stop_data("columns", "This result has no chart.",
      i = if (length(result$no_chart)) paste(result$no_chart, collapse = " "))
  }
  result$charts[[1L]]
}

written_bytes <- function(ending, write) {
  path <- tempfile("eggcrate-", fileext = ending)
  on.exit(unlink(path))
  with_all_signs(write(path))
  readBin(path, "raw", file.size(path))
}

#' A page of the chosen steps, as a study makes it.
#' @return Lines.
#' @noRd
steps_as_page <- function(desk, chosen) {
  folder <- tempfile("eggcrate-")
  dir.create(file.path(folder, "charts"), recursive = TRUE)
  on.exit(unlink(folder, recursive = TRUE))
  with_all_signs({
    pieces <- lapply(chosen, function(at) {
      result <- run_part(list(),
        step_part(desk_step(desk, at), sprintf("step-%d", at), desk$layout), desk$source)
      result <- shown_result(result)
      for (name in names(result$charts)) {
        write_charts(result$charts[[name]],
          file.path(folder, "charts", sprintf("%s-%s.svg", result$part$name, name)))
      }
      piece <- page_piece_of(result, folder, list())
      if (is_answered(result)) piece$asked <- desk_asked(desk, result)
      piece
    })
    title <- sprintf("Answers from %s", desk$source$name)
    page_lines(list(title = title, text = NULL,
      facts = sprintf("%s of %s", counted(desk$source$n, "row"), desk$source$name),
      pieces = pieces, made = made_by()))
  })
}
