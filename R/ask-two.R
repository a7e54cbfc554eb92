# Two measures, two periods, actual against target.

# Quadrants ----------------------------------------------------------------

quadrant_words <- function(args, call) {
  against <- need_arg(args$against, "against",
    "Name the second measure, such as `against = c(margin = sum(profit) / sum(net_sales))`.", call)
  list(words = replace(args[grammar_words], "also", list(c(list(against), args$also))))
}

answer_quadrants <- function(asked, source, call = NULL) {
  args <- asked$args
  add_quadrants(answer_standings(asked, source, call),
    list(of = args$split_of, against = args$split_against), args$groups, args$near,
    args$potential_at, call)
}

# Changes ------------------------------------------------------------------

change_words <- function(args, call) {
  if (of_columns(args)) {
    return(column_words(args, call))
  }
  need_arg(args$over, "over", "Name the periods to compare, such as `over = month(order_date)`.",
    call)
  check_days(args$lost_after, call)
  over <- read_expression(args$over, "over", call)
  # Two intervals need no period: any date is in one or the other by its day.
  if (is.name(over) && !is.null(args$from) && !is.null(args$to)) args$over <- call("day", over)
  list(words = args[grammar_words])
}

# Two measures in the place of two periods: columns that each hold one.
of_columns <- function(args) {
  is.null(args$over) && is.null(args$of) && is_measure(args$from) && is_measure(args$to)
}

is_measure <- function(expr) {
  is.name(expr) && !as.character(expr) %in% relative_periods ||
    is_call_to(expr, c(measure_language, "+", "-", "*", "/", "(", "c", "="))
}

column_words <- function(args, call) {
  given <- c(also = length(args$also), lost_after = length(args$lost_after))
  if (any(given > 0L)) {
    name <- names(given)[given > 0L][1L]
    stop_eggcrate("call", "unknown_value",
      sprintf("`%s` is for periods of a date, not for two columns.", name),
      i = "Use `of` and `over`, and periods as `from` and `to`.", call = call)
  }
  words <- args[grammar_words]
  words$of <- args$from
  words$also <- list(args$to)
  list(words = words)
}

prepare_change <- function(asked, call) {
  args <- asked$args
  rules <- args[c("tolerance", "lost_after", "present")]
  measures <- asked$plan$measures
  if (of_columns(args)) {
    asked$change <- c(column_change(measures), rules)
    asked$plan <- column_change_plan(asked$plan, call)
  } else {
    node <- asked$plan$over[[1L]]
    if (!all(vapply(args[c("from", "to")], is.character, NA))) {
      check_latest(asked$schema, asked$plan$rules, node_date(node), call)
    }
    spans <- change_periods(node$period, plan_coverage(asked$plan, node_date(node), call),
      args[c("from", "to")], call)
    daily <- !form_of(node_date(node)) %in% "years"
    if (!daily && !is.null(args$lost_after)) {
      stop_eggcrate("call", "unknown_value",
        "`lost_after` counts days, and the periods are years without days.",
        i = "Omit it.", call = call)
    }
    asked$change <- c(list(spans = spans, daily = daily, measure = measures[[1L]],
      additional = measures[-1L]), rules)
    asked$plan <- change_plan(asked$plan, spans, args$lost_after, call)
  }
  asked$change$present <- asked$change$present %||% if (by_date(asked$change)) "rows" else "value"
  if (asked$change$present == "value") asked$plan <- with_valued_sides(asked$plan)
  asked
}

column_change <- function(sides) {
  names <- vapply(sides, `[[`, "", "name")
  texts <- vapply(sides, `[[`, "", "text")
  list(spans = list(names = with_names(names, c("from", "to")), cut = FALSE, late = FALSE,
    unequal = FALSE),
    daily = FALSE, measure = replace(sides[[2L]], c("name", "text"), list(column_change_name(sides),
      paste(texts[2L], "and", texts[1L]))), additional = list(), texts = texts)
}

answer_changes <- function(asked, source, call = NULL) {
  plan <- asked$plan
  tally <- change_sides(source_tally(source, plan_request(plan), call), plan)
  # Both sides are of the one measure, and have no account of their own.
  x <- answer_plan(plan, source, asked$schema, call, tally,
    change_account(asked$change$measure, tally),
    list())
  add_change(x, asked$change)
}

# Targets ------------------------------------------------------------------

# As it was written, and where: whether a name is a column is known with the columns.
target_given <- function(name, frame) {
  code <- capture(name, frame)
  if (is.language(code)) list(code = code, env = capture_env(name, frame)) else code
}

target_words <- function(args, call) {
  target <- args$target
  if (is.null(target)) stop_no_target(call)
  if (is_earlier_target(target) && is.null(args$over)) {
    stop_expression("`over` is missing.",
      hint = "Targets of an earlier time need periods, such as `over = month(order_date)`.",
      call = call)
  }
  code <- target_parts(target, call)$code
  list(words = args[grammar_words], use = if (is.name(code)) used_columns(list(of = code)))
}

is_earlier_target <- function(target) {
  is_call_to(target_parts(target)$code, earlier_words)
}

earlier_words <- c("previous", "year_ago")

# A target as it was given: code, from a verb with the environment that it was written in or
# from text, or a value as it is.
target_parts <- function(target, call = NULL) {
  if (is.list(target) && !is.data.frame(target)) {
    return(target)
  }
  list(code = target_expression(target, call) %||% target)
}

# Text that is no file is an expression; NULL for anything but text.
target_expression <- function(x, call = NULL) {
  if (is.character(x) && length(x) == 1L && !is.na(x) && !names_file(x)) {
    read_expression(x, "target", call)
  }
}

names_file <- function(x) {
  file.exists(x) || grepl("\\.(csv|tsv|txt|parquet|xlsx)(\\.gz)?$", x, ignore.case = TRUE)
}

stop_no_target <- function(call = NULL) {
  stop_expression("`target` is missing.",
    hint = "Name a column, a table of targets, `previous()`, `year_ago()` or a number.",
    call = call)
}

#' Where targets come from.
#' @param target A data frame, a number, text, or code with the environment it was written in.
#' @return List of `kind` ("table", "column", "number", "earlier") and what belongs to it.
#' @noRd
read_target <- function(target, schema, call = NULL) {
  given <- target_parts(target, call)
  env <- given$env
  target <- given$code
  if (is.name(target)) {
    return(named_target(name_text(target), schema, env))
  }
  if (is_call_to(target, earlier_words)) {
    return(earlier_target(target, call))
  }
  if (is.call(target) && !is.null(env) && !in_language(target)) target <- eval(target, env)
  if (is.data.frame(target)) {
    return(list(kind = "table", table = target))
  }
  if (is.character(target) && length(target) == 1L && !is.na(target) && names_file(target)) {
    return(list(kind = "table", table = file_table(target, call = call)))
  }
  number_target(target, call)
}

# A bare name is a column; where there is none, a table of the caller.
named_target <- function(name, schema, env) {
  table <- if (!name %in% names(schema$types) && !is.null(env)) get0(name, env, mode = "list")
  if (is.data.frame(table)) {
    list(kind = "table", table = table)
  } else {
    list(kind = "column", name = name)
  }
}

# What the language could mean is no code of the caller's: it is refused, not run.
in_language <- function(expr) {
  is_call_to(expr, c(names(row_language()), measure_language, earlier_words))
}

earlier_target <- function(expr, call = NULL) {
  if (length(expr) > 1L) {
    stop_expression(sprintf("`%s` takes no period here.", as.character(expr[[1L]])),
      expr_text(expr), "The periods are those of `over`.", call)
  }
  list(kind = "earlier", back = as.character(expr[[1L]]))
}

number_target <- function(x, call = NULL) {
  minus <- is_call_to(x, "-") && length(x) == 2L
  number <- percent_as_number(if (minus) x[[2L]] else x)
  if (is.numeric(number)) x <- if (minus) -number else number
  if (!is.numeric(x) || length(x) != 1L || !is.finite(x)) {
    stop_eggcrate("call", "unknown_value",
      sprintf("`target` must be a column, a table, `previous()`, `year_ago()` or a number, not %s.",
        if (is.call(x)) tick(expr_text(x)) else describe(x)), call = call)
  }
  list(kind = "number", number = as.numeric(x))
}

prepare_targets <- function(asked, call) {
  args <- asked$args
  check_exceed_at(args$exceed_at, call)
  asked$target <- read_target(args$target, asked$schema, call)
  plan <- asked$plan
  check_target_names(plan, call)
  asked$periods <- periods_in_view(plan, isTRUE(args$incomplete), call)
  if (asked$target$kind == "column") {
    asked$ends <- target_ends_of(asked$target$name, asked$schema, call)
    counts <- unlist(lapply(unname(asked$ends), `[[`, "aggregates"), recursive = FALSE)
    plan <- plan_measures(plan, plan$measures, counts)
  }
  asked$plan <- without_incomplete(plan, asked$periods)
  if (asked$target$kind == "earlier") {
    asked$before <- earlier_plan(asked$plan, asked$target$back, asked$periods, call)
    if (!asked$before$inside) asked$requests <- list(plan_request(asked$before$plan))
  }
  asked
}

check_exceed_at <- function(x, call = NULL) {
  if (!is.numeric(x) || length(x) != 1L || is.na(x) || x < 1) {
    stop_eggcrate("call", "unknown_value",
      sprintf("`exceed_at` must be an attainment of at least 1, not %s.", describe(x)), call = call)
  }
}

answer_targets <- function(asked, source, call = NULL) {
  plan <- asked$plan
  tally <- source_tally(source, plan_request(plan), call)
  joined <- find_targets(asked, tally, source, call)
  # Items that have a target and no rows are items. Without a period or group of its own a
  # target holds in each there is.
  x <- answer_plan(plan_items(plan, joined$keys), source, asked$schema, call, tally)
  add_targets(x, asked$target, joined, asked$args$exceed_at, isTRUE(asked$args$prorate))
}

find_targets <- function(asked, tally, source, call = NULL) {
  plan <- asked$plan
  target <- asked$target
  switch(target$kind,
    table = of_given_table(table_targets(target$table, plan, asked$periods, call)),
    column = column_targets(tally, plan, asked$ends, call),
    number = constant_targets(tally, target$number),
    earlier = {
      before <- asked$before
      if (!before$inside) tally <- source_tally(source, plan_request(before$plan), call)
      earlier_targets(tally, before, asked$periods)
    })
}
