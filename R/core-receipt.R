# What was done, as a plain table: step, fact, n, value, note.

receipt_rows <- function(step, fact, n = NA_real_, value = NA_character_, note = NA_character_) {
  list(step = step, fact = fact, n = as.numeric(n), value = as.character(value %||% NA),
    note = as.character(note))
}

#' Every row that was read is counted once: filtered out, excluded or used.
#' @param source Facts of the source: `name`, `reading` (facts about how it was read), `row` (a
#'   function of a row number that gives its place as text).
#' @param used Rows of the receipt that say what was used; those of the measure by default.
#' @param measures Further measures, each with an account of its own.
#' @noRd
new_receipt <- function(source, plan, tally, ranked, used = NULL,
  measures = plan$measures[-1L]) {
  rows <- c(
    list(receipt_rows("read", "rows", tally$counts$read, source$name)),
    source$reading,
    gate_rows(plan$gates, tally$counts, source),
    used %||% used_rows(plan_measure(plan), tally, ranked, source),
    item_rows_of_receipt(plan, ranked),
    lapply(measures, function(measure) {
      left_out_row(measure, left_out_rows(tally$parts, measure), tally, source, "also")
    }),
    rule_rows(plan, ranked)
  )
  drop_empty_facts(as_table(rows))
}

used_rows <- function(measure, tally, ranked, source) {
  left_out <- ranked$account$left_out
  list(left_out_row(measure, left_out, tally, source),
    receipt_rows("used", "rows", tally$counts$passed - left_out))
}

item_rows_of_receipt <- function(plan, ranked) {
  account <- ranked$account
  list(
    receipt_rows("standings", "items", length(ranked$cell)),
    receipt_rows("standings", "items excluded", account$dropped,
      note = "no row has a value"),
    receipt_rows("standings", plan$having$fact %||% "items dropped by having", account$below_having,
      plan$having$text),
    receipt_rows("standings", "items without a value", account$unranked,
      note = "without a rank, such as a division by zero"),
    total_row(plan_measure(plan), ranked),
    receipt_rows("standings", "tied items", account$tied, note = tie_note(plan)),
    receipt_rows("standings", "items below zero", items_below_zero(ranked)),
    incomplete_row(plan, ranked)
  )
}

total_row <- function(measure, ranked) {
  total <- ranked$totals[[measure$name]]
  receipt_rows("standings", "total", value = if (length(total) == 1L) number_text(total),
    note = measure$text)
}

incomplete_row <- function(plan, ranked) {
  if (!any(ranked$incomplete)) {
    return(NULL)
  }
  labels <- unique(ranked$totals[[names(plan$over)]][ranked$incomplete])
  receipt_rows("standings", "periods not complete", length(labels), paste(labels, collapse = ", "))
}

items_below_zero <- function(ranked) {
  if (is.null(ranked$share)) 0 else sum(exact_signs_(ranked$share$value$value) < 0L)
}

left_out_row <- function(measure, n, tally, source, step = "excluded") {
  first <- tally$parts[[main_part(measure)]]$first_missing
  receipt_rows(step, sprintf("rows without %s", measure$text), n, note = first_row(first, source))
}

first_row <- function(row, source) {
  where <- if (length(row) == 1L && !is.na(row)) source$row(row) else NA_character_
  if (is.na(where)) where else sprintf("first in row %s", where)
}

rule_rows <- function(plan, ranked) {
  rules <- plan$rules
  list(
    receipt_rows("rule", "best", value = rules$best),
    receipt_rows("rule", "ties", value = rules$ties, note = tie_rules[[rules$ties]]),
    if (rules$share_of != "group") receipt_rows("rule", "share_of", value = rules$share_of),
    if (rules$share_base != "net") {
      receipt_rows("rule", "share_base", value = rules$share_base,
        note = "shares are of the items above zero")
    },
    if (!is.null(rules$as_of)) receipt_rows("rule", "as_of", value = day_text(rules$as_of)),
    if (!is.null(rules$date)) receipt_rows("rule", "date", value = bare_name(rules$date)),
    receipt_rows("rule", "arithmetic", value = arithmetic_words(ranked$account$arithmetic),
      note = cents_note(ranked))
  )
}

gate_rows <- function(gates, counts, source) {
  unlist(Map(function(gate, refused, unsure, first) {
    if (gate$step == "excluded") {
      return(
        list(receipt_rows("excluded", sprintf("rows with %s", gate$text), refused + unsure,
          note = first_row(first, source))))
    }
    list(
      receipt_rows("filtered out", gate$fact %||% "rows that do not meet it", refused, gate$text),
      receipt_rows("filtered out", "rows with a missing value in the condition", unsure,
        gate$text)
    )
  }, gates, counts$refused, counts$unsure, counts$first), recursive = FALSE, use.names = FALSE)
}

tie_rules <- c(
  min = "equal values share the best rank: 1, 2, 2, 4",
  max = "equal values share the worst rank: 1, 3, 3, 4",
  average = "equal values share the mean rank: 1, 2.5, 2.5, 4",
  dense = "equal values share a rank and no rank is skipped: 1, 2, 2, 3",
  first = "equal values are numbered in the order of their names"
)

tie_note <- function(plan) sprintf("tied items are sorted by %s", enumerate(names(plan$by)))

# From 2^43 on the gap between doubles is too wide for cents.
cents_note <- function(ranked) {
  large <- max(abs(quantity_real(ranked$quantity)), 0, na.rm = TRUE) >= 2^43
  if (large && isTRUE(is.na(ranked$account$arithmetic$places))) paste("amounts above 8.7 x 10^12",
    "are not exact to the cent") else NA_character_
}

arithmetic_words <- function(part) {
  if (!is.null(part$real)) {
    return("doubles, beyond exact numbers")
  }
  if (part$ratio) {
    return("exact sums, one division")
  }
  if (is.na(part$places)) {
    return("sums of doubles, the same for any order of the rows")
  }
  sprintf("exact, %s",
    if (part$places == 0L) "whole numbers" else sprintf("%d decimal place%s", part$places,
      if (part$places == 1L) "" else "s"))
}

# The table ----------------------------------------------------------------

as_table <- function(rows) {
  rows <- rows[!vapply(rows, is.null, NA)]
  fields <- c("step", "fact", "n", "value", "note")
  with_names(lapply(fields, function(f) unlist(lapply(rows, `[[`, f))), fields)
}

add_rows <- function(table, rows) Map(c, table, as_table(rows))

without_step <- function(table, step) {
  keep <- table$step != step
  lapply(table, function(column) column[keep])
}

# A fact that counts nothing is left away, but never the account of the rows.
drop_empty_facts <- function(table) {
  counted <- !is.na(table$n)
  always <- table$step %in% c("read", "used") | table$fact == "items"
  keep <- !counted | table$n != 0 | always
  lapply(table, function(column) column[keep])
}
