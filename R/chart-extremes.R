#' Best and worst as a picture
#'
#' A line for each group: the best at the left, the worst at the right, each with its value
#' and a small mark of its share of the group's total. Of many periods the last ones.
#'
#' @param x The result of [extremes()], or standings.
#' @param n How many groups to show at most.
#' @param title Text to replace the finding.
#' @param ... Must be empty.
#' @returns A ggplot. Its data is one row per group and end: `group`, `end`, `name`, `value`,
#'   `share`, and `.row`, its position among all ranked items.
#' @section Errors: `eggcrate_error_unknown_value` when `x` is neither.
#' @export
#' @examplesIf requireNamespace("ggplot2", quietly = TRUE)
#' chart_extremes(standings(demo_orders(), of = sum(net_sales), by = salesperson,
#'   over = quarter(order_date)))
chart_extremes <- function(x, n = 18, title = NULL, ...) {
  call <- sys.call()[1L]
  check_no_dots(..., call = call)
  need_package("ggplot2", "draw a chart", call)
  check_drawn(title, n, "n", call = call)
  if (!missing(x) && inherits(x, "eggcrate_standings")) x <- as_extremes(x)
  check_result(x, "eggcrate_extremes", "the result of `extremes()`", call)
  ans <- answer_of(x)
  if (!length(x$end)) {
    return(as_chart(empty_chart(ans, title)))
  }
  as_chart(draw_extremes(extremes_layout(x, ans, n), ans, title %||% extremes_finding(ans, x)))
}

extremes_layout <- function(x, ans, n) {
  groups <- seq_along(ans$ranked$totals$items)
  shown <- if (length(ans$plan$over)) utils::tail(groups, n) else utils::head(groups, n)
  labels <- group_labels(ans)
  labels[ans$ranked$incomplete] <- paste(labels[ans$ranked$incomplete], "*")
  ends <- extreme_ends(x, ans)
  items <- do.call(rbind, lapply(c("best", "worst"), function(end) {
    data.frame(group = labels[shown], end = end, name = cut_names(ends[[end]]$name[shown], 32L),
      value = ends[[end]]$value[shown], share = ends[[end]]$share[shown], y = -seq_along(shown),
      .row = ends[[end]]$row[shown])
  }))
  list(items = items[nzchar(items$name), ],
    groups = data.frame(y = -seq_along(shown), label = labels[shown]),
    hidden = length(groups) - length(shown), shares = has_shares(ans),
    room = max(0, 0.135 * max(nchar(labels[shown])) - 1.1))
}

# Where the columns of each end begin: name, value (right-hand edge), mark, share.
extreme_places <- list(best = c(name = 1.3, value = 4.9, mark = 5.05, share = 6.75),
  worst = c(name = 7.1, value = 10.7, mark = 10.85, share = 12.55))

draw_extremes <- function(layout, ans, title) {
  items <- layout$items
  place <- function(what) vapply(items$end, function(end) extreme_places[[end]][[what]], 0)
  items[c("name_x", "value_x", "mark_x", "share_x")] <- lapply(c("name", "value", "mark", "share"),
    place)
  items$full <- 0.9 * pmin(pmax(items$share, 0), 1)
  marked <- items[!is.na(items$share), ]
  rows <- nrow(layout$groups)
  big <- if (rows <= 9L) 4.4 else 3.7
  ink <- palette_eggcrate[["ink"]]
  heads <- data.frame(x = c(1.3, 4.9, 7.1, 10.7, if (layout$shares) c(6.75, 12.55)),
    side = c(0, 1, 0, 1, if (layout$shares) c(1, 1)),
    text = c("best", measure_title(ans, measure_words(ans)), "worst",
      measure_title(ans, measure_words(ans)), if (layout$shares) c("share", "share")))
  ggplot2::ggplot(items, ggplot2::aes(y = .data$y)) +
    share_tracks(marked) +
    ggplot2::geom_text(ggplot2::aes(x = .data$name_x, label = .data$name), hjust = 0, size = big,
      colour = ink) +
    ggplot2::geom_text(ggplot2::aes(x = .data$value_x, label = measure_formatter(ans)(.data$value)),
      hjust = 1, size = big, colour = ink) +
    ggplot2::geom_text(ggplot2::aes(x = .data$share_x, label = percent_formatter()(.data$share)),
      data = marked, hjust = 1, size = big, colour = ink) +
    ggplot2::geom_text(ggplot2::aes(x = -layout$room, label = .data$label), data = layout$groups,
      hjust = 0, size = big, fontface = "bold", colour = ink, lineheight = 0.85) +
    ggplot2::geom_text(ggplot2::aes(x = .data$x, y = 0, label = .data$text, hjust = .data$side),
      data = heads, size = 4, colour = palette_eggcrate[["stone"]]) +
    ggplot2::scale_x_continuous(limits = c(-layout$room, 12.8), expand = c(0, 0)) +
    ggplot2::scale_y_continuous(limits = c(-max(rows, 4L) - 0.6, 0.5)) +
    chart_labs(x = NULL, y = NULL, fill = NULL, title = wrapped_title(title),
      caption = caption_text(ans), alt = extremes_alt(layout, ans),
      subtitle = wrapped_notes(c(
        extremes_notes(ans), if (any(ans$ranked$incomplete)) "* not complete.",
        not_shown(layout$hidden, group_noun(ans))
      ))) +
    theme_eggcrate() +
    ggplot2::theme(axis.text = ggplot2::element_blank(), panel.grid = ggplot2::element_blank(),
      panel.grid.major.y = ggplot2::element_blank())
}

# The share as a part of a track; none for measures without shares.
share_tracks <- function(marked) {
  if (nrow(marked)) {
    list(
      ggplot2::geom_rect(ggplot2::aes(xmin = .data$mark_x, xmax = .data$mark_x + 0.9,
        ymin = .data$y - 0.2, ymax = .data$y + 0.2), data = marked,
        fill = palette_eggcrate[["duck_egg"]], colour = NA),
      ggplot2::geom_rect(ggplot2::aes(xmin = .data$mark_x, xmax = .data$mark_x + .data$full,
        ymin = .data$y - 0.2, ymax = .data$y + 0.2, fill = .data$end), data = marked),
      ggplot2::scale_fill_manual(values = c(best = palette_eggcrate[["yolk"]],
        worst = palette_eggcrate[["clay"]]),
        labels = c(best = "share of the best", worst = "share of the worst"))
    )
  }
}

extremes_alt <- function(layout, ans) {
  one <- utils::head(layout$items[layout$items$y == max(layout$items$y), ], 2L)
  sprintf("Best and worst of %s. First line: %s.", question_text(ans$plan),
    enumerate(sprintf("%s %s with %s", one$end, one$name, measure_formatter(ans)(one$value))))
}
