# A figure of the desk: its picture, and where in it the items are.

#' @param size From `chart_size()`.
#' @return `svg` (lines), and `areas`, one row per drawn item: `row` of the whole, `left`, `top`,
#'   `width`, `height` as shares of the chart, and `of_groups` (is it a group, with the row of its
#'   first item?).
#' @noRd
step_figure <- function(x, chart, size = chart_size()) {
  size <- higher_size(chart, size)
  keyed <- keyed_chart(x, chart)
  path <- tempfile("eggcrate-", fileext = ".svg")
  on.exit(unlink(path))
  areas <- on_device(chart_device(path), path, size, {
    built <- ggplot2::ggplot_build(keyed)
    table <- ggplot2::ggplot_gtable(built)
    draw_once(table)
    drawn_areas(built, table, size)
  })
  list(svg = readLines(path, encoding = "UTF-8"), areas = areas,
    of_groups = draws_groups(x, chart$data))
}

# The marks of a chart: shapes, or lines and text if no shape belongs to an item.
drawn_shapes <- list(c("GeomCol", "GeomBar", "GeomRect", "GeomTile", "GeomPoint"), "GeomLine",
  "GeomText")

# The chart whose shapes know which row of the answer they are.
keyed_chart <- function(x, chart) {
  rows <- chart_rows(x, chart$data)
  if (is.null(rows)) {
    return(chart)
  }
  chart$data$desk_row <- rows
  shared <- vapply(chart$layers,
    function(layer) inherits(layer$data, "waiver") || !is.data.frame(layer$data), NA)
  kinds <- lapply(drawn_shapes,
    function(geoms) shared & vapply(chart$layers, function(layer) inherits(layer$geom, geoms), NA))
  items <- Find(any, kinds) %||% FALSE
  chart$layers[items] <- lapply(chart$layers[items], with_desk_row)
  chart
}

with_desk_row <- function(layer) {
  keyed <- ggplot2::ggproto(NULL, layer)
  keyed$mapping <- do.call(ggplot2::aes,
    c(as.list(layer$mapping), list(desk_row = quote(.data$desk_row))))
  keyed
}

#' Which rows of the whole the rows of a chart's data are; NULL where they cannot be told.
#' @noRd
chart_rows <- function(x, data) {
  if (!is.data.frame(data)) {
    return(NULL)
  }
  ans <- answer_of(x)
  keys <- if (draws_groups(x, data)) group_names(ans$plan) else names(all_keys(ans$plan))
  # A column of the data may be called so too.
  if (".row" %in% setdiff(names(data), keys)) {
    return(data$.row)
  }
  if (!all(keys %in% names(data)) || !all(keys %in% names(x))) {
    return(NULL)
  }
  # Of very many items few are drawn.
  near <- Reduce(function(rows, key) rows[.subset2(x, key)[rows] %in% .subset2(data, key)], keys,
    seq_len(nrow(x)))
  code <- function(table, rows) do.call(paste,
    c(lapply(keys, function(key) as.character(.subset2(table, key)[rows])), sep = "\r"))
  whole_rows(ans)[near[match(code(data, seq_len(nrow(data))), code(x, near))]]
}

# Tiles of standings within regions are the regions.
draws_groups <- function(x, data) {
  plan <- answer_of(x)$plan
  is.data.frame(data) && length(plan$within) > 0L && all(group_names(plan) %in% names(data)) &&
    !any(names(plan$by) %in% names(data))
}

# Panels are in the order of the layout, row by row.
drawn_areas <- function(built, table, size) {
  layout <- built$layout$layout
  panels <- table$layout[grepl("^panel", table$layout$name), ]
  panels <- panels[order(panels$t, panels$l), ]
  places <- sprintf("%s.%d-%d-%d-%d", panels$name, panels$t, panels$r, panels$b, panels$l)
  in_order <- order(layout$ROW, layout$COL)
  layers <- Filter(function(data) "desk_row" %in% names(data), built$data)
  found <- lapply(layers, function(data) {
    lapply(split(data, data$PANEL), function(part) {
      panel <- as.integer(part$PANEL[1L])
      panel_areas(part, built$layout, panel, places[match(panel, in_order)], size)
    })
  })
  one_of_text(do.call(rbind, as.list(unlist(found, recursive = FALSE))))
}

# What is written of an item is one area, however many texts it is.
one_of_text <- function(areas) {
  written <- if (!is.null(areas)) which(areas$text)
  if (length(written)) {
    row <- areas$row[written]
    side <- function(values, f) stats::ave(values[written], row, FUN = f)
    right <- side(areas$left + areas$width, max)
    bottom <- side(areas$top + areas$height, max)
    areas$left[written] <- side(areas$left, min)
    areas$top[written] <- side(areas$top, min)
    areas$width[written] <- right - areas$left[written]
    areas$height[written] <- bottom - areas$top[written]
    areas <- areas[setdiff(seq_along(areas$row), written[duplicated(row)]), ]
  }
  areas[setdiff(names(areas), "text")]
}

# A point can be met from a little way off.
point_reach <- 9

panel_areas <- function(data, layout, panel, place, size) {
  if (!nrow(data)) {
    return(NULL)
  }
  text <- "label" %in% names(data)
  boxed <- all(c("xmin", "xmax", "ymin", "ymax") %in% names(data))
  ends <- if (boxed) {
    list(data.frame(x = data$xmin, y = data$ymin), data.frame(x = data$xmax, y = data$ymax))
  } else {
    list(data.frame(x = data$x, y = data$y))[c(1L, 1L)]
  }
  ends <- lapply(ends, function(end) {
    within <- layout$coord$transform(end, layout$panel_params[[panel]])
    device_points(place, within$x, within$y, size)
  })
  reach <- if (text) text_reach(data, size) else rep(list(if (boxed) 0 else point_reach), 4L)
  left <- pmin(ends[[1L]]$x, ends[[2L]]$x) - reach[[1L]]
  top <- pmin(ends[[1L]]$y, ends[[2L]]$y) - reach[[2L]]
  right <- pmax(ends[[1L]]$x, ends[[2L]]$x) + reach[[3L]]
  bottom <- pmax(ends[[1L]]$y, ends[[2L]]$y) + reach[[4L]]
  known <- is.finite(left + top + right + bottom) & !is.na(data$desk_row)
  data.frame(row = data$desk_row, text = text, left = left / size$width,
    top = top / size$height, width = pmax(right - left, 3) / size$width,
    height = pmax(bottom - top, 3) / size$height)[known, ]
}

# Extent of text around its position, in pixels: left, up, right, down.
text_reach <- function(data, size) {
  points <- data$size * ggplot2::.pt
  wide <- vapply(seq_along(points), function(i) {
    text <- grid::textGrob(data$label[i],
      gp = grid::gpar(fontsize = points[i], fontfamily = data$family[i]))
    grid::convertWidth(grid::grobWidth(text), "inches", valueOnly = TRUE)
  }, 0) * size$dpi
  high <- 1.5 * points / 72 * size$dpi
  list(data$hjust * wide, (1 - data$vjust) * high, (1 - data$hjust) * wide, data$vjust * high)
}

# Pixels from the upper left.
device_points <- function(place, x, y, size) {
  grid::seekViewport(place)
  on.exit(grid::upViewport(0L))
  at <- grid::deviceLoc(grid::unit(x, "npc"), grid::unit(y, "npc"), valueOnly = TRUE)
  list(x = at$x * size$dpi, y = size$height - at$y * size$dpi)
}
