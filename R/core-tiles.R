# Tiles of regions: the totals of groups, or the items themselves, at their places.

#' @param layout List of `label`, `row`, `column`.
#' @param number How the values of the first items read.
#' @return One row per tile, in reading order: the key, `row`, `column`, `rank`, the measure,
#'   `share`, `tier` and `top` where there are.
#' @noRd
tile_rows <- function(set, layout, top, number = number_text, call = NULL) {
  key <- tile_key(set, call)
  measure <- set$question$measure
  grouped <- length(set$question$within) > 0L
  values <- if (grouped) group_values(set) else item_values(set)
  absent <- setdiff(values$label, layout$label)
  if (length(absent)) {
    stop_data("value", sprintf("The layout has no place for %s.", enumerate(quoted(absent))),
      i = sprintf("Add a row for it, with `%s`, `row` and `column`.", key),
      fields = list(items = absent), call = call)
  }
  order <- order(layout$row, layout$column)
  at <- match(layout$label[order], values$label)
  out <- c(with_names(list(layout$label[order]), key),
    list(row = as.integer(layout$row[order]), column = as.integer(layout$column[order]),
      rank = values$rank[at]),
    with_names(list(values$value[at]), measure$name),
    if (!is.null(values$share)) list(share = values$share[at]),
    if (!is.null(values$tier)) list(tier = values$tier[at]))
  if (grouped) {
    out$top <- vapply(at,
      function(g) if (is.na(g)) NA_character_ else top_items(set, g, top, number), "")
  }
  out
}

item_values <- function(set) {
  at <- places(set)
  base <- set$base
  share <- if (!is.null(set$value)) {
    keep_where(exact_signs_(base$value) > 0L, exact_share(set$value, base))
  }
  list(label = item_names(set)[set$order], rank = as.integer(at$first),
    value = quantity_real(set$quantity), share = share, tier = set$tier)
}

# Groups ranked among each other by their totals.
group_values <- function(set) {
  names <- names(set$question$within)
  label <- item_labels(set$totals[names], names)
  q <- set$overall[[set$question$measure$name]]
  n <- length(label)
  placed <- place_items(q, rep(1L, n), set$question$best, list(label))
  rank <- integer(n)
  rank[placed$order] <- as.integer(placed$first)
  share <- if (!is.null(set$total)) {
    all <- exact_sum_by(set$total, rep(1L, n), 1L)
    if (n && exact_signs_(all$value) > 0L) {
      exact_share(set$total, exact_at(all, rep(1L, n)))
    } else {
      rep(NA_real_, n)
    }
  }
  list(label = label, rank = rank, value = quantity_real(q), share = share)
}

# The first items of a group, with their values.
top_items <- function(set, group, n, number) {
  rows <- utils::head(which(set$cell == group & !set$quantity$missing), n)
  paste(sprintf("%s %s", item_names(set, set$order[rows]),
    number(quantity_real(quantity_at(set$quantity, rows)))), collapse = "; ")
}
