#' Heat grid as a picture
#'
#' One tile per cell in its colour. The number is written on it where it fits, in black or white,
#' whichever is easier to read. Periods are in calendar order; incomplete ones are marked. A blank
#' cell has no rows.
#'
#' @param x The result of [heat_grid()].
#' @param n How many rows to show.
#' @param figures Whether to write the figures; by default where there is room.
#' @param title Text to replace the finding.
#' @param ... Must be empty.
#' @returns A ggplot. Its data has one row per cell: `row`, `column` (factors), `value`, `shade`,
#'   `tier`, `group`, `text`, `fill` and `ink` (colours), and `.row`, the position of the cell among
#'   all ranked cells.
#' @section Errors: `eggcrate_error_unknown_value` when `x` is no grid.
#' @export
#' @examplesIf requireNamespace("ggplot2", quietly = TRUE)
#' chart_heat(heat_grid(demo_orders(), of = sum(net_sales), by = region,
#'   across = quarter(order_date), along = "rows"))
chart_heat <- function(x, n = 30, figures = NULL, title = NULL, ...) {
  call <- sys.call()[1L]
  check_no_dots(..., call = call)
  check_drawable(x, "eggcrate_grid", "the result of `heat_grid()`", call)
  check_drawn(title, n, "n", call = call)
  ans <- answer_of(x)
  if (!length(ans$ranked$cell) || !length(shown_rows(ans))) {
    return(as_chart(empty_chart(ans, title)))
  }
  as_chart(draw_heat(heat_layout(ans, n, figures), ans, title))
}

most_columns <- 60L

heat_layout <- function(ans, n, figures) {
  grid <- ans$facets$grid
  table <- grid_cells(ans)
  k <- length(grid$labels$columns)
  rows <- rows_in_view(ans, n)
  columns <- utils::tail(seq_len(k), most_columns)
  at <- table$row %in% rows & table$column %in% columns
  # Names may be alike, in two groups or when they are cut.
  names <- lapply(c(rows = "rows", columns = "columns"),
    function(side) unique_names(side_labels(ans, side, 26L, " *")))
  names$rows <- paste0(row_signs(ans), names$rows)
  cells <- lapply(table, `[`, at)
  cells <- data.frame(row = factor(names$rows[cells$row], rev(names$rows[rows])),
    column = factor(names$columns[cells$column], names$columns[columns]),
    value = cells$value, shade = cells$shade, .row = cells$.row, text = cell_figures(ans, cells),
    fill = cell_fills(cells, grid$asked),
    group = if (length(grid$groups)) factor(grid$groups[grid$group[cells$row]], grid$groups) else
    "all",
    tier = if (is.null(cells$tier)) NA_character_ else grid$asked$scheme$labels[cells$tier])
  keys <- lapply(grid_keys(ans, table), `[`, at)
  cells[setdiff(names(keys), names(cells))] <- keys[setdiff(names(keys), names(cells))]
  cells$ink <- legible_on(cells$fill)
  # A character takes about 8 of the 1100 points that all columns have.
  size <- min(4.2, 1050 / length(columns) / max(nchar(cells$text), 3L) / 2.65)
  list(cells = cells, figures = figures %||% (size >= 2.1 && length(rows) <= 30L),
    size = max(size, 1.6), columns = length(columns), grouped = length(grid$groups) > 0L,
    hidden = c(length(shown_rows(ans)) - length(rows), k - length(columns)))
}

draw_heat <- function(layout, ans, title) {
  drawn <- layout$cells[!is.na(layout$cells$shade), ]
  slant <- layout$columns > 12L
  scheme <- ans$facets$grid$asked$scheme
  chart <- ggplot2::ggplot(drawn, ggplot2::aes(.data$column, .data$row)) +
    heat_tiles(ans, scheme) +
    ggplot2::scale_x_discrete(drop = FALSE, position = "top", labels = shown_names) +
    ggplot2::scale_y_discrete(drop = layout$grouped, labels = shown_names) +
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
  if (layout$grouped) chart <- chart + stacked_groups()
  chart
}

# Groups one below the other, each as high as it has rows.
stacked_groups <- function() {
  list(ggplot2::facet_grid(rows = "group", scales = "free_y", space = "free_y", switch = "y"),
    ggplot2::theme(strip.placement = "outside", strip.text.y.left = ggplot2::element_text(angle = 0,
      face = "bold", hjust = 1, vjust = 1, colour = palette_eggcrate[["ink"]]),
      panel.spacing.y = ggplot2::unit(6, "pt")))
}

# Tiles in shades with a ramp as legend, or in the colours of tiers with their names.
heat_tiles <- function(ans, scheme) {
  tile <- function(fill) ggplot2::geom_tile(fill, colour = "white", linewidth = 0.5)
  if (!is.null(scheme)) {
    return(list(tile(ggplot2::aes(fill = .data$tier)),
      ggplot2::scale_fill_manual(values = tier_colours(scheme), limits = scheme$labels,
        labels = function(label) paste("tier", label))))
  }
  signed <- !is.null(ans$facets$grid$asked$centre)
  ramp <- shade_ramp(signed, 64L)
  list(tile(ggplot2::aes(fill = .data$shade)),
    ggplot2::scale_fill_gradientn(colours = heat_colour(ramp, signed), limits = range(ramp),
      breaks = if (signed) c(-1, 0, 1) else c(0, 0.5, 1), labels = shade_labels(ans),
      guide = ggplot2::guide_colourbar(barwidth = ggplot2::unit(260, "pt"),
        barheight = ggplot2::unit(10, "pt"))))
}

heat_words <- function(layout, ans, title) {
  notes <- c(
    row_mark_words(ans),
    if (!is.null(ans$facets$grid$side)) selection_lines(answer_of(grid_side(ans))),
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
