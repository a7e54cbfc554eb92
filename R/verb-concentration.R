#' How concentrated sales are
#'
#' Says for each group how much of the total rests on few items: the indices of Gini and
#' Herfindahl, how many items of equal size would be as concentrated, and how many make 50,
#' 80 and 95 %.
#'
#' Both indices count the items above zero only; the number left out is said. Gini is
#' Σ(2i − n − 1)x / (nΣx) with x ascending: 0 when all are equal, near 1 when one has all.
#' Herfindahl is the sum of the squared shares, from 1/n to 1.
#'
#' @param x Standings of a measure that adds up.
#' @param compare_with Standings of another time to compare with, such as a year ago, in the
#'   same groups.
#' @param width How many letters a line may have.
#' @param ... Ignored.
#' @returns A tibble of class `eggcrate_concentration`, one row per group: the columns of the
#'   group, `items` (above zero), `total`, `gini`, `herfindahl`, `effective` (one over
#'   Herfindahl), `n_50`, `n_80`, `n_95` (how many make these parts, as in
#'   [threshold_table()]), `left_out`; with `compare_with` the same of then, `items_before`
#'   to `left_out_before`, missing for a group that had no rows.
#' @section Errors: `eggcrate_error_not_additive` for measures that have no shares.
#' @references Dixon, P. M., Weiner, J., Mitchell-Olds, T. and Woodley, R. (1987)
#'   Bootstrapping the Gini coefficient of inequality. *Ecology* 68, 1548–1551.
#' @seealso [chart_concentration()] draws the curve.
#' @export
#' @examples
#' orders <- demo_orders()
#' now <- standings(orders, of = sum(net_sales), by = customer, where = in_period(order_date, year_to_date))
#' before <- standings(orders, of = sum(net_sales), by = customer, where = in_period(order_date, year_ago(year_to_date)))
#' concentration(now, compare_with = before)
concentration <- function(x, compare_with = NULL) {
  call <- sys.call()[1L]
  check_standings(x, call = call)
  if (!is.null(compare_with)) check_standings(compare_with, "compare_with", call)
  measure_concentration(x, compare_with, call)
}

measure_concentration <- function(x, compare_with = NULL, call = NULL) {
  check_not_changes(x, "Concentration is", call)
  set <- facts(drop_others(x))
  if (is.null(set$value)) stop_not_additive(set$question$measure, "concentration", call)
  columns <- concentration_rows(set)
  before <- if (!is.null(compare_with)) facts(drop_others(compare_with))
  if (!is.null(before)) {
    if (is.null(before$value)) stop_not_additive(before$question$measure, "concentration", call)
    earlier <- concentration_rows(before)
    at <- match_groups(set, before, call)
    figures <- setdiff(names(columns), group_names(set$question))
    columns[paste0(figures, "_before")] <- lapply(earlier[figures], `[`, at)
  }
  structure(columns, row.names = .set_row_names(length(columns$items)),
    class = c("eggcrate_concentration", "tbl_df", "tbl", "data.frame"),
    eggcrate = c(set, list(before = before)))
}

# The same groups of another time.
match_groups <- function(set, before, call = NULL) {
  names <- group_names(set$question)
  if (!identical(names, group_names(before$question))) {
    stop_eggcrate("call", "unknown_value", "`compare_with` must have the same groups.", call = call)
  }
  if (length(names)) {
    match(group_labels(set), group_labels(before))
  } else {
    rep(1L, length(set$totals$items))
  }
}

#' @rdname concentration
#' @export
print.eggcrate_concentration <- function(x, width = getOption("width"), ...) {
  writeLines(format(x, width = width))
  invisible(x)
}

#' @rdname concentration
#' @export
format.eggcrate_concentration <- function(x, width = getOption("width"), ...) {
  format_answer(x, NULL, width)
}

answer_setup.eggcrate_concentration <- function(x, n, width) {
  set <- facts(x)
  groups <- length(x$items)
  before <- !is.null(set$before)
  # The same of then stands below, muted as what is not of now.
  at <- if (before) rep(seq_len(groups), each = 2L) else seq_len(groups)
  then <- if (before) rep(c(FALSE, TRUE), groups) else logical(groups)
  list(
    set = set, account = set, width = max(40L, width),
    rows = list(cell = rep(1L, length(at)), kind = ifelse(then, 2L, 1L),
      mark = rep(NA, length(at))),
    groups = "", marked = FALSE, title = concentration_finding(x, set),
    lines = c(standings_lines(set), before_line(set)),
    cells = concentration_cells(x, set, at, then),
    reading = incomplete_note(set) %||% character(),
    notes = c(
      sprintf(
        "50 %%, 80 %%, 95 %%: how many %s make that part; effective: how many equal ones would be as concentrated.",
        plural(item_noun(set$question))),
      if (sum(x$left_out)) {
        sprintf("%s at or below zero left out of Gini and Herfindahl.",
          count_of(sum(x$left_out), item_noun(set$question)))
      }
    )
  )
}

count_of_ones <- function(n) {
  paste(number_formatter(0L)(n), "equal", if (round(n) == 1) "one" else "ones")
}

before_line <- function(set) {
  if (is.null(set$before)) {
    return(NULL)
  }
  paste("before:",
    if (is.null(set$before$question$where)) {
      "all rows"
    } else {
      paste("where", set$before$question$where)
    })
}

concentration_cells <- function(x, set, at, then) {
  column <- function(name) {
    now <- .subset2(x, name)[at]
    ifelse(then, (.subset2(x, paste0(name, "_before")) %||% now)[at], now)
  }
  count <- function(name) ifelse(is.na(column(name)), "", format_count(column(name)))
  groups <- group_names(set$question)
  three <- number_formatter(3L)
  name <- if (length(groups)) group_labels(set)[at] else rep("now", length(at))
  cells <- list(
    name = cell(paste(shown_name(groups), collapse = ", "),
      ifelse(then, if (length(groups)) "  before" else "before", name), "left"),
    items = cell(plural(item_noun(set$question)), count("items")),
    value = cell(measure_title(set, shown_name(set$question$measure$name)),
      measure_formatter(set)(column("total"))),
    gini = cell("gini", three(column("gini"))),
    herfindahl = cell("herfindahl", three(column("herfindahl"))),
    effective = cell("effective", number_formatter(1L)(column("effective")))
  )
  for (part in c("50", "80", "95")) {
    cells[[paste0("n_", part)]] <- cell(paste(part, "%"), count(paste0("n_", part)))
  }
  cells
}

#' "By net sales 241 customers weigh as much as 72 equal ones: Gini 0.573, less concentrated
#' than before (0.581)".
#' @noRd
concentration_finding <- function(x, set) {
  if (length(x$items) != 1L || is.na(x$gini)) {
    widest <- which.max(x$gini)
    if (!length(widest)) {
      return(question_text(set$question))
    }
    return(sprintf("%s most concentrated in %s (Gini %s)", capital(measure_words(set)),
      group_labels(set)[widest], number_formatter(3L)(x$gini[widest])))
  }
  gap <- if (!is.null(.subset2(x, "gini_before"))) x$gini - .subset2(x, "gini_before") else NA
  than <- if (is.na(gap)) {
    ""
  } else if (gap == 0) {
    ", as concentrated as before"
  } else {
    sprintf(", %s concentrated than before (%s)",
      if (gap > 0) "more" else "less", number_formatter(3L)(.subset2(x, "gini_before")))
  }
  sprintf("By %s %s %s as much as %s: Gini %s%s", measure_words(set),
    count_of(x$items, item_noun(set$question)), if (x$items == 1L) "weighs" else "weigh",
    count_of_ones(x$effective), number_formatter(3L)(x$gini), than)
}
