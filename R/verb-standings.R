#' Standings: who ranks where
#'
#' Filters the rows, adds up a measure for each item, and ranks the items, with
#' each one's share of the total, running total, cumulative share and
#' percentile.
#'
#' The words are expressions of a small language, read by eggcrate and never run
#' as R code. A bare name is always a column; put in a value of your own with
#' `!!x`. Each word may also be given as text.
#'
#' * Measures: `sum(net_sales)`, `count()`, with arithmetic inside
#'   (`sum(units * price)`) and `when` (`sum(net_sales, when = category ==
#'   "Rope")`). A bare column means its sum. Name it as in
#'   `c(sales = sum(net_sales))`.
#' * Conditions: `==`, `!=`, `<`, `<=`, `>`, `>=`, `&`, `|`, `!`, `%in% c(…)`,
#'   `between(x, a, b)`, `is_missing(x)`; dates as `"2026-03-31"`. A row for which
#'   the condition cannot be told, because a value is missing, is filtered out and
#'   counted apart.
#'
#' Columns of decimals with at most 6 places are added as integers: totals are
#' exact to the last digit, equal sales tie, and the same rows give the same bits
#' in any order. The filter always runs before the ranking.
#'
#' @param data A data frame, or the path of a CSV or TSV file, of which only the
#'   columns in question are read.
#' @param of What to measure.
#' @param by What to rank: a column, or several as in `c(town, region)`.
#' @param where Which rows to use; all by default.
#' @param ... Must be empty.
#' @param within Columns of groups in each of which the ranking starts again.
#' @param best Whether the `"highest"` or the `"lowest"` value ranks first.
#' @param ties How equal values are numbered: `"min"` (1, 2, 2, 4), `"max"`
#'   (1, 3, 3, 4), `"average"` (1, 2.5, 2.5, 4), `"dense"` (1, 2, 2, 3) or
#'   `"first"` (1, 2, 3, 4, in the order of names).
#' @returns A tibble of class `eggcrate_standings`, one row per item in rank
#'   order, groups together. Columns:
#'   \describe{
#'     \item{the `within` columns}{the group}
#'     \item{`rank`}{integer; double for `ties = "average"`}
#'     \item{the `by` columns}{the item; missing for rows without one}
#'     \item{the measure}{double, under its own name}
#'     \item{`share`}{its part of the group's total, 0 to 1; missing when that
#'       total is not above zero}
#'     \item{`running`, `cum_share`}{total and share of all rows down to this one}
#'     \item{`percentile`}{the part of the other items that are strictly worse, 0
#'       to 1; missing for a single item}
#'   }
#'   [receipt()] says what was done. A result that is changed by other means, with
#'   `[` for instance, becomes a plain tibble.
#' @section Errors: `eggcrate_error_call` for a question that cannot be asked,
#'   `eggcrate_error_data` for data that cannot answer it; see [eggcrate_errors].
#' @seealso [pareto()] for the few that make most of the total, [chart_pareto()].
#' @export
#' @examples
#' orders <- demo_orders()
#' standings(orders, of = sum(net_sales), by = customer)
#' standings(orders, of = sum(net_sales), by = salesperson, where = category != "Rope")
#' standings(orders, of = units, by = product, within = category)
standings <- function(data, of, by, where, ..., within, best = "highest", ties = "min") {
  call <- sys.call()[1L]
  check_no_dots(..., call = call)
  env <- parent.frame()
  words <- list(
    of = capture(substitute(of), env), by = capture(substitute(by), env),
    within = capture(substitute(within), env), where = capture(substitute(where), env)
  )
  ask_standings(data, words, list(best = best, ties = ties), name = data_name(substitute(data)), call = call)
}

data_name <- function(expr) if (is.name(expr)) as.character(expr) else "the data"

#' The way of the data: source, filter, tally, standings.
#' @noRd
ask_standings <- function(data, words, rules, name = "the data", reading = list(), call = NULL) {
  read <- read_question(words, rules, call)
  source <- as_source(data, name, read$needed, read$keys, reading, call)
  question <- compile_question(read, source, call)
  tally <- tally_frame(source, question, call)
  ranked <- rank_tally(tally, question)
  new_standings(ranked, question, new_receipt(source, question, tally, ranked), source$name)
}

# The object ---------------------------------------------------------------

# What belongs to the result but is no column of it stays together in one
# attribute: the question, the receipt, the exact values behind the columns.
new_standings <- function(ranked, question, receipt, source) {
  structure(
    ranked$columns,
    row.names = .set_row_names(length(ranked$cell)),
    class = c("eggcrate_standings", "tbl_df", "tbl", "data.frame"),
    eggcrate = list(
      question = question, receipt = receipt, source = source, totals = ranked$totals,
      value = ranked$value, cell = ranked$cell, block = ranked$block, total = ranked$total
    )
  )
}

facts <- function(x) attr(x, "eggcrate", exact = TRUE)

check_standings <- function(x, arg = "x", call = NULL) {
  if (!inherits(x, "eggcrate_standings")) {
    stop_eggcrate("call", "unknown_value",
      sprintf("`%s` must be standings, not %s.", arg, describe(x)),
      i = "Make them with `standings()`; a result that was changed by hand is a plain table.", call = call)
  }
}

# Changed by other means, it is a plain tibble: no stale receipt.
as_plain <- function(x) {
  attributes(x)[c("eggcrate", "reading")] <- NULL
  class(x) <- c("tbl_df", "tbl", "data.frame")
  x
}

#' @export
`[.eggcrate_standings` <- function(x, ...) {
  loadNamespace("tibble")
  as_plain(x)[...]
}

#' @export
`[.eggcrate_sales` <- `[.eggcrate_standings`

#' @export
`[<-.eggcrate_standings` <- function(x, i, j, ..., value) {
  loadNamespace("tibble")
  x <- as_plain(x)
  NextMethod()
}

#' @export
`[[<-.eggcrate_standings` <- `[<-.eggcrate_standings`

#' @export
`$<-.eggcrate_standings` <- `[<-.eggcrate_standings`

#' @export
`[<-.eggcrate_sales` <- `[<-.eggcrate_standings`

#' @export
`[[<-.eggcrate_sales` <- `[<-.eggcrate_standings`

#' @export
`$<-.eggcrate_sales` <- `[<-.eggcrate_standings`

#' @export
`names<-.eggcrate_standings` <- function(x, value) {
  x <- as_plain(x)
  NextMethod()
}

#' @export
rbind.eggcrate_standings <- function(...) {
  do.call(rbind, lapply(list(...), function(x) if (is.data.frame(x)) as_plain(x) else x))
}

#' @exportS3Method dplyr::dplyr_reconstruct
dplyr_reconstruct.eggcrate_standings <- function(data, template) as_plain(data)

#' @exportS3Method dplyr::dplyr_reconstruct
dplyr_reconstruct.eggcrate_sales <- dplyr_reconstruct.eggcrate_standings

#' @exportS3Method vctrs::vec_restore
vec_restore.eggcrate_standings <- function(x, to, ...) as_plain(NextMethod())

#' @exportS3Method vctrs::vec_restore
vec_restore.eggcrate_sales <- vec_restore.eggcrate_standings

#' Receipt: what was done
#'
#' Says how a result came about: rows read, filtered out, left out and used (read
#' is always the sum of the other three), items, total, ties, and the rules in
#' force; and of a table read from a file, what was converted or odd.
#'
#' @param x A result of [standings()], [pareto()] or [read_sales()].
#' @returns A tibble with the columns `step`, `fact` (character), `n` (double, a
#'   count), `value` and `note` (character).
#' @export
#' @examples
#' receipt(standings(demo_orders(), of = sum(net_sales), by = customer, where = region == "Northfirth"))
receipt <- function(x) {
  rows <- if (inherits(x, "eggcrate_sales")) {
    record <- attr(x, "reading")
    as_table(c(list(receipt_rows("read", "rows", record$n, record$name)), record$reading))
  } else {
    check_standings(x, call = sys.call()[1L])
    facts(x)$receipt
  }
  tibble::as_tibble(rows)
}
