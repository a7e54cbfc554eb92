# Where an answer goes: terminal, standard output, files.

answer_formats <- c("table", "csv", "json", "html")

#' Checks every file that is to be written before anything is read.
#' @return List of `format`, `out`, `chart`.
#' @noRd
check_targets <- function(options) {
  format <- options$format
  if (!is.null(format)) check_choice(format, answer_formats, "--format")
  if (!is.null(options$out) && is.null(format)) {
    format <- tolower(tools::file_ext(options$out))
    if (!format %in% c("csv", "json", "html")) {
      stop_eggcrate("call", "option",
        sprintf("The ending of '%s' does not say how to write it.", options$out),
        i = "End it in .csv, .json or .html, or add --format.")
    }
  }
  if (!is.null(options$chart)) chart_device(options$chart)
  for (path in c(options$out, options$chart)) check_target(path, options$overwrite)
  list(format = format %||% "table", out = options$out, chart = options$chart)
}

check_target <- function(path, overwrite) {
  if (!dir.exists(dirname(path))) {
    stop_data("file", sprintf("There is no folder '%s' to write to.", dirname(path)))
  }
  if (dir.exists(path)) stop_data("file", sprintf("'%s' is a folder.", path))
  if (file.access(dirname(path), 2L) != 0L) {
    stop_data("file", sprintf("The folder '%s' may not be written to.", dirname(path)))
  }
  if (file.exists(path) && !overwrite) stop_file_exists(path)
}

stop_file_exists <- function(path) {
  stop_data("file_exists", sprintf("The file '%s' exists already.", path),
    i = "Add --overwrite to replace it.", fields = list(path = path))
}

# The tables that only some kinds of results have, by name.
own_tables <- function(x) UseMethod("own_tables")
own_tables.eggcrate_standings <- function(x) {
  if (!is.null(facts(x)$scheme)) list(tiers = tier_counts(facts(x)))
}
own_tables.eggcrate_extremes <- function(x) NULL
own_tables.eggcrate_grid <- function(x) NULL
own_tables.eggcrate_concentration <- function(x) NULL
own_tables.eggcrate_movement <- function(x) {
  pair <- pair_or_none(facts(x))
  if (!is.null(pair)) list(transitions = transition_counts(facts(x), pair))
}
own_tables.eggcrate_quadrants <- function(x) list(quadrants = quadrant_counts(facts(x)))
own_tables.eggcrate_targets <- function(x) list(statuses = status_counts(facts(x)))
own_tables.eggcrate_changes <- function(x) c(list(classes = class_counts(facts(x))),
  if (!is.null(facts(x)$value)) list(bridge = bridge_rows(facts(x))))

# The totals of each group.
totals_of <- function(x) UseMethod("totals_of")
totals_of.eggcrate_standings <- function(x) facts(x)$totals
totals_of.eggcrate_extremes <- totals_of.eggcrate_standings
totals_of.eggcrate_concentration <- totals_of.eggcrate_standings
totals_of.eggcrate_grid <- function(x) {
  grid <- facts(x)$grid
  list(side = rep(c("row", "column"), lengths(grid$labels)),
    name = unlist(grid$labels, use.names = FALSE), total = unlist(grid$totals, use.names = FALSE))
}
totals_of.eggcrate_movement <- function(x) movement_counts(facts(x))
totals_of.eggcrate_changes <- function(x) change_totals(facts(x))
totals_of.eggcrate_targets <- function(x) {
  set <- facts(x)
  sums <- target_totals(set)
  c(set$totals[group_names(set$question)], sums["items"],
    with_names(sums["value"], set$question$measure$name), sums[c("target", "gap", "attainment")])
}

answer_table <- function(x, table, options) {
  set <- facts(x)
  switch(table, items = x, totals = totals_of(x), receipt = set$receipt,
    thresholds = threshold_table(x), tiles = tile_table(x, asked_layout(options)),
    bridge = checked_bridge(set), transitions = checked_transitions(set), own_tables(x)[[table]])
}

asked_layout <- function(options) {
  options$layout %||%
    stop_eggcrate("call", "option",
      "--table tiles needs --layout, a file with rows and columns of regions.")
}

# Shares as per cent and measures as in the main table; files keep every digit.
shown_table <- function(table, set, width) {
  table <- as.list(table)
  measure <- set$question$measure$name
  figures <- list(share = percent_formatter(), share_of_items = percent_formatter(),
    cut_off = if (is.null(set$scheme$of)) measure_formatter(set) else gap_formatter(set),
    percent = percent_formatter(), attainment = percent_formatter())
  money <- c(measure, "split_of", if (!is.null(set$changes)) c("from", "to", "amount", "end"),
    if (!is.null(set$targets)) c("target", "gap"))
  figures[money] <- list(measure_formatter(set))
  shown <- names(Filter(is.double, table))
  table[shown] <- lapply(with_names(shown, shown), function(name) {
    format <- figures[[name]] %||% plain_formatter(table[[name]], name)
    format(table[[name]])
  })
  text_table(as.data.frame(table, check.names = FALSE),
    c(n = "count", items = "count", with_names(rep("figure", length(shown)), shown)), width)
}

show_answer <- function(x, options, targets, table) {
  if (!nrow(x)) {
    why <- if (length(facts(x)$only)) {
      "no item is selected"
    } else {
      "no row passes the filter with a value"
    }
    say(sprintf("eggcrate: nothing is left: %s.", why))
  }
  lines <- switch(targets$format,
    table = if (table == "items") {
      do.call(format, c(list(x, width = terminal_width()), if (options$all) list(n = Inf),
        if (!is.null(options$figures)) list(figures = yes_or_no(options$figures, "--figures"))))
    } else if (table == "tiles") {
      tile_lines(x, asked_layout(options), terminal_width())
    } else if (table == "transitions" && nrow(x)) {
      transition_lines(facts(x), movement_pair(facts(x)))
    } else {
      shown_table(answer_table(x, table, options), facts(x), terminal_width())
    },
    csv = csv_lines(answer_table(x, table, options), escape = !is.null(targets$out)),
    json = json_lines(x),
    html = html_lines(x, if (options$all) Inf,
      figures = yes_or_no(options$figures %||% "yes", "--figures"))
  )
  # What cannot be drawn ends before anything is printed, and who reads only the first lines
  # of what is printed, which ends the command, still has the picture.
  if (!is.null(targets$chart)) {
    chart <- answer_chart(x, options, table)
    write_whole(targets$chart, function(path) write_chart(chart, path))
  }
  put_lines(lines, targets$out)
  if (targets$format == "csv") say(receipt_lines(facts(x)$receipt))
  if (!is.null(targets$chart)) say_written(targets$chart)
}

answer_chart <- function(x, options, table) {
  attach_usual_packages()
  if (!is.null(options$layout)) {
    return(chart_tiles(x, options$layout))
  }
  further <- c(options[c("size", "ranks")],
    if (!is.null(options$figures)) list(figures = yes_or_no(options$figures, "--figures")))
  switch(table, bridge = chart_bridge(x), transitions = chart_transitions(x),
    do.call(natural_chart, c(list(x), Filter(Negate(is.null), further))))
}

yes_or_no <- function(x, arg) check_choice(x, c("yes", "no"), arg) == "yes"

put_lines <- function(lines, out) {
  if (is.null(out)) {
    writeLines(lines, stdout())
  } else {
    write_whole(out, function(path) writeLines(lines, path, useBytes = TRUE))
    say_written(out)
  }
}

say_written <- function(path) say(sprintf("Wrote %s.", path))

# The command starts R bare, which is quicker; plotting packages count on what R
# attaches as a rule.
attach_usual_packages <- function() {
  usual <- c("methods", "datasets", "utils", "grDevices", "graphics", "stats")
  for (package in setdiff(usual, sub("^package:", "", search()))) attachNamespace(package)
}

terminal_width <- function() if (isatty(stdout())) cli::console_width() else getOption("width")

#' Written beside its place and renamed: a file is there whole or not at all.
#' @noRd
write_whole <- function(path, write) {
  beside <- tempfile("eggcrate-", tmpdir = dirname(path),
    fileext = paste0(".", tools::file_ext(path)))
  on.exit(unlink(beside))
  write(beside)
  if (!suppressWarnings(file.rename(beside, path))) {
    stop_data("file", sprintf("The file '%s' cannot be written.", path), fields = list(path = path))
  }
}

# Forms --------------------------------------------------------------------

# Columns as text: every digit of a number, missing as it is.
exact_text <- function(x) {
  columns <- as.list(unclass(if (is.data.frame(x)) as_plain(x) else x))
  lapply(columns, function(column) {
    if (is.numeric(column) && !inherits(column, "Date")) number_text(column) else column
  })
}

csv_lines <- function(x, escape) {
  columns <- exact_text(x)
  text <- !vapply(unclass(x), is.numeric, NA)
  if (escape) columns[text] <- lapply(columns[text], as_written_text)
  table <- as.data.frame(columns, check.names = FALSE, stringsAsFactors = FALSE)
  names(table) <- names(columns)
  # By way of a file: what goes to the console would be read as a format, so that "80 % of"
  # came out as a number.
  path <- tempfile(fileext = ".csv")
  on.exit(unlink(path))
  data.table::fwrite(table, path, na = "", quote = "auto", logical01 = FALSE, showProgress = FALSE)
  readLines(path, encoding = "UTF-8", warn = FALSE)
}

# A spreadsheet would run it as a formula; an apostrophe makes it text.
as_written_text <- function(x) {
  if (!is.character(x)) {
    return(x)
  }
  formula <- !is.na(x) & grepl("^[=+@\t\r-]", x)
  x[formula] <- paste0("'", x[formula])
  x
}

json_lines <- function(x) {
  set <- facts(x)
  question <- set$question
  answer <- list(
    question = list(of = asked_measure(set)$text, by = I(names(question$by)),
      within = I(as.character(names(question$within))),
      over = if (length(question$over)) question$over[[1L]]$text, where = question$where,
      also = I(
        if (is.null(question$spans)) lapply(question$measures[-1L], `[[`, "text") else list()),
      having = question$having$text, only = I(as.character(set$only)),
      highlight = set$highlight, best = question$best, ties = question$ties,
      share_of = question$share_of, share_base = question$share_base),
    items = json_table(unclass(as_plain(x))), totals = json_table(totals_of(x)),
    receipt = json_table(set$receipt)
  )
  own <- c(list(scheme = if (!is.null(set$scheme)) scheme_title(set$scheme),
    periods = as.list(question$spans$names)),
    lapply(own_tables(x), json_table))
  answer <- append(answer, Filter(length, own), after = 2L)
  text <- jsonlite::toJSON(answer, auto_unbox = TRUE, null = "null", na = "null", pretty = 1,
    Date = "ISO8601")
  strsplit(release_numbers(text), "\n", fixed = TRUE)[[1L]]
}

# jsonlite writes at most 15 digits. Numbers go through it as marked text with
# all of theirs, and the marks are taken off.
number_mark <- "number-of-eggcrate:"

json_table <- function(columns) {
  marked <- lapply(columns, function(column) {
    if (!is.numeric(column) || inherits(column, "Date")) {
      return(column)
    }
    text <- number_text(column)
    ifelse(is.na(text), NA, paste0(number_mark, text))
  })
  as.data.frame(marked, check.names = FALSE, stringsAsFactors = FALSE, col.names = names(columns))
}

release_numbers <- function(text) gsub(sprintf("\"%s([-+.0-9e]+)\"", number_mark), "\\1", text)

receipt_lines <- function(receipt) {
  n <- ifelse(is.na(receipt$n), "", format_count(receipt$n))
  known <- function(x) ifelse(is.na(x), "", x)
  detail <- trimws(paste0(n, ifelse(nzchar(n) & !is.na(receipt$value), "  ", ""),
    known(receipt$value), ifelse(is.na(receipt$note), "", paste0("  (", receipt$note, ")"))))
  sprintf("%s  %s  %s", align(receipt$step, "left"), align(receipt$fact, "left"), detail)
}
