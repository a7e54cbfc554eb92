#' Movement as a picture
#'
#' `chart_movement()` draws tiers through time, a tile for each item and period in the colour
#' of its tier; or, with `ranks = TRUE`, the ranks of a few items as lines. `chart_transitions()`
#' draws the table of transitions. Items stand so that those in the best tiers are on
#' top; periods that are not complete are marked.
#'
#' @param x The result of [movement()].
#' @param ranks Whether to draw ranks as lines instead of tiers.
#' @param n How many items to show; by default 40 with tiers and 8 with ranks, those that
#'   rank best in the last complete period.
#' @param from,to The periods, as in [transitions()].
#' @param title Text to replace the finding.
#' @param ... Must be empty.
#' @returns A ggplot. The data of `chart_movement()` has one row per item and period: `item`,
#'   `period` (factors), `tier` or `rank`, and `.row`, the position among all ranked items. The data
#'   of `chart_transitions()` has one row per pair of tiers.
#' @section Errors: `eggcrate_error_unknown_value` when `x` is no movement.
#' @export
#' @examplesIf requireNamespace("ggplot2", quietly = TRUE)
#' x <- movement(demo_orders(), of = sum(net_sales), by = customer, over = quarter(order_date),
#'   scheme = tiers_equal(3))
#' chart_movement(x)
#' chart_movement(x, ranks = TRUE)
#' chart_transitions(x)
chart_movement <- function(x, ranks = FALSE, n = NULL, title = NULL, ...) {
  call <- sys.call()[1L]
  check_no_dots(..., call = call)
  check_drawable(x, "eggcrate_movement", "the result of `movement()`", call)
  check_drawn(title, n, "n", call = call)
  ans <- answer_of(x)
  if (!length(shown_items(ans))) {
    return(as_chart(empty_chart(ans, title)))
  }
  if (isTRUE(ranks)) {
    as_chart(draw_rank_lines(ans, n %||% if (length(ans$facets$movement$groups)) 4 else 8, title))
  } else {
    as_chart(draw_tiers_through_time(ans,
      n %||% max(3, 40 %/% max(1L, length(ans$facets$movement$groups))), title))
  }
}

# Tiers through time -------------------------------------------------------

tiers_through_time <- function(ans, n) {
  moved <- ans$facets$movement
  rows <- items_in_view(ans, n)
  names <- unique_names(cut_names(movement_names(ans, rows), 28L))
  group <- if (length(moved$groups)) factor(moved$groups[moved$group[rows]], moved$groups) else
    "all"
  labels <- period_names(ans)
  codes <- tier_codes(ans)
  do.call(rbind, lapply(seq_along(labels), function(period) {
    tier <- as.character(movement_tiers(ans, period)[rows])
    data.frame(item = factor(names, rev(names)), group = group,
      period = factor(labels[period], labels),
      tier = tier, code = ifelse(tier == absent, "", codes[tier]),
      .row = moved$row[rows, period])
  }))
}

draw_tiers_through_time <- function(ans, n, title) {
  cells <- tiers_through_time(ans, n)
  colours <- movement_colours(ans)
  cells$ink <- legible_on(unname(colours[cells$tier]))
  shown <- intersect(names(colours), unique(cells$tier))
  periods <- nlevels(cells$period)
  slant <- periods > 12L
  notes <- c(shown_items_words(ans), scheme_words(ans), open_note(ans),
    not_shown(length(shown_items(ans)) - nlevels(cells$item), item_noun(ans$plan)))
  chart <- ggplot2::ggplot(cells, ggplot2::aes(.data$period, .data$item)) +
    ggplot2::geom_tile(ggplot2::aes(fill = .data$tier), colour = "white", linewidth = 0.5) +
    ggplot2::geom_text(ggplot2::aes(label = .data$code), colour = cells$ink,
      size = if (nlevels(cells$item) > 30L) 2.5 else 3.2) +
    ggplot2::scale_fill_manual(values = colours, limits = shown,
      labels = function(tier) ifelse(tier == absent, "absent", paste("tier", tier))) +
    ggplot2::scale_x_discrete(position = "top") +
    ggplot2::scale_y_discrete(labels = shown_names) +
    chart_labs(x = NULL, y = NULL, fill = NULL,
      title = wrapped_title(title %||% movement_finding(ans)), subtitle = wrapped_notes(notes),
      caption = caption_text(ans), alt = movement_alt(ans)) +
    theme_eggcrate() +
    ggplot2::theme(panel.grid = ggplot2::element_blank(),
      panel.grid.major.y = ggplot2::element_blank(),
      axis.text.y = ggplot2::element_text(
        size = ggplot2::rel(if (nlevels(cells$item) > 30L) 0.68 else 0.85)),
      axis.text.x.top = ggplot2::element_text(angle = if (slant) 60 else 0,
        hjust = if (slant) 0 else 0.5, size = ggplot2::rel(if (periods > 24L) 0.75 else 0.9)))
  if (length(ans$facets$movement$groups)) chart + stacked_groups() else chart
}

open_note <- function(ans) if (any(!ans$facets$movement$complete)) "* not complete."

movement_alt <- function(ans) {
  sprintf("Movement of %s through %s %s. %s.", plural_of(item_noun(ans$plan)),
    format_count(length(ans$facets$movement$labels)), plural_of(names(ans$plan$over)),
    movement_finding(ans))
}

# Rank lines ---------------------------------------------------------------

# The best of each group in the last complete period that has items, else in the last.
leading_items <- function(ans, n) {
  moved <- ans$facets$movement
  items <- shown_items(ans)
  rank <- ans$ranked$rank[moved$row[items, selection_period(moved)]]
  items <- items[order(moved$group[items], rank)]
  known <- items[!is.na(ans$ranked$rank[moved$row[items, selection_period(moved)]])]
  known[stats::ave(seq_along(known), moved$group[known], FUN = seq_along) <= n]
}

draw_rank_lines <- function(ans, n, title) {
  moved <- ans$facets$movement
  items <- leading_items(ans, n)
  labels <- period_names(ans)
  grouped <- length(moved$groups) > 0L
  names <- unique_names(cut_names(movement_names(ans, items), if (grouped) 16L else 26L))
  points <- do.call(rbind, lapply(seq_along(items), function(i) {
    rank <- ans$ranked$rank[moved$row[items[i], ]]
    # A line breaks where the item is absent.
    data.frame(item = names[i], group = moved$groups[moved$group[items[i]]] %||% "all",
      at = seq_along(labels),
      rank = rank, stretch = cumsum_of_gaps(rank), .row = moved$row[items[i], ])
  }))
  points <- points[!is.na(points$rank), ]
  ends <- do.call(rbind,
    lapply(split(points, factor(points$item, names)), function(one) one[which.max(one$at), ]))
  colours <- with_names(rep_len(unname(palette_eggcrate[c("ink", "clay", "yolk", "stone")]),
    length(names)), names)
  dashes <- with_names(rep(c("solid", "42", "13"), each = 4L, length.out = length(names)), names)
  every <- max(1L, if (grouped) length(labels) - 1L else ceiling(length(labels) / 14))
  worst <- max(points$rank)
  steps <- if (worst <= 12) seq_len(worst) else pretty(c(1, worst))
  notes <- c(shown_items_words(ans),
    sprintf("The first %s of the last complete %s%s; a line breaks where one is absent.",
      format_count(max(tabulate(moved$group[items]))), names(ans$plan$over),
      if (grouped) " in each group" else ""), open_note(ans))
  chart <- ggplot2::ggplot(points,
    ggplot2::aes(.data$at, .data$rank, colour = .data$item, linetype = .data$item,
      group = paste(.data$item, .data$stretch))) +
    ggplot2::geom_line(data = joined_points(points), linewidth = 0.8) +
    ggplot2::geom_point(size = 2) +
    end_names(ends, length(labels), if (grouped) 3 else 3.6) +
    ggplot2::scale_y_reverse(breaks = c(1, steps[steps > 1]), minor_breaks = NULL) +
    ggplot2::scale_x_continuous(breaks = seq(1L, length(labels), every),
      labels = labels[seq(1L, length(labels), every)], minor_breaks = NULL,
      expand = ggplot2::expansion(mult = c(0.02, if (grouped) 0.75 else 0.26))) +
    ggplot2::scale_colour_manual(values = colours) +
    ggplot2::scale_linetype_manual(values = dashes) +
    ggplot2::guides(colour = "none", linetype = "none") +
    chart_labs(x = NULL, y = "rank", title = wrapped_title(title %||% ranks_finding(ans)),
      subtitle = wrapped_notes(notes), caption = caption_text(ans), alt = movement_alt(ans)) +
    theme_eggcrate()
  if (grouped) chart + panels_of("group", "free_y") else chart
}

# The last rank and the name at the end of each line, moved apart if they overlap.
end_names <- function(ends, last, size) {
  ends$text <- paste(ends$rank, shown_names(ends$item))
  if (!requireNamespace("ggrepel", quietly = TRUE)) {
    return(ggplot2::geom_text(ggplot2::aes(label = .data$text), data = ends, hjust = -0.08,
      size = size, colour = palette_eggcrate[["ink"]], check_overlap = TRUE))
  }
  ggrepel::geom_text_repel(ggplot2::aes(x = .data$at, y = .data$rank, label = .data$text),
    data = ends, inherit.aes = FALSE, hjust = 0, nudge_x = last + 0.4 - ends$at, direction = "y",
    size = size, colour = palette_eggcrate[["ink"]], segment.colour = palette_eggcrate[["stone"]],
    segment.size = 0.3, min.segment.length = 0.3, box.padding = 0.15, max.overlaps = Inf, seed = 1L)
}

# "Sorrelby Boatyard is first in 6 of 11 quarters"; of groups "The first has stayed the same in 5
# of 8 regions".
ranks_finding <- function(ans) {
  moved <- ans$facets$movement
  if (length(moved$groups)) {
    return(sprintf("The first has stayed the same in %s of %s", format_count(steady_groups(ans)),
      count_of(length(moved$groups), group_noun(ans, names(ans$plan$within)))))
  }
  first <- rowSums(matrix(ans$ranked$rank[moved$row] == 1, nrow(moved$row)), na.rm = TRUE)
  leader <- which.max(first)
  sprintf("%s is first in %s of %s", movement_names(ans, leader), format_count(first[leader]),
    count_of(length(moved$labels), names(ans$plan$over)))
}

# A line takes two points.
joined_points <- function(points) {
  stretch <- paste(points$item, points$stretch)
  points[stretch %in% stretch[duplicated(stretch)], ]
}

# Numbers the stretches between gaps.
cumsum_of_gaps <- function(x) Reduce(`+`, is.na(x), accumulate = TRUE)

# Transitions --------------------------------------------------------------

#' @rdname chart_movement
#' @export
chart_transitions <- function(x, from = NULL, to = NULL, title = NULL, ...) {
  call <- sys.call()[1L]
  check_no_dots(..., call = call)
  check_drawable(x, "eggcrate_movement", "the result of `movement()`", call)
  check_drawn(title, call = call)
  ans <- answer_of(x)
  if (!nrow(ans$facets$movement$row)) {
    return(as_chart(empty_chart(ans, title)))
  }
  as_chart(draw_transitions(ans, movement_pair(ans, from, to, call), title))
}

draw_transitions <- function(ans, pair, title) {
  counts <- transition_table(ans, pair)
  tiers <- rownames(counts)
  cells <- data.frame(from = factor(rep(tiers, ncol(counts)), rev(tiers)),
    to = factor(rep(tiers, each = nrow(counts)), tiers), items = as.vector(counts))
  place <- match(cells$to, ans$facets$tiers$scheme$labels) - match(cells$from,
    ans$facets$tiers$scheme$labels)
  kinds <- c("rose", "stayed", "fell", "came or went")
  cells$kind <- factor(ifelse(is.na(place),
    ifelse(as.character(cells$from) == as.character(cells$to), "stayed", "came or went"),
    ifelse(place < 0, "rose", ifelse(place > 0, "fell", "stayed"))), kinds)
  colours <- with_names(c(palette_eggcrate[["yolk"]], palette_eggcrate[["duck_egg"]], "#D9A08C",
    palette_eggcrate[["shell"]]), kinds)
  words <- function(tier) ifelse(tier == absent, "absent", paste("tier", tier))
  labels <- ans$facets$movement$labels[pair]
  margins <- function(n, tiers) sprintf("%s\n%s", words(tiers), format_count(n))
  ggplot2::ggplot(cells, ggplot2::aes(.data$to, .data$from)) +
    ggplot2::geom_tile(ggplot2::aes(fill = .data$kind), colour = "white", linewidth = 1) +
    ggplot2::geom_text(ggplot2::aes(label = format_count(.data$items)), size = 5.5,
      colour = "#000000") +
    ggplot2::scale_fill_manual(values = colours, drop = FALSE) +
    ggplot2::scale_x_discrete(position = "top", labels = margins(colSums(counts),
      colnames(counts))) +
    ggplot2::scale_y_discrete(labels = rev(margins(rowSums(counts), tiers))) +
    chart_labs(x = sprintf("in %s", labels[2L]), y = sprintf("in %s", labels[1L]), fill = NULL,
      title = wrapped_title(title %||% movement_finding(ans)),
      subtitle = wrapped_notes(
        c(sprintf("%s in each tier, and how many went where.",
          capital(plural_of(item_noun(ans$plan)))),
          sprintf("%s.", capital(shown_scheme(ans$facets$tiers$scheme))))),
      caption = caption_text(ans),
      alt = sprintf("Transitions from %s to %s. %s.", labels[1L], labels[2L],
        movement_finding(ans))) +
    theme_eggcrate() +
    ggplot2::theme(panel.grid = ggplot2::element_blank(),
      panel.grid.major.y = ggplot2::element_blank())
}
