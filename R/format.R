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
shown_places <- function(set) {
  tree <- asked_measure(set)$tree
  whole <- tree$op == "aggregate" && tree$aggregate$op %in% c("count", "distinct")
  places <- set$value$places %||% NA
  if (whole || identical(places, 0L) && is.null(asked_measure(set)$per_day)) 0L else 2L
}

# The measure that was asked for: of two periods that is not the change.
asked_measure <- function(set) set$question$measured %||% set$question$measure

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
measure_formatter <- function(set, missing = "") {
  if (is_percentage(set)) {
    return(percent_formatter(missing = missing))
  }
  if (is_money(set)) {
    return(money_formatter(missing))
  }
  if (is.null(set$value) && asked_measure(set)$tree$op == "/") {
    number_formatter(3L, missing)
  } else {
    number_formatter(shown_places(set), missing)
  }
}

is_percentage <- function(set) asked_measure(set)$name %in% display("percent")

is_money <- function(set) !is.null(set$value) && shown_places(set) == 2L

money_unit <- function() money_units[[display("unit") %||% "one"]]

money_formatter <- function(missing = "") {
  unit <- money_unit()
  number <- number_formatter(display("decimals") %||% if (unit == 1) 2L else 1L, missing)
  function(x) number(x / unit)
}

# "Net sales (thousand €)": the measure's name as shown, with its unit.
measure_title <- function(set, name = asked_measure(set)$name) {
  unit <- if (is_money(set)) {
    paste(c(setdiff(display("unit"), "one"), display("currency")), collapse = " ")
  } else {
    ""
  }
  paste0(name, if (nzchar(unit)) sprintf(" (%s)", unit))
}

# The measure in a sentence or on an axis.
measure_words <- function(set) plain_words(asked_measure(set)$name)

format_count <- function(n) {
  formatC(n, format = "d", big.mark = marks()[1L], decimal.mark = marks()[2L])
}

count_of <- function(n, noun) paste(format_count(n), if (n == 1) noun else plural(noun))

# "5 customers not shown.", where some are.
not_shown <- function(n, noun) if (n > 0) sprintf("%s not shown.", count_of(n, noun))

# The plural of a column's name, by the rules that hold for most English nouns.
plural <- function(noun) {
  if (grepl("(s|x|z|ch|sh)$", noun)) {
    if (grepl("s$", noun) && !grepl("ss$", noun)) noun else paste0(noun, "es")
  } else if (grepl("[^aeiou]y$", noun)) {
    sub("y$", "ies", noun)
  } else if (grepl("person$", noun)) {
    sub("person$", "people", noun)
  } else {
    paste0(noun, "s")
  }
}

# `net_sales` reads "net sales".
# An expression stays as it is.
plain_words <- function(name) {
  if (name %in% names(display("labels"))) {
    shown_name(name)
  } else if (grepl("^[[:alnum:]_. ]+$", name)) {
    gsub("_", " ", name, fixed = TRUE)
  } else {
    name
  }
}

# What a question counts: "customer", or "item" when several columns name it.
item_noun <- function(question) {
  if (length(question$by) == 1L) plain_words(names(question$by)) else "item"
}

group_names <- function(question) names(c(question$within, question$over))

group_labels <- function(set) {
  names <- group_names(set$question)
  set$sections %||% if (length(names)) item_labels(set$totals, names) else ""
}

# Sentences that tables, figures and the command share ---------------------

question_text <- function(question) {
  paste0(
    question$measure$text, " by ", enumerate(names(question$by)),
    if (length(question$within)) paste(" within", enumerate(names(question$within))),
    if (length(question$over)) paste(" over", names(question$over))
  )
}

#' "28 of 64 products make 80 % of net sales", and how many make half.
#' @noRd
reach_finding <- function(set, group = 1L, half = TRUE) {
  items <- set$totals$items[group]
  count <- set$count[group]
  if (is.na(count)) {
    return(sprintf("No part of %s can be reached: the total is not above zero", measure_words(set)))
  }
  make <- function(n) if (n == 1L) "makes" else "make"
  text <- sprintf("%s of %s %s %s of %s", format_count(count),
    count_of(items, item_noun(set$question)), make(count), set$reach$text, measure_words(set))
  half_count <- set$half[group]
  if (!half || set$reach$value == 0.5 || half_count == count) {
    return(text)
  }
  sprintf("%s, %s %s half", text, format_count(half_count), make(half_count))
}

#' "10 of 241 customers, 39.8 % of net sales".
#' @noRd
selected_words <- function(set, rows = whole_rows(set)) {
  rows <- rows[!is.na(rows)]
  if (!is.null(set$changes) || !is.null(set$targets)) {
    return(sprintf("%s of %s", format_count(length(rows)),
      count_of(length(set$cell), item_noun(set$question))))
  }
  share <- if (!is.null(set$value)) selected_share(set, rows)
  sprintf("%s of %s%s", format_count(length(rows)),
    count_of(length(set$cell), item_noun(set$question)),
    if (!is.null(share) && !is.na(share)) {
      sprintf(", %s of %s", percent_formatter()(share), measure_words(set))
    } else {
      ""
    })
}

# What a legend says of the items that reach the part, and of the others.
reach_legend <- function(set) c(sprintf("among those that make %s", set$reach$text), "the rest")

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
reading_notes <- function(set) {
  n <- function(fact) sum(set$receipt$n[set$receipt$fact == fact])
  noun <- item_noun(set$question)
  below <- n("items below zero")
  signs <- exact_signs_(set$total$value %||% complex())
  passes <- set$question$best == "highest" && below > 0 && all(signs > 0L) &&
    set$question$share_base == "net"
  c(
    if (n("tied items") > 0) {
      sprintf("%s tie; %s.", count_of(n("tied items"), noun), tie_rules[[set$question$ties]])
    },
    if (below > 0) {
      sprintf("%s %s below zero%s.", count_of(below, noun), if (below == 1) "is" else "are",
        if (passes) ": the running total passes 100 % and comes back" else "")
    },
    if (any(signs <= 0L) && is.null(set$changes) && is.null(set$targets)) {
      "A total is not above zero: there are no shares of it."
    },
    if (!is.null(set$firm)) firm_words(set),
    if (is.null(set$targets)) incomplete_note(set),
    if (n("items without a value") > 0) {
      sprintf("%s without a value, and so without a rank.",
        count_of(n("items without a value"), noun))
    },
    if (n("items dropped by having") > 0) {
      sprintf("%s dropped: having %s.", count_of(n("items dropped by having"), noun),
        set$question$having$text)
    },
    if (set$question$measure$distinct && length(set$cell)) {
      sprintf("The total is the sum of the rows; in all there are %s different.",
        enumerate(format_count(set$totals[[paste(set$question$measure$name, "in all")]])))
    },
    if (n("items left out") > 0) {
      sprintf("%s left out: all their rows lack the measure.", count_of(n("items left out"), noun))
    }
  )
}

incomplete_note <- function(set) {
  if (any(set$incomplete)) {
    sprintf("Not complete: %s.", set$receipt$value[set$receipt$fact == "periods not complete"])
  }
}

# Tiers ----------------------------------------------------------------------

scheme_title <- function(scheme) {
  of <- if (is.null(scheme$of)) "" else paste(" of", plain_words(scheme$of))
  switch(scheme$kind,
    value = paste0("tiers by value", of),
    share = sprintf("tiers by cumulative share%s, %s", of,
      if (scheme$boundary == "reach") {
        "the item that crosses the line is in"
      } else {
        "the item that crosses the line is out"
      }),
    percentile = paste0("tiers by percentile", of),
    rank = paste0("tiers by rank", of),
    equal = sprintf("%d equal tiers%s", length(scheme$labels), of)
  )
}

one_tiered <- function(set) !is.null(set$scheme) && length(set$totals$items) == 1L

#' "98 of 241 customers are in tier A: 80.0 % of net sales".
#' @noRd
tier_finding <- function(set) {
  first <- which(tabulate(set$tier_number, length(set$scheme$labels)) > 0L)[1L]
  if (is.na(first)) {
    return(question_text(set$question))
  }
  rows <- which(set$tier_number == first)
  share <- if (!is.null(set$value)) selected_share(set, rows) else NA
  sprintf("%s of %s %s in tier %s%s", format_count(length(rows)),
    count_of(length(set$cell), item_noun(set$question)), if (length(rows) == 1L) "is" else "are",
    set$scheme$labels[first],
    if (is.na(share)) "" else sprintf(": %s of %s", percent_formatter()(share), measure_words(set)))
}

# "from 11,095.39"; nothing for the last tier.
cut_off_words <- function(table, set, number) {
  ifelse(is.na(table$cut_off), "",
    paste(if (set$question$best == "lowest") "up to" else "from", number(table$cut_off)))
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
firm_words <- function(set) {
  sprintf("Ranks and whiskers: %s intervals, %s orders drawn anew %s times, seed %s.",
    set$firm$level$text, format_count(set$firm$orders), format_count(set$firm$times),
    number_text(set$firm$seed))
}

# Quadrants ------------------------------------------------------------------

# How the second measure reads; its splits read alike.
against_formatter <- function(set) {
  name <- measure_names(set$question)[2L]
  plain_formatter(c(set$totals[[name]], set$quadrants$lines$against), name)
}

#' "Varlow Boatyard stands out: no. 4 of 241 customers by net sales, margin -0.005 (overall
#' 0.313)": of the item furthest into the corner of high and low.
#' @noRd
quadrant_finding <- function(set) {
  row <- standing_out(set)
  names <- measure_names(set$question)
  if (length(row)) {
    at <- places(set)
    group <- set$cell[row]
    number <- against_formatter(set)
    rule <- set$quadrants$asked$against
    return(sprintf("%s%s stands out: no. %s of %s by %s, %s %s (%s %s)",
      item_names(set, set$order[row]),
      if (length(set$totals$items) > 1L) sprintf(" (%s)", group_labels(set)[group]) else "",
      format_count(at$first[row]), count_of(at$size[row], item_noun(set$question)),
      plain_words(names[1L]), plain_words(names[2L]),
      number(quantity_real(quantity_at(second_quantity(set), row))),
      if (is.numeric(rule)) "split at" else rule, number(set$quadrants$lines$against[group])))
  }
  first <- which(tabulate(set$quadrants$number, 4L) > 0L)[1L]
  if (is.na(first)) {
    return(question_text(set$question))
  }
  sprintf("%s: %s", set$quadrants$labels[first],
    selected_words(set, which(set$quadrants$number == first)))
}

# "net_sales split at 9,134.11 (median), margin at 0.313 (overall)".
split_words <- function(set) {
  found <- set$quadrants
  rule <- vapply(found$asked, function(split) if (is.numeric(split)) "as given" else split, "")
  if (length(set$totals$items) == 1L) {
    rule <- sprintf("%s (%s)",
      c(measure_formatter(set, "no value")(found$lines$of),
        ifelse(is.na(found$lines$against), "no value",
        against_formatter(set)(found$lines$against))), rule)
  }
  sprintf("%s split at %s, %s at %s%s", shown_name(measure_names(set$question)[1L]), rule[1L],
    shown_name(measure_names(set$question)[2L]), rule[2L],
    if (length(set$totals$items) > 1L) " of each group" else "")
}

# Changes --------------------------------------------------------------------

signed <- function(number) function(x) ifelse(!is.na(x) & x > 0, paste0("+", number(x)), number(x))

#' "Net sales fell by 5.2 % from 2026-04 to 2026-05: 61 customers lost, 12 new"; of
#' groups, "Net sales fell in 5 of 8 regions from 2026-04 to 2026-05".
#' @noRd
change_finding <- function(set) {
  spans <- set$question$spans
  totals <- change_totals(set)
  names <- sprintf("from %s to %s%s", spans$names[1L], spans$names[2L],
    if (spans$cut) ", same days" else "")
  if (length(totals$items) != 1L) {
    moved <- c(fell = sum(totals$change < 0, na.rm = TRUE),
      rose = sum(totals$change > 0, na.rm = TRUE))
    most <- moved[which.max(moved)]
    return(sprintf("%s %s in %s of %s %s", capital(measure_words(set)), names(most),
      format_count(most), count_of(length(totals$items), group_noun(set)), names))
  }
  if (is.na(totals$change)) {
    return(sprintf("%s %s", capital(change_text(set)), names))
  }
  by <- if (is.na(totals$percent)) {
    measure_formatter(set)(abs(totals$change))
  } else {
    percent_formatter()(abs(totals$percent))
  }
  moved <- if (totals$change == 0) {
    "stayed level"
  } else {
    sprintf("%s by %s", if (totals$change > 0) "rose" else "fell", by)
  }
  counts <- class_findings(set)
  paste0(sprintf("%s %s %s", capital(measure_words(set)), moved, names),
    if (length(counts)) paste0(": ", paste(counts, collapse = ", ")))
}

# "61 customers lost", "12 new": of the classes that come and go.
class_findings <- function(set) {
  table <- class_counts(set)
  counts <- table$items[match(c("lost", "new", "returned"), table$class)]
  words <- c("lost", "new", "returned")[counts > 0L]
  counts <- counts[counts > 0L]
  if (length(counts)) {
    paste(c(count_of(counts[1L], item_noun(set$question)), format_count(counts[-1L])), words)
  }
}

# What the groups are: "region", or "group" when several columns make them.
group_noun <- function(set) {
  names <- group_names(set$question)
  if (length(names) == 1L) plain_words(names) else "group"
}

change_text <- function(set) {
  question <- set$question
  paste0("change of ", question$measured$text, " by ", enumerate(names(question$by)),
    if (length(question$within)) paste(" within", enumerate(names(question$within))))
}

# At the head of a sentence; an expression stays as it is.
capital <- function(x) {
  ifelse(!grepl("[(_]", x), paste0(toupper(substr(x, 1L, 1L)), substring(x, 2L)), x)
}

#' What is to be known of the two periods; none when both are whole.
#' @noRd
period_notes <- function(set) {
  spans <- set$question$spans
  c(
    if (spans$cut) {
      sprintf("%s is not complete (%s of %s days): its days to %s are compared with %s to %s.",
        spans$names[2L], format_count(spans$days[1L]), format_count(spans$days[2L]),
        day_text(spans$to[2L]), day_text(spans$from[1L]), day_text(spans$from[2L]))
    },
    if (spans$late) sprintf("%s is not complete: the data begin within it.", spans$names[1L]),
    if (!set$changes$history) {
      sprintf("No row precedes %s: who is called new may have been there before.", spans$names[1L])
    }
  )
}

# Targets --------------------------------------------------------------------

#' "5 of 8 regions reached their target in 2026-05, 96.0 % of it in all"; of a period that is
#' not over, how many are on pace.
#' @noRd
target_finding <- function(set) {
  found <- set$targets
  with <- found$number < 4L
  n <- sum(with)
  if (!n) {
    return(sprintf("No %s has a target", item_noun(set$question)))
  }
  one <- length(set$totals$items) == 1L
  what <- if (one) count_of(n, item_noun(set$question)) else count_of(n, "target")
  place <- if (one && length(set$question$over)) {
    sprintf(" in %s", set$totals[[names(set$question$over)]])
  } else {
    ""
  }
  if (one && any(found$open)) place <- sprintf("%s, %s", place, open_words(set, 1L))
  if (one && any(found$open) && set$question$best == "highest" && !found$prorated &&
    !all(is.na(found$pace))) {
    return(sprintf("%s of %s %s on pace for the target%s",
      format_count(sum(found$pace >= 1, na.rm = TRUE)), what,
      if (sum(found$pace >= 1, na.rm = TRUE) == 1L) "is" else "are", place))
  }
  reached <- sum(found$number <= 2L)
  all <- target_sums(set, rep(1L, length(set$cell)), 1L)$attainment
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
shown_status <- function(status, open, set) {
  ifelse(open & status == "missed" & set$question$best == "highest" & !set$targets$prorated,
    "not yet", status)
}

# "after 17 of 30 days": of a group whose period is not over.
open_words <- function(set, group) {
  period <- set$question$over[[1L]]$period
  number <- set$tally$keys[[names(set$question$over)]][set$order[match(group, set$cell)]]
  days <- c(min(set$question$today, period_last(number, period)), period_last(number, period)) -
    period_first(number, period) + 1
  sprintf("after %s of %s days", format_count(days[1L]), format_count(days[2L]))
}

# The best and the worst, by attainment, of one group.
target_ends_words <- function(set) {
  ends <- target_ends(set)
  if (length(set$totals$items) != 1L || is.na(ends$best)) {
    return(NULL)
  }
  rows <- c(ends$best, ends$worst)
  sprintf("Best %s (%s), worst %s (%s).", item_names(set, set$order[rows[1L]]),
    percent_formatter()(set$targets$attainment[rows[1L]]), item_names(set, set$order[rows[2L]]),
    percent_formatter()(set$targets$attainment[rows[2L]]))
}

target_notes <- function(set) {
  named <- function(rows, words) {
    if (length(rows)) {
      sprintf(words, format_count(length(rows)), enumerate(target_labels(set, rows), most = 4L))
    }
  }
  c(
    if (any(set$targets$open)) {
      sprintf("Not complete: %s; %s.",
        enumerate(unique(set$totals[[names(set$question$over)]][set$targets$open])),
        if (set$targets$prorated) {
          "its target counts for the days gone by"
        } else {
          "pace is the attainment by the part of the days gone by"
        })
    },
    named(set$targets$alone, "%s with a target and no sales: %s."),
    named(set$targets$none, "%s without a target, in no total of targets: %s.")
  )
}
