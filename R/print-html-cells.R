# Grids and movement as HTML: a table whose cells have the colours of their chart.

html_parts.eggcrate_grid <- function(x, n, figures) {
  set <- facts(x)
  notes <- c(sprintf("%s.", rows_sentence(set$receipt)), reading_notes(set))
  body <- html_nothing()
  if (length(set$cell)) {
    # Wide enough for all: a page can be moved to the side.
    layout <- grid_layout(set, n %||% 20, figures, 1e6)
    notes <- c(grid_notes(set, layout), blank_words(layout$table$shade), notes)
    body <- list(html_ramp(set), html_grid(layout, set))
  }
  list(title = grid_finding(set), lines = standings_lines(set), body = body, notes = notes)
}

html_grid <- function(layout, set) {
  fill <- heat_colour(layout$table$shade, !is.null(set$grid$asked$centre))
  names <- side_labels(set, "rows", 60L)
  rows <- lapply(layout$rows, function(row) {
    at <- (row - 1L) * layout$k + layout$columns
    list(name = names[row], text = if (layout$figures) layout$text[at] else rep("", length(at)),
      fill = fill[at], total = layout$totals[row])
  })
  bottom <- if (!is.null(layout$bottom) && layout$figures) {
    list(list(name = "total", text = layout$bottom, class = "total",
      total = if (!is.null(layout$totals)) layout$all))
  }
  html_cells(enumerate(plain_words_of(side_names(set, "rows"))),
    c(layout$labels, if (!is.null(layout$totals)) "total"), c(rows, bottom))
}

# What the shades mean, from end to end.
html_ramp <- function(set) {
  signed <- !is.null(set$grid$asked$centre)
  ramp <- heat_colour(shade_ramp(signed, 9L), signed)
  ends <- shade_labels(set)
  htmltools::tags$p(ends[1L],
    htmltools::tags$span(class = "ramp",
      style = sprintf("background:linear-gradient(to right,%s)", paste(ramp, collapse = ","))),
    ends[length(ends)])
}

html_parts.eggcrate_movement <- function(x, n, figures) {
  set <- facts(x)
  notes <- c(sprintf("%s.", rows_sentence(set$receipt)), movement_notes(set))
  body <- html_nothing()
  if (nrow(set$movement$row)) {
    rows <- seq_len(min(n %||% 20, nrow(set$movement$row)))
    notes <- c(if (anyNA(set$movement$row[rows, ])) "A blank cell: absent.",
      not_shown(nrow(set$movement$row) - length(rows), item_noun(set$question)), notes)
    pair <- pair_or_none(set)
    body <- list(html_movement(set, rows),
      if (!is.null(pair)) list(lapply(climb_lines(set, pair, 1e6), htmltools::tags$p),
        html_transitions(set, pair)))
  }
  list(title = movement_finding(set), lines = standings_lines(set), body = body, notes = notes)
}

html_movement <- function(set, rows) {
  tiers <- vapply(seq_along(set$movement$labels),
    function(period) as.character(movement_tiers(set, period)[rows]), character(length(rows)))
  tiers <- matrix(tiers, length(rows))
  colours <- movement_colours(set)
  names <- movement_names(set, rows)
  html_cells(item_noun(set$question), period_names(set), lapply(rows, function(row) {
    list(name = names[row], text = ifelse(tiers[row, ] == absent, "", tiers[row, ]),
      fill = unname(colours[tiers[row, ]]))
  }))
}

html_transitions <- function(set, pair) {
  cells <- with_margins(transition_table(set, pair))
  labels <- set$movement$labels[pair]
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
