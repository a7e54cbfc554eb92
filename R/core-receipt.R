# What was done, as a plain table: step, fact, n, value, note.

receipt_rows <- function(step, fact, n = NA_real_, value = NA_character_, note = NA_character_) {
  list(step = step, fact = fact, n = as.numeric(n), value = as.character(value %||% NA),
    note = as.character(note))
}

#' Every row that was read is counted once: filtered out, left out or used.
#' @noRd
new_receipt <- function(source, question, tally, standings) {
  measure <- question$measure
  rows <- c(
    list(receipt_rows("read", "rows", tally$counts$read, source$name)),
    source$reading,
    gate_rows(question$gates, tally$counts, source),
    if (is.null(question$spans)) {
      used_rows(measure, tally, standings, source)
    } else {
      change_account(question, tally, source)
    },
    list(
      receipt_rows("standings", "items", length(standings$cell)),
      receipt_rows("standings", "items left out", standings$dropped,
        note = "all their rows lack the measure"),
      receipt_rows("standings", "items dropped by having", standings$below_having,
        question$having$text),
      receipt_rows("standings", "items without a value", standings$unranked,
        note = "without a rank, such as a division by zero"),
      total_row(measure, standings),
      receipt_rows("standings", "tied items", standings$tied, note = tie_note(question)),
      receipt_rows("standings", "items below zero", items_below_zero(standings)),
      incomplete_row(question, standings)
    ),
    also_rows(question, tally, source),
    rule_rows(question, standings)
  )
  drop_empty_facts(as_table(rows))
}

used_rows <- function(measure, tally, standings, source) {
  list(left_out_row(measure, standings$left_out, tally, source),
    receipt_rows("used", "rows", tally$counts$passed - standings$left_out))
}

total_row <- function(measure, standings) {
  total <- standings$totals[[measure$name]]
  receipt_rows("standings", "total", value = if (length(total) == 1L) number_text(total),
    note = measure$text)
}

incomplete_row <- function(question, standings) {
  if (!any(standings$incomplete)) {
    return(NULL)
  }
  labels <- unique(standings$totals[[names(question$over)]][standings$incomplete])
  receipt_rows("standings", "periods not complete", length(labels), paste(labels, collapse = ", "))
}

items_below_zero <- function(standings) {
  if (is.null(standings$value)) 0 else sum(exact_signs_(standings$value$value) < 0L)
}

# Further measures have accounts of their own.
also_rows <- function(question, tally, source) {
  if (!is.null(question$spans)) {
    return(list()) # both sides are of the one measure
  }
  lapply(question$measures[-1L], function(measure) {
    left_out_row(measure, left_out_rows(tally$parts, measure), tally, source, "also")
  })
}

left_out_row <- function(measure, n, tally, source, step = "left out") {
  first <- tally$parts[[main_part(measure)]]$first_missing
  receipt_rows(step, sprintf("rows without %s", measure$text), n, note = first_row(first, source))
}

# Rows of a file count the header as row 1.
first_row <- function(row, source) {
  if (length(row) != 1L || is.na(row)) {
    NA_character_
  } else {
    sprintf("first in row %s", formatC(row + source$header_rows, format = "d", big.mark = ","))
  }
}

rule_rows <- function(question, standings) {
  list(
    receipt_rows("rule", "best", value = question$best),
    receipt_rows("rule", "ties", value = question$ties, note = tie_rules[[question$ties]]),
    if (question$share_of != "group") receipt_rows("rule", "share_of", value = question$share_of),
    if (question$share_base != "net") {
      receipt_rows("rule", "share_base", value = question$share_base,
        note = "shares are of the items above zero")
    },
    if (!is.null(question$as_of)) {
      receipt_rows("rule", "as_of", value = format(structure(question$as_of, class = "Date")))
    },
    receipt_rows("rule", "arithmetic", value = arithmetic_words(standings$arithmetic))
  )
}

gate_rows <- function(gates, counts, source) {
  unlist(Map(function(gate, refused, unsure, first) {
    if (gate$step == "left out") {
      return(
        list(receipt_rows("left out", sprintf("rows with %s", gate$text), refused + unsure,
          note = first_row(first, source))))
    }
    list(
      receipt_rows("filtered out", gate$fact %||% "rows that do not meet it", refused, gate$text),
      receipt_rows("filtered out", "rows where it cannot be told", unsure, gate$text,
        "a column of the condition is missing")
    )
  }, gates, counts$refused, counts$unsure, counts$first), recursive = FALSE, use.names = FALSE)
}

tie_rules <- c(
  min = "equal values share the best rank: 1, 2, 2, 4",
  max = "equal values share the worst rank: 1, 3, 3, 4",
  average = "equal values share the mean rank: 1, 2.5, 2.5, 4",
  dense = "equal values share a rank and none is left out: 1, 2, 2, 3",
  first = "equal values are numbered in the order of their names"
)

tie_note <- function(question) sprintf("rows of a tie stand by %s", enumerate(names(question$by)))

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

as_table <- function(rows) {
  rows <- rows[!vapply(rows, is.null, NA)]
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
