# Grids and movement as HTML: a table whose cells have the colours of their chart.

html_parts.eggcrate_grid <- function(x, n, figures) {
  ans <- answer_of(x)
  notes <- c(sprintf("%s.", rows_sentence(ans$receipt)), reading_notes(ans))
  body <- html_nothing()
  if (length(ans$ranked$cell)) {
    # Wide enough for all: a page can be moved to the side.
    layout <- grid_layout(ans, n %||% 20, figures, 1e6)
    notes <- c(grid_notes(ans, layout), blank_words(layout$table$shade), notes)
    body <- list(html_ramp(ans), html_grid(layout, ans))
  }
  list(title = grid_finding(ans), lines = standings_lines(ans), body = body, notes = notes)
}

html_grid <- function(layout, ans) {
  fill <- heat_colour(layout$table$shade, !is.null(ans$facets$grid$asked$centre))
  names <- side_labels(ans, "rows", 60L)
  rows <- lapply(layout$rows, function(row) {
    at <- (row - 1L) * layout$k + layout$columns
    list(name = names[row], text = if (layout$figures) layout$text[at] else rep("", length(at)),
      fill = fill[at], total = layout$totals[row])
  })
  bottom <- if (!is.null(layout$bottom) && layout$figures) {
    list(list(name = "total", text = layout$bottom, class = "total",
      total = if (!is.null(layout$totals)) layout$all))
  }
  html_cells(enumerate(plain_words_of(side_names(ans, "rows"))),
    c(layout$labels, if (!is.null(layout$totals)) "total"), c(rows, bottom))
}

# What the shades mean, from end to end.
html_ramp <- function(ans) {
  signed <- !is.null(ans$facets$grid$asked$centre)
  ramp <- heat_colour(shade_ramp(signed, 9L), signed)
  ends <- shade_labels(ans)
  htmltools::tags$p(ends[1L],
    htmltools::tags$span(class = "ramp",
      style = sprintf("background:linear-gradient(to right,%s)", paste(ramp, collapse = ","))),
    ends[length(ends)])
}

html_parts.eggcrate_movement <- function(x, n, figures) {
  ans <- answer_of(x)
  notes <- c(sprintf("%s.", rows_sentence(ans$receipt)), movement_notes(ans))
  body <- html_nothing()
  if (nrow(ans$facets$movement$row)) {
    rows <- seq_len(min(n %||% 20, nrow(ans$facets$movement$row)))
    notes <- c(if (anyNA(ans$facets$movement$row[rows, ])) "A blank cell: absent.",
      not_shown(nrow(ans$facets$movement$row) - length(rows), item_noun(ans$plan)), notes)
    pair <- pair_or_none(ans)
    body <- list(html_movement(ans, rows),
      if (!is.null(pair)) list(lapply(climb_lines(ans, pair, 1e6), htmltools::tags$p),
        html_transitions(ans, pair)))
  }
  list(title = movement_finding(ans), lines = standings_lines(ans), body = body, notes = notes)
}

html_movement <- function(ans, rows) {
  tiers <- vapply(seq_along(ans$facets$movement$labels),
    function(period) as.character(movement_tiers(ans, period)[rows]), character(length(rows)))
  tiers <- matrix(tiers, length(rows))
  colours <- movement_colours(ans)
  names <- movement_names(ans, rows)
  html_cells(item_noun(ans$plan), period_names(ans), lapply(rows, function(row) {
    list(name = names[row], text = ifelse(tiers[row, ] == absent, "", tiers[row, ]),
      fill = unname(colours[tiers[row, ]]))
  }))
}

html_transitions <- function(ans, pair) {
  cells <- with_margins(transition_table(ans, pair))
  labels <- ans$facets$movement$labels[pair]
  html_cells(sprintf("from %s to %s", labels[1L], labels[2L]), colnames(cells),
    lapply(seq_len(nrow(cells)), function(i) {
      list(name = rownames(cells)[i], text = format_count(cells[i, ]),
        class = if (i == nrow(cells)) "total")
    }))
}

#' A table of cells in colours.
#' @param corner What the names of rows and columns are of.
#' @param heads Names of the columns.
#' @param rows A list for each row: `name`; `text` of the cells; `fill`, their colours, or
#'   NULL; `total`, a last cell without a colour, or NULL; `class`, or NULL.
#' @noRd
html_cells <- function(corner, heads, rows) {
  tags <- htmltools::tags
  cell <- function(text, fill) {
    tags$td(style = sprintf("background:%s;color:%s", fill, legible_on(fill)), text)
  }
  body <- lapply(rows, function(row) {
    tags$tr(class = row$class, tags$th(scope = "row", row$name),
      if (is.null(row$fill)) lapply(row$text, tags$td) else unname(Map(cell, row$text, row$fill)),
      lapply(row$total, tags$td))
  })
  head <- tags$tr(tags$th(corner), lapply(heads, function(name) tags$th(scope = "col", name)))
  tags$div(class = "wide", tags$table(class = "shades", tags$thead(head), tags$tbody(body)))
}
