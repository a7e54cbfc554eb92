# Findings: what stands out, read off tables that are made of the same plan.

findings_words <- function(args, call) {
  list(words = replace(args[grammar_words], "over", list(NULL)),
    use = used_columns(list(over = args$over, of = args$against)))
}

answer_findings <- function(asked, source, call = NULL) {
  args <- asked$args
  x <- answer_standings(asked, source, call)
  if (!is.null(args$scheme)) x <- add_tiers(x, args$scheme, call = call)
  find_all(x, args$over, args$against, args$top, call)
}

find_all <- function(x, over = NULL, against = NULL, top = 10, call = NULL) {
  ans <- answer_of(x)
  check_not_changes(ans, "Findings are", call)
  if (length(ans$ranked$totals$items) > 1L) {
    stop_eggcrate("call", "unknown_value", "Findings are of standings without groups.",
      i = "Ask one group at a time, with `where`.", call = call)
  }
  over <- read_expression(over, "over", call)
  against <- read_expression(against, "against", call)
  at <- follow(x, list(over = over, of = against), call)
  found <- c(find_few(at$ans), find_poor(at, against, call), find_near(at$ans),
    find_over(at, over, top, call))
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

find_poor <- function(at, against, call = NULL) {
  if (is.null(against)) {
    return(NULL)
  }
  second <- compile_measure(against, at$schema, "against", call)
  measures <- list(plan_measure(at$ans$plan), second)
  check_measure_names(measures, names(all_keys(at$ans$plan)), call)
  plan <- covering(bare_plan(at$ans$plan, measures, at$ans$plan$having), at$schema)
  x <- answer_plan(plan, at$source, at$schema, call)
  poor_finding(answer_of(add_quadrants(x, list(of = NULL, against = NULL), NULL,
    read_part(argument_of("quadrants", "near")$default, "near"), call)))
}

find_over <- function(at, over, top, call = NULL) {
  if (is.null(over)) {
    return(NULL)
  }
  keys <- compile_over(over, at$schema, names(all_keys(at$ans$plan)), call)
  plan <- bare_plan(at$ans$plan)
  plan <- covering(plan_over(with_plan(plan, rules = replace(plan$rules, "share_of", "group")), keys),
    at$schema)
  periods <- answer_of(answer_plan(plan, at$source, at$schema, call))
  c(find_top(plan, at, top, call), concentration_change(at$ans, periods), far_period(at$ans, periods))
}

find_top <- function(plan, at, top, call = NULL) {
  asked <- list(plan = plan, schema = at$schema,
    args = list(from = NULL, to = NULL, tolerance = NULL, lost_after = NULL))
  x <- answer_changes(prepare_change(asked, call), at$source, call)
  top_findings(x, answer_of(x), top)
}
