# What is new since an earlier answer: of two tables of the same items, who entered and left which
# group, how the first moved, and what became of the total.

#' @param before,after Columns as text: keys, `rank`, and the column of groups.
#' @param keys Names of the columns that make an item.
#' @param group Name of the column of groups, or NULL.
#' @param first How many count as the first where there are no groups.
#' @return Columns `group`, `entered`, `left` (lists of names), groups without a move left out.
#' @noRd
group_moves <- function(before, after, keys, group = NULL, first = 10L) {
  names <- lapply(list(before, after), item_key, keys)
  in_group <- Map(function(table) if (is.null(group)) first_ones(table, first) else table[[group]],
    list(before, after))
  labels <- unique(c(in_group[[2L]], in_group[[1L]]))
  labels <- labels[!is.na(labels)]
  moves <- lapply(labels, function(label) {
    was <- names[[1L]][in_group[[1L]] %in% label]
    is <- names[[2L]][in_group[[2L]] %in% label]
    list(group = label, entered = setdiff(is, was), left = setdiff(was, is))
  })
  moves <- Filter(function(move) length(move$entered) || length(move$left), moves)
  list(group = vapply(moves, `[[`, "", "group"), entered = lapply(moves, `[[`, "entered"),
    left = lapply(moves, `[[`, "left"))
}

item_key <- function(table, keys) {
  parts <- lapply(table[keys], function(x) ifelse(is.na(x), "(missing)", x))
  do.call(paste, c(unname(parts), list(sep = ", ")))
}

# Among the first, or in no group.
first_ones <- function(table, n) {
  rank <- suppressWarnings(as.numeric(table$rank))
  ifelse(!is.na(rank) & rank <= n, sprintf("the first %d", as.integer(n)), NA_character_)
}

#' The first items now, with their ranks now and before.
#' @return Columns `item`, `now`, `before` (missing for who was not there).
#' @noRd
first_moves <- function(before, after, keys, n = 5L) {
  rank <- function(table) suppressWarnings(as.numeric(table$rank))
  now <- rank(after)
  at <- utils::head(which(!is.na(now) & now <= n), 2L * n)
  names <- item_key(after, keys)[at]
  list(item = names, now = now[at], before = rank(before)[match(names, item_key(before, keys))])
}

# The change of a total, and as a part of what it was.
total_move <- function(before, after) {
  list(change = after - before,
    percent = if (is.finite(before) && before > 0) (after - before) / before else NA_real_)
}
