# Best and worst in two sections: a line for each group, with small marks of their shares.

setup_of.eggcrate_extremes <- function(x, n, width) {
  ans <- answer_of(x)
  ends <- extreme_ends(x, ans)
  at <- lapply(ends, function(end) which(nzchar(end$name)))
  sections <- ans
  sections$ranked$incomplete <- c(FALSE, FALSE)
  rows <- list(cell = rep(1:2, lengths(at)), kind = rep(1L, sum(lengths(at))),
    mark = rep(NA, sum(lengths(at))),
    row = unlist(Map(function(end, i) end$row[i], ends, at), use.names = FALSE))
  list(
    ans = sections, account = ans, width = max(40L, width), rows = rows,
    groups = c("Best", "Worst"), marked = FALSE, title = extremes_finding(ans, x),
    lines = standings_lines(ans), cells = extreme_cells(ends, at, ans),
    reading = incomplete_note(ans) %||% character(), notes = extremes_notes(ans)
  )
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
    total <- ans$ranked$totals[[plan_measure(ans$plan)$name]][ans$ranked$cell[along("row")]]
    cells <- c(cells, list(share = cell("share", percent_formatter()(along("share"))),
      mark_of_share = cell("", share_marks(along("share")), "left"),
      total = cell("of", measure_formatter(ans)(total))))
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

#' @rdname extremes
#' @export
print.eggcrate_extremes <- function(x, width = getOption("width"), ...) {
  print_lines(format(x, width = width))
  invisible(x)
}

#' @rdname extremes
#' @export
format.eggcrate_extremes <- function(x, width = getOption("width"), ...) {
  check_shown(width = width)
  format_answer(x, NULL, width)
}
