# Concentration as a table: a line for each group, and those of an earlier time below.

#' @rdname concentration
#' @export
print.eggcrate_concentration <- function(x, width = getOption("width"), ...) {
  print_lines(format(x, width = width))
  invisible(x)
}

#' @rdname concentration
#' @export
format.eggcrate_concentration <- function(x, width = getOption("width"), ...) {
  check_shown(width = width)
  format_answer(x, NULL, width)
}

setup_of.eggcrate_concentration <- function(x, n, width) {
  ans <- answer_of(x)
  groups <- length(x$items)
  before <- has_before(ans)
  # Earlier values go in a row below, in grey.
  at <- if (before) rep(seq_len(groups), each = 2L) else seq_len(groups)
  then <- if (before) rep(c(FALSE, TRUE), groups) else logical(groups)
  list(
    ans = ans, account = ans, width = max(40L, width),
    rows = list(cell = rep(1L, length(at)), kind = ifelse(then, 2L, 1L),
      mark = rep(NA, length(at))),
    groups = "", marked = FALSE, title = concentration_finding(x, ans),
    lines = c(standings_lines(ans), before_line(ans)),
    cells = concentration_cells(x, ans, at, then),
    reading = incomplete_note(ans) %||% character(),
    notes = c(
      sprintf(
        paste("50%%, 80%%, 95%%: number of %s that account for it; effective number: equal items",
          "with the same concentration."),
        plural_of(item_noun(ans$plan))),
      if (sum(x$left_out)) {
        sprintf("%s at or below zero excluded from Gini and Herfindahl.",
          count_of(sum(x$left_out), item_noun(ans$plan)))
      }
    )
  )
}

concentration_cells <- function(x, ans, at, then) {
  column <- function(name) {
    now <- .subset2(x, name)[at]
    ifelse(then, (.subset2(x, paste0(name, "_before")) %||% now)[at], now)
  }
  count <- function(name) ifelse(is.na(column(name)), "", format_count(column(name)))
  groups <- group_names(ans$plan)
  three <- number_formatter(3L)
  name <- if (length(groups)) group_labels(ans)[at] else rep("now", length(at))
  cells <- list(
    name = cell(paste(shown_name(groups), collapse = ", "),
      ifelse(then, if (length(groups)) "  before" else "before", name), "left"),
    items = cell(plural_of(item_noun(ans$plan)), count("items")),
    value = cell(measure_title(ans, shown_name(plan_measure(ans$plan)$name)),
      measure_formatter(ans)(column("total"))),
    gini = cell("gini", three(column("gini"))),
    herfindahl = cell("herfindahl", three(column("herfindahl"))),
    effective = cell("effective", number_formatter(1L)(column("effective")))
  )
  for (part in c("50", "80", "95")) {
    cells[[paste0("n_", part)]] <- cell(paste(part, "%"), count(paste0("n_", part)))
  }
  cells
}
