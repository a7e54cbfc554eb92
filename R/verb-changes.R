#' Changes between two periods
#'
#' Compares what each item had in two periods: the amount of the change, greatest loss
#' first, its percent, the change of rank, and a class.
#'
#' * `new`: not there in any period before `to`;
#' * `returned`: not there in `from`, but some time before `to`;
#' * `up`, `level`, `down`: there in both; level within the tolerance;
#' * `lost`: there in `from` and not in `to`.
#'
#' An item is there when it has a row that is used. Classes are made from the rows that
#' pass the filter, so they are made anew under each.
#'
#' By default the last two complete periods of `over` are compared. `from` and `to` may be
#' any periods: `"2026-04"`, `latest(quarter)`, `year_ago(latest(month))`,
#' `year_to_date`. A `to` that is not complete, such as `current(month)`, is compared
#' with the same days of `from`, and the result says so. Without `from`, the period
#' before `to` is taken; for the year to date, that of a year ago.
#'
#' What an item did not have is 0 for sums and counts, and missing for rates, means and
#' medians. Rows before `to` that are in neither period are history: they only tell new
#' from returned.
#'
#' @inheritParams standings
#' @param over A period of a date, such as `month(order_date)`.
#' @param from,to The periods to compare.
#' @param tolerance Up to which part of `from` a change counts as level: `"5%"`.
#' @param lost_after Days without an order after which an item is lost: with 90, one whose
#'   last order was less than 90 days before the end of `to` is down, not lost, and one
#'   that comes back within 90 days is up, not returned.
#' @returns A tibble of class `eggcrate_changes`, one row per item that was there in one of
#'   the periods, greatest loss first: the `within` and `by` columns, and
#'   \describe{
#'     \item{`from`, `to`, `change`}{double: the measure in the two periods, and `to` less
#'       `from`}
#'     \item{`percent`}{double, a part of `from`: missing where that is not above zero}
#'     \item{`class`}{factor}
#'     \item{`rank_from`, `rank_to`, `rank_change`}{ranks among those that were there; a
#'       rise is positive}
#'     \item{`last_order`}{Date of the last row that is used, up to the end of `to`}
#'   }
#'   and the `show` columns. Selections such as `top(5)` go by the change, the best first.
#' @section Errors: Those of [standings()]; `eggcrate_error_period` for a period that the
#'   data do not have.
#' @seealso [class_table()] counts the classes, [bridge_table()] leads from the old total to
#'   the new, [chart_changes()] and [chart_bridge()] draw them; [only()] keeps some:
#'   `only(x, class == "lost")`.
#' @export
#' @examples
#' x <- compare_periods(demo_orders(), of = sum(net_sales), by = customer, over = quarter(order_date))
#' x
#' only(x, class == "lost" & rank_from <= 50)
#' compare_periods(demo_orders(), of = sum(net_sales), by = region, over = month(order_date), to = current(month))
#' compare_periods(demo_orders(), of = sum(net_sales), by = category, over = month(order_date), from = year_ago(latest(month)))
compare_periods <- function(data, of, by, over, where, ..., from, to, within, show, tolerance = 0,
  lost_after = NULL, best = "highest", ties = "min", as_of = NULL) {
  call <- sys.call()[1L]
  check_no_dots(..., call = call)
  taken <- c("of", "by", "over", "where", "within", "show")
  asked <- called_words(environment(), parent.frame(), taken)
  spans <- list(from = capture(substitute(from), parent.frame()),
    to = capture(substitute(to), parent.frame()))
  rules <- replace(default_rules(), c("best", "ties", "as_of"), list(best, ties, as_of))
  ask_changes(data, asked, rules, spans, tolerance, lost_after, name = data_name(substitute(data)),
    call = call)
}

ask_changes <- function(data, words, rules, spans, tolerance = 0, lost_after = NULL,
  name = "the data", reading = list(), call = NULL, part = NULL) {
  if (is.null(words$over)) {
    stop_expression("`over` is missing.",
      hint = "Say which periods to compare, such as `over = month(order_date)`.", call = call)
  }
  spans <- list(from = read_period(spans$from, "from", call),
    to = read_period(spans$to, "to", call))
  level <- read_tolerance(tolerance, call)
  check_days(lost_after, call)
  asked <- list(data = data, words = words, rules = rules, name = name, reading = reading)
  asked$again <- function(data, words, rules, name, reading, call, part) {
    ask_changes(data, words, rules, spans, tolerance, lost_after, name, reading, call, part)
  }
  compiled <- compile_asked(asked, part, call)
  node <- compiled$question$over[[1L]]
  found <- change_periods(node$period, compiled$question$coverage(node_date(node), call), spans,
    call)
  question <- change_question(compiled$question, found, lost_after, call)
  put_changes(answer_question(compiled$source, question, asked, call, join_sides), level,
    lost_after)
}

# "2026-04" is a period, anything else an expression such as `latest(month)`.
read_period <- function(x, arg, call = NULL) {
  if (!is.character(x) || length(x) != 1L || is.na(x)) {
    return(x)
  }
  named <- vapply(names(period_units), function(unit) !is.na(parse_period(x, new_period(unit))), NA)
  if (any(named)) x else read_expression(x, arg, call)
}

read_tolerance <- function(x, call = NULL) {
  number <- if (is.character(x) && length(x) == 1L) {
    suppressWarnings(as.numeric(sub("%$", "", x)))
  } else {
    x
  }
  if (identical(as.numeric(number), 0)) NULL else read_part(x, "tolerance", call)
}

check_days <- function(days, call = NULL) {
  if (!is.null(days) &&
    (!is.numeric(days) || length(days) != 1L || is.na(days) || days < 0 || days != floor(days))) {
    stop_eggcrate("call", "unknown_value",
      sprintf("`lost_after` must be a whole number of days, not %s.", describe(days)), call = call)
  }
}

put_changes <- function(x, tolerance, lost_after) {
  set <- facts(x)
  found <- change_rows(set, tolerance, lost_after)
  set$changes <- list(number = found$number, history = found$history, tolerance = tolerance,
    lost_after = lost_after)
  set$receipt <- change_receipt(set)
  set$rows <- change_order(set)
  had <- unclass(as_plain(x))
  class <- shown_tier(labelled_tier(found$number, list(labels = change_classes)))
  names <- names(c(set$question$within, set$question$by))
  columns <- c(had[names], had[c("from", "to", "change")], found["percent"], list(class = class),
    found[c("rank_from", "rank_to", "rank_change", "last_order")],
    had[names(set$question$show)])
  out <- rebuild(x, lapply(columns, key_at, set$rows), set)
  class(out) <- c("eggcrate_changes", class(x))
  out
}

change_receipt <- function(set) {
  spans <- set$question$spans
  days <- function(span) sprintf("%s to %s", day_text(span[1L]), day_text(span[2L]))
  facts <- list(
    receipt_rows("periods", "from", value = spans$names[[1L]], note = days(spans$from)),
    receipt_rows("periods", "to", value = spans$names[[2L]], note = days(spans$to)),
    receipt_rows("periods", "days not there yet", if (spans$cut) diff(spans$days) else 0,
      spans$names[[2L]], "the same days of both are compared"),
    if (spans$late) {
      receipt_rows("periods", "not complete", value = spans$names[[1L]],
        note = "the data begin within it")
    },
    if (!set$changes$history) {
      receipt_rows("periods", "history", value = "none before from",
        note = "who is called new may have been there before")
    },
    if (!is.null(set$changes$tolerance)) {
      receipt_rows("rule", "tolerance", value = set$changes$tolerance$text,
        note = "of from, up to which a change is level")
    },
    if (!is.null(set$changes$lost_after)) {
      receipt_rows("rule", "lost_after", set$changes$lost_after, note = "days without an order")
    }
  )
  table <- add_rows(set$receipt, facts)
  # Items left out are those of history alone; that some fall is no oddity.
  keep <- !table$fact %in% c("items left out", "items below zero")
  drop_empty_facts(lapply(table, function(column) column[keep]))
}

#' The table of classes, and the bridge
#'
#' `class_table()` counts the items of each class, with their totals in the two periods;
#' empty ones too. The changes of the classes add up to the change of the total.
#' `bridge_table()` leads from the old total to the new, one step for each class.
#'
#' @param x The result of [compare_periods()].
#' @param by Columns of `x` to count apart, a character vector, such as those of `show`.
#' @returns `class_table()`: a tibble, one row per group and class: the columns of the group
#'   (or of `by`), `class` (factor), `items`, `from`, `to`, `change` and `share_of_items`.
#'   `bridge_table()`: one row per group and step: `step` (`"from"`, the classes, `"to"`),
#'   `items`, `amount`, and `end`, the total after the step.
#' @section Errors: `eggcrate_error_not_additive` for the bridge of a measure that does not
#'   add up.
#' @export
#' @examples
#' x <- compare_periods(demo_orders(), of = sum(net_sales), by = customer, over = quarter(order_date), show = region)
#' class_table(x)
#' class_table(x, by = "region")
#' bridge_table(x)
class_table <- function(x, by = NULL) {
  call <- sys.call()[1L]
  check_result(x, "eggcrate_changes", "the result of `compare_periods()`", call)
  tibble::as_tibble(
    if (is.null(by)) class_counts(facts(x)) else class_cross(drop_others(x), by, call))
}

#' @rdname class_table
#' @export
bridge_table <- function(x) {
  call <- sys.call()[1L]
  check_result(x, "eggcrate_changes", "the result of `compare_periods()`", call)
  tibble::as_tibble(checked_bridge(facts(x), call))
}

checked_bridge <- function(set, call = NULL) {
  if (is.null(set$value)) stop_not_additive(set$question$measured, "bridge", call)
  bridge_rows(set)
}

# Classes against other columns of the rows at hand.
class_cross <- function(x, by, call = NULL) {
  set <- facts(x)
  for (name in by) if (!name %in% names(x)) stop_unknown_column(name, names(x), "the changes", call)
  at <- whole_rows(set)
  keys <- unclass(as_plain(x))[c(by, "class")]
  keys$class <- as.integer(keys$class)
  group <- match_rows(keys)
  first <- !duplicated(group)
  # What is not at hand has a slot of its own, which is left away.
  slot <- replace(rep(sum(first) + 1L, length(set$cell)), at, group)
  counts <- slot_counts(set, slot, rep(1L, sum(first) + 1L))
  here <- seq_len(sum(first))
  out <- c(lapply(keys, function(key) key[first]), list(items = counts$items[here]),
    lapply(counts$values[c("from", "to", "change")], `[`, here))
  out$class <- factor(levels(x$class)[out$class], levels(x$class))
  order <- order_keys(c(lapply(out[by], plain_key), list(as.integer(out$class))))
  lapply(out, function(column) column[order])
}
