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
#'   `year_to_date`, and `year_ago()` of any of these.
#'
#' A row that lacks any column of a measure is left out of that measure; a ratio
#' loses both sides. Shares, running totals and cumulative shares exist for measures
#' that add up over items: sums, counts, their differences and rates. A distinct
#' count is shared on the sum of its rows, and its total says both that sum and how
#' many different ones there are in all.
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
#' @param over A period of a date, such as `quarter(order_date)`, in each of which
#'   the ranking starts again. Rows without that date are left out.
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
#'   Rows after it are left out.
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
#' @seealso [pareto()] for the few that make most of the total, [chart_pareto()].
#' @export
#' @examples
#' orders <- demo_orders()
#' standings(orders, of = sum(net_sales), by = customer)
#' standings(orders, of = sum(net_sales), by = salesperson, where = category != "Rope")
#' standings(orders, of = units, by = product, within = category)
#' standings(orders, of = c(margin = sum(profit) / sum(net_sales)), by = customer,
#'   also = c(orders = distinct(order_no)), having = sum(net_sales) > 10000)
#' standings(orders, of = per_day(sum(net_sales)), by = region, over = quarter(order_date))
standings <- function(data, of, by, where, ..., within, over, also, show, having, best = "highest",
                      ties = "min", share_of = "group", share_base = "net", all_items = NULL,
                      as_of = NULL) {
  call <- sys.call()[1L]
  check_no_dots(..., call = call)
  asked <- called_words(environment(), parent.frame())
  ask_standings(data, asked, called_rules(environment()), name = data_name(substitute(data)),
    call = call)
}

data_name <- function(expr) if (is.name(expr)) as.character(expr) else "the data"

#' The way of the data: source, filter, tally, standings.
#' @param part Which items of other standings to ask about, from `part_of()`; NULL for
#'   all rows.
#' @noRd
ask_standings <- function(data, words, rules, name = "the data", reading = list(), call = NULL,
  part = NULL) {
  asked <- list(data = data, words = words, rules = rules, name = name, reading = reading)
  compiled <- compile_asked(asked, part, call)
  answer_question(compiled$source, compiled$question, asked, call)
}

# The source with the columns in question, and the question compiled for it.
compile_asked <- function(asked, part = NULL, call = NULL) {
  read <- read_question(asked$words, asked$rules, call)
  read$keys <- c(read$keys, setdiff(part$as_text, read$needed))
  read$needed <- union(read$needed, part$columns)
  source <- as_source(asked$data, asked$name, read$needed, read$keys, asked$reading, call)
  question <- compile_question(read, source, call)
  if (!is.null(part)) {
    question$gates <- c(question$gates,
      list(list(node = part$node, step = "filtered out", text = part$text)))
    question$where <- paste(c(if (!is.null(question$where)) sprintf("(%s)", question$where),
      part$text), collapse = " & ")
  }
  source$columns <- blank_dates(source$columns, question)
  list(source = source, question = question)
}

# A column without any value that is asked for as a date is one of missing dates.
blank_dates <- function(columns, question) {
  keys <- c(question$over, question$by, question$within, question$show)
  trees <- c(keys, lapply(question$gates, `[[`, "node"), lapply(question$aggregates, `[[`, "value"),
    lapply(question$aggregates, `[[`, "when"))
  used <- Filter(function(column) column$type == "date" && is.character(columns[[column$name]]),
    unlist(lapply(unname(trees), node_columns),
    recursive = FALSE))
  for (name in unique(vapply(used, `[[`, "", "name"))) {
    columns[[name]] <- structure(rep(NA_real_, length(columns[[name]])), class = "Date")
  }
  columns
}

#' @param asked What was asked, to ask again: `data`, `words`, `rules`, `name`, `reading`,
#'   and `again`, a function of these and of a part, where the result is more than
#'   standings.
#' @param join What makes tally and question whole, such as with targets: a function of
#'   both that returns both.
#' @noRd
answer_question <- function(source, question, asked, call = NULL, join = NULL) {
  tally <- tally_frame(source, question, call = call)
  if (!is.null(join)) {
    joined <- join(tally, question)
    tally <- joined$tally
    question <- joined$question
  }
  ranked <- rank_tally(tally, question, whole_tally(source, question, call))
  ranked$columns <- c(ranked$columns, show_columns(source, question, ranked, call))
  ranked$asked <- hold_data(c(asked, list(source = source)))
  new_standings(ranked, question, new_receipt(source, question, tally, ranked), source$name)
}

# A result can go back to its rows as long as it lives, but takes none of them along
# when it is saved.
hold_data <- function(asked) {
  key <- new.env(parent = emptyenv())
  # R copies any value of a weak reference but an environment.
  list(key = key, reference = hold_(key, list2env(asked, parent = emptyenv())))
}

held_data <- function(x) held_(facts(x)$asked$reference)

# What cannot be made from items is counted again for each group.
whole_tally <- function(source, question, call = NULL) {
  if (!any(vapply(question$measures, `[[`, "", "kind") == "holistic")) {
    return(NULL)
  }
  tally_frame(source, question, group_keys(question), call)
}

# One value per item, or "(several)".
show_columns <- function(source, question, ranked, call = NULL) {
  columns <- lapply(names(question$show), function(name) {
    seen <- tally_frame(source, replace(question, "aggregates", list(list())),
      c(question$keys, question$show[name]), call)
    known <- !is.na(seen$keys[[name]])
    keys <- lapply(seen$keys, function(key) key[known])
    items <- lapply(ranked$tally$keys, function(key) key[ranked$order])
    code <- match_rows(Map(c, items, keys[names(items)]))
    n <- length(ranked$cell)
    at <- match(code[seq_len(n)], code[-seq_len(n)])
    several <- code[seq_len(n)] %in% code[-seq_len(n)][duplicated(code[-seq_len(n)])]
    value <- key_column(keys[[name]][at], question$show[[name]])
    if (any(several)) value <- replace(as.character(value), several, "(several)")
    value
  })
  with_names(columns, names(question$show))
}

# The object ---------------------------------------------------------------

# What belongs to the result but is no column of it stays together in one
# attribute: the question, the receipt, the exact values behind the columns.
new_standings <- function(ranked, question, receipt, source) {
  question$coverage <- NULL # knows the data
  kept <- c("totals", "overall", "incomplete", "value", "running", "base", "counted", "cell",
    "block", "total", "tally", "order", "quantity", "asked")
  structure(
    ranked$columns,
    row.names = .set_row_names(length(ranked$cell)),
    class = c("eggcrate_standings", "tbl_df", "tbl", "data.frame"),
    eggcrate = c(list(question = question, receipt = receipt, source = source), ranked[kept])
  )
}

facts <- function(x) attr(x, "eggcrate", exact = TRUE)

check_standings <- function(x, arg = "x", call = NULL) {
  if (!inherits(x, "eggcrate_standings")) {
    stop_eggcrate("call", "unknown_value",
      sprintf("`%s` must be standings, not %s.", arg, describe(x)),
      i = "Make them with `standings()`; a result that was changed by hand is a plain table.",
      call = call)
  }
}

# Changes have no shares and no ranks of their own.
check_not_changes <- function(x, what, call = NULL) {
  if (inherits(x, "eggcrate_changes")) {
    stop_eggcrate("call", "unknown_value",
      sprintf("%s of standings, and `x` is changes between two periods.", what),
      i = "Use `class_table()`, `bridge_table()`, `chart_changes()` or `chart_bridge()`.",
      call = call)
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
`[.eggcrate_extremes` <- `[.eggcrate_standings`

#' @export
`[.eggcrate_grid` <- `[.eggcrate_standings`

#' @export
`[.eggcrate_movement` <- `[.eggcrate_standings`

#' @export
`[.eggcrate_concentration` <- `[.eggcrate_standings`

#' @export
`[.eggcrate_findings` <- `[.eggcrate_standings`

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
#' @param x A result of eggcrate, such as that of [standings()], [heat_grid()] or [read_sales()].
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
    if (is.null(facts(x)$receipt)) check_standings(x, call = sys.call()[1L])
    facts(x)$receipt
  }
  tibble::as_tibble(rows)
}
