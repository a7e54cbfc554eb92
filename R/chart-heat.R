#' Heat grid as a picture
#'
#' A tile for each cell in its shade, with the figures where they fit, always in letters
#' that can be read on it. Periods stand in calendar order; those that are not complete are
#' marked; a blank cell has no row of data.
#'
#' @param x The result of [heat_grid()].
#' @param n How many rows to show.
#' @param figures Whether to write the figures; by default where there is room.
#' @param title Text to replace the finding.
#' @param ... Must be empty.
#' @returns A ggplot. Its data is one row per cell: `row`, `column` (factors), `value`,
#'   `shade`, `text`, `fill` and `ink` (colours).
#' @section Errors: `eggcrate_error_unknown_value` when `x` is no grid.
#' @export
#' @examplesIf requireNamespace("ggplot2", quietly = TRUE)
#' chart_heat(heat_grid(demo_orders(), of = sum(net_sales), by = region, across = quarter(order_date), along = "rows"))
chart_heat <- function(x, n = 30, figures = NULL, title = NULL, ...) {
  call <- sys.call()[1L]
  check_no_dots(..., call = call)
  check_drawable(x, "eggcrate_grid", "the result of `heat_grid()`", call)
  check_drawn(title, n, "n", call = call)
  ans <- answer_of(x)
  if (!length(ans$ranked$cell)) {
    return(empty_chart(ans, title))
  }
  draw_heat(heat_layout(ans, n, figures), ans, title)
}

most_columns <- 60L

heat_layout <- function(ans, n, figures) {
  grid <- ans$facets$grid
  table <- grid_cells(ans)
  k <- length(grid$labels$columns)
  rows <- seq_len(min(n, length(grid$labels$rows)))
  columns <- utils::tail(seq_len(k), most_columns)
  at <- table$row %in% rows & table$column %in% columns
  # Names that are cut may be alike.
  names <- lapply(c(rows = "rows", columns = "columns"),
    function(side) make.unique(side_labels(ans, side, 26L, " *"), " "))
  signed <- !is.null(grid$asked$centre)
  cells <- data.frame(row = factor(names$rows[table$row[at]], rev(names$rows[rows])),
    column = factor(names$columns[table$column[at]], names$columns[columns]),
    value = table$value[at], shade = table$shade[at], text = cell_figures(ans, table)[at])
  cells$fill <- heat_colour(cells$shade, signed)
  cells$ink <- legible_on(cells$fill)
  # A letter takes some 8 of the 1100 points that there are for the columns.
  size <- min(4.2, 1050 / length(columns) / max(nchar(cells$text), 3L) / 2.65)
  list(cells = cells, figures = figures %||% (size >= 2.1 && length(rows) <= 30L),
    size = max(size, 1.6), columns = length(columns),
    hidden = c(length(grid$labels$rows) - length(rows), k - length(columns)))
}

draw_heat <- function(layout, ans, title) {
  cells <- layout$cells
  drawn <- cells[!is.na(cells$shade), ]
  signed <- !is.null(ans$facets$grid$asked$centre)
  ramp <- shade_ramp(signed, 64L)
  slant <- layout$columns > 12L
  chart <- ggplot2::ggplot(drawn, ggplot2::aes(.data$column, .data$row)) +
    ggplot2::geom_tile(ggplot2::aes(fill = .data$shade), colour = "white", linewidth = 0.5) +
    ggplot2::scale_fill_gradientn(colours = heat_colour(ramp, signed), limits = range(ramp),
      breaks = if (signed) c(-1, 0, 1) else c(0, 0.5, 1), labels = shade_labels(ans),
      guide = ggplot2::guide_colourbar(barwidth = ggplot2::unit(260, "pt"),
        barheight = ggplot2::unit(10, "pt"))) +
    ggplot2::scale_x_discrete(drop = FALSE, position = "top") +
    ggplot2::scale_y_discrete(drop = FALSE) +
    heat_words(layout, ans, title) + theme_eggcrate() +
    ggplot2::theme(panel.grid = ggplot2::element_blank(),
      panel.grid.major.y = ggplot2::element_blank(), legend.position = "bottom",
      axis.text.x.top = ggplot2::element_text(angle = if (slant) 60 else 0,
        hjust = if (slant) 0 else 0.5,
        size = ggplot2::rel(if (layout$columns > 24L) 0.75 else 0.9)))
  if (layout$figures) {
    chart <- chart +
      ggplot2::geom_text(ggplot2::aes(label = .data$text), colour = drawn$ink, size = layout$size)
  }
  chart
}

heat_words <- function(layout, ans, title) {
  notes <- c(
    shade_words(ans), unit_words(ans), star_words(ans),
    blank_words(layout$cells$shade), hidden_sides(ans, layout$hidden)
  )
  chart_labs(x = NULL, y = NULL, fill = NULL,
    title = wrapped_title(title %||% grid_finding(ans)), subtitle = wrapped_notes(notes),
    caption = caption_text(ans),
    alt = sprintf("Heat grid of %s, %s rows and %s columns. %s.", measure_words(ans),
      format_count(length(ans$facets$grid$labels$rows)),
        format_count(length(ans$facets$grid$labels$columns)),
      grid_finding(ans)))
}
