# Columns as text, and which of them fit in the window.

# A column of a table as text; `derived` is one that nobody asked for by name.
cell <- function(title, text, side = "right", derived = FALSE) {
  list(title = title, text = text, side = side, derived = derived)
}

# Cells as aligned text. Where they are wider than the window, the names of columns that are longer
# than what stands below them are cut: an unnamed measure is written out in the title.
cell_texts <- function(cells, width) {
  aligned <- function(most) {
    lapply(cells, function(cell) {
      body <- max(nchar(cell$text, "width"), 0L)
      align(c(cut_text(cell$title, max(body, most)), cell$text), cell$side)
    })
  }
  for (most in c(1000L, if (width < 60) 16L else 30L)) {
    texts <- aligned(most)
    if (row_width(texts) <= width) break
  }
  texts
}

row_width <- function(texts) sum(vapply(texts, function(text) nchar(text[1L], "width"), 0)) +
  2L * (length(texts) - 1L)

bar_columns <- function(cells) grep("^bar( |$)", names(cells), value = TRUE)

muted_columns <- function(cells, ans) cells_named(display("muted"), cells, ans)
signed_columns <- function(cells, ans) cells_named(display("signs"), cells, ans)

# Cells of the columns `named`. The ranking measure has another name among the cells.
cells_named <- function(named, cells, ans) {
  named[named == plan_measure(ans$plan)$name] <- "value"
  intersect(named, names(cells))
}

# Columns that nobody asked for by name.
derived_columns <- c("bar", "share", "cum_share", "percent", "place", "moved", "last", "status",
  "effective", "value")

# Columns that an answer is about.
main_columns <- c("tier", "class", "attainment")

# The tables of groups above the items.
block_lines <- function(setup) {
  unlist(lapply(Filter(Negate(is.null), setup$blocks), function(block) {
    c(one_block(block, setup$width), "")
  }))
}

one_block <- function(block, width) {
  texts <- cell_texts(block$cells, width)
  drops <- c("bar", "cut", "potential", "share", block_pairs, rev(names(texts)[-1L]))
  for (drop in drops) {
    if (row_width(texts) > width && length(texts) > 2L) texts[drop] <- NULL
  }
  if (row_width(texts) > width) {
    room <- max(12L, nchar(texts[[1L]][1L], "width") + width - row_width(texts))
    texts[[1L]] <- align(cut_text(trimws(texts[[1L]], "right"), room), "left")
  }
  lines <- trimws(do.call(paste, c(unname(texts), list(sep = "  "))), "right")
  c(muted(fold(paste0(block$caption, ":"), width)), muted(lines[1L]), lines[-1L])
}

# Columns that stay or leave together.
block_pairs <- list(c("from", "to"), c("target", "gap"))

# Fits the columns into the width. Bars are dropped first, then names are cut. Then columns are
# dropped, in this order: cumulative shares, derived columns, shares, other columns from the right,
# columns that the user named, and the main columns of the result.
fit_cells <- function(cells, width, least_name, derived = derived_columns, asked = character()) {
  least_name <- min(least_name, max(nchar(trimws(cells$name, "right"), "width")))
  for (bar in rev(bar_columns(cells))) if (row_width(cells) > width) cells[[bar]] <- NULL
  needed <- function() {
    sum(vapply(cells[names(cells) != "name"], function(c) nchar(c[1L], "width"), 1)) +
      2L * (length(cells) - 1L)
  }
  extras <- rev(setdiff(names(cells),
    c("mark", "rank", "name", "value", bar_columns(cells), "share", "cum_share")))
  first <- intersect(extras, setdiff(derived, asked))
  last <- intersect(extras, main_columns)
  asked <- setdiff(intersect(extras, asked), last)
  for (drop in intersect(c("cum_share", first, "share", setdiff(extras, c(first, asked, last)),
    asked, last), names(cells))) {
    if (width - needed() < least_name) cells[together_with(drop)] <- NULL
  }
  room <- max(least_name, width - needed())
  room <- min(room, max(nchar(cells$name, "width")))
  cells$name <- align(cut_names(trimws(cells$name, "right"), room), "left", room)
  cells
}

# Names of the cells that the user named in an option: `show`, `also`, `compare_with`, `columns`.
asked_cells <- function(setup) {
  plan <- setup$ans$plan
  measures <- measure_names(plan)[-1L]
  c(names(plan$show), measures, paste0(rep(measures, each = 2L), c("_from", "_to")), "tier_before",
    setup$chosen)
}

# Chosen columns -----------------------------------------------------------

# Names of cells that differ from the names of their columns.
cell_names <- c(to_next = "to next", rank_to = "place", rank_change = "moved", last_order = "last",
  change = "value")

#' Keeps only the chosen columns of a table, in the order of the setting. The item column and the
#' marks are always kept; bars follow their column.
#' @noRd
with_chosen_columns <- function(setup, x) {
  chosen <- display("columns")
  # Concentration has no rows of items.
  if (is.null(chosen) || is.null(setup$rows$source)) {
    return(setup)
  }
  cells <- c(setup$cells, added_cells(setup, x, chosen))
  names <- chosen_cell_names(chosen, setup, names(cells))
  # The setting may name columns of other results only.
  if (!length(setdiff(names, "name"))) {
    return(setup)
  }
  bars <- ifelse(names == "value", "bar", paste("bar", names))
  kept <- unique(c("mark", if (!"name" %in% names) "name", rbind(names, bars)))
  setup$cells <- cells[intersect(kept, names(cells))]
  setup$chosen <- setdiff(names, "name")
  setup
}

chosen_cell_names <- function(chosen, setup, cells) {
  plan <- setup$ans$plan
  name <- ifelse(chosen %in% names(plan$by), "name",
    ifelse(chosen == plan_measure(plan)$name, "value", chosen))
  other <- !name %in% cells & name %in% names(cell_names)
  name[other] <- cell_names[name[other]]
  unique(name[name %in% cells])
}

# Cells of chosen columns that the table does not show by default.
added_cells <- function(setup, x, chosen) {
  plan <- setup$ans$plan
  shown <- c(names(setup$cells), names(cell_names), names(plan$by), plan_measure(plan)$name)
  added <- setdiff(intersect(chosen, names(x)), c(shown, group_names(plan)))
  lapply(with_names(added, added), function(name) {
    values <- .subset2(x, name)
    at <- values[setup$rows$source]
    text <- ifelse(is.na(at), "", column_texts(name, values, setup$ans)(at))
    cell(column_title(setup$ans, name), text, if (is.numeric(values)) "right" else "left")
  })
}

# Refuses chosen columns that the result does not have.
check_chosen <- function(columns, x, call = NULL) {
  check_display_names(columns, "columns", "columns", call)
  for (name in columns) if (!name %in% names(x)) stop_unknown_column(name, names(x), "the result",
    call = call)
}

# The earlier and the later period of a measure.
together_with <- function(name) {
  if (name %in% c("from", "to")) c("from", "to") else
    unique(paste0(sub("_(from|to)$", "", name), if (grepl("_(from|to)$", name)) c("_from", "_to")))
}
