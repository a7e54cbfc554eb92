# Many periods: grids and movement.

# Grid ---------------------------------------------------------------------

# The cells are standings within each column. Rates count the days of the side that is a
# period, whichever it is. Groups of rows are the first of their keys.
grid_words <- function(args, call) {
  across <- need_arg(args$across, "across",
    "Name the columns, such as `across = month(order_date)`.", call)
  check_shading(shading_of(args), args$best, call)
  by <- read_expression(args$by, "by", call)
  within <- read_expression(args$within, "within", call)
  turned <- is_period_call(by) && !is_period_call(across)
  if (!is.null(within) &&
    any(vapply(key_parts(by), is_call_to, NA, c(names(period_units), names(calendar_parts))))) {
    stop_eggcrate("call", "unknown_value",
      "`within` needs items as rows, but `by` is a period.",
      i = "Take the periods as `across`, or the groups as `by`.", call = call)
  }
  sides <- if (turned) list(rows = across, columns = by) else list(rows = by, columns = across)
  if (!is.null(within)) sides$rows <- as.call(c(as.name("c"), key_parts(within), key_parts(by)))
  columns <- if (is_period_call(sides$columns)) "over" else "within"
  words <- replace(args[grammar_words], "within", list(NULL))
  words[c("by", columns)] <- list(sides$rows, sides$columns)
  list(words = words, turned = turned,
    groups = if (is.null(within)) 0L else length(key_parts(within)))
}

shading_of <- function(args) {
  asked <- args[c("shade", "along", "floor", "target", "ceiling", "centre", "scheme", "totals")]
  ends <- c("floor", "target", "ceiling", "centre")
  asked[ends] <- lapply(asked[ends], percent_as_number)
  asked
}

# `month(d)` or `c(sent = month(d))`.
is_period_call <- function(expr) {
  length(key_parts(expr)) == 1L && is_call_to(key_parts(expr)[[1L]], names(period_units))
}

answer_grid <- function(asked, source, call = NULL) {
  plan <- asked$plan
  tally <- source_tally(source, plan_request(plan), call)
  cells <- answer_plan(plan, source, asked$schema, call, tally)
  groups <- plan$by[seq_len(asked$words$groups)]
  rows <- plan$by[setdiff(names(plan$by), names(groups))]
  side <- function(by, within = list()) side_ranked(by, within, plan, tally, source, call)
  sides <- list(rows = side(rows, groups), columns = side(plan_groups(plan)))
  shading <- shading_of(asked$args)
  tiers <- if (!is.null(shading$scheme)) {
    along <- if (asked$words$turned) turned_along(shading$along) else shading$along
    cell_tiers(cell_standings(plan, groups, along, tally, source, call), answer_of(cells),
      shading$scheme,
      call)
  }
  as_grid(cells, sides, periods_in_view(plan, TRUE, call)$numbers, asked$words$turned,
    names(groups),
    shading, tiers, call)
}

# Each side alone, for its order and its totals: from the cells where their components add
# up, else from the rows. A rate per day of a whole side would need other days than its
# cells, and has none.
side_ranked <- function(by, within, plan, tally, source, call = NULL) {
  if (has_rate(plan_measure(plan))) {
    return(NULL)
  }
  keys_ranked(plan_keys(plan, by = by, within = within, over = list()), tally, source, call)
}

keys_ranked <- function(plan, tally, source, call = NULL) {
  folded <- if (plan_measure(plan)$kind == "holistic") {
    source_tally(source, plan_request(plan), call)
  } else {
    fold_tally(tally, tally$keys[names(all_keys(plan))])
  }
  c(rank_tally(folded, plan, whole_tally(source, plan, call)), list(plan = plan))
}

# The cells as standings among those that they are compared with.
cell_standings <- function(plan, groups, along, tally, source, call = NULL) {
  columns <- plan_groups(plan)
  rows <- plan$by[setdiff(names(plan$by), names(groups))]
  keys <- switch(along, all = list(by = c(rows, columns), within = groups),
    rows = list(by = columns, within = plan$by),
    columns = list(by = rows, within = c(groups, columns)))
  if (has_rate(plan_measure(plan))) {
    if (along != "columns" || length(groups)) {
      stop_eggcrate("call", "unknown_value",
        "Tiers of rates per day are cut along the periods only.",
        i = "Set `along` to the side of the periods, such as `along = \"columns\"`.", call = call)
    }
    return(c(rank_tally(tally, plan, whole_tally(source, plan, call)), list(plan = plan)))
  }
  keys_ranked(plan_keys(plan, by = keys$by, within = keys$within, over = list()), tally, source,
    call)
}

# Movement -----------------------------------------------------------------

movement_words <- function(args, call) {
  need_arg(args$over, "over", "Name the periods to follow, such as `over = quarter(order_date)`.",
    call)
  check_scheme(args$scheme, call)
  list(words = args[grammar_words])
}

answer_movement <- function(asked, source, call = NULL) {
  args <- asked$args
  x <- tiered(answer_standings(asked, source, call), args$scheme, call = call)
  as_movement(x, periods_in_view(asked$plan, TRUE, call)$numbers, args[c("from", "to")], call)
}
