# Selections: which rows of standings are meant by `top(10) | items("Rope")`.
#
# Each part answers for all rows of the standings, group by group, and by tie
# blocks; an item without a value is neither in nor out (missing), so that `!`
# complements among ranked items. Conditions on the result's own columns answer for
# the rows at hand.

#' @param expr The selection, an expression or text.
#' @param columns The columns of the result, for conditions on them.
#' @param set What belongs to the standings as a whole.
#' @param at_cut What becomes of a tie across a cut: "keep", "drop", "split".
#' @param counted Rows among which ties at the cut-off are counted; all if NULL.
#' @return `rows`: which rows of `columns`; `text`; `cut`: items that tie across a cut.
#' @noRd
select_rows <- function(expr, columns, ans, at_cut = "keep", call = NULL, counted = NULL) {
  expr <- read_selection(expr, names(columns), ans, call)
  if (is.null(expr)) {
    stop_expression("The selection is missing.", hint = "Name the items, such as `top(10)`.",
      call = call)
  }
  if (!is.language(expr) && !is.atomic(expr)) {
    stop_expression(sprintf("A selection is an expression, not %s.", describe(expr)),
      hint = "Name the items, such as `top(10)`.", call = call)
  }
  check_choice(at_cut, c("keep", "drop", "split"), "at_cut", call)
  with_mending(expr, NULL, columns_schema(columns),
    function(expr) found_rows(expr, columns, ans, at_cut, call, counted))
}

# A text that is the name of an item is that item, even if it looks like an expression.
read_selection <- function(x, columns, ans, call = NULL) {
  if (!is.character(x) || !length(x) || anyNA(x)) {
    return(read_expression(x, "the selection", call))
  }
  if (length(x) > 1L || x %in% item_names(ans)) {
    return(as.call(c(as.name("items"), as.list(x))))
  }
  expr <- tryCatch(read_expression(x, "the selection", call),
    eggcrate_error_expression = function(e) {
      meant <- paste0("(", paste(names(selections), collapse = "|"), ")")
      if (!grepl(meant, x) && nzchar(trimws(x))) stop_unknown_item(x, ans, call)
      stop(e)
    })
  strange <- is.name(expr) && !name_text(expr) %in% columns ||
    is.call(expr) && !is_call_to(expr, c("c", names(selections), names(row_language()))) &&
    length(close_names(x, item_names(ans)))
  if (strange) stop_unknown_item(x, ans, call)
  expr
}

found_rows <- function(expr, columns, ans, at_cut, call, counted = NULL) {
  asked <- new.env(parent = emptyenv())
  asked$cut <- 0L
  asked$at_cut <- at_cut
  asked$counted <- counted %||% seq_along(ans$ranked$cell)
  chosen <- select_part(expr, columns, ans, asked, call)
  n <- if (length(columns)) length(columns[[1L]]) else length(chosen)
  if (!is.logical(chosen) || length(chosen) != n) {
    stop_expression("A selection is true or false of each item.", expr_text(expr), call = call)
  }
  list(rows = which(chosen), text = expr_text(expr), cut = asked$cut)
}

select_part <- function(expr, columns, ans, asked, call) {
  if (is_names(expr)) expr[[1L]] <- as.name("items")
  if (is.character(expr)) expr <- as.call(c(as.name("items"), as.list(expr)))
  if (is.name(expr) && !name_text(expr) %in% names(columns) &&
    name_text(expr) %in% item_names(ans)) {
    expr <- call("items", name_text(expr)) # of one word, such as a town
  }
  if (is_call_to(expr, c("(", "&", "|", "!")) && holds_selection(expr)) {
    sides <- lapply(as.list(expr)[-1L], select_part, columns = columns, ans = ans, asked = asked,
      call = call)
    return(switch(as.character(expr[[1L]]), "(" = sides[[1L]], "&" = sides[[1L]] & sides[[2L]],
      "|" = sides[[1L]] | sides[[2L]], !sides[[1L]]))
  }
  if (is_call_to(expr, names(selections))) {
    found <- selections[[as.character(expr[[1L]])]](expr, ans, asked, call)
    return(if (is.null(ans$rows)) found else found[ans$rows])
  }
  if (is.call(expr) && is.name(expr[[1L]]) &&
    !as.character(expr[[1L]]) %in% names(row_language())) {
    stop_unknown_function(as.character(expr[[1L]]), expr_text(expr), names(selections),
      "selections", call)
  }
  condition_truth(expr, columns, call)
}

holds_selection <- function(expr) {
  if (is_call_to(expr, c("(", "&", "|", "!"))) {
    any(vapply(as.list(expr)[-1L], holds_selection, NA))
  } else {
    is.character(expr) || is_names(expr) || is_call_to(expr, names(selections))
  }
}

# `c("Rope", "Paint")`.
is_names <- function(expr) is_call_to(expr, "c") &&
  all(vapply(as.list(expr)[-1L], is.character, NA))

# The parts ----------------------------------------------------------------

selections <- list(
  top = function(expr, ans, asked, call) select_end(expr, ans, asked, TRUE, call),
  bottom = function(expr, ans, asked, call) select_end(expr, ans, asked, FALSE, call),
  reaching = function(expr, ans, asked, call) select_reaching(expr, ans, asked, call),
  above = function(expr, ans, asked, call) select_value(expr, ans, `>`, call),
  at_least = function(expr, ans, asked, call) select_value(expr, ans, `>=`, call),
  below = function(expr, ans, asked, call) select_value(expr, ans, `<`, call),
  at_most = function(expr, ans, asked, call) select_value(expr, ans, `<=`, call),
  in_tier = function(expr, ans, asked, call) select_tier(expr, ans, call),
  items = function(expr, ans, asked, call) select_items(expr, ans, call),
  first_shown = function(expr, ans, asked, call) select_shown(expr, ans, TRUE, call),
  last_shown = function(expr, ans, asked, call) select_shown(expr, ans, FALSE, call)
)

# Selections of the items that `only()` kept.
of_shown <- c("first_shown", "last_shown")

select_shown <- function(expr, ans, first, call) {
  cell <- ans$ranked$cell
  rows <- sort(whole_rows(ans))
  if (!first) rows <- rev(rows)
  size <- tabulate(cell[rows], max(0L, cell))
  limit <- items_meant(selection_values(expr, 1L, call)[[1L]], size, expr, call)
  place <- stats::ave(seq_along(rows), cell[rows], FUN = seq_along)
  seq_along(cell) %in% rows[place <= rep_len(limit, length(size))[cell[rows]]]
}

select_end <- function(expr, ans, asked, best_end, call) {
  at <- places(ans$ranked)
  given <- selection_values(expr, 1L, call)[[1L]]
  # of each group
  limit <- items_meant(given, at$size[match(seq_len(max(0L, ans$ranked$cell)), ans$ranked$cell)],
    expr, call)
  if (length(limit) > 1L) limit <- limit[ans$ranked$cell]
  in_order <- if (best_end) at$place else at$size - at$place + 1L
  at_the_cut(in_order <= limit, ans, asked)
}

# `top(10)` counts items, `top("33%")` is a part of them.
items_meant <- function(given, size, expr, call = NULL) {
  if (is.numeric(given) && length(given) == 1L && is.finite(given) && given >= 1) {
    if (given == floor(given)) {
      return(given)
    }
    stop_expression("How many items must be a whole number, or a part such as \"33%\".",
      expr_text(expr), call = call)
  }
  items_in_part(size, read_part(given, as.character(expr[[1L]]), call))
}

# floor((n - 1) * part) + 1 in whole numbers.
items_in_part <- function(n, part) ((n - 1) * part$digits) %/% 10^part$places + 1

select_reaching <- function(expr, ans, asked, call) {
  given <- as.list(expr)[-1L]
  boundary <- given$boundary %||% "reach"
  check_choice(boundary, c("reach", "within"), "boundary", call)
  given$boundary <- NULL
  expr <- as.call(c(expr[[1L]], given))
  check_not_changes(ans, "A part to reach is", call)
  check_shared(ans, "parts to reach", call)
  check_base(ans$ranked, ans$plan, call)
  part <- read_part(selection_values(expr, 1L, call)[[1L]], "reaching", call)
  single <- reach_single(ans$ranked, part, boundary)
  if (boundary == "within" && asked$at_cut == "keep") {
    return(whole_blocks(single, ans$ranked, all = TRUE))
  }
  at_the_cut(single, ans, asked)
}

select_value <- function(expr, ans, compare, call) {
  limit <- percent_as_number(selection_values(expr, 1L, call)[[1L]])
  if (!is.numeric(limit) || length(limit) != 1L || is.na(limit)) {
    stop_expression("A number is due here.", expr_text(expr), call = call)
  }
  sign <- quantity_against(ans$ranked$quantity, number_quantity(limit, 1L))
  compare(sign, 0)
}

select_tier <- function(expr, ans, call) {
  if (!has_facet(ans, "tiers")) {
    stop_expression("These standings have no tiers.", expr_text(expr),
      "Assign them first, with `assign_tiers()`.", call)
  }
  wanted <- as.character(unlist(selection_values(expr, NULL, call)))
  for (label in wanted) {
    if (!label %in% levels(ans$facets$tiers$tier)) stop_unknown_value("in_tier", label,
      levels(ans$facets$tiers$tier), call)
  }
  ans$facets$tiers$tier %in% wanted
}

select_items <- function(expr, ans, call) {
  wanted <- as.character(unlist(selection_values(expr, NULL, call)))
  labels <- item_names(ans)
  missing <- lapply(ans$ranked$tally$keys[names(ans$plan$by)], is.na)
  # A real name wins over the label of a missing key.
  any_missing <- Reduce(`|`, missing)
  labels[any_missing & labels %in% labels[!any_missing]] <- NA
  # An empty name selects the item without a key.
  all_missing <- Reduce(`&`, missing)
  empty <- (is.na(wanted) | !nzchar(wanted)) & any(all_missing)
  absent <- setdiff(wanted[!empty], labels)
  if (length(absent)) stop_unknown_item(absent[1L], ans, call)
  (!is.na(labels) & labels %in% wanted[!empty] | any(empty) & all_missing)[ans$ranked$order]
}

stop_unknown_item <- function(item, ans, call = NULL) {
  close <- close_names(item, unique(item_names(ans)))
  stop_data("unknown_item",
    sprintf("There is no %s %s in these standings.", enumerate(names(ans$plan$by)), quoted(item)),
    i = if (length(close)) sprintf("Did you mean %s?", enumerate(quoted(close), "or")),
    fields = list(item = item), call = call)
}

# The names of the items in the order of the tally, as they are shown.
item_names <- function(ans, at = NULL, nodes = ans$plan$by) {
  keys <- ans$ranked$tally$keys[names(nodes)]
  if (!is.null(at)) keys <- lapply(keys, function(key) key[at])
  if (length(keys) == 1L && is.character(keys[[1L]]) && !anyNA(keys[[1L]])) {
    return(keys[[1L]])
  }
  item_labels(Map(key_column, keys, nodes), names(keys))
}

# The plain values that a part was given; `n` of them, or any number.
selection_values <- function(expr, n, call = NULL) {
  values <- lapply(as.list(expr)[-1L], plain_value, expr = expr, call = call)
  if (!is.null(n) && length(values) != n || !length(values)) {
    stop_expression(sprintf("`%s` takes %s.", as.character(expr[[1L]]),
      if (is.null(n)) "one or more values" else count_word(n)), expr_text(expr),
      call = call)
  }
  values
}

count_word <- function(n) if (n == 1L) "one value" else sprintf("%d values", n)

plain_value <- function(x, expr, call = NULL) {
  if (is_call_to(x, c("-", "+")) && length(x) == 2L && is.numeric(x[[2L]])) {
    return(if (is_call_to(x, "-")) -x[[2L]] else x[[2L]])
  }
  if (is_call_to(x, "c")) {
    return(unlist(lapply(as.list(x)[-1L], plain_value, expr = expr, call = call)))
  }
  if (!is.atomic(x) || is.null(x) || anyNA(x)) {
    stop_expression("Use a number or text here, such as 10 or \"33%\".", expr_text(expr),
      if (is.name(x)) variable_hint(name_text(x)), call)
  }
  x
}

# One text per item: its key columns, a missing one said so.
item_labels <- function(columns, names) {
  parts <- lapply(columns[names], function(key) {
    text <- if (inherits(key, "Date")) day_text(key) else as.character(key)
    ifelse(is.na(key), "(missing)", text)
  })
  do.call(paste, c(unname(parts), list(sep = ", ")))
}

# Cuts ---------------------------------------------------------------------

#' The position of each row in its group: `place` from 1, missing without a value;
#' `size`, the ranked items; `first`, the place of its block's first row.
#' @noRd
places <- function(ranked) {
  block_places_(ranked$cell, ranked$block, ranked$quantity$missing)
}

# From single items to what becomes of a tie that the cut goes through.
at_the_cut <- function(single, ans, asked) {
  some <- whole_blocks(single, ans$ranked, all = FALSE)
  all <- whole_blocks(single, ans$ranked, all = TRUE)
  asked$cut <- asked$cut + sum((some & !all)[asked$counted], na.rm = TRUE)
  switch(asked$at_cut, keep = some, drop = all, split = single)
}

# Rows of tie blocks that are fully (all) or partly (any) selected.
whole_blocks <- function(single, ranked, all) spread_blocks_(single, ranked$block, all)

# Keeping and marking ------------------------------------------------------

#' @param rest A function of an answer and of the rows that are kept, which says what all
#'   others make; NULL where no row of them is wanted.
#' @param name What the selection is called; NULL for its own words.
#' @noRd
keep_only <- function(x, expr, rest = NULL, at_cut = "keep", call = NULL, name = NULL) {
  x <- drop_others(at_hand(x))
  found <- select_rows(expr, unclass(as_plain(x)), answer_of(x), at_cut, call)
  if (!is.null(name)) found[c("text", "name")] <- name
  keep_rows(x, found, rest, at_cut)
}

#' @param x Standings at hand, without a row of all others.
#' @param found What `select_rows()` returns.
#' @noRd
keep_rows <- function(x, found, rest = NULL, at_cut = "keep") {
  ans <- answer_of(x)
  ans$rows <- whole_rows(ans)[found$rows]
  ans <- with_facet(ans, "selection", text = c(ans$facets$selection$text, found$text),
    name = found$name)
  ans$receipt <- selection_receipt(ans$receipt, "only", found, at_cut)
  columns <- lapply(unclass(as_plain(x)), key_at, found$rows)
  if (!is.null(rest)) {
    others <- others_rows(columns, ans, rest(ans, ans$rows))
    columns <- Map(join_columns, columns, others$columns[names(columns)])
    ans$rows <- c(ans$rows, rep(NA_integer_, length(others$cell)))
    if (length(ans$ranked$totals$items) > 1L) {
      at <- order(c(ans$ranked$cell[ans$rows[!is.na(ans$rows)]], others$cell))
      columns <- lapply(columns, function(column) column[at])
      ans$rows <- ans$rows[at]
    }
  }
  rebuild(x, columns, ans)
}

# The first or last rows in the order shown, whatever their ranks are.
keep_end <- function(x, n, end, word) {
  x <- drop_others(at_hand(x))
  rows <- end(seq_along(whole_rows(answer_of(x))), n)
  keep_rows(x, list(rows = rows, text = sprintf("the %s %s", word, counted(length(rows), "row")),
    cut = 0L))
}

#' Marks items by one or several selections; what was marked before stays so.
#' @param marks List of selections, each an expression or text; those with a name are called
#'   so, the others by what they say.
#' @noRd
mark_items <- function(x, marks, at_cut = "keep", call = NULL) {
  x <- drop_others(at_hand(x))
  ans <- answer_of(x)
  columns <- unclass(as_plain(x))
  check_free("highlighted", columns, !has_facet(ans, "marks"), call)
  facet <- ans$facets$marks
  for (i in seq_along(marks)) {
    found <- select_rows(marks[[i]], columns, ans, at_cut, call)
    name <- names(marks)[i] %||% ""
    if (!nzchar(name)) name <- found$text
    check_mark(name, facet$name, call)
    ans$receipt <- selection_receipt(ans$receipt, "highlight", found, at_cut)
    facet$name <- c(facet$name, name)
    facet$text <- c(facet$text, found$text)
    facet$rows <- c(facet$rows, list(whole_rows(ans)[found$rows]))
  }
  ans <- with_facet(ans, "marks", name = facet$name, text = facet$text, rows = facet$rows)
  columns$highlighted <- mark_column(ans)
  rebuild(x, columns, ans)
}

most_marks <- 4L # as many as there are colours for that everybody can tell apart

check_mark <- function(name, before, call = NULL) {
  if (name %in% before) {
    stop_eggcrate("call", "name", sprintf("There is a mark %s already.", quoted(name)), call = call)
  }
  if (length(before) == most_marks) {
    stop_eggcrate("call", "too_many", sprintf("At most %d selections can be marked.", most_marks),
      i = "Join some of them with `|`.", call = call)
  }
}

# The mark of each row of the whole, by number: that of the first that it is in; 0 for none.
mark_numbers <- function(ans) {
  number <- integer(length(ans$ranked$cell))
  for (i in rev(seq_along(ans$facets$marks$rows))) number[ans$facets$marks$rows[[i]]] <- i
  number
}

# Rows of the whole for each mark, and for a named selection.
named_rows <- function(ans) {
  own <- ans$facets$selection$name
  marks <- ans$facets$marks
  with_names(c(marks$rows, if (!is.null(own)) list(whole_rows(ans))), c(marks$name, own))
}

#' Adds a column for each mark: the number of marked items in each slot.
#' @param slot Number of the slot of each row of the whole.
#' @param columns The other columns of the table. A mark with the name of one of them gets the
#'   suffix "(marked)".
#' @return `columns` with these.
#' @noRd
with_marked_counts <- function(columns, ans, slot, n) {
  rows <- named_rows(ans)
  if (!length(rows)) return(columns)
  names(rows) <- ifelse(names(rows) %in% names(columns), paste(names(rows), "(marked)"),
    names(rows))
  c(columns, lapply(rows, function(rows) tabulate(slot[rows], n)))
}

# One that has no name of its own is true or false; of others the name, or missing.
mark_column <- function(ans) {
  marked_by(mark_numbers(ans)[whole_rows(ans)], ans$facets$marks)
}

marked_by <- function(number, marks) {
  if (length(marks$name) == 1L && marks$name == marks$text) {
    number == 1L
  } else {
    factor(marks$name[replace(number, number == 0L, NA)], marks$name)
  }
}

selection_receipt <- function(receipt, step, found, at_cut) {
  add_rows(receipt, list(
    receipt_rows(step, "items", length(found$rows), found$text),
    if (found$cut) {
      receipt_rows(step, "tied items at the cut", found$cut, at_cut, cut_notes[[at_cut]])
    }
  ))
}

cut_notes <- c(keep = "a tie at the cut is in as a whole",
  drop = "a tie at the cut is out as a whole", split = "a tie at the cut is split in row order")

# All others ---------------------------------------------------------------

# A row of all others belongs to one selection, and goes before the next.
drop_others <- function(x) {
  ans <- answer_of(x)
  if (!anyNA(ans$rows)) {
    return(x)
  }
  keep <- !is.na(ans$rows)
  ans$rows <- ans$rows[keep]
  rebuild(x, lapply(unclass(as_plain(x)), function(column) column[keep]), ans)
}

# One row for each group that has a rest; what all others have no share in is missing.
others_rows <- function(columns, ans, rest) {
  cell <- which(rest$items > 0)
  known <- c(
    group_columns(ans, cell),
    with_names(list(sprintf("all others (%d)", rest$items[cell])), names(ans$plan$by)[1L]),
    lapply(rest$values, function(value) value[cell]), list(share = rest$share[cell])
  )
  list(cell = cell, columns = lapply(with_names(names(columns), names(columns)),
    function(name) known[[name]] %||% rep(columns[[name]][NA_integer_], length(cell))))
}

# A key that is a number or a date becomes text beside "all others".
join_columns <- function(column, more) {
  if (is.factor(column)) {
    factor(c(as.character(column), as.character(more)), levels(column))
  } else if (is.character(more) && !is.character(column)) {
    c(written_text(column), more)
  } else {
    c(column, more)
  }
}
