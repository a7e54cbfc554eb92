# Where an answer goes: terminal, standard output, files.

answer_formats <- c("table", "csv", "json", "html") # a workbook goes into a file, by its ending

#' Checks every file that is to be written before anything is read.
#' @return List of `format`, `out`, `chart`.
#' @noRd
check_targets <- function(options) {
  format <- options$format
  workbook <- grepl("[.]xlsx$", options$out %||% "", ignore.case = TRUE)
  if (identical(format, "xlsx")) {
    if (!workbook) {
      stop_eggcrate("call", "option", "A workbook goes into a file.",
        i = "Add a file that ends in .xlsx: `--out result.xlsx`.")
    }
    format <- NULL
  }
  if (!is.null(format)) check_choice(format, answer_formats, "--format")
  if (!is.null(format) && workbook) {
    stop_eggcrate("call", "option",
      sprintf("'%s' is a workbook, but --format is %s.", options$out, format),
      i = "Omit --format.")
  }
  if (!is.null(options$out) && is.null(format)) {
    format <- tolower(tools::file_ext(options$out))
    if (!format %in% c("csv", "json", "html", "xlsx")) {
      stop_eggcrate("call", "option",
        sprintf("The ending of '%s' does not say how to write it.", options$out),
        i = "End it in .csv, .json, .html or .xlsx, or add --format.")
    }
    if (format == "xlsx") need_package("openxlsx", "write a workbook")
  }
  if (!is.null(options$chart)) chart_device(options$chart)
  for (path in c(options$out, options$chart)) check_target(path, options$overwrite)
  list(format = format %||% "table", out = options$out, chart = options$chart,
    size = asked_size(options), overwrite = options$overwrite)
}

picture_options <- c("draw", "title", "subtitle", "items", "width", "height", "font", "dpi")

# A setting of a picture that is not drawn would change nothing.
asked_size <- function(options) {
  given <- picture_options[lengths(options[picture_options]) > 0L]
  if (length(given) && is.null(options$chart)) {
    stop_eggcrate("call", "option", sprintf("`%s` is about a chart, and `--chart` is missing.",
      option_name(given[1L])), i = "Name the file of the chart: `--chart chart.png`.")
  }
  chart_size(picture_number(options$width, "width", 200, 10000),
    picture_number(options$height, "height", 200, 10000),
    picture_number(options$dpi, "dpi", 36, 600))
}

# Nor would one of tiles.
check_tile_options <- function(options) {
  given <- c("shade", "centre")[lengths(options[c("shade", "centre")]) > 0L]
  if (length(given) && is.null(options$layout) &&
    options$command %in% shell_arguments$layout$commands) {
    stop_eggcrate("call", "option",
      sprintf("`%s` is about tiles, and none are asked for.", option_name(given[1L])),
      i = "Give the place of each region: `--layout FILE`.")
  }
}

# What was named for this answer alone, and is not in it.
say_unknown_names <- function(options, x) {
  ans <- answer_of(x)
  known <- c(names(x), measure_names(ans$plan), asked_measure(ans)$name, plan_use(ans$plan)$all,
    vapply(additional_measures(ans), `[[`, "", "name"))
  for (option in vapply(setdiff(column_settings(), "columns"), display_option, "")) {
    names <- sub("=.*$", "", unlist(options[[option]]))
    for (name in setdiff(names, known)) {
      say(sprintf("eggcrate: the result has no column %s; %s has no effect.", tick(name),
        option_name(option)))
    }
  }
}

picture_number <- function(x, name, least, most) {
  number <- number_option(x, option_name(name))
  if (!is.null(number) && (number < least || number > most || number != floor(number))) {
    stop_eggcrate("call", "option",
      sprintf("`--%s` must be a whole number from %d to %d, not %s.", name, least,
        most, x))
  }
  number
}

asked_layout <- function(options) {
  options$layout %||%
    stop_eggcrate("call", "option",
      "--table tiles needs --layout, a file with rows and columns of regions.")
}

# "5%,10%": the parts of a table of thresholds.
asked_parts <- function(options, table) {
  if (!is.null(options$shares) && table != "thresholds") {
    stop_eggcrate("call", "option",
      "`--shares` is about the table of thresholds, and another is asked for.",
      i = "Add `--table thresholds`.")
  }
  if (!is.null(options$shares)) trimws(strsplit(options$shares, ",", fixed = TRUE)[[1L]])
}

show_answer <- function(x, options, targets, table) {
  parts <- asked_parts(options, table)
  if (!nrow(x)) say(paste0("eggcrate: ", nothing_words(answer_of(x))))
  layout <- if (!is.null(options$layout)) table_given(options$layout)
  if (table == "tiles" && is.null(layout)) asked_layout(options)
  if (targets$format == "xlsx") attach_usual_packages()
  lines <- switch(targets$format,
    xlsx = answer_book(x, table, layout = layout, shares = parts),
    table = answer_lines(x, table, terminal_width(), if (options$all) Inf,
      figures_asked(options), layout, parts),
    csv = csv_text(answer_table(x, table, layout, parts), escape = !is.null(targets$out)),
    json = if (table == "items") json_lines(x, grammar_commands[[options$command]]$tables) else
    json_table_lines(x, table, answer_table(x, table, layout, parts)),
    html = html_lines(html_of(x, table, if (options$all) Inf, figures_asked(options) %||% TRUE,
      layout, parts))
  )
  # What cannot be drawn ends before anything is printed, and who reads only the first lines
  # of what is printed, which ends the command, still has the picture.
  if (!is.null(targets$chart)) {
    attach_usual_packages()
    chart <- asked_chart(x, options, table, layout)
    write_whole(targets$chart, function(path) write_picture(chart, path, targets$size),
      targets$overwrite)
  }
  put_lines(lines, targets)
  if (targets$format == "csv") say(receipt_lines(answer_of(x)$receipt))
  if (!is.null(targets$chart)) say_written(targets$chart)
}

nothing_words <- function(ans) {
  if (!has_facet(ans, "selection")) return(nothing_left_words(ans))
  "Nothing is left: no item is selected."
}

figures_asked <- function(options) {
  if (!is.null(options$figures)) yes_or_no(options$figures, "--figures")
}

# The picture of the table that was asked for, else the natural one.
asked_chart <- function(x, options, table, layout) {
  name <- if (!is.null(options$draw)) {
    options$draw
  } else if (!is.null(layout)) {
    "tiles"
  } else if (isTRUE(options$ranks)) {
    "ranks"
  } else if (table %in% c("bridge", "transitions")) {
    table
  }
  tiles <- if (!is.null(layout) && identical(name, "tiles")) {
    list(layout = layout, shade = options$shade, centre = number_option(options$centre, "--centre"))
  }
  settings <- c(tiles,
    list(size = options$size, figures = figures_asked(options), title = options$title,
      n = picture_number(options$items, "items", 1, 200) %||% if (options$all) most_lines))
  chart <- do.call(answer_chart, c(list(x, name = name), Filter(Negate(is.null), settings)))
  if (is.null(options$subtitle)) chart else chart + chart_labs(subtitle = options$subtitle)
}

put_lines <- function(lines, targets) {
  if (targets$format == "xlsx") {
    write_whole(targets$out, function(path) write_workbook(lines, path), targets$overwrite)
    say_written(targets$out)
  } else if (is.null(targets$out)) {
    write_out(lines)
  } else {
    write_whole(targets$out, function(path) write_new_(enc2utf8(lines), path), targets$overwrite)
    say_written(targets$out)
  }
}

say_written <- function(path) say(sprintf("Wrote %s.", path))

# If output is piped, use COLUMNS as the width.
terminal_width <- function() {
  if (isatty(stdout())) {
    return(cli::console_width())
  }
  columns <- suppressWarnings(as.integer(Sys.getenv("COLUMNS")))
  if (is.na(columns) || columns < 1L) getOption("width") else columns
}

# The command starts R bare, which is quicker; plotting packages count on what R
# attaches as a rule.
attach_usual_packages <- function() {
  usual <- c("methods", "datasets", "utils", "grDevices", "graphics", "stats")
  for (package in setdiff(usual, sub("^package:", "", search()))) attachNamespace(package)
}
