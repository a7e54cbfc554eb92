# Many periods: grids and movement.

# Grid ---------------------------------------------------------------------

# The cells are standings within each column. Rates count the days of the side that is a
# period, whichever it is.
grid_words <- function(args, call) {
  across <- need_arg(args$across, "across",
    "Say what makes the columns, such as `across = month(order_date)`.", call)
  check_shading(shading_of(args), args$best, call)
  by <- read_expression(args$by, "by", call)
  turned <- is_period_call(by) && !is_period_call(across)
  sides <- if (turned) list(rows = across, columns = by) else list(rows = by, columns = across)
  columns <- if (is_period_call(sides$columns)) "over" else "within"
  words <- replace(args[grammar_words], c("by", columns), list(sides$rows, sides$columns))
  list(words = words, turned = turned)
}

shading_of <- function(args) {
  args[c("shade", "along", "floor", "target", "ceiling", "centre")]
}

# `month(d)` or `c(sent = month(d))`.
is_period_call <- function(expr) {
  length(key_parts(expr)) == 1L && is_call_to(key_parts(expr)[[1L]], names(period_units))
}

answer_grid <- function(asked, source, call = NULL) {
  plan <- asked$plan
  tally <- source_tally(source, plan_request(plan), call)
  cells <- answer_plan(plan, source, asked$schema, call, tally)
  sides <- lapply(list(rows = plan$by, columns = plan_groups(plan)), side_ranked, plan = plan,
    tally = tally, source = source, call = call)
  as_grid(cells, sides, periods_in_view(plan, TRUE, call)$numbers, asked$words$turned,
    shading_of(asked$args), call)
}

# Each side alone, for its order and its totals: from the cells where their components add
# up, else from the rows. A rate per day of a whole side would need other days than its
# cells, and has none.
side_ranked <- function(side, plan, tally, source, call = NULL) {
  measure <- plan_measure(plan)
  if (!is.null(measure$per_day) && !is.na(measure$per_day)) {
    return(NULL)
  }
  alone <- plan_keys(plan, by = side, within = list(), over = list())
  folded <- if (measure$kind == "holistic") {
    source_tally(source, plan_request(alone), call)
  } else {
    fold_tally(tally, tally$keys[names(side)])
  }
  rank_tally(folded, alone, whole_tally(source, alone, call))$ranked
}

# Movement -----------------------------------------------------------------

movement_words <- function(args, call) {
  need_arg(args$over, "over", "Say which periods to follow, such as `over = quarter(order_date)`.",
    call)
  check_scheme(args$scheme, call)
  list(words = args[grammar_words])
}

answer_movement <- function(asked, source, call = NULL) {
  args <- asked$args
  x <- add_tiers(answer_standings(asked, source, call), args$scheme, call = call)
  as_movement(x, periods_in_view(asked$plan, TRUE, call)$numbers, args[c("from", "to")], call)
}
