# Movement as text: a line for each item with its tier in each period, the biggest risers and
# fallers, and the table of transitions.

movement_lines <- function(ans, n, width) {
  head <- c(bold(fold(movement_finding(ans), width)),
    muted(unlist(lapply(movement_words_above(ans), fold, width))), "")
  foot <- muted(
    unlist(lapply(c(sprintf("%s.", rows_sentence(ans$receipt)), movement_notes(ans)), fold,
      width = width)))
  if (!length(shown_items(ans))) {
    return(c(head,
      if (nrow(ans$facets$movement$row)) "Nothing is left: no item is selected." else
      fold(nothing_left_words(ans), width),
      "", foot))
  }
  pair <- pair_or_none(ans)
  c(head, tier_lines(ans, n, width), "", fold(present_words(ans), width),
    if (!is.null(pair)) c(climb_lines(ans, pair, width), "", transition_lines(ans, pair, width)),
    "", foot)
}

# How many items each of the last periods has.
present_words <- function(ans, most = 8L) {
  counts <- utils::tail(colSums(!is.na(ans$facets$movement$row)), most)
  labels <- utils::tail(period_names(ans), most)
  sprintf("%s in each %s: %s.", capital(plural_of(item_noun(ans$plan))), names(ans$plan$over),
    paste(sprintf("%s in %s", format_count(counts), labels), collapse = ", "))
}

tier_lines <- function(ans, n, width) {
  moved <- ans$facets$movement
  rows <- items_in_view(ans, n)
  names <- align(cut_names(movement_names(ans, rows), 24L), "left")
  room <- max(40L, width) - nchar(names[1L], "width") - 1L
  labels <- period_names(ans)
  # Under whole names where all have room, else under their last part with the year above, else side
  # by side under some.
  wide <- max(nchar(labels, "width")) + 2L
  two <- two_heads(labels)$wide
  if (wide * length(labels) > room) wide <- two
  if (wide * length(labels) > room) wide <- 2L
  shown <- utils::tail(seq_along(labels), room %/% wide)
  codes <- tier_codes(ans)
  cells <- vapply(shown, function(period) {
    align(codes[as.character(movement_tiers(ans, period)[rows])], "left", wide)
  }, character(length(rows)))
  lines <- trimws(paste(names, apply(matrix(cells, length(rows)), 1L, paste, collapse = "")),
    "right")
  lines <- grouped_lines(lines, moved$group[rows], moved$groups)
  pad <- strrep(" ", nchar(names[1L], "width") + 1L)
  heads <- if (wide > max(two, 2L)) {
    paste(align(labels, "left", wide), collapse = "")
  } else if (wide > 2L) {
    heads <- two_heads(labels[shown])
    c(place_names(heads$above, wide), paste(align(heads$below, "left", wide), collapse = ""))
  } else {
    place_names(moved$labels[shown], 2L)
  }
  hidden <- c(length(shown_items(ans)) - length(rows), length(moved$labels) - length(shown))
  c(muted(trimws(paste0(pad, heads), "right")), lines,
    muted(c(paste0(tier_legend(ans, codes), "."),
      not_shown(hidden[1L], item_noun(ans$plan)),
      if (hidden[2L] > 0L) {
        sprintf("%s before not shown.", count_of(hidden[2L], names(ans$plan$over)))
      })))
}

# "2026-Q1" as 2026 above Q1, where it changes. The mark of a period that is not complete stands in
# the gap behind it.
two_heads <- function(labels) {
  labels <- sub(" *", "*", labels, fixed = TRUE)
  above <- sub("-[^-]*$", "", labels)
  below <- sub("^.*-", "", labels)
  wide <- max(nchar(sub("*", "", below, fixed = TRUE), "width")) + 1L
  # One that has no room above its own gives way to the next.
  narrow <- wide * tabulate(match(above, above),
    length(above)) <= nchar(above) & above != above[length(above)]
  above[duplicated(above) | above == labels | narrow] <- ""
  list(above = above, below = below, wide = wide)
}

# "Tiers A, B, C; . absent"; where a letter is not the label, "1 top, 2 middle".
tier_legend <- function(ans, codes) {
  shown <- setdiff(names(codes), c(absent, if (!anyNA(ans$facets$tiers$number)) "(none)"))
  sprintf("Tiers %s; %s absent",
    paste(ifelse(codes[shown] == shown, shown, paste(codes[shown], shown)), collapse = ", "),
    codes[[absent]])
}

climb_lines <- function(ans, pair, width) {
  climbs <- movement_climbs(ans, pair, 3L)
  words <- function(side) {
    if (!length(side$item)) return("none")
    paste(sprintf("%s (%s to %s)", names_in_groups(ans, side$item), format_count(side$from),
      format_count(side$to)), collapse = ", ")
  }
  lines <- sprintf(c("Climbers, %s to %s: %s.", "Fallers, %s to %s: %s."),
    ans$facets$movement$labels[pair[1L]], ans$facets$movement$labels[pair[2L]],
    c(words(climbs$climbers), words(climbs$fallers)))
  unlist(lapply(lines, fold, width = width))
}

with_margins <- function(counts) {
  rbind(cbind(counts, total = rowSums(counts)), total = c(colSums(counts), sum(counts)))
}

transition_lines <- function(ans, pair, width = getOption("width")) {
  cells <- with_margins(transition_table(ans, pair))
  labels <- ans$facets$movement$labels[pair]
  cells_lines(c(list(cell(sprintf("%s \\ %s", labels[1L], labels[2L]), rownames(cells), "left")),
    lapply(seq_len(ncol(cells)), function(i) cell(colnames(cells)[i], format_count(cells[, i])))),
    width)
}

movement_notes <- function(ans) {
  open <- ans$facets$movement$labels[!ans$facets$movement$complete]
  c(if (length(open)) sprintf("* Not complete, and in no transition: %s.", enumerate(open)),
    scheme_words(ans))
}

#' @rdname movement
#' @export
print.eggcrate_movement <- function(x, n = NULL, width = getOption("width"), ...) {
  print_lines(format(x, n = n, width = width))
  invisible(x)
}

#' @rdname movement
#' @export
format.eggcrate_movement <- function(x, n = NULL, width = getOption("width"), ...) {
  check_shown(n, width)
  ans <- answer_of(x)
  movement_lines(ans, n %||% rows_by_default(ans$facets$movement$shown, 15), width)
}
