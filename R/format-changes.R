# Changes in words.

signed <- function(number) function(x) ifelse(!is.na(x) & x > 0, paste0("+", number(x)), number(x))

#' "Net sales fell by 5.2% from 2026-04 to 2026-05: 61 customers lost, 12 new"; of
#' groups, "Net sales fell in 5 of 8 regions from 2026-04 to 2026-05".
#' @noRd
change_finding <- function(ans) {
  spans <- ans$facets$change$spans
  totals <- change_totals(ans)
  names <- sprintf("from %s to %s%s", spans$names[1L], spans$names[2L],
    if (spans$cut) ", same days" else "")
  if (length(totals$items) != 1L) {
    moved <- c(fell = sum(totals$change < 0, na.rm = TRUE),
      rose = sum(totals$change > 0, na.rm = TRUE))
    most <- moved[which.max(moved)]
    return(sprintf("%s %s in %s of %s %s", capital(measure_words(ans)), names(most),
      format_count(most), count_of(length(totals$items), group_noun(ans)), names))
  }
  if (is.na(totals$change)) {
    return(sprintf("%s %s", capital(change_text(ans)), names))
  }
  by <- if (is_percentage(ans)) {
    points_formatter()(abs(totals$change))
  } else if (is.na(totals$percent)) {
    said_formatter(ans)(abs(totals$change))
  } else {
    percent_formatter()(abs(totals$percent))
  }
  moved <- if (totals$change == 0) {
    "did not change"
  } else {
    sprintf("%s by %s", if (totals$change > 0) "rose" else "fell", by)
  }
  counts <- class_findings(ans)
  paste0(sprintf("%s %s %s", capital(measure_words(ans)), moved, names),
    if (length(counts)) paste0(": ", paste(counts, collapse = ", ")))
}

# "61 customers lost", "12 new": of the classes that come and go.
class_findings <- function(ans) {
  table <- class_counts(ans)
  counts <- table$items[match(c("lost", "new", "returned"), table$class)]
  words <- c("lost", "new", "returned")[counts > 0L]
  counts <- counts[counts > 0L]
  if (length(counts)) {
    paste(c(count_of(counts[1L], item_noun(ans$plan)), format_count(counts[-1L])), words)
  }
}

# What the groups are: "region", or "group" when several columns make them.
group_noun <- function(ans, names = group_names(ans$plan)) {
  if (length(names) == 1L) plain_words(names) else "group"
}

change_text <- function(ans) {
  plan <- ans$plan
  paste0("change of ", asked_measure(ans)$text, " by ", enumerate(names(plan$by)),
    if (length(plan$within)) paste(" within", enumerate(names(plan$within))))
}

#' What is to be known of the two periods; none when both are whole.
#' @noRd
period_notes <- function(ans) {
  spans <- ans$facets$change$spans
  c(
    if (spans$cut) {
      sprintf("%s is not complete (%s of %s days): its days to %s are compared with %s to %s.",
        spans$names[2L], format_count(spans$days[1L]), format_count(spans$days[2L]),
        day_text(spans$to[2L]), day_text(spans$from[1L]), day_text(spans$from[2L]))
    },
    if (spans$unequal && !spans$cut) {
      sprintf("Compared as given: %s days in %s, %s in %s.", format_count(diff(spans$from) + 1),
        spans$names[1L], format_count(diff(spans$to) + 1), spans$names[2L])
    },
    if (spans$late) sprintf("%s is not complete: the data begin within it.", spans$names[1L]),
    if (!ans$facets$change$history) {
      sprintf("No row precedes %s: who is called new may have been there before.", spans$names[1L])
    }
  )
}

class_signs <- function() {
  plain <- c(new = "+", returned = "<", up = "^", unchanged = "=", down = "v", lost = "x",
    "(none)" = "?")
  fancy <- c(new = "\u271a", returned = "\u21a9", up = "\u25b2", unchanged = "=", down = "\u25bc",
    lost = "\u2716", "(none)" = "?")
  if (symbol("plain", "fancy") == "plain") plain else fancy
}

# The first half from the one end of each group, the second from the other; marked ones
# wherever they stand.
shown_ends <- function(x, ans, n) {
  cell <- ans$ranked$cell[whole_rows(ans)]
  front <- stats::ave(seq_along(cell), cell, FUN = seq_along)
  back <- stats::ave(-seq_along(cell), cell, FUN = rank_of_ends)
  keep <- front <= ceiling(n / 2) | back <= floor(n / 2) | always_shown(x, cell, n)
  left <- tabulate(cell[!keep], length(ans$ranked$totals$items))
  which(keep | left[cell] == 1L)
}

rank_of_ends <- function(x) rev(seq_along(x))

change_title <- function(ans) {
  sprintf("change of %s", measure_title(ans, shown_name(asked_measure(ans)$name)))
}
