# The answer: what a verb returns, as a tibble of its own class. What belongs to it but is
# no column stays together in one attribute: the plan, the ranked items, the receipt, the
# facets, and a way back to the source.

#' @param columns The table, a named list.
#' @param ranked,plan What was ranked, and by which plan.
#' @param receipt The receipt, a list of columns.
#' @param source Name of the source.
#' @param handle Way back to the rows, from `new_handle()`.
#' @param facets Named list of facets.
#' @param rows Rows of the whole that the table has, in its order; NULL for all in theirs.
#' @param class Narrower classes.
#' @noRd
new_answer <- function(columns, ranked, plan, receipt, source, handle, facets = list(),
  rows = NULL, class = "eggcrate_standings") {
  stopifnot(inherits(plan, "eggcrate_plan"), inherits(ranked, "eggcrate_ranked"),
    is.list(columns), is.list(facets))
  answer_table_of(columns, list(plan = plan, ranked = ranked, receipt = receipt, source = source,
    handle = handle, facets = facets, rows = rows), class)
}

# The same answer with other columns, and maybe of a narrower kind.
answer_table_of <- function(columns, ans, class) {
  structure(columns, row.names = .set_row_names(length(columns[[1L]])), names = names(columns),
    class = unique(c(class, "eggcrate_answer", "tbl_df", "tbl", "data.frame")),
    eggcrate = ans)
}

rebuild <- function(x, columns, ans, class = NULL) {
  answer_table_of(columns, ans, c(class,
    setdiff(oldClass(x), c("eggcrate_answer", "tbl_df", "tbl", "data.frame"))))
}

# The same with its rows in order of rank.
in_rank_order <- function(x) {
  ans <- answer_of(x)
  if (is.null(ans$rows)) {
    return(x)
  }
  at <- order(ans$rows)
  ans$rows <- ans$rows[at]
  if (identical(ans$rows, seq_along(ans$ranked$cell))) ans["rows"] <- list(NULL)
  rebuild(x, lapply(unclass(as_plain(x)), function(column) column[at]), ans)
}

# Rows of a grid and of movement are cells: of an item, in a column or a period.
ranks_items <- function(x) inherits(x, "eggcrate_standings") &&
  !inherits(x, c("eggcrate_grid", "eggcrate_movement"))

# Standings of all that is ranked, whatever the table of an answer shows of it.
standings_behind <- function(x) {
  if (ranks_items(x)) {
    return(x)
  }
  ans <- answer_of(x)
  ranked <- ans$ranked
  tier <- ans$facets$tiers$number %||% ans$facets$grid$tier
  scheme <- ans$facets$tiers$scheme %||% ans$facets$grid$asked$scheme
  columns <- c(standing_columns(ranked, c(list(ranked$quantity), ranked$additional), places(ranked),
    ans$plan),
    if (!is.null(tier)) list(tier = labelled_tier(tier, scheme)))
  new_answer(columns, ranked, ans$plan, ans$receipt, ans$source, ans$handle, ans$facets)
}

# What belongs to a result.
answer_of <- function(x) {
  ans <- attr(x, "eggcrate", exact = TRUE)
  if (inherits(ans, "eggcrate_at_rest")) unpacked(unclass(ans)) else ans
}

# A result as it is handed out. Exact numbers at rest are whole numbers of R, which every way
# of saving keeps; the bits of complex ones, as which they are reckoned with, are not kept by
# saving as text.
at_rest <- function(x) {
  ans <- attr(x, "eggcrate", exact = TRUE)
  if (!is.null(ans) && !inherits(ans, "eggcrate_at_rest")) {
    attr(x, "eggcrate") <- structure(packed(ans), class = "eggcrate_at_rest")
  }
  x
}

# The same to work on.
at_hand <- function(x) {
  attr(x, "eggcrate") <- answer_of(x)
  x
}

packed <- function(x) {
  if (is.complex(x)) {
    return(structure(exact_pack_(x), class = "eggcrate_packed"))
  }
  if (is.list(x) && length(x)) x[] <- lapply(x, packed)
  x
}

unpacked <- function(x) {
  if (inherits(x, "eggcrate_packed")) {
    return(exact_unpack_(x))
  }
  if (is.list(x) && length(x)) x[] <- lapply(x, unpacked)
  x
}

# Changed by other means, it is a plain tibble: no stale receipt.
as_plain <- function(x) {
  attributes(x)[c("eggcrate", "reading")] <- NULL
  class(x) <- c("tbl_df", "tbl", "data.frame")
  x
}

# Facets -------------------------------------------------------------------

#' Additions to the ranks of a result: tiers, a Pareto target, quadrants, a change, targets, a grid,
#' movement, rank intervals, marks, a selection. Each is an object with methods for its tables, its
#' lines, its chart and its steps.
#' @noRd
new_facet <- function(kind, ...) {
  stopifnot(kind %in% facet_kinds)
  structure(list(...), class = c(paste0("eggcrate_facet_", kind), "eggcrate_facet"))
}

facet_kinds <- c("selection", "marks", "reach", "tiers", "quadrants", "change", "targets", "grid",
  "movement", "intervals", "extremes", "concentration", "order")

with_facet <- function(ans, kind, ...) {
  ans$facets[[kind]] <- new_facet(kind, ...)
  ans
}

has_facet <- function(ans, kind) !is.null(ans$facets[[kind]])

# Does the measure have shares?
has_shares <- function(ans) !is.null(ans$ranked$share)

# The measure that was asked for: of two periods that is not the change.
asked_measure <- function(ans) ans$facets$change$measure %||% plan_measure(ans$plan)

# Rows of the result among those of the whole.
whole_rows <- function(ans) ans$rows %||% seq_along(ans$ranked$cell)

# Checks -------------------------------------------------------------------

check_standings <- function(x, arg = "x", call = NULL) {
  if (missing(x)) stop_missing_arg(arg, "Make it with `standings()`.", call)
  if (!inherits(x, "eggcrate_standings")) {
    stop_eggcrate("call", "unknown_value",
      sprintf("`%s` must be standings, not %s.", arg, describe(x)),
      i = paste("Make them with `standings()`; what was changed by hand is a plain table, what",
        "`only()` keeps is not."),
      call = call)
  }
}

check_answer <- function(x, call = NULL) {
  if (missing(x)) stop_missing_arg("x", "Make it with `standings()`.", call)
  if (!inherits(x, "eggcrate_answer")) check_standings(x, call = call)
}

check_result <- function(x, class, what, call = NULL) {
  if (missing(x)) stop_missing_arg("x", sprintf("Give %s.", what), call)
  if (!inherits(x, class)) {
    stop_eggcrate("call", "unknown_value", sprintf("`x` must be %s, not %s.", what, describe(x)),
      i = "A result that was changed by hand is a plain table.", call = call)
  }
}

# Changes have no shares and no ranks of their own.
check_not_changes <- function(ans, what, call = NULL) {
  if (has_facet(ans, "change")) {
    stop_eggcrate("call", "unknown_value",
      sprintf("%s of standings, and `x` is changes between two periods.", what),
      i = "Use `class_table()`, `bridge_table()`, `chart_changes()` or `chart_bridge()`.",
      call = call)
  }
}

check_shared <- function(ans, what, call = NULL) {
  if (!has_shares(ans)) stop_not_additive(asked_measure(ans), what, call)
}

check_free <- function(names, columns, new, call = NULL) {
  taken <- intersect(names, names(columns))
  if (new && length(taken)) stop_name_taken(taken[1L], "by", call)
}
