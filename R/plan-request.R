# The request: pure data, all that a source is ever asked.

#' @param gates Conditions in order.
#' @param keys Nodes to tally by.
#' @param aggregates Components, by text.
#' @param apart Whether each row that is used is a cell of its own.
#' @param places Decimals of columns, by name, where the source cannot find them itself.
#' @param shows Name of the key to show: per combination of the other keys, one of its values and
#'   whether there are several.
#' @noRd
new_request <- function(gates, keys, aggregates, apart = FALSE, places = NULL, shows = NULL) {
  stopifnot(is.list(gates), is.list(keys), length(keys) > 0L, !is.null(names(keys)),
    is.list(aggregates), is.logical(apart))
  structure(list(gates = gates, keys = keys, aggregates = aggregates, apart = apart,
    places = places, shows = shows), class = "eggcrate_request")
}

plan_request <- function(plan, keys = all_keys(plan), aggregates = plan_aggregates(plan),
  apart = FALSE) {
  new_request(plan$gates, keys, aggregates, apart)
}

# Groups of a plan, or one of all rows.
group_keys <- function(plan) {
  groups <- plan_groups(plan)
  if (length(groups)) groups else list(all = new_node("number", "number", value = 1))
}

# The nodes of all columns that a request needs.
request_columns <- function(request) {
  trees <- c(unname(request$keys), unname(request$shown), lapply(request$gates, `[[`, "node"),
    lapply(request$aggregates, `[[`, "value"), lapply(request$aggregates, `[[`, "when"))
  found <- unlist(lapply(unname(trees), node_columns), recursive = FALSE)
  found[!duplicated(vapply(found, column_slot, ""))]
}

# A column of a file may be wanted as its values and as the text that was written. Forms of dates
# are in the name already.
column_slot <- function(node) slot_of(node$name, isTRUE(node$as_text))
slot_of <- function(name, as_text) ifelse(as_text, paste0(name, "\ntext"), name)
slot_name <- function(slot) sub("\ntext$", "", slot)
slot_as_text <- function(slot) endsWith(slot, "\ntext")

# Columns in use by several questions: a column can be a value in one and a key in another.
all_uses <- function(uses) {
  lapply(c(all = "all", values = "values", keys = "keys"),
    function(part) unique(unlist(lapply(uses, `[[`, part))))
}
