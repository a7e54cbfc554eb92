# Since last time: an earlier run beside this one.

since_folder <- "since"

#' @param folder A folder that a study was run into, or NULL.
#' @return `folder`, `receipts`, and `tables`, with which paths of its tables begin; or NULL.
#' @noRd
earlier_run <- function(folder, call = NULL) {
  if (is.null(folder)) {
    return(NULL)
  }
  receipts <- read_receipts(folder)
  if (is.null(receipts)) {
    stop_data("file",
      sprintf("'%s' is not the folder of a run: it has no %s.", folder, run_receipts),
      i = "Name the folder that an earlier run has written.", fields = list(path = folder),
      call = call)
  }
  folder <- normalizePath(folder)
  list(folder = folder, receipts = receipts, tables = file.path(folder, "tables", ""))
}

# The earlier run, restricted to one page. It has no parts if the page is new.
earlier_page <- function(since, name) {
  if (is.null(since)) {
    return(NULL)
  }
  page <- Find(function(page) identical(page$name, name), since$receipts$each)
  since$receipts$parts <- page$parts
  since$tables <- file.path(since$folder, each_tables, paste0(page$file, "-"))
  since
}

#' The run to compare with: one of the same data is no earlier one, and what it was compared with
#' stays.
#' @noRd
run_before <- function(since, run, call = NULL) {
  if (is.null(since)) {
    return(NULL)
  }
  prints <- function(inputs) sort(vapply(inputs,
    function(input) paste(input$name, input$fingerprint), ""))
  if (!identical(prints(since$receipts$inputs), prints(run_inputs(run)))) {
    return(since)
  }
  kept <- file.path(since$folder, since_folder)
  if (dir.exists(kept)) earlier_run(kept, call)
}

# What is needed of it stays beside this run, so that it can be told again.
keep_earlier <- function(since, folder) {
  if (is.null(since)) {
    return(invisible())
  }
  tables <- lapply(c("tables", each_tables),
    function(kept) file.path(kept, list.files(file.path(since$folder, kept), "-items[.]csv$")))
  paths <- c(run_receipts, unlist(tables))
  for (kept in unique(dirname(paths))) dir.create(file.path(folder, since_folder, kept),
    recursive = TRUE, showWarnings = FALSE)
  copied <- file.copy(file.path(since$folder, paths), file.path(folder, since_folder, paths))
  if (!all(copied)) {
    stop_data("file", sprintf("'%s' cannot be read.", file.path(since$folder, paths[!copied][1L])))
  }
}

#' What a run remembers of a part for the next one; NULL for what is no table of ranked items.
#' @noRd
earlier_facts <- function(result, study) {
  if (!since_can(result)) {
    return(NULL)
  }
  ans <- answer_of(result$x)
  measure <- asked_measure(ans)
  total <- since_total(ans)
  box <- jsonlite::unbox
  list(keys = as.character(since_keys(ans)), group = box(since_group(result$x) %||% NA),
    measure = box(measure$text),
    total = box(if (length(total) == 1L) total else NA),
    rows = box(if (identical(study$embed, "shown")) "shown" else "all"))
}

since_can <- function(result) {
  is.null(result$problem) && inherits(result$x, "eggcrate_standings") &&
    "items" %in% names(result$tables) &&
    !inherits(result$x,
      c("eggcrate_grid", "eggcrate_movement", "eggcrate_extremes", "eggcrate_concentration"))
}

since_keys <- function(ans) names(all_keys(ans$plan))

since_total <- function(ans) {
  # With `whole`, the totals of a page are those of all items, so they are not compared.
  if (!is.null(ans$facets$selection$name)) return(NULL)
  if (has_facet(ans, "change")) return(change_totals(ans)$to)
  ans$ranked$totals[[plan_measure(ans$plan)$name]]
}

# The column of the groups that items enter and leave.
since_group <- function(x) {
  found <- intersect(c("tier", "quadrant", "class", "status", "reached"), names(x))
  if (length(found)) found[1L]
}

#' A result with what is to be said of the earlier run.
#' @noRd
with_since <- function(result, since, study) {
  if (is.null(since) || !since_can(result)) {
    return(result)
  }
  old <- Find(function(part) identical(part$name, result$part$name), since$receipts$parts)
  now <- earlier_facts(result, study)
  path <- paste0(since$tables, result$part$name, "-items.csv")
  result$since <- if (is.null(old$shown) || !file.exists(path)) {
    since_note("This was not in the earlier run.")
  } else if (!identical(unlist(old$shown$keys), now$keys) ||
    !identical(old$shown$measure, as.character(now$measure))) {
    since_note("This was asked otherwise in the earlier run, and is not compared.")
  } else {
    since_tags(result, old$shown, path, since)
  }
  result
}

since_note <- function(text) htmltools::tags$div(class = "since", htmltools::tags$p(text))

since_tags <- function(result, old, path, since) {
  tags <- htmltools::tags
  found <- since_found(result, old, path)
  rows <- list(group = found$groups$group,
    entered = vapply(found$groups$entered, enumerate, "", most = 8L),
    left = vapply(found$groups$left, enumerate, "", most = 8L))
  table <- if (length(rows$group)) {
    html_plain(list(group = cell("", rows$group, "left"),
      entered = cell("entered", rows$entered, "left long"),
      left = cell("left", rows$left, "left long")), "since the earlier run")
  }
  tags$div(class = "since", tags$p(tags$b(since_words(found, since))),
    if (nzchar(found$first)) tags$p(found$first), table,
    if (identical(old$rows, "shown")) tags$p(class = "note",
      "Of the earlier run only the rows that were shown are known."))
}

#' What has changed: of groups, of the first, of the total.
#' @noRd
since_found <- function(result, old, path) {
  read <- function(...) as.list(data.table::fread(..., sep = ",", quote = "\"",
    colClasses = "character", na.strings = "", encoding = "UTF-8",
    showProgress = FALSE, data.table = FALSE))
  before <- read(file = path)
  data <- result$tables$items$data
  after <- read(text = csv_text(data, escape = TRUE))
  keys <- as.character(unlist(old$keys))
  group <- since_group(result$x)
  if (identical(group, "reached")) {
    inside <- function(table) replace(table, "reached", list(ifelse(table$reached %in% "TRUE",
      reach_legend(answer_of(result$x))[1L], NA_character_)))
    before <- inside(before)
    after <- inside(after)
  }
  ans <- answer_of(result$x)
  total <- since_total(ans)
  was <- suppressWarnings(as.numeric(old$total %||% NA))
  moved <- if ("rank" %in% names(before) && "rank" %in% names(after)) first_moves(before, after,
    keys)
  list(groups = if (!is.null(group) || "rank" %in% names(before)) group_moves(before, after, keys,
    group, result$part$shown$rows %||% 10) else
    list(group = character()), first = first_words(moved),
    total = if (length(total) == 1L && is.finite(was)) c(total_move(was, total),
      list(was = was, now = total)), ans = ans)
}

# "Merrisk Ferries 2 (was 5), Varlow Boatyard 4 (new)": of the first, those that moved.
first_words <- function(moved) {
  at <- which(is.na(moved$before) | moved$before != moved$now)
  if (!length(at)) {
    return("")
  }
  said <- ifelse(is.na(moved$before[at]), "new", paste("was", number_text(moved$before[at])))
  sprintf("Among the first: %s.",
    enumerate(sprintf("%s now %s (%s)", moved$item[at], number_text(moved$now[at]), said)))
}

since_words <- function(found, since) {
  last <- since$receipts$source$last
  when <- sprintf("Since the earlier run%s: ",
    if (length(last)) sprintf(" (data to %s)", last) else "")
  number <- said_formatter(found$ans)
  total <- if (!is.null(found$total)) {
    if (found$total$change == 0) "the total is the same" else {
      sprintf("the total went from %s to %s%s", number(found$total$was), number(found$total$now),
        if (is.na(found$total$percent)) "" else
        sprintf(" (%s)", signed(percent_formatter())(found$total$percent)))
    }
  }
  n <- c(length(unique(unlist(found$groups$entered))), length(unique(unlist(found$groups$left))))
  moves <- if (any(n > 0L)) sprintf("%s entered a group, %s left one", format_count(n[1L]),
    format_count(n[2L])) else "nobody changed group"
  paste0(when, paste(c(total, moves), collapse = "; "), ".")
}

# Verifying ----------------------------------------------------------------

#' Runs a study again as a folder was made, and compares.
#' @return `files` (how many), `differs` (names), `why` (texts).
#' @noRd
verify_run <- function(path, folder, tell, call = NULL) {
  made <- earlier_run(folder, call)
  receipts <- made$receipts
  asked <- list(as_of = receipts$asked$as_of, only = unlist(receipts$asked$only),
    set = receipts$asked$set, source = receipts$asked$source)
  again <- tempfile("eggcrate-")
  dir.create(again)
  on.exit(unlink(again, recursive = TRUE))
  kept <- file.path(made$folder, since_folder)
  asked_study(path, asked, tell,
    function(run) write_run(run, again, if (dir.exists(kept)) earlier_run(kept, call), call), call)
  names <- function(folder) setdiff(list.files(folder, recursive = TRUE), run_pdf)
  all <- sort(union(names(made$folder), names(again)), method = "radix")
  same <- vapply(all, function(name) {
    paths <- file.path(c(made$folder, again), name)
    all(file.exists(paths)) && identical(fingerprint(paths[1L]), fingerprint(paths[2L]))
  }, NA)
  list(files = length(all), differs = all[!same],
    why = verify_reasons(receipts, read_receipts(again)))
}

verify_reasons <- function(old, new) {
  prints <- function(receipts) vapply(receipts$inputs, function(input) input$fingerprint, "")
  named <- vapply(new$inputs, function(input) input$name, "")
  c(if (!identical(old$version, new$version)) sprintf("eggcrate was %s and is %s", old$version,
    new$version),
    if (!identical(prints(old), prints(new))) sprintf("%s changed",
      enumerate(setdiff(named, named[prints(new) %in% prints(old)]))),
    if (!identical(old$study$fingerprint, new$study$fingerprint)) "the study changed")
}
