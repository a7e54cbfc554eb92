# Quadrants as a table: the four at the top, then the first items of each.

setup_of.eggcrate_quadrants <- function(x, n, width) {
  x <- drop_others(x)
  whole <- answer_of(x)
  sections <- quadrant_sections(whole)
  ans <- section_answer(whole, sections$number, sections$labels)
  out <- order(order(sections$number))[standing_out(whole)] # its position in the sections
  setup <- standings_setup(rebuild(x, unclass(as_plain(x)), ans),
    n %||% if (length(whole$facets$selection$text)) Inf else 3, width, always = out)
  setup <- mark_standing_out(quadrant_parts(setup, length(whole$facets$selection$text) > 0L), out)
  setup$extras$near <- list(
    text = ifelse(setup$rows$row %in% which(whole$facets$quadrants$near[order(sections$number)]),
      "near a split", ""), side = "left")
  if (has_potential(whole)) {
    potential <- whole$facets$quadrants$potential[order(sections$number)][setup$rows$row]
    if (any(!is.na(potential))) setup$extras$potential <- list(text = ifelse(is.na(potential), "",
      potential_formatter(whole)(potential)), side = "right",
      values = potential)
    setup$extras <- setup$extras[order(names(setup$extras) == "near")]
  }
  setup$account <- whole
  setup$cells <- standings_cells(setup)
  setup$cells[c("bar", "cum_share")] <- NULL
  setup$cells$near$title <- ""
  if (!is.null(setup$cells$potential)) setup$cells$potential$title <- potential_title(whole)
  setup$title <- quadrant_finding(whole)
  setup$lines <- c(split_words(whole), standings_lines(whole))
  setup$blocks <- list(quadrant_block(setup, whole))
  setup$notes <- c(potential_note(whole), near_note(whole),
    if (anyNA(whole$facets$quadrants$number)) outside_note(whole))
  setup
}

# Without totals, which stand in the table at the top, and of what was selected only
# the quadrants in which something is left.
quadrant_parts <- function(setup, cut) {
  rows <- setup$rows
  keep <- rows$kind != row_kinds[["total"]] & (!cut | rows$cell %in% rows$cell[rows$kind == 1L])
  setup$rows <- lapply(rows, function(column) column[keep])
  setup$extras <- lapply(setup$extras, function(e) list(text = e$text[keep], side = e$side))
  setup
}

mark_standing_out <- function(setup, out) {
  if (!setup$marked && any(setup$rows$row %in% out)) {
    setup$rows$mark[setup$rows$row %in% out] <- 1L
    setup$marked <- TRUE
    setup$legend <- "the most extreme item with a high first and a low second measure."
  }
  setup
}

# Each quadrant of each group that has items, in the order of the rows.
quadrant_sections <- function(ans) {
  number <- replace(ans$facets$quadrants$number, is.na(ans$facets$quadrants$number), 5L)
  slot <- (ans$ranked$cell - 1L) * 5L + number
  some <- sort(unique(slot))
  groups <- group_labels(ans)[(some - 1L) %/% 5L + 1L]
  names <- c(ans$facets$quadrants$labels, "(none)")[(some - 1L) %% 5L + 1L]
  list(number = match(slot, some),
    labels = if (length(ans$ranked$totals$items) > 1L) paste(groups, names, sep = ": ") else names)
}

quadrant_block <- function(setup, ans) {
  if (length(ans$ranked$totals$items) != 1L) {
    return(NULL)
  }
  table <- quadrant_counts(ans)
  names <- measure_names(ans$plan)
  both <- lapply(with_names(names[1:2], names[1:2]),
    function(name) c(table[[name]], ans$ranked$totals[[name]]))
  items <- c(table$items, ans$ranked$totals$items)
  cells <- list(
    tier = cell("quadrant", c(as.character(table$quadrant), "total"), "left"),
    items = cell(plural_of(item_noun(ans$plan)), format_count(items)),
    value = cell(measure_title(ans, shown_name(names[1L])), setup$numbers(both[[1L]])),
    bar = cell("", bar_text(both[[1L]], seq_along(items) < length(items)), "left")
  )
  if (has_shares(ans)) {
    cells$share <- cell("share",
      percent_formatter()(c(table[["share"]], share_of(ans$ranked$share, ans$ranked$share$total))))
  }
  cells$against <- cell(column_title(ans, names[2L]), against_formatter(ans)(both[[2L]]))
  if (has_potential(ans)) {
    sums <- c(table$potential, sum(table$potential))
    cells$potential <- cell(potential_title(ans),
      ifelse(sums == 0, "", potential_formatter(ans)(sums)))
  }
  list(caption = "Quadrants", cells = c(cells, marked_cells(table, ans, total = TRUE)))
}

near_note <- function(ans) {
  near <- sum(ans$facets$quadrants$near)
  if (near) {
    sprintf("%s %s within %s of a split.", count_of(near, item_noun(ans$plan)),
      if (near == 1L) "is" else "are", ans$facets$quadrants$part$text)
  }
}

outside_note <- function(ans) {
  names <- shown_name(measure_names(ans$plan)[1:2])
  unsplit <- vapply(ans$facets$quadrants$lines, anyNA, NA)
  c(
    if (any(unsplit)) {
      sprintf("%s has no split where it has no value %s.", names[unsplit],
        vapply(ans$facets$quadrants$asked[unsplit], as.character, ""))
    },
    sprintf("%s outside: without a value of %s%s.",
      count_of(sum(is.na(ans$facets$quadrants$number)), item_noun(ans$plan)),
      enumerate(names, "or"),
      if (any(unsplit)) ", or without a split" else "")
  )
}
