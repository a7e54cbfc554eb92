# The folder of a run: built beside its place, moved there whole, replaced only where it is one of
# ours.

run_receipts <- "receipts.json"
run_pdf <- "index.pdf"

#' Where a run is to go, and whether it may.
#' @return `path` (absolute), `there` (something stands there), `ours` (from an earlier run).
#' @noRd
folder_place <- function(out, overwrite = FALSE, call = NULL) {
  out <- sub("(?<=.)/+$", "", path.expand(out), perl = TRUE)
  if (!Sys.readlink(out) %in% c("", NA)) {
    stop_data("file", sprintf("'%s' is a link.", out), i = "Name the folder itself.", call = call)
  }
  if (!dir.exists(dirname(out))) {
    stop_data("file", sprintf("There is no folder '%s' to write to.", dirname(out)), call = call)
  }
  path <- file.path(normalizePath(dirname(out)), basename(out))
  clear_litter(dirname(path))
  kind <- path_kind_(out)
  if (!kind %in% c("none", "folder")) {
    stop_data("file", sprintf("'%s' is a file, and a run is a folder.", out), call = call)
  }
  if (file.access(dirname(path), 2L) != 0L) {
    stop_data("file", sprintf("The folder '%s' may not be written to.", dirname(out)), call = call)
  }
  foreign <- if (kind == "folder") foreign_file(path)
  if (!is.null(foreign) && nzchar(foreign)) {
    stop_data("file_exists",
      sprintf("The folder '%s' contains files that eggcrate did not write, such as '%s'.", out,
        foreign),
      i = "Name another folder. Only the folder of a run is replaced.", fields = list(path = path),
      call = call)
  }
  ours <- identical(foreign, "")
  if (ours && !overwrite) {
    stop_data("file_exists", sprintf("The folder '%s' exists already.", out),
      i = "Add --overwrite to replace it.",
      fields = list(path = path), call = call)
  }
  if (ours) check_unedited(path, out, call)
  list(path = path, there = kind == "folder", ours = ours)
}

# A file that was edited after the run is not replaced.
check_unedited <- function(folder, out, call = NULL) {
  recorded <- unlist(read_receipts(folder)$files)
  recorded <- recorded[file.exists(file.path(folder, names(recorded)))]
  edited <- names(recorded)[fingerprint(file.path(folder, names(recorded))) != recorded]
  if (length(edited)) {
    named <- enumerate(sprintf("'%s'", utils::head(edited, 5L)))
    if (length(edited) > 5L) named <- sprintf("%s and %s", named,
      counted(length(edited) - 5L, "other file"))
    stop_data("file_exists", sprintf("In the folder '%s', %s changed after the run.", out, named),
      i = "To keep your edits, move the file out of the folder, or name another folder.",
      fields = list(path = file.path(folder, edited)), call = call)
  }
}

#' The first file of a folder that no run of ours wrote; "" where all of it is ours, NULL where it
#' is empty.
#' @noRd
foreign_file <- function(folder) {
  there <- list.files(folder, all.files = TRUE, recursive = TRUE, include.dirs = FALSE)
  if (!length(there)) {
    return(NULL)
  }
  receipts <- read_receipts(folder)
  c(setdiff(there, c(run_receipts, run_pdf, names(receipts$files))), "")[1L]
}

# NULL where there are none of ours.
read_receipts <- function(folder) {
  path <- file.path(folder, run_receipts)
  found <- if (file.exists(path)) parsed_json(paste(readLines(path, warn = FALSE,
    encoding = "UTF-8"), collapse = "\n"))
  if (identical(found$made_by, "eggcrate")) found
}

build_folder <- function(place, write) {
  parent <- dirname(place$path)
  beside <- file.path(parent, own_name(".eggcrate-", ""))
  on.exit(unlink(beside, recursive = TRUE))
  if (!dir.create(beside, showWarnings = FALSE)) {
    stop_data("file", sprintf("The folder '%s' may not be written to.", parent))
  }
  write(beside)
  failed <- if (place$there) swap_folders_(beside, place$path) else
    place_file_(beside, place$path, TRUE)
  check_written(failed, place$path)
}

# What is in it ------------------------------------------------------------

write_run <- function(run, folder, since = NULL, call = NULL) {
  for (name in c("tables", "charts")) dir.create(file.path(folder, name))
  keep_earlier(since, folder)
  run$shown <- lapply(run$shown, with_since, since, run$study)
  side_by_side(run$shown, write_part, folder = folder, study = run$study)
  pieces <- lapply(run$shown, page_piece_of, folder = folder, study = run$study)
  name <- study_stem(run$study$path)
  put <- function(lines, file) check_written(write_new_(enc2utf8(lines), file.path(folder, file)),
    file)
  put(page_lines(study_page(run, pieces, name)), "index.html")
  write_workbook(study_book(run, folder), file.path(folder, paste0(name, ".xlsx")))
  write_each(run, folder, since)
  put(csv_text(run_messages(run), escape = TRUE), "messages.csv")
  writeBin(charToRaw(run$study$bytes), file.path(folder, basename(run$study$path)))
  put(receipts_json(run, folder), run_receipts)
}

study_title <- function(study) study$title %||% spaced_name(study_stem(study$path))

made_by <- function() sprintf("Made with eggcrate %s.", utils::packageVersion("eggcrate"))

study_page <- function(run, pieces, name) {
  list(title = study_title(run$study), text = run$study$text, facts = run_facts(run),
    pieces = pieces,
    each = if (length(run$each)) each_piece(run),
    links = with_names("Workbook", paste0(name, ".xlsx")), made = made_by())
}

run_facts <- function(run) {
  source <- run$source
  c(sprintf("%s of %s", counted(source$rows, "row"), source$name),
    if (!is.na(source$first)) sprintf("%s from %s to %s", run$study$source$date, source$first,
      source$last),
    if (!is.null(run$study$as_of)) sprintf("as of %s", run$study$as_of),
    if (!is.null(run$study$where)) sprintf("where %s", run$study$where))
}

# Writes the files of a part.
write_part <- function(result, folder, study) {
  part <- result$part
  file <- function(kind, name, ending) file.path(folder, kind,
    sprintf("%s-%s.%s", part$name, name, ending))
  for (name in names(result$charts)) {
    write_charts(result$charts[[name]], file("charts", name, c("png", "svg")))
  }
  for (name in names(result$tables)) {
    csv_file(kept_rows(result, study, name), file("tables", name, "csv"), escape = TRUE)
  }
}

#' Does something for each, in several processes where that can be: figures are drawn one after the
#' other in each. What a process leaves undone, because it was killed, is done here.
#' @param write Function of one of `x`, which writes files.
#' @noRd
side_by_side <- function(x, write, ...) {
  at_once <- min(length(x), eggcrate_threads())
  # processx reaps all children, so that R at its end would look for ours in vain.
  forks <- .Platform$OS.type == "unix" && !interactive() && at_once > 1L &&
    !isNamespaceLoaded("processx")
  done <- if (forks) {
    one <- function(x) tryCatch({
      write(x, ...)
      TRUE
    }, error = identity)
    suppressWarnings(parallel::mclapply(x, one, mc.cores = at_once))
  }
  for (i in seq_along(x)) {
    if (inherits(done[[i]], "eggcrate_error")) stop(done[[i]])
    if (!isTRUE(done[[i]])) write(x[[i]], ...)
  }
}

#' What the page shows of a result, as `page_lines()` takes it.
#' @param folder Where the figures are.
#' @noRd
page_piece_of <- function(result, folder, study) {
  piece <- list(name = result$part$name, headline = result$headline, text = result$part$shown$text)
  if (!is.null(result$problem)) {
    return(c(piece, list(problem = result$problem)))
  }
  x <- result$x
  c(piece, list(since = result$since, figures = page_figures(result, folder),
    tables = page_tables(result, study),
    receipt = if (inherits(x, "eggcrate_answer")) answer_of(x)$receipt,
    asked = asked_words(study, result)))
}

asked_words <- function(study, result) {
  file <- study_files(study)
  list(words = question_words(result$part, result$args),
    r = c(r_display(study$display),
      r_code(result$part$command, result$args, file, study$lookup, study$source)),
    shell = paste0(shell_code(result$part$command, result$args, file, study$lookup, study$source),
      shell_display(study$display, result$part$command)))
}

# A figure that stands below its finding need not say it again.
page_figures <- function(result, folder) {
  lapply(seq_along(result$charts), function(i) {
    chart <- result$charts[[i]]
    path <- file.path(folder, "charts",
      sprintf("%s-%s.svg", result$part$name, names(result$charts)[i]))
    svg <- readLines(path, encoding = "UTF-8")
    if (identical(chart_title(chart), result$headline)) {
      svg <- without_title(svg, chart$labels$title)
    }
    list(svg = inline_svg(svg, sprintf("%s-%d", result$part$name, i),
      chart$labels$alt %||% result$headline))
  })
}

# Long tails are folded; beyond this many rows they are in the file alone.
most_rows_on_page <- 1000L

# Tables that stand above the items of their own accord.
group_tables <- c("tiers", "quadrants", "classes", "statuses")

page_tables <- function(result, study) {
  tables <- result$tables
  if ("items" %in% names(tables)) {
    tables <- tables[!names(tables) %in% c(group_tables, "transitions")]
  }
  Map(function(name, table, first) {
    parts <- table$parts
    tail <- if (name == "items") page_tail(result, study)
    list(title = if (name == "items") "" else capital(name), parts = parts, tail = tail,
      notes = c(if (name == "items" || first) parts$notes,
        if (name == "items") beyond_page(result)))
  }, names(tables), tables, seq_along(tables) == 1L)
}

page_tail <- function(result, study) {
  n <- nrow(result$x)
  shown <- result$part$shown$rows %||% 10
  ranked <- ranks_items(result$x)
  selected <- ranked && has_facet(answer_of(result$x), "selection") &&
    is.null(result$part$shown$rows)
  if (!ranked || selected || n > most_rows_on_page || n <= shown + 1 ||
    identical(study$embed, "shown")) {
    return(NULL)
  }
  plan <- answer_of(result$x)$plan
  # An item has a row in each of several groups.
  list(title = sprintf("All %s",
    if (length(plan_groups(plan))) counted(n, "row") else count_of(n, item_noun(plan))),
    parts = with_part_columns(result, html_of(result$x, "items", Inf)))
}

beyond_page <- function(result) {
  n <- nrow(result$x)
  if (n > most_rows_on_page) {
    sprintf("All %s rows are in tables/%s-items.csv.", count_text(n), result$part$name)
  }
}

# Rows of a table for its CSV file.
kept_rows <- function(result, study, name = "items") {
  data <- result$tables[[name]]$data
  if (identical(study$embed, "shown")) shown_rows_of(data, result$part$shown$rows) else data
}

# Of each group the first `n`, as they are shown.
shown_rows_of <- function(data, n) {
  if (!inherits(data, "eggcrate_standings") || identical(n, Inf)) {
    return(data)
  }
  utils::head(data, n %||% 10L)
}

# Messages and receipts ----------------------------------------------------

run_messages <- function(run) {
  of_all <- message_rows(run$shown)
  of_each <- lapply(run$each, function(member) message_rows(member$shown, member$name))
  do.call(rbind,
    c(list(data.frame(part = character(), page = character(), kind = character(),
      message = character())), of_all,
      unlist(of_each, recursive = FALSE)))
}

message_rows <- function(shown, page = "") {
  lapply(shown, function(result) {
    text <- c(paste(result$problem, collapse = " ") %|0|% character(), result$warnings)
    text <- text[nzchar(text)]
    kind <- c(if (!is.null(result$problem)) "failed", rep("warning", length(result$warnings)))
    if (length(text)) data.frame(part = result$part$name, page = page, kind = kind, message = text)
  })
}

receipts_json <- function(run, folder) {
  files <- sort(list.files(folder, recursive = TRUE), method = "radix")
  box <- jsonlite::unbox
  of_part <- function(result) {
    x <- result$x
    list(name = box(result$part$name), command = box(result$part$command),
      finding = box(result$headline),
      problem = if (!is.null(result$problem)) box(paste(result$problem, collapse = " ")),
      question = lapply(result$args,
        function(value) if (length(value) == 1L && !is.list(value)) box(value) else unlist(value)),
      shown = earlier_facts(result, run$study),
      receipt = if (inherits(x, "eggcrate_answer")) json_table(answer_of(x)$receipt))
  }
  of_page <- function(page) {
    list(name = box(page$name), file = box(page$file),
      parts = lapply(page$shown,
        function(result) list(name = box(result$part$name),
          shown = earlier_facts(result, run$study))))
  }
  asked <- run$asked
  json_text(list(made_by = box("eggcrate"),
    version = box(as.character(utils::packageVersion("eggcrate"))),
    study = list(file = box(basename(run$study$path)), title = box(study_title(run$study)),
      fingerprint = box(fingerprint(file.path(folder, basename(run$study$path)))),
      as_of = if (!is.null(run$study$as_of)) box(run$study$as_of),
      embed = box(run$study$embed %||% "all")),
    asked = list(as_of = if (!is.null(asked$as_of)) box(asked$as_of), only = asked$only,
      set = if (length(asked$set)) lapply(asked$set, function(value) box(as.character(value))),
      source = if (!is.null(asked$source)) box(asked$source)),
    source = lapply(Filter(function(x) !is.na(x), run$source[c("name", "first", "last")]), box),
    inputs = lapply(run_inputs(run), function(input) lapply(input, box)),
    parts = lapply(run$shown, of_part),
    each = if (length(run$each)) lapply(run$each, of_page),
    files = lapply(with_names(file.path(folder, files), files),
      function(path) box(fingerprint(path)))),
    null = "null")
}

# Files besides the order lines that the answers rest on.
additional_inputs <- function(study) {
  paths <- unlist(lapply(study$parts, function(part) {
    args <- part$args[vapply(names(part$args), function(name) is_path_of(part$args[[name]], name),
      NA)]
    c(unlist(args), part$shown$layout)
  }), use.names = FALSE)
  paths <- unique(as.character(paths))
  paths <- paths[file.exists(paths)]
  lapply(paths, input_facts)
}

# Every file that the answers rest on.
run_inputs <- function(run) {
  c(run$source$inputs, run$tables)
}

# PDF ----------------------------------------------------------------------

chromium_names <- c("chromium", "chromium-browser", "google-chrome")

write_pdf <- function(page, path, call = NULL) {
  browser <- Sys.which(chromium_names)
  browser <- browser[nzchar(browser)]
  if (!length(browser)) {
    stop_eggcrate("needs", "program",
      "A PDF of the page needs the browser Chromium, which is not installed.",
      i = "Print index.html from any browser.", call = call)
  }
  profile <- tempfile("eggcrate-")
  on.exit(unlink(profile, recursive = TRUE))
  status <- suppressWarnings(system2(browser[[1L]], c("--headless", "--no-sandbox", "--disable-gpu",
    paste0("--user-data-dir=", shQuote(profile)), "--no-pdf-header-footer",
    paste0("--print-to-pdf=", shQuote(path)),
    shQuote(paste0("file://", page))), stdout = FALSE, stderr = FALSE))
  if (status != 0L || !file.exists(path)) stop_data("file",
    "Chromium did not write the page as PDF.", call = call)
}
