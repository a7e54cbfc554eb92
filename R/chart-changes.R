#' Changes and the bridge as pictures
#'
#' `chart_changes()` draws the greatest losses and gains as bars in order of their amount,
#' in the colours of their classes. `chart_bridge()` leads from the old total to the new in
#' steps, one for each class. Groups have a panel each.
#'
#' @param x The result of [compare_periods()].
#' @param n How many bars, half of them from each end; by default 20, and fewer with groups.
#' @param title Text to replace the finding.
#' @param ... Must be empty.
#' @returns A ggplot. The data of `chart_changes()` is that of the items shown: `label`,
#'   `change`, `percent`, `class`, `group`; that of `chart_bridge()` the steps: `step`,
#'   `items`, `amount`, `end`.
#' @section Errors: `eggcrate_error_not_additive` for the bridge of a measure that does not
#'   add up.
#' @export
#' @examplesIf requireNamespace("ggplot2", quietly = TRUE)
#' x <- compare_periods(demo_orders(), of = sum(net_sales), by = customer,
#'   over = quarter(order_date))
#' chart_changes(x)
#' chart_bridge(x)
chart_changes <- function(x, n = NULL, title = NULL, ...) {
  call <- sys.call()[1L]
  check_no_dots(..., call = call)
  check_drawable(x, "eggcrate_changes", "the result of `compare_periods()`", call)
  check_drawn(title, n, "n", call = call)
  x <- drop_others(x)
  ans <- answer_of(x)
  if (!any(!is.na(.subset2(x, "change")))) {
    return(as_chart(empty_chart(ans, title)))
  }
  layout <- changes_layout(x, ans, n)
  in_higher(as_chart(draw_changes(layout, ans, title)), layout$items$group)
}

# The same in every figure; signs in the legend tell them apart without colour.
class_colours <- function() {
  own <- palette_eggcrate[c("yolk", "stone", "ink", "shell", "clay", "clay")]
  replace(with_names(unname(own), change_classes), "down", "#D9A08C")
}

class_names <- function(table) {
  items <- vapply(change_classes, function(class) sum(table$items[table$class == class]), 0L)
  with_names(sprintf("%s %s (%s)", class_signs()[change_classes], change_classes,
    format_count(items)), change_classes)
}

changes_layout <- function(x, ans, n) {
  cell <- ans$ranked$cell[whole_rows(ans)]
  panels <- utils::head(unique(cell), most_panels)
  n <- lines_drawn(n, ans, length(panels),
    if (length(panels) == 1L) usual_lines else max(4, 2 * (24 %/% length(panels))))
  shown <- shown_ends(x, ans, n)
  shown <- shown[cell[shown] %in% panels & !is.na(.subset2(x, "change")[shown])]
  labels <- group_labels(ans)
  column <- function(name) .subset2(x, name)[shown]
  items <- data.frame(at = -shown,
    label = names_after_marks(cut_names(item_names(ans, ans$ranked$order[whole_rows(ans)[shown]]),
      28L), mark_numbers(ans)[whole_rows(ans)[shown]]),
    change = column("change"), percent = column("percent"),
    class = column("class"), group = factor(labels[cell[shown]], unique(labels[panels])))
  list(items = with_columns(items, x, shown), rest = rest_of(ans, whole_rows(ans)[shown]),
    grouped = length(panels) > 1L,
    hidden = length(unique(cell)) - length(panels))
}

draw_changes <- function(layout, ans, title) {
  items <- layout$items
  number <- if (layout$grouped) short_numbers(ans) else measure_formatter(ans)
  percent <- signed(percent_formatter())(items$percent)
  words <- trimws(paste0(vapply(items$change, difference_formatter(ans, number), ""), "  ",
    percent))
  items$text <- if (layout$grouped) {
    vapply(items$change, difference_formatter(ans, number), "")
  } else {
    words
  }
  items$place <- factor(items$at, sort(items$at))
  room <- if (layout$grouped) 0.45 else 0.32
  chart <- ggplot2::ggplot(items, ggplot2::aes(.data$change, .data$place)) +
    ggplot2::geom_col(ggplot2::aes(fill = .data$class), width = 0.72,
      colour = palette_eggcrate[["stone"]], linewidth = 0.2) +
    ggplot2::geom_vline(xintercept = 0, colour = palette_eggcrate[["stone"]], linewidth = 0.4) +
    ggplot2::geom_text(ggplot2::aes(label = .data$text,
      hjust = ifelse(.data$change < 0, 1.04, -0.04)), size = if (layout$grouped) 3.1 else 3.5,
      colour = palette_eggcrate[["ink"]]) +
    ggplot2::scale_y_discrete(labels = with_names(items$label, as.character(items$place))) +
    ggplot2::scale_x_continuous(labels = axis_numbers(ans),
      expand = ggplot2::expansion(mult = c(if (any(items$change < 0)) room else 0.02,
        if (any(items$change > 0)) room else 0.02))) +
    ggplot2::scale_fill_manual(values = class_colours(), labels = class_names(class_counts(ans)),
      limits = intersect(change_classes, as.character(items$class))) +
    changes_words(layout, ans, title) + theme_eggcrate() +
    ggplot2::theme(panel.grid.major.y = ggplot2::element_blank(),
      panel.grid.major.x = ggplot2::element_line(colour = "#ECECE8"))
  if (layout$grouped) chart <- chart + panels_of(ggplot2::vars(.data$group), "free_y")
  chart
}

changes_words <- function(layout, ans, title) {
  rest <- layout$rest
  others <- sum(rest$items)
  notes <- c(
    period_notes(ans), if (length(ans$facets$selection$text)) sprintf("Only %s.",
      paste(ans$facets$selection$text, collapse = ", ")),
    if (others > 0 && layout$grouped) "The greatest losses and gains of each group.",
    if (others > 0 && !layout$grouped) {
      sprintf("%s not shown, in total %s.", count_of(others, item_noun(ans$plan)),
        difference_formatter(ans, said_formatter(ans))(rest$values$change))
    },
    not_shown(layout$hidden, "group"), mark_sign_words(ans)
  )
  chart_labs(x = change_title(ans), y = NULL, fill = NULL,
    title = wrapped_title(title %||% change_finding(ans)), subtitle = wrapped_notes(notes),
    caption = caption_text(ans), alt = changes_alt(layout, ans))
}

changes_alt <- function(layout, ans) {
  items <- layout$items
  ends <- items[unique(c(1L, nrow(items))), ]
  sprintf("Bar chart of the %s. %s. The ends are %s.", change_text(ans), change_finding(ans),
    enumerate(sprintf("%s with %s", ends$label,
      difference_formatter(ans, said_formatter(ans))(ends$change))))
}

# The bridge ---------------------------------------------------------------

#' @rdname chart_changes
#' @export
chart_bridge <- function(x, title = NULL, ...) {
  call <- sys.call()[1L]
  check_no_dots(..., call = call)
  check_drawable(x, "eggcrate_changes", "the result of `compare_periods()`", call)
  check_drawn(title, call = call)
  ans <- answer_of(x)
  if (!length(ans$ranked$cell)) {
    return(as_chart(empty_chart(ans, title)))
  }
  as_chart(draw_bridge(bridge_layout(ans, call), ans, title))
}

# Each step stands on the end of the one before; classes without items or change are left
# away but for those of the ends.
bridge_layout <- function(ans, call = NULL) {
  table <- as.data.frame(checked_bridge(ans, call))
  labels <- group_labels(ans)
  table$group <- factor(rep(labels, each = 8L), labels)
  table <- table[as.integer(table$group) <= most_panels, ]
  ends <- table$step %in% c("from", "to")
  table$low <- ifelse(ends, 0, c(0, table$end[-nrow(table)]))
  keep <- ends | table$step %in% table$step[table$items > 0 & !is.na(table$items)]
  table <- table[keep, ]
  steps <- intersect(c("from", change_classes, "to"), table$step)
  table$at <- match(table$step, steps)
  list(table = table, steps = steps, grouped = length(labels) > 1L,
    hidden = max(0L, length(labels) - most_panels))
}

draw_bridge <- function(layout, ans, title) {
  table <- layout$table
  names <- ans$facets$change$spans$names
  number <- if (layout$grouped) short_numbers(ans) else measure_formatter(ans)
  ends <- table$step %in% c("from", "to")
  table$kind <- factor(ifelse(ends, "total", ifelse(table$amount < 0, "less", "more")),
    c("total", "more", "less"))
  table$text <- ifelse(ends, vapply(table$amount, number, ""),
    vapply(table$amount, difference_formatter(ans, number), ""))
  title_of <- with_names(c(names[[1L]], change_classes, names[[2L]]),
    c("from", change_classes, "to"))
  under <- vapply(layout$steps, function(step) {
    if (layout$grouped || step %in% c("from", "to")) {
      title_of[[step]]
    } else {
      sprintf("%s %s\n%s", class_signs()[[step]], step,
        count_of(table$items[table$step == step], item_noun(ans$plan)))
    }
  }, "")
  # What a step begins at is where the one before ended.
  links <- table[table$step != "to", ]
  chart <- ggplot2::ggplot(table, ggplot2::aes(.data$at)) +
    ggplot2::geom_segment(ggplot2::aes(x = .data$at + 0.36, xend = .data$at + 0.64, y = .data$end,
      yend = .data$end), data = links,
      colour = palette_eggcrate[["stone"]], linetype = "dotted") +
    ggplot2::geom_rect(ggplot2::aes(xmin = .data$at - 0.36, xmax = .data$at + 0.36,
      ymin = .data$low, ymax = .data$end, fill = .data$kind),
      colour = palette_eggcrate[["stone"]], linewidth = 0.2) +
    ggplot2::geom_hline(yintercept = 0, colour = palette_eggcrate[["stone"]], linewidth = 0.4) +
    ggplot2::geom_text(ggplot2::aes(y = pmax(.data$low, .data$end), label = .data$text),
      vjust = -0.5, size = if (layout$grouped) 2.8 else 3.9, colour = palette_eggcrate[["ink"]]) +
    ggplot2::scale_fill_manual(
      values = with_names(unname(palette_eggcrate[c("ink", "yolk", "clay")]),
        c("total", "more", "less")),
      labels = c(total = measure_words(ans), more = "more than before", less = "less than before"),
      drop = FALSE) +
    ggplot2::scale_x_continuous(breaks = seq_along(layout$steps), labels = under,
      expand = ggplot2::expansion(add = 0.5)) +
    ggplot2::scale_y_continuous(labels = axis_numbers(ans),
      expand = ggplot2::expansion(mult = c(0.02, 0.12))) +
    chart_labs(x = NULL, y = measure_title(ans, measure_words(ans)), fill = NULL,
      title = wrapped_title(title %||% change_finding(ans)),
      subtitle = wrapped_notes(period_notes(ans)), caption = caption_text(ans),
      alt = bridge_alt(layout, ans)) +
    theme_eggcrate()
  if (layout$grouped) {
    chart <- chart + panels_of(ggplot2::vars(.data$group),
      "fixed") +
      ggplot2::theme(axis.text.x = ggplot2::element_text(angle = 35, hjust = 1,
        size = ggplot2::rel(0.8)))
  }
  chart
}

bridge_alt <- function(layout, ans) {
  one <- layout$table[layout$table$group == layout$table$group[1L], ]
  sprintf("Bridge from %s to %s. %s: %s.", ans$facets$change$spans$names[1L],
    ans$facets$change$spans$names[2L], change_finding(ans),
    enumerate(sprintf("%s %s", one$step,
      difference_formatter(ans, said_formatter(ans))(one$amount))))
}
