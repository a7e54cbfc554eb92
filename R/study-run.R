# Running a study: one opened source, every part asked of it, the answers written into one folder.

#' Run a study
#'
#' Runs every part of a study, a TOML file, and writes a folder: a page (`index.html`), a workbook,
#' tables as CSV, charts as SVG and PNG, the receipts, and the study itself. The study is checked as
#' a whole before any part runs. If a part fails, the page reports it and the others still run. The
#' same study on the same data gives the same bytes.
#'
#' @param path Path of the study.
#' @param out The folder to write. It is made beside its place and moved there whole.
#' @param ... Must be empty.
#' @param overwrite Whether a folder that a study was run into before may be replaced. Any other
#'   folder is never replaced.
#' @param source Path of another file of order lines, in the place of the study's.
#' @param as_of The day that counts as today, in the place of the study's: `"2026-03-31"`.
#' @param only Names of the parts to run; all by default.
#' @param set Values in the place of those in `[values]`: `list(limit = 160000)`.
#' @param since A folder of an earlier run to compare with; by default the one that is replaced.
#' @param pdf Whether to write the page as PDF too, which needs Chromium.
#' @param quiet Whether to say nothing while it runs.
#' @returns A tibble of class `eggcrate_run`, invisibly, one row per part: `name`, `command`,
#'   `finding`, `problem` (missing where it was answered), `answer` (a list of results). Its
#'   attribute `out` is the folder, and `failed` counts what could not be answered, pages for each
#'   included.
#' @section Errors: `eggcrate_error_study` for a study that has mistakes;
#'   `eggcrate_error_file_exists` for a folder that is there; `eggcrate_error_data` for a source
#'   that cannot be read.
#' @seealso [check_study()], [add_part()]
#' @export
#' @examplesIf all(vapply(c("RcppTOML", "htmltools", "svglite"), requireNamespace, NA))
#' study <- system.file("studies", "review.toml", package = "eggcrate")
#' out <- file.path(tempdir(), "review")
#' run_study(study, out, only = c("accounts", "margins"), quiet = TRUE)
#' list.files(out, recursive = TRUE)
run_study <- function(path, out, ..., overwrite = FALSE, source = NULL, as_of = NULL, only = NULL,
  set = list(),
  since = NULL, pdf = FALSE, quiet = FALSE) {
  call <- sys.call()[1L]
  check_no_dots(..., call = call)
  if (missing(out)) stop_missing_arg("out", "Name the folder to write, such as \"review\".", call)
  check_one_path(out, call, "out")
  tell <- if (quiet) function(line) invisible() else function(line) message(line)
  asked <- list(as_of = as_of, only = only, set = set, source = source)
  invisible(run_into(path, out, asked, overwrite, since, pdf, tell, call))
}

need_for_run <- function(call = NULL) {
  for (package in c("htmltools", "ggplot2", "svglite", "openxlsx")) {
    need_package(package, "run a study", call)
  }
}

run_into <- function(path, out, asked, overwrite, since, pdf, tell, call = NULL) {
  place <- folder_place(out, overwrite, call)
  since <- earlier_run(since %||% if (place$ours) place$path, call)
  table <- asked_study(path, asked, tell, function(run) {
    build_folder(place, function(folder) {
      write_run(run, folder, run_before(since, run, call), call)
      if (pdf) write_pdf(file.path(folder, "index.html"), file.path(folder, run_pdf), call)
    })
    structure(run_table(run), failed = sum(run_messages(run)$kind == "failed"))
  }, call)
  tell(sprintf("Wrote %s.", file.path(out, "index.html")))
  structure(table, out = out)
}

#' Asks a study, and goes on with its answers as long as its source is open.
#' @param asked `as_of`, `only`, `set`, `source`.
#' @param use Function of the run: `study`, `source` (its facts), `tables` (additional files),
#'   `asked`, `results`, `shown`, `each`.
#' @noRd
asked_study <- function(path, asked, tell, use, call = NULL) {
  need_for_run(call)
  answered <- function(study, s) {
    if (length(study$problems)) stop_study(study, call)
    results <- run_parts(study, s, tell)
    asked$source <- without_passwords(asked$source)
    use(list(study = study, source = source_facts(s, study), tables = additional_inputs(study),
      asked = asked, results = results,
      shown = lapply(results, shown_result), each = run_each(study, s, results, tell)))
  }
  in_utf8(with_all_signs({
    study <- only_parts(load_study(path, asked$set, call), asked$only, call)
    if (!is.null(asked$as_of)) {
      read_as_of(asked$as_of, call)
      study$as_of <- asked$as_of
    }
    with_study_source(study, asked$source,
      function(study, s) with_display(study$display, answered(study, s)), call)
  }))
}

only_parts <- function(study, only, call = NULL) {
  names <- vapply(study$parts, `[[`, "", "name")
  for (name in setdiff(only, names)) {
    close <- close_names(name, names)
    stop_eggcrate("call", "unknown_value",
      sprintf("There is no part %s in %s.", quoted(name), basename(study$path)),
      i = if (length(close)) sprintf("Did you mean %s?", enumerate(quoted(close), "or")),
      i = sprintf("Its parts are %s.", enumerate(names)), call = call)
  }
  if (!is.null(study$for_each$part)) {
    study$for_each$asks <- study$parts[names %in% study$for_each$part]
  }
  if (!is.null(only)) study$parts <- study$parts[names %in% only]
  study
}

# A message has at most about 600 characters; `eggcrate check` shows all of it.
stop_study <- function(study, call = NULL) {
  problems <- study$problems
  said <- vapply(problems, function(p) {
    sprintf("Line %d: %s%s", p$line, p$text, if (nzchar(p$hint)) paste0(" ", p$hint) else "")
  }, "")
  few <- utils::head(said, 2L)
  names(few) <- rep("x", length(few))
  n <- length(said)
  stop_eggcrate("call", "study",
    sprintf("%s has %s, and nothing was asked.", basename(study$path), counted(n, "mistake")),
    few, i = if (n > 2L) sprintf("All of them: `eggcrate check %s`.", basename(study$path)),
    fields = list(problems = problems), call = call)
}

# What is said of the source: its name, the fingerprint of its bytes, the days that it covers.
source_facts <- function(s, study) {
  range <- if (!is.null(study$source$date)) source_range(s, study$source$date)
  list(name = s$name, rows = s$n, first = day_text(range[1L] %||% NA),
    last = day_text(range[2L] %||% NA), inputs = source_inputs(s))
}

# The files behind a source, with their fingerprints.
source_inputs <- function(s) {
  if (inherits(s, "eggcrate_source_lookup")) {
    return(c(source_inputs(s$base), source_inputs(s$table)))
  }
  lapply(origin_paths(s$origin), input_facts)
}

input_facts <- function(path) list(name = basename(path), bytes = file.size(path),
  fingerprint = fingerprint(path))

fingerprint <- function(path) paste0("xxh128:", rlang::hash_file(path))

# Parts --------------------------------------------------------------------

run_parts <- function(study, source, tell) {
  answer_parts_ahead(study, source)
  n <- length(study$parts)
  lapply(seq_len(n), function(i) {
    part <- study$parts[[i]]
    tell(sprintf("%s/%d  %s  %s", formatC(i, width = nchar(n)), n, part$name, part_words(part)))
    result <- run_part(study, part, source)
    if (!is.null(result$problem)) {
      tell(sprintf("%s  failed: %s", strrep(" ", 2L * nchar(n) + 1L), result$problem[1L]))
    }
    result
  })
}

# Answers the requests of all parts together. If that fails, each part answers its own.
answer_parts_ahead <- function(study, source) {
  requests <- lapply(study$parts, function(part) {
    tryCatch(prepare(part$command, name_columns(with_tables(part_args(study, part)),
      source_names(source)), function(use) source_schema(source, use))$requests,
      eggcrate_error = function(e) NULL)
  })
  tryCatch(answer_ahead(source, unlist(requests, recursive = FALSE)),
    eggcrate_error = function(e) NULL)
}

#' @return `part`, `args`, `x` or `problem` (texts), `warnings`.
#' @noRd
run_part <- function(study, part, source, additional = NULL) {
  args <- part_args(study, part, additional)
  warnings <- character()
  failed <- NULL
  x <- withCallingHandlers(
    tryCatch(ask(part$command, with_tables(args), source), eggcrate_error = function(e) {
      failed <<- complaint_lines(e)
      NULL
    }),
    warning = function(w) {
      warnings <<- c(warnings, conditionMessage(w))
      invokeRestart("muffleWarning")
    })
  list(part = part, args = args, x = x, problem = failed, warnings = warnings)
}

part_tables <- function(part) part$shown$tables %||% "items"

part_charts <- function(part, x) {
  if (!length(grammar_commands[[part$command]]$charts)) {
    return(character())
  }
  part$shown$charts %||%
    if (length(answer_of(x)$ranked$cell)) natural_chart(answer_of(x)) else character()
}

#' What is shown of a result: its headline, charts and tables; or what went wrong on the way.
#' @return The result with `headline`, `charts` (named ggplots), `tables` (named: `data`, and
#'   `parts` of HTML).
#' @noRd
shown_result <- function(result) {
  if (is.null(result$problem)) {
    result$x <- at_hand(result$x) # unpacked once for all that is shown
    found <- tryCatch(presented(result), eggcrate_error = identity)
    if (inherits(found, "error")) {
      result$problem <- complaint_lines(found)
    } else {
      result[names(found)] <- found
    }
  }
  if (!is.null(result$problem)) result$headline <- "This could not be answered"
  result
}

# Evaluates code that shows a part with the columns of the part, if it has the key `columns`.
with_part_columns <- function(result, code) {
  columns <- result$part$shown$columns
  if (is.null(columns)) code else with_display_columns(columns, code)
}

presented <- function(result) {
  part <- result$part
  shown <- part$shown
  if (!is.null(shown$columns)) check_chosen(shown$columns, result$x)
  layout <- if (!is.null(shown$layout)) table_given(shown$layout)
  names <- part_charts(part, result$x)
  # On a page of `for_each`, charts of all items mark the items of the page.
  of_all <- c("tiers", "quadrants")
  drawn <- function(name) if (name %in% of_all) result$marked %||% result$x else result$x
  charts <- lapply(with_names(names, names),
    function(name) part_chart(drawn(name), name, shown, layout))
  tables <- lapply(with_names(part_tables(part), part_tables(part)), function(table) {
    data <- answer_table(result$x, table, layout, shown$shares)
    list(data = data, parts = shown_html(result, table, data))
  })
  list(headline = shown$title %||% headline_of(result$x, charts), charts = charts, tables = tables)
}

# The chart has as many items as the table has open rows, up to `most_lines`.
drawn_rows <- function(rows) if (!is.null(rows) && rows > usual_lines) min(rows, most_lines)

part_chart <- function(x, name, shown, layout) {
  tiles <- if (name == "tiles") list(layout = layout, shade = shown$shade, centre = shown$centre)
  settings <- c(tiles,
    list(size = if (name == "quadrants") shown$size, figures = if (name == "heat") shown$figures,
      title = shown$title, n = drawn_rows(shown$rows)))
  chart <- do.call(answer_chart, c(list(x, name = name), Filter(Negate(is.null), settings)))
  if (is.null(shown$subtitle)) chart else chart + chart_labs(subtitle = shown$subtitle)
}

shown_html <- function(result, table, data) {
  shown <- result$part$shown
  if (table == "items") {
    return(with_part_columns(result, html_of(result$x, table, shown$rows, !isFALSE(shown$figures))))
  }
  html_other(result$x, table, data, shown$rows, spaced_name(result$part$name))
}

# What was found, in a sentence: as the figure says it, or the first thing that stands out.
headline_of <- function(x, charts) {
  if (length(charts)) {
    return(chart_title(charts[[1L]]))
  }
  if (inherits(x, "eggcrate_findings") && length(x$finding)) {
    return(sub("[.]$", "", x$finding[1L]))
  }
  if (inherits(x, "eggcrate_why") && any(x$step == "rank")) {
    return(paste0(attr(x, "item"), ": ", x$text[x$step == "rank"][1L]))
  }
  html_of(x, "items", 1, FALSE)$title
}

chart_title <- function(chart) gsub("\n", " ", chart$labels$title %||% "", fixed = TRUE)

run_table <- function(run) {
  field <- function(name) vapply(run$shown,
    function(result) paste(result[[name]], collapse = " ") %|0|% NA_character_, "")
  problem <- field("problem")
  table <- tibble::tibble(name = vapply(run$shown, function(r) r$part$name, ""),
    command = vapply(run$shown, function(r) r$part$command, ""), finding = field("headline"),
    problem = replace(problem, !nzchar(problem), NA), answer = lapply(run$results, `[[`, "x"))
  class(table) <- c("eggcrate_run", class(table))
  table
}
