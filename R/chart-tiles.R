# Tiles of one size at their places, each with its name, value, rank and share.

#' Regions laid out as on a map
#'
#' Places regions (or any items) as tiles of one size, so that small ones can be read like
#' large ones. A layout is a table with the region, its row and its column.
#'
#' Of standings by region each tile has the region's value, rank and share, and its tier
#' where tiers are assigned. Of standings `within` regions a tile has the total of the region,
#' and its first items are in the table and in the alternative text of the picture.
#'
#' @param x Standings by one column, or within one.
#' @param layout A data frame with that column, `row` and `column` (whole numbers, from the
#'   top left), or the path of a file with one.
#' @param top How many items to name for each region.
#' @param shade The measure of `x` that colours the tiles, bare or as text, such as `profit`; by
#'   default the tier, or the rank.
#' @param centre A value of `shade` without a colour: what lies above and below has one each.
#' @param title Text to replace the finding.
#' @param ... Must be empty.
#' @returns `tile_table()`: a tibble, one row per tile, row by row: the region, `row`, `column`,
#'   `rank`, the measure, `share`, additional measures, and, where there are, `tier` and `top`
#'   (character, the first items with their values). Regions of the layout without rows have a
#'   missing value. `chart_tiles()`: a ggplot of that.
#' @section Errors: `eggcrate_error_unknown_column` for a layout without the columns,
#'   `eggcrate_error_value` for one with two tiles in one place or with a region of `x` missing.
#' @export
#' @examplesIf requireNamespace("ggplot2", quietly = TRUE)
#' customers <- standings(demo_orders(), of = sum(net_sales), by = customer, within = region)
#' tile_table(customers, demo_tiles())
#' chart_tiles(customers, demo_tiles())
#' regions <- standings(demo_orders(), of = sum(net_sales), by = region,
#'   also = c(profit = sum(profit)))
#' chart_tiles(regions, demo_tiles(), shade = profit, centre = 150000)
chart_tiles <- function(x, layout, top = 3, shade = NULL, centre = NULL, title = NULL, ...) {
  call <- sys.call()[1L]
  check_no_dots(..., call = call)
  need_package("ggplot2", "draw a chart", call)
  check_drawn(title, top, "top", call = call)
  check_standings(x, call = call)
  ans <- answer_of(drop_others(x))
  shade <- read_tile_shade(capture("shade", environment()), centre, ans, call)
  table <- tile_rows(ans, read_layout(table_given(layout, call), ans, call), top, call = call)
  if (!length(ans$ranked$cell)) {
    return(as_chart(empty_chart(ans, title)))
  }
  as_chart(draw_tiles(table, ans, shade, title))
}

draw_tiles <- function(table, ans, shade, title) {
  tiles <- tile_data(table, ans, shade)
  size <- min(5, 24 / max(diff(range(tiles$column)) + 1, nchar(tiles$name) / 4.5))
  ggplot2::ggplot(tiles, ggplot2::aes(.data$column, .data$row)) +
    tile_ground(table, ans, shade) +
    ggplot2::geom_text(ggplot2::aes(label = harmless(.data$name)), vjust = -1.1, size = size,
      fontface = "bold", colour = tiles$ink) +
    ggplot2::geom_text(ggplot2::aes(label = .data$figure), vjust = 0.6, size = size,
      colour = tiles$ink) +
    ggplot2::geom_text(ggplot2::aes(label = harmless(.data$text, "\n")), vjust = 2.5,
      size = size * 0.85,
      colour = tiles$ink) +
    ggplot2::scale_y_reverse() +
    chart_labs(x = NULL, y = NULL, fill = NULL,
      title = wrapped_title(title %||% tiles_finding(table, ans)), caption = caption_text(ans),
      alt = tiles_alt(table, ans),
      subtitle = wrapped_notes(c(
        sprintf("%s of each %s, laid out as on a map.", capital(measure_words(ans)),
          plain_words(names(table)[1L])), tile_shade_words(table, ans, shade)))) +
    theme_eggcrate() +
    ggplot2::theme(axis.text = ggplot2::element_blank(), panel.grid = ggplot2::element_blank(),
      panel.grid.major.y = ggplot2::element_blank(),
      # The names of the ends are wider than the ramp.
      legend.margin = ggplot2::margin(0, 0, 0, if (is.null(shade)) 0 else 34))
}

tile_data <- function(table, ans, shade) {
  value <- table[[plan_measure(ans$plan)$name]]
  known <- !is.na(value)
  tier <- if (is.null(table$tier)) NA else as.character(table$tier)
  # Shades by rank: small regions are told apart as well as large ones.
  part <- if (is.null(shade)) {
    ifelse(known, 1 - (table$rank - 1) / max(1, sum(known) - 1), NA)
  } else {
    tile_shades(table[[shade$name]], shade$centre)$shade
  }
  ground <- if (!is.null(table$tier) && is.null(shade)) {
    ifelse(is.na(tier), "#FFFFFF", tier_colours(ans$facets$tiers$scheme)[tier])
  } else {
    heat_colour(darkest_tile * part, !is.null(shade$centre))
  }
  tiles <- data.frame(row = table$row, column = table$column, name = table[[1L]], value = value,
    shade = part, tier = tier, ink = legible_on(ground),
    figure = ifelse(known, measure_formatter(ans)(value), ""),
    text = ifelse(known, tile_words(table, ans, shade), "no sales"))
  key <- names(table)[1L]
  if (!key %in% names(tiles)) tiles[[key]] <- table[[1L]]
  tiles
}

# Below the figure: the rank, and the share and the tier or what the shade is by.
tile_words <- function(table, ans, shade) {
  share <- table[["share"]] %||% NA
  words <- if (!is.null(shade)) {
    measure <- measure_named(ans, shade$name)
    sprintf(", %s %s", plain_words(shade$name),
      shade_formatter(ans, measure, table)(table[[shade$name]]))
  } else {
    paste0(ifelse(is.na(share), "", paste0(", ", percent_formatter()(share))),
      if (is.null(table$tier)) "" else paste(", tier", table$tier))
  }
  sprintf("no. %s%s", format_count(table$rank), words)
}

shade_formatter <- function(ans, measure, table) {
  if (measure$name == asked_measure(ans)$name) measure_formatter(ans) else {
    figure_formatter(ans, measure, greatest(table[[measure$name]]))
  }
}

tile_shade_words <- function(table, ans, shade) {
  if (!is.null(shade)) {
    sprintf("Shade: by %s%s.", plain_words(shade$name), if (is.null(shade$centre)) "" else
      sprintf(", one colour above %s and one below",
        shade_formatter(ans, measure_named(ans, shade$name), table)(shade$centre)))
  } else if (is.null(table$tier)) {
    "Shade: by rank."
  } else {
    sprintf("Colour: by tier, %s.", shown_scheme(ans$facets$tiers$scheme))
  }
}

# Names and figures stay legible on it.
darkest_tile <- 0.9

tile_ground <- function(table, ans, shade) {
  tile <- function(fill) {
    ggplot2::geom_tile(fill, width = 0.94, height = 0.94, colour = palette_eggcrate[["stone"]],
      linewidth = 0.2)
  }
  if (!is.null(table$tier) && is.null(shade)) {
    return(list(tile(ggplot2::aes(fill = .data$tier)),
      ggplot2::scale_fill_manual(values = tier_colours(ans$facets$tiers$scheme),
        limits = ans$facets$tiers$scheme$labels,
        labels = function(tier) paste("tier", tier), na.value = "white")))
  }
  signed <- !is.null(shade$centre)
  limits <- if (signed) c(-1, 1) else c(0, 1)
  breaks <- if (signed) c(-1, 0, 1) else c(0, 1)
  labels <- if (is.null(shade)) c("last", "first") else {
    measure <- measure_named(ans, shade$name)
    shade_formatter(ans, measure, table)(tile_shades(table[[shade$name]], shade$centre)$ends)
  }
  ramp <- seq(darkest_tile * limits[1L], darkest_tile, length.out = 64L)
  list(tile(ggplot2::aes(fill = .data$shade)),
    ggplot2::scale_fill_gradientn(colours = heat_colour(ramp, signed),
      limits = limits, breaks = breaks, labels = labels, na.value = "white",
      guide = ggplot2::guide_colourbar(barwidth = ggplot2::unit(220, "pt"),
        barheight = ggplot2::unit(9, "pt"))))
}

# Each tile with its value, and with its first items where there are.
tiles_alt <- function(table, ans) {
  value <- measure_formatter(ans)(table[[plan_measure(ans$plan)$name]])
  one <- sprintf("%s %s", table[[1L]], ifelse(nzchar(value), value, "no sales"))
  if (!is.null(table$top)) {
    one <- ifelse(is.na(table$top), one, sprintf("%s (first: %s)", one, table$top))
  }
  sprintf("Tiles of %s in %s rows. %s.", question_text(ans$plan),
    format_count(diff(range(table$row)) + 1), paste(one, collapse = ". "))
}
