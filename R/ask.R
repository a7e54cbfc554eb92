# The one actor. Verbs, the command, a study and a page ask through it:
#
#   args ─▶ read_args() ─▶ words ─▶ plan ─▶ request ─▶ source ─▶ tally ─▶ ranked ─▶ answer
#
# `ask()` answers; `check_asked()` goes as far as the plan and reads no row.

#' @param command A command of the grammar.
#' @param args Named list of its arguments: expressions or text, and values; what is not
#'   there is as by default.
#' @param source From `open_source()`.
#' @return What the command's verb returns.
#' @noRd
ask <- function(command, args, source, call = NULL) {
  on.exit(drop_columns(source))
  in_utf8(with_settled_types(source, function() {
    args <- by_groups(args, command, source, call)
    asked <- prepare(command, name_columns(args, source_names(source)),
      function(use) source_schema(source, use, call), call)
    range_ahead(source, asked$requests, as.character(asked$words$date), call)
    answer_ahead(source, asked$requests, call)
    x <- answers[[command]](asked, source, call)
    set_asked(at_rest(select_asked(x, asked$args, call)), asked_record(command, args, source))
  }, call))
}

#' Runs a question, and a second time if columns have other types than expected. Before an error is
#' raised, the expected types are checked.
#' @param asking Function without arguments.
#' @noRd
with_settled_types <- function(source, asking, call = NULL) {
  on.exit(end_question(source))
  seen <- function(e) {
    if (!inherits(e, "eggcrate_error_gone")) for (s in file_sources(source)) see_all(s, call)
  }
  tryCatch(
    withCallingHandlers(in_one_moment(source, asking), eggcrate_error = seen),
    eggcrate_retyped = function(e) {
      forget_tallies(source)
      asking()
    })
}

#' @param schema The columns of a source, or a function of the columns in use that
#'   returns them.
#' @return The plan, or an error.
#' @noRd
check_asked <- function(command, args, schema, call = NULL) {
  in_utf8(prepare(command, args, if (is.function(schema)) schema else function(use) schema,
    call)$plan)
}

# Everything up to the plans and their requests: no row is read but for the types and dates of
# columns.
prepare <- function(command, args, schema_for, call = NULL) {
  asked <- read_asked(command, args, call)
  asked$schema <- schema_for(asked$use)
  asked$plan <- compile_plan(asked$read, asked$schema, call)
  asked <- (preparers[[command]] %||% identity_asked)(asked, call)
  asked$requests <- c(plan_requests(asked$plan), asked$requests)
  asked
}

#' A question as it is read, before anything is known of the source.
#' @return `command`, `args`, `words`, `read`, and `use`: the columns that it needs.
#' @noRd
read_asked <- function(command, args, call = NULL) {
  args <- read_args(command, args, call)
  words <- (word_makers[[command]] %||% plain_words_asked)(args, call)
  read <- read_words(words$words, args[grammar_rules], call)
  read$rules[c("date", "over_date")] <- list(args$date, words$date)
  use <- join_use(read$use, used_columns(list(where = args$date)))
  list(command = command, args = args, words = words, read = read, use = join_use(use, words$use))
}

identity_asked <- function(asked, call) asked

plain_words_asked <- function(args, call) list(words = args[grammar_words])

# Columns in use by several expressions; what is used as a value anywhere is no mere key.
join_use <- function(a, b) {
  if (is.null(b)) {
    return(a)
  }
  values <- union(a$values, b$values)
  list(all = union(a$all, b$all), values = values, keys = setdiff(union(a$keys, b$keys), values))
}

# The groups of a grouped data frame are groups here too.
by_groups <- function(args, command, source, call = NULL) {
  groups <- source_groups(source)
  if (!length(groups)) {
    return(args)
  }
  if (!"within" %in% names(arguments_of(command))) {
    stop_eggcrate("call", "unknown_value",
      sprintf("The data are grouped by %s, and `%s` has no groups.", enumerate(tick(groups)),
        grammar_commands[[command]]$verb), i = "Ungroup them, or ask within one by `where`.",
      call = call)
  }
  names <- lapply(groups, as.name)
  given <- if (!is.null(args$within)) key_parts(read_expression(args$within, "within", call))
  args$within <- as.call(c(as.name("c"), names, given[!given %in% names]))
  args
}

# Arguments ----------------------------------------------------------------

#' The arguments that a verb was called with, by the names that the grammar gives them.
#' @param frame The verb's own environment.
#' @noRd
verb_args <- function(command, frame) {
  arguments <- arguments_of(command)
  arguments <- arguments[intersect(names(arguments), ls(frame, all.names = TRUE))]
  Map(function(name, argument) {
    if (argument$type %in% expression_types) {
      code <- capture(name, frame)
      if (isTRUE(argument$repeated) && !is.null(code)) list(code) else code
    } else if (argument$type == "target") {
      target_given(name, frame)
    } else {
      plain_argument(name, frame)
    }
  }, names(arguments), arguments)
}

#' Arguments as they are meant: defaults filled in, values read and checked. Expressions
#' of words are read with the words.
#' @noRd
read_args <- function(command, args, call = NULL) {
  arguments <- arguments_of(command)
  all <- names(grammar_arguments)
  out <- with_names(vector("list", length(all)), all)
  out[grammar_rules] <- default_rules() # rules hold where a command does not offer them too
  for (name in names(arguments)) {
    value <- args[[name]] %||% arguments[[name]]$default
    out[name] <- list(read_arg(value, name, arguments[[name]], call))
  }
  out
}

read_arg <- function(value, name, argument, call = NULL) {
  if (is.null(value) || name %in% c(grammar_words, grammar_rules)) {
    return(value)
  }
  switch(argument$type,
    choice = check_choice(value, argument$choices, name, call),
    part = read_part(value, name, call),
    scheme = read_scheme(value, call),
    span = read_period(value, name, call),
    split = check_split(value, name, call),
    ratio = read_ratio(value, name, call),
    tolerance = read_tolerance(value, call),
    names = if (is.character(value) && length(value) == 1L) text_values(value, name,
      call) else value,
    measure = , keys = , condition = read_expression(value, name, call),
    value)
}

# `c("a", "b")` as text: plain values, never run as R code.
text_values <- function(x, arg, call = NULL) {
  expr <- read_expression(x, arg, call)
  plain_value(expr, expr, call)
}

need_arg <- function(value, name, hint, call = NULL) {
  if (is.null(value)) stop_expression(sprintf("`%s` is missing.", name), hint = hint, call = call)
  value
}

# Answers ------------------------------------------------------------------

#' The way from a plan to standings.
#' @param tally What the source answered, where it was asked already.
#' @param used Rows of the receipt that say what was used; those of the measure by default.
#' @param additional Measures that have an account of their own.
#' @noRd
answer_plan <- function(plan, source, schema, call = NULL, tally = NULL, used = NULL,
  additional = plan$measures[-1L]) {
  if (is.null(tally)) {
    answer_ahead(source, plan_requests(plan), call)
    tally <- source_tally(source, plan_request(plan), call)
  }
  found <- rank_tally(tally, plan, whole_tally(source, plan, call))
  columns <- c(found$columns, show_columns(source, plan, found$ranked, call))
  in_use <- plan_use(plan)$all
  receipt <- new_receipt(facts_for_receipt(source, schema, in_use), plan, tally, found$ranked, used,
    additional)
  new_answer(columns, found$ranked, plan, receipt, schema$name, new_handle(source, in_use))
}

# The facts of a source for a receipt, as `new_receipt()` needs them: of how the columns in use and
# the data as a whole were read.
facts_for_receipt <- function(source, schema, columns) {
  reading <- c(schema$reading, lookup_facts(source, columns))
  list(name = schema$name, row = function(row) source_row(source, row),
    reading = Filter(function(fact) fact$value %in% c(columns, schema$name), reading))
}

answer_standings <- function(asked, source, call = NULL) {
  answer_plan(asked$plan, source, asked$schema, call)
}

answer_pareto <- function(asked, source, call = NULL) {
  add_reach(answer_standings(asked, source, call), asked$args$reach, asked$args$boundary, call)
}

answer_extremes <- function(asked, source, call = NULL) {
  as_extremes(answer_standings(asked, source, call))
}

# Of the same question, other rows: those of another time.
words_with_earlier <- function(args, call) {
  list(words = args[grammar_words], use = used_columns(list(where = args$compare_with)))
}

prepare_earlier <- function(asked, call) {
  if (!is.null(asked$args$compare_with)) {
    read <- asked$read
    read$exprs["where"] <- list(asked$args$compare_with)
    asked$earlier <- compile_plan(read, asked$schema, call)
    asked$requests <- plan_requests(asked$earlier)
  }
  asked
}

answer_earlier <- function(asked, source, call = NULL) {
  if (!is.null(asked$earlier)) answer_plan(asked$earlier, source, asked$schema, call)
}

answer_tiers <- function(asked, source, call = NULL) {
  x <- answer_standings(asked, source, call)
  tiered(x, asked$args$scheme, answer_earlier(asked, source, call), call)
}

answer_concentration <- function(asked, source, call = NULL) {
  as_concentration(answer_standings(asked, source, call), answer_earlier(asked, source, call), call)
}

# Selections ---------------------------------------------------------------

select_asked <- function(x, args, call = NULL) {
  marks <- if (!is.null(args$highlight)) named_marks(args$highlight, call)
  # Marks of shown items are set after the selection.
  later <- vapply(as.list(marks),
    function(mark) any(of_shown %in% all.names(if (is.character(mark)) parsed_mark(mark) else
      mark)), NA)
  mark <- function(x, marks) if (length(marks)) select_marks(x, marks, args$at_cut, call) else x
  x <- mark(x, marks[!later])
  if (!is.null(args$order_by)) x <- order_rows(x, args$order_by, call)
  if (!is.null(args$only)) x <- select_only(x, args$only, isTRUE(args$others), args$at_cut, call)
  mark(x, marks[later])
}

parsed_mark <- function(text) tryCatch(read_expression(text, "highlight"),
  eggcrate_error = function(e) NULL)

select_marks <- function(x, marks, at_cut = "keep", call = NULL) {
  mark <- if (inherits(x, "eggcrate_grid")) mark_grid_rows else mark_items
  mark(x, marks, at_cut, call)
}

# Splits text marks: `best = top(3), worst = bottom(3)` are two marks with names. The name of an
# item stays text.
named_marks <- function(given, call = NULL) {
  given <- unlist(lapply(given, marks_in_text), recursive = FALSE)
  names <- names(given) %||% rep("", length(given))
  for (i in seq_along(given)) {
    one <- given[[i]]
    shape <- "^[[:space:]]*([[:alpha:]][[:alnum:]_.]*)[[:space:]]*=([^=].*)$"
    if (is.character(one) && length(one) == 1L && grepl(shape, one)) {
      names[i] <- sub(shape, "\\1", one)
      given[[i]] <- trimws(sub(shape, "\\2", one))
    }
  }
  with_names(given, names)
}

marks_in_text <- function(text) {
  if (!is.character(text) || length(text) != 1L ||
    !grepl(",", text, fixed = TRUE)) return(list(text))
  marks <- as.list(parsed_mark(sprintf("c(%s)", text)))[-1L]
  if (length(marks) > 1L && !is.null(names(marks)) &&
    all(nzchar(names(marks)))) marks else list(text)
}

# Keeping some, with a row of all others where it is asked for.
#' @param name What the selection is called; NULL for its own words.
#' @noRd
select_only <- function(x, which, others = FALSE, at_cut = "keep", call = NULL, name = NULL) {
  if (others && inherits(x, c("eggcrate_grid", "eggcrate_movement"))) {
    stop_eggcrate("call", "unknown_value",
      "`others` makes a row of standings, not of a grid or of movement.",
      i = "Omit it.", call = call)
  }
  if (inherits(x, "eggcrate_grid")) {
    return(keep_grid_rows(x, which, at_cut, call))
  }
  if (inherits(x, "eggcrate_movement")) {
    return(keep_movement(x, which, at_cut, call))
  }
  keep_only(x, which, if (others) rest_of, at_cut, call, name)
}

# What each command does -----------------------------------------------------

# From arguments to the five words, where they are not the words as given.
word_makers <- list(tiers = words_with_earlier, concentration = words_with_earlier,
  quadrants = quadrant_words, changes = change_words, targets = target_words, grid = grid_words,
  movement = movement_words, intervals = intervals_words, findings = findings_words,
  why = why_words)

# What a question needs in addition to its plan, before anything is read: other plans and their
# `requests`.
preparers <- list(tiers = prepare_earlier, concentration = prepare_earlier,
  changes = prepare_change, targets = prepare_targets)

answers <- list(standings = answer_standings, pareto = answer_pareto, tiers = answer_tiers,
  quadrants = answer_quadrants, changes = answer_changes, targets = answer_targets,
  extremes = answer_extremes, grid = answer_grid, movement = answer_movement,
  concentration = answer_concentration, findings = answer_findings, intervals = answer_intervals,
  why = answer_why)
