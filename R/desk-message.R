# What is sent to the page after an act: views as HTML, what is said, figures with their areas.

views_message <- function(done) {
  desk <- done$desk
  html <- function(tags) as.character(htmltools::tagList(tags))
  result <- if ("finding" %in% done$views) step_result(desk, done$step)
  parts <- if (!is.null(result)) answer_parts(result, done$step)
  out <- list()
  for (view in done$views) {
    out[[view]] <- html(switch(view, sentence = view_sentence(desk),
      finding = view_finding(result, parts),
      moving = view_moving(result, done$step), table = view_table(desk, result, parts),
      picked = view_picked(desk), trail = view_trail(desk),
      beside = view_beside(desk)[1L]))
  }
  message <- list(html = out, wrong = done$wrong, wronged = !is.null(done$wrong), word = done$word)
  if ("finding" %in% done$views) {
    message$said <- harmless(paste(c(result$headline, if (!is_answered(result)) result$problem),
      collapse = ". "))
  }
  if ("beside" %in% done$views) {
    beside <- view_beside(desk)
    message$there <- if (is.null(beside)) list(shown = FALSE) else
      list(shown = TRUE, finding = html(beside$other),
        table = html(other_table(desk)))
  }
  if (any(c("finding", "picked") %in% done$views)) message$picked <- I(picked_rows(desk, done$step))
  message
}

other_table <- function(desk) {
  step <- desk_step(desk, desk$beside)
  result <- step_result(desk, step)
  answer_parts(result, step)$body
}

picked_rows <- function(desk, step) {
  result <- step_result(desk, step)
  if (has_items(result) && length(desk$picked)) rows_of_names(drop_others(result$x),
    desk$picked) else integer()
}

# As wide as the page allows, with text of the same size as the page.
desk_size <- function(width, chart = "") {
  width <- if (is.numeric(width) && length(width) == 1L && is.finite(width)) max(320,
    min(1400, width)) else 760
  # Rows of cells need the height of their names.
  height <- if (chart %in% c("movement", "heat", "tiles")) 0.95 * width else 0.62 * width
  chart_size(round(width), round(max(380, min(760, height))), 98, free = TRUE)
}

figure_message <- function(desk, step, id, width) {
  result <- step_result(desk, step)
  if (!length(result$charts)) {
    return(no_figure(result$no_chart))
  }
  # A figure that cannot be drawn takes nothing away from its answer.
  tryCatch(drawn_message(result, id, width),
    error = function(e) no_figure("The chart cannot be drawn:", conditionMessage(e)))
}

no_figure <- function(...) list(svg = "", note = harmless(paste(c(...), collapse = " ")))

drawn_message <- function(result, id, width) {
  chart <- result$charts[[1L]]
  # The finding is shown above the chart, and its source below.
  drawn <- step_figure(result$x, chart + chart_labs(title = NULL, caption = NULL),
    desk_size(width, names(result$charts)))
  svg <- drawn$svg
  areas <- drawn$areas
  rows <- unique(areas$row)
  list(svg = as.character(inline_svg(svg, id, chart$labels$alt %||% result$headline)),
    areas = if (length(rows)) lapply(areas, I), picks = !drawn$of_groups && has_items(result),
    hints = if (length(rows)) with_names(lapply((if (drawn$of_groups) group_hints else
      item_hints)(result$x, rows), I), rows))
}
