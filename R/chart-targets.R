#' Targets as a picture
#'
#' A bar for each of the first items in the colour of its status, a mark where its target
#' is, and the attainment as text with a sign. The best and the worst are picked out.
#' Groups have a panel each; of many periods the last ones.
#'
#' @param x The result of [against_target()].
#' @param n How many items to show of each group; by default 20, and fewer with groups.
#' @param title Text to replace the finding.
#' @param ... Must be empty.
#' @returns A ggplot. Its data is that of the items shown: `label`, `value`, `target`,
#'   `attainment`, `status`, `end` (`"best"`, `"worst"` or empty) and `group`.
#' @section Errors: `eggcrate_error_unknown_value` when `x` has no targets.
#' @export
#' @examplesIf requireNamespace("ggplot2", quietly = TRUE)
#' chart_targets(against_target(demo_orders(), of = sum(net_sales), by = region,
#'   over = month(order_date),
#'   where = in_period(order_date, latest(month)), target = demo_targets()))
chart_targets <- function(x, n = NULL, title = NULL, ...) {
  call <- sys.call()[1L]
  check_no_dots(..., call = call)
  check_drawable(x, "eggcrate_targets", "the result of `against_target()`", call)
  check_drawn(title, n, "n", call = call)
  x <- drop_others(x)
  ans <- answer_of(x)
  if (!nrow(x)) {
    return(as_chart(empty_chart(ans, title)))
  }
  layout <- targets_layout(x, ans, n)
  in_higher(as_chart(draw_targets(layout, ans, title)), layout$items$group)
}

status_colours <- function() {
  c(exceeded = palette_eggcrate[["yolk"]], met = "#F3DDA2", missed = palette_eggcrate[["clay"]],
    "open" = palette_eggcrate[["duck_egg"]], "no target" = palette_eggcrate[["shell"]])
}

targets_layout <- function(x, ans, n) {
  cell <- ans$ranked$cell[whole_rows(ans)]
  groups <- unique(cell)
  panels <- if (length(ans$plan$over)) {
    utils::tail(groups, most_panels)
  } else {
    utils::head(groups, most_panels)
  }
  n <- lines_drawn(n, ans, length(panels),
    if (length(panels) == 1L) usual_lines else max(3, 48 %/% length(panels)))
  place <- stats::ave(seq_along(cell), cell, FUN = seq_along)
  shown <- which((place <= n | always_shown(x, cell, n)) & cell %in% panels & !is.na(.subset2(x,
    plan_measure(ans$plan)$name)))
  rows <- whole_rows(ans)[shown]
  labels <- group_labels(ans)
  labels[ans$facets$targets$open] <- paste(labels[ans$facets$targets$open], "(not complete)")
  ends <- target_ends(ans)
  column <- function(name) .subset2(x, name)[shown]
  items <- data.frame(
    label = names_after_marks(cut_names(item_names(ans, ans$ranked$order[rows]), 28L),
      mark_numbers(ans)[rows]),
    value = column(plan_measure(ans$plan)$name), target = column("target"),
    attainment = column("attainment"),
    pace = column("pace"), open = ans$facets$targets$open[cell[shown]],
    status = shown_status(as.character(column("status")), ans$facets$targets$open[cell[shown]],
      ans),
    group = factor(labels[cell[shown]], unique(labels[panels])), place = place[shown],
    end = ifelse(rows %in% ends$best, "best", ifelse(rows %in% ends$worst, "worst", ""))
  )
  list(items = with_columns(items, x, shown),
    others = length(cell[cell %in% panels]) - length(shown),
    grouped = length(panels) > 1L, hidden = length(groups) - length(panels))
}

draw_targets <- function(layout, ans, title) {
  items <- layout$items
  items$text <- target_texts(items, layout$grouped)
  items$row <- factor(paste(items$group, -items$place),
    unique(paste(items$group, -items$place)[order(items$group, -items$place)]))
  items$reach <- pmax(items$value, items$target, 0, na.rm = TRUE)
  wide <- diff(range(0, items$value, items$target, na.rm = TRUE)) *
    if (layout$grouped) 0.02 else 0.007
  all <- shown_status(target_statuses[ans$facets$targets$number],
    ans$facets$targets$open[ans$ranked$cell], ans)
  names <- names(status_colours())
  counts <- vapply(names, function(name) sum(all == name), 0L)
  chart <- ggplot2::ggplot(items, ggplot2::aes(.data$value, .data$row)) +
    ggplot2::geom_col(ggplot2::aes(fill = .data$status), width = 0.66,
      colour = palette_eggcrate[["stone"]], linewidth = 0.2) +
    target_marks(items[!is.na(items$target), ], wide) +
    ggplot2::geom_vline(xintercept = 0, colour = palette_eggcrate[["stone"]], linewidth = 0.4) +
    ggplot2::geom_text(ggplot2::aes(x = .data$reach + wide, label = .data$text,
      fontface = ifelse(nzchar(.data$end), "bold", "plain")),
      hjust = -0.03, size = if (layout$grouped) 2.9 else 3.7,
      colour = palette_eggcrate[["ink"]]) +
    ggplot2::scale_y_discrete(labels = with_names(items$label, as.character(items$row))) +
    ggplot2::scale_x_continuous(labels = axis_numbers(ans),
      expand = ggplot2::expansion(mult = c(if (any(items$value < 0)) 0.05 else 0,
        if (layout$grouped) 0.5 else 0.24))) +
    ggplot2::scale_fill_manual(values = status_colours(), limits = intersect(names, items$status),
      labels = with_names(sprintf("%s %s (%s)", status_signs()[names], names, format_count(counts)),
        names)) +
    ggplot2::guides(fill = ggplot2::guide_legend(order = 1L),
      colour = ggplot2::guide_legend(order = 2L)) +
    targets_words(layout, ans, title) + theme_eggcrate() +
    ggplot2::theme(panel.grid.major.y = ggplot2::element_blank(),
      panel.grid.major.x = ggplot2::element_line(colour = "#ECECE8"))
  if (layout$grouped) chart <- chart + panels_of(ggplot2::vars(.data$group), "free_y")
  chart
}

# A line across the bar, with a rim that shows on it.
target_marks <- function(marks, wide) {
  if (nrow(marks)) {
    list(
      ggplot2::geom_tile(ggplot2::aes(x = .data$target, colour = "target"), data = marks,
        width = wide, height = 0.84, fill = palette_eggcrate[["ink"]], linewidth = 0.3),
      ggplot2::scale_colour_manual(values = c(target = "white"))
    )
  }
}

# "92.3%, worst", with a sign; of a period that is not over also the pace.
target_texts <- function(items, grouped) {
  percent <- percent_formatter()
  text <- ifelse(is.na(items$attainment), "", percent(items$attainment))
  if (!grouped) {
    text <- ifelse(items$open & !is.na(items$pace) & items$pace != items$attainment,
      paste0(text, ", pace ", percent(items$pace)), text)
  }
  trimws(paste0(status_signs()[items$status], " ", text,
    ifelse(nzchar(items$end), paste0("  ", items$end), "")))
}

targets_words <- function(layout, ans, title) {
  notes <- c(
    sprintf("Target: %s.", target_source(ans)), if (!layout$grouped) target_ends_words(ans),
    if (!layout$grouped) target_notes(ans),
    if (length(ans$facets$selection$text)) sprintf("Only %s.",
      paste(ans$facets$selection$text, collapse = ", ")),
    if (layout$grouped && length(ans$facets$targets$none)) {
      sprintf("%s without a target.", count_of(length(ans$facets$targets$none),
        item_noun(ans$plan)))
    },
    if (layout$others > 0 && layout$grouped) {
      sprintf("The first %s of each group.", format_count(max(layout$items$place)))
    },
    if (layout$others > 0 && !layout$grouped) {
      sprintf("%s not shown.", count_of(layout$others, item_noun(ans$plan)))
    },
    not_shown(layout$hidden, "group"), mark_sign_words(ans)
  )
  chart_labs(x = measure_title(ans, measure_words(ans)), y = NULL, fill = NULL, colour = NULL,
    title = wrapped_title(title %||% target_finding(ans)), subtitle = wrapped_notes(notes),
    caption = caption_text(ans), alt = targets_alt(ans))
}

targets_alt <- function(ans) {
  table <- status_counts(ans)
  counts <- vapply(target_statuses, function(status) sum(table$items[table$status == status]), 0L)
  sprintf("Bar chart of %s against a target. %s. %s. %s", question_text(ans$plan),
    target_finding(ans), enumerate(paste(target_statuses, counts)),
    paste(target_ends_words(ans), collapse = ""))
}
