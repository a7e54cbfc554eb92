# Figures and names as people read them. Formatters are made once for a table or
# figure and used for all of it.

#' @param places Decimals to show.
#' @return A function from numbers to text; missing values read `missing`.
#' @noRd
number_formatter <- function(places = 0L, missing = "") {
  force(places)
  force(missing)
  function(x) {
    marks <- marks()
    out <- formatC(unzero(round(x, places)), format = "f", digits = places, big.mark = marks[1L],
      decimal.mark = marks[2L])
    out[is.na(x)] <- missing
    out
  }
}

percent_formatter <- function(places = 1L, missing = "") {
  number <- number_formatter(places, missing)
  function(x) ifelse(is.na(x), missing, paste(number(x * 100), "%"))
}

# -0 is never shown.
unzero <- function(x) ifelse(!is.na(x) & x == 0, 0, x)

# Money shows cents, whole numbers none; more places than two are for files.
shown_places <- function(ans) {
  tree <- asked_measure(ans)$tree
  whole <- tree$op == "aggregate" && tree$aggregate$op %in% c("count", "distinct")
  places <- ans$ranked$share$value$places %||% NA
  if (whole || identical(places, 0L) && is.null(asked_measure(ans)$per_day)) 0L else 2L
}

# By what the values are: whole, small or neither, or a part that is to be shown as a
# percentage; text as it is.
plain_formatter <- function(values, name = "") {
  if (!is.numeric(values)) {
    return(as.character)
  }
  if (name %in% display("percent")) {
    return(percent_formatter())
  }
  if (all(values == round(values), na.rm = TRUE)) {
    return(number_formatter(0L))
  }
  number_formatter(if (max(abs(values), 0, na.rm = TRUE) < 10) 3L else 2L)
}

# A ratio of sums below one reads as a part, with three places; money as it was asked
# to be shown.
measure_formatter <- function(ans, missing = "") {
  if (is_percentage(ans)) {
    return(percent_formatter(missing = missing))
  }
  if (is_money(ans)) {
    return(money_formatter(missing))
  }
  if (!has_shares(ans) && asked_measure(ans)$tree$op == "/") {
    number_formatter(3L, missing)
  } else {
    number_formatter(shown_places(ans), missing)
  }
}

is_percentage <- function(ans) asked_measure(ans)$name %in% display("percent")

is_money <- function(ans) has_shares(ans) && shown_places(ans) == 2L

money_unit <- function() money_units[[display("unit") %||% "one"]]

money_formatter <- function(missing = "") {
  unit <- money_unit()
  number <- number_formatter(display("decimals") %||% if (unit == 1) 2L else 1L, missing)
  function(x) number(x / unit)
}

# "Net sales (thousand €)": the measure's name as shown, with its unit.
measure_title <- function(ans, name = asked_measure(ans)$name) {
  unit <- if (is_money(ans)) {
    paste(c(setdiff(display("unit"), "one"), display("currency")), collapse = " ")
  } else {
    ""
  }
  paste0(name, if (nzchar(unit)) sprintf(" (%s)", unit))
}

# The measure in a sentence or on an axis.
measure_words <- function(ans) plain_words(asked_measure(ans)$name)

format_count <- function(n) {
  formatC(n, format = "d", big.mark = marks()[1L], decimal.mark = marks()[2L])
}

count_of <- function(n, noun) paste(format_count(n), if (n == 1) noun else plural(noun))

# "5 customers not shown.", where some are.
not_shown <- function(n, noun) if (n > 0) sprintf("%s not shown.", count_of(n, noun))

# `net_sales` reads "net sales".
# An expression stays as it is.
plain_words <- function(name) {
  if (name %in% names(display("labels"))) {
    shown_name(name)
  } else {
    spaced_words(name)
  }
}

# What a question counts: "customer", or "item" when several columns name it.
item_noun <- function(plan) {
  if (length(plan$by) == 1L) plain_words(names(plan$by)) else "item"
}

# Sentences that tables, figures and the command share ---------------------

question_text <- function(plan) {
  paste0(
    plan_measure(plan)$text, " by ", enumerate(names(plan$by)),
    if (length(plan$within)) paste(" within", enumerate(names(plan$within))),
    if (length(plan$over)) paste(" over", names(plan$over))
  )
}

#' "28 of 64 products make 80 % of net sales", and how many make half.
#' @noRd
reach_finding <- function(ans, group = 1L, half = TRUE) {
  items <- ans$ranked$totals$items[group]
  count <- ans$facets$reach$count[group]
  if (is.na(count)) {
    return(sprintf("No part of %s can be reached: the total is not above zero", measure_words(ans)))
  }
  make <- function(n) if (n == 1L) "makes" else "make"
  text <- sprintf("%s of %s %s %s of %s", format_count(count),
    count_of(items, item_noun(ans$plan)), make(count), ans$facets$reach$part$text, measure_words(ans))
  half_count <- ans$facets$reach$half[group]
  if (!half || ans$facets$reach$part$value == 0.5 || half_count == count) {
    return(text)
  }
  sprintf("%s, %s %s half", text, format_count(half_count), make(half_count))
}

# Do tables and sentences of the answer speak of shares? Changes and targets do not.
shows_shares <- function(ans) {
  has_shares(ans) && !has_facet(ans, "change") && !has_facet(ans, "targets")
}

#' "10 of 241 customers, 39.8 % of net sales".
#' @noRd
selected_words <- function(ans, rows = whole_rows(ans)) {
  rows <- rows[!is.na(rows)]
  share <- if (shows_shares(ans)) selected_share(ans, rows)
  sprintf("%s of %s%s", format_count(length(rows)),
    count_of(length(ans$ranked$cell), item_noun(ans$plan)),
    if (!is.null(share) && !is.na(share)) {
      sprintf(", %s of %s", percent_formatter()(share), measure_words(ans))
    } else {
      ""
    })
}

# What a legend says of the items that reach the part, and of the others.
reach_legend <- function(ans) c(sprintf("among those that make %s", ans$facets$reach$part$text), "the rest")

#' The account of the rows, in a sentence.
#' @noRd
rows_sentence <- function(receipt) {
  n <- function(step) sum(receipt$n[receipt$step == step & grepl("^rows", receipt$fact)])
  history <- sum(receipt$n[receipt$fact == "rows of history"])
  out <- c(history, n("filtered out"), n("left out"))
  why <- sprintf(c("%s more for history only", "%s filtered out", "%s left out"),
    format_count(out))[out > 0]
  sprintf("%s of %s used%s", format_count(n("used") - history), count_of(n("read"), "row"),
    if (length(why)) paste0(" (", paste(why, collapse = ", "), ")") else "")
}

#' Notes that change how the table is to be read; none when nothing is odd.
#' @noRd
reading_notes <- function(ans) {
  n <- function(fact) sum(ans$receipt$n[ans$receipt$fact == fact])
  noun <- item_noun(ans$plan)
  below <- n("items below zero")
  signs <- exact_signs_(ans$ranked$total$value %||% complex())
  passes <- ans$plan$rules$best == "highest" && below > 0 && all(signs > 0L) &&
    ans$plan$rules$share_base == "net"
  c(
    if (n("tied items") > 0) {
      sprintf("%s tie; %s.", count_of(n("tied items"), noun), tie_rules[[ans$plan$rules$ties]])
    },
    if (below > 0) {
      sprintf("%s %s below zero%s.", count_of(below, noun), if (below == 1) "is" else "are",
        if (passes) ": the running total passes 100 % and comes back" else "")
    },
    if (any(signs <= 0L) && shows_shares(ans)) {
      "A total is not above zero: there are no shares of it."
    },
    if (has_facet(ans, "firmness")) firm_words(ans),
    if (!has_facet(ans, "targets")) incomplete_note(ans),
    if (n("items without a value") > 0) {
      sprintf("%s without a value, and so without a rank.",
        count_of(n("items without a value"), noun))
    },
    if (n("items dropped by having") > 0) {
      sprintf("%s dropped: having %s.", count_of(n("items dropped by having"), noun),
        ans$plan$having$text)
    },
    if (plan_measure(ans$plan)$distinct && length(ans$ranked$cell)) {
      sprintf("The total is the sum of the rows; in all there are %s different.",
        enumerate(format_count(ans$ranked$totals[[paste(plan_measure(ans$plan)$name, "in all")]])))
    },
    if (n("items left out") > 0) {
      sprintf("%s left out: all their rows lack the measure.", count_of(n("items left out"), noun))
    }
  )
}

incomplete_note <- function(ans) {
  if (any(ans$ranked$incomplete)) {
    sprintf("Not complete: %s.", ans$receipt$value[ans$receipt$fact == "periods not complete"])
  }
}

# Tiers ----------------------------------------------------------------------

# The scheme in words, with names as they are shown.
shown_scheme <- function(scheme) scheme_title(scheme, plain_words)

one_tiered <- function(ans) has_facet(ans, "tiers") && one_group(ans)

#' "98 of 241 customers are in tier A: 80.0 % of net sales".
#' @noRd
tier_finding <- function(ans) {
  first <- which(tabulate(ans$facets$tiers$number, length(ans$facets$tiers$scheme$labels)) > 0L)[1L]
  if (is.na(first)) {
    return(question_text(ans$plan))
  }
  rows <- which(ans$facets$tiers$number == first)
  share <- if (has_shares(ans)) selected_share(ans, rows) else NA
  sprintf("%s of %s %s in tier %s%s", format_count(length(rows)),
    count_of(length(ans$ranked$cell), item_noun(ans$plan)), if (length(rows) == 1L) "is" else "are",
    ans$facets$tiers$scheme$labels[first],
    if (is.na(share)) "" else sprintf(": %s of %s", percent_formatter()(share), measure_words(ans)))
}

# "from 11,095.39"; nothing for the last tier.
cut_off_words <- function(table, ans, number) {
  ifelse(is.na(table$cut_off), "",
    paste(if (ans$plan$rules$best == "lowest") "up to" else "from", number(table$cut_off)))
}

# What each tier takes in, as intervals that meet.
tier_intervals <- function(scheme) {
  b <- scheme$bounds
  k <- length(scheme$labels)
  number <- function(x) prettyNum(number_text(x), big.mark = ",")
  text <- function(parts) vapply(parts, `[[`, "", "text")
  switch(scheme$kind,
    value = if (k > 2L && b[1L] < b[2L]) {
      c(sprintf("up to %s", number(b[1L])),
        sprintf("above %s, up to %s", number(b[-length(b)]), number(b[-1L])),
        sprintf("above %s", number(b[k - 1L])))
    } else {
      c(sprintf("from %s", number(b[1L])),
        if (k > 2L) sprintf("from %s, below %s", number(b[-1L]), number(b[-length(b)])),
        sprintf("below %s", number(b[k - 1L])))
    },
    share = c(sprintf("the first %s of the total", text(b[1L])),
      if (k > 2L) sprintf("from there to %s", text(b[-1L])), "all others"),
    percentile = {
      size <- diff(c(0, vapply(b, `[[`, 0, "value"), 1))
      c(sprintf("the top %s of the items", percent_text(size[1L])),
        sprintf("the next %s", percent_text(size[-1L])))
    },
    rank = c(sprintf("ranks 1 to %s", number(b[1L])),
      if (k > 2L) sprintf("ranks %s to %s", number(b[-length(b)] + 1), number(b[-1L])),
      sprintf("ranks from %s", number(b[k - 1L] + 1))),
    equal = rep(sprintf("1 of %d parts of the items", k), k)
  )
}

percent_text <- function(x) paste0(number_text(round(x * 100, 10)), " %")

#' How sure ranks are, and by what.
#' @noRd
firm_words <- function(ans) {
  sprintf("Ranks and whiskers: %s intervals, %s orders drawn anew %s times, seed %s.",
    ans$facets$firmness$level$text, format_count(ans$facets$firmness$orders), format_count(ans$facets$firmness$times),
    number_text(ans$facets$firmness$seed))
}

# Quadrants ------------------------------------------------------------------

# How the second measure reads; its splits read alike.
against_formatter <- function(ans) {
  name <- measure_names(ans$plan)[2L]
  plain_formatter(c(ans$ranked$totals[[name]], ans$facets$quadrants$lines$against), name)
}

#' "Varlow Boatyard stands out: no. 4 of 241 customers by net sales, margin -0.005 (overall
#' 0.313)": of the item furthest into the corner of high and low.
#' @noRd
quadrant_finding <- function(ans) {
  row <- standing_out(ans)
  names <- measure_names(ans$plan)
  if (length(row)) {
    at <- places(ans$ranked)
    group <- ans$ranked$cell[row]
    number <- against_formatter(ans)
    rule <- ans$facets$quadrants$asked$against
    return(sprintf("%s%s stands out: no. %s of %s by %s, %s %s (%s %s)",
      item_names(ans, ans$ranked$order[row]),
      if (length(ans$ranked$totals$items) > 1L) sprintf(" (%s)", group_labels(ans)[group]) else "",
      format_count(at$first[row]), count_of(at$size[row], item_noun(ans$plan)),
      plain_words(names[1L]), plain_words(names[2L]),
      number(quantity_real(quantity_at(second_quantity(ans), row))),
      if (is.numeric(rule)) "split at" else rule, number(ans$facets$quadrants$lines$against[group])))
  }
  first <- which(tabulate(ans$facets$quadrants$number, 4L) > 0L)[1L]
  if (is.na(first)) {
    return(question_text(ans$plan))
  }
  sprintf("%s: %s", ans$facets$quadrants$labels[first],
    selected_words(ans, which(ans$facets$quadrants$number == first)))
}

# "net_sales split at 9,134.11 (median), margin at 0.313 (overall)".
split_words <- function(ans) {
  found <- ans$facets$quadrants
  rule <- vapply(found$asked, function(split) if (is.numeric(split)) "as given" else split, "")
  if (length(ans$ranked$totals$items) == 1L) {
    rule <- sprintf("%s (%s)",
      c(measure_formatter(ans, "no value")(found$lines$of),
        ifelse(is.na(found$lines$against), "no value",
        against_formatter(ans)(found$lines$against))), rule)
  }
  sprintf("%s split at %s, %s at %s%s", shown_name(measure_names(ans$plan)[1L]), rule[1L],
    shown_name(measure_names(ans$plan)[2L]), rule[2L],
    if (length(ans$ranked$totals$items) > 1L) " of each group" else "")
}

# Changes --------------------------------------------------------------------

signed <- function(number) function(x) ifelse(!is.na(x) & x > 0, paste0("+", number(x)), number(x))

#' "Net sales fell by 5.2 % from 2026-04 to 2026-05: 61 customers lost, 12 new"; of
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
  by <- if (is.na(totals$percent)) {
    measure_formatter(ans)(abs(totals$change))
  } else {
    percent_formatter()(abs(totals$percent))
  }
  moved <- if (totals$change == 0) {
    "stayed level"
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
group_noun <- function(ans) {
  names <- group_names(ans$plan)
  if (length(names) == 1L) plain_words(names) else "group"
}

change_text <- function(ans) {
  plan <- ans$plan
  paste0("change of ", asked_measure(ans)$text, " by ", enumerate(names(plan$by)),
    if (length(plan$within)) paste(" within", enumerate(names(plan$within))))
}

# At the head of a sentence; an expression stays as it is.
capital <- function(x) {
  ifelse(!grepl("[(_]", x), paste0(toupper(substr(x, 1L, 1L)), substring(x, 2L)), x)
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
    if (spans$late) sprintf("%s is not complete: the data begin within it.", spans$names[1L]),
    if (!ans$facets$change$history) {
      sprintf("No row precedes %s: who is called new may have been there before.", spans$names[1L])
    }
  )
}

# Targets --------------------------------------------------------------------

#' "5 of 8 regions reached their target in 2026-05, 96.0 % of it in all"; of a period that is
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
# for the days gone by is.
shown_status <- function(status, open, ans) {
  ifelse(open & status == "missed" & ans$plan$rules$best == "highest" & !ans$facets$targets$prorated,
    "not yet", status)
}

# "after 17 of 30 days": of a group whose period is not over.
open_words <- function(ans, group) {
  period <- ans$plan$over[[1L]]$period
  number <- ans$ranked$tally$keys[[names(ans$plan$over)]][ans$ranked$order[match(group, ans$ranked$cell)]]
  days <- c(min(period_today(ans$plan), period_last(number, period)), period_last(number, period)) -
    period_first(number, period) + 1
  sprintf("after %s of %s days", format_count(days[1L]), format_count(days[2L]))
}

# The best and the worst, by attainment, of one group.
target_ends_words <- function(ans) {
  ends <- target_ends(ans)
  if (length(ans$ranked$totals$items) != 1L || is.na(ends$best)) {
    return(NULL)
  }
  rows <- c(ends$best, ends$worst)
  sprintf("Best %s (%s), worst %s (%s).", item_names(ans, ans$ranked$order[rows[1L]]),
    percent_formatter()(ans$facets$targets$attainment[rows[1L]]), item_names(ans, ans$ranked$order[rows[2L]]),
    percent_formatter()(ans$facets$targets$attainment[rows[2L]]))
}

target_notes <- function(ans) {
  named <- function(rows, words) {
    if (length(rows)) {
      sprintf(words, format_count(length(rows)), enumerate(target_labels(ans, rows), most = 4L))
    }
  }
  c(
    if (any(ans$facets$targets$open)) {
      sprintf("Not complete: %s; %s.",
        enumerate(unique(ans$ranked$totals[[names(ans$plan$over)]][ans$facets$targets$open])),
        if (ans$facets$targets$prorated) {
          "its target counts for the days gone by"
        } else {
          "pace is the attainment by the part of the days gone by"
        })
    },
    named(ans$facets$targets$alone, "%s with a target and no sales: %s."),
    named(ans$facets$targets$none, "%s without a target, in no total of targets: %s.")
  )
}
