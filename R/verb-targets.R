#' Actual against target
#'
#' Holds what each item has against its target: the gap, the attainment, the pace of a
#' period that is not over, and whether the target was missed, met or exceeded.
#'
#' A target comes from
#' * a column of the data, the same in all rows of an item and period: `target = budget`;
#' * a table with the `by` columns, those of `within` and `over` where it has them, and
#'   one column of numbers: `target = targets`, or the path of a file;
#' * the period before, or a year ago: `target = previous()`, `target = year_ago()`;
#' * a number, the same for all.
#'
#' Items are joined from both sides. A target without sales is missed, with 0. Sales
#' without a target have status "no target" and count in no total of targets. The
#' receipt names both. Conditions on the columns of the table hold for the targets too.
#'
#' Met is an attainment from 1 up to `exceed_at`, exceeded is above. Where the lowest
#' value is best it is turned round: at most the target is met, and exceeded when
#' `exceed_at` times the value is still below it. A target at or below zero has no
#' attainment, and goes by the gap.
#'
#' Periods that are not complete are left out, unless there are no others or `incomplete`
#' asks for them. Nothing is prorated unless `prorate` asks for it: their `pace` is the
#' attainment divided by the part of the days gone by. With `previous()` or `year_ago()`
#' the same days are compared instead.
#'
#' @inheritParams standings
#' @param target Where the target comes from.
#' @param exceed_at The attainment above which a target is exceeded, such as 1.1.
#' @param incomplete Whether to show periods that are not complete.
#' @param prorate Whether the target of a period that is not over counts only for the part of
#'   its days that have gone by.
#' @returns Standings of the measure, as from [standings()], without the columns of shares,
#'   and with
#'   \describe{
#'     \item{`target`, `gap`}{double: the target, and the measure less the target}
#'     \item{`attainment`}{double: the measure as a part of the target}
#'     \item{`pace`}{double: attainment divided by the part of the days gone by; missing
#'       without periods}
#'     \item{`status`}{factor: exceeded, met, missed, no target}
#'   }
#' @section Errors: Those of [standings()]; `eggcrate_error_value` when an item has more
#'   than one target in a period.
#' @seealso [status_table()] counts them, [chart_targets()] draws them; [only()] keeps
#'   some: `only(x, status == "missed" & gap < -500)`.
#' @export
#' @examples
#' targets <- demo_targets()
#' x <- against_target(demo_orders(), of = sum(net_sales), by = region, over = month(order_date),
#'   where = in_period(order_date, latest(month)), target = targets)
#' x
#' against_target(demo_orders(), of = sum(net_sales), by = salesperson, over = quarter(order_date),
#'   where = in_period(order_date, latest(quarter)), target = year_ago())
against_target <- function(data, of, by, target, where, ..., within, over, show, exceed_at = 1,
  incomplete = FALSE, prorate = FALSE, best = "highest", ties = "min", as_of = NULL) {
  call <- sys.call()[1L]
  check_no_dots(..., call = call)
  asked <- called_words(environment(), parent.frame(),
    c("of", "by", "where", "within", "over", "show"))
  rules <- replace(default_rules(), c("best", "ties", "as_of"), list(best, ties, as_of))
  spec <- target_spec(substitute(target), data, parent.frame(), call)
  ask_targets(data, asked, rules, spec, exceed_at, incomplete, prorate,
    name = data_name(substitute(data)), call = call)
}

#' @return List of `kind` ("table", "column", "number", "earlier") and what belongs to it.
#' @noRd
target_spec <- function(code, data, env, call = NULL) {
  if (identical(code, quote(expr = ))) stop_no_target(call)
  code <- capture(code, env)
  if (is.name(code)) {
    return(named_target(as.character(code), data, env))
  }
  if (is.call(code) && !is_call_to(code, c("previous", "year_ago", "-"))) code <- eval(code, env)
  read_target(code, call)
}

stop_no_target <- function(call = NULL) {
  stop_expression("`target` is missing.",
    hint = "Name a column, a table of targets, `previous()`, `year_ago()` or a number.",
    call = call)
}

# A bare name is a column; where there is none, a table of the caller.
named_target <- function(name, data, env) {
  column <- is.data.frame(data) && name %in% names(data)
  table <- if (!column) get0(name, env, mode = "list")
  if (is.data.frame(table)) {
    list(kind = "table", table = table)
  } else {
    list(kind = "column", name = name)
  }
}

# A value or text, as from the command line.
read_target <- function(x, call = NULL) {
  if (is.data.frame(x)) {
    return(list(kind = "table", table = x))
  }
  if (is.character(x) && length(x) == 1L && !is.na(x)) {
    if (file.exists(x) || grepl("\\.(csv|tsv|txt|parquet|xlsx)(\\.gz)?$", x, ignore.case = TRUE)) {
      return(list(kind = "table", table = read_sales(x)))
    }
    x <- read_expression(x, "target", call)
    if (is.name(x)) {
      return(list(kind = "column", name = as.character(x)))
    }
  }
  if (is_call_to(x, c("previous", "year_ago"))) {
    if (length(x) > 1L) {
      stop_expression(sprintf("`%s` takes no period here.", as.character(x[[1L]])), expr_text(x),
        "The periods are those of `over`.", call)
    }
    return(list(kind = "earlier", back = as.character(x[[1L]])))
  }
  if (is_call_to(x, "-") && length(x) == 2L && is.numeric(x[[2L]])) x <- -x[[2L]]
  if (!is.numeric(x) || length(x) != 1L || !is.finite(x)) {
    stop_eggcrate("call", "unknown_value",
      sprintf("`target` must be a column, a table, `previous()`, `year_ago()` or a number, not %s.",
      if (is.call(x)) tick(expr_text(x)) else describe(x)), call = call)
  }
  list(kind = "number", number = as.numeric(x))
}

ask_targets <- function(data, words, rules, spec, exceed_at = 1, incomplete = FALSE,
  prorate = FALSE, name = "the data", reading = list(), call = NULL, part = NULL) {
  if (!is.numeric(exceed_at) || length(exceed_at) != 1L || is.na(exceed_at) || exceed_at < 1) {
    stop_eggcrate("call", "unknown_value",
      sprintf("`exceed_at` must be an attainment of at least 1, not %s.", describe(exceed_at)),
      call = call)
  }
  if (spec$kind == "earlier" && is.null(words$over)) {
    stop_expression("`over` is missing.",
      hint = "Targets of an earlier time need periods, such as `over = month(order_date)`.",
      call = call)
  }
  asked <- list(data = data, words = words, rules = rules, name = name, reading = reading)
  asked$again <- function(data, words, rules, name, reading, call, part) {
    ask_standings(data, words, rules, name, reading, call, part)
  }
  if (spec$kind == "column") {
    column <- as.name(spec$name)
    asked$words["also"] <- list(list(call("=", as.name("(least target)"), call("min", column)),
      call("=", as.name("(most target)"), call("max", column))))
  }
  compiled <- compile_asked(asked, part, call)
  question <- compiled$question
  check_target_names(question, call)
  periods <- target_periods(question, isTRUE(incomplete), call)
  question <- without_incomplete(question, periods)
  question$today <- if (length(question$over)) {
    question$coverage(node_date(question$over[[1L]]), may_be_none = TRUE)$last
  }
  found <- function(tally, question) {
    list(tally = tally, question = target_question(question,
      switch(spec$kind, table = table_targets(spec$table, question, periods, call),
      column = column_targets(tally, question, call), number = constant_targets(tally, spec$number),
      earlier = earlier_targets(compiled$source, question, spec$back, periods, call))))
  }
  asked$words["also"] <- list(NULL)
  put_targets(answer_question(compiled$source, question, asked, call, found), spec, exceed_at,
    isTRUE(prorate))
}

check_target_names <- function(question, call = NULL) {
  taken <- intersect(c(names(question$keys), question$measure$name), target_columns)
  if (length(taken)) {
    stop_name_taken(taken[1L], if (taken[1L] == question$measure$name) "of" else "by", call)
  }
}

put_targets <- function(x, spec, exceed_at, prorate = FALSE) {
  set <- facts(x)
  # Targets of an earlier time are those of the same days already.
  prorate <- prorate && spec$kind != "earlier" && any(set$incomplete)
  found <- target_rows(set, exceed_at, spec$kind == "earlier", prorate)
  set$targets <- c(found,
    list(prorated = prorate, exceed_at = exceed_at, words = target_words(spec),
    open = set$incomplete, alone = which(found$number < 4L & set$tally$rows[set$order] == 0),
    none = which(found$number == 4L)))
  set$receipt <- target_receipt(set)
  had <- unclass(as_plain(x))
  keys <- names(c(set$question$within, set$question$over))
  columns <- c(had[c(keys, "rank", names(set$question$by), set$question$measure$name)],
    list(target = quantity_real(found$target), gap = quantity_real(found$gap),
      attainment = found$attainment, pace = rep_len(found$pace, length(set$cell)),
      status = structure(found$number, levels = target_statuses, class = "factor")),
    had[names(set$question$show)])
  out <- rebuild(x, columns, set)
  class(out) <- c("eggcrate_targets", class(x))
  out
}

target_words <- function(spec) {
  switch(spec$kind, table = "a table", column = sprintf("the column %s", spec$name),
    number = number_text(spec$number),
    earlier = c(previous = "the period before", year_ago = "a year ago")[[spec$back]])
}

target_receipt <- function(set) {
  found <- set$targets
  target <- set$question$target
  labels <- function(rows) if (length(rows)) enumerate(target_labels(set, rows)) else NA_character_
  drop_empty_facts(add_rows(set$receipt, list(
    receipt_rows("targets", "target", value = found$words),
    receipt_rows("targets", "targets read", target$read %||% 0),
    receipt_rows("targets", "targets left blank", target$blank %||% 0),
    receipt_rows("targets", "targets kept", target$kept %||% 0),
    receipt_rows("targets", "targets used", sum(found$number < 4L),
      note = "items and periods that have one"),
    receipt_rows("targets", "targets without sales", length(found$alone), labels(found$alone),
      "missed, with 0"),
    receipt_rows("targets", "items without a target", length(found$none), labels(found$none),
      "in no total of targets"),
    receipt_rows("targets", "targets filtered out", target$filtered %||% 0),
    receipt_rows("targets", "targets of other periods", target$outside %||% 0,
      if (length(target$periods)) enumerate(target$periods)),
    receipt_rows("targets", "rows that the targets are made of", target$rows %||% 0),
    if (found$prorated) {
      receipt_rows("rule", "prorate", value = "yes",
        note = "targets of periods not complete, for the days gone by")
    },
    receipt_rows("rule", "exceed_at", value = number_text(found$exceed_at),
      note = "exceeded above this attainment")
  )))
}

target_labels <- function(set, rows) {
  groups <- group_labels(set)[set$cell[rows]]
  names <- item_names(set, set$order[rows])
  ifelse(nzchar(groups), paste(names, groups, sep = " "), names)
}

#' The table of statuses
#'
#' Counts the items that exceeded, met or missed their target, and those without one,
#' with what they have, their targets, gap and attainment. Always of all items, whatever
#' [only()] has left.
#'
#' @param x The result of [against_target()].
#' @returns A tibble, one row per group and status: the columns of the group, `status`
#'   (factor), `items`, the measure, `target`, `gap` and `attainment`; sums are missing for
#'   measures that do not add up.
#' @section Errors: `eggcrate_error_unknown_value` when `x` has no targets.
#' @export
#' @examples
#' status_table(against_target(demo_orders(), of = sum(net_sales), by = region, over = month(order_date),
#'   where = in_period(order_date, latest(month)), target = demo_targets()))
status_table <- function(x) {
  check_result(x, "eggcrate_targets", "the result of `against_target()`", sys.call()[1L])
  tibble::as_tibble(status_counts(facts(x)))
}
