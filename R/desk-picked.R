# What is picked: why it is where it is, what it makes together, its course through time, and the
# questions that go on from it.

#' Rows of the whole as the names that are picked, and back.
#' @noRd
names_of_rows <- function(x, rows) {
  ans <- answer_of(x)
  rows <- rows[rows %in% seq_along(ans$ranked$cell)]
  unique(picked_labels(ans, rows))
}

rows_of_names <- function(x, names) {
  ans <- answer_of(x)
  which(picked_labels(ans) %in% names)
}

#' The keys of what is picked: of an item; in a grid of a cell, by its row and its column.
#' @noRd
picked_nodes <- function(ans) {
  if (has_facet(ans, "grid")) all_keys(ans$plan)[c(side_names(ans, "rows"),
    side_names(ans, "columns"))] else ans$plan$by
}

picked_labels <- function(ans, rows = seq_along(ans$ranked$cell)) item_names(ans,
  ans$ranked$order[rows], picked_nodes(ans))

#' @return `names`; `marked`, the names for a mark; `why` (columns `step`, `text`; NULL for several
#'   items); `together` (text); `course` (columns `label`, `value`, `text`; NULL without dates);
#'   `drill`, columns to drill down by; `condition` (text or NULL); `outside`, the condition to
#'   negate.
#' @noRd
picked_facts <- function(desk) {
  result <- step_result(desk, desk_step(desk))
  if (!length(desk$picked) || !has_items(result)) {
    return(NULL)
  }
  x <- drop_others(result$x)
  rows <- rows_of_names(x, desk$picked)
  names <- names_of_rows(x, rows)
  if (!length(names)) {
    return(NULL)
  }
  condition <- item_condition(answer_of(x), rows)
  list(names = names, why = if (length(names) == 1L) why_facts(x, rows, names),
    together = together_text(x, rows, length(names)),
    marked = marked_names(answer_of(x), rows),
    course = if (!is.null(condition)) item_course(desk, condition),
    drill = if (!is.null(condition)) drill_columns(desk), condition = condition,
    outside = item_condition(answer_of(x), rows, not = TRUE))
}

# Of many periods the last complete one is explained.
why_facts <- function(x, rows, name) {
  ans <- answer_of(x)
  if (length(ans$plan$over)) {
    rows <- utils::tail(c(rows, rows[!ans$ranked$incomplete[ans$ranked$cell[rows]]]), 1L)
  }
  found <- explain_rows(ans, rows, name)
  list(group = found$group, step = found$step, text = found$text)
}

# In a grid its rows are marked.
marked_names <- function(ans, rows) {
  nodes <- if (has_facet(ans, "grid")) all_keys(ans$plan)[side_nouns(ans, "rows")] else ans$plan$by
  unique(item_names(ans, ans$ranked$order[rows], nodes))
}

# "3 customers, 41.2% of net sales".
together_text <- function(x, rows, n) {
  ans <- answer_of(x)
  if (!ranks_items(x) && length(ans$ranked$totals$items) > 1L) {
    share <- if (shows_shares(ans)) selected_share(ans, rows) else NA
    return(paste0(count_of(n, picked_noun(ans)),
      if (!is.na(share)) sprintf(", %s of %s", percent_formatter()(share), measure_words(ans))))
  }
  whole <- selected_words(ans, rows)
  if (length(ans$ranked$totals$items) > 1L) {
    return(whole)
  }
  sums <- rest_of(ans, setdiff(seq_along(ans$ranked$cell), rows))
  if (is.na(sums$value)) whole else sprintf("%s: %s", whole, said_formatter(ans)(sums$value))
}

picked_noun <- function(ans) if (has_facet(ans, "grid")) "cell" else item_noun(ans$plan)

#' What makes a row one of these items, as a condition of the language; NULL where a key cannot be
#' said in one.
#' @param not Will the condition be negated? Then it must be true or false for missing keys too.
#' @noRd
item_condition <- function(ans, rows, not = FALSE) {
  nodes <- picked_nodes(ans)
  keys <- ans$ranked$tally$keys[names(nodes)]
  at <- ans$ranked$order[rows]
  # An item may be there in many groups.
  if (length(rows)) at <- at[first_seen(match_rows(lapply(keys, key_at, at)))]
  if (length(at) > 200L) {
    return(NULL)
  }
  picked <- lapply(keys, key_at, at)
  texts <- Map(key_conditions, nodes, picked, not & vapply(keys, anyNA, NA))
  if (any(vapply(texts, is.null, NA))) {
    return(NULL)
  }
  if (length(texts) == 1L && length(at) > 1L && nodes[[1L]]$op == "column" &&
    is.character(picked[[1L]]) && !anyNA(keys[[1L]])) {
    return(sprintf("%s %%in%% c(%s)", tick_odd(bare_name(nodes[[1L]]$name)),
      paste(text_literal(picked[[1L]]), collapse = ", ")))
  }
  each <- unique(do.call(paste, c(unname(texts), sep = " & ")))
  if (length(each) == 1L) each else paste(sprintf("(%s)", each), collapse = " | ")
}

# `customer == "Varlow Boatyard"`, for each value.
key_conditions <- function(node, values, gaps = FALSE) {
  if (!is.null(node$period)) {
    date <- node_date(node)
    if (!node$period$unit %in% names(period_units) || anyNA(values)) {
      return(NULL)
    }
    return(paste0(if (gaps) sprintf("!is_missing(%s) & ", tick_odd(date)),
      sprintf("in_period(%s, %s)", tick_odd(date),
        text_literal(period_label(values, node$period)))))
  }
  if (node$op != "column") {
    return(NULL)
  }
  column <- tick_odd(bare_name(node$name))
  written <- if (is.character(values)) text_literal(values) else
    if (is.logical(values)) ifelse(values, "TRUE", "FALSE") else
    if (inherits(values, "Date")) text_literal(day_text(values)) else number_text(values)
  known <- sprintf("%s == %s", column, written)
  ifelse(is.na(values), sprintf("is_missing(%s)", column),
    if (gaps) sprintf("!is_missing(%s) & %s", column, known) else known)
}

# The same measure of these items, period by period.
item_course <- function(desk, condition) {
  step <- desk_step(desk)
  date <- course_date(desk, step)
  if (is.null(date)) {
    return(NULL)
  }
  span <- tryCatch(source_range(desk$source, date), eggcrate_error = function(e) NULL)
  if (is.null(span)) {
    return(NULL)
  }
  unit <- c("month", "quarter", "year")[findInterval(diff(span), c(400, 400 * 5)) + 1L]
  args <- step_args(step)
  ask_args <- list(of = args$of, by = sprintf("%s(%s)", unit, tick_odd(date)),
    where = all_conditions(c(args$where, condition)))
  x <- tryCatch(ask("standings", ask_args, desk$source), eggcrate_error = function(e) NULL)
  if (is.null(x)) {
    return(NULL)
  }
  ans <- answer_of(x)
  at <- order(ans$ranked$tally$keys[[1L]][ans$ranked$order])
  values <- quantity_real(ans$ranked$quantity)[at]
  list(unit = unit, label = utils::tail(item_names(ans, ans$ranked$order)[at], 24L),
    value = utils::tail(values, 24L),
    text = utils::tail(said_formatter(ans)(values), 24L))
}

# The date that the question uses, else the first of the columns.
course_date <- function(desk, step) {
  dates <- columns_of_type(desk$columns, "date")
  if (!length(dates)) {
    return(NULL)
  }
  used <- all.vars(parsed(paste0("c(",
    paste(c(step$args$over, step$args$across, step$args$date, dates[1L]), collapse = ","), ")")))
  c(intersect(used, dates), dates)[1L]
}

#' Columns that distinguish the rows of an item.
#' @noRd
drill_columns <- function(desk) {
  step <- desk_step(desk)
  used <- all.vars(parsed(paste0("c(", paste(c(step$args$by, step$args$across), collapse = ","),
    ")")))
  fits <- Filter(function(column) column$type == "text" && column$different > 1L &&
    !column$name %in% used, desk$columns)
  utils::head(vapply(fits, `[[`, "", "name"), 12L)
}

# Going on -----------------------------------------------------------------

#' The question that follows from what is picked.
#' @param how "only", "without", "mark" or "drill".
#' @param by For "drill": the column.
#' @return A step, or NULL.
#' @noRd
step_from_picked <- function(desk, how, by = NULL) {
  step <- desk_step(desk)
  facts <- picked_facts(desk)
  if (is.null(facts)) {
    return(NULL)
  }
  if (how == "mark") {
    mark <- sprintf("items(%s)", paste(text_literal(facts$marked), collapse = ", "))
    if (!"highlight" %in% step_fields(step$kind)) {
      return(NULL)
    }
    step$args$highlight <- paste(c(field_lines(step$args$highlight %||% ""), mark), collapse = "\n")
    return(step)
  }
  if (is.null(facts$condition)) {
    return(NULL)
  }
  text <- if (how == "without") sprintf("!(%s)", facts$outside) else facts$condition
  step$conditions <- c(step$conditions, list(list(text = text, on = TRUE)))
  step$args$only <- step$args$highlight <- NULL
  if (how == "drill") {
    if (!by %in% drill_columns(desk)) {
      return(NULL)
    }
    step$args$by <- tick_odd(by)
  }
  step
}
