#' Findings: sentences with their figures
#'
#' Says in fixed kinds of sentences what stands out in standings. Each is read off a table
#' and names its items; where a table bears nothing out, there is no sentence.
#'
#' * `few`: at most half of the items make 80 % of the total;
#' * `poor`: the item that stands out as high in the measure and low in `against`, as in
#'   [quadrants()];
#' * `near`: the items within 5 % of a line between tiers, where `x` has tiers;
#' * `new at the top`, `lost from the top`: among the first of the last two complete periods of
#'   `over`, as in [compare_periods()];
#' * `concentration`: Gini of the last complete period against the one before, as in
#'   [concentration()], where it differs by 0.01 or more;
#' * `far`: a complete period whose total is far from the middle of all (a modified score
#'   above 3.5, Iglewicz and Hoaglin 1993, and at least a quarter of the middle away),
#'   among five or more.
#'
#' @param x Standings without groups, still in the session in which they were made.
#' @param over A period of a date, such as `month(order_date)`, for what needs an earlier time.
#' @param against A second measure, such as `c(margin = sum(profit) / sum(net_sales))`.
#' @param ... Must be empty.
#' @param top How many items count as the top.
#' @param width How many letters a line may have.
#' @returns A tibble of class `eggcrate_findings`: `kind`, `finding` (character), `value`
#'   (double, the figure that the finding rests on) and `items` (a list of names). [receipt()] is
#'   that of `x`.
#' @section Errors: `eggcrate_error_gone` when the rows behind `x` are no longer at hand.
#' @references Iglewicz, B. and Hoaglin, D. C. (1993) *How to Detect and Handle Outliers*. ASQC
#'   Quality Press.
#' @export
#' @examples
#' x <- standings(demo_orders(), of = sum(net_sales), by = customer)
#' findings(x, over = quarter(order_date), against = c(margin = sum(profit) / sum(net_sales)))
findings <- function(x, over, against, ..., top = 10) {
  call <- sys.call()[1L]
  check_no_dots(..., call = call)
  check_standings(x, call = call)
  find_all(x, capture(substitute(over), parent.frame()),
    capture(substitute(against), parent.frame()), top, call)
}

find_all <- function(x, over = NULL, against = NULL, top = 10, call = NULL) {
  check_not_changes(x, "Findings are", call)
  x <- drop_others(x)
  set <- facts(x)
  if (length(set$totals$items) > 1L) {
    stop_eggcrate("call", "unknown_value", "Findings are of standings without groups.",
      i = "Ask one group at a time, with `where`.", call = call)
  }
  asked <- held_data(x)
  if (is.null(asked)) {
    stop_data("gone", "The rows behind these standings are no longer at hand.",
      i = "Make the standings again in this session.", call = call)
  }
  found <- c(
    find_few(set), if (!is.null(against)) find_poor(asked, against, call), find_near(set),
    if (!is.null(over)) {
      c(find_top(asked, over, top, call), find_concentration(asked, set, over, call),
        find_far(asked, set, over, call))
    }
  )
  found <- found[!vapply(found, is.null, NA)]
  field <- function(name, like) vapply(found, `[[`, like, name)
  structure(list(kind = field("kind", ""), finding = field("text", ""), value = field("value", 0),
    items = lapply(found, `[[`, "items")),
    row.names = .set_row_names(length(found)),
    class = c("eggcrate_findings", "tbl_df", "tbl", "data.frame"),
    eggcrate = set[c("question", "receipt")])
}

a_finding <- function(kind, text, value, items = character()) {
  list(list(kind = kind, text = paste0(capital(text), "."), value = as.numeric(value),
    items = items))
}

find_few <- function(set) {
  if (is.null(set$value) || !length(set$cell) || exact_signs_(set$total$value) <= 0L) {
    return(NULL)
  }
  part <- read_part("80%", "reach")
  set$reach <- part
  set$count <- reach_count(set, part)
  set$half <- reach_count(set, read_part("50%", "reach"))
  if (is.na(set$count) || set$count > set$totals$items / 2) {
    return(NULL)
  }
  a_finding("few", reach_finding(set), set$count, item_names(set, set$order[seq_len(set$count)]))
}

find_poor <- function(asked, against, call = NULL) {
  words <- replace(asked$words, "also", list(NULL))
  q <- ask_quadrants(asked$data, words, against, asked$rules, list(of = NULL, against = NULL),
    name = asked$name, reading = asked$reading, call = call)
  set <- facts(q)
  row <- standing_out(set)
  if (length(row)) {
    a_finding("poor", quadrant_finding(set), quantity_real(quantity_at(second_quantity(set), row)),
      item_names(set, set$order[row]))
  }
}

find_near <- function(set) {
  if (is.null(set$scheme)) {
    return(NULL)
  }
  side <- function(gap, line, verb) {
    near <- near_tier(set, set$gaps[[gap]], 0.05)
    if (!length(near$rows)) return(NULL)
    names <- item_names(set, set$order[near$rows])
    first <- near$rows[1L]
    number <- if (is.null(set$scheme$of)) measure_formatter(set) else gap_formatter(set)
    text <- sprintf("%s %s within 5 %% of %s, nearest %s in tier %s, which %s %s",
      count_of(length(names), item_noun(set$question)), if (length(names) == 1L) "is" else "are",
      line, names[1L], set$tier[first], verb, number(set$gaps[[gap]][first]))
    a_finding("near", text, near$part[1L], names)
  }
  # The floors of other schemes are where their last items stand, which are always near.
  c(side("to_next", "the next tier up", "lacks"),
    if (set$scheme$kind == "value") side("spare", "the floor of their tier", "has to spare"))
}

find_top <- function(asked, over, top, call = NULL) {
  words <- replace(asked$words, c("over", "also", "having", "show"), list(over, NULL, NULL, NULL))
  x <- ask_changes(asked$data, words, asked$rules, list(from = NULL, to = NULL), name = asked$name,
    reading = asked$reading, call = call)
  set <- facts(x)
  columns <- unclass(as_plain(x))
  names <- item_names(set, set$order[whole_rows(set)])
  spans <- set$question$spans$names
  noun <- plural(item_noun(set$question))
  said <- function(at, kind, span, what) {
    if (!length(at)) return(NULL)
    text <- sprintf("%s of the first %s %s of %s %s %s: %s", format_count(length(at)),
      format_count(top), noun, span, if (length(at) == 1L) "is" else "are", what,
      enumerate(names[at]))
    a_finding(kind, text, length(at), names[at])
  }
  c(said(at_the_top(columns, c("new", "returned"), "rank_to", top), "new at the top", spans[2L],
    sprintf("new or returned since %s", spans[1L])),
    said(at_the_top(columns, "lost", "rank_from", top), "lost from the top", spans[1L],
      sprintf("lost in %s", spans[2L])))
}

find_concentration <- function(asked, set, over, call = NULL) {
  if (is.null(set$value)) {
    return(NULL)
  }
  x <- periods_of(asked, over, call)
  gini <- concentration_rows(facts(x))
  pair <- utils::tail(which(!facts(x)$incomplete), 2L)
  change <- diff(gini$gini[pair])
  if (length(pair) < 2L || is.na(change) || abs(change) < 0.01) {
    return(NULL)
  }
  labels <- facts(x)$totals[[group_names(facts(x)$question)]][pair]
  three <- number_formatter(3L)
  a_finding("concentration",
    sprintf("%s of %s %s concentrated than of %s: Gini %s after %s", measure_words(set), labels[2L],
    if (change > 0) "more" else "less", labels[1L],
    three(gini$gini[pair[2L]]), three(gini$gini[pair[1L]])), change)
}

find_far <- function(asked, set, over, call = NULL) {
  x <- periods_of(asked, over, call)
  found <- facts(x)
  whole <- which(!found$incomplete)
  name <- found$question$measure$name
  far <- far_value(found$totals[[name]][whole])
  if (is.null(far)) {
    return(NULL)
  }
  label <- found$totals[[group_names(found$question)]][whole[far$at]]
  number <- measure_formatter(set)
  a_finding("far",
    sprintf("%s is far %s the other %s: %s %s, %s in the middle", label,
    if (far$score > 0) "above" else "below", plural(group_names(found$question)),
    number(found$totals[[name]][whole[far$at]]), measure_words(set), number(far$middle)), far$score,
    label)
}

# The same question in each period.
periods_of <- function(asked, over, call = NULL) {
  words <- replace(asked$words, c("over", "also", "having", "show"), list(over, NULL, NULL, NULL))
  ask_standings(asked$data, words,
    replace(asked$rules, c("share_of", "all_items"), list("group", NULL)), asked$name,
    asked$reading, call)
}

#' @rdname findings
#' @export
print.eggcrate_findings <- function(x, width = getOption("width"), ...) {
  writeLines(format(x, width = width))
  invisible(x)
}

#' @rdname findings
#' @export
format.eggcrate_findings <- function(x, width = getOption("width"), ...) {
  set <- facts(x)
  head <- c(bold(fold(sprintf("Findings: %s", question_text(set$question)), width)),
    if (!is.null(set$question$where)) muted(fold(paste("where", set$question$where), width)))
  foot <- c("", muted(fold(sprintf("%s.", rows_sentence(set$receipt)), width)))
  if (!length(x$kind)) {
    return(c(head, "", "Nothing stands out.", foot))
  }
  kinds <- align(x$kind, "left")
  lines <- Map(function(kind, text) {
    text <- strwrap(text, max(30L, width - nchar(kind, "width") - 2L))
    paste0(c(kind, rep(strrep(" ", nchar(kind, "width")), length(text) - 1L)), "  ", text)
  }, kinds, x$finding)
  c(head, "", unlist(lines, use.names = FALSE), foot)
}
