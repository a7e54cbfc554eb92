# How concentrated sales are on few items.

#' One row per group. Gini as in Dixon, Weiner, Mitchell-Olds and Woodley (1987, Ecology 68,
#' 1548-1551), without correction for small numbers; the index of Herfindahl is the sum of
#' the squared shares, one over it the number of equal items that would be as concentrated.
#' Items at or below zero have no part in these; how many make a part is counted on the same
#' base as the Pareto reading.
#' @noRd
concentration_rows <- function(set) {
  groups <- length(set$totals$items)
  value <- exact_real(set$value)
  of_group <- lapply(seq_len(groups),
    function(g) concentration_of(value[set$cell == g & !set$quantity$missing]))
  field <- function(name) vapply(of_group, `[[`, 0, name)
  counts <- lapply(c(n_50 = "50%", n_80 = "80%", n_95 = "95%"),
    function(part) reach_count(set, read_part(part, "make")))
  c(
    lapply(set$totals[group_names(set$question)], identity),
    list(items = as.integer(field("items")), total = set$totals[[set$question$measures[[1L]]$name]],
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
#' that they make; from none to all.
#' @noRd
concentration_curve <- function(set) {
  value <- exact_real(set$value)
  groups <- seq_along(set$totals$items)
  curves <- lapply(groups, function(g) {
    x <- sort(value[set$cell == g & !set$quantity$missing & value > 0], decreasing = TRUE)
    if (!length(x)) return(NULL)
    data.frame(cell = g, items = c(0, seq_along(x) / length(x)), share = c(0, cumsum(x) / sum(x)))
  })
  do.call(rbind, curves)
}
