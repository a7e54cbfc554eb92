# The workbook of a run: contents and receipts first, then a sheet for each table.

study_book <- function(run, folder) {
  sheets <- list()
  first <- integer()
  for (result in run$shown) {
    first <- c(first, if (is.null(result$problem)) length(sheets) + 1L else NA)
    if (is.null(result$problem)) sheets <- c(sheets, part_sheets(result, folder))
  }
  names <- vapply(run$shown, function(result) result$part$name, "")
  list(title = study_title(run$study), sheets = sheets,
    front = list(lines = c(run$study$text, run_facts(run), made_by()), sheets = first,
      parts = list(part = spaced_name(names), finding = vapply(run$shown, `[[`, "", "headline"),
        sheet = ifelse(is.na(first),
          vapply(run$shown, function(result) result$problem[1L] %||% "", ""), "")),
      receipts = book_receipts(run)))
}

part_sheets <- function(result, folder) {
  part <- result$part
  lapply(names(result$tables), function(name) {
    picture <- file.path(folder, "charts",
      sprintf("%s-%s.png", part$name, names(result$charts)[1L]))
    sheet <- with_part_columns(result, table_sheet(result$x, name, result$tables[[name]]$data,
      if (name == names(result$tables)[1L] && length(result$charts)) picture))
    sheet$name <- if (name == "items") spaced_name(part$name) else
      paste(spaced_name(part$name), name)
    sheet$title <- result$headline
    if (name == "items") sheet$lines <- c(part$shown$text, sheet$lines)
    sheet
  })
}

book_receipts <- function(run) {
  answered <- Filter(function(result) is.null(result$problem) &&
    inherits(result$x, "eggcrate_answer"), run$shown)
  tables <- lapply(answered, function(result) {
    receipt <- answer_of(result$x)$receipt
    c(list(part = rep(spaced_name(result$part$name), length(receipt$step))), receipt)
  })
  if (length(tables)) do.call(Map, c(list(c), tables)) else list(character())
}
