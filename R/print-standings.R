# Printing: set up once, format header, body and footer, write lines.

#' Print standings
#'
#' Shows what one wants first: the ten best of each group, all others in one
#' row, the total, and what was done.
#'
#' @param x Standings.
#' @param n How many items to show of each group, `Inf` for all; by default 10, and all that
#'   [only()] has left.
#' @param width Width of a line in characters.
#' @param columns Columns to show, in this order, by their names in the result:
#'   `c("net_sales", "percentile")`. The items are always shown.
#' @param ... Ignored.
#' @returns `x`, invisibly; `format()` returns the lines.
#' @export
#' @examples
#' print(standings(demo_orders(), of = sum(net_sales), by = product), n = 5)
#' print(standings(demo_orders(), of = sum(net_sales), by = product),
#'   columns = c("rank", "net_sales", "percentile"))
print.eggcrate_standings <- function(x, n = NULL, width = getOption("width"), columns = NULL, ...) {
  print_lines(format(x, n = n, width = width, columns = columns, ...))
  invisible(x)
}

#' @rdname print.eggcrate_standings
#' @export
format.eggcrate_standings <- function(x, n = NULL, width = getOption("width"), columns = NULL,
  ...) {
  if (is.null(columns)) {
    return(format_answer(x, n, width))
  }
  check_chosen(columns, x, sys.call()[1L])
  with_display_columns(columns, format_answer(x, n, width))
}

format_answer <- function(x, n, width) {
  setup <- fit_setup(answer_setup(x, n, width))
  c(header_lines(setup), "", block_lines(setup), standings_body(setup), "", standings_footer(setup))
}

# Setup --------------------------------------------------------------------

# Parts that text and HTML share: `title`, `lines` below it, `blocks` (tables of
# groups: `caption`, `cells` each; NULL for none), `rows` (which of them are summary rows or marked)
# and their `cells`, `groups` (names of the sections), and `notes` for the foot.
answer_setup <- function(x, n, width) {
  check_shown(n, width)
  with_chosen_columns(setup_of(x, n, width), x)
}

setup_of <- function(x, n, width) UseMethod("setup_of")

setup_of.eggcrate_standings <- function(x, n, width) {
  setup <- standings_setup(x, n, width)
  setup$cells <- standings_cells(setup)
  setup$title <- standings_title(setup$ans)
  setup$lines <- standings_lines(setup$ans)
  setup$blocks <- list(tier_block(setup))
  setup
}

#' @param always Rows of the whole that are always shown.
#' @noRd
standings_setup <- function(x, n, width, always = integer()) {
  x <- drop_others(x)
  ans <- answer_of(x)
  n <- n %||% if (length(ans$facets$selection$text)) Inf else 10
  x <- unclass(x) # a plain list: printing needs no tibble
  at <- whole_rows(ans)
  cell <- ans$ranked$cell[at]
  place <- seq_along(cell) - match(cell, cell) + 1L
  keep <- place <= n
  # A rest of one is shown by its own name.
  keep <- keep | place == n + 1 & tabulate(cell)[cell] == n + 1
  keep <- keep | always_shown(x, cell, n) | at %in% always
  rest <- rest_of(ans, at[keep])
  together <- together_of(ans, at, keep, rest)
  rows <- rbind_rows(body_rows(x, ans, at, keep), together_rows(ans, together), rest_rows(rest),
    total_rows(ans))
  extras <- extra_texts(extra_cells(x, ans, keep, rest, together), rows, sum(keep))
  order <- order(rows$cell, rows$kind)
  rows <- lapply(rows, function(column) column[order])
  list(
    ans = ans, account = ans, rows = rows, width = max(40L, width), groups = group_labels(ans),
    numbers = measure_formatter(ans, missing = symbol("-", "\u2013")),
    marked = any(mark_columns %in% names(x)),
    extras = lapply(extras,
      function(e) list(text = e$text[order], side = e$side, values = e$values[order]))
  )
}

# What kinds of rows there are, in their order.
row_kinds <- c(item = 1L, together = 2L, others = 3L, total = 4L)

#' The totals of the selected items, if all of them are shown and there are others.
#' @return As `rest_of()`, with nothing where there is no such line; NULL without a selection.
#' @noRd
together_of <- function(ans, at, keep, rest) {
  if (!length(ans$facets$selection$text) || !all(keep)) {
    return(NULL)
  }
  out <- rest_of(ans, setdiff(seq_along(ans$ranked$cell), at))
  out$items[out$items < 2L | rest$items == 0L] <- 0L
  out
}

#' "top 10" of the selection `top(10)`.
#' @noRd
selection_name <- function(text) {
  shape <- "^(top|bottom|reaching|in_tier)\\(\"?([^\"(),]+)\"?\\)$"
  if (length(text) == 1L && grepl(shape, text)) {
    sub("in_tier", "tier", sub(shape, "\\1 \\2", text), fixed = TRUE)
  } else {
    "selected"
  }
}

standings_cells <- function(setup) {
  rows <- setup$rows
  percent <- percent_formatter()
  cells <- list(
    rank = cell("rank", rows$rank), name = cell(setup_name_title(setup), rows$name, "left"),
    value = cell(measure_title(setup$ans, shown_name(plan_measure(setup$ans$plan)$name)),
      setup$numbers(rows$value)),
    bar = bar_cell(rows$value, rows$kind == 1L, plan_measure(setup$ans$plan)$name),
    share = cell("share", percent(rows$share)),
    cum_share = cell("cum. share", percent(rows$cum_share))
  )
  if (!has_shares(setup$ans)) cells[c("share", "cum_share")] <- NULL
  if (!main_bars(setup$ans)) cells$bar <- NULL
  for (name in names(setup$extras)) {
    extra <- setup$extras[[name]]
    cells[[name]] <- cell(column_title(setup$ans, name), extra$text, extra$side)
    if (has_bars(name) && any(!is.na(extra$values))) {
      cells[[paste("bar", name)]] <- bar_cell(extra$values, rows$kind == 1L, name)
    }
  }
  if (setup$marked) cells <- c(list(mark = cell("", reach_sign(rows$mark), "left")), cells)
  cells
}

# Bars next to a column: the ones in `bars`, or the ranking measure.
has_bars <- function(name) name %in% names(display("bars"))
main_bars <- function(ans) {
  # Ignore display settings that name columns of other results.
  named <- any(vapply(measure_names(ans$plan), has_bars, NA))
  if (named) has_bars(plan_measure(ans$plan)$name) else has_shares(ans)
}

bar_cell <- function(value, drawn, name) {
  cell("", bar_text(value, drawn, most = bar_end(value, drawn, name)), "left", derived = TRUE)
}

# Where bars end: as it was said, else at the greatest value.
bar_end <- function(value, drawn, name) {
  end <- unname(display("bars")[name])
  if (length(end) && !is.na(end)) end else max(value[drawn], 0, na.rm = TRUE)
}

# A bar as long as the value, of at most `width` characters, thin so that rows stay apart;
# none for summary rows and values below zero.
bar_text <- function(value, drawn, width = 10L, most = max(value[drawn], 0, na.rm = TRUE)) {
  part <- ifelse(drawn & !is.na(value) & value > 0 & most > 0, pmin(1, value / most), 0)
  if (symbol("#", "") == "#") {
    return(strrep("#", round(part * width)))
  }
  halves <- round(part * width * 2)
  paste0(strrep("\u2501", halves %/% 2), ifelse(halves %% 2 == 1, "\u2578", ""))
}

body_rows <- function(x, ans, at, keep) {
  none <- rep(NA_real_, length(keep))
  list(
    row = at[keep], cell = ans$ranked$cell[at[keep]], kind = rep(1L, sum(keep)),
    rank = rank_text(x$rank[keep]),
    name = item_labels(lapply(x[names(ans$plan$by)], function(key) key[keep]),
      names(ans$plan$by)),
    value = x[[plan_measure(ans$plan)$name]][keep],
    share = (.subset2(x, "share") %||% none)[keep],
    cum_share = (.subset2(x, "cum_share") %||% none)[keep],
    mark = marks_of(x)[keep] %||% rep(NA, sum(keep)), source = which(keep)
  )
}

# Further measures and columns to show, as text; empty for summary rows but for
# the totals of measures.
extra_cells <- function(x, ans, keep, rest, together = NULL) {
  measures <- vapply(ans$plan$measures[-1L], `[[`, "", "name")
  shown <- c(names(ans$plan$show), intersect(c("tier", "tier_before"), names(x)))
  gaps <- intersect("to_next", names(x))
  firm <- if (has_facet(ans, "intervals")) {
    with_names(
      list(list(format = as.character, values = rank_interval(x, keep), totals = NULL,
        side = "left")),
      sprintf("ranks, %s", ans$facets$intervals$level$text))
  }
  format <- function(name) {
    values <- .subset2(x, name)
    measure <- if (name %in% measures) measure_named(ans, name)
    if (is.null(measure)) plain_formatter(values) else {
      figure_formatter(ans, measure, greatest(values))
    }
  }
  c(
    firm, lapply(with_names(measures, measures), function(name) {
      list(format = format(name), values = .subset2(x, name)[keep], rest = rest$values[[name]],
        together = together$values[[name]], totals = ans$ranked$totals[[name]], side = "right")
    }),
    lapply(with_names(shown, shown),
      function(name) list(format = format(name), values = .subset2(x, name)[keep], totals = NULL,
        side = "left")),
    lapply(with_names(gaps, sub("_", " ", gaps)),
      function(name) list(format = tier_formatter(ans), values = .subset2(x, name)[keep],
        totals = NULL, side = "right"))
  )
}

# Returns a function that formats the values of a column as in any other table of the result.
column_texts <- function(name, values, ans) {
  format <- column_formats(with_names(list(values), name), ans)[[name]]$format
  format %||% function(x) if (is.numeric(x)) format_count(x) else as.character(x)
}

# "3 to 9".
rank_interval <- function(x, keep) {
  ends <- lapply(c("rank_low", "rank_high"), function(name) .subset2(x, name)[keep])
  ifelse(is.na(ends[[1L]]), "", paste(format_count(ends[[1L]]), "to", format_count(ends[[2L]])))
}

extra_texts <- function(cells, rows, n) {
  lapply(cells, function(e) {
    text <- rep("", length(rows$cell))
    values <- e$format(e$values)
    text[seq_len(n)] <- ifelse(is.na(e$values), "", values)
    sums <- list(together = e$together, others = e$rest, total = e$totals)
    for (kind in names(sums)[lengths(sums) > 0L]) {
      at <- rows$kind == row_kinds[[kind]]
      text[at] <- e$format(sums[[kind]][rows$cell[at]])
    }
    values <- rep(NA_real_, length(text))
    if (is.numeric(e$values)) values[seq_len(n)] <- as.numeric(e$values)
    list(text = text, side = e$side, values = values)
  })
}

rest_rows <- function(rest) line_of_sums(rest, "others", "all others")

together_rows <- function(ans, together) {
  if (!is.null(together)) {
    line_of_sums(together, "together", selection_name(ans$facets$selection$text))
  }
}

line_of_sums <- function(sums, kind, name) {
  some <- sums$items > 0
  summary_rows(which(some), row_kinds[[kind]],
    sprintf("%s (%s)", name, format_count(sums$items[some])),
    sums$value[some], sums$share[some])
}

total_rows <- function(ans) {
  groups <- seq_along(ans$ranked$totals$items)
  value <- ans$ranked$totals[[plan_measure(ans$plan)$name]]
  share <- if (!has_shares(ans)) {
    rep(NA_real_, length(groups))
  } else {
    share_of(ans$ranked$share, ans$ranked$share$total)
  }
  summary_rows(groups, row_kinds[["total"]],
    sprintf("total (%s)", format_count(ans$ranked$totals$items)), value,
    share)
}

summary_rows <- function(cell, kind, name, value, share) {
  n <- length(cell)
  list(row = rep(NA_integer_, n), cell = cell, kind = rep(kind, n), rank = rep("", n), name = name,
    value = value, share = share, cum_share = rep(NA_real_, n), mark = rep(NA, n),
    source = rep(NA_integer_, n))
}

rbind_rows <- function(...) do.call(Map, c(list(c), Filter(Negate(is.null), list(...))))

# Header, body, footer -----------------------------------------------------

standings_title <- function(ans) {
  for (facet in ans$facets[intersect(title_facets, names(ans$facets))]) {
    title <- facet_title(facet, ans)
    if (!is.null(title)) return(title)
  }
  question_text(ans$plan)
}

header_lines <- function(setup) {
  c(bold(fold(setup$title, setup$width)), muted(unlist(lapply(setup$lines, fold, setup$width))))
}

standings_body <- function(setup) {
  if (!length(setup$rows$cell)) {
    return(fold(nothing_left_words(setup$ans), setup$width))
  }
  cells <- setup$fitted
  # Columns that are computed from the measure are grey.
  for (second in c(intersect(c("share", "cum_share"), names(cells)), bar_columns(cells),
    muted_columns(cells, setup$ans))) {
    cells[[second]] <- muted(cells[[second]])
  }
  for (name in signed_columns(cells, setup$ans)) cells[[name]] <- paint_signs(cells[[name]])
  paint_lines(cells, setup$rows, setup)
}

# A line with its name before the lines of each group, where there are groups.
grouped_lines <- function(lines, group, names) {
  if (!length(names)) {
    return(lines)
  }
  unlist(lapply(unique(group), function(one) c("", bold(names[one]), lines[group == one])))
}

# The columns that fit in the width, as aligned text; `no_room` are titles of those asked
# for that do not.
fit_setup <- function(setup) {
  texts <- cell_texts(setup$cells, setup$width)
  derived <- c(derived_columns, names(Filter(function(cell) cell$derived, setup$cells)))
  asked <- asked_cells(setup)
  setup$fitted <- fit_cells(texts, setup$width, setup$least_name %||% 16L, derived, asked)
  gone <- setdiff(names(texts), c(names(setup$fitted), setdiff(derived, asked)))
  titles <- vapply(setup$cells[gone], `[[`, "", "title")
  setup$no_room <- titles[nzchar(titles)]
  setup
}

# Tiers of one group: with several the table would bury the items.
tier_block <- function(setup) {
  if (one_tiered(setup$ans)) {
    list(caption = shown_scheme(setup$ans$facets$tiers$scheme), cells = tier_cells(setup))
  }
}

tier_cells <- function(setup) {
  ans <- setup$ans
  table <- tier_counts(ans)
  value <- table[[plan_measure(ans$plan)$name]]
  number <- if (tiers_ranked(ans)) setup$numbers else tier_formatter(ans)
  cut <- cut_off_words(table, ans, number)
  cells <- list(
    tier = cell("tier", as.character(table$tier), "left"),
    cut = cell(if (tiers_ranked(ans)) "cut-off" else shown_name(ans$facets$tiers$scheme$of), cut),
    items = cell("items", format_count(table$items)),
    of_items = cell("of items", percent_formatter()(table$share_of_items)),
    value = cell(measure_title(ans, shown_name(plan_measure(ans$plan)$name)), setup$numbers(value))
  )
  if (!is.null(table[["share"]])) {
    cells$bar <- cell("", bar_text(value, rep(TRUE, length(value))), "left")
    cells$share <- cell("share", percent_formatter()(table[["share"]]))
  }
  c(cells, marked_cells(table, ans))
}

# Cells with the number of marked items in each row of a table of tiers, quadrants, classes or
# statuses.
marked_cells <- function(table, ans, total = FALSE) {
  rows <- named_rows(ans)
  Map(function(name, count, rows) cell(name, format_count(c(count, if (total) length(rows)))),
    names(rows), utils::tail(table, length(rows)), rows)
}

setup_name_title <- function(setup) enumerate(shown_name(names(setup$ans$plan$by)))

# By number; 0 is not marked.
reach_sign <- function(mark) {
  ifelse(is.na(mark), "", c(symbol(".", "\u00b7"), mark_signs())[mark + 1L])
}

paint_lines <- function(cells, rows, setup) {
  lines <- trimws(do.call(paste, c(unname(cells), list(sep = "  "))), "right")
  head <- muted(lines[1L])
  body <- lines[-1L]
  secondary <- rows$kind > row_kinds[["together"]]
  body[secondary] <- muted(body[secondary])
  last <- rows$kind == row_kinds[["total"]]
  body[last] <- bold(lines[-1L][last])
  body <- paint_marks(body, rows$mark, setup$ans)
  by_group <- split(body, rows$cell)
  if (length(by_group) == 1L && !nzchar(setup$groups[1L])) {
    return(c(head, body))
  }
  c(head,
    unlist(Map(function(label, lines) c("", bold(group_line(setup, label)), lines),
      as.integer(names(by_group)), by_group)))
}

# The sign of the chosen ones is coloured and the rest muted: yellow letters would
# be lost on a light window.
paint_marks <- function(lines, mark, ans) {
  paints <- mark_palette_of(ans, mark_paints)
  for (i in seq_len(max(0L, mark, na.rm = TRUE))) {
    chosen <- mark %in% i
    lines[chosen] <- paste0(painted(paints[i])(substr(lines[chosen], 1L, 1L)),
      substring(lines[chosen], 2L))
  }
  passed <- mark %in% 0L
  lines[passed] <- muted(lines[passed])
  lines
}

group_line <- function(setup, group) {
  ans <- setup$ans
  label <- setup$groups[group]
  if (ans$ranked$incomplete[group]) label <- paste(label, "(not complete)")
  paste0(label, group_words(ans, group))
}

standings_footer <- function(setup) {
  ans <- setup$account
  arithmetic <- ans$receipt$value[ans$receipt$fact == "arithmetic"]
  legend <- if (setup$marked && length(ans$ranked$cell)) {
    words <- setup$legend %||% mark_words(ans)
    paste(reach_sign(seq_along(words)), words)
  }
  narrow <- if (length(setup$no_room)) no_room_words(setup$no_room)
  account <- sprintf("%s. Arithmetic: %s.", rows_sentence(ans$receipt), arithmetic)
  lines <- c(legend, narrow, account, setup$reading %||% reading_notes(ans), setup$notes)
  muted(unlist(lapply(lines, fold, width = setup$width)))
}

no_room_words <- function(columns) {
  sprintf("Not shown for lack of width: %s. Widen the window, or write to a file.",
    enumerate(columns))
}

mark_words <- function(ans) {
  facet_legend(mark_facet(ans), ans)
}

# Text ---------------------------------------------------------------------

# Colours only where they are wanted: cli knows about terminals and NO_COLOR.
styled <- function(style) {
  force(style)
  function(x) {
    if (!length(x) || !colours_wanted()) {
      return(x)
    }
    as.character(style()(x))
  }
}
bold <- styled(function() cli::style_bold)
muted <- styled(function() cli::style_dim)
painted <- function(colour) styled(function() cli::make_ansi_style(colour))

# Colours of the four marks, readable in light and dark windows.
mark_paints <- c("#C98A00", "#B5533A", "#4C7FA8", "#6A8F82")

# Numbers below zero in clay, those above zero in blue.
paint_signs <- function(texts) {
  sign <- sign_of_text(texts)
  texts[sign < 0] <- painted(mark_paints[2L])(texts[sign < 0])
  texts[sign > 0] <- painted(mark_paints[3L])(texts[sign > 0])
  texts
}

# Asked without loading cli when the answer is plain: a cold shell that writes
# into a pipe must not wait for it.
colours_wanted <- function() {
  if (nzchar(Sys.getenv("NO_COLOR"))) {
    return(FALSE)
  }
  if (isNamespaceLoaded("cli") || isatty(stdout()) || !is.null(getOption("cli.num_colors"))) {
    cli::num_ansi_colors() > 1L
  } else {
    FALSE
  }
}
