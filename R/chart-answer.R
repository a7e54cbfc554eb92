# Any chart of an answer, by its name, and the one that is natural for it.

charts <- function() list(bars = chart_bars, pareto = chart_pareto, tiers = chart_tiers,
  tier_table = chart_tier_table, tiles = chart_tiles, quadrants = chart_quadrants,
  changes = chart_changes, bridge = chart_bridge, targets = chart_targets, heat = chart_heat,
  movement = chart_movement, ranks = function(x, ...) chart_movement(x, ranks = TRUE, ...),
  transitions = chart_transitions, extremes = chart_extremes,
  concentration = chart_concentration)

#' @param name One of the charts of the grammar; NULL for the natural one.
#' @param ... Settings of that chart.
#' @return A ggplot.
#' @noRd
answer_chart <- function(x, name = NULL, ..., call = NULL) {
  name <- name %||% natural_chart(answer_of(x))
  all <- charts()
  check_choice(name, names(all), "chart", call)
  # Only some charts have a number of items.
  settings <- list(...)
  if (!"n" %in% names(formals(all[[name]]))) settings$n <- NULL
  do.call(all[[name]], c(list(x), settings))
}

#' The chart that a facet is best shown by; NULL where it has none to give.
#' @noRd
facet_chart <- function(facet, ans) UseMethod("facet_chart")

#' @export
#' @noRd
facet_chart.eggcrate_facet <- function(facet, ans) NULL

#' @export
#' @noRd
facet_chart.eggcrate_facet_grid <- function(facet, ans) "heat"

#' @export
#' @noRd
facet_chart.eggcrate_facet_movement <- function(facet, ans) "movement"

#' @export
#' @noRd
facet_chart.eggcrate_facet_extremes <- function(facet, ans) "extremes"

#' @export
#' @noRd
facet_chart.eggcrate_facet_concentration <- function(facet, ans) "concentration"

#' @export
#' @noRd
facet_chart.eggcrate_facet_quadrants <- function(facet, ans) "quadrants"

#' @export
#' @noRd
facet_chart.eggcrate_facet_change <- function(facet, ans) "changes"

#' @export
#' @noRd
facet_chart.eggcrate_facet_targets <- function(facet, ans) "targets"

#' @export
#' @noRd
facet_chart.eggcrate_facet_tiers <- function(facet, ans) if (one_group(ans)) "tiers"

#' @export
#' @noRd
facet_chart.eggcrate_facet_reach <- function(facet, ans) {
  if (!has_facet(ans, "selection")) "pareto"
}

# What an answer is about comes before what was added to it.
chart_facets <- c("grid", "movement", "extremes", "concentration", "quadrants", "change", "targets",
  "tiers", "reach")

natural_chart <- function(ans) {
  for (facet in ans$facets[intersect(chart_facets, names(ans$facets))]) {
    name <- facet_chart(facet, ans)
    if (!is.null(name)) return(name)
  }
  "bars"
}

#' @exportS3Method ggplot2::autoplot
autoplot.eggcrate_answer <- function(object, ...) answer_chart(object, NULL, ...)

#' @export
plot.eggcrate_answer <- function(x, ...) {
  chart <- answer_chart(x, NULL, ...)
  print(chart)
  invisible(chart)
}
