#' Tiers as a picture
#'
#' `chart_tiers()` draws all items in the order of the measure that the tiers are cut by,
#' with the lines where one tier ends and the next begins, each named with its cut-off,
#' its items and its share. `chart_tier_table()` draws the table of tiers.
#'
#' A tier has the same colour in every figure. The lines of a scheme by value are its
#' bounds; those of others are where the last item of a tier stands now.
#'
#' @param x Standings with tiers, from [assign_tiers()]; without groups.
#' @param title Text to replace the finding.
#' @param ... Must be empty.
#' @returns A ggplot. The data of `chart_tiers()` is that of the items, best first: `at`,
#'   `label`, `value` and `tier`.
#' @section Errors: `eggcrate_error_unknown_value` when `x` has no tiers or several groups.
#' @export
#' @examplesIf requireNamespace("ggplot2", quietly = TRUE)
#' customers <- standings(demo_orders(), of = sum(net_sales), by = customer)
#' sorted <- assign_tiers(customers, tiers_by_share(c(A = "80%", B = "95%"), rest = "C"))
#' chart_tiers(sorted)
#' chart_tier_table(sorted)
chart_tiers <- function(x, title = NULL, ...) {
  check_no_dots(..., call = sys.call()[1L])
  check_drawn(title, call = sys.call()[1L])
  ans <- check_tiered(x, sys.call()[1L])
  if (!length(ans$ranked$cell)) {
    return(as_chart(empty_chart(ans, title)))
  }
  as_chart(draw_tiers(tiers_layout(ans), ans, title))
}

#' @rdname chart_tiers
#' @export
chart_tier_table <- function(x, title = NULL, ...) {
  check_no_dots(..., call = sys.call()[1L])
  check_drawn(title, call = sys.call()[1L])
  ans <- check_tiered(x, sys.call()[1L])
  if (!length(ans$ranked$cell)) {
    return(as_chart(empty_chart(ans, title)))
  }
  as_chart(draw_tier_table(ans, title))
}

check_tiered <- function(x, call = NULL) {
  need_package("ggplot2", "draw a chart", call)
  check_standings(x, call = call)
  ans <- answer_of(x)
  if (!has_facet(ans, "tiers")) {
    stop_eggcrate("call", "unknown_value", "These standings have no tiers.",
      i = "Assign them first, with `assign_tiers()`.", call = call)
  }
  if (length(ans$ranked$totals$items) > 1L) {
    stop_eggcrate("call", "unknown_value",
      sprintf("A chart of tiers shows one group, but `x` has %d.",
        length(ans$ranked$totals$items)),
      i = "`chart_bars()` shows groups side by side, in the colours of their tiers.", call = call)
  }
  ans
}

# Layout -------------------------------------------------------------------

tiers_layout <- function(ans) {
  line <- tier_line(ans, ans$facets$tiers$scheme)
  value <- quantity_real(line$quantity)
  at <- line$at %||% seq_along(ans$ranked$cell)
  tier <- ans$facets$tiers$number[at]
  known <- !is.na(tier)
  items <- data.frame(at = seq_along(value), label = item_names(ans, ans$ranked$order[at]),
    value = value, mark = mark_numbers(ans)[at],
    tier = factor(ans$facets$tiers$scheme$labels[tier], ans$facets$tiers$scheme$labels))[known, ]
  table <- tier_counts(ans)
  held <- match(levels(items$tier), as.character(items$tier)) # first item of each tier
  list(items = items,
    starts = data.frame(tier = levels(items$tier), from = held - 0.5)[!is.na(held), ],
    table = table, n = nrow(items))
}

# Drawing ------------------------------------------------------------------

draw_tiers <- function(layout, ans, title) {
  ink <- palette_eggcrate[["ink"]]
  top <- max(layout$items$value, 0)
  starts <- place_words(layout, top)
  starts$words <- tier_words(layout, ans)[match(starts$tier, as.character(layout$table$tier))]
  named <- layout$n <= 24L
  ggplot2::ggplot(layout$items, ggplot2::aes(.data$at, .data$value)) +
    tier_bars(layout) +
    tier_marks(layout) +
    ggplot2::geom_hline(yintercept = 0, colour = palette_eggcrate[["stone"]], linewidth = 0.4) +
    ggplot2::geom_segment(ggplot2::aes(x = .data$from, xend = .data$from, y = 0,
      yend = .data$y + top * 0.03), data = starts[-1L, ],
      colour = palette_eggcrate[["stone"]], linetype = "dashed") +
    ggplot2::geom_text(ggplot2::aes(x = .data$x, y = .data$y, label = .data$words,
      hjust = .data$side), data = starts, size = 3.9, colour = ink) +
    ggplot2::scale_fill_manual(values = tier_colours(ans$facets$tiers$scheme), drop = FALSE) +
    ggplot2::scale_y_continuous(labels = axis_numbers(ans),
      expand = ggplot2::expansion(mult = c(if (min(layout$items$value) < 0) 0.05 else 0.01,
        0.06))) +
    ggplot2::scale_x_continuous(expand = ggplot2::expansion(add = max(0.6, layout$n * 0.01)),
      breaks = if (named) layout$items$at else pretty(c(1, layout$n)),
      labels = if (named) cut_names(layout$items$label, 26L) else format_count) +
    chart_labs(
      x = if (named) NULL else sprintf("%s, best first", plural_of(item_noun(ans$plan))),
      fill = NULL,
      y = if (tiers_ranked(ans)) {
        measure_title(ans, measure_words(ans))
      } else {
        plain_words(ans$facets$tiers$scheme$of)
      },
      title = title %||% tier_finding(ans),
      subtitle = wrapped_notes(paste(c(shown_scheme(ans$facets$tiers$scheme),
        "lines are where a tier begins", mark_sign_words(ans)), collapse = "; ")),
      caption = caption_text(ans), alt = tiers_alt(layout, ans)) +
    theme_eggcrate() +
    ggplot2::theme(
      axis.text.x = if (named) ggplot2::element_text(angle = if (layout$n > 8L) 40 else 0,
        hjust = if (layout$n > 8L) 1 else 0.5) else ggplot2::element_text())
}

# Where the words of each tier stand: beside the bars, a line lower for each tier, or
# all above them where the bars are too high for that.
place_words <- function(layout, top) {
  starts <- layout$starts
  k <- seq_len(nrow(starts))
  starts$y <- top * (1.02 - 0.075 * k)
  clear <- vapply(k,
    function(i) match(TRUE,
      layout$items$at >= starts$from[i] & layout$items$value < starts$y[i] - 0.05 * top), 0L)
  if (anyNA(clear) || any(clear > starts$from + 0.25 * layout$n + 1)) {
    starts$y <- top * (1.05 + 0.075 * rev(k))
    clear <- starts$from
  }
  late <- starts$from > layout$n * 0.55
  starts$x <- ifelse(late, layout$n + 0.5, pmax(starts$from, clear - 0.5) + layout$n * 0.012)
  starts$side <- ifelse(late, 1, 0)
  starts
}

# Thousands of bars would be thinner than a point: steps then, from as many items as
# can be told apart.
tier_bars <- function(layout) {
  if (layout$n <= 400L) {
    wide <- layout$n <= 60L
    # Narrow bars are drawn into each other: no hairlines between them.
    return(ggplot2::geom_col(ggplot2::aes(fill = .data$tier), width = if (wide) 0.85 else 1.15,
      position = "identity", colour = if (wide) palette_eggcrate[["stone"]] else NA,
      linewidth = 0.2))
  }
  ggplot2::geom_ribbon(ggplot2::aes(ymin = 0, ymax = .data$value, fill = .data$tier),
    data = do.call(rbind, lapply(split(layout$items, layout$items$tier), thin)))
}

# Signs above the bars of marked items.
tier_marks <- function(layout) {
  items <- layout$items[layout$items$mark > 0L, ]
  if (nrow(items)) {
    ggplot2::geom_text(ggplot2::aes(y = pmax(.data$value, 0), label = mark_signs()[.data$mark]),
      data = items, vjust = -0.5,
      size = if (layout$n > 60L) 2.2 else 3.2, colour = palette_eggcrate[["clay"]])
  }
}

# "B: 80 customers, 15.1%, from 5,679.36".
tier_words <- function(layout, ans) {
  table <- layout$table
  number <- tier_formatter(ans)
  share <- table[["share"]] %||% rep(NA_real_, length(table$items))
  from <- ifelse(is.na(table$cut_off), "",
    paste0(if (ans$plan$rules$best == "lowest") ", up to " else ", from ", number(table$cut_off)))
  paste0(table$tier, ": ", vapply(table$items, count_of, "", noun = item_noun(ans$plan)),
    ifelse(is.na(share), "", paste0(", ", percent_formatter()(share))), from)
}

tiers_alt <- function(layout, ans) {
  sprintf("All items of %s in order, in %d tiers. %s.", question_text(ans$plan),
    length(ans$facets$tiers$scheme$labels), enumerate(tier_words(layout, ans)))
}

draw_tier_table <- function(ans, title) {
  table <- tier_counts(ans)
  k <- length(table$items)
  number <- measure_formatter(ans)
  cut <- if (tiers_ranked(ans)) number else tier_formatter(ans)
  share <- table[["share"]] %||% (table$items / sum(table$items))
  d <- data.frame(y = -seq_len(k), tier = table$tier, share = share,
    length = ifelse(is.na(share), 0, pmax(share, 0)) / max(share, 1e-9, na.rm = TRUE))
  cells <- data.frame(
    x = rep(c(1.15, 3.1, 4.3, 6.3, 9.6), each = k + 1L), y = rep(c(0, d$y), 5L),
    side = rep(c(0, 1, 1, 1, 1), each = k + 1L), head = rep(c(TRUE, rep(FALSE, k)), 5L),
    text = c("tier", as.character(table$tier), ans$facets$tiers$scheme$of %||% "cut-off",
      cut_off_words(table, ans, cut), "items", format_count(table$items),
      measure_title(ans, measure_words(ans)), number(table[[plan_measure(ans$plan)$name]]),
      if (is.null(table[["share"]])) "share of items" else "share", percent_formatter()(share))
  )
  ggplot2::ggplot(d, ggplot2::aes(y = .data$y)) +
    ggplot2::geom_tile(ggplot2::aes(x = 0.85, fill = .data$tier), width = 0.3, height = 0.62,
      colour = palette_eggcrate[["stone"]]) +
    ggplot2::geom_rect(ggplot2::aes(xmin = 6.6, xmax = 6.6 + 2.2 * .data$length,
      ymin = .data$y - 0.3, ymax = .data$y + 0.3, fill = .data$tier),
      colour = palette_eggcrate[["stone"]], linewidth = 0.2) +
    ggplot2::geom_text(ggplot2::aes(x = .data$x, label = .data$text, hjust = .data$side),
      data = cells[!cells$head, ], size = 5, colour = palette_eggcrate[["ink"]]) +
    ggplot2::geom_text(ggplot2::aes(x = .data$x, label = .data$text, hjust = .data$side),
      data = cells[cells$head, ], size = 4.4, colour = palette_eggcrate[["stone"]]) +
    ggplot2::scale_fill_manual(values = tier_colours(ans$facets$tiers$scheme), drop = FALSE) +
    ggplot2::scale_x_continuous(limits = c(0.6, 9.8)) +
    ggplot2::scale_y_continuous(limits = c(-max(k, 4L) - 0.6, 0.5)) +
    chart_labs(x = NULL, y = NULL, title = title %||% tier_finding(ans),
      subtitle = shown_scheme(ans$facets$tiers$scheme), caption = caption_text(ans),
      alt = sprintf("Table of tiers. %s.", enumerate(tier_words(list(table = table), ans)))) +
    theme_eggcrate() +
    ggplot2::theme(axis.text = ggplot2::element_blank(), panel.grid = ggplot2::element_blank(),
      panel.grid.major.y = ggplot2::element_blank(), legend.position = "none")
}
