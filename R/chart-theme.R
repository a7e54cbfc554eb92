# One look for all figures.

theme_eggcrate <- function(base_size = 13) {
  ink <- palette_eggcrate[["ink"]]
  stone <- palette_eggcrate[["stone"]]
  ggplot2::theme_minimal(base_size = base_size) +
    ggplot2::theme(
      plot.background = ggplot2::element_rect(fill = "white", colour = NA),
      plot.title = ggplot2::element_text(face = "bold", colour = ink, size = ggplot2::rel(1.25)),
      plot.subtitle = ggplot2::element_text(colour = stone, margin = ggplot2::margin(b = 6)),
      plot.caption = ggplot2::element_text(colour = stone, hjust = 0, size = ggplot2::rel(0.8),
        margin = ggplot2::margin(t = 10)),
      plot.title.position = "plot", plot.caption.position = "plot",
      plot.margin = ggplot2::margin(14, 18, 12, 14),
      axis.text = ggplot2::element_text(colour = ink),
      axis.title = ggplot2::element_text(colour = stone), legend.position = "top",
      legend.justification = "left", legend.text = ggplot2::element_text(colour = ink),
      legend.title = ggplot2::element_blank(), legend.margin = ggplot2::margin(0, 0, 0, 0),
      legend.box.spacing = ggplot2::unit(4, "pt"),
      panel.grid.minor = ggplot2::element_blank(), panel.grid.major.x = ggplot2::element_blank(),
      panel.grid.major.y = ggplot2::element_line(colour = "#ECECE8")
    )
}

# What a chart needs before it can be drawn.
check_drawable <- function(x, class, what, call = NULL) {
  need_package("ggplot2", "draw a chart", call)
  check_result(x, class, what, call)
}

# Groups have a panel each.
panels_of <- function(groups, scales) {
  list(ggplot2::facet_wrap(groups, scales = scales), ggplot2::theme(
    strip.text = ggplot2::element_text(face = "bold", colour = palette_eggcrate[["ink"]],
      hjust = 0),
    axis.text.y = ggplot2::element_text(size = ggplot2::rel(0.8)),
    # Room between the last label of one axis and the first of the next.
    panel.spacing.x = ggplot2::unit(1.4, "lines")
  ))
}

# Words that can be read over points and lines: on a ground that lets little through.
words_on_ground <- function(...) {
  # The argument's name has changed.
  border <- if (utils::packageVersion("ggplot2") < "4.0.0") {
    list(label.size = 0)
  } else {
    list(linewidth = 0)
  }
  do.call(ggplot2::geom_label,
    c(list(..., fill = "#FFFFFFC8", label.padding = ggplot2::unit(2.5, "pt")), border))
}

# A long finding takes two lines, and so do notes below it.
wrapped_title <- function(title) paste(strwrap(title, 80L), collapse = "\n")
wrapped_notes <- function(notes) {
  if (length(notes)) paste(strwrap(paste(notes, collapse = " "), 114L), collapse = "\n")
}

# 1.2 k, 3.4 M: for axes.
compact_number <- function(x) {
  scale <- cut(max(abs(x), 0, na.rm = TRUE), c(-1, 1e4, 1e6, 1e9, Inf), right = FALSE)
  unit <- c(1, 1e3, 1e6, 1e9)[scale]
  text <- format(x / unit, trim = TRUE, drop0trailing = TRUE, big.mark = marks()[1L],
    decimal.mark = marks()[2L], scientific = FALSE)
  ifelse(x == 0, "0", paste0(text, c("", " k", " M", " G")[scale]))
}

# Along an axis of the measure: in the unit that was asked for, else compact.
axis_numbers <- function(ans) {
  if (is_percentage(ans)) {
    return(percent_formatter())
  }
  unit <- if (is_money(ans)) money_unit() else 1
  if (unit == 1) {
    compact_number
  } else {
    function(x) format(x / unit, trim = TRUE, drop0trailing = TRUE, big.mark = marks()[1L],
      decimal.mark = marks()[2L], scientific = FALSE)
  }
}

# Beside bars of small panels: three digits.
short_numbers <- function(ans) {
  number <- axis_numbers(ans)
  function(x) number(signif(x, 3L))
}

caption_text <- function(ans, rows = rows_sentence(ans$receipt)) {
  where <- if (!is.null(plan_text(ans$plan))) paste0("Where ", cut_echo(plan_text(ans$plan)), ". ")
  covered <- if (length(plan_covered(ans$plan))) paste0(enumerate(plan_covered(ans$plan)), ". ")
  paste(strwrap(paste0(where, "Source: ", ans$source, ", ", rows, ". ", covered), 150L),
    collapse = "\n")
}

# Files --------------------------------------------------------------------

#' Writes a figure; the ending of the file says how.
#' @param size From `chart_size()`; the same shape on paper.
#' @noRd
write_chart <- function(plot, path, size = chart_size(), call = NULL) {
  device <- chart_device(path, call)
  device(path, size)
  on.exit(grDevices::dev.off())
  print(plot)
  invisible(path)
}

# A title, and how many are to be drawn.
check_drawn <- function(title, count = NULL, arg = "n", call = NULL) {
  if (!is.null(title) && !(is.character(title) && length(title) == 1L && !is.na(title))) {
    stop_eggcrate("call", "unknown_value",
      sprintf("`title` must be one text, not %s.", describe(title)), call = call)
  }
  # A chart without an item is none; without labels or bars it still has its curve or points.
  if (!is.null(count)) check_how_many(count, arg, if (arg == "n") 1 else 0, call)
}

# Words around a chart: what names have in them is shown, and does not act.
chart_labs <- function(...) {
  words <- list(...)
  text <- vapply(words, is.character, NA)
  words[text] <- lapply(words[text], harmless, keep = "\n")
  do.call(ggplot2::labs, words)
}

chart_endings <- c("png", "svg", "pdf")

#' How large a picture is: pixels, and how many of them to the inch, which says how large letters
#' are in it.
#' @noRd
chart_size <- function(width = NULL, height = NULL, dpi = NULL) {
  list(width = width %||% 1280, height = height %||% 800, dpi = dpi %||% 110)
}

chart_device <- function(path, call = NULL) {
  inches <- function(size) list(width = size$width / size$dpi, height = size$height / size$dpi)
  pixels <- function(size) list(width = size$width, height = size$height, units = "px", res = size$dpi)
  how <- switch(check_choice(tolower(tools::file_ext(path)), chart_endings, "the ending of --chart", call),
    png = list(if (requireNamespace("ragg", quietly = TRUE)) ragg::agg_png else grDevices::png, pixels),
    # R's own draws letters as outlines, svglite as text that can be found and read out.
    svg = list(if (requireNamespace("svglite", quietly = TRUE)) svglite::svglite else grDevices::svg, inches),
    pdf = list(grDevices::cairo_pdf, inches)
  )
  function(path, size) do.call(how[[1L]], c(list(path), how[[2L]](size)))
}
