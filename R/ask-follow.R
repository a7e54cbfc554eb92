# What follows from an answer: the same question one level below, intervals of its ranks,
# what stands out. All start from the answer's plan, with every condition that it has, and
# from the source that is already open.

#' Answers a follow-up question about a result. The columns that were read for it are dropped, also
#' after an error.
#' @noRd
follow_up <- function(x, code) {
  on.exit(drop_columns_of(x))
  at_rest(code)
}

#' The columns that a plan uses, with those of additional expressions.
#' @noRd
plan_use <- function(plan, exprs = list()) {
  nodes <- request_columns(new_request(plan$gates, c(all_keys(plan), plan$show),
    plan_aggregates(plan)))
  names <- bare_name(vapply(nodes, `[[`, "", "name"))
  as_text <- vapply(nodes, function(node) isTRUE(node$as_text), NA)
  join_use(used_columns(exprs), list(all = names, values = names[!as_text], keys = names[as_text]))
}

# The source behind an answer, and its columns.
follow <- function(x, exprs, call = NULL) {
  x <- drop_others(at_hand(x))
  ans <- answer_of(x)
  source <- handle_source(ans$handle, call)
  use <- plan_use(ans$plan, exprs)
  lost <- intersect(use$all, source$dropped)
  if (length(lost)) {
    stop_gone(sprintf("The column %s of the rows behind this result is no longer available.",
      tick(lost[1L])), "Assign the data to a variable, and make the result from it.", call)
  }
  list(x = x, ans = ans, source = source, schema = seen_schema(source, use, call))
}

# A plan with other keys or measures may need the days of other dates.
covering <- function(plan, schema) {
  known <- list2env(plan$coverage, parent = emptyenv())
  coverage <- coverage_of(schema, plan$rules, known)
  for (name in plan_dates(plan)) coverage(name, may_be_none = TRUE)
  with_plan(plan, coverage = as.list(known))
}

# Expressions about an answer's source, where a text may be the name of one of its columns.
named_columns <- function(args, x, call = NULL) {
  name_columns(args, source_names(handle_source(answer_of(x)$handle, call)))
}

# Tiers --------------------------------------------------------------------

#' Sorts into tiers, by any measure: one that the answer does not have is asked for beside.
#' @noRd
tiered <- function(x, scheme, compare_with = NULL, call = NULL) {
  add_tiers(x, scheme, compare_with, measure_beside(x, scheme$of, call),
    if (!is.null(compare_with)) measure_beside(compare_with, scheme$of, call), call)
}

# The measure and its values along the rows of the whole; NULL where the answer has it.
measure_beside <- function(x, of, call = NULL) {
  ans <- answer_of(x)
  if (is.null(of) || of %in% measure_names(ans$plan) || has_facet(ans, "change")) {
    return(NULL)
  }
  expr <- read_expression(of, "of", call)
  if (is.name(expr) && !of %in% source_names(handle_source(ans$handle, call))) {
    stop_no_tier_measure(of, measure_names(ans$plan), call)
  }
  at <- follow(x, list(of = expr), call)
  measure <- compile_measure(expr, at$schema, "of", call)
  plan <- covering(plan_measures(at$ans$plan, list(measure)), at$schema)
  found <- answer_of(answer_plan(plan, at$source, at$schema, call))$ranked
  keys <- row_keys(ans$ranked)
  code <- match_rows(Map(c, row_keys(found)[names(keys)], keys))
  n <- length(found$cell)
  rows <- match(code[-seq_len(n)], code[seq_len(n)])
  quantity <- quantity_at(found$quantity, replace(rows, is.na(rows), 1L))
  quantity$missing <- quantity$missing | is.na(rows)
  # Its decimals are not among those of the answer.
  measure$whole <- identical(found$account$arithmetic$places, 0L) && is.null(quantity$den)
  list(measure = measure, quantity = quantity)
}

# Drilling down ------------------------------------------------------------

ask_drill <- function(x, item, by, call = NULL) {
  by <- named_columns(list(by = by), x, call)$by
  by <- need_arg(read_expression(by, "by", call), "by",
    "Name the items to rank, such as `by = customer`.", call)
  at <- follow(x, list(by = by), call)
  found <- select_rows(item, unclass(as_plain(at$x)), at$ans, call = call)
  if (!length(found$rows)) {
    stop_data("unknown_item", sprintf("`%s` chooses no item.", found$text), call = call)
  }
  plan <- at$ans$plan
  keys <- compile_keys(by, at$schema, "by", group_names(plan), call)
  rows <- at$ans$ranked$order[whole_rows(at$ans)[found$rows]]
  items <- lapply(at$ans$ranked$tally$keys, function(key) key[rows])
  part <- new_gate(any_of_items(plan, items), "filtered out", found$text, asked = TRUE)
  below <- plan_measures(plan_keys(plan_where(plan, part), by = keys), plan$measures, plan$counts)
  check_measure_names(below$measures, names(all_keys(below)), call)
  answer_again(at$ans, covering(below, at$schema), at$source, at$schema, call)
}

#' The kind of answer that `ans` is, of another plan: two periods stay two periods, anything
#' else is standings.
#' @noRd
answer_again <- function(ans, plan, source, schema, call = NULL) {
  if (!has_facet(ans, "change")) {
    return(answer_plan(plan, source, schema, call))
  }
  change <- unclass(ans$facets$change)
  answer_changes(list(plan = plan, schema = schema,
    change = change[setdiff(names(change), c("number", "history"))]),
    source, call)
}

# Rank intervals -----------------------------------------------------------------

intervals_words <- function(args, call) {
  list(words = args[grammar_words], use = used_columns(list(by = args$orders)))
}

answer_intervals <- function(asked, source, call = NULL) {
  args <- asked$args
  ask_intervals(answer_standings(asked, source, call), args$orders, args$times, args$level,
    args$seed, call)
}

ask_intervals <- function(x, orders, times = 1000, level = "90%", seed = 1, call = NULL) {
  ans <- answer_of(x)
  check_not_changes(ans, "Rank intervals are", call)
  need_arg(orders, "orders", "Name the column of order numbers, such as `orders = order_no`.", call)
  check_count(times, 20, 65535, "times", call)
  check_count(seed, 0, 2^31 - 1, "seed", call)
  level <- read_part(level, "level", call)
  measure <- plan_measure(ans$plan)
  if (measure$kind != "additive") stop_not_additive(measure, "intervals", call)
  orders <- read_expression(named_columns(list(orders = orders), x, call)$orders, "orders", call)
  at <- follow(x, list(by = orders), call)
  key <- compile_keys(orders, at$schema, "orders", call = call)[1L]
  # Whatever else the order number is, here it has a name of its own.
  names(key) <- key_of_orders
  plan <- at$ans$plan
  request <- new_request(plan$gates, c(all_keys(plan), key), measure$aggregates, apart = TRUE)
  entries <- order_entries(source_entries(at$source, request, call), plan, at$ans)
  add_intervals(at$x, entries, times, level, seed)
}

add_intervals <- function(x, entries, times, level, seed) {
  ans <- answer_of(x)
  found <- interval_rows(ans, entries, times, level, seed, eggcrate_threads())
  ans <- with_facet(ans, "intervals", level = level, times = times, seed = seed,
    orders = entries$orders)
  ans$receipt <- add_rows(without_step(ans$receipt, "intervals"), list(
    receipt_rows("intervals", "orders drawn", entries$orders,
      note = sprintf("%s times, seed %s", number_text(times), number_text(seed))),
    if (entries$lone) {
      receipt_rows("intervals", "rows without an order", entries$lone,
        note = "each an order of its own")
    }))
  at <- whole_rows(ans)
  columns <- unclass(as_plain(x))
  columns[names(found)] <- lapply(found, `[`, at)
  if (has_facet(ans, "tiers")) {
    gaps <- ans$facets$tiers$gaps
    columns$to_cut <- pmin(gaps$to_next, gaps$above_cutoff, na.rm = TRUE)[at]
  }
  rebuild(x, columns, ans)
}

check_count <- function(x, least, most, arg, call = NULL) {
  if (!is.numeric(x) || length(x) != 1L || is.na(x) || x < least || x > most || x != floor(x)) {
    stop_eggcrate("call", "unknown_value",
      sprintf("`%s` must be a whole number from %s to %s, not %s.", arg, number_text(least),
        number_text(most), describe(x)), call = call)
  }
}

# Why ----------------------------------------------------------------------

# Tiers only where a scheme is asked for: not all measures have them.
answer_why <- function(asked, source, call = NULL) {
  x <- answer_standings(asked, source, call)
  if (!is.null(asked$args$scheme)) x <- tiered(x, asked$args$scheme, call = call)
  explain(x, asked$args$item, call)
}

why_words <- function(args, call) {
  need_arg(args$item, "item", "Name the item to explain, such as --item 'Varlow Boatyard'.", call)
  list(words = args[grammar_words])
}
