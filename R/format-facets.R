# What the facets of an answer say in words, in tables and figures alike.

# Titles -------------------------------------------------------------------

# Facets that give an answer its title, the first that there is.
title_facets <- c("marks", "reach", "tiers")

#' The finding of a facet as title; NULL where it has none to give.
#' @noRd
facet_title <- function(facet, ans) UseMethod("facet_title")

#' @export
#' @noRd
facet_title.eggcrate_facet <- function(facet, ans) NULL

# Marks are named by their legend, and the table is about all.
#' @export
#' @noRd
facet_title.eggcrate_facet_marks <- function(facet, ans) question_text(ans$plan)

#' @export
#' @noRd
facet_title.eggcrate_facet_reach <- function(facet, ans) if (one_group(ans)) reach_finding(ans)

#' @export
#' @noRd
facet_title.eggcrate_facet_tiers <- function(facet, ans) if (one_group(ans)) tier_finding(ans)

one_group <- function(ans) length(ans$ranked$totals$items) == 1L

# Are tiers cut by the measure that is ranked by?
tiers_ranked <- function(ans) is.null(ans$facets$tiers$scheme$of)

# Lines --------------------------------------------------------------------

# Lines below a title: the conditions, the selection and the order.
standings_lines <- function(ans) {
  where <- plan_text(ans$plan)
  c(measure_lines(ans$plan), if (!is.null(where)) paste0("where ", cut_echo(where)),
    selection_lines(ans))
}

# What is shown of it, and in which order.
selection_lines <- function(ans) {
  c(if (length(ans$facets$selection$text)) c(
    sprintf("only %s: %s", paste(ans$facets$selection$text, collapse = ", then "),
      selected_words(ans)),
    empty_selection_words(ans)),
    if (has_facet(ans, "order")) paste("in order of", ans$facets$order$text))
}

# Why a selection leaves nothing.
empty_selection_words <- function(ans) {
  text <- ans$facets$selection$text
  if (any(!is.na(whole_rows(ans))) || !length(ans$ranked$cell)) {
    return(NULL)
  }
  all <- count_of(length(ans$ranked$cell), item_noun(ans$plan))
  counting <- regmatches(text, regexpr("(top|bottom|reaching)\\([^)]*\\)", text))
  if (length(text) > 1L && length(counting)) {
    sprintf("Nothing is left: %s counts among all %s, whatever was kept before.",
      counting[length(counting)], all)
  } else {
    sprintf("Nothing is left: it means none of the %s.", all)
  }
}

#' Explains an empty result: the condition, the days of its periods, and the days that the data
#' cover.
#' @noRd
nothing_left_words <- function(ans) {
  asked <- plan_text(ans$plan)
  periods <- unlist(lapply(ans$plan$gates, function(gate) if (gate$asked) named_periods(gate$node)))
  covered <- plan_covered(ans$plan)
  paste(c(if (is.null(asked)) "Nothing is left: no row has a value." else
    sprintf("Nothing is left: no row with a value matches %s.", tick(cut_echo(asked))),
    if (length(periods)) sprintf("%s.", enumerate(periods)),
    if (length(covered)) sprintf("The data cover %s.", enumerate(covered))), collapse = " ")
}

# "`in_period(order_date, latest(month))` means 2026-05-01 to 2026-05-31".
named_periods <- function(node) {
  if (!is.null(node$range)) {
    return(sprintf("%s means %s to %s", tick(node$text), day_text(node$range[1L]),
      day_text(node$range[2L])))
  }
  unlist(lapply(node$args, named_periods))
}

# Marks --------------------------------------------------------------------

# The facet whose items are marked: those that were asked for, else those that are reached.
mark_facet <- function(ans) ans$facets$marks %||% ans$facets$reach

#' What the sign of a marked item means, a line for each sign; and what the marked and the
#' others are called in a legend.
#' @noRd
facet_legend <- function(facet, ans) UseMethod("facet_legend")
facet_marks <- function(facet, ans) UseMethod("facet_marks")

#' @export
#' @noRd
facet_legend.eggcrate_facet_marks <- function(facet, ans) {
  taken <- integer()
  vapply(seq_along(facet$name), function(i) {
    rows <- facet$rows[[i]]
    again <- sum(rows %in% taken)
    hidden <- sum(!rows %in% whole_rows(ans))
    if (!length(rows) && length(ans$facets$selection$text)) {
      return(paste0(mark_title(facet, i), ": none of the selected items."))
    }
    taken <<- union(taken, rows)
    paste0(mark_title(facet, i), ": ", selected_words(ans, rows), ".",
      if (again > 0) sprintf(" %s of them %s an earlier mark.", format_count(again),
        if (again == 1) "has" else "have"),
      if (hidden > 0) sprintf(" %s of them %s not shown.", format_count(hidden),
        if (hidden == 1) "is" else "are"))
  }, "")
}

# "best, top(3)"; one without a name of its own once.
mark_title <- function(facet, i) {
  if (facet$name[i] == facet$text[i]) facet$name[i] else
    paste(facet$name[i], facet$text[i], sep = ", ")
}

#' @export
#' @noRd
facet_legend.eggcrate_facet_reach <- function(facet, ans) {
  paste(c(sprintf(if (reaches(ans)) paste("among those that reach %s; the item that crosses the",
    "line is in.") else
    "within %s; the item that crosses the line is out.", facet$part$text), tie_words(ans)),
    collapse = " ")
}

marked_by_reach <- function(ans) sum(reach_rows(ans$ranked, ans$facets$reach$part,
  ans$facets$reach$boundary), na.rm = TRUE)

# A tie at the cut-off is in or out as a whole, while the headline counts single items.
tie_words <- function(ans) {
  facet <- ans$facets$reach
  counted <- sum(facet$count, na.rm = TRUE)
  marked <- marked_by_reach(ans)
  if (marked != counted) {
    sprintf("%s %s marked, not %s: a tie at the cut-off is %s as a whole.",
      count_of(marked, item_noun(ans$plan)), if (marked == 1L) "is" else "are",
      format_count(counted), if (marked > counted) "in" else "out")
  }
}

#' @export
#' @noRd
facet_marks.eggcrate_facet_marks <- function(facet, ans) {
  signs <- if (length(facet$name) > 1L) paste0(mark_signs()[seq_along(facet$name)], " ")
  c(paste0(signs, facet$name), "all others")
}

mark_signs <- function() {
  c(symbol("*", "\u25cf"), symbol("+", "\u25a0"), symbol("o", "\u25b2"), symbol("x", "\u25c6"))
}

#' @export
#' @noRd
facet_marks.eggcrate_facet_reach <- function(facet, ans) reach_legend(ans)

# "top(3): 3 of 241 customers, 11.7% of net sales"; of several each with its share alone.
marks_finding <- function(ans) {
  facet <- ans$facets$marks
  if (length(facet$name) == 1L) {
    return(sprintf("%s: %s", facet$name, selected_words(ans, facet$rows[[1L]])))
  }
  count <- format_count(lengths(facet$rows))
  if (!shows_shares(ans)) {
    return(sprintf("%s of %s", enumerate(sprintf("%s (%s)", capital_first(facet$name), count)),
      count_of(length(ans$ranked$cell), item_noun(ans$plan))))
  }
  share <- percent_formatter()(vapply(facet$rows, selected_share, 0, ans = ans))
  sprintf("%s of %s", enumerate(sprintf("%s (%s) %s %s", capital_first(facet$name), count,
    ifelse(lengths(facet$rows) == 1L, "accounts for", "account for"), share)), measure_words(ans))
}

# At the head of a title.
capital_first <- function(names) c(capital(names[1L]), names[-1L])

# Puts the signs of marks before names, in charts whose colours have another meaning.
names_after_marks <- function(names, mark) {
  marked <- which(mark > 0L)
  names[marked] <- paste(mark_signs()[mark[marked]], names[marked])
  names
}

# "● top(3).": the legend of these signs.
mark_sign_words <- function(ans) {
  facet <- ans$facets$marks
  if (is.null(facet)) {
    return(NULL)
  }
  gone <- vapply(facet$rows, function(rows) !any(rows %in% whole_rows(ans)), NA)
  sprintf("%s.",
    paste0(mark_signs()[seq_along(facet$name)], " ", facet$name, ifelse(gone, " (not shown)", ""),
      collapse = ", "))
}

# Numbers of marks along rows, 0 for those that have none.
marks_of <- function(x) {
  column <- intersect(mark_columns, names(x))
  if (length(column)) {
    mark <- .subset2(x, column[1L])
    if (is.factor(mark)) replace(as.integer(mark), is.na(mark), 0L) else as.integer(mark)
  }
}

# Marked items are shown wherever they stand. Of very many, which would bury the rest, the first
# `n` of each mark and group are.
always_shown <- function(x, cell, n, most = 40L) {
  mark <- if ("highlighted" %in% names(x)) marks_of(x) else integer(length(cell))
  if (sum(mark > 0L) <= most) mark > 0L else mark > 0L & mark_places(mark, cell) <= n
}

# The place of each among those of its mark and group.
mark_places <- function(mark, cell) stats::ave(seq_along(cell), cell, mark, FUN = seq_along)

# Text after a group's name in its heading.
group_words <- function(ans, group) {
  if (has_facet(ans, "reach") && !has_facet(ans, "marks")) {
    paste0(": ", reach_finding(ans, group))
  } else {
    ""
  }
}

# What a sign before the rank says; the first that there is.
mark_columns <- c("highlighted", "reached")

#' How sure ranks are, and by what.
#' @noRd
interval_words <- function(ans) {
  sprintf("Ranks and error bars: %s intervals, %s orders resampled %s times, seed %s.",
    ans$facets$intervals$level$text, format_count(ans$facets$intervals$orders),
    format_count(ans$facets$intervals$times),
    number_text(ans$facets$intervals$seed))
}
