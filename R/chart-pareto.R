#' Pareto chart
#'
#' Bars in rank order, the cumulative share as a line, and the line at the part to
#' reach; the items that it takes are picked out, and the title says how many
#' they are. Of a long list the first items have a bar each and a name; the rest
#' is folded into a narrow field at the right, in which the line runs on. Groups have a
#' panel each, with all items as bars and the number of those that it takes.
#'
#' @param x Standings, or the result of [pareto()].
#' @param reach The part of the total to reach: `0.8` or `"80%"`. By default that of
#'   `x`, and 80% for plain standings.
#' @param bars How many items have a bar of their own when there are more than 30.
#' @param title Text to replace the finding.
#' @param ... Must be empty.
#' @returns A ggplot. Its data is that of the items shown.
#' @section Errors: `eggcrate_error_unknown_value` when `x` was cut by [only()],
#'   `eggcrate_error_value` when the total is not above zero.
#' @export
#' @examplesIf requireNamespace("ggplot2", quietly = TRUE)
#' chart_pareto(standings(demo_orders(), of = sum(net_sales), by = product))
chart_pareto <- function(x, reach = NULL, bars = 24, title = NULL, ...) {
  call <- sys.call()[1L]
  check_no_dots(..., call = call)
  need_package("ggplot2", "draw a chart", call)
  check_drawn(title, bars, "bars", call = call)
  check_standings(x, call = call)
  ans <- answer_of(x)
  if (has_facet(ans, "selection")) {
    stop_eggcrate("call", "unknown_value",
      "A Pareto chart needs all items, and `x` was cut by `only()`.",
      i = "Mark them with `highlight()` instead, or draw them with `chart_bars()`.", call = call)
  }
  part <- reach %||% ans$facets$reach$part %||% grammar_arguments$reach$default
  part <- read_part(part, "reach", call)
  # The curve is in order of rank, even if the table is sorted otherwise.
  x <- in_rank_order(add_reach(x, part, call = call))
  ans <- answer_of(x)
  if (!length(ans$ranked$cell)) {
    return(as_chart(empty_chart(ans, title)))
  }
  if (!one_group(ans)) {
    return(as_chart(draw_panels(x, ans, title)))
  }
  as_chart(draw_pareto(pareto_layout(x, ans, bars), ans, title))
}

# What is picked out: the items that are marked, else those that reach the part.
picked <- function(x, ans) if (has_facet(ans, "marks")) mark_numbers(ans) else as.integer(x$reached)

# Groups -------------------------------------------------------------------

# Bars and line of a panel share one scale: parts of the group's total.
draw_panels <- function(x, ans, title) {
  known <- which(!is.na(ans$facets$reach$count))
  if (!length(known)) {
    return(empty_chart(ans, title, "No part can be reached: no total is above zero."))
  }
  panels <- utils::head(known, most_panels)
  labels <- group_labels(ans)
  rows <- which(ans$ranked$cell %in% panels)
  place <- seq_along(ans$ranked$cell) - match(ans$ranked$cell, ans$ranked$cell) + 1L
  name <- function(cell) factor(labels[cell], labels[panels])
  shares <- share_rows(ans$ranked$share, ans$ranked$cell)
  items <- data.frame(
    at = place[rows], share = shares$share[rows], cum_share = shares$cum_share[rows],
    group = name(ans$ranked$cell[rows]), mark = mark_groups(picked(x, ans)[rows], ans)
  )
  words <- data.frame(group = name(panels),
    text = sprintf("%s of %s", format_count(ans$facets$reach$count[panels]),
      format_count(ans$ranked$totals$items[panels])))
  hidden <- length(ans$ranked$totals$items) - length(panels)
  ggplot2::ggplot(items, ggplot2::aes(.data$at, .data$share)) +
    ggplot2::geom_col(ggplot2::aes(fill = .data$mark), width = 0.85) +
    ggplot2::geom_line(ggplot2::aes(y = .data$cum_share, linetype = "cumulative share"),
      colour = palette_eggcrate[["ink"]], linewidth = 0.7) +
    ggplot2::geom_hline(yintercept = ans$facets$reach$part$value,
      colour = palette_eggcrate[["clay"]],
      linetype = "dashed") +
    ggplot2::geom_text(ggplot2::aes(x = Inf, y = ans$facets$reach$part$value, label = .data$text),
      data = words,
      hjust = 1.08, vjust = 1.6, size = 3.8, colour = palette_eggcrate[["clay"]]) +
    ggplot2::facet_wrap(ggplot2::vars(.data$group), scales = "free_x") +
    ggplot2::scale_fill_manual(values = mark_colours(ans), drop = FALSE) +
    ggplot2::scale_linetype_manual(values = "solid") +
    ggplot2::scale_x_continuous(breaks = function(limits) unique(floor(pretty(limits, 4L)))) +
    ggplot2::scale_y_continuous(labels = percent_formatter(0L),
      name = sprintf("share of the group's %s", measure_words(ans))) +
    chart_labs(x = sprintf("%s, best first", plural_of(item_noun(ans$plan))),
      title = title %||% panels_finding(ans), caption = caption_text(ans),
      subtitle = not_shown(hidden, "group"),
      alt = sprintf("Pareto charts of %s. %s.", question_text(ans$plan),
        enumerate(paste(words$group, words$text, sep = ": ")))) +
    theme_eggcrate() +
    ggplot2::theme(strip.text = ggplot2::element_text(face = "bold",
      colour = palette_eggcrate[["ink"]], hjust = 0))
}

# "80% of net sales takes from 12 of 39 customers in Long Strand to 5 of 9 in Saltmarsh".
panels_finding <- function(ans) {
  part <- ans$facets$reach$count / ans$ranked$totals$items
  if (all(is.na(part))) {
    return(question_text(ans$plan))
  }
  labels <- group_labels(ans)
  ends <- unique(c(which.min(part), which.max(part)))
  items <- format_count(ans$ranked$totals$items[ends])
  items[1L] <- count_of(ans$ranked$totals$items[ends[1L]], item_noun(ans$plan))
  takes <- sprintf("%s of %s in %s", format_count(ans$facets$reach$count[ends]), items,
    labels[ends])
  sprintf(if (reaches(ans)) "%s of %s takes from %s" else "Within %s of %s are from %s",
    ans$facets$reach$part$text, measure_words(ans), paste(takes, collapse = " to "))
}

# Layout -------------------------------------------------------------------

#' Layout of the chart. Positions 1, 2, … are bars; the other items share the folded field, in which
#' positions are closer. Heights are shares of the panel: the line is cumulative, bars are
#' `value / top`.
#' @noRd
pareto_layout <- function(x, ans, bars) {
  n <- length(ans$ranked$cell)
  shown <- if (n <= 30L) n else min(n, max(1L, floor(bars)))
  value <- x[[plan_measure(ans$plan)$name]]
  field <- if (shown < n) max(2.5, shown * 0.22) else 0
  at <- c(seq_len(shown), shown + 0.5 + field * seq_len(n - shown) / (n - shown))
  base <- exact_real(base_of(ans$ranked))
  shares <- share_rows(ans$ranked$share, ans$ranked$cell)
  # Bars and line share one scale when the bars are tall enough for it.
  top <- if (max(value) >= 0.4 * base) base else max(value) / 0.5
  list(
    items = with_columns(data.frame(at = at, bar_names(x, ans, shown), value = value,
      height = value / top,
      share = shares$share, cum_share = shares$cum_share, reached = x$reached,
      mark = picked(x, ans),
      folded = seq_len(n) > shown), x, seq_len(n)),
    shown = shown, field = field, top = top, n = n
  )
}

# Only bars have names.
bar_names <- function(x, ans, shown) {
  bars <- seq_len(shown)
  names <- list(label = item_labels(lapply(unclass(x)[names(ans$plan$by)], key_at, bars),
    names(ans$plan$by)),
    rank = number_text(x$rank[bars]))
  as.data.frame(lapply(names, `length<-`, nrow(x)))
}

# A curve of thousands of points is drawn with as many as can be told apart.
thin <- function(items, chosen = rep(TRUE, nrow(items)), most = 600L) {
  rows <- which(chosen)
  items[if (length(rows) <= most) rows else
    rows[unique(round(seq(1, length(rows), length.out = most)))], ]
}

# Drawing ------------------------------------------------------------------

draw_pareto <- function(layout, ans, title) {
  bars <- layout$items[!layout$items$folded, ]
  chart <- ggplot2::ggplot(bars, ggplot2::aes(.data$at, .data$height)) +
    folded_field(layout, ans) +
    ggplot2::geom_col(ggplot2::aes(fill = mark_groups(.data$mark, ans)), width = 0.78) +
    share_labels(bars) +
    reach_lines(layout, ans) +
    cumulative_line(layout, bars) +
    marked_points(layout, ans) +
    folded_words(layout) +
    pareto_scales(layout, ans, bars) +
    pareto_words(layout, ans, title) +
    theme_eggcrate() +
    ggplot2::theme(axis.text.x = ggplot2::element_text(angle = if (layout$shown > 8L) 40 else 0,
      hjust = if (layout$shown > 8L) 1 else 0.5, size = ggplot2::rel(0.85)))
  # Overlapping names are omitted.
  in_narrow(chart, 0.6, list(ggplot2::theme(legend.box = "vertical", legend.box.just = "left"),
    ggplot2::guides(x = ggplot2::guide_axis(check.overlap = TRUE))))
}

# Marked items beyond the bars, on the line.
marked_points <- function(layout, ans) {
  if (!has_facet(ans, "marks")) {
    return(NULL)
  }
  points <- thin(layout$items, layout$items$folded & layout$items$mark > 0L)
  if (!nrow(points)) {
    return(NULL)
  }
  ggplot2::geom_point(ggplot2::aes(y = .data$cum_share, fill = mark_groups(.data$mark, ans)),
    data = points, shape = 21, size = 3.4, stroke = 0.6, colour = palette_eggcrate[["ink"]],
    show.legend = FALSE)
}

# At the foot of the bars, where neither the line nor a short bar is in the way.
share_labels <- function(bars) {
  if (nrow(bars) > 16L) {
    return(NULL)
  }
  ggplot2::geom_text(ggplot2::aes(y = 0, label = percent_formatter()(.data$share)), vjust = -0.6,
    size = 3.3, colour = palette_eggcrate[["ink"]])
}

cumulative_line <- function(layout, bars) {
  ink <- palette_eggcrate[["ink"]]
  curve <- rbind(bars, thin(layout$items, layout$items$folded))
  list(
    if (nrow(curve) > 1L) {
      ggplot2::geom_line(ggplot2::aes(y = .data$cum_share, linetype = "cumulative share (right)"),
        data = curve, colour = ink, linewidth = 0.8)
    },
    ggplot2::geom_point(ggplot2::aes(y = .data$cum_share), colour = ink, size = 1.6)
  )
}

# The rest of a long list: its values as areas, its share as text.
folded_field <- function(layout, ans) {
  folded <- thin(layout$items, layout$items$folded)
  if (!nrow(folded)) {
    return(NULL)
  }
  left <- layout$shown + 0.5
  folded$group <- mark_groups(if (has_facet(ans, "marks")) 0L * folded$mark else folded$mark, ans)
  list(
    ggplot2::annotate("rect", xmin = left, xmax = left + layout$field, ymin = -Inf, ymax = Inf,
      fill = palette_eggcrate[["duck_egg"]]),
    ggplot2::geom_ribbon(ggplot2::aes(ymin = 0, ymax = .data$height, fill = .data$group),
      data = folded, show.legend = FALSE)
  )
}

folded_words <- function(layout) {
  if (!layout$field) {
    return(NULL)
  }
  ggplot2::annotate("text", x = layout$shown + 0.5 + layout$field / 2, y = 0.36, size = 3.8,
    colour = palette_eggcrate[["ink"]],
    lineheight = 1,
    label = sprintf("%s\nin total",
      percent_formatter()(1 - layout$items$cum_share[layout$shown])))
}

# The line at the part to reach, and where the curve meets it. Its name stands at
# the left, over the low end of the curve, unless the first bar is there.
reach_lines <- function(layout, ans) {
  clay <- palette_eggcrate[["clay"]]
  item <- layout$items[replace(ans$facets$reach$count, ans$facets$reach$count == 0L, NA), ]
  left <- layout$items$cum_share[1L] < 0.7 * ans$facets$reach$part$value
  list(
    ggplot2::geom_hline(yintercept = ans$facets$reach$part$value, colour = clay,
      linetype = "dashed"),
    if (is.na(item$at)) {
      NULL # not even the first is within it
    } else if (item$folded) {
      ggplot2::annotate("point", x = item$at, y = item$cum_share, colour = clay, size = 3)
    } else {
      ggplot2::annotate("segment", x = item$at, xend = item$at, y = max(item$height, 0),
        yend = item$cum_share, colour = clay, linetype = "dashed")
    },
    ggplot2::annotate("text", x = if (left) 0.6 else Inf, y = ans$facets$reach$part$value,
      hjust = if (left) 0 else 1.05, vjust = if (left) -0.6 else 1.6, size = 3.8, colour = clay,
      label = sprintf(if (reaches(ans)) "%s is reached at no. %s" else "within %s up to no. %s",
        ans$facets$reach$part$text, format_count(ans$facets$reach$count)))
  )
}

pareto_scales <- function(layout, ans, bars) {
  values <- pretty(c(min(0, bars$value), max(bars$value)), 4L)
  values <- values[values >= min(0, bars$value)]
  names <- paste(bars$rank, cut_names(bars$label, 26L))
  at <- bars$at
  if (layout$field > 0) {
    at <- c(at, layout$shown + 0.5 + layout$field / 2)
    names <- c(names, sprintf("%s others", format_count(layout$n - layout$shown)))
  }
  list(
    ggplot2::scale_fill_manual(values = mark_colours(ans), drop = FALSE),
    ggplot2::scale_linetype_manual(values = "solid"),
    ggplot2::scale_x_continuous(breaks = at, labels = names,
      expand = ggplot2::expansion(add = c(0.3, 0.1) + max(0, (5 - layout$n) / 2))),
    ggplot2::scale_y_continuous(
      name = measure_title(ans, measure_words(ans)), breaks = values / layout$top,
      labels = axis_numbers(ans)(values), expand = ggplot2::expansion(mult = c(0.01, 0.05)),
      sec.axis = ggplot2::sec_axis(~., breaks = seq(0, max(1, layout$items$cum_share), 0.2),
        labels = percent_formatter(0L), name = "cumulative share")
    )
  )
}

pareto_words <- function(layout, ans, title) {
  finding <- reach_finding(ans)
  notes <- reading_notes(ans)
  chart_labs(
    x = NULL, title = title %||% finding,
    subtitle = paste(strwrap(paste(notes[grepl("zero", notes)], collapse = " "), 120L),
      collapse = "\n"),
    caption = caption_text(ans), alt = pareto_alt(layout, ans)
  )
}

pareto_alt <- function(layout, ans) {
  best <- utils::head(layout$items, 3L)
  sprintf("Pareto chart of %s. %s. The first are %s.", question_text(ans$plan),
    reach_finding(ans),
    enumerate(sprintf("%s with %s", best$label, percent_formatter()(best$share))))
}

empty_chart <- function(ans, title, words = nothing_left_words(ans)) {
  ggplot2::ggplot() +
    ggplot2::annotate("text", x = 0, y = 0, label = paste(strwrap(words, 80), collapse = "\n"),
      colour = palette_eggcrate[["ink"]], size = 5) +
    chart_labs(title = title %||% question_text(ans$plan), caption = caption_text(ans),
      x = NULL, y = NULL, alt = sprintf("An empty chart. %s", words)) +
    theme_eggcrate() +
    ggplot2::theme(axis.text = ggplot2::element_blank(), panel.grid = ggplot2::element_blank(),
      panel.grid.major.y = ggplot2::element_blank())
}
