# Best and worst as lines: one for each group, with small marks of their shares.

answer_setup.eggcrate_extremes <- function(x, n, width) {
  set <- facts(x)
  groups <- if (length(x$end)) seq_along(set$totals$items) else integer()
  list(
    set = set, account = set, width = max(40L, width),
    rows = list(cell = rep(1L, length(groups)), kind = rep(1L, length(groups)), mark = rep(NA, length(groups))), groups = "", marked = FALSE,
    title = extremes_finding(set, x), lines = standings_lines(set), cells = extreme_cells(x, set), notes = extremes_notes(set)
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
    list(name = ifelse(more > 0L, sprintf("%s and %s more", name, format_count(more)), name), value = value[first], share = share[first])
  }
  list(best = one("best"), worst = one("worst"))
}

extreme_cells <- function(x, set) {
  ends <- extreme_ends(x, set)
  number <- measure_formatter(set)
  percent <- percent_formatter()
  labels <- group_labels(set)
  labels[set$incomplete] <- paste(labels[set$incomplete], "(not complete)")
  side <- function(end, title) {
    cells <- list(cell(title, cut_text(end$name, 30L), "left"),
      cell(measure_title(set, shown_name(set$question$measure$name)), ifelse(is.na(end$value), "", number(end$value))))
    if (!is.null(set$value)) c(cells, list(cell("share", percent(end$share)), cell("", share_marks(end$share), "left"))) else cells
  }
  group <- if (any(nzchar(labels))) list(group = cell(paste(shown_name(group_names(set$question)), collapse = ", "), labels, "left"))
  best <- side(ends$best, "best")
  worst <- side(ends$worst, "worst")
  parts <- c("value", "share", "bar")[seq_len(length(best) - 1L)]
  c(group, with_names(best, c("name", parts)), with_names(worst, c("worst", sprintf("worst %s", parts))))
}

# The share as a part of a small track.
share_marks <- function(share, width = 8L) {
  full <- round(pmin(pmax(share, 0), 1) * width)
  full <- ifelse(!is.na(share) & share >= 0.01, pmax(full, 1), full)
  ifelse(is.na(share), "", paste0(strrep(symbol("#", "\u2501"), full), strrep(symbol(".", "\u2508"), width - full)))
}

extremes_notes <- function(set) {
  equal <- set$extremes$equal
  labels <- group_labels(set)
  if (any(equal)) sprintf("All are equal%s: there is no worst.", if (nzchar(labels[1L])) paste(" in", enumerate(labels[equal])) else "")
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
    return(sprintf("All %s are equal with %s", count_of(set$totals$items, item_noun(set$question)), measure_formatter(set)(ends$best$value)))
  }
  if (groups == 1L) {
    share <- ends$best$share
    with <- if (is.na(share)) measure_formatter(set)(ends$best$value) else sprintf("%s of %s", percent_formatter()(share), measure_words(set))
    worst <- if (nzchar(ends$worst$name)) sprintf("; worst is %s with %s", ends$worst$name, measure_formatter(set)(ends$worst$value)) else ""
    return(sprintf("Best of %s is %s with %s%s", count_of(set$totals$items, item_noun(set$question)), ends$best$name, with, worst))
  }
  often <- function(end) {
    found <- set$extremes
    names <- item_labels(unclass(x)[names(set$question$by)], names(set$question$by))[found$end == end]
    counts <- sort(table(names), decreasing = TRUE)
    if (length(counts) && counts[[1L]] > 1L) sprintf("%s is %s in %s", names(counts)[1L], end, format_count(counts[[1L]]))
  }
  words <- c(often("best"), often("worst"))
  sprintf("%s %s", if (length(words)) paste(paste(words, collapse = ", "), "of") else sprintf("Best and worst %s in", item_noun(set$question)),
    count_of(groups, group_noun(set)))
}
