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
  function(x) ifelse(is.na(x), missing, paste0(number(x * 100), marks()[3L]))
}

# -0 is never shown.
unzero <- function(x) ifelse(!is.na(x) & x == 0, 0, x)

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

# Figures of the measure that was asked for.
measure_formatter <- function(ans, missing = "") {
  measure <- asked_measure(ans)
  small <- !has_shares(ans) || !is.null(measure$per_day)
  figure_formatter(ans, measure, if (small) told_values(ans) else 1, missing)
}

is_percentage <- function(ans) reads_as_percent(ans)

# The measure in a sentence or on an axis.
measure_words <- function(ans) plain_words(asked_measure(ans)$name)

format_count <- function(n) {
  formatC(as.numeric(n), format = "f", digits = 0L, big.mark = marks()[1L],
    decimal.mark = marks()[2L])
}

count_of <- function(n, noun) paste(format_count(n), if (n == 1) noun else plural_of(noun))

# The plural of a column's label: its own, or by the rules for English nouns.
plural_of <- function(noun) {
  own <- display("plurals")
  if (noun %in% names(own)) own[[noun]] else plural(noun)
}

# "5 customers not shown.", where some are.
not_shown <- function(n, noun) if (n > 0) sprintf("%s not shown.", count_of(n, noun))

# `net_sales` reads "net sales".
# An expression stays as it is.
plain_words <- function(name) {
  harmless(if (name %in% names(display("labels"))) shown_name(name) else spaced_words(name))
}

# What a question counts: "customer", or "item" when several columns name it.
item_noun <- function(plan) {
  if (length(plan$by) == 1L) plain_words(names(plan$by)) else "item"
}

# How much of a table is to be shown.
check_shown <- function(n = NULL, width = 80) {
  if (!is.null(n)) check_how_many(n, "n")
  check_how_many(width, "width", 1)
}

check_how_many <- function(x, arg, least = 0, call = NULL) {
  if (!is.numeric(x) || length(x) != 1L || is.na(x) || x < least) {
    stop_eggcrate("call", "unknown_value",
      sprintf("`%s` must be a number from %d, not %s.", arg, least, describe(x)), call = call)
  }
}

# Sentences that tables, figures and the command share ---------------------

question_text <- function(plan) {
  measure <- plan_measure(plan)
  paste0(
    if (has_own_name(measure)) measure$name else measure$text, " by ", enumerate(names(plan$by)),
    if (length(plan$within)) paste(" within", enumerate(names(plan$within))),
    if (length(plan$over)) paste(" over", names(plan$over))
  )
}

# Did the user name the measure? Default names are the column of a sum, "change", and the text of
# other measures.
has_own_name <- function(measure) !measure$name %in% c("change", measure$text,
  gsub("^sum\\(`?|`?\\)$", "", measure$text))

# The line that defines the name of a measure.
measure_lines <- function(plan) {
  measure <- plan_measure(plan)
  if (has_own_name(measure)) sprintf("%s: %s", measure$name, cut_echo(measure$text))
}

#' "28 of 64 products account for 80% of net sales", and how many account for half.
#' @noRd
reach_finding <- function(ans, group = 1L, half = TRUE) {
  items <- ans$ranked$totals$items[group]
  count <- ans$facets$reach$count[group]
  if (is.na(count)) {
    return(sprintf("No part of %s can be reached: the total is not above zero", measure_words(ans)))
  }
  verb <- if (reaches(ans)) c("accounts for", "account for") else c("is within", "are within")
  make <- function(n) verb[1L + (n != 1L)]
  text <- sprintf("%s of %s %s %s of %s", format_count(count),
    count_of(items, item_noun(ans$plan)), make(count), ans$facets$reach$part$text,
    measure_words(ans))
  half_count <- ans$facets$reach$half[group]
  if (!half || ans$facets$reach$part$value == 0.5 || half_count == count) {
    return(text)
  }
  sprintf("%s, %s %s half", text, format_count(half_count), make(half_count))
}

# Is the item in that crosses the line?
reaches <- function(ans) ans$facets$reach$boundary == "reach"

# Do tables and sentences of the answer speak of shares? Changes and targets do not.
shows_shares <- function(ans) {
  has_shares(ans) && !has_facet(ans, "change") && !has_facet(ans, "targets")
}

#' "10 of 241 customers, 39.8% of net sales".
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

#' "Ada Winter: 38 of 241 customers, 16.1% of net sales; 20 of the 98 in tier A", for a named
#' selection.
#' @noRd
member_words <- function(x) {
  ans <- answer_of(x)
  rows <- whole_rows(ans)
  group <- if (has_facet(ans, "reach")) {
    words <- sprintf(if (reaches(ans)) "that account for %s" else "within %s",
      ans$facets$reach$part$text)
    c(sum(.subset2(x, "reached"), na.rm = TRUE), marked_by_reach(ans), words)
  } else if (has_facet(ans, "tiers") && !all(is.na(ans$facets$tiers$number))) {
    number <- ans$facets$tiers$number
    first <- min(number, na.rm = TRUE)
    c(sum(number[rows] %in% first), sum(number %in% first),
      paste("in tier", ans$facets$tiers$scheme$labels[first]))
  }
  paste0(utils::tail(ans$facets$selection$text, 1L), ": ", selected_words(ans),
    if (length(group)) sprintf("; %s of the %s %s", format_count(as.numeric(group[1L])),
      format_count(as.numeric(group[2L])), group[3L]))
}

# What a legend says of the items that reach the part, and of the others.
reach_legend <- function(ans) {
  c(sprintf(if (reaches(ans)) "among those that account for %s" else "within %s",
    ans$facets$reach$part$text), "all others")
}

#' The account of the rows, in a sentence.
#' @noRd
rows_sentence <- function(receipt) {
  n <- function(step) sum(receipt$n[receipt$step == step & grepl("^rows", receipt$fact)])
  history <- sum(receipt$n[receipt$fact == "rows of history"])
  out <- c(history, n("filtered out"), n("excluded"))
  why <- sprintf(c("%s more for history only", "%s filtered out", "%s excluded"),
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
        if (passes) ": the cumulative share rises above 100%" else "")
    },
    if (any(signs <= 0L) && shows_shares(ans)) {
      "A total is not above zero: there are no shares of it."
    },
    if (has_facet(ans, "intervals")) interval_words(ans),
    if (!has_facet(ans, "targets")) incomplete_note(ans),
    if (n("items without a value") > 0) {
      sprintf("%s without a value, and so without a rank.",
        count_of(n("items without a value"), noun))
    },
    if (n("items dropped by having") > 0) {
      sprintf("%s dropped: having %s.", count_of(n("items dropped by having"), noun),
        ans$plan$having$text)
    },
    if (n("items in neither period") > 0) {
      sprintf("%s not listed: %s.", count_of(n("items in neither period"), noun),
        ans$plan$having$text)
    },
    distinct_notes(ans), money_note(ans),
    if (n("items excluded") > 0) {
      sprintf("%s excluded: no row has a value.", count_of(n("items excluded"), noun))
    }
  )
}

# The rows of a distinct count add up to more than there are.
distinct_notes <- function(ans) {
  counted <- Filter(function(measure) measure$distinct, ans$plan$measures)
  names <- vapply(counted, `[[`, "", "name")
  if (!length(ans$ranked$cell)) {
    return(NULL)
  }
  vapply(names, function(name) {
    sprintf(paste("%s: %s different ones in all. The total row adds up the items, so that one can",
      "count more than once."), shown_name(name),
      enumerate(format_count(ans$ranked$totals[[paste(name, "in all")]])))
  }, "", USE.NAMES = FALSE)
}

incomplete_note <- function(ans) {
  if (any(ans$ranked$incomplete)) {
    sprintf("Not complete: %s.", ans$receipt$value[ans$receipt$fact == "periods not complete"])
  }
}

#' "Bo Larkin: no. 5 of 10 salespeople, 11.0% of net sales": of a result with one row.
#' @noRd
one_place <- function(x) {
  ans <- answer_of(x)
  row <- whole_rows(ans)[1L]
  name <- item_labels(lapply(unclass(as_plain(x))[names(ans$plan$by)], `[`, 1L), names(ans$plan$by))
  group <- ans$ranked$cell[row]
  share <- if (shows_shares(ans)) .subset2(x, "share")[1L]
  sprintf("%s: no. %s of %s%s", name, rank_text(.subset2(x, "rank")[1L]),
    count_of(ans$ranked$totals$items[group], item_noun(ans$plan)),
    if (is.null(share) || is.na(share)) "" else
    sprintf(", %s of %s", percent_formatter()(share), measure_words(ans)))
}
