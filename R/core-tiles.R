# Tiles of regions: the totals of groups, or the items themselves, at their places.

#' @param layout List of `label`, `row`, `column`.
#' @param number How the values of the first items read.
#' @return One row per tile, in reading order: the key, `row`, `column`, `rank`, the measure,
#'   `share`, `tier` where there are, additional measures, and `top`.
#' @noRd
tile_rows <- function(ans, layout, top = 3, number = number_text, call = NULL) {
  key <- tile_key(ans, call)
  measure <- plan_measure(ans$plan)
  grouped <- length(ans$plan$within) > 0L
  values <- if (grouped) group_values(ans) else item_values(ans)
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
    if (!is.null(values$tier)) list(tier = values$tier[at]), lapply(values$additional, `[`, at))
  if (grouped) {
    out$top <- vapply(at,
      function(g) if (is.na(g)) NA_character_ else top_items(ans, g, top, number), "")
  }
  out
}

# The table for other programs: a missing region is a missing value, not "(missing)".
tile_table_rows <- function(ans, layout, top = 3, call = NULL) {
  layout <- read_layout(layout, ans, call)
  table <- tile_rows(ans, layout, top, call = call)
  table[[1L]][layout$missing[order(layout$row, layout$column)]] <- NA
  table
}

item_values <- function(ans) {
  at <- places(ans$ranked)
  share <- if (has_shares(ans)) share_rows(ans$ranked$share, ans$ranked$cell)$share
  list(label = item_names(ans)[ans$ranked$order], rank = as.integer(at$first),
    value = quantity_real(ans$ranked$quantity), share = share, tier = ans$facets$tiers$tier,
    additional = with_names(lapply(ans$ranked$additional, quantity_real),
      measure_names(ans$plan)[-1L]))
}

# Groups ranked among each other by their totals.
group_values <- function(ans) {
  names <- names(ans$plan$within)
  label <- item_labels(ans$ranked$totals[names], names)
  q <- ans$ranked$overall[[plan_measure(ans$plan)$name]]
  n <- length(label)
  placed <- place_items(q, rep(1L, n), ans$plan$rules$best, list(label))
  rank <- integer(n)
  rank[placed$order] <- as.integer(placed$first)
  share <- if (has_shares(ans)) {
    whole <- ans$ranked$share$whole
    keep_where(exact_signs_(whole$value) > 0L, exact_share(ans$ranked$share$total, whole))
  }
  additional <- measure_names(ans$plan)[-1L]
  list(label = label, rank = rank, value = quantity_real(q), share = share,
    additional = lapply(ans$ranked$overall[additional], quantity_real))
}

# The first items of a group, with their values.
top_items <- function(ans, group, n, number) {
  rows <- utils::head(which(ans$ranked$cell == group & !ans$ranked$quantity$missing), n)
  paste(sprintf("%s %s", item_names(ans, ans$ranked$order[rows]),
    number(quantity_real(quantity_at(ans$ranked$quantity, rows)))), collapse = "; ")
}

# The layout ---------------------------------------------------------------

# The column whose values are the tiles: that of the groups, else of the items.
tile_key <- function(ans, call = NULL) {
  groups <- names(ans$plan$within)
  names <- if (length(groups)) groups else names(ans$plan$by)
  if (length(names) != 1L || length(ans$plan$over)) {
    stop_eggcrate("call", "unknown_value",
      "A tile layout shows standings by one column, or within one, of one time.", call = call)
  }
  names
}

read_layout <- function(layout, ans, call = NULL) {
  key <- tile_key(ans, call)
  if (!is.data.frame(layout)) {
    stop_eggcrate("call", "unknown_value",
      sprintf("`layout` must be a table, not %s.", describe(layout)), call = call)
  }
  for (name in setdiff(c(key, "row", "column"), names(layout))) {
    stop_unknown_column(name, names(layout), "the layout", call)
  }
  places <- as.list(layout)[c("row", "column")]
  if (!all(vapply(places, function(p) is.numeric(p) && !anyNA(p) && all(p == floor(p)), NA))) {
    stop_data("value", "`row` and `column` of the layout must be whole numbers.", call = call)
  }
  node <- all_keys(ans$plan)[key]
  given <- given_keys(layout, node, "the layout", call)
  label <- item_labels(Map(key_column, given, node), key)
  twice <- which(duplicated(paste(places$row, places$column)) | duplicated(label))
  if (length(twice)) {
    stop_data("value",
      sprintf("The layout has %s twice, or another tile in its place.", quoted(label[twice[1L]])),
      fields = list(item = label[twice[1L]]), call = call)
  }
  list(label = label, row = places$row, column = places$column, missing = is.na(given[[1L]]))
}

# Shades ---------------------------------------------------------------------

#' Which measure shades the tiles.
#' @param shade A name, as code or text; NULL for the rank.
#' @noRd
read_tile_shade <- function(shade, centre, ans, call = NULL) {
  if (is.null(shade)) {
    if (!is.null(centre)) {
      stop_eggcrate("call", "unknown_value", "`centre` is for shades by a measure.",
        i = "Name it, such as `shade = profit`.", call = call)
    }
    return(NULL)
  }
  name <- if (is.name(shade)) name_text(shade) else shade
  known <- measure_names(ans$plan)
  if (!is.character(name) || length(name) != 1L || !name %in% known) {
    stop_unknown_value("shade", if (is.language(name)) expr_text(name) else name, known, call)
  }
  if (!is.null(centre) && (!is.numeric(centre) || length(centre) != 1L || !is.finite(centre))) {
    stop_eggcrate("call", "unknown_value",
      sprintf("`centre` must be a number, not %s.", describe(centre)),
      call = call)
  }
  list(name = name, centre = centre)
}

#' Shades of tiles, from 0 to 1, or from -1 to 1 on both sides of a centre; and the values at the
#' ends, and between.
#' @noRd
tile_shades <- function(value, centre) {
  known <- value[!is.na(value)]
  if (!length(known)) {
    return(list(shade = value, ends = numeric()))
  }
  if (is.null(centre)) {
    ends <- range(known)
    width <- diff(ends)
    return(list(shade = if (width == 0) value * 0 + 0.5 else (value - ends[1L]) / width,
      ends = ends))
  }
  reach <- max(abs(known - centre))
  list(shade = if (reach == 0) value * 0 else (value - centre) / reach,
    ends = centre + c(-reach, 0, reach))
}
