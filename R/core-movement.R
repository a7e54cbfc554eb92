# Movement: the rank and the tier of each item in each period.
#
# The standings of each period, put side by side: a matrix of items and periods that holds
# the row of the whole, or nothing where an item is absent.

absent <- "(absent)"

#' @param set What belongs to standings over periods, with tiers.
#' @param periods Numbers of the periods that there are, with rows or without.
#' @return `numbers` and `labels` of the periods, `complete`; `row`: a matrix, items by
#'   periods, of rows of the whole; items stand so that the best stay on top, group by group;
#'   `group`: of each item, and `groups`, their names.
#' @noRd
movement_places <- function(ans, periods) {
  over <- ans$plan$over[[1L]]
  coverage <- plan_coverage(ans$plan, node_date(over), may_be_none = TRUE)
  keys <- row_keys(ans$ranked)
  number <- keys[[names(ans$plan$over)]]
  numbers <- sort(unique(c(number, periods)))
  code <- match_rows(keys[names(item_keys(ans$plan))])
  row <- matrix(NA_integer_, max(0L, code), length(numbers))
  row[cbind(code, match(number, numbers))] <- seq_along(code)
  say_movement(ans)
  group <- movement_groups(row, ans, keys)
  order <- movement_order(row, group, ans, keys)
  say_movement(ans)
  row <- row[order, , drop = FALSE]
  group <- group[order]
  within <- lapply(keys[names(ans$plan$within)], function(key) key[there(row)])
  list(group = group, groups = if (length(within)) unique(key_labels(within, ans)),
    numbers = numbers, labels = period_label(numbers, over$period),
    complete = complete_period(numbers, over$period, coverage),
    row = row)
}

# The keys of an item that stay through the periods.
item_keys <- function(plan) c(plan$within, plan$by)

movement_groups <- function(row, ans, keys) {
  within <- names(ans$plan$within)
  number_cells(lapply(keys[within], function(key) key[there(row)]), nrow(row), ans$plan$within)
}

# By the mean tier, where being absent comes after the last one; then by the last rank.
movement_order <- function(row, group, ans, keys) {
  k <- length(ans$facets$tiers$scheme$labels) + 1L
  tier <- matrix(ifelse(is.na(row), k, ans$facets$tiers$number[row]), nrow(row))
  tier[is.na(tier)] <- k
  at <- places(ans$ranked)
  last <- at$first[there(row, "last")]
  do.call(order,
    c(list(group, rowMeans(tier), last),
      lapply(keys[names(ans$plan$by)], function(key) rank_of_keys(key[there(row)]))))
}

# The row of the whole in the first (or last) period in which each item is there.
there <- function(row, which = "first") {
  row[cbind(seq_len(nrow(row)), max.col(!is.na(row) + 0, which))]
}

rank_of_keys <- function(key) match(seq_along(key), order_keys(list(key)))

#' One row per group, period and item, ranked ones first, absent ones last.
#' @noRd
movement_rows <- function(ans) {
  moved <- ans$facets$movement
  n <- nrow(moved$row)
  k <- ncol(moved$row)
  rank <- matrix(ans$ranked$rank[moved$row], n, k)
  before <- matrix(c(rep(NA, n), rank[, -k]), n, k)
  labels <- c(ans$facets$tiers$scheme$labels, if (anyNA(ans$facets$tiers$number)) "(none)", absent)
  tier <- matrix(ans$facets$tiers$number[moved$row], n, k)
  tier[is.na(tier)] <- match("(none)", labels, nomatch = length(labels))
  tier[is.na(moved$row)] <- length(labels)
  item <- rep(seq_len(n), k)
  period <- rep(seq_len(k), each = n)
  order <- order(moved$group[item], period, is.na(rank), rank, as.vector(moved$row), item)
  list(period = period[order], item = item[order], row = as.vector(moved$row)[order],
    rank = as.vector(rank)[order], change = as.vector(before - rank)[order],
    tier = structure(as.vector(tier)[order], levels = labels, class = "factor"))
}

#' Which two periods to hold against each other: as asked now or with the question, or the
#' last two complete ones.
#' @return Places of the two among the periods.
#' @noRd
movement_pair <- function(ans, from = NULL, to = NULL, call = NULL) {
  moved <- ans$facets$movement
  from <- from %||% moved$asked$from
  to <- to %||% moved$asked$to
  whole <- which(moved$complete)
  find <- function(label, arg) {
    if (!is.character(label) || length(label) != 1L) {
      stop_eggcrate("call", "unknown_value",
        sprintf("`%s` must be a period of this movement, not %s.", arg, describe(label)),
        call = call)
    }
    at <- match(label, moved$labels)
    if (is.na(at)) {
      stop_data("period", sprintf("There is no period %s in this movement.", quoted(label)),
        i = sprintf("It goes from %s to %s.", moved$labels[1L], utils::tail(moved$labels, 1L)),
        fields = list(period = label), call = call)
    }
    at
  }
  to <- if (is.null(to)) utils::tail(whole, 1L) else find(to, "to")
  from <- if (is.null(from)) utils::tail(whole[whole < (c(to, 0L)[1L])], 1L) else find(from, "from")
  if (!length(to) || !length(from)) {
    stop_data("period", "There are not two complete periods to compare.",
      i = "Name them with `from` and `to`.", call = call)
  }
  if (from >= to) {
    stop_eggcrate("call", "unknown_value",
      sprintf("`from` (%s) must come before `to` (%s).", moved$labels[from], moved$labels[to]),
      call = call)
  }
  c(from, to)
}

movement_tiers <- function(ans, period) {
  labels <- c(ans$facets$tiers$scheme$labels, if (anyNA(ans$facets$tiers$number)) "(none)", absent)
  row <- ans$facets$movement$row[, period]
  tier <- ans$facets$tiers$number[row]
  tier[is.na(tier)] <- match("(none)", labels, nomatch = length(labels))
  tier[is.na(row)] <- length(labels)
  structure(tier, levels = labels, class = "factor")
}

#' Items by their tier in two periods; all combinations, so that margins add up.
#' @noRd
transition_counts <- function(ans, pair) {
  from <- movement_tiers(ans, pair[1L])
  to <- movement_tiers(ans, pair[2L])
  labels <- levels(from)
  k <- length(labels)
  items <- tabulate((as.integer(from) - 1L) * k + as.integer(to), k * k)
  list(from = factor(rep(labels, each = k), labels), to = factor(rep(labels, k), labels),
    items = items)
}

#' Who rose and who fell most between two periods, in ranks; those that were there in both.
#' @noRd
movement_climbs <- function(ans, pair, n) {
  row <- lapply(pair, function(period) ans$facets$movement$row[, period])
  rank <- lapply(row, function(row) ans$ranked$rank[row])
  change <- rank[[1L]] - rank[[2L]]
  up <- which(change > 0)
  down <- which(change < 0)
  up <- utils::head(up[order(-change[up], rank[[2L]][up], row[[2L]][up])], n)
  down <- utils::head(down[order(change[down], rank[[1L]][down], row[[1L]][down])], n)
  side <- function(items) list(item = items, from = rank[[1L]][items], to = rank[[2L]][items])
  list(climbers = side(up), fallers = side(down))
}

#' How many items each period has, and what they make.
#' @noRd
movement_counts <- function(ans) {
  moved <- ans$facets$movement
  over <- names(ans$plan$over)
  within <- names(ans$plan$within)
  k <- length(moved$labels)
  groups <- max(1L, length(moved$groups))
  first <- match(seq_len(groups), moved$group)
  keys <- lapply(with_names(within, within), function(name) {
    rep(key_column(row_key(ans$ranked, name)[there(moved$row)[first]], ans$plan$within[[name]]),
      each = k)
  })
  wanted <- c(keys, with_names(list(rep(moved$labels, groups)), over))
  known <- ans$ranked$totals[names(wanted)]
  code <- match_rows(Map(c, known, wanted))
  n <- length(known[[1L]])
  at <- match(code[n + seq_len(k * groups)], code[seq_len(n)])
  measure <- plan_measure(ans$plan)
  value <- ans$ranked$totals[[measure$name]][at]
  if (measure$kind == "additive") value[is.na(at)] <- 0
  items <- vapply(seq_len(groups), function(group) {
    as.numeric(colSums(!is.na(moved$row[moved$group == group, , drop = FALSE])))
  }, numeric(k))
  c(wanted, list(items = as.vector(items), complete = rep(moved$complete, groups)),
    with_names(list(value), measure$name))
}

# How many groups have had one item in the first place all the time.
steady_groups <- function(ans) {
  moved <- ans$facets$movement
  first <- matrix(ans$ranked$rank[moved$row] %in% 1, nrow(moved$row))
  leaders <- tabulate(moved$group[rowSums(first) > 0], length(moved$groups))
  sum(leaders == 1L)
}

# The facet ----------------------------------------------------------------

#' Standings over periods, with tiers, as a movement.
#' @param periods Numbers of the periods that there are.
#' @param pair List `from`, `to`: periods to hold against each other, or NULL.
#' @noRd
as_movement <- function(x, periods, pair = list(), call = NULL) {
  ans <- answer_of(x)
  taken <- intersect(names(all_keys(ans$plan)), c("tier", "rank_change"))
  if (length(taken)) stop_name_taken(taken[1L], "by", call)
  say_movement(ans)
  ans <- do.call(with_facet, c(list(ans, "movement"), movement_places(ans, periods),
    list(asked = pair)))
  say_movement(ans)
  if (length(unlist(pair)) && nrow(ans$facets$movement$row)) movement_pair(ans, call = call)
  ans$receipt <- drop_empty_facts(add_rows(ans$receipt, list(
    receipt_rows("movement", "periods", length(ans$facets$movement$labels)),
    receipt_rows("movement", "different items", nrow(ans$facets$movement$row)),
    receipt_rows("movement", "periods without rows",
      sum(colSums(!is.na(ans$facets$movement$row)) == 0))
  )))
  x <- movement_table(ans)
  say_movement(ans, 1)
  x
}

say_movement <- function(ans, part = NA) {
  if (length(ans$ranked$order) >= long_ranking) say_progress("Following through time", part)
}

# The items that are shown, in their order.
shown_items <- function(ans) {
  ans$facets$movement$shown %||% seq_len(nrow(ans$facets$movement$row))
}

movement_table <- function(ans) {
  rows <- movement_rows(ans)
  say_movement(ans)
  if (!is.null(ans$facets$movement$shown)) {
    rows <- lapply(rows, function(column) column[rows$item %in% shown_items(ans)])
  }
  answer_table_of(movement_columns(ans, rows), ans, "eggcrate_movement")
}

movement_columns <- function(ans, rows) {
  first <- there(ans$facets$movement$row)[rows$item]
  keys <- lapply(row_keys(ans$ranked)[names(item_keys(ans$plan))], function(key) key[first])
  keys <- Map(key_column, keys, item_keys(ans$plan))
  by <- names(ans$plan$by)
  c(keys[setdiff(names(keys), by)],
    with_names(list(ans$facets$movement$labels[rows$period]), names(ans$plan$over)),
    list(rank = rows$rank, rank_change = rows$change), keys[by],
    with_names(list(quantity_real(ans$ranked$quantity)[rows$row]), plan_measure(ans$plan)$name),
    list(tier = rows$tier))
}

#' Keeps some items: those that a selection means in the last complete period that has any; of
#' names those that are there at any time.
#' @noRd
keep_movement <- function(x, expr, at_cut = "keep", call = NULL) {
  ans <- answer_of(x)
  rows <- movement_rows(ans)
  rows <- lapply(rows, `[`, order(rows$row, na.last = NA))
  columns <- movement_columns(ans, rows)
  expr <- read_selection(expr, names(columns), ans, call)
  moved <- ans$facets$movement
  period <- selection_period(moved)
  found <- select_rows(expr, columns, ans, at_cut, call,
    counted = stats::na.omit(moved$row[, period]))
  at <- if (means_names(expr, names(columns))) moved$row else moved$row[, period, drop = FALSE]
  chosen <- rowSums(matrix(at %in% found$rows, nrow(at))) > 0
  shown <- intersect(shown_items(ans), which(chosen))
  ans$receipt <- selection_receipt(ans$receipt, "only",
    list(rows = shown, text = found$text, cut = found$cut),
    at_cut)
  ans$facets$movement$shown <- shown
  ans$facets$movement$shown_text <- c(moved$shown_text,
    if (means_names(expr, names(columns))) found$text else
    sprintf("%s of %s", found$text, moved$labels[period]))
  movement_table(ans)
}

selection_period <- function(moved) {
  some <- which(colSums(!is.na(moved$row)) > 0L)
  utils::tail(c(some, some[moved$complete[some]]), 1L)
}

means_names <- function(expr, columns) {
  if (is_call_to(expr, c("|", "("))) {
    return(all(vapply(as.list(expr)[-1L], means_names, NA, columns = columns)))
  }
  is.character(expr) || is_names(expr) || is_call_to(expr, "items") ||
    is.name(expr) && !name_text(expr) %in% columns
}

# Where nothing is left there are none.
checked_transitions <- function(ans, from = NULL, to = NULL, call = NULL) {
  if (nrow(ans$facets$movement$row)) {
    transition_counts(ans, movement_pair(ans, from, to, call))
  } else {
    list(from = factor(), to = factor(), items = integer())
  }
}
