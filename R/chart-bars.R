#' Ranked bars
#'
#' One bar for each of the first items, with its rank and name next to it and its
#' value and share as text. Items that [highlight()] marked, or that reach the part of
#' [pareto()], are picked out; items with tiers have the colours of their tiers.
#' Groups have a panel each.
#'
#' @param x Standings.
#' @param n Number of items to draw for each group. The default is 20 (fewer with several groups).
#'   If [only()] has selected items, up to 60 of them are drawn, and the chart is taller.
#' @param title Text to replace the finding.
#' @param ... Must be empty.
#' @returns A ggplot. Its data is that of the items shown: `label`, `value`, `share`,
#'   `rank`, `group` and `mark`.
#' @section Errors: `eggcrate_error_unknown_value` when `x` is not standings.
#' @export
#' @examplesIf requireNamespace("ggplot2", quietly = TRUE)
#' chart_bars(standings(demo_orders(), of = sum(net_sales), by = product))
#' chart_bars(highlight(standings(demo_orders(), of = sum(net_sales), by = region), top(3)))
chart_bars <- function(x, n = NULL, title = NULL, ...) {
  call <- sys.call()[1L]
  check_no_dots(..., call = call)
  need_package("ggplot2", "draw a chart", call)
  check_drawn(title, n, "n", call = call)
  check_standings(x, call = call)
  x <- drop_others(x)
  ans <- answer_of(x)
  check_not_changes(ans, "Ranked bars are", call)
  if (!nrow(x)) {
    return(as_chart(empty_chart(ans, title)))
  }
  layout <- bars_layout(x, ans, n)
  in_higher(as_chart(draw_bars(layout, ans, title)), layout$items$group)
}

# Layout -------------------------------------------------------------------

most_panels <- 12L

bars_layout <- function(x, ans, n = NULL) {
  cell <- ans$ranked$cell[whole_rows(ans)]
  groups <- unique(cell)
  panels <- utils::head(groups, most_panels)
  n <- lines_drawn(n, ans, length(panels),
    if (length(groups) == 1L) usual_lines else min(usual_lines, max(3L, 45L %/% length(panels))))
  place <- seq_along(cell) - match(cell, cell) + 1L
  shown <- which(first_to_show(x, cell, n) & cell %in% panels)
  value <- .subset2(x, plan_measure(ans$plan)$name)
  shown <- shown[!is.na(value[shown])]
  labels <- group_labels(ans)
  names <- item_labels(lapply(unclass(x)[names(ans$plan$by)], function(key) key[shown]),
    names(ans$plan$by))
  mark <- if (has_facet(ans, "tiers")) as.character(.subset2(x, "tier")) else marks_of(x)
  rest <- rest_of(ans, whole_rows(ans)[shown])
  # With several marks the name has the sign too: a bar may be too short to show its colour.
  several <- if (is.factor(.subset2(x, "highlighted"))) marks_of(x)[shown]
  list(
    items = with_columns(data.frame(at = -place[shown],
      label = names_after_marks(paste(rank_text(.subset2(x, "rank")[shown]), cut_names(names, 28L)),
        several),
      value = value[shown], share = (.subset2(x, "share") %||% rep(NA_real_, length(cell)))[shown],
      rank = .subset2(x, "rank")[shown],
      group = factor(labels[cell[shown]], unique(labels[panels])),
      mark = if (is.null(mark)) rep(NA, length(shown)) else mark[shown],
      low = (.subset2(x, "value_low") %||% value)[shown],
      high = (.subset2(x, "value_high") %||% value)[shown]), x, shown),
    n = n, selected = length(cell), grouped = length(groups) > 1L,
    hidden = length(groups) - length(panels), rest = rest,
    number = measure_formatter(ans)
  )
}

# `n` rows of each group: those that are marked, each mark in turn, and then the first ones.
first_to_show <- function(x, cell, n) {
  mark <- if ("highlighted" %in% names(x)) marks_of(x) else integer(length(cell))
  order <- order(cell, mark == 0L, mark_places(mark, cell))
  turn <- integer(length(cell))
  turn[order] <- seq_along(cell) - match(cell[order], cell[order]) + 1L
  turn <= n
}

# Drawing ------------------------------------------------------------------

draw_bars <- function(layout, ans, title) {
  items <- layout$items
  items$fill <- bar_groups(items$mark, ans)
  items$text <- bar_words(items, if (layout$grouped) short_numbers(ans) else layout$number)
  # Several panels hold one name at different places: each bar has a place of its own.
  items$place <- factor(paste(items$group, items$at),
    paste(items$group, items$at)[order(items$group, items$at)])
  chart <- ggplot2::ggplot(items, ggplot2::aes(.data$value, .data$place)) +
    ggplot2::geom_col(ggplot2::aes(fill = .data$fill), width = 0.72, colour = bar_edge(ans),
      linewidth = 0.2, show.legend = length(levels(items$fill)) > 1L) +
    ggplot2::geom_vline(xintercept = 0, colour = palette_eggcrate[["stone"]], linewidth = 0.4) +
    reference_line(ans) +
    error_bars(ans) +
    ggplot2::geom_text(ggplot2::aes(x = pmax(.data$value, .data$high, 0), label = .data$text),
      hjust = -0.05, size = if (layout$grouped) 3.2 else 3.6, colour = palette_eggcrate[["ink"]]) +
    ggplot2::scale_y_discrete(labels = with_names(items$label, as.character(items$place))) +
    ggplot2::scale_x_continuous(labels = axis_numbers(ans),
      expand = ggplot2::expansion(mult = c(if (any(items$value < 0)) 0.05 else 0,
        if (layout$grouped) 0.85 else max(0.2, 0.02 * max(nchar(items$text)))))) +
    ggplot2::scale_fill_manual(values = bar_colours(ans), drop = FALSE) +
    bars_words(layout, ans, title) +
    theme_eggcrate() +
    ggplot2::theme(panel.grid.major.y = ggplot2::element_blank())
  if (layout$grouped) {
    return(chart + panels_of(ggplot2::vars(.data$group), "free_y"))
  }
  # In a small picture the text of the longest bar may reach into the margin.
  chart + ggplot2::coord_cartesian(clip = "off")
}

# The value that the display settings name for the measure; NULL if they name none.
reference_value <- function(ans) {
  at <- as.list(display("lines"))[[plan_measure(ans$plan)$name]]
  if (is.numeric(at)) at
}

# A line at this value, and an axis that reaches to it.
reference_line <- function(ans) {
  at <- reference_value(ans)
  if (!is.null(at)) list(ggplot2::expand_limits(x = at), ggplot2::geom_vline(xintercept = at,
    colour = palette_eggcrate[["clay"]], linetype = "dashed", linewidth = 0.6))
}

# How far each value may lie from what it is, where that was asked.
error_bars <- function(ans) {
  if (has_facet(ans, "intervals")) {
    ggplot2::geom_segment(ggplot2::aes(x = .data$low, xend = .data$high, yend = .data$place),
      colour = palette_eggcrate[["ink"]], linewidth = 0.7)
  }
}

# Which legend entry a bar belongs to.
bar_groups <- function(mark, ans) {
  if (has_facet(ans, "tiers")) {
    return(factor(ifelse(is.na(mark), "(none)", mark),
      c(ans$facets$tiers$scheme$labels, if (anyNA(ans$facets$tiers$number)) "(none)")))
  }
  if (all(is.na(mark))) {
    return(factor(rep("all", length(mark))))
  }
  mark_groups(mark, ans)
}

# What the marks of rows are called in a legend.
mark_groups <- function(mark, ans) {
  names <- mark_names(ans)
  factor(names[ifelse(mark > 0L, mark, length(names))], names)
}

mark_names <- function(ans) facet_marks(mark_facet(ans), ans)

bar_colours <- function(ans) {
  if (has_facet(ans, "tiers")) {
    return(tier_colours(ans$facets$tiers$scheme))
  }
  if (is.null(mark_facet(ans))) c(all = mark_palette[[1L]]) else mark_colours(ans)
}

mark_colours <- function(ans) {
  names <- mark_names(ans)
  with_names(c(mark_palette_of(ans)[seq_len(length(names) - 1L)], palette_eggcrate[["shell"]]),
    names)
}

# Pale bars need an edge to be seen on white.
bar_edge <- function(ans) if (!has_facet(ans, "tiers")) NA else palette_eggcrate[["stone"]]

bar_words <- function(items, number) {
  share <- percent_formatter()(items$share)
  ifelse(nzchar(share), paste0(number(items$value), "  ", share), number(items$value))
}

bars_words <- function(layout, ans, title) {
  others <- sum(layout$rest$items)
  notes <- c(
    if (!is.null(reference_value(ans))) sprintf("Dashed line: %s.",
      layout$number(reference_value(ans))),
    if (has_facet(ans, "intervals")) interval_words(ans),
    if (layout$grouped &&
      if (length(ans$facets$selection$text)) nrow(layout$items) < layout$selected else others > 0) {
      sprintf("%s %s of each group.",
        if (has_facet(ans, "marks")) "Marked ones and the first," else "The first",
        format_count(layout$n))
    },
    if (others > 0 && !layout$grouped) {
      sprintf("%s not shown%s.", count_of(others, item_noun(ans$plan)),
        rest_share_words(layout, ans))
    },
    not_shown(layout$hidden, "group")
  )
  chart_labs(
    x = measure_title(ans, measure_words(ans)), y = NULL, fill = NULL,
    title = title %||% bars_finding(layout, ans), subtitle = wrapped_notes(notes),
    caption = caption_text(ans), alt = bars_alt(layout, ans)
  )
}

rest_share_words <- function(layout, ans) {
  share <- layout$rest$share
  if (is.na(share[1L])) "" else sprintf(", which account for %s", percent_formatter()(share[1L]))
}

bars_finding <- function(layout, ans) {
  if (has_facet(ans, "marks")) {
    return(marks_finding(ans))
  }
  if (one_tiered(ans)) {
    return(tier_finding(ans))
  }
  if (length(ans$facets$selection$text)) {
    return(sprintf("%s: %s%s", paste(ans$facets$selection$text, collapse = ", "),
      selected_words(ans),
      if (nrow(layout$items) < layout$selected) sprintf("; %s are drawn",
        format_count(nrow(layout$items))) else ""))
  }
  best <- layout$items[1L, ]
  if (layout$grouped) {
    return(leaders_finding(ans))
  }
  if (is.na(best$share)) {
    return(question_text(ans$plan))
  }
  sprintf("%s leads %s with %s of %s", sub("^\\S+ ", "", best$label),
    count_of(length(ans$ranked$cell), item_noun(ans$plan)), percent_formatter()(best$share),
    measure_words(ans))
}

# "Windlass leads in 8 of 8 groups": of the item that leads most often; where each group has one of
# its own, what they make.
leaders_finding <- function(ans) {
  first <- which(places(ans$ranked)$first == 1L)
  leads <- sort(table(item_names(ans, ans$ranked$order[first])), decreasing = TRUE)
  if (leads[[1L]] == 1L && has_shares(ans)) {
    return(firsts_finding(ans, first))
  }
  sprintf("%s %s in %s of %s", names(leads)[1L],
    if (ans$plan$rules$best == "highest") "leads" else "is lowest", format_count(leads[[1L]]),
    count_of(length(ans$ranked$totals$items), group_noun(ans)))
}

# "The first of each region accounts for 13.5% (Ambermouth) to 29.0% (Skerry Isles) of net sales".
firsts_finding <- function(ans, first) {
  share <- share_rows(ans$ranked$share, ans$ranked$cell)$share[first]
  if (anyNA(share)) {
    return(question_text(ans$plan))
  }
  labels <- group_labels(ans)[ans$ranked$cell[first]]
  ends <- c(which.min(share), which.max(share))
  sprintf("The %s of each %s accounts for %s of %s",
    if (ans$plan$rules$best == "highest") "first" else "lowest",
    group_noun(ans),
    paste(sprintf("%s (%s)", percent_formatter()(share[ends]), labels[ends]), collapse = " to "),
    measure_words(ans))
}

bars_alt <- function(layout, ans) {
  best <- utils::head(layout$items, 3L)
  sprintf("Bar chart of %s. The first are %s.", question_text(ans$plan),
    enumerate(sprintf("%s with %s", best$label, layout$number(best$value))))
}
