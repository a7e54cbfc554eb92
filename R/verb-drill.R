#' Ask the same one level below
#'
#' Asks the question of some standings again, of the rows of one or more of their items
#' only, and by another column: a customer's products, the regions of a tier.
#'
#' @param x Standings, still in the session in which they were made.
#' @param item Names of items, as in `items()` of [only()]; or a selection such as
#'   `in_tier("A")` or `top(3)`.
#' @param by What to rank: a column, or several as in `c(town, region)`.
#' @param ... Must be empty.
#' @returns Standings of the same measures, by the new column. Groups of `x` in which no
#'   item was chosen have no rows.
#' @section Errors: `eggcrate_error_unknown_item` for an item that is not there;
#'   `eggcrate_error_gone` when `x` was read from a file and its rows are no longer at
#'   hand.
#' @export
#' @examples
#' customers <- standings(demo_orders(), of = sum(net_sales), by = customer)
#' drill(customers, "Varlow Boatyard", by = category)
#' drill(customers, top(3), by = product)
drill <- function(x, item, by, ...) {
  call <- sys.call()[1L]
  check_no_dots(..., call = call)
  check_standings(x, call = call)
  item <- capture(substitute(item), parent.frame())
  x <- drop_others(x)
  asked <- held_data(x)
  if (is.null(asked)) {
    stop_data("gone", "The rows behind these standings are no longer at hand.",
      i = "Make the standings again in this session.", call = call)
  }
  found <- select_rows(chosen_items(item), unclass(as_plain(x)), facts(x), call = call)
  if (!length(found$rows)) {
    stop_data("unknown_item", sprintf("`%s` chooses no item.", found$text), call = call)
  }
  words <- asked$words
  words["by"] <- list(capture(substitute(by), parent.frame()))
  words["show"] <- list(NULL)
  words["having"] <- list(NULL)
  again <- asked$again %||% ask_standings
  again(asked$data, words, replace(asked$rules, "all_items", list(NULL)), asked$name, asked$reading,
    call, part_of(facts(x), found))
}

# A name is short for `items("name")`.
chosen_items <- function(item) {
  if (is.character(item) && !any(grepl("(", item, fixed = TRUE))) {
    as.call(c(as.name("items"), as.list(item)))
  } else {
    item
  }
}

part_of <- function(set, found) {
  rows <- set$order[whole_rows(set)[found$rows]]
  items <- lapply(set$tally$keys, function(key) key[rows])
  columns <- function(nodes) {
    unique(unlist(lapply(nodes, function(node) vapply(node_columns(node), `[[`, "", "name"))))
  }
  plain <- vapply(set$question$keys, function(node) node$op == "column", NA)
  # A date that periods are made of must be read as one.
  list(columns = columns(set$question$keys),
    as_text = setdiff(columns(set$question$keys[plain]), columns(set$question$keys[!plain])),
    node = any_of_items(set$question, items), text = found$text)
}

#' Why an item stands where it does
#'
#' The steps that put an item in its place: its rows, its value, who is next above and
#' below and by how much, its share and the sums behind it, its percentile, and its tier,
#' quadrant, class or status.
#'
#' @param x Standings, or the result of [quadrants()], [compare_periods()] or
#'   [against_target()].
#' @param item The name of one item; of several columns, `"town, region"`.
#' @param ... Ignored.
#' @returns A tibble of class `eggcrate_why`, which prints as sentences: `step`
#'   (character), `value` (double) and `text` (character); in groups the steps of each
#'   group that the item is in, with `group` (character).
#' @section Errors: `eggcrate_error_unknown_item` for an item that is not there.
#' @export
#' @examples
#' customers <- standings(demo_orders(), of = sum(net_sales), by = customer)
#' why(assign_tiers(customers, tiers_by_share(c(A = "80%", B = "95%"), rest = "C")), "Merrisk Ferries")
why <- function(x, item) {
  call <- sys.call()[1L]
  check_standings(x, call = call)
  if (!is.character(item) || length(item) != 1L || is.na(item)) {
    stop_eggcrate("call", "unknown_value",
      sprintf("`item` must be one name, not %s.", describe(item)), call = call)
  }
  set <- facts(drop_others(x))
  asked <- as.call(list(as.name("items"), item))
  set$rows <- NULL
  rows <- select_rows(asked, list(), set, call = call)$rows
  steps <- lapply(rows, why_steps, set = set)
  labels <- group_labels(set)[set$cell[rows]]
  table <- list(group = rep(labels, vapply(steps, function(s) length(s$step), 0L)),
    step = unlist(lapply(steps, `[[`, "step")), value = unlist(lapply(steps, `[[`, "value")),
    text = unlist(lapply(steps, `[[`, "text")))
  out <- tibble::new_tibble(table, nrow = length(table$step), class = "eggcrate_why")
  attr(out, "title") <- sprintf("%s, %s", item, question_text(set$question))
  out
}

#' @rdname why
#' @export
print.eggcrate_why <- function(x, ...) {
  writeLines(format(x, ...))
  invisible(x)
}

#' @rdname why
#' @export
format.eggcrate_why <- function(x, ...) {
  width <- max(nchar(x$step))
  lines <- split(paste0("  ", align(x$step, "left", width), "  ", x$text),
    factor(x$group, unique(x$group)))
  c(bold(attr(x, "title")),
    unlist(Map(function(group, lines) c(if (nzchar(group)) c("", group), lines), names(lines),
      lines), use.names = FALSE))
}

# The figures of one row, in the order in which they came about.
why_steps <- function(row, set) {
  at <- places(set)
  number <- measure_formatter(set)
  noun <- item_noun(set$question)
  value <- quantity_real(quantity_at(set$quantity, row))
  own <- set$order[row]
  used <- contributing(tally_at(set$tally, own)$parts[[main_part(set$question$measures[[1L]])]])
  facts <- list(why_fact("rows", used, sprintf("%s used", count_of(used, "row"))))
  add <- function(...) facts[[length(facts) + 1L]] <<- why_fact(...)
  add("value", value, sprintf("%s: %s", set$question$measures[[1L]]$text, number(value)))
  if (is.na(at$place[row])) {
    add("rank", NA, "no rank, for it has no value")
    return(gather_facts(facts))
  }
  near <- neighbours(row, set, at)
  size <- at$size[row]
  tied <- sum(set$block == set$block[row]) - 1L
  add("rank", at$first[row],
    sprintf("no. %s of %s%s", format_count(at$first[row]), count_of(size, noun),
    if (tied) sprintf(", with %s of the same value", format_count(tied)) else ""))
  for (fact in why_neighbours(near, number)) do.call(add, fact)
  if (!is.null(set$value) && is.null(set$changes)) {
    share <- why_share(set, row)
    add("share", share$share, share_words(share, value, row, set))
    add("running", share$running,
      sprintf("%s with all above it, %s of the total", number(share$running),
        percent_formatter()(share$cum_share)))
  }
  worse <- size - at$first[row] - tied
  add("percentile", if (size > 1L) worse / (size - 1) else NA,
    if (size > 1L) {
      sprintf("better than %s of the %s others", format_count(worse), format_count(size - 1L))
    } else {
      "the only one"
    })
  gather_facts(c(facts, why_group(row, set)))
}

why_neighbours <- function(near, number) {
  next_to <- function(words, side, none) {
    if (is.na(side$rank)) return(none)
    sprintf(words, number(side$to), side$name, format_count(side$rank))
  }
  list(
    list("above", near$above$to,
      next_to("%s more would reach %s, no. %s", near$above, "none is above")),
    list("below", near$below$to, next_to("%s ahead of %s, no. %s", near$below, "none is below"))
  )
}

share_words <- function(share, value, row, set) {
  if (is.na(share$share)) {
    return("no share: the total is not above zero")
  }
  number <- measure_formatter(set)
  base <- exact_real(if (length(set$base$value) == 1L) set$base else exact_at(set$base, row))
  sprintf("%s / %s = %s", number(value), number(base), percent_formatter()(share$share))
}

# Why it is in its tier, quadrant, class or status.
why_group <- function(row, set) {
  c(if (!is.null(set$scheme)) why_tier(row, set),
    if (!is.null(set$quadrants)) why_quadrant(row, set),
    if (!is.null(set$changes)) why_class(row, set), if (!is.null(set$targets)) why_status(row, set))
}

why_quadrant <- function(row, set) {
  found <- set$quadrants
  if (is.na(found$number[row])) {
    return(list(why_fact("quadrant", NA, "none: it lacks one of the values")))
  }
  cell <- set$cell[row]
  names <- measure_names(set$question)[1:2]
  formats <- list(measure_formatter(set), against_formatter(set))
  q <- list(set$quantity, second_quantity(set))
  sides <- vapply(1:2, function(i) {
    gap <- found[[c("gap_of", "gap_against")[i]]][row]
    sprintf("%s %s is %s (split at %s)", plain_words(names[i]),
      formats[[i]](quantity_real(quantity_at(q[[i]], row))), if (gap >= 0) "high" else "low",
      formats[[i]](found$lines[[i]][cell]))
  }, "")
  list(why_fact("quadrant", found$number[row],
    sprintf("%s: %s", found$labels[found$number[row]], paste(sides, collapse = ", "))))
}

why_class <- function(row, set) {
  number <- measure_formatter(set)
  spans <- set$question$spans
  value <- function(i) {
    side <- measure_of(set$question$measures[[i]], set$tally$parts, set$tally, set$question)
    quantity_real(quantity_at(side, set$order[row]))
  }
  rows <- vapply(c("rows in from", "rows in to", "rows before to"),
    function(label) part_rows(set, label)[row], 0)
  class <- change_classes[set$changes$number[row]]
  list(
    why_fact("from", value(2L),
      sprintf("%s in %s, from %s", number(value(2L)), spans$names[1L], count_of(rows[1L], "row"))),
    why_fact("to", value(3L),
      sprintf("%s in %s, from %s", number(value(3L)), spans$names[2L], count_of(rows[2L], "row"))),
    why_fact("class", set$changes$number[row],
      if (is.na(class)) "none: one of the values is missing" else {
      sprintf("%s: %s before %s, last order on %s", class, count_of(rows[3L], "row"),
        spans$names[2L], day_text(part_rows(set, "last order")[row]))
    })
  )
}

why_status <- function(row, set) {
  found <- set$targets
  number <- measure_formatter(set)
  status <- target_statuses[found$number[row]]
  if (status == "no target") {
    return(list(why_fact("target", NA, "no target")))
  }
  target <- quantity_real(quantity_at(found$target, row))
  attained <- if (is.na(found$attainment[row])) {
    ""
  } else {
    sprintf(", %s of it", percent_formatter()(found$attainment[row]))
  }
  list(why_fact("target", target, sprintf("%s, from %s", number(target), found$words)),
    why_fact("status", found$number[row],
      sprintf("%s: %s%s", shown_status(status, found$open[set$cell[row]], set),
      signed(number)(quantity_real(quantity_at(found$gap, row))), attained)))
}

why_fact <- function(step, value, text) list(step = step, value = as.numeric(value), text = text)
gather_facts <- function(facts) {
  lapply(with_names(c("step", "value", "text"), c("step", "value", "text")),
    function(f) unlist(lapply(facts, `[[`, f)))
}

why_share <- function(set, row) {
  one <- function(x) if (length(x$value) == 1L) x else exact_at(x, row)
  base <- one(set$base)
  above <- exact_signs_(base$value) > 0L
  ratio <- function(x) if (above) exact_share(exact_at(x, row), base) else NA_real_
  list(share = ratio(set$value), cum_share = ratio(set$running),
    running = exact_real(exact_at(set$running, row)))
}

# The nearest rows of other blocks in the same group, and the distances to them.
neighbours <- function(row, set, at) {
  same <- which(set$cell == set$cell[row] & !is.na(at$place))
  above <- max(same[set$block[same] < set$block[row]], -Inf)
  below <- min(same[set$block[same] > set$block[row]], Inf)
  side <- function(other, sign) {
    if (!is.finite(other)) {
      return(list(to = NA_real_, rank = NA))
    }
    gap <- subtract_quantities(quantity_at(set$quantity, other), quantity_at(set$quantity, row), -1)
    list(to = sign * quantity_real(gap), rank = at$first[other],
      name = item_names(set, set$order[other]))
  }
  list(above = side(above, 1), below = side(below, -1))
}

why_tier <- function(row, set) {
  number <- if (is.null(set$scheme$of)) measure_formatter(set) else gap_formatter(set)
  tier <- set$tier[row]
  if (is.na(tier)) {
    return(list(why_fact("tier", NA, "none, for it has no value")))
  }
  interval <- tier_intervals(set$scheme)[as.integer(tier)]
  gaps <- set$gaps
  still <- if (set$scheme$kind == "value") "" else ", others standing still"
  list(
    why_fact("tier", as.integer(tier),
      sprintf("%s of %s (%s)", tier, scheme_title(set$scheme), interval)),
    why_fact("to next", gaps$to_next[row],
      if (is.na(gaps$to_next[row])) {
        "no better tier has items"
      } else {
        sprintf("%s more for the next tier up%s", number(gaps$to_next[row]), still)
      }),
    why_fact("spare", gaps$spare[row],
      if (is.na(gaps$spare[row])) {
        "it can fall no further"
      } else {
        sprintf("%s above the floor of its tier", number(gaps$spare[row]))
      })
  )
}
