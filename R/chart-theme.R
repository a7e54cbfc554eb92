# Theme and size of charts.

#' The theme of all charts, with the font and the text size of the display settings.
#' @noRd
theme_eggcrate <- function(base_size = display("base_size") %||% usual_size,
  base_family = display("font") %||% "") {
  ink <- palette_eggcrate[["ink"]]
  stone <- palette_eggcrate[["stone"]]
  ggplot2::theme_minimal(base_size = base_size, base_family = base_family) +
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

# Text size in points. All other sizes in charts are relative to it.
usual_size <- 13

# Fonts of charts: the first that is installed. Sizes and positions suit the fallback of R, which is
# wider.
chart_faces <- c("Inter", "Source Sans 3", "Lato", "Open Sans")

# R's PDF device does not find fonts by name.
chart_font <- function() {
  if (names(grDevices::dev.cur()) %in% c("pdf", "postscript", "xfig", "pictex")) {
    return("")
  }
  if (is.null(the$face)) the$face <- first_face()
  the$face
}

first_face <- function() {
  if (!requireNamespace("systemfonts", quietly = TRUE)) {
    return("")
  }
  c(intersect(chart_faces, systemfonts::system_fonts()$family), "")[1L]
}

# A finished chart: when it is drawn, its labels follow the theme, including added layers, and text
# and lines follow the size of the device.
as_chart <- function(chart) {
  class(chart) <- c("eggcrate_chart", class(chart))
  chart
}

# Number of items, one below the other, in a chart of the usual height, and the largest default
# number.
usual_lines <- 20L
most_lines <- 60L

#' Number of items to draw in each panel: `n` if given, else the selected items up to `most_lines`,
#' else `usual`.
#' @noRd
lines_drawn <- function(n, ans, panels, usual) {
  n %||% if (length(ans$facets$selection$text)) max(usual,
    most_lines %/% ggplot2::wrap_dims(panels)[1L]) else usual
}

#' Makes the chart taller if it has more items than usual; a height that the user gives is kept.
#' @param group Panel of each item.
#' @noRd
in_higher <- function(chart, group) {
  lines <- max(0L, table(group)) * ggplot2::wrap_dims(max(1L, length(unique(group))))[1L]
  attr(chart, "higher") <- max(1, (lines + 6) / (usual_lines + 6))
  chart
}

higher_size <- function(plot, size) {
  if (isTRUE(size$free)) size$height <- round(size$height * (attr(plot, "higher") %||% 1))
  size
}

#' A chart that is otherwise in a narrow picture.
#' @param below A part of the usual width.
#' @param then What is added to it there.
#' @noRd
in_narrow <- function(chart, below, then) {
  attr(chart, "narrow") <- list(below = below, then = then)
  chart
}

#' @exportS3Method ggplot2::ggplot_build
ggplot_build.eggcrate_chart <- function(plot, ...) {
  class(plot) <- setdiff(class(plot), "eggcrate_chart")
  text <- text_of(plot)
  room <- picture_room()
  if (room$width < attr(plot, "narrow")$below %||% 0) plot <- plot + attr(plot, "narrow")$then
  size <- text$size * room$scale
  face <- if (isTRUE(nzchar(text$family))) text$family else chart_font()
  plot <- plot + ggplot2::theme(text = ggplot2::element_text(size = size, family = face))
  plot$layers <- lapply(plot$layers, fit_text, family = face, scale = size / usual_size)
  characters <- room$width * usual_size / size
  for (part in c("title", "subtitle", "caption")) {
    # Lines that were broken for the usual width are broken for this one.
    if (is.character(plot$labels[[part]]) && characters != 1) {
      plot$labels[[part]] <- rewrapped(plot$labels[[part]], line_characters[[part]] * characters)
    }
  }
  ggplot2::ggplot_build(plot)
}

# Characters of a line in a chart of the usual width.
line_characters <- c(title = 80, subtitle = 114, caption = 150)

rewrapped <- function(text, characters) {
  paste(strwrap(gsub("\n", " ", text, fixed = TRUE), max(20, characters)), collapse = "\n")
}

text_of <- function(plot) {
  text <- plot$theme$text
  part <- function(name) tryCatch(attr(text, name, exact = TRUE) %||% text[[name]],
    error = function(e) NULL)
  size <- part("size")
  list(size = if (is.numeric(size)) as.numeric(size) else usual_size, family = part("family"))
}

# Labels are layers, which know no theme.
fit_text <- function(layer, family, scale) {
  if (!inherits(layer$geom, c("GeomText", "GeomLabel", "GeomTextRepel"))) {
    return(layer)
  }
  own <- ggplot2::ggproto(NULL, layer)
  own$aes_params$family <- own$aes_params$family %||% family
  own$aes_params$size <- (own$aes_params$size %||% 3.88) * scale
  own
}

#' Width of the open graphics device, as a share of the usual width, and the scale of its text,
#' which is at least 0.7.
#' @noRd
picture_room <- function() {
  if (grDevices::dev.cur() == 1L) {
    return(list(width = 1, scale = 1))
  }
  inches <- grDevices::dev.size("in")
  usual <- chart_size()
  part <- inches / (c(usual$width, usual$height) / usual$dpi)
  list(width = part[1L], scale = max(0.7, min(1, part)))
}

#' The columns of the result beside those of the picture, so that it can be parted and added to by
#' them.
#' @param rows Which rows of `x` the rows of `items` are.
#' @noRd
with_columns <- function(items, x, rows) {
  own <- unclass(as_plain(x))
  more <- setdiff(names(own), names(items))
  items[more] <- lapply(own[more], key_at, rows)
  items
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

# Names that are alike are told apart by what is not shown: blanks of no width.
unique_names <- function(names) {
  again <- stats::ave(seq_along(names), names, FUN = seq_along) - 1L
  paste0(names, strrep("\u200b", again))
}
shown_names <- function(names) gsub("\u200b", "", names, fixed = TRUE)

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
wrapped_title <- function(title) paste(strwrap(title, line_characters[["title"]]), collapse = "\n")
wrapped_notes <- function(notes) {
  if (length(notes)) {
    paste(strwrap(paste(notes, collapse = " "), line_characters[["subtitle"]]), collapse = "\n")
  }
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
  paste(strwrap(paste0(where, "Source: ", ans$source, ", ", rows, ". ", covered),
    line_characters[["caption"]]),
    collapse = "\n")
}

# Files --------------------------------------------------------------------

#' Writes a figure; the ending of the file says how.
#' @param size From `chart_size()`; the same shape on paper.
#' @noRd
write_chart <- function(plot, path, size = chart_size(), call = NULL) {
  size <- higher_size(plot, size)
  device <- chart_device(path, call)
  drawn <- if (tolower(tools::file_ext(path)) == "pdf") plot else laid_out(plot, size)
  on_device(device, path, size, draw_once(drawn))
  invisible(path)
}

# Laid out once, a figure is the same in every file of it.
write_charts <- function(plot, paths, size = chart_size(), call = NULL) {
  size <- higher_size(plot, size)
  drawn <- NULL
  for (path in paths[order(tools::file_ext(paths) != "png")]) {
    if (is.null(drawn) && tools::file_ext(path) != "png") drawn <- laid_out(plot, size)
    on_device(chart_device(path, call), path, size, {
      if (is.null(drawn)) drawn <- ggplot2::ggplotGrob(plot)
      draw_once(drawn)
    })
  }
}

# On paper of points, whatever it is drawn on.
laid_out <- function(plot, size) {
  if (requireNamespace("ragg", quietly = TRUE)) {
    device <- function(path, size) ragg::agg_capture(size$width, size$height, "px", res = size$dpi)
    return(on_device(device, NULL, size, ggplot2::ggplotGrob(plot)))
  }
  path <- tempfile(fileext = ".png")
  on.exit(unlink(path))
  on_device(chart_device(path), path, size, ggplot2::ggplotGrob(plot))
}

draw_once <- function(x) {
  if (inherits(x, "gtable")) {
    grid::grid.newpage()
    grid::grid.draw(x)
  } else {
    print(x)
  }
}

on_device <- function(device, path, size, code) {
  before <- grDevices::dev.cur()
  keeping_seed({
    device(path, size)
    on.exit({
      grDevices::dev.off()
      if (before > 1L) grDevices::dev.set(before)
    })
    code
  })
}

# A title, and how many are to be drawn.
check_drawn <- function(title, count = NULL, arg = "n", call = NULL) {
  if (!is.null(title) && !(is.character(title) && length(title) == 1L && !is.na(title))) {
    stop_eggcrate("call", "unknown_value",
      sprintf("`title` must be one text, not %s.", describe(title)), call = call)
  }
  # `n` must be at least 1; 0 labels or 0 bars still give a chart.
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

#' The size of a picture in pixels, and its pixels per inch, which set the size of its text.
#' @noRd
chart_size <- function(width = NULL, height = NULL, dpi = NULL, free = is.null(height)) {
  list(width = width %||% 1280, height = height %||% 800, dpi = dpi %||% 110, free = free)
}

chart_device <- function(path, call = NULL) {
  inches <- function(size) list(width = size$width / size$dpi, height = size$height / size$dpi)
  pixels <- function(size) list(width = size$width, height = size$height, units = "px",
    res = size$dpi)
  how <- switch(check_choice(tolower(tools::file_ext(path)), chart_endings, "the ending of --chart",
    call),
    png = list(if (requireNamespace("ragg", quietly = TRUE)) ragg::agg_png else grDevices::png,
      pixels),
    # R's own svg() draws text as outlines; svglite writes text that can be searched and read out.
    svg = list(if (requireNamespace("svglite", quietly = TRUE)) svglite::svglite else
      grDevices::svg, inches),
    pdf = list(grDevices::cairo_pdf, inches)
  )
  function(path, size) do.call(how[[1L]], c(list(path), how[[2L]](size)))
}
