# The tables of an answer, by name. Each facet knows its own.

#' Tables that a facet adds, as functions of the answer.
#' @noRd
facet_tables <- function(facet, ans) UseMethod("facet_tables")

#' Totals of the groups, where the facet says more of them than what was ranked does.
#' @noRd
facet_totals <- function(facet, ans) UseMethod("facet_totals")

#' @export
#' @noRd
facet_tables.eggcrate_facet <- function(facet, ans) list()

#' @export
#' @noRd
facet_totals.eggcrate_facet <- function(facet, ans) NULL

#' @export
#' @noRd
facet_tables.eggcrate_facet_tiers <- function(facet, ans) list(tiers = tier_counts)

#' @export
#' @noRd
facet_tables.eggcrate_facet_quadrants <- function(facet, ans) list(quadrants = quadrant_counts)

#' @export
#' @noRd
facet_tables.eggcrate_facet_change <- function(facet, ans) {
  list(classes = class_counts, bridge = checked_bridge)
}

#' @export
#' @noRd
facet_tables.eggcrate_facet_targets <- function(facet, ans) list(statuses = status_counts)

#' @export
#' @noRd
facet_tables.eggcrate_facet_movement <- function(facet, ans) {
  list(periods = movement_counts, transitions = checked_transitions)
}

#' @export
#' @noRd
facet_totals.eggcrate_facet_change <- function(facet, ans) change_totals(ans)

#' @export
#' @noRd
facet_totals.eggcrate_facet_targets <- function(facet, ans) {
  sums <- target_totals(ans)
  c(ans$ranked$totals[group_names(ans$plan)], sums["items"],
    with_names(sums["value"], plan_measure(ans$plan)$name), sums[c("target", "gap", "attainment")])
}

#' @export
#' @noRd
facet_totals.eggcrate_facet_grid <- function(facet, ans) {
  # A row name can occur in several groups.
  group <- if (length(facet$within)) list(group = c(facet$groups[facet$group],
    rep(NA, length(facet$labels$columns))))
  c(list(side = rep(c("row", "column"), lengths(facet$labels))), group,
    list(name = unlist(facet$labels, use.names = FALSE),
      total = unlist(facet$totals, use.names = FALSE)))
}

#' @export
#' @noRd
facet_totals.eggcrate_facet_movement <- function(facet, ans) movement_counts(ans)

# Facets in the order in which they are asked, whatever order they were added in.
facets_of <- function(ans) ans$facets[intersect(facet_kinds, names(ans$facets))]

answer_totals <- function(ans) {
  for (facet in facets_of(ans)) {
    found <- facet_totals(facet, ans)
    if (!is.null(found)) return(found)
  }
  ans$ranked$totals
}

# Tables besides the items that an answer has by itself.
own_tables <- function(ans) {
  unlist(lapply(unname(facets_of(ans)), facet_tables, ans = ans), recursive = FALSE)
}

# NULL if the answer cannot give this table, such as the bridge of a mean.
table_or_null <- function(table, ans) tryCatch(table(ans), eggcrate_error = function(e) NULL)

#' Any table of an answer, by its name.
#' @param name One of those of the grammar.
#' @param layout For tiles: where each region lies.
#' @param shares For thresholds: the parts of the total; NULL for the usual ones.
#' @return A named list of columns, or the answer itself for its items.
#' @noRd
answer_table <- function(x, name = "items", layout = NULL, shares = NULL, call = NULL) {
  if (name == "items") {
    return(x)
  }
  ans <- answer_of(x)
  tables <- c(list(totals = answer_totals, receipt = function(ans) ans$receipt,
    thresholds = function(ans) thresholds_of(ans, shares %||% usual_parts, call = call),
    tiles = function(ans) tile_table_rows(drop_others_of(ans), layout, call = call)),
    own_tables(ans))
  check_choice(name, names(tables), "table", call)
  tables[[name]](ans)
}

drop_others_of <- function(ans) {
  ans$rows <- ans$rows[!is.na(ans$rows)]
  ans
}
