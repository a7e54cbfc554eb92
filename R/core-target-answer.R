# Targets of an answer: its facet and its receipt.

check_target_names <- function(plan, call = NULL) {
  taken <- intersect(c(names(all_keys(plan)), plan_measure(plan)$name), target_columns)
  if (length(taken)) {
    stop_name_taken(taken[1L], if (taken[1L] == plan_measure(plan)$name) "of" else "by", call)
  }
}

#' What targets add to standings.
#' @param spec Where the targets come from.
#' @param joined The targets, by the keys of the plan.
#' @noRd
add_targets <- function(x, spec, joined, exceed_at, prorate = FALSE) {
  ans <- answer_of(x)
  # Targets of an earlier time are those of the same days already.
  prorate <- prorate && spec$kind != "earlier" && any(ans$ranked$incomplete)
  found <- target_rows(ans, joined, exceed_at, spec$kind == "earlier", prorate)
  alone <- which(found$number < 4L & ans$ranked$tally$rows[ans$ranked$order] == 0)
  account <- joined[setdiff(names(joined), c("keys", "value"))]
  ans <- do.call(with_facet, c(list(ans, "targets", account = account), found,
    list(prorated = prorate, exceed_at = exceed_at, words = target_source_words(spec),
      given = spec$number,
      open = ans$ranked$incomplete, alone = alone, none = which(found$number == 4L))))
  ans$receipt <- target_receipt(ans)
  had <- unclass(as_plain(x))
  keys <- names(c(ans$plan$within, ans$plan$over))
  columns <- c(had[c(keys, "rank", names(ans$plan$by), plan_measure(ans$plan)$name)],
    list(target = quantity_real(found$target), gap = quantity_real(found$gap),
      attainment = found$attainment, pace = rep_len(found$pace, length(ans$ranked$cell)),
      status = structure(found$number, levels = target_statuses, class = "factor")),
    had[names(ans$plan$show)])
  rebuild(x, columns, ans, "eggcrate_targets")
}

target_source_words <- function(spec) {
  switch(spec$kind, table = "a table", column = sprintf("the column %s", spec$name),
    number = number_text(spec$number),
    earlier = c(previous = "the period before", year_ago = "a year ago")[[spec$back]])
}

target_receipt <- function(ans) {
  found <- ans$facets$targets
  target <- found$account
  labels <- function(rows) if (length(rows)) enumerate_targets(ans, rows) else NA_character_
  drop_empty_facts(add_rows(ans$receipt, list(
    receipt_rows("targets", "target", value = found$words),
    receipt_rows("targets", "targets read", target$read %||% 0),
    receipt_rows("targets", "targets left blank", target$blank %||% 0),
    receipt_rows("targets", "targets kept", target$kept %||% 0),
    if (!is.null(target$finer)) {
      receipt_rows("targets", "targets added up", value = sprintf("by %s", target$finer),
        note = sprintf("to one for each %s", ans$plan$over[[1L]]$period$unit))
    },
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
        note = "targets of periods not complete, for the days elapsed")
    },
    receipt_rows("rule", "exceed_at", value = number_text(found$exceed_at),
      note = "exceeded above this attainment")
  )))
}

# Of many rows only those that are written are worded.
enumerate_targets <- function(ans, rows, most = 12L) {
  enumerate(target_labels(ans, utils::head(rows, most)), most = most, n = length(rows))
}

target_labels <- function(ans, rows) {
  groups <- group_labels(ans)[ans$ranked$cell[rows]]
  names <- item_names(ans, ans$ranked$order[rows])
  ifelse(nzchar(groups), paste(names, groups, sep = " "), names)
}
