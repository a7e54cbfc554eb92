# Heat grid: a measure by rows and columns, with a shade for each cell.
#
# The cells are standings within each column; here they get their places, their shades,
# and the margins.

grid_columns <- c("shade", "tier", "highlighted")

#' Places of the cells: sides that are periods stand in calendar order and are complete,
#' other keys by the value of the whole side, best first. The same rule for both sides, so
#' that the transposed grid is the same one.
#' @param set What belongs to the standings of the cells.
#' @param across Name of the key that makes the columns.
#' @param groups Names of the keys that part the rows into groups, in each of which the rows stand
#'   by their value.
#' @param sides List `rows`, `columns`: standings of each side alone, or NULL where the
#'   measure has none.
#' @param periods Numbers of the periods that the columns have by the conditions on their date,
#'   or NULL; rows that are periods go from their first to their last.
#' @return `row`, `column`: numbers per cell; `labels` and `totals` of rows and columns (missing if
#'   there are no totals); `group` of each row, and `groups`, the names of the groups.
#' @noRd
grid_places <- function(ans, across, groups, sides, periods) {
  keys <- row_keys(ans$ranked)
  side <- function(names, standing, periods, groups = NULL) {
    if (!length(groups) && length(names) == 1L && all_keys(ans$plan)[[names]]$op == "period") {
      return(calendar_side(keys[[names]], all_keys(ans$plan)[[names]]$period, periods,
        standing$ranked))
    }
    ranked_side(keys[c(groups, names)], groups, ans, standing$ranked)
  }
  rows <- side(setdiff(names(ans$plan$by), groups), sides$rows, NULL, groups)
  columns <- side(across, sides$columns, periods)
  list(row = rows$at, group = rows$group, groups = rows$groups, column = columns$at,
    labels = list(rows = rows$labels, columns = columns$labels),
    totals = list(rows = rows$totals, columns = columns$totals),
    numbers = list(rows = rows$numbers, columns = columns$numbers))
}

calendar_side <- function(number, period, periods, standing) {
  known <- number[!is.na(number)]
  all <- if (is_calendar(period)) {
    seq_len(part_sizes[[period$unit]])
  } else {
    if (length(known)) check_period_count(range(known), period)
    sort(unique(c(periods, if (length(known)) seq(min(known), max(known)))))
  }
  all <- c(all, if (anyNA(number)) NA)
  totals <- if (is.null(standing)) rep(NA_real_, length(all)) else side_totals(standing, all)
  list(at = match(number, all), labels = ifelse(is.na(all), "(missing)", period_label(all, period)),
    totals = totals, numbers = all, group = rep(1L, length(all)))
}

# Best first by the value of the whole side, group by group; where a side has none, by its sum of
# cells.
ranked_side <- function(keys, groups, ans, standing) {
  own <- if (is.null(standing)) summed_side(keys, groups, ans) else {
    lapply(standing$tally$keys[names(keys)], function(key) key[standing$order])
  }
  code <- match_rows(Map(c, own, keys))
  n <- length(own[[1L]])
  cell <- number_cells(own[groups], n, all_keys(ans$plan)[groups])
  list(at = match(code[-seq_len(n)], code[seq_len(n)]),
    labels = key_labels(own[setdiff(names(own), groups)], ans),
    totals = if (is.null(standing)) rep(NA_real_, n) else quantity_real(standing$quantity),
    group = cell, groups = if (length(groups)) unique(key_labels(own[groups], ans)))
}

# The keys of a side by the sums of its cells.
summed_side <- function(keys, groups, ans) {
  code <- match_rows(keys)
  part <- additive_part(ans$ranked$quantity)
  sums <- exact_sum_by(part, code, max(0L, code))
  first <- match(seq_len(max(0L, code)), code)
  own <- lapply(keys, function(key) key[first])
  q <- exact_quantity(sums$value, sums$places, logical(length(first)))
  cell <- number_cells(own[groups], length(first), all_keys(ans$plan)[groups])
  placed <- place_items(q, cell, ans$plan$rules$best, own)
  lapply(own, function(key) key[placed$order])
}

key_labels <- function(keys, ans) {
  item_labels(Map(key_column, keys, all_keys(ans$plan)[names(keys)]), names(keys))
}

side_totals <- function(standing, numbers) {
  at <- match(numbers, standing$tally$keys[[1L]][standing$order])
  quantity_real(standing$quantity)[at]
}

# Shades -------------------------------------------------------------------

#' @param places What `grid_places()` found.
#' @param asked List `shade` ("rank", "value"), `along` ("all", "rows", "columns"), `floor`,
#'   `target`, `ceiling`, `centre`. Cells are compared within their group of rows.
#' @return Per cell 0 to 1, high for the best; with a centre -1 to 1. Missing without a
#'   value.
#' @noRd
grid_shades <- function(ans, places, asked) {
  of_row <- places$group[places$row]
  group <- switch(asked$along, all = of_row, rows = places$row,
    columns = (of_row - 1L) * length(places$labels$columns) + places$column)
  if (asked$shade == "rank") {
    centred(rank_shades(ans, group), asked$centre)
  } else {
    value_shades(quantity_real(ans$ranked$quantity), group, asked, ans$plan$rules$best)
  }
}

# The percentile, with tied cells at the mean of their block; a cell alone is in the
# middle, and so are equal ones.
rank_shades <- function(ans, group) {
  keys <- row_keys(ans$ranked)
  placed <- place_items(ans$ranked$quantity, group, ans$plan$rules$best, keys)
  placed$size <- rep_len(placed$size, length(group))
  shade <- ifelse(placed$size == 1L, 0.5,
    (placed$size - (placed$first + placed$last) / 2) / (placed$size - 1))
  out <- numeric(length(group))
  out[placed$order] <- shade
  out
}

# Percentiles around a centre, from -1 for the worst to 1 for the best.
centred <- function(shade, centre) {
  if (is.null(centre)) return(shade)
  (shade - centre) / ifelse(shade < centre, centre, 1 - centre)
}

# Straight lines from floor to target to ceiling, or to both sides of a centre; the least
# and the greatest of the cells where nothing is said.
value_shades <- function(value, group, asked, best) {
  ends <- function(f, none) {
    out <- rep(none, max(0L, group))
    found <- tapply(value, group, f, na.rm = TRUE)
    out[as.integer(names(found))] <- found
    out[group]
  }
  finite <- function(x) replace(x, !is.finite(x), NA)
  low <- finite(suppressWarnings(ends(min, NA_real_)))
  high <- finite(suppressWarnings(ends(max, NA_real_)))
  side <- if (best == "lowest") -1 else 1
  floor <- rep_len(asked$floor %||% if (side > 0) low else high, length(value))
  ceiling <- rep_len(asked$ceiling %||% if (side > 0) high else low, length(value))
  if (!is.null(asked$centre)) {
    reach <- pmax(abs(floor - asked$centre), abs(ceiling - asked$centre))
    return(ifelse(reach == 0, 0, pmin(pmax(side * (value - asked$centre) / reach, -1), 1)))
  }
  target <- rep_len(asked$target %||% NA_real_, length(value))
  middle <- ifelse(is.na(target), (floor + ceiling) / 2, target)
  part <- function(x, from, to) {
    ifelse(from == to, ifelse(x == from, 0.5, as.numeric(x > from)),
      (x - from) / (to - from))
  }
  below <- (value - middle) * side <= 0
  shade <- ifelse(below, 0.5 * part(value, floor, middle), 0.5 + 0.5 * part(value, middle, ceiling))
  # If all values are on one side of the only end that was given, all are clamped to it.
  beyond <- is.null(asked$floor) != is.null(asked$ceiling) & side * (ceiling - floor) <= 0
  shade <- ifelse(beyond, as.numeric(is.null(asked$floor)), ifelse(floor == ceiling, 0.5, shade))
  pmin(pmax(shade, 0), 1)
}

#' All cells of the grid, row by row; those without a row of data are missing. `.row`: the row of
#' the whole.
#' @noRd
grid_cells <- function(ans) {
  grid <- ans$facets$grid
  n <- length(grid$labels$rows)
  k <- length(grid$labels$columns)
  slot <- (grid$row - 1L) * k + grid$column
  fill <- function(x) replace(rep(NA_real_, n * k), slot, x)
  list(row = rep(seq_len(n), each = k), column = rep(seq_len(k), n),
    value = fill(quantity_real(ans$ranked$quantity)), .row = fill(seq_along(grid$row)),
    shade = fill(grid$shade),
    tier = if (!is.null(grid$tier)) fill(grid$tier), open = fill(grid$open) %in% 1)
}

# The facet ----------------------------------------------------------------

check_shading <- function(asked, best, call = NULL) {
  check_choice(asked$shade, c("rank", "value"), "shade", call)
  check_choice(asked$along, c("all", "rows", "columns"), "along", call)
  if (!is.null(asked$scheme)) check_scheme(asked$scheme, call)
  if (!is.null(asked$scheme) && asked$shade == "value") {
    stop_eggcrate("call", "unknown_value", "`shade` is \"value\", which excludes tiers.",
      i = "Omit `scheme` or `shade`.", call = call)
  }
  if (!is.null(asked$scheme$of)) {
    stop_eggcrate("call", "unknown_value", "Tiers of cells are based on the measure of the grid.",
      i = "Omit `of` of the scheme, or make a grid of that measure.", call = call)
  }
  lines <- asked[c("floor", "target", "ceiling", "centre")]
  for (name in names(Filter(Negate(is.null), lines))) {
    x <- lines[[name]]
    if (!is.numeric(x) || length(x) != 1L || !is.finite(x)) stop_eggcrate("call", "unknown_value",
      sprintf("`%s` must be a number, not %s.", name, describe(x)), call = call)
    if (!is.null(asked$scheme)) {
      stop_eggcrate("call", "unknown_value",
        sprintf("`%s` is for colours by value, not for tiers.", name),
        i = "Omit one of the two.", call = call)
    }
    if (asked$shade == "rank" && name != "centre") {
      stop_eggcrate("call", "unknown_value", sprintf("`%s` is for colours by value.", name),
        i = "Set `shade = \"value\"`.", call = call)
    }
  }
  if (!is.null(asked$centre) && asked$shade == "rank" && (asked$centre <= 0 || asked$centre >= 1)) {
    stop_eggcrate("call", "unknown_value",
      sprintf("With colours by rank, `centre` must be a percentile between 0 and 1, not %s.",
        describe(asked$centre)),
      i = "For a value, add `shade = \"value\"`.", call = call)
  }
  if (!is.null(asked$centre) && !is.null(asked$target)) {
    stop_eggcrate("call", "unknown_value", "`centre` and `target` both set the middle colour.",
      i = "Give one of them.", call = call)
  }
  between <- c(asked$floor, asked$target, asked$ceiling)
  if (is.unsorted(if (identical(best, "lowest")) rev(between) else between, strictly = TRUE)) {
    stop_eggcrate("call", "unknown_value",
      sprintf("`floor`, `target` and `ceiling` must %s, as the %s value is best.",
        if (best == "lowest") "fall" else "rise", best), call = call)
  }
  asked
}

#' The tiers of cells, cut among those that they are compared with.
#' @param found From `rank_tally()`, with its plan: the same cells in other groups.
#' @param ans The cells.
#' @return Number of the tier of each cell.
#' @noRd
cell_tiers <- function(found, ans, scheme, call = NULL) {
  own <- new_answer(found$columns, found$ranked, found$plan, ans$receipt, ans$source, ans$handle)
  number <- answer_of(add_tiers(own, scheme, call = call))$facets$tiers$number
  keys <- row_keys(ans$ranked)
  code <- match_rows(Map(c, row_keys(found$ranked)[names(keys)], keys))
  n <- length(number)
  number[match(code[-seq_len(n)], code[seq_len(n)])]
}

# Tiers from dark to pale, where there are no colours for them.
tier_shades <- function(number, scheme) {
  k <- length(scheme$labels)
  if (k == 1L) number / 1 else (k - number) / (k - 1)
}

#' Standings of the cells as a grid.
#' @param sides List `rows`, `columns`: the ranked items of each side with their plan and columns,
#'   or NULL where the measure has none.
#' @param periods Numbers of the periods that the columns have.
#' @param turned Whether rows and columns change places.
#' @param groups Names of the keys that part the rows.
#' @param tiers Number of the tier of each cell, or NULL.
#' @noRd
as_grid <- function(cells, sides, periods, turned, groups, asked, tiers = NULL, call = NULL) {
  ans <- answer_of(cells)
  across <- group_names(ans$plan)
  taken <- intersect(names(all_keys(ans$plan)), grid_columns)
  if (length(taken)) stop_name_taken(taken[1L], "by", call)
  places <- grid_places(ans, across, groups, sides, periods)
  shading <- if (turned) replace(asked, "along", turned_along(asked$along)) else asked
  grid <- c(places, list(asked = asked, turned = turned, across = across, within = groups,
    incomplete = incomplete_labels(ans), open = open_cells(ans), tier = tiers,
    side = sides[[if (turned) "columns" else "rows"]]),
    list(shade = if (is.null(tiers)) grid_shades(ans, places, shading) else
      tier_shades(tiers, asked$scheme)))
  if (turned) grid <- turn_grid(grid)
  if (isFALSE(asked$totals)) {
    grid$totals <- lapply(grid$totals, function(total) rep(NA_real_, length(total)))
  }
  ans <- do.call(with_facet, c(list(ans, "grid"), grid))
  ans$receipt <- grid_receipt(ans)
  grid_table(ans)
}

# The cells of the rows that are shown, row by row.
grid_table <- function(ans) {
  grid <- ans$facets$grid
  table <- grid_cells(ans)
  at <- order(match(table$row, shown_rows(ans)), na.last = NA)
  columns <- c(grid_keys(ans, table), with_names(list(table$value), plan_measure(ans$plan)$name),
    if (is.null(grid$tier)) table["shade"] else
    list(tier = labelled_tier(as.integer(table$tier), grid$asked$scheme)))
  if (!is.null(grid$marks)) columns$highlighted <- grid_mark_column(ans)[table$row]
  answer_table_of(lapply(columns, function(column) column[at]), ans, "eggcrate_grid")
}

# The rows that are shown, in their order.
shown_rows <- function(ans) ans$facets$grid$shown %||% seq_along(ans$facets$grid$labels$rows)

turned_along <- function(along) c(all = "all", rows = "columns", columns = "rows")[[along]]

turn_grid <- function(grid) {
  grid$group <- rep(1L, length(grid$labels$columns))
  grid[c("row", "column")] <- grid[c("column", "row")]
  for (part in c("labels", "totals", "numbers")) {
    grid[[part]] <- with_names(rev(grid[[part]]), c("rows", "columns"))
  }
  grid
}

# Which cells are months or quarters of a year that the data do not cover to their ends.
open_cells <- function(ans) {
  none <- logical(length(ans$ranked$cell))
  parts <- Filter(function(node) node$op == "period" && node$period$unit %in% names(part_months),
    ans$plan$by)
  over <- ans$plan$over
  if (!length(parts) || !length(over) || over[[1L]]$period$unit != "year" ||
    node_date(parts[[1L]]) != node_date(over[[1L]])) {
    return(none)
  }
  keys <- row_keys(ans$ranked)
  unit <- parts[[1L]]$period$unit
  months <- part_months[[unit]]
  first <- (keys[[names(parts)[1L]]] - 1) * months + 1
  year <- keys[[names(over)]] + (first < over[[1L]]$period$starts)
  period <- new_period(c(month_of_year = "month", quarter_of_year = "quarter")[[unit]])
  number <- period_number(day_number(year, first), period)
  known <- !is.na(number)
  none[known] <- !complete_period(number[known], period,
    plan_coverage(ans$plan, node_date(over[[1L]])))
  none
}
part_months <- c(month_of_year = 1L, quarter_of_year = 3L)

incomplete_labels <- function(ans) {
  if (length(ans$plan$over)) {
    ans$ranked$totals[[names(ans$plan$over)]][ans$ranked$incomplete]
  } else {
    character()
  }
}

# The keys of each cell, under the names of the question; a missing key is missing.
grid_keys <- function(ans, table) {
  grid <- ans$facets$grid
  of_side <- function(which, at) {
    names <- side_names(ans, which)
    if (!is.null(grid$numbers[[which]])) {
      return(
        with_names(list(period_label(grid$numbers[[which]],
          all_keys(ans$plan)[[names]]$period)[at]),
          names))
    }
    place <- if (which == "rows") grid$row else grid$column
    first <- match(seq_along(grid$labels[[which]]), place)
    keys <- Map(key_column, lapply(ans$ranked$tally$keys[names],
      function(key) key[ans$ranked$order[first]]),
      all_keys(ans$plan)[names])
    lapply(keys, function(key) key[at])
  }
  c(of_side("rows", table$row), of_side("columns", table$column))
}

# Names of the keys of a side; of rows in groups without those of the groups.
side_nouns <- function(ans, which) {
  setdiff(side_names(ans, which), ans$facets$grid$within)
}

side_names <- function(ans, which) {
  if ((which == "rows") != ans$facets$grid$turned) names(ans$plan$by) else ans$facets$grid$across
}

grid_receipt <- function(ans) {
  asked <- ans$facets$grid$asked
  cells <- length(ans$facets$grid$labels$rows) * length(ans$facets$grid$labels$columns)
  lines <- Filter(Negate(is.null), asked[c("floor", "target", "ceiling", "centre")])
  drop_empty_facts(add_rows(ans$receipt, c(list(
    receipt_rows("grid", "rows", length(ans$facets$grid$labels$rows)),
    receipt_rows("grid", "columns", length(ans$facets$grid$labels$columns)),
    receipt_rows("grid", "empty cells", cells - sum(!ans$ranked$quantity$missing),
      note = "no row of data, or no value"),
    receipt_rows("grid", "shade",
      value = if (is.null(asked$scheme)) asked$shade else scheme_title(asked$scheme),
      note = sprintf("along %s", asked$along))
  ),
    unname(Map(function(name, value) receipt_rows("grid", name, value = number_text(value)),
      names(lines), lines)))))
}
