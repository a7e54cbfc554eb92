#' Heat grid
#'
#' A measure by rows and columns, such as regions by months, with a shade for each cell
#' that says how it stands among the others.
#'
#' * `shade = "rank"`: by the part of the other cells that a cell beats, 0 to 1; equal cells
#'   have one shade, a cell alone or all equal ones the middle.
#' * `shade = "value"`: along straight lines from `floor` (0) over `target` (the middle) to
#'   `ceiling` (1), and no further; the least and the greatest of the cells where nothing is
#'   said. With `centre` the shade is signed, -1 to 1, and equal on both sides.
#'
#' Cells are compared with `"all"` others, or `along = "rows"` or `"columns"`. High is good:
#' with `best = "lowest"` the low values have the high shades. Totals are never shaded.
#'
#' Periods stand in calendar order, and all of them are there, with or without rows; other
#' keys stand by the value of the whole row or column, best first. A cell without a row
#' of data is blank, not 0. Swapping `by` and `across` (and `"rows"` and `"columns"`) swaps
#' the sides and nothing else.
#'
#' @inheritParams standings
#' @param by What makes the rows.
#' @param across What makes the columns: a period such as `month(order_date)`, or a column.
#' @param shade `"rank"` or `"value"`.
#' @param along What a cell is compared with: `"all"`, `"rows"` or `"columns"`.
#' @param floor,target,ceiling,centre Values that set the shade; numbers.
#' @param x A grid.
#' @param n How many rows to show; by default 20, `Inf` for all.
#' @param figures Whether to show the figures; by default where they fit.
#' @param width How many letters a line may have.
#' @returns A tibble of class `eggcrate_grid`, one row per cell, row by row: the `by` columns
#'   and that of `across` (periods as text), the measure, and `shade` (double).
#' @inheritSection standings Errors
#' @seealso [chart_heat()] draws it.
#' @export
#' @examples
#' heat_grid(demo_orders(), of = sum(net_sales), by = region, across = quarter(order_date), along = "rows")
#' heat_grid(demo_orders(), of = per_day(sum(net_sales)), by = category, across = month(order_date),
#'   where = in_period(order_date, last(12, month)))
heat_grid <- function(data, of, by, across, where, ..., shade = "rank", along = "all", floor = NULL,
  target = NULL, ceiling = NULL, centre = NULL, best = "highest", as_of = NULL) {
  call <- sys.call()[1L]
  check_no_dots(..., call = call)
  asked <- called_words(environment(), parent.frame(), c("of", "by", "where"))
  across <- capture(substitute(across), parent.frame())
  rules <- replace(default_rules(), c("best", "as_of"), list(best, as_of))
  ask_grid(data, asked, across, rules,
    list(shade = shade, along = along, floor = floor, target = target, ceiling = ceiling,
      centre = centre),
    data_name(substitute(data)), call = call)
}

ask_grid <- function(data, words, across, rules, asked, name = "the data", reading = list(),
  call = NULL) {
  asked <- check_shading(asked, rules$best, call)
  across <- read_expression(across, "across", call)
  if (is.null(across)) {
    stop_expression("`across` is missing.",
      hint = "Say what makes the columns, such as `across = month(order_date)`.", call = call)
  }
  by <- read_expression(words$by, "by", call)
  # Rates count the days of the side that is a period, whichever it is.
  turned <- is_period_call(by) && !is_period_call(across)
  sides <- if (turned) list(rows = across, columns = by) else list(rows = by, columns = across)
  ask <- function(words) {
    answer_words(list(data = data, words = words, rules = rules, name = name, reading = reading),
      call)
  }
  dated <- is_period_call(sides$columns)
  cells <- ask(replace(words, c("by", if (dated) "over" else "within"),
    list(sides$rows, sides$columns)))
  # Rows without a date are in no cell, and so in no side.
  if (dated) words["where"] <- list(with_date(words$where, sides$columns, call))
  put_grid(cells, side_standings(ask, words, sides, cells), turned, asked, call)
}

with_date <- function(where, period, call = NULL) {
  known <- as.call(list(as.name("!"),
    as.call(list(as.name("is_missing"), key_parts(period)[[1L]][[2L]]))))
  where <- read_expression(where, "where", call)
  if (is.null(where)) {
    known
  } else {
    as.call(list(as.name("&"), as.call(list(as.name("("), where)), known))
  }
}

# `month(d)` or `c(sent = month(d))`.
is_period_call <- function(expr) {
  length(key_parts(expr)) == 1L && is_call_to(key_parts(expr)[[1L]], names(period_units))
}

# Standings, with the periods that there are by the conditions on their date.
answer_words <- function(asked, call = NULL) {
  compiled <- compile_asked(asked, NULL, call)
  x <- answer_question(compiled$source, compiled$question, asked, call)
  list(x = x, periods = target_periods(compiled$question, TRUE, call)$numbers)
}

# Each side alone, for its order and its totals. A rate per day of a whole side would need
# other days than its cells, and has none.
side_standings <- function(ask, words, sides, cells) {
  if (!is.null(facts(cells$x)$question$measure$per_day)) {
    return(list(rows = NULL, columns = NULL))
  }
  lapply(sides, function(side) facts(ask(replace(words, "by", list(side)))$x))
}

check_shading <- function(asked, best, call = NULL) {
  check_choice(asked$shade, c("rank", "value"), "shade", call)
  check_choice(asked$along, c("all", "rows", "columns"), "along", call)
  lines <- asked[c("floor", "target", "ceiling", "centre")]
  for (name in names(Filter(Negate(is.null), lines))) {
    x <- lines[[name]]
    if (!is.numeric(x) || length(x) != 1L || !is.finite(x)) stop_eggcrate("call", "unknown_value",
      sprintf("`%s` must be a number, not %s.", name, describe(x)), call = call)
    if (asked$shade == "rank") {
      stop_eggcrate("call", "unknown_value", sprintf("`%s` is for shades by value.", name),
        i = "Say `shade = \"value\"`.", call = call)
    }
  }
  if (!is.null(asked$centre) && !is.null(asked$target)) {
    stop_eggcrate("call", "unknown_value", "`centre` and `target` are two middles of one shade.",
      i = "Give one of them.", call = call)
  }
  between <- c(asked$floor, asked$target, asked$ceiling)
  if (is.unsorted(if (best == "lowest") rev(between) else between, strictly = TRUE)) {
    stop_eggcrate("call", "unknown_value",
      sprintf("`floor`, `target` and `ceiling` must %s, as the %s value is best.",
      if (best == "lowest") "fall" else "rise", best), call = call)
  }
  asked
}

put_grid <- function(cells, sides, turned, asked, call = NULL) {
  set <- facts(cells$x)
  across <- group_names(set$question)
  taken <- intersect(names(set$question$keys), grid_columns)
  if (length(taken)) stop_name_taken(taken[1L], "by", call)
  places <- grid_places(set, across, sides, cells$periods)
  set$grid <- c(places,
    list(asked = asked, turned = turned, across = across, incomplete = incomplete_labels(set)))
  set$grid$shade <- grid_shades(set, places, if (turned) turn_along(asked) else asked)
  if (turned) set$grid <- turn_grid(set$grid)
  set$receipt <- grid_receipt(set)
  table <- grid_cells(set)
  keys <- grid_keys(set, table)
  columns <- c(keys, with_names(list(table$value), set$question$measure$name),
    list(shade = table$shade))
  structure(columns, row.names = .set_row_names(length(table$value)),
    class = c("eggcrate_grid", "tbl_df", "tbl", "data.frame"), eggcrate = set)
}

turn_along <- function(asked) {
  replace(asked, "along", c(all = "all", rows = "columns", columns = "rows")[[asked$along]])
}

turn_grid <- function(grid) {
  grid[c("row", "column")] <- grid[c("column", "row")]
  for (part in c("labels", "totals", "numbers")) {
    grid[[part]] <- with_names(rev(grid[[part]]), c("rows", "columns"))
  }
  grid
}

incomplete_labels <- function(set) {
  if (length(set$question$over)) {
    set$totals[[names(set$question$over)]][set$incomplete]
  } else {
    character()
  }
}

# The keys of each cell, under the names of the question; a missing key is missing.
grid_keys <- function(set, table) {
  grid <- set$grid
  of_side <- function(which, at) {
    names <- side_names(set, which)
    if (!is.null(grid$numbers[[which]])) {
      return(
        with_names(list(period_label(grid$numbers[[which]], set$question$keys[[names]]$period)[at]),
          names))
    }
    place <- if (which == "rows") grid$row else grid$column
    first <- match(seq_along(grid$labels[[which]]), place)
    keys <- Map(key_column, lapply(set$tally$keys[names], function(key) key[set$order[first]]),
      set$question$keys[names])
    lapply(keys, function(key) key[at])
  }
  c(of_side("rows", table$row), of_side("columns", table$column))
}

side_names <- function(set, which) {
  if ((which == "rows") != set$grid$turned) names(set$question$by) else set$grid$across
}

grid_receipt <- function(set) {
  asked <- set$grid$asked
  cells <- length(set$grid$labels$rows) * length(set$grid$labels$columns)
  lines <- Filter(Negate(is.null), asked[c("floor", "target", "ceiling", "centre")])
  drop_empty_facts(add_rows(set$receipt, c(list(
    receipt_rows("grid", "rows", length(set$grid$labels$rows)),
    receipt_rows("grid", "columns", length(set$grid$labels$columns)),
    receipt_rows("grid", "blank cells", cells - sum(!set$quantity$missing),
      note = "no row of data, or no value"),
    receipt_rows("grid", "shade", value = asked$shade, note = sprintf("along %s", asked$along))
  ),
    unname(Map(function(name, value) receipt_rows("grid", name, value = number_text(value)),
      names(lines), lines)))))
}

#' @rdname heat_grid
#' @export
print.eggcrate_grid <- function(x, n = 20, figures = NULL, width = getOption("width"), ...) {
  writeLines(format(x, n = n, figures = figures, width = width))
  invisible(x)
}

#' @rdname heat_grid
#' @export
format.eggcrate_grid <- function(x, n = 20, figures = NULL, width = getOption("width"), ...) {
  grid_lines(facts(x), n, figures, width)
}
