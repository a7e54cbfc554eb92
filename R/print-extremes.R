# Best and worst in two sections: a line for each group, with small marks of their shares.

answer_setup.eggcrate_extremes <- function(x, n, width) {
  ans <- answer_of(x)
  ends <- extreme_ends(x, ans)
  at <- lapply(ends, function(end) which(nzchar(end$name)))
  sections <- ans
  sections$ranked$incomplete <- c(FALSE, FALSE)
  rows <- list(cell = rep(1:2, lengths(at)), kind = rep(1L, sum(lengths(at))),
    mark = rep(NA, sum(lengths(at))))
  list(
    ans = sections, account = ans, width = max(40L, width), rows = rows,
    groups = c("Best", "Worst"), marked = FALSE, title = extremes_finding(ans, x),
    lines = standings_lines(ans), cells = extreme_cells(ends, at, ans),
    reading = incomplete_note(ans) %||% character(), notes = extremes_notes(ans)
  )
}

# Of each group and end one line: its items, value and share.
extreme_ends <- function(x, ans) {
  groups <- seq_along(ans$ranked$totals$items)
  found <- ans$facets$extremes
  names <- item_labels(unclass(x)[names(ans$plan$by)], names(ans$plan$by))
  value <- .subset2(x, plan_measure(ans$plan)$name)
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

extreme_cells <- function(ends, at, ans) {
  labels <- group_labels(ans)
  labels[ans$ranked$incomplete] <- paste(labels[ans$ranked$incomplete], "(not complete)")
  # The best of all groups, then the worst.
  along <- function(field) {
    unlist(Map(function(end, i) end[[field]][i], ends, at), use.names = FALSE)
  }
  cells <- list(
    name = cell(enumerate(shown_name(names(ans$plan$by))), along("name"), "left"),
    value = cell(measure_title(ans, shown_name(plan_measure(ans$plan)$name)),
      measure_formatter(ans)(along("value")))
  )
  if (has_shares(ans)) {
    cells <- c(cells, list(share = cell("share", percent_formatter()(along("share"))),
      mark_of_share = cell("", share_marks(along("share")), "left")))
  }
  if (!any(nzchar(labels))) {
    return(cells)
  }
  c(
    list(group = cell(paste(shown_name(group_names(ans$plan)), collapse = ", "),
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

extremes_notes <- function(ans) {
  equal <- ans$facets$extremes$equal
  labels <- group_labels(ans)
  if (any(equal)) {
    sprintf("All are equal%s: there is no worst.",
      if (nzchar(labels[1L])) paste(" in", enumerate(labels[equal])) else "")
  }
}

#' "Sorrelby Boatyard is best of 241 customers with 4.5 % of net sales, Farrend Chandlers
#' worst"; of groups, who is best and worst most often.
#' @noRd
extremes_finding <- function(ans, x) {
  ends <- extreme_ends(x, ans)
  groups <- length(ans$ranked$totals$items)
  if (!groups) {
    return(question_text(ans$plan))
  }
  if (groups == 1L && ans$facets$extremes$equal) {
    return(sprintf("All %s are equal with %s", count_of(ans$ranked$totals$items, item_noun(ans$plan)),
      measure_formatter(ans)(ends$best$value)))
  }
  if (groups == 1L) {
    share <- ends$best$share
    with <- if (is.na(share)) {
      measure_formatter(ans)(ends$best$value)
    } else {
      sprintf("%s of %s", percent_formatter()(share), measure_words(ans))
    }
    worst <- if (nzchar(ends$worst$name)) {
      sprintf("; worst is %s with %s", ends$worst$name, measure_formatter(ans)(ends$worst$value))
    } else {
      ""
    }
    return(sprintf("Best of %s is %s with %s%s",
      count_of(ans$ranked$totals$items, item_noun(ans$plan)), ends$best$name, with, worst))
  }
  often <- function(end) {
    found <- ans$facets$extremes
    names <- item_labels(unclass(x)[names(ans$plan$by)],
      names(ans$plan$by))[found$end == end]
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
      sprintf("Best and worst %s in", item_noun(ans$plan))
    },
    count_of(groups, group_noun(ans)))
}

#' @rdname extremes
#' @export
print.eggcrate_extremes <- function(x, width = getOption("width"), ...) {
  writeLines(format(x, width = width))
  invisible(x)
}

#' @rdname extremes
#' @export
format.eggcrate_extremes <- function(x, width = getOption("width"), ...) {
  format_answer(x, NULL, width)
}
