# The reasons for the position of an item, in words.

#' @noRd
explain <- function(x, item, call = NULL) {
  if (!is.character(item) || length(item) != 1L || is.na(item)) {
    stop_eggcrate("call", "unknown_value",
      sprintf("`item` must be one name, not %s.", describe(item)), call = call)
  }
  ans <- answer_of(drop_others(x))
  asked <- as.call(list(as.name("items"), item))
  ans["rows"] <- list(NULL)
  explain_rows(ans, select_rows(asked, list(), ans, call = call)$rows, item)
}

# Rows of the whole, which are all of one item, or one cell of a grid.
explain_rows <- function(ans, rows, item) {
  steps <- lapply(rows, why_steps, ans = ans)
  labels <- group_labels(ans)[ans$ranked$cell[rows]]
  table <- list(group = rep(labels, vapply(steps, function(s) length(s$step), 0L)),
    step = unlist(lapply(steps, `[[`, "step")), value = unlist(lapply(steps, `[[`, "value")),
    text = unlist(lapply(steps, `[[`, "text")))
  structure(table, row.names = .set_row_names(length(table$step)),
    class = c("eggcrate_why", "tbl_df", "tbl", "data.frame"),
    title = sprintf("%s, %s", item, question_text(ans$plan)), item = item)
}

# The figures of one row, in the order in which they came about.
why_steps <- function(row, ans) {
  at <- places(ans$ranked)
  number <- said_formatter(ans)
  noun <- item_noun(ans$plan)
  value <- quantity_real(quantity_at(ans$ranked$quantity, row))
  own <- ans$ranked$order[row]
  used <- contributing(tally_at(ans$ranked$tally, own)$parts[[main_part(plan_measure(ans$plan))]])
  found <- list(why_fact("rows", used, sprintf("%s used", count_of(used, "row"))))
  add <- function(...) found[[length(found) + 1L]] <<- why_fact(...)
  add("value", value, sprintf("%s: %s", plan_measure(ans$plan)$text, number(value)))
  if (is.na(at$place[row])) {
    add("rank", NA, "no rank, for it has no value")
    return(gather_facts(found))
  }
  near <- neighbours(row, ans, at)
  size <- at$size[row]
  tied <- sum(ans$ranked$block == ans$ranked$block[row]) - 1L
  add("rank", at$first[row],
    sprintf("no. %s of %s%s", format_count(at$first[row]), count_of(size, noun),
      if (tied) sprintf(", with %s of the same value", format_count(tied)) else ""))
  for (fact in why_neighbours(near, number)) do.call(add, fact)
  if (has_shares(ans) && !has_facet(ans, "change")) {
    share <- why_share(ans, row)
    add("share", share$share, share_words(share, value, row, ans))
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
  gather_facts(c(found, facet_steps(ans, row)))
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

share_words <- function(share, value, row, ans) {
  if (is.na(share$share)) {
    return(if (above_zero(ans$ranked)[ans$ranked$cell[row]]) {
      "no share: shares are of the items above zero"
    } else {
      "no share: the total is not above zero"
    })
  }
  number <- said_formatter(ans)
  base <- exact_real(exact_at(base_of(ans$ranked), ans$ranked$cell[row]))
  sprintf("%s / %s = %s", number(value), number(base), percent_formatter()(share$share))
}

# What each facet says of a row: why it is in its tier, quadrant, class or status.
facet_steps <- function(ans, row) {
  unlist(lapply(unname(facets_of(ans)), facet_why, ans = ans, row = row), recursive = FALSE)
}

facet_why <- function(facet, ans, row) UseMethod("facet_why")

#' @export
#' @noRd
facet_why.eggcrate_facet <- function(facet, ans, row) NULL

#' @export
#' @noRd
facet_why.eggcrate_facet_quadrants <- function(facet, ans, row) {
  found <- facet
  if (is.na(found$number[row])) {
    return(list(why_fact("quadrant", NA, "none: it lacks one of the values")))
  }
  cell <- ans$ranked$cell[row]
  names <- measure_names(ans$plan)[1:2]
  formats <- list(said_formatter(ans),
    said_formatter(ans, ans$plan$measures[[2L]], against_formatter(ans)))
  q <- list(ans$ranked$quantity, second_quantity(ans))
  sides <- vapply(1:2, function(i) {
    gap <- found[[c("gap_of", "gap_against")[i]]][row]
    sprintf("%s %s is %s (split at %s)", plain_words(names[i]),
      formats[[i]](quantity_real(quantity_at(q[[i]], row))), if (gap >= 0) "high" else "low",
      formats[[i]](found$lines[[i]][cell]))
  }, "")
  potential <- found$potential[row]
  c(list(why_fact("quadrant", found$number[row],
    sprintf("%s: %s", found$labels[found$number[row]], paste(sides, collapse = ", ")))),
    if (length(potential) && !is.na(potential)) {
      list(why_fact("potential", potential,
        sprintf("%s more %s at %s", said_potential(ans, potential),
          plain_words(found$potential_of$name), potential_target(ans))))
    })
}

#' @export
#' @noRd
facet_why.eggcrate_facet_change <- function(facet, ans, row) {
  number <- said_formatter(ans)
  spans <- ans$facets$change$spans
  value <- function(i) {
    side <- measure_of(ans$plan$measures[[i]], ans$ranked$tally$parts, ans$ranked$tally, ans$plan)
    quantity_real(quantity_at(side, ans$ranked$order[row]))
  }
  rows <- vapply(c("rows in from", "rows in to", if (by_date(facet)) "rows before to"),
    function(label) part_rows(ans, label)[row], 0)
  class <- change_classes[ans$facets$change$number[row]]
  list(
    why_fact("from", value(2L),
      sprintf("%s in %s, from %s", number(value(2L)), spans$names[1L], count_of(rows[1L], "row"))),
    why_fact("to", value(3L),
      sprintf("%s in %s, from %s", number(value(3L)), spans$names[2L], count_of(rows[2L], "row"))),
    why_fact("class", ans$facets$change$number[row],
      if (is.na(class)) {
        "none: one of the values is missing"
      } else if (!by_date(facet)) {
        class
      } else {
        paste0(sprintf("%s: %s before %s", class, count_of(rows[3L], "row"), spans$names[2L]),
          if (facet$daily) sprintf(", last order on %s",
            day_text(part_rows(ans, "last order")[row])))
      })
  )
}

#' @export
#' @noRd
facet_why.eggcrate_facet_targets <- function(facet, ans, row) {
  found <- facet
  number <- said_formatter(ans)
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
      sprintf("%s: %s%s", shown_status(status, found$open[ans$ranked$cell[row]], ans),
        signed(number)(quantity_real(quantity_at(found$gap, row))), attained)))
}

why_fact <- function(step, value, text) list(step = step, value = as.numeric(value), text = text)
gather_facts <- function(facts) {
  lapply(with_names(c("step", "value", "text"), c("step", "value", "text")),
    function(f) unlist(lapply(facts, `[[`, f)))
}

why_share <- function(ans, row) {
  shares <- share_rows(ans$ranked$share, ans$ranked$cell)
  list(share = shares$share[row], cum_share = shares$cum_share[row],
    running = exact_real(exact_at(ans$ranked$share$running, row)))
}

# The nearest rows of other blocks in the same group, and the distances to them.
neighbours <- function(row, ans, at) {
  same <- which(ans$ranked$cell == ans$ranked$cell[row] & !is.na(at$place))
  above <- max(same[ans$ranked$block[same] < ans$ranked$block[row]], -Inf)
  below <- min(same[ans$ranked$block[same] > ans$ranked$block[row]], Inf)
  side <- function(other, sign) {
    if (!is.finite(other)) {
      return(list(to = NA_real_, rank = NA))
    }
    gap <- subtract_quantities(quantity_at(ans$ranked$quantity, other),
      quantity_at(ans$ranked$quantity, row), -1)
    list(to = sign * quantity_real(gap), rank = at$first[other],
      name = item_names(ans, ans$ranked$order[other]))
  }
  list(above = side(above, 1), below = side(below, -1))
}

#' @export
#' @noRd
facet_why.eggcrate_facet_tiers <- function(facet, ans, row) {
  number <- said_tier_formatter(ans)
  tier <- ans$facets$tiers$tier[row]
  if (is.na(tier)) {
    return(list(why_fact("tier", NA, "none, for it has no value")))
  }
  interval <- tier_intervals(ans$facets$tiers$scheme)[as.integer(tier)]
  gaps <- ans$facets$tiers$gaps
  still <- if (ans$facets$tiers$scheme$kind == "value") "" else ", if all others stay the same"
  list(
    why_fact("tier", as.integer(tier),
      sprintf("%s of %s (%s)", tier, shown_scheme(ans$facets$tiers$scheme), interval)),
    why_fact("to next", gaps$to_next[row],
      if (is.na(gaps$to_next[row])) {
        "no better tier has items"
      } else {
        sprintf("%s more for the next tier%s", number(gaps$to_next[row]), still)
      }),
    why_fact("above cut-off", gaps$above_cutoff[row],
      if (is.na(gaps$above_cutoff[row])) {
        "there is no lower tier"
      } else {
        sprintf("%s above the cut-off of its tier", number(gaps$above_cutoff[row]))
      })
  )
}
