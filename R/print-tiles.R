# Tiles in letters: a line for each region; of items within regions, the first of each with all
# their measures, the others, and the total.

tile_lines <- function(x, layout, width, top = 3) {
  x <- drop_others(x)
  ans <- answer_of(x)
  table <- tile_rows(ans, read_layout(layout, ans), top)
  c(bold(fold(tiles_finding(table, ans), width)),
    muted(unlist(lapply(standings_lines(ans), fold, width))), "",
    if (length(ans$plan$within)) region_lines(x, table, ans, width, top) else
    one_line_each(table, ans, width), "",
    muted(fold(sprintf("%s.", rows_sentence(ans$receipt)), width)))
}

one_line_each <- function(table, ans, width) {
  key <- names(table)[1L]
  measure <- plan_measure(ans$plan)$name
  known <- !is.na(table[[measure]])
  figures <- function(name, number) cell(column_title(ans, name),
    ifelse(is.na(table[[name]]), "", number(table[[name]])))
  cells <- list(rank = cell("rank", ifelse(known, rank_text(table$rank), "")),
    name = cell(shown_name(key), table[[key]], "left"),
    value = figures(measure, measure_formatter(ans)))
  if (!is.null(table[["share"]])) {
    cells$share <- cell("share", ifelse(known, percent_formatter()(table[["share"]]), "no sales"))
  }
  if (!is.null(table$tier)) {
    cells$tier <- cell("tier", ifelse(is.na(table$tier), "", as.character(table$tier)), "left")
  }
  for (name in measure_names(ans$plan)[-1L]) {
    cells[[name]] <- figures(name,
      figure_formatter(ans, measure_named(ans, name), greatest(table[[name]])))
  }
  texts <- fit_cells(lapply(cells, function(cell) align(c(cell$title, cell$text), cell$side)),
    width, 16L)
  lines <- trimws(do.call(paste, c(unname(texts), list(sep = "  "))), "right")
  c(muted(lines[1L]), lines[-1L])
}

# Regions in the order of the tiles, each with its place among them.
region_lines <- function(x, table, ans, width, top) {
  lines <- standings_body(fit_setup(region_setup(x, table, ans, width, top)))
  c(lines, if (anyNA(table$rank)) c("", sprintf("%s: no sales", table[[1L]][is.na(table$rank)])))
}

region_setup <- function(x, table, ans, width, top) {
  setup <- standings_setup(x, top, width)
  setup$cells <- standings_cells(setup)
  names <- sprintf("%s, no. %s of %s%s", table[[1L]], format_count(table$rank),
    format_count(sum(!is.na(table$rank))),
    if (is.null(table[["share"]])) "" else paste(",", percent_formatter()(table[["share"]])))
  at <- match(item_labels(ans$ranked$totals[names(ans$plan$within)], names(ans$plan$within)),
    table[[1L]])
  setup$groups <- names[at]
  setup
}
