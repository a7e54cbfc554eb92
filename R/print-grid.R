# The grid as text: numbers on their colour, or only colours if the numbers do not fit.

# Signs of rising shades, where there are no colours.
shade_signs <- function() {
  symbol(c(" ", ".", ":", "+", "#"), c(" ", "\u2591", "\u2592", "\u2593", "\u2588"))
}

grid_lines <- function(ans, n, figures, width) {
  head <- c(bold(fold(grid_finding(ans), width)),
    muted(unlist(lapply(grid_words_above(ans), fold, width))), "")
  foot <- function(notes) {
    muted(
      unlist(lapply(c(notes, sprintf("%s.", rows_sentence(ans$receipt)), reading_notes(ans)), fold,
        width = width)))
  }
  if (!length(ans$ranked$cell) || !length(shown_rows(ans))) {
    return(c(head,
      if (length(ans$ranked$cell)) "Nothing is left: no row is selected." else
      fold(nothing_left_words(ans), width), "",
      foot(NULL)))
  }
  layout <- grid_layout(ans, n, figures, width)
  c(head, paint_grid(layout, ans), "", foot(c(grid_notes(ans, layout), signs_note(ans))))
}

# Which rows and columns fit, and how: of many periods the last ones, of others the first.
grid_layout <- function(ans, n, figures, width) {
  grid <- ans$facets$grid
  k <- length(grid$labels$columns)
  rows <- rows_in_view(ans, n)
  # Cells are in order of rows.
  table <- lapply(grid_cells(ans), function(x) x[rep((rows - 1L) * k, each = k) + seq_len(k)])
  number <- grid_number(ans)
  names <- align(paste0(row_signs(ans)[rows],
    side_labels(ans, "rows", if (width < 60) 14L else 24L)[rows]), "left")
  totals <- if (all(is.na(grid$totals$rows))) NULL else number(grid$totals$rows[rows])
  room <- max(40L, width) - nchar(names[1L], "width") -
    if (is.null(totals)) 0L else 2L + max(nchar(c("total", totals), "width"))
  text <- cell_figures(ans, table)
  labels <- side_labels(ans, "columns", 14L)
  wide <- max(nchar(text, "width") + 2L, nchar(labels, "width"))
  fits <- room %/% (wide + 1L)
  # Periods can do without figures and with few names; other columns cannot.
  calendar <- !is.null(grid$numbers$columns)
  if (is.null(figures)) figures <- !calendar || fits >= k || room %/% 2L < k
  end <- if (calendar) utils::tail else utils::head
  columns <- end(seq_len(k), max(1L, if (figures) fits else room %/% 2L))
  list(table = table, rows = rows, columns = columns, k = k, names = names, text = text,
    totals = totals, figures = figures, wide = if (figures) wide else 2L,
    labels = labels[columns],
    bottom = if (all(is.na(grid$totals$columns))) NULL else number(grid$totals$columns[columns]),
    all = number(grid_total(ans)))
}

paint_grid <- function(layout, ans) {
  grid <- ans$facets$grid
  body <- vapply(seq_along(layout$rows), function(i) {
    at <- (i - 1L) * layout$k + layout$columns
    paste(shaded(if (layout$figures) layout$text[at] else rep("", length(at)),
      lapply(layout$table, `[`, at), layout$wide, grid$asked),
      collapse = if (layout$figures) " " else "")
  }, "")
  right <- function(x) {
    if (is.null(layout$totals)) {
      ""
    } else {
      paste0("  ", align(x, "right", max(nchar(c("total", layout$totals, layout$all), "width"))))
    }
  }
  pad <- strrep(" ", nchar(layout$names[1L], "width") + 1L)
  marked <- grid$marks[layout$rows] > 0L
  names <- layout$names
  names[marked] <- bold(names[marked])
  lines <- grouped_lines(paste0(names, " ", body, right(layout$totals)), grid$group[layout$rows],
    grid$groups)
  # Totals have no shade.
  bottom <- if (!is.null(layout$bottom) && layout$figures) {
    bold(trimws(paste0(align("total", "left", nchar(pad)),
      paste(align(layout$bottom, "right", layout$wide), collapse = " "), right(layout$all)),
      "right"))
  }
  c(muted(trimws(paste0(pad, grid_heads(layout), right("total")), "right")), lines,
    if (length(grid$groups)) "", bottom)
}

# Names of the columns; without figures only as many as have room.
grid_heads <- function(layout) {
  labels <- layout$labels
  if (layout$figures) {
    return(paste(align(labels, "right", layout$wide), collapse = " "))
  }
  place_names(labels, 2L)
}

# Names above columns of equal width, as many as fit.
place_names <- function(labels, wide) {
  line <- rep(" ", wide * length(labels))
  free <- 1L
  for (i in which(nzchar(labels))) {
    from <- wide * (i - 1L) + 1L
    characters <- strsplit(labels[i], "")[[1L]]
    if (from < free || from + length(characters) - 1L > length(line)) next
    line[from + seq_along(characters) - 1L] <- characters
    free <- from + length(characters) + 1L
  }
  paste(line, collapse = "")
}

#' A figure on its shade: in colour where there is colour, else with a sign of its shade or the
#' letter of its tier.
#' @param cells Columns of `grid_cells()`.
#' @noRd
shaded <- function(text, cells, wide, asked) {
  colours <- if (colours_wanted()) cli::num_ansi_colors() else 1L
  signed <- !is.null(asked$centre)
  codes <- if (!is.null(asked$scheme)) cell_codes(cells$tier, asked$scheme)
  if (colours >= 256L) {
    padded <- paste0(align(trimws(paste(text, codes)), "right", wide - 1L), " ")
    on <- if (!is.null(codes) && colours > 256L) {
      on_colour(padded, tier_colours(asked$scheme)[cells$tier])
    } else {
      on_shade(padded, cells$shade, signed, colours > 256L)
    }
    return(ifelse(is.na(cells$shade), padded, on))
  }
  signs <- shade_signs()
  level <- if (signed) (cells$shade + 1) / 2 else cells$shade
  sign <- codes %||% ifelse(is.na(cells$shade), " ", signs[pmin(5L, 1L + floor(level * 5))])
  if (all(!nzchar(text))) return(strrep(sign, wide))
  align(paste(text, sign), "right", wide)
}

cell_codes <- function(tier, scheme) {
  ifelse(is.na(tier), " ", unname(label_codes(scheme$labels)[tier]))
}

on_colour <- function(text, back) {
  back[is.na(back)] <- "#FFFFFF"
  code <- function(colour) apply(grDevices::col2rgb(colour), 2L, paste, collapse = ";")
  sprintf("\033[48;2;%s;38;2;%sm%s\033[0m", code(back), code(legible_on(back)), text)
}

# Where a terminal has 256 colours the nearest ones to ours would be of all hues: greys
# fall evenly instead, and the other side of a centre has reds of its own.
terminal_reds <- c(255L, 224L, 217L, 174L, 131L, 88L)
terminal_colours <- c("88" = "#870000", "131" = "#AF5F5F", "174" = "#D78787", "217" = "#FFAFAF",
  "224" = "#FFD7D7")

on_shade <- function(text, shade, signed, exact) {
  shade[is.na(shade)] <- 0
  if (exact) {
    return(on_colour(text, heat_colour(shade, signed)))
  }
  grey <- 255L - as.integer(round(pmax(shade, 0) * 19))
  number <- ifelse(shade < 0, terminal_reds[1L + round(-pmin(shade, 0) * 5)], grey)
  level <- 8 + (pmax(number, 232L) - 232L) * 10
  colour <- ifelse(number >= 232, grDevices::rgb(level, level, level, maxColorValue = 255),
    terminal_colours[as.character(number)])
  sprintf("\033[48;5;%d;38;5;%dm%s\033[0m", number,
    ifelse(legible_on(colour) == "#000000", 16L, 231L), text)
}

grid_notes <- function(ans, layout) {
  grid <- ans$facets$grid
  hidden <- c(length(shown_rows(ans)) - length(layout$rows), layout$k - length(layout$columns))
  c(row_mark_words(ans), shade_words(ans),
    if (layout$figures || !is.null(layout$totals)) unit_words(ans),
    if (any(grid$open)) star_words(ans), hidden_sides(ans, hidden))
}

signs_note <- function(ans) {
  if (!colours_wanted() && is.null(ans$facets$grid$asked$scheme)) {
    sprintf("Shades from low to high: %s.", paste(sprintf("\"%s\"", shade_signs()), collapse = " "))
  }
}

#' @rdname heat_grid
#' @export
print.eggcrate_grid <- function(x, n = NULL, figures = NULL, width = getOption("width"), ...) {
  print_lines(format(x, n = n, figures = figures, width = width))
  invisible(x)
}

#' @rdname heat_grid
#' @export
format.eggcrate_grid <- function(x, n = NULL, figures = NULL, width = getOption("width"), ...) {
  check_shown(n, width)
  ans <- answer_of(x)
  grid_lines(ans, n %||% rows_by_default(ans$facets$grid$shown, 20), figures, width)
}
