#' Quadrants: two measures, each split in two
#'
#' Sorts items into four groups by two measures: high or low in the one, high or low in
#' the other. Big customers that earn little are high in sales and low in margin.
#'
#' A split is `"median"` or `"mean"` of the items, `"overall"` (the measure over all
#' rows: the margin of everything), or a number. An item at the split is high. The splits
#' are made in each group of `within` and `over`. An item without one of the two values is
#' in no quadrant, shown as "(none)", and outside the medians and means.
#'
#' @inheritParams standings
#' @param against The second measure, such as `c(margin = sum(profit) / sum(net_sales))`.
#' @param split_of,split_against Where each measure is split; by default `"overall"` for
#'   ratios and means, `"median"` for anything else.
#' @param groups Names of the four quadrants, in the order high-high, high-low, low-high,
#'   low-low; by default made from the measures, such as "high net_sales, low margin".
#' @param near How far from a split, as a part of it, an item is still near it.
#' @returns Standings of the first measure, as from [standings()], sorted by quadrant and
#'   then by rank, with the second measure and
#'   \describe{
#'     \item{`quadrant`}{factor, in the order above}
#'     \item{`gap_of`, `gap_against`}{double: the value less the split}
#'     \item{`near`}{logical: is the item near a split?}
#'   }
#'   Ranks, shares and selections such as `top(10)` are those of all items of the group.
#' @inheritSection standings Errors
#' @seealso [quadrant_table()] counts them, [chart_quadrants()] draws them; [only()]
#'   keeps one: `only(x, quadrant == "high net_sales, low margin")`.
#' @export
#' @examples
#' x <- quadrants(demo_orders(), of = sum(net_sales), against = c(margin = sum(profit) / sum(net_sales)), by = customer)
#' x
#' only(x, near & top(20))
quadrants <- function(data, of, against, by, where, ..., split_of = NULL, split_against = NULL,
                      groups = NULL, near = "5%", within, over, also, show, having,
                      best = "highest", ties = "min", share_of = "group", share_base = "net",
                      all_items = NULL, as_of = NULL) {
  call <- sys.call()[1L]
  check_no_dots(..., call = call)
  asked <- called_words(environment(), parent.frame())
  against <- capture(substitute(against), parent.frame())
  ask_quadrants(data, asked, against, called_rules(environment()),
    list(of = split_of, against = split_against), groups, near, name = data_name(substitute(data)),
    call = call)
}

ask_quadrants <- function(data, words, against, rules, splits, groups = NULL, near = "5%",
  name = "the data", reading = list(), call = NULL) {
  if (is.null(against)) {
    stop_expression("`against` is missing.",
      hint =
        "Name the second measure, such as `against = c(margin = sum(profit) / sum(net_sales))`.",
      call = call)
  }
  near <- read_part(near, "near", call)
  splits <- Map(check_split, splits, c("split_of", "split_against"), list(call))
  words["also"] <- list(c(list(against), words$also))
  put_quadrants(ask_standings(data, words, rules, name, reading, call), splits, groups, near, call)
}

# "median", "overall", 5000, or a number as text from the command line.
check_split <- function(split, arg, call = NULL) {
  number <- if (is.character(split) && length(split) == 1L) {
    suppressWarnings(as.numeric(split))
  } else {
    split
  }
  if (is.null(split) || is.numeric(number) && length(number) == 1L && is.finite(number)) {
    return(number)
  }
  if (!is.character(split) || length(split) != 1L || !split %in% split_rules) {
    stop_eggcrate("call", "unknown_value",
      sprintf("`%s` must be %s, not %s.", arg, enumerate(c(quoted(split_rules), "a number"), "or"),
      describe(split)), call = call)
  }
  split
}

put_quadrants <- function(x, splits, groups, near, call = NULL) {
  set <- facts(x)
  columns <- unclass(as_plain(x))
  check_free(quadrant_columns, columns, TRUE, call)
  asked <- Map(function(split, measure) split %||% default_split(measure),
    with_names(splits, c("of", "against")), set$question$measures[1:2])
  set$quadrants <- quadrant_rows(set, asked, near)
  set$quadrants$labels <- quadrant_labels(groups, measure_names(set$question)[1:2], call)
  set$receipt <- quadrant_receipt(set)
  columns <- c(columns,
    list(
      quadrant = shown_tier(labelled_tier(set$quadrants$number,
        list(labels = set$quadrants$labels)))),
    set$quadrants[quadrant_columns[-1L]])
  set$rows <- quadrant_order(set)
  out <- rebuild(x, lapply(columns, key_at, set$rows), set)
  class(out) <- c("eggcrate_quadrants", class(x))
  out
}

quadrant_columns <- c("quadrant", "gap_of", "gap_against", "near")

quadrant_labels <- function(groups, measures, call = NULL) {
  if (is.null(groups)) {
    return(sprintf("%s %s, %s %s", c("high", "high", "low", "low"), measures[1L],
      c("high", "low", "high", "low"), measures[2L]))
  }
  if (!is.character(groups) || length(groups) != 4L || anyNA(groups) || any(!nzchar(groups)) ||
    anyDuplicated(groups) || "(none)" %in% groups) {
    stop_eggcrate("call", "unknown_value",
      "`groups` must be four different names, in the order high-high, high-low, low-high, low-low.",
      call = call)
  }
  groups
}

quadrant_receipt <- function(set) {
  found <- set$quadrants
  one <- length(set$totals$items) == 1L
  split <- function(i, name) {
    rule <- if (is.numeric(found$asked[[i]])) "as given" else found$asked[[i]]
    receipt_rows("quadrants", paste("split of", name),
      value = if (!one) {
        "in each group"
      } else if (is.na(found$lines[[i]])) {
        "none"
      } else {
        number_text(found$lines[[i]])
      }, note = rule)
  }
  names <- measure_names(set$question)
  empty <- setdiff(1:4, found$number)
  rows <- list(
    split("of", names[1L]), split("against", names[2L]),
    receipt_rows("quadrants", "items outside", sum(is.na(found$number)),
      note = sprintf("without a value of %s%s", enumerate(names[1:2], "or"),
      if (anyNA(unlist(found$lines))) ", or where a split has none" else "")),
    receipt_rows("quadrants", "items near a split", sum(found$near), found$part$text,
      "of the split, on either side"),
    receipt_rows("quadrants", "empty quadrants", length(empty),
      if (length(empty)) paste(found$labels[empty], collapse = "; "))
  )
  drop_empty_facts(add_rows(set$receipt, rows))
}

#' The table of quadrants
#'
#' Counts the items of each quadrant, with its part of the items, its total and share, the
#' second measure as a whole, and the splits; empty quadrants too. Always of all items,
#' whatever [only()] has left.
#'
#' @param x The result of [quadrants()].
#' @returns A tibble, one row per group and quadrant: the columns of the group, `quadrant`
#'   (factor), `items`, `share_of_items`, the first measure and its `share`, the second
#'   measure over all rows of the quadrant, further measures, `split_of` and
#'   `split_against`.
#' @section Errors: `eggcrate_error_unknown_value` when `x` has no quadrants.
#' @export
#' @examples
#' quadrant_table(quadrants(demo_orders(), of = sum(net_sales), against = c(margin = sum(profit) / sum(net_sales)), by = customer))
quadrant_table <- function(x) {
  check_result(x, "eggcrate_quadrants", "the result of `quadrants()`", sys.call()[1L])
  tibble::as_tibble(quadrant_counts(facts(x)))
}

check_result <- function(x, class, what, call = NULL) {
  if (!inherits(x, class)) {
    stop_eggcrate("call", "unknown_value", sprintf("`x` must be %s, not %s.", what, describe(x)),
      i = "A result that was changed by hand is a plain table.", call = call)
  }
}
