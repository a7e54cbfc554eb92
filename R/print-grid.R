# The grid in letters: figures on their shade, or shades alone where figures do not fit.

# Signs of rising shades, where there are no colours.
shade_signs <- function() {
  symbol(c(" ", ".", ":", "+", "#"), c(" ", "\u2591", "\u2592", "\u2593", "\u2588"))
}

grid_lines <- function(ans, n, figures, width) {
  head <- c(bold(fold(grid_finding(ans), width)),
    if (!is.null(plan_text(ans$plan))) muted(fold(paste0("where ", plan_text(ans$plan)), width)), "")
  foot <- function(notes) {
    muted(
      unlist(lapply(c(notes, sprintf("%s.", rows_sentence(ans$receipt)), reading_notes(ans)), fold,
        width = width)))
  }
  if (!length(ans$ranked$cell)) {
    return(c(head, "Nothing is left: no row passes the filter with a value.", "", foot(NULL)))
  }
  layout <- grid_layout(ans, n, figures, width)
  c(head, paint_grid(layout, ans), "", foot(c(grid_notes(ans, layout), signs_note())))
}

# Which rows and columns fit, and how: of many periods the last ones, of others the first.
grid_layout <- function(ans, n, figures, width) {
  grid <- ans$facets$grid
  k <- length(grid$labels$columns)
  rows <- seq_len(min(n, length(grid$labels$rows)))
  # The cells stand row by row.
  table <- lapply(grid_cells(ans), utils::head, n = length(rows) * k)
  number <- grid_number(ans)
  names <- align(side_labels(ans, "rows", 24L)[rows], "left")
  totals <- if (all(is.na(grid$totals$rows))) NULL else number(grid$totals$rows[rows])
  room <- max(40L, width) - nchar(names[1L], "width") -
    if (is.null(totals)) 0L else 2L + max(nchar(c("total", totals), "width"))
  text <- number(table$value)
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

# All figures of a grid in one unit, and with as many decimals: sums in thousands or
# millions, where they are so large.
grid_number <- function(ans) {
  unit <- grid_unit(ans)
  number <- if (unit == 1) measure_formatter(ans) else number_formatter(1L)
  function(x) ifelse(is.na(x), "", number(if (unit == 1) x else x / unit))
}

# What a figure of the grid counts; 1 where the measure says it itself.
grid_unit <- function(ans) {
  if (!has_shares(ans) || is_percentage(ans) || is_money(ans) && money_unit() != 1) {
    return(1)
  }
  most <- max(abs(quantity_real(ans$ranked$quantity)), 0, na.rm = TRUE)
  if (most >= 1e7) 1e6 else if (most >= 1e4) 1e3 else 1
}

unit_words <- function(ans) {
  unit <- grid_unit(ans)
  if (unit > 1) sprintf("Figures in %ss.", names(money_units)[match(unit, money_units)])
}

grid_total <- function(ans) {
  if (!has_shares(ans) || !is.null(plan_measure(ans$plan)$per_day)) {
    NA_real_
  } else {
    exact_real(exact_sum_by(ans$ranked$share$value, rep(1L, length(ans$ranked$cell)), 1L))
  }
}

paint_grid <- function(layout, ans) {
  grid <- ans$facets$grid
  body <- vapply(layout$rows, function(row) {
    at <- (row - 1L) * layout$k + layout$columns
    paste(shaded(if (layout$figures) layout$text[at] else rep("", length(at)),
      layout$table$shade[at], layout$wide, !is.null(grid$asked$centre)),
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
  lines <- paste0(layout$names, " ", body, right(layout$totals))
  # Totals have no shade.
  bottom <- if (!is.null(layout$bottom) && layout$figures) {
    bold(trimws(paste0(align("total", "left", nchar(pad)),
      paste(align(layout$bottom, "right", layout$wide), collapse = " "), right(layout$all)),
      "right"))
  }
  c(muted(trimws(paste0(pad, grid_heads(layout), right("total")), "right")), lines, bottom)
}

# The names of a side, cut to a width; periods that are not complete are marked.
side_labels <- function(ans, side, width, mark = "*") {
  labels <- ans$facets$grid$labels[[side]]
  open <- labels %in% ans$facets$grid$incomplete & (side == "columns") != ans$facets$grid$turned
  paste0(cut_text(labels, width), ifelse(open, mark, ""))
}

# Names of the columns; without figures only as many as have room.
grid_heads <- function(layout) {
  labels <- layout$labels
  if (layout$figures) {
    return(paste(align(labels, "right", layout$wide), collapse = " "))
  }
  spread_names(labels)
}

# Names above columns of two letters each, as many as have room.
spread_names <- function(labels) {
  line <- rep(" ", 2L * length(labels))
  free <- 1L
  for (i in seq_along(labels)) {
    from <- 2L * i - 1L
    letters <- strsplit(labels[i], "")[[1L]]
    if (from < free || from + length(letters) - 1L > length(line)) next
    line[from + seq_along(letters) - 1L] <- letters
    free <- from + length(letters) + 1L
  }
  paste(line, collapse = "")
}

# A figure on its shade: in colour where there is colour, else with a sign of its shade.
shaded <- function(text, shade, wide, signed) {
  colours <- if (colours_wanted()) cli::num_ansi_colors() else 1L
  if (colours >= 256L) {
    padded <- paste0(align(text, "right", wide - 1L), " ")
    return(ifelse(is.na(shade), padded, on_shade(padded, shade, signed, colours > 256L)))
  }
  signs <- shade_signs()
  level <- if (signed) (shade + 1) / 2 else shade
  sign <- ifelse(is.na(shade), " ", signs[pmin(5L, 1L + floor(level * 5))])
  if (all(!nzchar(text))) return(strrep(sign, wide))
  align(paste(text, sign), "right", wide)
}

# Where a terminal has 256 colours the nearest ones to ours would be of all hues: greys
# fall evenly instead, and the other side of a centre has reds of its own.
terminal_reds <- c(255L, 224L, 217L, 174L, 131L, 88L)
terminal_colours <- c("88" = "#870000", "131" = "#AF5F5F", "174" = "#D78787", "217" = "#FFAFAF",
  "224" = "#FFD7D7")

on_shade <- function(text, shade, signed, exact) {
  shade[is.na(shade)] <- 0
  if (exact) {
    back <- heat_colour(shade, signed)
    code <- function(colour) apply(grDevices::col2rgb(colour), 2L, paste, collapse = ";")
    return(sprintf("\033[48;2;%s;38;2;%sm%s\033[0m", code(back), code(legible_on(back)), text))
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
  hidden <- c(length(grid$labels$rows) - length(layout$rows), layout$k - length(layout$columns))
  c(shade_words(ans), if (layout$figures || !is.null(layout$totals)) unit_words(ans),
    hidden_sides(ans, hidden))
}

# How many rows and columns are not shown.
hidden_sides <- function(ans, hidden) {
  noun <- function(side) plain_words(side_names(ans, side)[1L])
  c(not_shown(hidden[1L], noun("rows")), not_shown(hidden[2L], noun("columns")))
}

blank_words <- function(shade) if (anyNA(shade)) "A blank cell has no rows."

signs_note <- function() {
  if (!colours_wanted()) {
    sprintf("Shades from low to high: %s.", paste(sprintf("\"%s\"", shade_signs()), collapse = " "))
  }
}

# What the shade means.
shade_words <- function(ans) {
  asked <- ans$facets$grid$asked
  where <- c(all = "among all cells", rows = "within each row",
    columns = "within each column")[[asked$along]]
  number <- measure_formatter(ans)
  said <- function(name) if (!is.null(asked[[name]])) sprintf("%s %s", name, number(asked[[name]]))
  lines <- c(said("floor"), said("target"), said("centre"), said("ceiling"))
  if (asked$shade == "value" && asked$along == "all" && is.null(asked$floor) &&
    is.null(asked$ceiling)) {
    ends <- range(quantity_real(ans$ranked$quantity), na.rm = TRUE)
    lines <- c(sprintf("from %s to %s", number(ends[1L]), number(ends[2L])), lines)
  }
  sprintf("Shade: by %s %s%s%s.", asked$shade, where,
    if (length(lines)) paste0(", ", paste(lines, collapse = ", ")) else "",
    if (ans$plan$rules$best == "lowest") ", the lowest darkest" else "")
}

#' "Net sales are highest in Ambermouth, 2026-05 (52,532.34), lowest in …".
#' @noRd
grid_finding <- function(ans) {
  q <- ans$ranked$quantity
  value <- quantity_real(q)
  if (!any(!is.na(value))) {
    return(question_text(ans$plan))
  }
  at <- c(which.max(value), which.min(value))
  name <- sprintf("%s, %s", ans$facets$grid$labels$rows[ans$facets$grid$row[at]],
    ans$facets$grid$labels$columns[ans$facets$grid$column[at]])
  number <- measure_formatter(ans)
  sprintf("%s by %s and %s: highest in %s (%s), lowest in %s (%s)", capital(measure_words(ans)),
    enumerate(plain_words_of(side_names(ans, "rows"))),
    enumerate(plain_words_of(side_names(ans, "columns"))),
    name[1L], number(value[at[1L]]), name[2L], number(value[at[2L]]))
}

plain_words_of <- function(names) vapply(names, plain_words, "")

#' @rdname heat_grid
#' @export
print.eggcrate_grid <- function(x, n = 20, figures = NULL, width = getOption("width"), ...) {
  writeLines(format(x, n = n, figures = figures, width = width))
  invisible(x)
}

#' @rdname heat_grid
#' @export
format.eggcrate_grid <- function(x, n = 20, figures = NULL, width = getOption("width"), ...) {
  grid_lines(answer_of(x), n, figures, width)
}
