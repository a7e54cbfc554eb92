# Targets in words.

#' "5 of 8 regions reached their target in 2026-05, 96.0% of it in all"; of a period that is
#' not over, how many are on pace.
#' @noRd
target_finding <- function(ans) {
  found <- ans$facets$targets
  with <- found$number < 4L
  n <- sum(with)
  if (!n) {
    return(sprintf("No %s has a target", item_noun(ans$plan)))
  }
  one <- length(ans$ranked$totals$items) == 1L
  what <- if (one) count_of(n, item_noun(ans$plan)) else count_of(n, "target")
  place <- if (one && length(ans$plan$over)) {
    sprintf(" in %s", ans$ranked$totals[[names(ans$plan$over)]])
  } else {
    ""
  }
  if (one && any(found$open)) place <- sprintf("%s, %s", place, open_words(ans, 1L))
  if (one && any(found$open) && ans$plan$rules$best == "highest" && !found$prorated &&
    !all(is.na(found$pace))) {
    return(sprintf("%s of %s %s on pace for the target%s",
      format_count(sum(found$pace >= 1, na.rm = TRUE)), what,
      if (sum(found$pace >= 1, na.rm = TRUE) == 1L) "is" else "are", place))
  }
  reached <- sum(found$number <= 2L)
  all <- target_sums(ans, rep(1L, length(ans$ranked$cell)), 1L)$attainment
  text <- if (one) {
    sprintf("%s of %s reached the target%s", format_count(reached), what, place)
  } else {
    sprintf("%s of %s were reached", format_count(reached), what)
  }
  paste0(text,
    if (!is.na(all)) {
      sprintf(": %s of %s in all", percent_formatter()(all), if (one) "it" else "them")
    })
}

# A target that is not reached while its period lasts is not missed yet; the part of it
# for the days elapsed is.
shown_status <- function(status, open, ans) {
  ifelse(open & status == "missed" & ans$plan$rules$best == "highest" &
    !ans$facets$targets$prorated,
    "open", status)
}

# "after 17 of 30 days": of a group whose period is not over.
open_words <- function(ans, group) {
  period <- ans$plan$over[[1L]]$period
  number <- ans$ranked$tally$keys[[names(ans$plan$over)]][ans$ranked$order[match(group,
    ans$ranked$cell)]]
  days <- c(min(period_today(ans$plan), period_last(number, period)), period_last(number, period)) -
    period_first(number, period) + 1
  sprintf("after %s of %s days", format_count(days[1L]), format_count(days[2L]))
}

# The source of the targets; a constant target in the format of the measure.
target_source <- function(ans) {
  given <- ans$facets$targets$given
  if (is.null(given)) ans$facets$targets$words else measure_formatter(ans)(given)
}

# The best and the worst, by attainment, of one group.
target_ends_words <- function(ans) {
  ends <- target_ends(ans)
  if (length(ans$ranked$totals$items) != 1L || is.na(ends$best)) {
    return(NULL)
  }
  rows <- c(ends$best, ends$worst)
  sprintf("By attainment the best is %s (%s), the worst %s (%s).",
    item_names(ans, ans$ranked$order[rows[1L]]),
    percent_formatter()(ans$facets$targets$attainment[rows[1L]]),
    item_names(ans, ans$ranked$order[rows[2L]]),
    percent_formatter()(ans$facets$targets$attainment[rows[2L]]))
}

target_notes <- function(ans) {
  named <- function(rows, words) {
    if (length(rows)) {
      sprintf(words, format_count(length(rows)), enumerate_targets(ans, rows, 4L))
    }
  }
  c(
    if (any(ans$facets$targets$open)) {
      sprintf("Not complete: %s; %s.",
        enumerate(unique(ans$ranked$totals[[names(ans$plan$over)]][ans$facets$targets$open])),
        if (ans$facets$targets$prorated) {
          "its target counts for the days elapsed"
        } else {
          "pace = attainment / share of the days elapsed"
        })
    },
    named(ans$facets$targets$alone, "%s with a target and no sales: %s."),
    named(ans$facets$targets$none, "%s without a target, in no total of targets: %s.")
  )
}

status_signs <- function() {
  plain <- c(exceeded = "++", met = "+", missed = "x", "open" = "~", "no target" = "?")
  fancy <- c(exceeded = "\u25b2", met = "\u2714", missed = "\u2716", "open" = "~",
    "no target" = "?")
  if (symbol("plain", "fancy") == "plain") plain else fancy
}
