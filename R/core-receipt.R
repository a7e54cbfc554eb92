# What was done, as a plain table: step, fact, n, value, note.

receipt_rows <- function(step, fact, n = NA_real_, value = NA_character_, note = NA_character_) {
  list(step = step, fact = fact, n = as.numeric(n), value = as.character(value), note = as.character(note))
}

#' Every row that was read is counted once: filtered out, left out or used.
#' @noRd
new_receipt <- function(source, question, tally, standings) {
  part <- tally$parts[[1L]]
  measure <- question$measure
  rows <- c(
    list(receipt_rows("read", "rows", tally$counts$read, source$name)),
    source$reading,
    gate_rows(question$gates, tally$counts),
    list(
      receipt_rows("left out", sprintf("rows without %s", measure$text), part$all_missing),
      receipt_rows("used", "rows", tally$counts$passed - part$all_missing),
      receipt_rows("standings", "items", length(standings$cell)),
      receipt_rows("standings", "items left out", standings$dropped, note = "all their rows lack the measure"),
      receipt_rows("standings", "total", value = number_text(exact_real(exact_total(standings$value))),
        note = measure$text),
      receipt_rows("standings", "tied items", sum(tied_items(standings$block)), note = tie_note(question)),
      receipt_rows("standings", "items below zero", sum(exact_sign(standings$value) < 0)),
      receipt_rows("rule", "best", value = question$best),
      receipt_rows("rule", "ties", value = question$ties, note = tie_rules[[question$ties]]),
      receipt_rows("rule", "arithmetic", value = arithmetic_words(part))
    )
  )
  drop_empty_facts(as_table(rows))
}

gate_rows <- function(gates, counts) {
  unlist(Map(function(gate, refused, unsure) {
    list(
      receipt_rows("filtered out", "rows that do not meet it", refused, gate$text),
      receipt_rows("filtered out", "rows where it cannot be told", unsure, gate$text,
        "a column of the condition is missing")
    )
  }, gates, counts$refused, counts$unsure), recursive = FALSE, use.names = FALSE)
}

tied_items <- function(block) tabulate(block)[block] > 1L

tie_rules <- c(
  min = "equal values share the best rank: 1, 2, 2, 4",
  max = "equal values share the worst rank: 1, 3, 3, 4",
  average = "equal values share the mean rank: 1, 2.5, 2.5, 4",
  dense = "equal values share a rank and none is left out: 1, 2, 2, 3",
  first = "equal values are numbered in the order of their names"
)

tie_note <- function(question) sprintf("rows of a tie stand by %s", enumerate(names(question$by)))

arithmetic_words <- function(part) {
  if (is.na(part$places)) {
    return("sums of doubles, the same for any order of the rows")
  }
  sprintf("exact, %s", if (part$places == 0L) "whole numbers" else sprintf("%d decimal place%s", part$places,
    if (part$places == 1L) "" else "s"))
}

as_table <- function(rows) {
  fields <- c("step", "fact", "n", "value", "note")
  with_names(lapply(fields, function(f) unlist(lapply(rows, `[[`, f))), fields)
}

# A fact that counts nothing is left away, but never the account of the rows.
drop_empty_facts <- function(table) {
  counted <- !is.na(table$n)
  always <- table$step %in% c("read", "used") | table$fact == "items"
  keep <- !counted | table$n != 0 | always
  lapply(table, function(column) column[keep])
}

# All digits of a double, no more.
number_text <- function(x) {
  out <- sprintf("%.15g", x)
  short <- !is.na(x) & is.finite(x) & suppressWarnings(as.numeric(out)) != x
  out[short] <- sprintf("%.17g", x[short])
  out[is.na(x)] <- NA_character_
  out
}
