# Grids and movement as HTML: a table whose cells have the colours of their chart.

html_parts.eggcrate_grid <- function(x, n, figures, items = FALSE) {
  ans <- answer_of(x)
  notes <- c(sprintf("%s.", rows_sentence(ans$receipt)), reading_notes(ans))
  body <- html_nothing(ans)
  if (length(ans$ranked$cell) && length(shown_rows(ans))) {
    # Wide enough for all: a page can be moved to the side.
    layout <- grid_layout(ans, n %||% rows_by_default(ans$facets$grid$shown, 20), figures, 1e6)
    notes <- c(grid_notes(ans, layout), blank_words(layout$table$shade), notes)
    body <- list(if (is.null(ans$facets$grid$asked$scheme)) html_ramp(ans) else html_tiers(ans),
      html_grid(layout, ans, items))
  }
  list(title = grid_finding(ans), lines = grid_words_above(ans), body = body, notes = notes)
}

html_grid <- function(layout, ans, items = FALSE) {
  grid <- ans$facets$grid
  fill <- cell_fills(layout$table, grid$asked)
  names <- paste0(row_signs(ans), side_labels(ans, "rows", 60L))
  rows <- lapply(seq_along(layout$rows), function(i) {
    row <- layout$rows[i]
    at <- (i - 1L) * layout$k + layout$columns
    list(name = names[row], text = if (layout$figures) layout$text[at] else rep("", length(at)),
      fill = fill[at], items = if (items) layout$table$.row[at], total = layout$totals[i],
      class = if (isTRUE(grid$marks[row] > 0L)) "marked",
      group = if (length(grid$groups)) grid$groups[grid$group[row]])
  })
  bottom <- if (!is.null(layout$bottom) && layout$figures) {
    list(list(name = "total", text = layout$bottom, class = "total",
      total = if (!is.null(layout$totals)) layout$all))
  }
  html_cells(enumerate(plain_words_of(side_nouns(ans, "rows"))),
    c(layout$labels, if (!is.null(layout$totals)) "total"), c(rows, bottom))
}

# A swatch and a name for each tier.
html_tiers <- function(ans) {
  scheme <- ans$facets$grid$asked$scheme
  colours <- tier_colours(scheme)[scheme$labels]
  htmltools::tags$p(lapply(seq_along(colours), function(i) {
    htmltools::tags$span(class = "swatch", style = sprintf("background:%s;color:%s", colours[[i]],
      legible_on(colours[[i]])), paste("tier", scheme$labels[i]))
  }))
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

html_parts.eggcrate_movement <- function(x, n, figures, items = FALSE) {
  ans <- answer_of(x)
  notes <- c(sprintf("%s.", rows_sentence(ans$receipt)), movement_notes(ans))
  body <- html_nothing(ans)
  if (length(shown_items(ans))) {
    rows <- items_in_view(ans, n %||% rows_by_default(ans$facets$movement$shown, 20))
    notes <- c(if (anyNA(ans$facets$movement$row[rows, ])) "A blank cell: absent.",
      not_shown(length(shown_items(ans)) - length(rows), item_noun(ans$plan)), notes)
    pair <- pair_or_none(ans)
    body <- list(html_movement(ans, rows, items),
      if (!is.null(pair)) list(lapply(climb_lines(ans, pair, 1e6), htmltools::tags$p),
        html_transitions(ans, pair)))
  }
  list(title = movement_finding(ans), lines = movement_words_above(ans), body = body, notes = notes)
}

html_movement <- function(ans, rows, items = FALSE) {
  tiers <- vapply(seq_along(ans$facets$movement$labels),
    function(period) as.character(movement_tiers(ans, period)[rows]), character(length(rows)))
  tiers <- matrix(tiers, length(rows))
  colours <- movement_colours(ans)
  names <- movement_names(ans, rows)
  moved <- ans$facets$movement
  first <- there(moved$row[rows, , drop = FALSE])
  html_cells(item_noun(ans$plan), period_names(ans), lapply(seq_along(rows), function(i) {
    list(name = names[i], text = ifelse(tiers[i, ] == absent, "", tiers[i, ]),
      fill = unname(colours[tiers[i, ]]), item = if (items) first[i],
      group = if (length(moved$groups)) moved$groups[moved$group[rows[i]]])
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
#'   NULL; `total`, a last cell without a colour, or NULL; `class`, or NULL; `group`, the name of
#'   its group, or NULL; `item` of the row or `items` of its cells, rows of the whole, where they
#'   can be picked.
#' @noRd
html_cells <- function(corner, heads, rows) {
  tags <- htmltools::tags
  cell <- function(text, fill, item) {
    tags$td(style = sprintf("background:%s;color:%s", fill, legible_on(fill)),
      `data-item` = if (!is.na(item)) item, text)
  }
  width <- length(heads) + 1L
  before <- c(list(NULL), lapply(rows, `[[`, "group"))
  body <- Map(function(row, before) {
    line <- tags$tr(class = row$class, `data-item` = row[["item"]],
      tags$th(scope = "row", row$name),
      if (is.null(row$fill)) lapply(row$text, tags$td) else
      unname(Map(cell, row$text, row$fill, row$items %||% NA)),
      lapply(row$total, tags$td))
    if (is.null(row$group) || identical(row$group, before)) {
      return(line)
    }
    list(tags$tr(class = "group", tags$th(scope = "rowgroup", colspan = width, row$group)), line)
  }, rows, before[seq_along(rows)])
  head <- tags$tr(tags$th(scope = "col", corner),
    lapply(heads, function(name) tags$th(scope = "col", name)))
  movable(tags$table(class = "shades", hidden_caption(corner), tags$thead(head), tags$tbody(body)),
    corner)
}
