# Targets as a table: the statuses at the top, then the items with a bar up to the target
# and beyond.

setup_of.eggcrate_targets <- function(x, n, width) {
  x <- drop_others(x)
  ans <- answer_of(x)
  n <- n %||% if (length(ans$facets$selection$text)) Inf else 10
  cell <- ans$ranked$cell[whole_rows(ans)]
  place <- stats::ave(seq_along(cell), cell, FUN = seq_along)
  keep <- place <= n | always_shown(x, cell, n)
  left <- tabulate(cell[!keep], length(ans$ranked$totals$items))
  setup <- lines_setup(x, ans, target_lines(x, ans, which(keep | left[cell] == 1L)), width)
  setup$cells <- target_cells(setup, x)
  setup$title <- target_finding(ans)
  setup$lines <- c(target_ends_words(ans), standings_lines(ans),
    sprintf("target: %s", target_source(ans)))
  setup$blocks <- list(status_block(setup), tier_block(setup))
  setup$notes <- target_notes(ans)
  setup
}

target_lines <- function(x, ans, shown) {
  measure <- plan_measure(ans$plan)$name
  columns <- c(measure, "target", "gap", "attainment", "pace")
  named <- function(sums) {
    names(sums)[names(sums) == "value"] <- measure
    sums
  }
  hidden <- replace(ans$ranked$cell, whole_rows(ans)[shown], NA)
  rest <- target_sums(ans, hidden, length(ans$ranked$totals$items))
  totals <- target_totals(ans)
  lines <- item_lines(x, ans, shown, columns, named(rest), named(totals))
  for (sums in list(list("others", rest, "all others"), list("total", totals, "total"))) {
    without <- sums[[2L]]$with < sums[[2L]]$items
    partly <- lines$kind == row_kinds[[sums[[1L]]]] & without[lines$cell]
    with <- sums[[2L]]$with[lines$cell[partly]]
    lines$name[partly] <- sprintf("%s (%s)",
      ifelse(with > 0L, paste(sums[[3L]], "with a target"), paste(sums[[3L]], "without a target")),
      format_count(ifelse(with > 0L, with, sums[[2L]]$items[lines$cell[partly]])))
  }
  lines
}

target_cells <- function(setup, x) {
  rows <- setup$rows
  ans <- setup$ans
  name <- plan_measure(ans$plan)$name
  number <- function(column) ifelse(is.na(column), "", setup$numbers(column))
  status <- line_texts(x, "status", rows)
  status <- shown_status(status, ans$facets$targets$open[rows$cell], ans)
  cells <- list(
    rank = cell("rank", line_texts(x, "rank", rows)),
    name = cell(setup_name_title(setup), rows$name, "left"),
    value = cell(measure_title(ans, shown_name(name)), number(rows[[name]])),
    target = cell("target", number(rows$target)),
    gap = cell("gap",
      ifelse(is.na(rows$gap), "", difference_formatter(ans, setup$numbers)(rows$gap))),
    # The sign is next to the number, so that it is visible without the status.
    attainment = cell("attained",
      trimws(paste(status_sign(status), align(percent_formatter()(rows$attainment), "right")))),
    bar = cell("", target_bars(rows), "left"), status = cell("status", status, "left")
  )
  if (any(ans$facets$targets$open) && !ans$facets$targets$prorated) {
    cells <- append(cells, list(pace = cell("pace", percent_formatter()(rows$pace))), after = 6L)
  }
  if (has_facet(ans, "tiers")) {
    cells$tier <- cell("tier", line_texts(x, "tier", rows), "left")
    cells[["to next"]] <- cell("to next", tier_formatter(ans)(.subset2(x, "to_next")[rows$source]))
  }
  for (shown in names(ans$plan$show)) {
    cells[[shown]] <- cell(shown_name(shown), line_texts(x, shown, rows), "left")
  }
  if (setup$marked) cells <- c(list(mark = cell("", reach_sign(rows$mark), "left")), cells)
  cells
}

status_sign <- function(status) {
  ifelse(nzchar(status), align(status_signs(), "left")[match(status, names(status_signs()))], "")
}

# A bar of the attainment, with a mark where the target is.
target_bars <- function(rows, width = 10L) {
  part <- ifelse(rows$kind == 1L & !is.na(rows$attainment), pmin(pmax(rows$attainment, 0), 2), NA)
  most <- max(1.2, part, na.rm = TRUE)
  at <- max(1L, round(width / most))
  length <- round(part * width / most)
  bar <- symbol("#", "\u2501")
  vapply(length, function(n) {
    if (is.na(n)) return("")
    drawn <- rep(c(bar, " "), c(n, max(0L, width - n)))
    drawn[at] <- symbol("|", "\u253f")
    paste(drawn, collapse = "")
  }, "")
}

status_block <- function(setup) {
  ans <- setup$ans
  if (length(ans$ranked$totals$items) != 1L) {
    return(NULL)
  }
  table <- status_counts(ans)
  keep <- table$items > 0 | table$status != "no target"
  table <- lapply(table, function(column) column[keep])
  status <- shown_status(as.character(table$status), ans$facets$targets$open, ans)
  number <- function(x) ifelse(is.na(x), "", setup$numbers(x))
  list(caption = "Statuses", cells = c(list(
    tier = cell("status", paste(status_sign(status), status), "left"),
    items = cell(plural_of(item_noun(ans$plan)), format_count(table$items)),
    value = cell(measure_title(ans, shown_name(plan_measure(ans$plan)$name)),
      number(table[[plan_measure(ans$plan)$name]])),
    target = cell("target", number(table$target)),
    gap = cell("gap", difference_formatter(ans, number)(table$gap)),
    attainment = cell("attained", percent_formatter()(table$attainment))
  ), marked_cells(table, ans)))
}
