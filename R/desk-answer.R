# What a step says: its answer, asked through `ask()` and kept as long as the desk is open.

# How many items all answers that are kept may have.
desk_kept_items <- 4e6

#' The result of a step, as a part of a study has it.
#' @return `part`, `args`, `x` or `problem` (texts), `warnings`, `headline`, `charts` (named; none
#'   where nothing can be drawn).
#' @noRd
step_result <- function(desk, step) {
  key <- rlang::hash(question_of(step))
  found <- desk$answers$kept[[key]] %||% ask_step(desk, step)
  # Count a minimum size for each cached result, so that many small ones are evicted too.
  desk$answers$kept <- newest_kept(desk$answers$kept, key, found,
    function(result) NROW(result$x) + 1e5, desk_kept_items)
  found
}

ask_step <- function(desk, step) {
  part <- tryCatch(step_part(step, layout = desk$layout), eggcrate_error = identity)
  if (inherits(part, "error")) {
    return(list(part = list(name = "answer"), problem = complaint_lines(part),
      warnings = character(), headline = "This cannot be asked"))
  }
  if (identical(part$shown$charts, "tiles") && is.null(desk$layout)) {
    return(list(part = part, problem = c("Tiles need the place of each region.",
      "Open the desk with a layout: `eggcrate desk orders.csv --layout region-tiles.csv`."),
      warnings = character(),
      headline = "This cannot be drawn"))
  }
  result <- run_part(list(), part, desk$source)
  if (is.null(result$problem)) {
    result$x <- at_hand(result$x)
    say_progress("Drawing")
    drawn <- tryCatch(step_charts(result, desk$layout), eggcrate_error = identity)
    result$charts <- if (inherits(drawn, "error")) list() else drawn
    result$no_chart <- if (inherits(drawn, "error")) complaint_lines(drawn)
    result$headline <- headline_of(result$x, result$charts)
  } else {
    result$headline <- "This could not be answered"
  }
  result
}

# The first of its figures. Points beyond what a page can hold are those of the last ranks, and the
# figure says so.
step_charts <- function(result, layout) {
  names <- utils::head(part_charts(result$part, result$x), 1L)
  tiles <- if (identical(names, "tiles")) table_given(layout)
  x <- result$x
  if (identical(names, "quadrants") && nrow(x) > desk_most_points) {
    x <- select_only(x, sprintf("top(%d)", desk_most_points))
  }
  lapply(with_names(names, names), function(name) part_chart(x, name, result$part$shown, tiles))
}

desk_most_points <- 2000L

is_answered <- function(result) is.null(result$problem)

# Is there something that can be picked? Findings and reasons are about answers, not items.
has_items <- function(result) is_answered(result) && inherits(result$x, "eggcrate_answer") &&
  !inherits(result$x, "eggcrate_findings")
