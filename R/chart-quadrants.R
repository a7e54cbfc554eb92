#' Quadrants as a picture
#'
#' Each item as a point, the two splits as lines named with their values, and in each
#' corner the quadrant with its items and share. Quadrants differ in place, shape and
#' colour. The items furthest into their corners have names. Groups have a panel each.
#'
#' An axis on which a few values would squash the rest runs evenly around zero and by
#' powers of ten beyond; it says so.
#'
#' @param x The result of [quadrants()].
#' @param size Name of an additional measure of `x` (`also`), which sets the size of the
#'   points; values at or below zero have the smallest.
#' @param labels How many items have names.
#' @param title Text to replace the finding.
#' @param ... Must be empty.
#' @returns A ggplot. Its data is that of the items shown: `label`, `of`, `against`,
#'   `quadrant`, `size`, `group`, `named`, and `x` and `y`, their positions.
#' @section Errors: `eggcrate_error_unknown_value` when `x` has no quadrants, or no such
#'   measure.
#' @export
#' @examplesIf requireNamespace("ggplot2", quietly = TRUE)
#' chart_quadrants(quadrants(demo_orders(), of = sum(net_sales),
#'   against = c(margin = sum(profit) / sum(net_sales)), by = customer))
chart_quadrants <- function(x, size = NULL, labels = 14, title = NULL, ...) {
  call <- sys.call()[1L]
  check_no_dots(..., call = call)
  check_drawable(x, "eggcrate_quadrants", "the result of `quadrants()`", call)
  check_drawn(title, labels, "labels", call = call)
  x <- drop_others(x)
  ans <- answer_of(x)
  if (!is.null(size)) check_choice(size, measure_names(ans$plan), "size", call)
  layout <- quadrants_layout(x, ans, size, labels)
  if (!nrow(layout$items)) {
    return(as_chart(empty_chart(ans, title)))
  }
  as_chart(draw_quadrants(layout, ans, title))
}

# Layout -------------------------------------------------------------------

quadrants_layout <- function(x, ans, size, labels) {
  rows <- whole_rows(ans)
  cell <- ans$ranked$cell[rows]
  panels <- utils::head(unique(cell[!is.na(ans$facets$quadrants$number[rows])]), most_panels)
  shown <- which(!is.na(ans$facets$quadrants$number[rows]) & cell %in% panels)
  names <- measure_names(ans$plan)
  column <- function(name) .subset2(x, name)[shown]
  sections <- group_labels(ans)
  group <- function(cell) factor(sections[cell], unique(sections[panels]))
  lines <- lapply(ans$facets$quadrants$lines, function(line) line[panels])
  apart <- if (length(panels) > 1L) 0.16 else 0.06
  across <- spread_axis(c(column(names[1L]), lines$of), apart)
  up <- spread_axis(c(column(names[2L]), lines$against), apart)
  items <- data.frame(label = item_names(ans, ans$ranked$order[rows[shown]]),
    of = column(names[1L]),
    against = column(names[2L]),
    quadrant = ans$facets$quadrants$labels[ans$facets$quadrants$number[rows[shown]]],
    group = group(cell[shown]), row = rows[shown])
  items$size <- if (is.null(size)) rep(NA_real_, nrow(items)) else pmax(column(size), 0)
  items$x <- across$to(items$of)
  items$y <- up$to(items$against)
  items$out <- items$row %in% standing_out(ans)
  items$mark <- mark_numbers(ans)[items$row]
  items$label <- cut_names(items$label, 26L)
  marks <- ans$facets$marks$name
  # Signs would look like points, so with several marks the label names the mark.
  if (length(marks) > 1L) {
    items$label <- ifelse(items$mark > 0L, paste0(items$label, ", ", c("", marks)[items$mark + 1L]),
      items$label)
  }
  items$named <- items$out | seq_len(nrow(items)) %in% utils::head(which(items$mark > 0L),
    labels) | named_points(items, ans, labels, length(panels))
  list(
    items = with_columns(items, x, shown),
    lines = data.frame(x = across$to(lines$of), y = up$to(lines$against), of = lines$of,
      against = lines$against, group = group(panels)),
    across = across, up = up, panels = length(panels),
    hidden = length(unique(cell)) - length(panels), size = size
  )
}

# The furthest into their corners, most of them of the corner high and low; small panels
# have room for one of these.
named_points <- function(items, ans, labels, panels) {
  far <- order(items$group, -ans$facets$quadrants$corner[items$row])
  place <- integer(nrow(items))
  place[far] <- stats::ave(seq_along(far), paste(items$group, items$quadrant)[far], FUN = seq_along)
  odd <- items$quadrant == ans$facets$quadrants$labels[2L]
  if (panels > 1L) {
    odd & place <= max(1L, labels %/% 14L)
  } else {
    place <= ifelse(odd, ceiling(labels / 2), floor(labels / 6))
  }
}

#' An axis that shows all values apart: even, or, where a few are twenty times the middle
#' one, even around zero and by powers of ten beyond (an inverse hyperbolic sine).
#' @param apart Distance between points, as a share of the axis.
#' @return `to` (a function to places on the axis), `breaks`, `wide`.
#' @noRd
spread_axis <- function(values, apart) {
  values <- values[is.finite(values)]
  middle <- stats::median(abs(values[values != 0]))
  wide <- length(values) > 2L && !is.na(middle) && max(abs(values)) > 20 * middle
  if (!wide) {
    return(list(to = identity, breaks = NULL, wide = FALSE))
  }
  unit <- 10^floor(log10(middle / 10))
  powers <- unit * 10^(0:ceiling(log10(max(abs(values)) / unit)))
  breaks <- c(-rev(powers), 0, powers)
  to <- function(x) asinh(x / (2 * unit))
  breaks <- breaks[breaks >= min(values) & breaks <= max(values)]
  list(to = to, breaks = thin_out(breaks, to, apart * diff(range(to(values)))), wide = TRUE)
}

# From the largest down, those far enough from the ones taken before.
thin_out <- function(breaks, to, least) {
  taken <- numeric()
  for (at in breaks[order(-abs(breaks))]) {
    if (!length(taken) || min(abs(to(taken) - to(at))) >= least) taken <- c(taken, at)
  }
  sort(taken)
}

# Drawing ------------------------------------------------------------------

quadrant_shapes <- c(21L, 24L, 22L, 23L)
quadrant_fills <- c("ink", "clay", "yolk", "shell")

draw_quadrants <- function(layout, ans, title) {
  labels <- ans$facets$quadrants$labels
  items <- layout$items
  items$quadrant <- factor(items$quadrant, labels)
  chart <- ggplot2::ggplot(items, ggplot2::aes(.data$x, .data$y)) +
    ggplot2::geom_vline(ggplot2::aes(xintercept = .data$x), data = layout$lines,
      colour = palette_eggcrate[["stone"]], linetype = "dashed") +
    ggplot2::geom_hline(ggplot2::aes(yintercept = .data$y), data = layout$lines,
      colour = palette_eggcrate[["stone"]], linetype = "dashed") +
    quadrant_points(items, layout) + point_rings(items) +
    line_words(layout, ans) + corner_words(layout, ans) + point_names(items, layout) +
    ggplot2::scale_shape_manual(values = with_names(quadrant_shapes, labels), drop = FALSE) +
    ggplot2::scale_fill_manual(values = with_names(unname(palette_eggcrate[quadrant_fills]),
      labels), drop = FALSE) +
    axis_of(layout$across, axis_numbers(ans), ggplot2::scale_x_continuous, c(0.09, 0.09)) +
    axis_of(layout$up, against_formatter(ans), ggplot2::scale_y_continuous, c(0.26, 0.18)) +
    quadrants_words(layout, ans, title) + theme_eggcrate() +
    ggplot2::theme(panel.grid.major.x = ggplot2::element_line(colour = "#ECECE8"),
      legend.box = "vertical", legend.box.just = "left", legend.spacing.y = ggplot2::unit(0, "pt"))
  if (layout$panels > 1L) {
    chart <- chart + panels_of(ggplot2::vars(.data$group), "fixed")
  }
  # Four long names do not fit into a narrow picture side by side.
  in_narrow(chart, 0.75, ggplot2::guides(fill = ggplot2::guide_legend(nrow = 2L, order = 1L),
    shape = ggplot2::guide_legend(nrow = 2L, order = 1L, override.aes = list(size = 3, alpha = 1))))
}

# Many points are small and let the others through.
quadrant_points <- function(items, layout) {
  n <- nrow(items)
  seen <- if (n > 2000L) 0.5 else if (n > 300L) 0.7 else 0.9
  aes <- ggplot2::aes(shape = .data$quadrant, fill = .data$quadrant)
  if (is.null(layout$size)) {
    legend <- ggplot2::guide_legend(override.aes = list(size = 3, alpha = 1))
    return(list(ggplot2::guides(shape = legend), ggplot2::geom_point(aes,
      size = if (n > 2000L) 1.1 else if (n > 300L || layout$panels > 1L) 1.9 else 3, alpha = seen,
      colour = palette_eggcrate[["stone"]], stroke = if (n > 2000L) 0.1 else 0.3)))
  }
  # The largest first, so that small ones lie upon them.
  list(
    ggplot2::geom_point(ggplot2::aes(shape = .data$quadrant, fill = .data$quadrant,
      size = .data$size), data = items[order(-items$size), ],
      alpha = 0.75, colour = "white", stroke = 0.3),
    ggplot2::scale_size(range = if (layout$panels > 1L) c(1.2, 6) else c(2, 11),
      labels = function(x) paste(
        if (layout$size %in% display("percent")) percent_formatter()(x) else compact_number(x),
        plain_words(layout$size))),
    ggplot2::guides(size = ggplot2::guide_legend(nrow = 1L, order = 2L,
      override.aes = list(shape = 21L, fill = palette_eggcrate[["shell"]],
        colour = palette_eggcrate[["stone"]])),
      shape = ggplot2::guide_legend(order = 1L, override.aes = list(size = 4)),
      fill = ggplot2::guide_legend(order = 1L))
  )
}

axis_of <- function(axis, number, scale, room) {
  expand <- ggplot2::expansion(mult = room)
  if (axis$wide) {
    scale(breaks = axis$to(axis$breaks), labels = power_labels(axis$breaks, number),
      minor_breaks = NULL, expand = expand)
  } else {
    scale(labels = number, expand = expand)
  }
}

# Powers of ten written out alike; each for itself would be in a unit of its own.
power_labels <- function(breaks, number) {
  if (money_unit() != 1) {
    return(number(breaks))
  }
  format(breaks, trim = TRUE, drop0trailing = TRUE, scientific = FALSE, big.mark = marks()[1L],
    decimal.mark = marks()[2L])
}

# The splits with their rules and values, where no corner has its words.
line_words <- function(layout, ans) {
  rule <- vapply(ans$facets$quadrants$asked,
    function(split) if (is.numeric(split)) "split" else split, "")
  lines <- layout$lines
  several <- layout$panels > 1L
  across <- if (several) short_numbers(ans) else measure_formatter(ans)
  lines$across <- trimws(paste(if (several) "" else rule[1L], across(lines$of)))
  lines$up <- trimws(paste(if (several) "" else rule[2L], against_formatter(ans)(lines$against)))
  size <- if (several) 2.9 else 3.7
  right <- emptier_right(layout)
  lines$end <- ifelse(right, Inf, -Inf)
  lines$just <- ifelse(right, 1, 0)
  list(
    words_on_ground(ggplot2::aes(x = .data$x, y = -Inf, label = .data$across), data = lines,
      hjust = -0.02, vjust = -0.1, size = size, colour = palette_eggcrate[["stone"]]),
    words_on_ground(ggplot2::aes(x = .data$end, y = .data$y, label = .data$up, hjust = .data$just),
      data = lines, vjust = -0.1, size = size, colour = palette_eggcrate[["stone"]])
  )
}

# The end of the horizontal split with fewer points near it, for each panel.
emptier_right <- function(layout) {
  items <- layout$items
  lines <- layout$lines
  reach <- range(c(items$x, lines$x))
  height <- diff(range(c(items$y, lines$y)))
  vapply(seq_len(nrow(lines)), function(panel) {
    beside <- items$group == lines$group[panel] & abs(items$y - lines$y[panel]) <= 0.1 * height
    from_left <- (items$x[beside] - reach[1L]) / max(diff(reach), 1e-9)
    sum(from_left > 0.8) <= sum(from_left < 0.2)
  }, NA)
}

# In each corner its quadrant, with items and share.
corner_words <- function(layout, ans) {
  table <- quadrant_counts(ans)
  cell <- match(as.character(layout$lines$group), group_labels(ans))
  k <- length(levels(table$quadrant))
  rows <- as.vector(outer(1:4, (cell - 1L) * k, `+`))
  share <- (table[["share"]] %||% rep(NA_real_, length(table$items)))[rows]
  several <- layout$panels > 1L
  count <- if (several) {
    format_count(table$items[rows])
  } else {
    vapply(table$items[rows], count_of, "", noun = item_noun(ans$plan))
  }
  count <- paste0(count, ifelse(is.na(share), "", paste0(", ", percent_formatter()(share))))
  # In the lower corners the first line of text is the name of the split.
  words <- data.frame(x = c(Inf, Inf, -Inf, -Inf), y = c(Inf, -Inf, Inf, -Inf),
    right = c(1, 1, 0, 0),
    up = if (several) c(1.1, -0.2, 1.1, -0.2) else c(1.05, -0.45, 1.05, -0.45),
    group = rep(layout$lines$group, each = 4L),
    text = if (several) count else paste(as.character(table$quadrant[rows]), count, sep = "\n"))
  words_on_ground(ggplot2::aes(x = .data$x, y = .data$y, label = .data$text, hjust = .data$right,
    vjust = .data$up), data = words,
    size = if (several) 2.9 else 3.9, lineheight = 1, fontface = "bold",
    colour = palette_eggcrate[["ink"]])
}

# Circles around the points of marked items.
point_rings <- function(items) {
  marked <- items[items$mark > 0L, ]
  if (nrow(marked)) {
    ggplot2::geom_point(data = marked, shape = 1L, size = 5.5, stroke = 1,
      colour = palette_eggcrate[["ink"]])
  }
}

# Names that keep clear of each other and of the points, where ggrepel is installed;
# else only those that fit.
point_names <- function(items, layout) {
  size <- if (layout$panels > 1L) 2.9 else 3.5
  text <- ifelse(items$named, items$label, "")
  if (!requireNamespace("ggrepel", quietly = TRUE)) {
    return(ggplot2::geom_text(ggplot2::aes(label = .data$label), data = items[items$named, ],
      vjust = -0.9, size = size, check_overlap = TRUE, colour = palette_eggcrate[["ink"]]))
  }
  keep <- items$named | nrow(items) <= 600L
  items$text <- text
  items$face <- ifelse(items$out, "bold", "plain")
  # Above and below all points is the room of the corners' own words.
  ggrepel::geom_text_repel(ggplot2::aes(label = .data$text, fontface = .data$face),
    data = items[keep, ], ylim = range(items$y, layout$lines$y, finite = TRUE), size = size,
    colour = palette_eggcrate[["ink"]], max.overlaps = Inf,
    seed = 1L, box.padding = 0.4, point.padding = 0.2, min.segment.length = 0.2,
    segment.colour = palette_eggcrate[["stone"]], max.time = 2, max.iter = 5000L)
}

quadrants_words <- function(layout, ans, title) {
  names <- measure_names(ans$plan)
  outside <- sum(is.na(ans$facets$quadrants$number))
  wide <- c(if (layout$across$wide) plain_words(names[1L]),
    if (layout$up$wide) plain_words(names[2L]))
  notes <- c(
    split_words(ans), if (length(wide)) sprintf("%s on a scale by powers of ten", enumerate(wide)),
    if (layout$panels > 1L) {
      sprintf("in the corners: %s%s", plural_of(item_noun(ans$plan)),
        if (!has_shares(ans)) "" else ", share")
    },
    if (outside) sprintf("%s outside", count_of(outside, item_noun(ans$plan))),
    if (layout$hidden > 0L) sprintf("%s not shown", count_of(layout$hidden, "group")),
    if (length(ans$facets$selection$text)) paste("only",
      paste(ans$facets$selection$text, collapse = ", ")),
    if (any(layout$items$mark > 0L)) paste("circled:",
      paste(ans$facets$marks$name[sort(setdiff(layout$items$mark, 0L))], collapse = ", "))
  )
  chart_labs(
    x = measure_title(ans, measure_words(ans)),
    y = measure_title(ans, plain_words(names[2L]), ans$plan$measures[[2L]]), shape = NULL,
    fill = NULL, title = wrapped_title(title %||% quadrant_finding(ans)),
    subtitle = wrapped_notes(paste(notes, collapse = "; ")), caption = caption_text(ans),
    alt = quadrants_alt(ans)
  )
}

quadrants_alt <- function(ans) {
  table <- quadrant_counts(ans)
  groups <- group_names(ans$plan)
  name <- if (length(groups)) {
    paste(item_labels(table, groups), table$quadrant, sep = ": ")
  } else {
    as.character(table$quadrant)
  }
  sprintf("%s against %s, a point for each %s. %s. %s.",
    plain_words(measure_names(ans$plan)[2L]), measure_words(ans), item_noun(ans$plan),
    quadrant_finding(ans),
    enumerate(sprintf("%s: %s", name, format_count(table$items))))
}
