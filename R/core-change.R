# Two periods: what each item had in the one and in the other, how it changed, and the
# class of the change.
#
# One tally holds both: each aggregate stands twice in the plan, once for the days of
# `from` and once for those of `to`, and rows are counted for the periods and for the
# time before. The ranking measure is the change itself, `to` less `from`.

change_classes <- c("new", "returned", "up", "unchanged", "down", "lost")
change_columns <- c("from", "to", "change", "percent", "class", "rank_from", "rank_to",
  "rank_change", "last_order")

# The plan -----------------------------------------------------------------

#' The plan of two periods: measures `change`, `from` and `to`, the same of additional measures
#' under their names (`orders_change`), and the counts of rows that tell the classes.
#' @param plan The plan as asked, whose `over` names the date.
#' @param spans What `change_periods()` found.
#' @noRd
change_plan <- function(plan, spans, lost_after = NULL, call = NULL) {
  check_change_names(plan, call)
  date <- date_column(node_date(plan$over[[1L]]))
  during <- lapply(spans[c("from", "to")], days_node, date = date)
  measures <- lapply(plan$measures, function(measure) {
    sides <- Map(function(side, when, span) stamp_measure(measure, side, when,
      days_within(span, plan, date$name)), c("from", "to"), during, spans[c("from", "to")])
    change_measures(sides, measure$text, if (measure$name != plan_measure(plan)$name) measure$name)
  })
  later <- new_gate(compare_day("<=", date, spans$to[2L]), "filtered out",
    sprintf("%s after %s", bare_name(date$name), day_text(spans$to[2L])),
    fact = "rows not in the periods")
  counts <- change_counts(plan_measure(plan), date, during, spans, lost_after)
  plan <- plan_measures(with_plan(plan, over = list()), unlist(measures, recursive = FALSE), counts)
  plan_where(plan, later)
}

check_change_names <- function(plan, call = NULL) {
  additional <- measure_names(plan)[-1L]
  taken <- intersect(names(c(plan$within, plan$by)),
    c(change_columns, unlist(lapply(additional, change_names))))
  if (length(taken)) stop_name_taken(taken[1L], "by", call)
}

# Columns of the change of a measure; those of the first have no name before them.
change_names <- function(name = NULL) {
  sides <- c("change", "from", "to")
  with_names(paste0(if (!is.null(name)) paste0(name, "_"), sides), sides)
}

#' @param sides The measure of the earlier and of the later side.
#' @param text How the measure reads.
#' @param name Of an additional measure, NULL for the one that ranks.
#' @return The change, and its sides, under their names.
#' @noRd
change_measures <- function(sides, text, name = NULL) {
  kind <- max(measure_kinds[c(sides[[1L]]$kind, sides[[2L]]$kind)])
  change <- list(text = sprintf("the change of %s", text),
    tree = list(op = "-", args = list(sides[[2L]]$tree, sides[[1L]]$tree), text = "change",
      kind = kind),
    aggregates = c(sides[[2L]]$aggregates, sides[[1L]]$aggregates),
    kind = names(measure_kinds)[kind],
    distinct = FALSE, main = if (is.null(name)) both_sides)
  Map(function(measure, name) c(list(name = name), measure[names(measure) != "name"]),
    list(change, sides[[1L]], sides[[2L]]), change_names(name))
}
both_sides <- "rows in from or to"

#' The plan of two columns as two periods: its first two measures are the sides.
#' @noRd
column_change_plan <- function(plan, call = NULL) {
  check_change_names(plan, call)
  sides <- plan$measures[1:2]
  if (any(lengths(lapply(sides, `[[`, "per_day")) > 0L)) {
    stop_expression("Rates per day are compared over dates.",
      hint = "Use `of` and `over`, and periods as `from` and `to`.", call = call)
  }
  rows <- lapply(sides, rows_used)
  either <- if (any(lengths(rows) == 0L)) NULL else join_nodes("|", unname(rows))
  counts <- c(row_count("rows in from", rows[[1L]]), row_count("rows in to", rows[[2L]]),
    row_count(both_sides, either))
  # What an item lacks it did not have.
  stamped <- Map(stamp_measure, sides, c("from", "to"), rows)
  plan_measures(plan, change_measures(stamped, column_change_name(sides)), counts)
}

# Drops items without a value in both periods from the list. Their rows stay in the totals.
with_valued_sides <- function(plan) {
  zero <- list(op = "number", value = 0, kind = 0L, text = "0")
  sides <- lapply(plan$measures[2:3], function(side) list(op = "!=", args = list(side$tree, zero)))
  with_plan(plan,
    having = list(op = "|", args = unname(sides), text = "no value in `from` or `to`",
      fact = "items in neither period"))
}

# What two columns have in common: "sales" of `sales_2024` and `sales_2025`.
column_change_name <- function(sides) {
  letters <- strsplit(vapply(sides, `[[`, "", "name"), "")
  n <- seq_len(min(lengths(letters)))
  same <- sum(cumprod(letters[[1L]][n] == letters[[2L]][n]))
  common <- sub("[^[:alpha:]]+$", "", paste(letters[[1L]][seq_len(same)], collapse = ""))
  if (nchar(common) >= 3L && grepl("^[[:alpha:]][[:alnum:]_. ]*$", common)) common else "value"
}

# Is a row used by a measure? NULL for any row.
rows_used <- function(measure) {
  used <- lapply(measure$aggregates,
    function(a) both_nodes(a$when, presence(list(aggregates = list(a)))))
  if (any(lengths(used) == 0L)) NULL else join_nodes("|", unname(used))
}

# Rows of the periods, and of the time before; those of the two sides only where the measure
# does not count them itself.
change_counts <- function(measure, date, during, spans, lost_after) {
  present <- presence(measure)
  before <- compare_day("<", date, spans$to[1L])
  own <- length(measure$aggregates) == 1L && is.null(measure$aggregates[[1L]]$when)
  c(
    if (!own) {
      c(row_count("rows in from", both_nodes(during$from, present)),
        row_count("rows in to", both_nodes(during$to, present)))
    },
    row_count("rows before to", both_nodes(before, present)),
    if (!adjacent(spans)) {
      row_count("rows before from", both_nodes(compare_day("<", date, spans$from[1L]), present))
    },
    last_day("last order", date, present),
    if (!is.null(lost_after)) {
      c(last_day("last before to", date, both_nodes(before, present)),
        last_day("first in to", date, both_nodes(during$to, present), "min"))
    }
  )
}

# Nothing lies between the two, so that what precedes `to` and is not in `from` precedes it.
adjacent <- function(spans) spans$from[2L] + 1 == spans$to[1L]

# Does any row precede `from`?
any_history <- function(ans) {
  before <- if (adjacent(ans$facets$change$spans)) {
    part_rows(ans, "rows before to") - part_rows(ans, "rows in from")
  } else {
    part_rows(ans, "rows before from")
  }
  any(before > 0)
}

# The days of a span that the data cover, as far as conditions on the date go.
days_within <- function(span, plan, date) {
  coverage <- Reduce(function(days, node) narrowed(days, node, date), plan_conditions(plan),
    plan_coverage(plan, date))
  max(0, min(span[2L], coverage$last) - max(span[1L], coverage$first) + 1)
}

#' The tally with the rows of the two sides counted: an item for each that has some.
#' @noRd
change_sides <- function(tally, plan) {
  if (!is.null(tally$parts[[both_sides]])) {
    return(tally)
  }
  names <- c("rows in from", "rows in to")
  if (is.null(tally$parts[[names[1L]]])) {
    sums <- lapply(plan$measures[2:3], function(side) tally$parts[[main_part(side)]])
    tally$parts[names] <- Map(function(part, name) counted_rows(part, name, contributing(part)),
      sums, names)
  }
  either <- contributing(tally$parts[[names[1L]]]) + contributing(tally$parts[[names[2L]]])
  label <- main_part(plan_measure(plan))
  tally$parts[[label]] <- counted_rows(tally$parts[[names[1L]]], label, either)
  tally
}

counted_rows <- function(like, text, n) {
  list(op = "count", text = text, total = exact_from_whole_(n), places = 0L, lowest = 0L,
    rows = like$rows, missing = numeric(length(n)), skipped = like$rows - n, all_missing = 0)
}

compare_day <- function(op, date, day) {
  new_node(op, "flag", list(date, new_node("number", "date", value = day)))
}
days_node <- function(span, date) {
  new_node("&", "flag", list(compare_day(">=", date, span[1L]), compare_day("<=", date, span[2L])))
}
both_nodes <- function(a, b) {
  if (is.null(a)) b else if (is.null(b)) a else new_node("&", "flag", list(a, b))
}
row_count <- function(label, when) {
  with_names(list(list(op = "count", text = label, value = NULL, when = when)), label)
}
last_day <- function(label, date, when, op = "max") {
  with_names(list(list(op = op, text = label, value = date, when = when)), label)
}

# Does a row have all that the measure needs? NULL where nothing is needed.
presence <- function(measure) {
  columns <- unique(unlist(lapply(measure$aggregates, function(a) node_columns(a$value)),
    recursive = FALSE))
  Reduce(both_nodes,
    lapply(columns,
      function(column) new_node("!", "flag", list(new_node("is_missing", "flag", list(column))))))
}

#' A measure of some days only, under another name. A rate per day is divided by them.
#' @noRd
stamp_measure <- function(measure, name, when = NULL, days = NULL) {
  suffix <- sprintf(" in %s", name)
  aggregates <- lapply(measure$aggregates, function(a) {
    a$when <- both_nodes(a$when, when)
    a$text <- paste0(a$text, suffix)
    a
  })
  list(name = name, text = measure$text, tree = over_days(relabel(measure$tree, suffix), days),
    kind = measure$kind, distinct = FALSE,
    aggregates = with_names(aggregates, paste0(names(measure$aggregates), suffix)))
}

over_days <- function(tree, days) {
  if (is.null(days)) {
    return(tree)
  }
  tree$args <- lapply(tree$args, over_days, days = days)
  if (tree$op != "per_day") {
    return(tree)
  }
  list(op = "/",
    args = list(tree$args[[1L]], list(op = "number", value = days, kind = 0L, text = "days")),
    text = tree$text, kind = tree$kind)
}

#' How many rows were used for the periods, and for the time before only.
#' @noRd
change_account <- function(measure, tally) {
  rows <- function(label) sum(exact_real(new_exact(tally$parts[[label]]$total, 0L)))
  used <- rows(both_sides)
  if (is.null(tally$parts[["rows before to"]])) {
    return(list(
      receipt_rows("excluded", "rows without a value in either", tally$counts$passed - used),
      receipt_rows("used", "rows", used, note = "with a value in from or to")))
  }
  history <- rows("rows before to") - rows("rows in from")
  list(
    receipt_rows("excluded", sprintf("rows without %s", measure$text),
      tally$counts$passed - used - history),
    receipt_rows("used", "rows", used, note = "in from or to"),
    receipt_rows("used", "rows of history", history,
      note = "earlier rows, used only to tell new from returned items")
  )
}

# Classes ------------------------------------------------------------------

#' @param ans Standings of the change, whose facet has its rules: `tolerance`, up to which part of
#'   `from` a change counts as unchanged, from `read_part()` or NULL; `lost_after`, days without an
#'   order after which an item is lost, NULL for any; `present`, what makes an item be there, "rows"
#'   or "value".
#' @return Along the rows of the whole: `number` of the class, the columns of the result
#'   besides the measures, and whether any row precedes `from`.
#' @noRd
change_rows <- function(ans) {
  facet <- ans$facets$change
  q <- lapply(c(change = 1L, from = 2L, to = 3L), measure_rows, ans = ans)
  there <- presence_rows(ans, q)
  last <- if (facet$daily) part_rows(ans, "last order")
  ranks <- Map(function(q, present) side_ranks(q, present, ans), q[c("from", "to")],
    there[c("from", "to")])
  c(list(number = change_classes_of(ans, q, there, last),
    percent = change_percent(q$change, q$from),
    rank_from = ranks$from, rank_to = ranks$to, rank_change = ranks$from - ranks$to),
    if (!is.null(last)) list(last_order = structure(last, class = "Date")))
}

# Two columns have no dates.
by_date <- function(facet) !is.null(facet$spans$days)

# Is an item there in `from`, in `to`, and before `to`?
presence_rows <- function(ans, q) {
  count <- function(label) part_rows(ans, label) > 0
  there <- if (ans$facets$change$present == "value") {
    lapply(q[c("from", "to")],
      function(side) quantity_against(side, number_quantity(0, 1L)) %in% c(-1, 1))
  } else {
    list(from = count("rows in from"), to = count("rows in to"))
  }
  there$before <- if (by_date(ans$facets$change)) count("rows before to") else there$from
  there
}

change_classes_of <- function(ans, q, there, last) {
  facet <- ans$facets$change
  gone <- back <- TRUE
  if (!is.null(facet$lost_after)) {
    gone <- facet$spans$to[2L] - last > facet$lost_after
    back <- part_rows(ans, "first in to") - part_rows(ans, "last before to") > facet$lost_after
  }
  number <- change_direction(q$change, q$from, facet$tolerance)
  number[!there$to & gone & there$from] <- match("lost", change_classes)
  number[!there$from & there$to & back] <- match("returned", change_classes)
  number[!there$from & there$to & !there$before] <- match("new", change_classes)
  number
}

part_rows <- function(ans, label) {
  part <- ans$ranked$tally$parts[[label]]
  value <- exact_real(new_exact(part$total, part$places %||% 0L, part$lowest %||% 0L))
  if (part$op %in% c("min", "max")) value[contributing(part) == 0] <- NA
  value[ans$ranked$order]
}

change_direction <- function(change, from, tolerance) {
  sign <- quantity_against(change, number_quantity(0, 1L))
  if (!is.null(tolerance)) {
    width <- multiply_quantities(absolute(from), number_quantity(tolerance$value, length(sign)))
    sign[which(quantity_against(absolute(change), width) <= 0)] <- 0
  }
  match(c("down", "unchanged", "up"), change_classes)[sign + 2]
}

absolute <- function(q) {
  if (!is_exact(q)) {
    return(replace(q, "real", list(abs(q$real))))
  }
  below <- which(exact_signs_(q$num) < 0L)
  q$num[below] <- exact_combine_(q$num[below], -1, q$num[below], 0)
  q
}

# Missing where there was nothing to grow from.
change_percent <- function(change, from) {
  some <- quantity_against(from, number_quantity(0, 1L)) > 0
  keep_where(!is.na(some) & some, quantity_real(divide_quantities(change, from)))
}

# Ranks among the items that are there. Names tell ties apart only where equal values are
# numbered.
side_ranks <- function(q, present, ans) {
  rows <- which(present)
  ranked <- ans$ranked
  keys <- if (ans$plan$rules$ties == "first") {
    lapply(ranked$tally$keys[names(ans$plan$by)], function(key) key[ranked$order[rows]])
  }
  placed <- place_items(quantity_at(q, rows), ans$ranked$cell[rows], ans$plan$rules$best, keys)
  out <- rep(NA_real_, length(present))
  out[rows[placed$order]] <- ranks(placed, ans$plan$rules$ties)
  if (ans$plan$rules$ties == "average") out else as.integer(out)
}

# Greatest loss first; what has no change to speak of comes last.
change_order <- function(ans) {
  falling <- ans$plan$rules$best == "highest"
  order(ans$ranked$cell, ans$ranked$quantity$missing,
    if (falling) -ans$ranked$block else ans$ranked$block)
}

# Tables -------------------------------------------------------------------

# Measures of the additional ones: `orders_from`, `orders_to`, `orders_change`.
additional_change_columns <- function(ans) {
  unlist(lapply(ans$facets$change$additional,
    function(measure) change_names(measure$name)[c("from", "to", "change")]),
    use.names = FALSE)
}

change_totals <- function(ans) {
  keys <- ans$ranked$totals[group_names(ans$plan)]
  c(keys, list(items = ans$ranked$totals$items), ans$ranked$totals[c("from", "to", "change")],
    list(percent = change_percent(ans$ranked$overall$change, ans$ranked$overall$from)),
    ans$ranked$totals[additional_change_columns(ans)])
}

#' One row per group and class, empty ones too.
#' @noRd
class_counts <- function(ans) {
  number <- ans$facets$change$number
  labels <- c(change_classes, if (anyNA(number)) "(none)")
  k <- length(labels)
  groups <- length(ans$ranked$totals$items)
  cell <- rep(seq_len(groups), each = k)
  slot <- (ans$ranked$cell - 1L) * k + replace(number, is.na(number), k)
  counts <- slot_counts(ans, slot, cell)
  columns <- c(group_columns(ans, cell),
    list(class = factor(rep(labels, groups), labels), items = counts$items),
    counts$values[c("from", "to", "change", additional_change_columns(ans))],
    counts["share_of_items"]
  )
  with_marked_counts(columns, ans, slot, length(cell))
}

#' From the old total to the new: what each class adds or takes.
#' @return One row per group and step: `step`, `items`, `amount`, and `end`, the total after
#'   it; exact where the measure is.
#' @noRd
bridge_rows <- function(ans) {
  table <- class_counts(ans)
  groups <- length(ans$ranked$totals$items)
  k <- length(table$items) / max(1L, groups)
  steps <- c("from", change_classes, "to")
  cell <- rep(seq_len(groups), each = 8L)
  if (!groups) {
    return(c(group_columns(ans, 0L),
      list(step = character(), items = integer(), amount = numeric(),
        end = numeric())))
  }
  by_class <- function(x) matrix(x, nrow = k)[seq_len(min(6L, k)), , drop = FALSE]
  ends <- bridge_ends(ans, matrix(by_class(table$change), nrow = 6L))
  c(
    group_columns(ans, cell),
    list(step = rep(steps, groups), items = as.vector(rbind(NA, by_class(table$items), NA)),
      amount = as.vector(rbind(ans$ranked$totals$from, by_class(table$change),
        ans$ranked$totals$to)), end = ends)
  )
}

# The total after each step, added as integers where all are decimals.
bridge_ends <- function(ans, change) {
  groups <- length(ans$ranked$totals$items)
  from <- ans$ranked$overall$from
  if (is_decimal(from) && is.null(from$den) && !is.na(ans$ranked$share$value$places)) {
    # Who is there in neither adds nothing.
    number <- ans$facets$change$number
    number[is.na(number)] <- match("unchanged", change_classes)
    sums <- exact_sum_by(ans$ranked$share$value, (ans$ranked$cell - 1L) * 6L + number, groups * 6L)
    first <- exact_combine_(from$num, 10^(sums$places - from$places), from$num, 0)
    at <- as.vector(rbind(seq_len(groups), matrix(groups + seq_len(6L * groups), nrow = 6L)))
    sums$value <- c(first, sums$value)[at]
    ends <- matrix(exact_real(exact_running(sums, rep(seq_len(groups), each = 7L))), nrow = 7L)
  } else {
    ends <- apply(rbind(ans$ranked$totals$from, change), 2L, cumsum)
  }
  as.vector(rbind(ends, ends[7L, ]))
}
