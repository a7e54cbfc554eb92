# Changes of an answer: its facet, its receipt, classes against other columns.

# "2026-04" is a period and "2026-04-01/2026-06-30" an interval, anything else an expression such
# as `latest(month)`.
read_period <- function(x, arg, call = NULL) {
  if (is.language(x)) {
    return(x)
  }
  if (is.numeric(x) && length(x) == 1L) x <- number_text(x) # 2025
  if (!is.character(x) || length(x) != 1L || is.na(x)) {
    stop_eggcrate("call", "unknown_value",
      sprintf("`%s` must be a period, such as \"2026-03\" or `latest(month)`, not %s.", arg,
        describe(x)), call = call)
  }
  named <- vapply(names(period_units), function(unit) !is.na(parse_period(x, new_period(unit))), NA)
  if (any(named) || is_interval(x)) {
    return(x)
  }
  guess <- guess_period(x)
  if (!is.null(guess)) {
    stop_eggcrate("call", "unknown_value",
      sprintf("`%s` is %s, which is not a period.", arg, quoted(x)),
      i = sprintf("Write `%s = \"%s\"`.", arg, guess$text), call = call)
  }
  read_expression(x, arg, call)
}

read_tolerance <- function(x, call = NULL) {
  number <- if (is.character(x) && length(x) == 1L) written_numbers(x) else x
  if (identical(number, 0) || identical(number, 0L)) NULL else read_part(x, "tolerance", call)
}

check_days <- function(days, call = NULL) {
  if (!is.null(days) &&
    (!is.numeric(days) || length(days) != 1L || is.na(days) || days < 0 || days != floor(days))) {
    stop_eggcrate("call", "unknown_value",
      sprintf("`lost_after` must be a whole number of days, not %s.", describe(days)), call = call)
  }
}

#' What two periods add to standings of the change.
#' @param change List: `spans` from `change_periods()`, or the `names` of two columns; `daily` (are
#'   the dates days?); `measure`, the ranking measure; `additional` measures; `tolerance`,
#'   `lost_after`, `present`.
#' @noRd
add_change <- function(x, change) {
  ans <- do.call(with_facet, c(list(answer_of(x), "change"), change))
  found <- change_rows(ans)
  ans <- do.call(with_facet, c(list(ans, "change"), change, list(number = found$number,
    history = !by_date(change) || any_history(ans))))
  ans$receipt <- change_receipt(ans)
  ans$rows <- change_order(ans)
  had <- unclass(as_plain(x))
  class <- shown_tier(labelled_tier(found$number, list(labels = change_classes)))
  names <- names(c(ans$plan$within, ans$plan$by))
  columns <- c(had[names], had[c("from", "to", "change")], found["percent"], list(class = class),
    found[c("rank_from", "rank_to", "rank_change", if (change$daily) "last_order")],
    additional_changes(ans, had), had[names(ans$plan$show)])
  rebuild(x, lapply(columns, key_at, ans$rows), ans, "eggcrate_changes")
}

# Of each additional measure `_from`, `_to`, `_change` and `_percent`.
additional_changes <- function(ans, had) {
  unlist(lapply(ans$facets$change$additional, function(measure) {
    names <- change_names(measure$name)
    at <- lapply(match(names, measure_names(ans$plan)), measure_rows, ans = ans)
    c(had[names[c("from", "to", "change")]],
      with_names(list(change_percent(at[[1L]], at[[2L]])), paste0(measure$name, "_percent")))
  }), recursive = FALSE)
}

change_receipt <- function(ans) {
  spans <- ans$facets$change$spans
  if (!by_date(ans$facets$change)) {
    return(column_change_receipt(ans))
  }
  days <- function(span) {
    sprintf("%s to %s%s", day_text(span[1L]), day_text(span[2L]),
      if (spans$unequal) sprintf(", %s", counted(diff(span) + 1, "day")) else "")
  }
  facts <- list(
    receipt_rows("periods", "from", value = spans$names[[1L]], note = days(spans$from)),
    receipt_rows("periods", "to", value = spans$names[[2L]], note = days(spans$to)),
    receipt_rows("periods", "days not there yet", if (spans$cut) diff(spans$days) else 0,
      spans$names[[2L]], "the same days of both are compared"),
    if (spans$late) {
      receipt_rows("periods", "not complete", value = spans$names[[1L]],
        note = "the data begin within it")
    },
    if (!ans$facets$change$history) {
      receipt_rows("periods", "history", value = "none before from",
        note = "who is called new may have been there before")
    },
    if (!is.null(ans$facets$change$lost_after)) {
      receipt_rows("rule", "lost_after", ans$facets$change$lost_after,
        note = "days without an order")
    }
  )
  change_facts(ans, facts)
}

column_change_receipt <- function(ans) {
  names <- ans$facets$change$spans$names
  change_facts(ans, list(
    receipt_rows("periods", "from", value = names[[1L]], note = ans$facets$change$texts[1L]),
    receipt_rows("periods", "to", value = names[[2L]], note = ans$facets$change$texts[2L])))
}

change_facts <- function(ans, facts) {
  facet <- ans$facets$change
  table <- add_rows(ans$receipt, c(facts, list(
    if (!is.null(facet$tolerance)) {
      receipt_rows("rule", "tolerance", value = facet$tolerance$text,
        note = "of from, up to which a change counts as unchanged")
    },
    if ((facet$present == "value") == by_date(facet)) {
      receipt_rows("rule", "present", value = facet$present, note = presence_words[[facet$present]])
    })))
  # Excluded items have rows in earlier periods only.
  keep <- !table$fact %in% c("items excluded", "items below zero")
  drop_empty_facts(lapply(table, function(column) column[keep]))
}

presence_words <- c(rows = "there with a row that is used",
  value = "there with a value other than 0")

checked_bridge <- function(ans, call = NULL) {
  check_shared(ans, "bridge", call)
  bridge_rows(ans)
}

# Classes against other columns of the rows at hand.
class_cross <- function(x, by, call = NULL) {
  ans <- answer_of(x)
  for (name in by) if (!name %in% names(x)) stop_unknown_column(name, names(x), "the changes", call)
  at <- whole_rows(ans)
  keys <- unclass(as_plain(x))[c(by, "class")]
  keys$class <- as.integer(keys$class)
  group <- match_rows(keys)
  first <- first_seen(group)
  # What is not at hand has a slot of its own, which is left away.
  slot <- replace(rep(sum(first) + 1L, length(ans$ranked$cell)), at, group)
  counts <- slot_counts(ans, slot, rep(1L, sum(first) + 1L))
  here <- seq_len(sum(first))
  out <- c(lapply(keys, function(key) key[first]), list(items = counts$items[here]),
    lapply(counts$values[c("from", "to", "change", additional_change_columns(ans))], `[`, here))
  out$class <- factor(levels(x$class)[out$class], levels(x$class))
  order <- order_keys(c(lapply(out[by], plain_key), list(as.integer(out$class))))
  lapply(out, function(column) column[order])
}
