# A page for each: the parts of a study asked again for every salesperson, region or customer, with
# one scale of bars for all.

each_folder <- "each"
each_tables <- file.path("tables", each_folder)

#' The members, each with its results.
#' @param results Of the whole.
#' @return List of `name`, `file`, `shown`; NULL where the study has no `for_each`.
#' @noRd
run_each <- function(study, source, results, tell) {
  if (is.null(study$for_each)) {
    return(NULL)
  }
  column <- study$for_each$column
  names <- each_members(study, source, results)
  tell(sprintf("For each %s: %s", column, counted(length(names), "page")))
  files <- safe_files(names)
  lapply(seq_along(names), function(i) {
    shown <- Map(function(part,
      whole) shown_result(each_result(study, part, whole, source, names[i])), study$parts, results)
    list(name = names[i], file = files[i], shown = lapply(shown, headed_by_member))
  })
}

# Headline of a page with `whole`: the rank of a single item. For several items, their share and the
# number of them in the first tier or in the Pareto group.
headed_by_member <- function(result) {
  x <- result$x
  if (!isTRUE(result$part$shown$whole) || !is.null(result$part$shown$title) ||
    !inherits(x, "eggcrate_standings") || inherits(x, "eggcrate_grid")) {
    return(result)
  }
  result$headline <- if (NROW(x) == 1L) one_place(x) else member_words(x)
  result$charts <- lapply(result$charts,
    function(chart) chart + chart_labs(title = wrapped_title(result$headline)))
  result
}

# As they are listed, as a part selects them, or all by the number of their rows.
each_members <- function(study, source, results) {
  each <- study$for_each
  if (!is.null(each$values)) {
    return(each$values)
  }
  x <- if (is.null(each$part)) {
    ask("standings", list(of = "count()", by = tick_odd(each$column), where = study$where), source)
  } else {
    at <- match(each$part, vapply(study$parts, `[[`, "", "name"))
    found <- if (is.na(at)) run_part(study, each$asks[[1L]], source) else results[[at]]
    if (is.null(found$x)) {
      stop_data("each",
        sprintf("The part %s, which says who has a page, could not be answered.",
          quoted(each$part)))
    }
    at_rest(select_only(found$x, each$only %||% "top(\"100%\")"))
  }
  names <- unique(as.character(.subset2(x, each$column)))
  names[!is.na(names)]
}

# The rows of one, or its rows among the ranks of the whole.
each_result <- function(study, part, whole, source, name) {
  same <- sprintf("%s == %s", tick_odd(study$for_each$column), text_literal(name))
  if (!isTRUE(part$shown$whole)) {
    return(run_part(study, part, source, same))
  }
  if (!is.null(whole$x)) {
    kept <- tryCatch({
      marked <- if (length(group_table_of(whole$x))) at_rest(select_marks(whole$x,
        with_names(list(same), name)))
      list(x = at_rest(select_only(whole$x, same, name = name)), marked = marked)
    }, eggcrate_error = identity)
    if (inherits(kept, "error")) {
      whole["x"] <- list(NULL)
      whole$problem <- complaint_lines(kept)
    } else {
      whole[names(kept)] <- kept
    }
    only <- c(whole$args$only, same)
    whole$args$only <- if (length(only) > 1L) paste(sprintf("(%s)", only), collapse = " & ") else
      only
  }
  whole
}

# The table of tiers, quadrants, classes or statuses that a result has.
group_table_of <- function(x) {
  if (inherits(x, "eggcrate_standings")) intersect(names(own_tables(answer_of(x))), group_tables)
}

# Names of files: letters, digits and `-`, each name only once.
safe_files <- function(names) {
  plain <- iconv(names, "UTF-8", "ASCII//TRANSLIT", sub = "-")
  plain[is.na(plain)] <- ""
  base <- gsub("(^-+|-+$)", "", gsub("[^A-Za-z0-9]+", "-", plain))
  base <- substr(tolower(base), 1L, 60L)
  base[!nzchar(base)] <- "page"
  out <- character()
  for (name in base) {
    tries <- c(name, paste0(name, "-", seq_along(names) + 1L))
    out <- c(out, tries[!tries %in% out][1L])
  }
  out
}

# Where the bars of each part end, for all members: the greatest value that any of them shows.
each_scales <- function(each) {
  if (!length(each)) {
    return(list())
  }
  lapply(seq_along(each[[1L]]$shown), function(i) {
    ends <- vapply(each, function(member) bar_most(member$shown[[i]]), 0)
    max(c(ends, 0))
  })
}

bar_most <- function(result) {
  x <- result$x
  if (!inherits(x, "eggcrate_standings")) {
    return(0)
  }
  values <- .subset2(x, plan_measure(answer_of(x)$plan)$name)
  if (is.numeric(values)) max(values, 0, na.rm = TRUE) else 0
}

#' Settings in which a part's bars end where those of all do.
#' @noRd
each_display <- function(display, result, end) {
  x <- result$x
  if (!inherits(x, "eggcrate_standings") || end <= 0 || !main_bars(answer_of(x))) {
    return(display)
  }
  name <- plan_measure(answer_of(x)$plan)$name
  if (!name %in% names(display$bars) || is.na(display$bars[[name]])) display$bars[name] <- end
  display
}

# Bars of figures end alike too.
each_charts <- function(result, end) {
  bars <- names(result$charts) == "bars"
  result$charts[bars] <- lapply(result$charts[bars],
    function(chart) chart + ggplot2::expand_limits(x = end))
  result
}

# Writing ------------------------------------------------------------------

write_each <- function(run, folder, since = NULL) {
  if (!length(run$each)) {
    return(invisible())
  }
  for (name in c(each_folder, each_tables)) dir.create(file.path(folder, name))
  scales <- each_scales(run$each)
  side_by_side(run$each, write_member, run = run, scales = scales,
    folder = file.path(folder, each_folder), since = since)
}

write_member <- function(member, run, scales, folder, since = NULL) {
  for (result in Filter(since_can, member$shown)) {
    csv_file(kept_rows(result, run$study),
      file.path(dirname(folder), each_tables,
        sprintf("%s-%s-items.csv", member$file, result$part$name)), escape = TRUE)
  }
  member$shown <- lapply(member$shown, with_since, earlier_page(since, member$name), run$study)
  scratch <- tempfile("eggcrate-")
  dir.create(file.path(scratch, "charts"), recursive = TRUE)
  on.exit(unlink(scratch, recursive = TRUE))
  run$shown <- Map(each_charts, member$shown, scales)
  pieces <- Map(function(result, end) {
    with_display(each_display(run$study$display, result, end),
      member_piece(result, scratch, run$study))
  }, run$shown, scales)
  title <- sprintf("%s: %s", study_title(run$study), member$name)
  links <- c("../index.html" = "All")
  if (isTRUE(run$study$workbook)) links[paste0(member$file, ".xlsx")] <- "Workbook"
  page <- list(title = title, text = run$study$text,
    facts = c(sprintf("%s: %s", run$study$for_each$column, member$name), run_facts(run)),
    pieces = pieces, links = links, made = made_by())
  check_written(write_new_(enc2utf8(page_lines(page)),
    file.path(folder, paste0(member$file, ".html"))), member$file)
  if (isTRUE(run$study$workbook)) {
    for (result in run$shown) {
      paths <- file.path(scratch, "charts",
        sprintf("%s-%s.png", result$part$name, names(result$charts)))
      if (is.null(result$problem) && length(paths)) write_chart(result$charts[[1L]], paths[1L])
    }
    book <- study_book(run, scratch)
    book$title <- title
    write_workbook(book, file.path(folder, paste0(member$file, ".xlsx")))
  }
}

member_piece <- function(result, scratch, study) {
  for (name in names(result$charts)) {
    write_charts(result$charts[[name]],
      file.path(scratch, "charts", sprintf("%s-%s.svg", result$part$name, name)))
  }
  # Laid out again, for the bars end elsewhere.
  result$tables <- lapply(with_names(names(result$tables), names(result$tables)), function(name) {
    data <- result$tables[[name]]$data
    list(data = data, parts = shown_html(result, name, data))
  })
  page_piece_of(result, scratch, study)
}

#' The list of all pages, with what each is headed by.
#' @return A piece of the page.
#' @noRd
each_piece <- function(run) {
  rows <- lapply(run$each, function(member) {
    answered <- Filter(function(result) is.null(result$problem), member$shown)
    list(name = member$name, path = file.path(each_folder, paste0(member$file, ".html")),
      headline = if (length(answered)) answered[[1L]]$headline else "This could not be answered")
  })
  list(title = sprintf("For each %s", spaced_words(run$study$for_each$column)), rows = rows)
}
