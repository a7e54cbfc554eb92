# Best and worst in two sections: a line for each group, with small marks of their shares.

answer_setup.eggcrate_extremes <- function(x, n, width) {
  set <- facts(x)
  ends <- extreme_ends(x, set)
  at <- lapply(ends, function(end) which(nzchar(end$name)))
  sections <- set
  sections$incomplete <- c(FALSE, FALSE)
  rows <- list(cell = rep(1:2, lengths(at)), kind = rep(1L, sum(lengths(at))),
    mark = rep(NA, sum(lengths(at))))
  list(
    set = sections, account = set, width = max(40L, width), rows = rows,
    groups = c("Best", "Worst"), marked = FALSE, title = extremes_finding(set, x),
    lines = standings_lines(set), cells = extreme_cells(ends, at, set),
    reading = incomplete_note(set) %||% character(), notes = extremes_notes(set)
  )
}

# Of each group and end one line: its items, value and share.
extreme_ends <- function(x, set) {
  groups <- seq_along(set$totals$items)
  found <- set$extremes
  names <- item_labels(unclass(x)[names(set$question$by)], names(set$question$by))
  value <- .subset2(x, set$question$measure$name)
  share <- .subset2(x, "share") %||% rep(NA_real_, length(value))
  one <- function(end) {
    at <- lapply(groups, function(g) which(found$cell == g & found$end == end))
    first <- vapply(at, function(i) i[1L], 0L)
    more <- lengths(at) - 1L
    name <- ifelse(is.na(first), "", names[first])
    list(name = ifelse(more > 0L, sprintf("%s and %s more", name, format_count(more)), name),
      value = value[first], share = share[first])
  }
  list(best = one("best"), worst = one("worst"))
}

extreme_cells <- function(ends, at, set) {
  labels <- group_labels(set)
  labels[set$incomplete] <- paste(labels[set$incomplete], "(not complete)")
  # The best of all groups, then the worst.
  along <- function(field) {
    unlist(Map(function(end, i) end[[field]][i], ends, at), use.names = FALSE)
  }
  cells <- list(
    name = cell(enumerate(shown_name(names(set$question$by))), along("name"), "left"),
    value = cell(measure_title(set, shown_name(set$question$measure$name)),
      measure_formatter(set)(along("value")))
  )
  if (!is.null(set$value)) {
    cells <- c(cells, list(share = cell("share", percent_formatter()(along("share"))),
      mark_of_share = cell("", share_marks(along("share")), "left")))
  }
  if (!any(nzchar(labels))) {
    return(cells)
  }
  c(
    list(group = cell(paste(shown_name(group_names(set$question)), collapse = ", "),
      labels[unlist(at)], "left")), cells)
}

# The share as a part of a small track; a little of it for what is at least one part in a
# hundred.
share_marks <- function(share, width = 10L) {
  halves <- round(pmin(pmax(share, 0), 1) * width * 2)
  halves <- ifelse(!is.na(share) & share >= 0.01, pmax(halves, 1), halves)
  half <- halves %% 2 == 1 & symbol("#", "\u2501") != "#"
  full <- halves %/% 2 + (halves %% 2 == 1 & !half)
  ifelse(is.na(share), "", paste0(strrep(symbol("#", "\u2501"), full), ifelse(half, "\u2578", ""),
    strrep(symbol(".", "\u2508"), width - full - half)))
}

extremes_notes <- function(set) {
  equal <- set$extremes$equal
  labels <- group_labels(set)
  if (any(equal)) {
    sprintf("All are equal%s: there is no worst.",
      if (nzchar(labels[1L])) paste(" in", enumerate(labels[equal])) else "")
  }
}

#' "Sorrelby Boatyard is best of 241 customers with 4.5 % of net sales, Farrend Chandlers
#' worst"; of groups, who is best and worst most often.
#' @noRd
extremes_finding <- function(set, x) {
  ends <- extreme_ends(x, set)
  groups <- length(set$totals$items)
  if (!groups) {
    return(question_text(set$question))
  }
  if (groups == 1L && set$extremes$equal) {
    return(sprintf("All %s are equal with %s", count_of(set$totals$items, item_noun(set$question)),
      measure_formatter(set)(ends$best$value)))
  }
  if (groups == 1L) {
    share <- ends$best$share
    with <- if (is.na(share)) {
      measure_formatter(set)(ends$best$value)
    } else {
      sprintf("%s of %s", percent_formatter()(share), measure_words(set))
    }
    worst <- if (nzchar(ends$worst$name)) {
      sprintf("; worst is %s with %s", ends$worst$name, measure_formatter(set)(ends$worst$value))
    } else {
      ""
    }
    return(sprintf("Best of %s is %s with %s%s",
      count_of(set$totals$items, item_noun(set$question)), ends$best$name, with, worst))
  }
  often <- function(end) {
    found <- set$extremes
    names <- item_labels(unclass(x)[names(set$question$by)],
      names(set$question$by))[found$end == end]
    counts <- sort(table(names), decreasing = TRUE)
    if (length(counts) && counts[[1L]] > 1L) {
      sprintf("%s is %s in %s", names(counts)[1L], end, format_count(counts[[1L]]))
    }
  }
  words <- c(often("best"), often("worst"))
  sprintf("%s %s",
    if (length(words)) {
      paste(paste(words, collapse = ", "), "of")
    } else {
      sprintf("Best and worst %s in", item_noun(set$question))
    },
    count_of(groups, group_noun(set)))
}
