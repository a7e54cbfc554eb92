#' Pareto reading: the few that make most
#'
#' Standings with the items marked that it takes, from the best down, to reach a
#' part of the total. An item is among them when the running total before it,
#' and before those that tie with it, is still below that part; so the item
#' that crosses the line is in, and a tie at the line is in as a whole.
#'
#' @inheritParams standings
#' @param reach The part of the total to reach: `0.8` or `"80%"`.
#' @returns Standings with one more column, `reached`: `TRUE` for the items
#'   that it takes, missing in a group whose total is not above zero.
#' @inheritSection standings Errors
#' @seealso [chart_pareto()] draws it.
#' @export
#' @examples
#' pareto(demo_orders(), of = sum(net_sales), by = product, reach = "80%")
pareto <- function(data, of, by, where, ..., reach = "80%", within, over, also, show, having,
                   best = "highest", ties = "min", share_of = "group", share_base = "net",
                   all_items = NULL, as_of = NULL) {
  call <- sys.call()[1L]
  check_no_dots(..., call = call)
  asked <- called_words(environment(), parent.frame())
  ask_pareto(data, asked, called_rules(environment()), reach, name = data_name(substitute(data)),
    call = call)
}

#' How many make 50, 80 or 95 %
#'
#' Says how many items, counted one by one from the best down, it takes to reach parts
#' of the total, and what the first few make together.
#'
#' @param x Standings of a measure that adds up.
#' @param make Parts of the total, such as `c("50%", "80%")` or `0.8`.
#' @param first Numbers of items.
#' @returns A tibble, one row per group and threshold: the columns of the group,
#'   `threshold` (character), `items` (how many it takes), `with_ties` (how many those
#'   that tie at the cut bring in, as in [pareto()]), `share_of_items`, the measure
#'   and `share` (what these `items` make); missing in a group whose total is not above
#'   zero.
#' @section Errors: `eggcrate_error_not_additive` when the measure has no shares.
#' @export
#' @examples
#' threshold_table(standings(demo_orders(), of = sum(net_sales), by = customer))
threshold_table <- function(x, make = c("50%", "80%", "95%"), first = c(1, 5, 10)) {
  call <- sys.call()[1L]
  check_standings(x, call = call)
  check_not_changes(x, "A table of thresholds is", call)
  set <- facts(x)
  if (is.null(set$value)) stop_not_additive(set$question$measure, "parts to reach", call)
  if (!is.numeric(first) || anyNA(first) || any(first < 1 | first != floor(first))) {
    stop_eggcrate("call", "unknown_value", "`first` must be whole numbers of items.", call = call)
  }
  parts <- lapply(as.list(make), read_part, arg = "make", call = call)
  tibble::as_tibble(threshold_rows(set, parts, first))
}

ask_pareto <- function(data, words, rules, reach, name = "the data", reading = list(),
  call = NULL) {
  part <- read_part(reach, "reach", call)
  as_pareto(ask_standings(data, words, rules, name, reading, call), part, call)
}

as_pareto <- function(x, part, call = NULL) {
  check_not_changes(x, "A Pareto reading is", call)
  set <- facts(x)
  if (is.null(set$value)) stop_not_additive(set$question$measure, "parts to reach", call)
  check_total(set, call)
  set$reach <- part
  set$count <- reach_count(set, part)
  set$half <- reach_count(set, read_part(0.5, "reach"))
  set$receipt <- add_rows(set$receipt, list(
    receipt_rows("reach", "part to reach", value = part$text,
      note = "the item that crosses it is in"),
    receipt_rows("reach", "items it takes", sum(set$count, na.rm = TRUE),
      note = if (length(set$count) > 1L) "over all groups" else NA)
  ))
  columns <- c(unclass(as_plain(x)), list(reached = reach_rows(set, part)))
  structure(columns,
    row.names = .set_row_names(length(set$cell)), eggcrate = set,
    class = c("eggcrate_pareto", "eggcrate_standings", "tbl_df", "tbl", "data.frame")
  )
}

add_rows <- function(table, rows) Map(c, table, as_table(rows))
