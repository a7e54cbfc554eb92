# Findings, reasons and a look through a file as HTML.

html_parts.eggcrate_findings <- function(x, n, figures, items = FALSE) {
  ans <- answer_of(x)
  cells <- list(kind = cell("kind", x$kind, "left"),
    finding = cell("finding", x$finding, "left long"))
  list(title = sprintf("Findings: %s", question_text(ans$plan)), lines = standings_lines(ans),
    body = if (length(x$kind)) html_plain(cells, "findings") else
    htmltools::tags$p("Nothing stands out."),
    notes = sprintf("%s.", rows_sentence(ans$receipt)))
}

html_parts.eggcrate_why <- function(x, n, figures, items = FALSE) {
  groups <- unique(x$group)
  body <- lapply(groups, function(group) {
    here <- x$group == group
    cells <- list(step = cell("step", x$step[here], "left"),
      text = cell("what it rests on", x$text[here], "left long"))
    html_plain(cells, if (nzchar(group)) group else "steps")
  })
  heads <- lapply(groups,
    function(group) if (nzchar(group)) htmltools::tags$p(htmltools::tags$b(group)))
  list(title = attr(x, "title"), lines = character(), body = Map(list, heads, body),
    notes = character())
}

html_parts.eggcrate_check <- function(x, n, figures, items = FALSE) {
  found <- shown_findings(x$findings, 20L)
  list(title = check_title(x), lines = character(),
    body = list(html_plain(frame_cells(x$columns, check_counts), "columns"),
      if (NROW(found$table)) {
        list(htmltools::tags$p(htmltools::tags$b(odd_title)),
          html_plain(frame_cells(found$table, check_counts), odd_title))
      } else {
        htmltools::tags$p(nothing_odd)
      }),
    notes = found$notes)
}

html_parts.eggcrate_study_check <- function(x, n, figures, items = FALSE) {
  body <- if (nrow(x$problems)) {
    cells <- frame_cells(x$problems, "line")
    cells[c("problem", "hint")] <- lapply(cells[c("problem", "hint")], replace, "side", "left long")
    html_plain(cells, "what is wrong")
  } else {
    html_plain(frame_cells(x$parts, character()), "parts")
  }
  list(title = sprintf("%s: %s", x$title,
    if (nrow(x$problems)) "what is wrong" else "nothing is wrong"), lines = character(),
    body = body, notes = character())
}
