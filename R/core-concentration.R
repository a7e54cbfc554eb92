# How concentrated sales are on few items.

#' One row per group. Gini as in Dixon, Weiner, Mitchell-Olds and Woodley (1987, Ecology 68,
#' 1548-1551), without correction for small numbers; the index of Herfindahl is the sum of
#' the squared shares, one over it the number of equal items that would be as concentrated.
#' Items at or below zero have no part in these; how many make a part is counted on the same
#' base as the Pareto reading.
#' @noRd
concentration_rows <- function(ans) {
  groups <- length(ans$ranked$totals$items)
  value <- exact_real(ans$ranked$share$value)
  of_group <- lapply(seq_len(groups),
    function(g) concentration_of(value[ans$ranked$cell == g & !ans$ranked$quantity$missing]))
  field <- function(name) vapply(of_group, `[[`, 0, name)
  counts <- lapply(c(n_50 = "50%", n_80 = "80%", n_95 = "95%"),
    function(part) reach_count(ans$ranked, read_part(part, "shares")))
  c(
    group_columns(ans),
    list(items = as.integer(field("items")),
      total = ans$ranked$totals[[plan_measure(ans$plan)$name]],
      gini = field("gini"), herfindahl = field("herfindahl"), effective = 1 / field("herfindahl")),
    counts, list(left_out = as.integer(field("left_out")))
  )
}

concentration_of <- function(x) {
  x <- sort(x)
  left_out <- sum(x <= 0)
  x <- x[x > 0]
  n <- length(x)
  if (!n) {
    return(list(items = 0, gini = NA_real_, herfindahl = NA_real_, left_out = left_out))
  }
  share <- x / sum(x)
  list(items = n, gini = sum((2 * seq_len(n) - n - 1) * x) / (n * sum(x)),
    herfindahl = sum(share^2), left_out = left_out)
}

#' The curve of each group: the part of the items, best first, and the part of the total
#' that they make; from none to all. `.row`: the item that comes in, as a row of the whole.
#' @noRd
concentration_curve <- function(ans) {
  value <- exact_real(ans$ranked$share$value)
  groups <- seq_along(ans$ranked$totals$items)
  curves <- lapply(groups, function(g) {
    rows <- which(ans$ranked$cell == g & !ans$ranked$quantity$missing & value > 0)
    rows <- rows[order(-value[rows])]
    if (!length(rows)) return(NULL)
    x <- value[rows]
    data.frame(cell = g, items = c(0, seq_along(x) / length(x)), share = c(0, cumsum(x) / sum(x)),
      .row = c(NA, rows))
  })
  do.call(rbind, curves)
}

# The facet ----------------------------------------------------------------

#' How concentrated standings are, also against those of another time.
#' @noRd
as_concentration <- function(x, compare_with = NULL, call = NULL) {
  ans <- answer_of(drop_others(x))
  check_not_changes(ans, "Concentration is", call)
  check_shared(ans, "concentration", call)
  columns <- concentration_rows(ans)
  before <- if (!is.null(compare_with)) answer_of(drop_others(compare_with))
  if (!is.null(before)) {
    check_shared(before, "concentration", call)
    earlier <- concentration_rows(before)
    at <- match_groups(ans, before, call)
    figures <- setdiff(names(columns), group_names(ans$plan))
    columns[paste0(figures, "_before")] <- lapply(earlier[figures], `[`, at)
  }
  answer_table_of(columns, with_facet(ans, "concentration", before = before),
    "eggcrate_concentration")
}

# The same groups of another time.
match_groups <- function(ans, before, call = NULL) {
  names <- group_names(ans$plan)
  if (!identical(names, group_names(before$plan))) {
    stop_eggcrate("call", "unknown_value", "`compare_with` must have the same groups.", call = call)
  }
  if (length(names)) {
    match(group_labels(ans), group_labels(before))
  } else {
    rep(1L, length(ans$ranked$totals$items))
  }
}

# Were they held against those of another time?
has_before <- function(ans) !is.null(ans$facets$concentration$before)
