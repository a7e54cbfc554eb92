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
pareto <- function(data, of, by, where, ..., reach = "80%", within, over, also, show, having, best = "highest", ties = "min",
                   share_of = "group", share_base = "net", all_items = NULL, as_of = NULL) {
  call <- sys.call()[1L]
  check_no_dots(..., call = call)
  asked <- called_words(environment(), parent.frame())
  ask_pareto(data, asked, called_rules(environment()), reach, name = data_name(substitute(data)), call = call)
}

ask_pareto <- function(data, words, rules, reach, name = "the data", reading = list(), call = NULL) {
  part <- read_part(reach, "reach", call)
  as_pareto(ask_standings(data, words, rules, name, reading, call), part, call)
}

as_pareto <- function(x, part, call = NULL) {
  set <- facts(x)
  if (is.null(set$value)) stop_not_additive(set$question$measure, "parts to reach", call)
  check_total(set, call)
  set$reach <- part
  set$count <- reach_count(set, part)
  set$half <- reach_count(set, read_part(0.5, "reach"))
  set$receipt <- add_rows(set$receipt, list(
    receipt_rows("reach", "part to reach", value = part$text, note = "the item that crosses it is in"),
    receipt_rows("reach", "items it takes", sum(set$count, na.rm = TRUE), note = if (length(set$count) > 1L) "over all groups" else NA)
  ))
  columns <- c(unclass(as_plain(x)), list(reached = reach_rows(set, part)))
  structure(columns,
    row.names = .set_row_names(length(set$cell)), eggcrate = set,
    class = c("eggcrate_pareto", "eggcrate_standings", "tbl_df", "tbl", "data.frame")
  )
}

add_rows <- function(table, rows) Map(c, table, as_table(rows))
