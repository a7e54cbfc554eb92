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
#' * Measures: `sum(x)`, `mean(x)`, `min(x)`, `max(x)`, `median(x)`, `count()` of
#'   rows and `distinct(x)` of different values, with arithmetic inside
#'   (`sum(units * price)`) and between them (`sum(profit) / sum(net_sales)`, a ratio
#'   of sums), and `when` (`sum(net_sales, when = category == "Rope")`).
#'   `per_day(sum(x))` divides by the calendar days of the period. A bare column
#'   means its sum. Name a measure as in `c(margin = sum(profit) / sum(net_sales))`.
#' * Conditions: `==`, `!=`, `<`, `<=`, `>`, `>=`, `&`, `|`, `!`, `%in% c(…)`,
#'   `between(x, a, b)`, `is_missing(x)`; dates as `"2026-03-31"`. Text is equal to text
#'   in quotes, or to another column of text, or is not; it has no order. A row for which
#'   the condition cannot be told, because a value is missing, is filtered out and
#'   counted apart.
#' * Periods: `year`, `quarter`, `month`, `week` (ISO 8601) and `day` of a date; they
#'   read `2026`, `2026-Q1`, `2026-03`, `2026-W05`, `2026-03-31`. `year(d, starts = 4)`
#'   is a business year and reads `2026/27`. In conditions
#'   `in_period(order_date, latest(month))`, with `latest()` (the last complete
#'   one), `current()`, `previous()` (the one before the latest), `last(12, month)`,
#'   `year_to_date`, `quarter_to_date`, `month_to_date`, and `year_ago()` of any of these.
#'
#' * Seasons: `month_of_year`, `quarter_of_year` and `weekday` of a date are parts of the
#'   calendar, which come again; they read `01 Jan`, `Q1`, `1 Mon`, and in conditions
#'   `"Jan"`, `"01 Jan"` and `1` are the same. They are keys like columns, and no periods: a rate
#'   per day counts their own days, such as all Mondays.
#'
#' A row that lacks any column of a measure is excluded from that measure; a ratio
#' loses both sides. Shares, running totals and cumulative shares exist for measures
#' that add up over items: sums, counts, their differences and rates. A distinct
#' count is shared on the sum of its rows, and its total says both that sum and how
#' many different ones there are in all.
#'
#' Columns of decimals with at most 6 places are added as integers: totals are
#' exact to the last digit, equal sales tie, and the same rows give the same bits
#' in any order. The filter always runs before the ranking.
#'
#' @section Asking from your own code:
#' A bare name is a column, always, so that a variable of yours never takes its place
#' unseen. Put it in: `!!x` stands for its value, `{{ by }}` for what your own function was
#' given as `by`, and `...` passes whatever it holds on.
#'
#' * A constant: `where = net_sales > !!limit`, `where = category %in% !!wanted`,
#'   `only(x, top(!!n))`, `to = !!month`.
#' * Names in a variable: `by = !!dim`, also several of them, as `c("region", "town")`.
#' * A function: `by_sales <- function(data, by, ...) standings(data, of = sum(net_sales),
#'   by = {{ by }}, ...)`.
#' * A loop: `lapply(c("region", "category"), function(dim) standings(orders,
#'   of = sum(net_sales), by = !!dim))`.
#' * A text that is exactly the name of a column is that column, blanks and brackets and
#'   all: `by = "Net sales (all)"`; any other text is read as an expression.
#'
#' @param data A data frame; the path of a file, of which only the needed columns are read;
#'   several paths, a pattern such as `"exports/*.csv"` or a folder, read as one table; a table of a
#'   database, as from [sales_table()] or `dplyr::tbl()`, or its address
#'   (`"sqlite:shop.db#orders"`); or the result of [lookup()].
#' @param of What to measure.
#' @param by What to rank: a column, or several as in `c(town, region)`.
#' @param where Which rows to use; all by default.
#' @param ... Must be empty.
#' @param within Columns of groups in each of which the ranking starts again.
#' @param over A period of a date, such as `quarter(order_date)`, in each of which
#'   the ranking starts again. Rows without that date are excluded.
#' @param also Further measures for the same items, such as
#'   `c(orders = distinct(order_no))`.
#' @param show Columns to show beside the item: the one value that it has, or
#'   "(several)".
#' @param having A condition on measures, such as `sum(net_sales) >= 1000`: items that
#'   do not meet it are dropped before the ranking. Shares stay those of all.
#' @param best Whether the `"highest"` or the `"lowest"` value ranks first.
#' @param ties How equal values are numbered: `"min"` (1, 2, 2, 4), `"max"`
#'   (1, 3, 3, 4), `"average"` (1, 2.5, 2.5, 4), `"dense"` (1, 2, 2, 3) or
#'   `"first"` (1, 2, 3, 4, in the order of names).
#' @param share_of What shares are of: the `"group"` (within and over), the `"period"`
#'   in all its groups, or `"all"`.
#' @param share_base `"net"`, or `"positive"` for shares of the items above zero only.
#' @param all_items A table with the `by` columns: items that must appear even
#'   without sales.
#' @param as_of The day that counts as today, by default the latest date in the data.
#'   Rows after it are excluded.
#' @param date The date column that decides "today" and which periods are complete, such as
#'   `order_date`; by default the date column used elsewhere in the call.
#' @returns A tibble of class `eggcrate_standings`, one row per item in rank
#'   order, groups together. Columns:
#'   \describe{
#'     \item{the `within` and `over` columns}{the group; periods as text}
#'     \item{`rank`}{integer; double for `ties = "average"`}
#'     \item{the `by` columns}{the item; missing for rows without one}
#'     \item{the measure}{double, under its own name}
#'     \item{`share`}{its part of the group's total, 0 to 1; missing when that
#'       total is not above zero}
#'     \item{`running`, `cum_share`}{total and share of all rows down to this one}
#'     \item{`percentile`}{the part of the other items that are strictly worse, 0
#'       to 1; missing for a single item}
#'     \item{`also` measures, `show` columns}{under their own names}
#'   }
#'   [receipt()] says what was done. A result that is changed by other means, with
#'   `[` for instance, becomes a plain tibble.
#' @section Errors: `eggcrate_error_call` for a question that cannot be asked,
#'   `eggcrate_error_data` for data that cannot answer it; see [eggcrate_errors].
#' @seealso [pareto()] for the items that account for most of the total, [chart_pareto()].
#' @export
#' @examples
#' orders <- demo_orders()
#' standings(orders, of = sum(net_sales), by = customer)
#' standings(orders, of = sum(net_sales), by = salesperson, where = category != "Rope")
#' standings(orders, of = units, by = product, within = category)
#' standings(orders, of = c(margin = sum(profit) / sum(net_sales)), by = customer,
#'   also = c(orders = distinct(order_no)), having = sum(net_sales) > 10000)
#' standings(orders, of = per_day(sum(net_sales)), by = region, over = quarter(order_date))
#' # From one's own code:
#' by_sales <- function(data, by, ...) standings(data, of = sum(net_sales), by = {{ by }}, ...)
#' by_sales(orders, c(region, town), where = units > 3)
#' for (dim in c("region", "category")) print(standings(orders, of = sum(net_sales), by = !!dim))
standings <- function(data, of, by, where, ..., within, over, also, show, having, best = "highest",
  ties = "min", share_of = "group", share_base = "net", all_items = NULL,
  as_of = NULL, date) {
  call <- sys.call()[1L]
  check_no_dots(..., call = call)
  source <- open_source(data, data_place(substitute(data), parent.frame()), call = call)
  ask("standings", verb_args("standings", environment()), source, call)
}

# The object: changed by other means than ours it is a plain tibble ----------

#' @export
`[.eggcrate_answer` <- function(x, ...) {
  loadNamespace("tibble")
  as_plain(x)[...]
}

#' @export
`[<-.eggcrate_answer` <- function(x, i, j, ..., value) {
  loadNamespace("tibble")
  x <- as_plain(x)
  NextMethod()
}

#' @export
`names<-.eggcrate_answer` <- function(x, value) {
  x <- as_plain(x)
  NextMethod()
}

#' @export
`[[<-.eggcrate_answer` <- `[<-.eggcrate_answer`

#' @export
`$<-.eggcrate_answer` <- `[<-.eggcrate_answer`

#' @export
as.data.frame.eggcrate_answer <- function(x, ...) as.data.frame(as_plain(x), ...)

#' @exportS3Method tibble::as_tibble
as_tibble.eggcrate_answer <- function(x, ...) {
  loadNamespace("tibble")
  tibble::as_tibble(as_plain(x), ...)
}

#' The first or the last rows of standings
#'
#' They stay standings: ranks, shares and totals are those of the whole, and they can be printed and
#' drawn as such.
#'
#' @param x Standings.
#' @param n How many rows; a negative number leaves so many out.
#' @param ... Ignored.
#' @returns Standings with fewer rows, as from [only()].
#' @rawNamespace S3method(utils::head, eggcrate_standings)
#' @examples
#' head(standings(demo_orders(), of = sum(net_sales), by = product), 3)
head.eggcrate_standings <- function(x, n = 6L, ...) at_rest(keep_end(x, n, utils::head, "first"))

#' @rdname head.eggcrate_standings
#' @rawNamespace S3method(utils::tail, eggcrate_standings)
tail.eggcrate_standings <- function(x, n = 6L, ...) at_rest(keep_end(x, n, utils::tail, "last"))

#' The totals of a result
#'
#' @param object A result of eggcrate, such as that of [standings()] or [heat_grid()].
#' @param ... Ignored.
#' @returns A tibble with one row per group: the columns of the group, `items`, and the total of
#'   each measure under its name; of a distinct count also how many different ones there are in all.
#' @export
#' @examples
#' summary(standings(demo_orders(), of = sum(net_sales), by = product, within = region))
summary.eggcrate_answer <- function(object, ...) {
  tibble::as_tibble(answer_totals(answer_of(object)))
}

#' @export
rbind.eggcrate_answer <- function(...) {
  do.call(rbind, lapply(list(...), function(x) if (is.data.frame(x)) as_plain(x) else x))
}

#' @exportS3Method dplyr::dplyr_reconstruct
dplyr_reconstruct.eggcrate_answer <- function(data, template) as_plain(data)

#' @exportS3Method vctrs::vec_restore
vec_restore.eggcrate_answer <- function(x, to, ...) as_plain(NextMethod())

# A table that was read carries what was found in its file, and loses it like an answer.

#' @export
`[.eggcrate_sales` <- `[.eggcrate_answer`

#' @export
`[<-.eggcrate_sales` <- `[<-.eggcrate_answer`

#' @export
`names<-.eggcrate_sales` <- `names<-.eggcrate_answer`

#' @export
`[[<-.eggcrate_sales` <- `[<-.eggcrate_answer`

#' @export
`$<-.eggcrate_sales` <- `[<-.eggcrate_answer`

#' @export
as.data.frame.eggcrate_sales <- as.data.frame.eggcrate_answer

#' @exportS3Method tibble::as_tibble
as_tibble.eggcrate_sales <- as_tibble.eggcrate_answer

#' @exportS3Method dplyr::dplyr_reconstruct
dplyr_reconstruct.eggcrate_sales <- dplyr_reconstruct.eggcrate_answer

#' @exportS3Method vctrs::vec_restore
vec_restore.eggcrate_sales <- vec_restore.eggcrate_answer

#' Receipt: what was done
#'
#' Says how a result came about: rows read, filtered out, excluded and used (read
#' is always the sum of the other three), items, total, ties, and the rules in
#' force; and of a table read from a file, what was converted or odd.
#'
#' @param x A result of eggcrate, such as that of [standings()], [heat_grid()] or [read_sales()].
#' @param ... Must be empty.
#' @returns A tibble with the columns `step`, `fact` (character), `n` (double, a
#'   count), `value` and `note` (character).
#' @export
#' @examples
#' receipt(standings(demo_orders(), of = sum(net_sales), by = customer,
#'   where = region == "Northfirth"))
receipt <- function(x, ...) {
  check_no_dots(..., call = sys.call()[1L])
  if (missing(x)) check_answer(call = sys.call()[1L])
  rows <- if (inherits(x, "eggcrate_sales")) {
    record <- attr(x, "reading")
    as_table(c(list(receipt_rows("read", "rows", record$n, record$name)), record$reading))
  } else {
    check_answer(x, call = sys.call()[1L])
    answer_of(x)$receipt
  }
  tibble::as_tibble(rows)
}
