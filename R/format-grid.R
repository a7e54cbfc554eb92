# Grids in words.

# All figures of a grid in one unit, and with as many decimals: sums in thousands or
# millions, where they are so large.
grid_number <- function(ans) {
  unit <- grid_unit(ans)
  number <- if (unit == 1) measure_formatter(ans) else number_formatter(1L)
  function(x) ifelse(is.na(x), "", number(if (unit == 1) x else x / unit))
}

# The figures of cells; a month that is not complete is marked.
cell_figures <- function(ans, table) {
  figures <- grid_number(ans)(table$value)
  if (!any(ans$facets$grid$open)) figures else
    paste0(figures, ifelse(table$open & nzchar(figures), "*", ""))
}

star_words <- function(ans) {
  if (length(ans$facets$grid$incomplete) || any(ans$facets$grid$open)) "* not complete."
}

# What a figure of the grid counts; 1 where the measure says it itself.
grid_unit <- function(ans) {
  if (!has_shares(ans) || is_percentage(ans) || is_money(ans) && money_unit() != 1) {
    return(1)
  }
  most <- max(abs(quantity_real(ans$ranked$quantity)), 0, na.rm = TRUE)
  if (most >= 1e7) 1e6 else if (most >= 1e4) 1e3 else 1
}

unit_words <- function(ans) {
  unit <- grid_unit(ans)
  if (unit > 1) sprintf("Figures in %ss.", names(money_units)[match(unit, money_units)])
}

grid_total <- function(ans) {
  if (isFALSE(ans$facets$grid$asked$totals) || !has_shares(ans) ||
    !is.null(plan_measure(ans$plan)$per_day)) {
    NA_real_
  } else {
    exact_real(exact_sum_by(ans$ranked$share$value, rep(1L, length(ans$ranked$cell)), 1L))
  }
}

# The names of a side, cut to a width; periods that are not complete are marked.
side_labels <- function(ans, side, width, mark = "*") {
  labels <- ans$facets$grid$labels[[side]]
  open <- labels %in% ans$facets$grid$incomplete & (side == "columns") != ans$facets$grid$turned
  paste0(cut_names(labels, width), ifelse(open, mark, ""))
}

# How many rows and columns are not shown.
hidden_sides <- function(ans, hidden) {
  noun <- function(side) plain_words(side_nouns(ans, side)[1L])
  c(not_shown(hidden[1L], noun("rows")), not_shown(hidden[2L], noun("columns")))
}

blank_words <- function(shade) if (anyNA(shade)) "A blank cell has no rows."

# What the shade means.
shade_words <- function(ans) {
  asked <- ans$facets$grid$asked
  where <- c(all = "among all cells", rows = "within each row",
    columns = "within each column")[[asked$along]]
  within <- ans$facets$grid$within
  if (length(within) && asked$along != "rows") {
    where <- paste(where, "of a", enumerate(plain_words_of(within)))
  }
  if (!is.null(asked$scheme)) {
    return(sprintf("%s, %s.", capital(shown_scheme(asked$scheme)), where))
  }
  number <- said_formatter(ans)
  said <- function(name) if (!is.null(asked[[name]])) sprintf("%s %s", name, number(asked[[name]]))
  centre <- if (asked$shade == "rank" && !is.null(asked$centre)) {
    paste("centre at percentile", percent_formatter()(asked$centre))
  } else {
    said("centre")
  }
  lines <- c(said("floor"), said("target"), centre, said("ceiling"))
  if (asked$shade == "value" && asked$along == "all" && is.null(asked$floor) &&
    is.null(asked$ceiling)) {
    ends <- range(quantity_real(ans$ranked$quantity), na.rm = TRUE)
    lines <- c(sprintf("from %s to %s", number(ends[1L]), number(ends[2L])), lines)
  }
  sprintf("Shade: by %s %s%s%s.", asked$shade, where,
    if (length(lines)) paste0(", ", paste(lines, collapse = ", ")) else "",
    if (ans$plan$rules$best == "lowest") ", the lowest darkest" else "")
}

#' "Net sales are highest in Ambermouth, 2026-05 (52,532.34), lowest in …".
#' @noRd
grid_finding <- function(ans) {
  q <- ans$ranked$quantity
  value <- quantity_real(q)
  if (!any(!is.na(value))) {
    return(question_text(ans$plan))
  }
  at <- c(which.max(value), which.min(value))
  name <- sprintf("%s, %s", whole_row_names(ans)[ans$facets$grid$row[at]],
    ans$facets$grid$labels$columns[ans$facets$grid$column[at]])
  number <- said_formatter(ans)
  sprintf("%s by %s and %s: highest in %s (%s), lowest in %s (%s)", capital(measure_words(ans)),
    enumerate(plain_words_of(side_nouns(ans, "rows"))),
    enumerate(plain_words_of(side_names(ans, "columns"))),
    name[1L], number(value[at[1L]]), name[2L], number(value[at[2L]]))
}

# With the group before the name, where there are groups.
whole_row_names <- function(ans) {
  grid <- ans$facets$grid
  if (length(grid$groups)) paste(grid$groups[grid$group], grid$labels$rows, sep = ", ") else
    grid$labels$rows
}

# Rows that are shown: the first `n` of each group, and marked ones.
rows_in_view <- function(ans, n) {
  rows <- shown_rows(ans)
  group <- ans$facets$grid$group[rows]
  place <- stats::ave(seq_along(rows), group, FUN = seq_along)
  rows[place <= n | (ans$facets$grid$marks %||% integer(length(ans$facets$grid$group)))[rows] > 0L]
}

# Lines above a grid: the conditions and the selection of rows.
grid_words_above <- function(ans) {
  if (is.null(ans$facets$grid$side)) standings_lines(ans) else
    standings_lines(answer_of(grid_side(ans)))
}

# Signs of marked rows, and what they mean.
row_signs <- function(ans) {
  marks <- ans$facets$grid$marks
  if (is.null(marks)) rep("", length(ans$facets$grid$labels$rows)) else
    paste0(c(" ", mark_signs())[marks + 1L], " ")
}

row_mark_words <- function(ans) {
  marks <- ans$facets$grid$side$facets$marks
  if (!is.null(marks)) {
    paste(mark_signs()[seq_along(marks$name)], facet_legend(marks, answer_of(grid_side(ans))))
  }
}

plain_words_of <- function(names) vapply(names, plain_words, "")

# What the ends and the middle of the legend mean.
# Shades from end to end.
shade_ramp <- function(signed, n) seq(if (signed) -1 else 0, 1, length.out = n)

shade_labels <- function(ans) {
  asked <- ans$facets$grid$asked
  where <- c(all = "of all", rows = "in its row", columns = "in its column")[[asked$along]]
  number <- grid_number(ans)
  if (asked$shade == "rank") {
    middle <- if (is.null(asked$centre)) "middle" else paste("percentile",
      percent_formatter()(asked$centre))
    return(c(paste("worst", where), middle, paste("best", where)))
  }
  value <- quantity_real(ans$ranked$quantity)
  ends <- c(asked$floor %||% if (asked$along == "all") min(value, na.rm = TRUE),
    asked$ceiling %||% if (asked$along == "all") max(value, na.rm = TRUE))
  if (ans$plan$rules$best == "lowest" && is.null(asked$floor) && is.null(asked$ceiling)) {
    ends <- rev(ends)
  }
  if (!is.null(asked$centre)) {
    reach <- if (length(ends) == 2L) max(abs(ends - asked$centre))
    sides <- if (is.null(reach)) {
      c("furthest below", "furthest above")
    } else {
      c(number(asked$centre - reach), number(asked$centre + reach))
    }
    if (ans$plan$rules$best == "lowest") sides <- rev(sides)
    return(c(sides[1L], paste("centre", number(asked$centre)), sides[2L]))
  }
  if (length(ends) < 2L) {
    return(c(paste("least", where), if (is.null(asked$target)) "half way" else number(asked$target),
      paste("most", where)))
  }
  c(number(ends[1L]), number(asked$target %||% mean(ends)), number(ends[2L]))
}
