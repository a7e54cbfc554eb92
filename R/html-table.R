#' A result as an HTML table
#'
#' The printed table as HTML, from the same set-up: bars in the cells with room for the
#' figure, marked rows by sign and colour, tiers as labels, all others and totals set
#' apart.
#'
#' A grid has its cells in their shades, movement in the colours of the tiers.
#'
#' @param x Standings, or any other result: of [extremes()], [concentration()], [heat_grid()],
#'   [movement()], [findings()], [why()] or [check_sales()].
#' @param n How many items to show of each group, `Inf` for all; by default 10, and all that
#'   [only()] has left. Of a grid or of movement: how many rows, by default 20.
#' @param figures For a grid: whether its cells have their figures, or shades alone.
#' @param table Which table of a result: `"items"`, or one of the others that it has, such as
#'   `"totals"`, `"tiers"`, `"bridge"` or `"receipt"`.
#' @param layout For `table = "tiles"`: where each region lies, as in [tile_table()].
#' @param shares For `table = "thresholds"`: parts of the total, as in [threshold_table()].
#' @param ... Must be empty.
#' @returns An `htmltools` tag: a `section` with its own style, a heading, the table, and
#'   what was done.
#' @section Errors: `eggcrate_error_package` when htmltools is not installed;
#'   `eggcrate_error_unknown_value` for a table that the result does not have.
#' @export
#' @examplesIf requireNamespace("htmltools", quietly = TRUE)
#' html_table(standings(demo_orders(), of = sum(net_sales), by = category))
#' html_table(standings(demo_orders(), of = sum(net_sales), by = category), table = "thresholds")
html_table <- function(x, n = NULL, figures = TRUE, ..., table = "items", layout = NULL,
  shares = NULL) {
  call <- sys.call()[1L]
  check_no_dots(..., call = call)
  need_package("htmltools", "make an HTML table", call)
  if (missing(x) || !inherits(x, html_results)) check_standings(x, call = call)
  check_shown(n)
  if (!is.character(table) || length(table) != 1L || is.na(table)) {
    stop_eggcrate("call", "unknown_value",
      sprintf("`table` must be the name of a table, not %s.", describe(table)),
      call = call)
  }
  layout <- if (!is.null(layout)) table_given(layout, call)
  html_section(html_of(x, table, n, isTRUE(figures), layout, shares, call), "h2")
}

html_results <- paste0("eggcrate_",
  c("extremes", "concentration", "grid", "movement", "findings", "why", "check"))

#' Its parts: the `title`, `lines` below it, the `body` of tags, and `notes`.
#' @noRd
html_of <- function(x, table = "items", n = NULL, figures = TRUE, layout = NULL, shares = NULL,
  call = NULL, items = FALSE) {
  if (!inherits(x, "eggcrate_answer")) check_choice(table, "items", "table", call)
  if (table == "items") {
    return(html_parts(x, n, figures, items))
  }
  ans <- answer_of(x)
  if (table == "tiles" && is.null(layout)) {
    stop_missing_arg("layout", "Tiles need a table with the place of each region.", call)
  }
  # The lines above it are the ones of the items.
  parts <- html_parts(x, 1, FALSE)
  other <- html_other(x, table, answer_table(x, table, layout, shares, call), n, parts$title)
  c(other, parts[setdiff(c("title", "lines"), names(other))])[c("title", "lines", "body", "notes")]
}

#' A table besides the items.
#' @param columns The table itself.
#' @param title What the answer is called.
#' @return `body` and `notes`; and `title` and `lines` where it has its own.
#' @noRd
html_other <- function(x, table, columns, n = NULL, title = "") {
  ans <- answer_of(x)
  if (table == "tiles" && length(ans$plan$within)) {
    return(html_regions(x, columns, ans, n))
  }
  body <- if (table == "transitions" && length(shown_items(ans))) {
    html_transitions(ans, movement_pair(ans))
  } else {
    html_plain(table_cells(columns, ans),
      paste0(capital(table), if (nzchar(title)) paste0(": ", title)))
  }
  list(body = body, notes = sprintf("%s.", rows_sentence(ans$receipt)))
}

# Tiles with the first items of each region, the others, and its total.
html_regions <- function(x, table, ans, n) {
  setup <- region_setup(drop_others(x), table, ans, 1000L, n %||% 3)
  setup$title <- tiles_finding(table, ans)
  none <- table[[1L]][is.na(table$rank)]
  list(title = setup$title, lines = standings_lines(ans), body = list(html_rows(setup)),
    notes = c(if (length(none)) sprintf("No sales: %s.", enumerate(none)),
      sprintf("%s.", rows_sentence(ans$receipt))))
}

# In a document it brings its own style, which a page has at its head.
html_section <- function(parts, heading, style = html_sheet()) {
  tags <- htmltools::tags
  tags$section(class = "eggcrate", style,
    tags[[heading]](parts$title), lapply(parts$lines, tags$p), parts$body,
    lapply(plain_letters(parts$notes), function(line) tags$p(class = "note", line)))
}

html_sheet <- function() htmltools::tags$style(htmltools::HTML(style_sheet("table.css")))

#' @param items Add the row number of the whole to what can be selected, as `data-item` of rows or
#'   of the cells of a grid.
#' @noRd
html_parts <- function(x, n, figures, items = FALSE) UseMethod("html_parts")

html_parts.default <- function(x, n, figures, items = FALSE) {
  setup <- answer_setup(x, n, 1000L)
  own <- if (items) item_attribute(ifelse(setup$rows$kind == 1L, setup$rows$row %||% NA, NA)) else
    ""
  list(title = setup$title, lines = setup$lines,
    body = c(html_blocks(setup), list(html_rows(setup, own))),
    notes = standings_footer(setup))
}

# " data-item=\"3\"" for each, nothing for those that are none.
item_attribute <- function(row) ifelse(is.na(row), "",
  sprintf(" data-item=\"%d\"", as.integer(row)))

#' Columns of text as a table, which can be moved to the side where it is wide.
#' @noRd
html_plain <- function(cells, caption) {
  lines <- cell_lines(cells, list(), list(cells = cells))
  movable(htmltools::tags$table(hidden_caption(caption), html_heads(cells),
    htmltools::tags$tbody(written(sprintf("<tr>%s</tr>", lines)))), caption)
}

# A column without a name has no head.
html_heads <- function(cells) {
  tags <- htmltools::tags
  tags$thead(tags$tr(unname(lapply(cells, function(cell) {
    if (nzchar(cell$title)) tags$th(scope = "col", class = cell$side, cell$title) else tags$td()
  }))))
}

# What is wider than the page is moved with the keys too.
movable <- function(table, name) {
  htmltools::tags$div(class = "wide", role = "region", tabindex = "0", `aria-label` = name, table)
}

hidden_caption <- function(text) htmltools::tags$caption(class = "hidden", text)

# A page of its own, for a file.
html_lines <- function(parts) {
  tags <- htmltools::tags
  html_page(parts$title, html_sheet(), tags$body(tags$main(html_section(parts, "h1", NULL))))
}

#' @param style,body Tags.
#' @param ... What the head has besides.
#' @return Lines of a whole page.
#' @noRd
html_page <- function(title, style, body, ...) {
  tags <- htmltools::tags
  page <- tags$html(lang = "en", tags$head(tags$meta(charset = "utf-8"), ...,
    tags$meta(name = "viewport", content = "width=device-width, initial-scale=1"),
    tags$title(title), style), body)
  c("<!DOCTYPE html>",
    strsplit(as.character(htmltools::doRenderTags(page)), "\n", fixed = TRUE)[[1L]])
}

plain_letters <- function(lines) if (length(lines)) cli::ansi_strip(lines) else lines

#' @param own Further attributes of each row of the set-up, as text.
#' @noRd
html_rows <- function(setup, own = "") {
  tags <- htmltools::tags
  rows <- setup$rows
  if (!length(rows$cell)) {
    return(html_nothing(setup$ans))
  }
  cells <- setup$cells
  bars <- bar_lengths(setup)
  cells[bar_columns(cells)] <- NULL
  lines <- sprintf("<tr%s%s>%s</tr>", class_of_rows(rows), own, cell_lines(cells, bars, setup))
  movable(tags$table(style = mark_grounds(setup$ans), hidden_caption(setup$title),
    html_heads(cells),
    tags$tbody(written(with_groups(lines, rows, setup, length(cells))))), setup$title)
}

# Pale forms of the mark colours that the display settings name, for the rows of these marks.
mark_grounds <- function(ans) {
  named <- which(ans$facets$marks$name %in% names(display("colours")))
  if (!length(named)) return(NULL)
  pale <- grDevices::col2rgb(mark_palette_of(ans)[named]) * 0.2 + 255 * 0.8
  paste0(sprintf("--mark%d:%s", named, grDevices::rgb(t(pale), maxColorValue = 255)),
    collapse = ";")
}

# Rows of a table are many: they are written as they are, whole columns at a time.
written <- function(lines) htmltools::HTML(paste(lines, collapse = "\n"))

# A line before the first row of each group.
with_groups <- function(lines, rows, setup, width) {
  group <- setup$groups[rows$cell]
  first <- which(nzchar(group) & c(TRUE, diff(rows$cell) != 0))
  heads <- vapply(rows$cell[first], function(cell) {
    sprintf("<tr class=\"group\"><th colspan=\"%d\" scope=\"rowgroup\">%s</th></tr>", width,
      htmltools::htmlEscape(group_line(setup, cell)))
  }, "")
  lines[first] <- paste(heads, lines[first], sep = "\n")
  lines
}

html_nothing <- function(ans) htmltools::tags$p(nothing_left_words(ans))

#' The cells of each row, one after the other.
#' @param bars Lengths of bars from 0 to 1, by name of the cells that have them.
#' @noRd
cell_lines <- function(cells, bars, setup) {
  do.call(paste0, unname(Map(html_column, names(cells), cells, MoreArgs = list(bars, setup))))
}

html_column <- function(name, cell, bars, setup) {
  lengths <- bars[[name]]
  style <- if (name == "tier" && !is.null(setup$ans)) {
    tier_chips(cell$text, setup$ans)
  } else if (!is.null(lengths)) {
    # The bar ends where the figure of the longest still has room beside it.
    ifelse(lengths > 0,
      sprintf("background-image:linear-gradient(to right,%s %.1f%%,transparent 0)",
        palette_eggcrate[["shell"]], 55 * lengths), "")
  } else if (!is.null(setup$ans) && name %in% signed_columns(setup$cells, setup$ans)) {
    c(sprintf("background-color:%s", sign_grounds), "")[match(sign_of_text(cell$text), c(-1, 1, 0))]
  } else {
    ""
  }
  barred <- if (any(lengths > 0)) "barred"
  back <- if (is.null(setup$ans)) NULL else muted_columns(setup$cells, setup$ans)
  second <- if (name %in% c("share", "cum_share", back)) "second"
  sprintf("<td class=\"%s\"%s>%s</td>",
    paste(c(cell$side, html_name(name), barred, second), collapse = " "),
    ifelse(nzchar(style), sprintf(" style=\"%s\"", style), ""),
    htmltools::htmlEscape(harmless(cell$text)))
}

# Only what the style sheet knows is a class.
html_name <- function(name) if (name %in% c("name", "tier", "value")) name

# The colour of a tier next to its label.
tier_chips <- function(text, ans) {
  colours <- if (has_facet(ans, "tiers")) tier_colours(ans$facets$tiers$scheme)
  at <- match(text, names(colours))
  ifelse(is.na(at), "", sprintf("box-shadow:inset .7rem 0 %s", colours[at]))
}

# Lengths of bars, from 0 to 1, of the cells that have them.
bar_lengths <- function(setup) {
  rows <- setup$rows
  drawn <- rows$kind == 1L
  length_of <- function(value, name) {
    end <- bar_end(value, drawn, name)
    ifelse(drawn & !is.na(value) & end > 0, pmin(1, pmax(value, 0) / end), 0)
  }
  additional <- Filter(has_bars, names(setup$extras))
  bars <- lapply(with_names(additional, additional),
    function(name) length_of(setup$extras[[name]]$values, name))
  if (!is.null(rows$value) && main_bars(setup$ans)) {
    bars$value <- length_of(rows$value, plan_measure(setup$ans$plan)$name)
  }
  bars
}

class_of_rows <- function(rows) {
  mark <- rep_len(if (is.null(rows$mark)) NA else rows$mark, length(rows$cell))
  class <- ifelse(rows$kind > 1L, c("", "together", "others", "total")[rows$kind],
    ifelse(is.na(mark), "",
      ifelse(mark > 1, paste0("marked mark", mark), ifelse(mark > 0, "marked", "passed"))))
  ifelse(nzchar(class), sprintf(" class=\"%s\"", class), "")
}

html_blocks <- function(setup) {
  lapply(Filter(Negate(is.null), setup$blocks), html_block, setup = setup)
}

html_block <- function(block, setup) {
  tags <- htmltools::tags
  cells <- block$cells
  cells$bar <- NULL
  lines <- cell_lines(cells, list(), setup)
  movable(tags$table(class = "groups", tags$caption(block$caption), html_heads(cells),
    tags$tbody(written(sprintf("<tr>%s</tr>", lines)))), block$caption)
}

html_style <- function() style_sheet("table.css")

#' A style sheet of the package on one line, with the colours of the palette.
#' @noRd
style_sheet <- function(name) {
  lines <- readLines(system.file("style", name, package = "eggcrate"), encoding = "UTF-8")
  text <- paste(trimws(lines[!startsWith(lines, "/*")]), collapse = "")
  for (colour in names(palette_eggcrate)) {
    text <- gsub(sprintf("@%s@", colour), palette_eggcrate[[colour]], text, fixed = TRUE)
  }
  text
}
