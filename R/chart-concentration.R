#' The curve of concentration
#'
#' The part of the items, best first, against the part of the total that they make; the
#' straight line is what equal items would make. With an earlier time its curve is dashed.
#' Groups have a panel each.
#'
#' @param x The result of [concentration()], or standings.
#' @param title Text to replace the finding.
#' @param ... Must be empty.
#' @returns A ggplot. Its data is the curve, with at most 600 points per group and time: `items`,
#'   `share`, `time` (`"now"`, `"before"`), `group`, and `.row`, the position of the item among all
#'   ranked items.
#' @section Errors: `eggcrate_error_unknown_value` when `x` is neither.
#' @export
#' @examplesIf requireNamespace("ggplot2", quietly = TRUE)
#' chart_concentration(standings(demo_orders(), of = sum(net_sales), by = customer))
chart_concentration <- function(x, title = NULL, ...) {
  call <- sys.call()[1L]
  check_no_dots(..., call = call)
  need_package("ggplot2", "draw a chart", call)
  check_drawn(title, call = call)
  if (!missing(x) && inherits(x, "eggcrate_standings")) x <- as_concentration(x, NULL, call)
  check_result(x, "eggcrate_concentration", "the result of `concentration()`", call)
  ans <- answer_of(x)
  curves <- curve_data(ans)
  if (is.null(curves)) {
    return(as_chart(empty_chart(ans, title)))
  }
  as_chart(draw_concentration(curves, x, ans, title))
}

curve_data <- function(ans) {
  one <- function(ans, time) {
    curve <- concentration_curve(ans)
    if (is.null(curve)) return(NULL)
    # Another time has other rows.
    if (time != "now") curve$.row <- NA_integer_
    labels <- group_labels(ans)
    cbind(curve, time = time, group = labels[curve$cell])
  }
  curves <- one(ans, "now")
  if (is.null(curves)) {
    return(NULL)
  }
  shown <- utils::head(unique(curves$group), most_panels)
  curves <- rbind(curves, if (has_before(ans)) one(ans$facets$concentration$before, "before"))
  curves <- curves[curves$group %in% shown, ]
  curves$group <- factor(curves$group, shown)
  curves$time <- factor(curves$time, c("now", "before"))
  curves
}

draw_concentration <- function(curves, x, ans, title) {
  several <- nlevels(curves$group) > 1L
  words <- curve_words(x, ans, curves, several)
  words$group <- factor(words$group, levels(curves$group))
  times <- c("now", if (has_before(ans)) "before")
  colours <- palette_eggcrate[c("ink", "yolk", "stone")]
  names(colours) <- c("now", "before", "all equal")
  equal <- data.frame(items = 0:1, share = 0:1, time = "all equal")
  percent <- percent_formatter(0L)
  drawn <- do.call(rbind,
    unname(lapply(split(curves, list(curves$group, curves$time), drop = TRUE), thin)))
  chart <- ggplot2::ggplot(drawn,
    ggplot2::aes(.data$items, .data$share, colour = .data$time, linetype = .data$time)) +
    ggplot2::geom_line(data = equal, linewidth = 0.6) +
    ggplot2::geom_line(linewidth = 1) +
    ggplot2::geom_point(ggplot2::aes(.data$items, .data$share), data = words, inherit.aes = FALSE,
      size = 2.6, colour = palette_eggcrate[["clay"]]) +
    ggplot2::geom_text(ggplot2::aes(.data$items, .data$share, label = .data$text), data = words,
      inherit.aes = FALSE, hjust = -0.06, vjust = 1.4, size = if (several) 3 else 4,
      colour = palette_eggcrate[["ink"]]) +
    ggplot2::scale_colour_manual(values = colours, limits = c(times, "all equal")) +
    ggplot2::scale_linetype_manual(values = c(now = "solid", before = "42", "all equal" = "13"),
      limits = c(times, "all equal")) +
    ggplot2::scale_x_continuous(labels = percent, limits = c(0, 1),
      breaks = seq(0, 1, if (several) 0.5 else 0.25)) +
    ggplot2::scale_y_continuous(labels = percent, limits = c(0, 1)) +
    concentration_words(curves, x, ans, title) + theme_eggcrate()
  if (several) chart <- chart + panels_of(ggplot2::vars(.data$group), "fixed")
  chart
}

concentration_words <- function(curves, x, ans, title) {
  finding <- concentration_finding(x, ans)
  out <- sum(x$left_out)
  notes <- c(
    if (has_before(ans)) sprintf("Dashed, %s.", before_line(ans)),
    not_shown(length(x$items) - nlevels(curves$group), group_noun(ans)),
    if (out > 0) sprintf("%s at or below zero excluded.", count_of(out, item_noun(ans$plan)))
  )
  chart_labs(x = sprintf("part of the %s, best first", plural_of(item_noun(ans$plan))),
    y = sprintf("part of %s", measure_words(ans)), colour = NULL, linetype = NULL,
    title = wrapped_title(title %||% finding), subtitle = wrapped_notes(notes),
    caption = caption_text(ans), alt = sprintf("Curve of concentration. %s.", finding))
}

# Where the curve of now has reached half and 80%.
curve_words <- function(x, ans, curves, several) {
  labels <- rep_len(group_labels(ans), length(x$items))
  now <- curves[curves$time == "now", ]
  one <- function(column, part) {
    n <- x[[column]]
    # the curve begins with none
    at <- vapply(seq_along(n), function(g) which(now$group == labels[g])[n[g] + 1L], 0L)
    text <- if (several) {
      sprintf("%s account for %s", format_count(n), percent_formatter(0L)(part))
    } else {
      sprintf("%s of %s account for %s", format_count(n),
        count_of(x$items[1L], item_noun(ans$plan)), percent_formatter(0L)(part))
    }
    data.frame(group = labels, items = now$items[at], share = now$share[at], text = text)
  }
  words <- rbind(one("n_50", 0.5), one("n_80", 0.8))
  words[!is.na(words$items), ]
}
