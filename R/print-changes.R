# Changes as a table: the classes at the top, then the greatest losses and gains.

setup_of.eggcrate_changes <- function(x, n, width) {
  x <- drop_others(x)
  ans <- answer_of(x)
  shown <- shown_ends(x, ans, n %||% if (length(ans$facets$selection$text)) Inf else 10)
  setup <- lines_setup(x, ans, change_lines(x, ans, shown), width)
  setup$cells <- change_cells(setup, x)
  setup$title <- change_finding(ans)
  setup$lines <- c(period_notes(ans), standings_lines(ans))
  setup$blocks <- list(class_block(setup))
  setup$notes <- if (!is.null(ans$facets$change$tolerance)) {
    sprintf("Level: within %s of %s.", ans$facets$change$tolerance$text,
      ans$facets$change$spans$names[1L])
  }
  setup
}

lines_setup <- function(x, ans, rows, width) {
  list(ans = ans, account = ans, rows = rows, width = max(40L, width), groups = group_labels(ans),
    numbers = measure_formatter(ans, missing = symbol("-", "\u2013")),
    marked = any(mark_columns %in% names(x)), least_name = 20L)
}

change_lines <- function(x, ans, shown) {
  columns <- c("change", "from", "to", "percent", additional_change_columns(ans))
  rest <- rest_of(ans, whole_rows(ans)[shown])
  item_lines(x, ans, shown, columns, c(rest["items"], rest$values), change_totals(ans))
}

# Lines of items, with all others where they are excluded, and the total of each group.
#' @param shown Which rows of `x`.
#' @param columns Names of columns of figures.
#' @param rest,totals Per group `items` and the same columns, where they have them.
#' @noRd
item_lines <- function(x, ans, shown, columns, rest, totals) {
  at <- whole_rows(ans)
  cell <- ans$ranked$cell[at]
  some <- which(rest$items > 0)
  gap <- vapply(some, function(g) {
    hidden <- setdiff(which(cell == g), shown)
    if (length(hidden)) min(hidden) - 0.5 else Inf
  }, 0)
  groups <- seq_along(ans$ranked$totals$items)
  none <- rep(NA, length(some) + length(groups))
  rows <- list(
    row = c(at[shown], none), cell = c(cell[shown], some, groups),
    kind = rep(row_kinds[c("item", "others", "total")],
      c(length(shown), length(some), length(groups))),
    name = c(item_names(ans, ans$ranked$order[at[shown]]),
      sprintf("all others (%s)", format_count(rest$items[some])),
      sprintf("total (%s)", format_count(ans$ranked$totals$items))),
    mark = c(marks_of(x)[shown] %||% rep(NA, length(shown)), none),
    source = c(shown, none)
  )
  rows[columns] <- lapply(columns,
    function(name) c(.subset2(x, name)[shown], rest[[name]][some] %||% rep(NA, length(some)),
      totals[[name]] %||% rep(NA, length(groups))))
  order <- order(rows$cell, c(shown, gap, rep(Inf, length(groups))), rows$kind)
  lapply(rows, function(column) column[order])
}

# The text of a column of `x` along the lines, blank for summary rows.
line_texts <- function(x, name, rows) {
  column <- .subset2(x, name)[rows$source]
  ifelse(is.na(column), "", as.character(column))
}

change_cells <- function(setup, x) {
  rows <- setup$rows
  ans <- setup$ans
  names <- ans$facets$change$spans$names
  of_item <- function(name) line_texts(x, name, rows)
  rank <- ifelse(nzchar(of_item("rank_to")), of_item("rank_to"), of_item("rank_from"))
  moved <- .subset2(x, "rank_change")[rows$source]
  number <- function(column) ifelse(is.na(column), "", setup$numbers(column))
  class <- of_item("class")
  cells <- list(
    name = cell(setup_name_title(setup), rows$name, "left"),
    value = cell(measure_title(ans, "change"),
      ifelse(is.na(rows$change), "", difference_formatter(ans, setup$numbers)(rows$change))),
    percent = cell("percent", signed(percent_formatter())(rows$percent)),
    class = cell("class", trimws(paste(ifelse(nzchar(class), class_signs()[class], ""), class)),
      "left"),
    from = cell(names[[1L]], number(rows$from)), to = cell(names[[2L]], number(rows$to)),
    place = cell("rank", ifelse(of_item("rank_to") == "" & nzchar(rank), paste("was", rank), rank)),
    moved = cell("moved", ifelse(is.na(moved), "", signed(as.character)(moved)))
  )
  last <- if (ans$facets$change$daily) list(last = cell("last order", of_item("last_order"),
    "left"))
  # Of lost ones only this is of interest.
  gone <- rows$kind > 1L | class == "lost"
  cells <- if (all(gone)) {
    c(cells[c("name", "value", "class")], last, cells["from"])
  } else {
    c(cells, last)
  }
  cells <- c(cells, additional_change_cells(rows, ans))
  for (name in names(ans$plan$show)) {
    cells[[name]] <- cell(shown_name(name), of_item(name), "left")
  }
  if (setup$marked) cells <- c(list(mark = cell("", reach_sign(rows$mark), "left")), cells)
  cells
}

# Of each additional measure its change, and where there is room both values.
additional_change_cells <- function(rows, ans) {
  spans <- ans$facets$change$spans$names
  unlist(lapply(ans$facets$change$additional, function(measure) {
    names <- change_names(measure$name)
    format <- figure_formatter(ans, measure, greatest(unlist(rows[names[-1L]])))
    number <- function(x) ifelse(is.na(x), "", format(x))
    title <- column_title(ans, measure$name)
    with_names(list(cell(paste("change of", title),
      difference_formatter(ans, number, measure)(rows[[names["change"]]])),
      cell(paste(title, spans[[1L]]), number(rows[[names["from"]]]), derived = TRUE),
      cell(paste(title, spans[[2L]]), number(rows[[names["to"]]]), derived = TRUE)), names)
  }), recursive = FALSE)
}

class_block <- function(setup) {
  ans <- setup$ans
  if (length(ans$ranked$totals$items) != 1L) {
    return(NULL)
  }
  table <- class_counts(ans)
  totals <- change_totals(ans)
  class <- as.character(table$class)
  number <- function(x) ifelse(is.na(x), "", setup$numbers(x))
  list(caption = "Classes", cells = c(list(
    tier = cell("class", c(paste(class_signs()[class], class), "total"), "left"),
    items = cell(plural_of(item_noun(ans$plan)), format_count(c(table$items, totals$items))),
    from = cell(ans$facets$change$spans$names[[1L]], number(c(table$from, totals$from))),
    to = cell(ans$facets$change$spans$names[[2L]], number(c(table$to, totals$to))),
    value = cell("change", difference_formatter(ans, number)(c(table$change, totals$change)))
  ), marked_cells(table, ans, total = TRUE)))
}
