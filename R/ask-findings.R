# Findings: what stands out, read off tables that are made of the same plan.

findings_words <- function(args, call) {
  over <- read_expression(args$over, "over", call)
  list(words = replace(args[grammar_words], "over", list(NULL)), date = name_text(all.vars(over)),
    use = used_columns(list(over = over, of = args$against)))
}

answer_findings <- function(asked, source, call = NULL) {
  args <- asked$args
  x <- answer_standings(asked, source, call)
  if (!is.null(args$scheme)) x <- tiered(x, args$scheme, call = call)
  find_all(x, args$over, args$against, args$top, call)
}

find_all <- function(x, over = NULL, against = NULL, top = 10, call = NULL) {
  check_count(top, 1, .Machine$integer.max, "top", call)
  x <- at_hand(x)
  ans <- answer_of(x)
  check_not_changes(ans, "Findings are", call)
  if (length(ans$ranked$totals$items) > 1L) {
    stop_eggcrate("call", "unknown_value", "Findings are of standings without groups.",
      i = "Ask one group at a time, with `where`.", call = call)
  }
  named <- named_columns(list(over = over, against = against), x, call)
  over <- read_expression(named$over, "over", call)
  against <- read_expression(named$against, "against", call)
  at <- follow(x, list(over = over, of = against), call)
  poor <- poor_plan(at, against, call)
  times <- asked_over(at, over, call)
  plans <- Filter(Negate(is.null), list(poor, times$changes$plan, times$alone))
  answer_ahead(at$source, unlist(lapply(plans, plan_requests), recursive = FALSE), call)
  found <- c(find_few(at$ans), find_poor(at, poor, call), find_near(at$ans),
    if (!is.null(times)) find_over(at, times, top, call))
  found <- found[!vapply(found, is.null, NA)]
  field <- function(name, like) vapply(found, `[[`, like, name)
  columns <- list(kind = field("kind", ""), finding = field("text", ""), value = field("value", 0),
    items = lapply(found, `[[`, "items"))
  answer_table_of(columns, at$ans, "eggcrate_findings")
}

# What the plan is without what stood beside the items.
bare_plan <- function(plan, measures = plan$measures[1L], having = NULL) {
  plan_measures(plan_keys(plan), measures, having = having)
}

poor_plan <- function(at, against, call = NULL) {
  if (is.null(against)) {
    return(NULL)
  }
  second <- compile_measure(against, at$schema, "against", call)
  measures <- list(plan_measure(at$ans$plan), second)
  check_measure_names(measures, names(all_keys(at$ans$plan)), call)
  covering(bare_plan(at$ans$plan, measures, at$ans$plan$having), at$schema)
}

find_poor <- function(at, plan, call = NULL) {
  if (is.null(plan)) {
    return(NULL)
  }
  x <- answer_plan(plan, at$source, at$schema, call)
  poor_finding(answer_of(add_quadrants(x, list(of = NULL, against = NULL), NULL,
    read_part(argument_of("quadrants", "near")$default, "near"), call = call)))
}

#' The last two complete periods against each other, and each period by itself.
#' @return `changes`: the question, NULL where the last one is late; `alone`: a plan. NULL where
#'   there are not two complete ones.
#' @noRd
asked_over <- function(at, over, call = NULL) {
  if (is.null(over)) {
    return(NULL)
  }
  keys <- compile_over(over, at$schema, names(all_keys(at$ans$plan)), call)
  plan <- covering(plan_over(bare_plan(at$ans$plan), keys), at$schema)
  asked <- tryCatch(prepare_change(list(plan = plan, schema = at$schema,
    args = list(from = NULL, to = NULL, tolerance = NULL, lost_after = NULL, present = NULL)),
    call), eggcrate_error_period = function(e) NULL)
  if (!is.null(asked)) {
    list(changes = if (!asked$change$spans$late) asked,
      alone = plan_keys(plan, by = plan$over, within = list(), over = list()))
  }
}

find_over <- function(at, times, top, call = NULL) {
  tryCatch(
    c(if (!is.null(times$changes)) find_changes(times$changes, at, top, call),
      far_period(at$ans, period_values(times$alone, at, call))),
    eggcrate_error_period = function(e) NULL)
}

find_changes <- function(asked, at, top, call = NULL) {
  x <- answer_changes(asked, at$source, call)
  c(top_findings(x, answer_of(x), top), concentration_change(at$ans, answer_of(x)))
}

# What each period makes in all.
period_values <- function(plan, at, call = NULL) {
  x <- answer_plan(plan, at$source, at$schema, call)
  node <- plan$by[[1L]]
  ranked <- answer_of(x)$ranked
  number <- row_key(ranked, names(plan$by))
  order <- order(number)
  list(label = period_label(number, node$period)[order], noun = names(plan$by),
    value = quantity_real(ranked$quantity)[order],
    complete = complete_period(number, node$period, plan_coverage(plan, node_date(node)))[order])
}
