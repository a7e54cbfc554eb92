# Workbooks: a sheet a table, with real numbers and dates in the formats of what is shown.

#' @param book `title`, `creator`; `front`, lines and tables of the first sheet; `sheets`, each from
#'   `table_sheet()` with a `name`; `drawn`, a temporary chart file, which is deleted after writing.
#' @param path Where to; it must not exist.
#' @return "", as all that writes.
#' @noRd
write_workbook <- function(book, path) {
  on.exit(unlink(book$drawn))
  keeping_seed(write_sheets(book, path))
  fix_archive_dates(path)
  ""
}

write_sheets <- function(book, path) {
  wb <- openxlsx::createWorkbook(creator = "eggcrate", title = cut_cell(book$title))
  openxlsx::modifyBaseFont(wb, fontSize = 11, fontColour = palette_eggcrate[["ink"]],
    fontName = "Calibri")
  names <- sheet_names(vapply(book$sheets, `[[`, "", "name"), if (!is.null(book$front)) front_name)
  if (!is.null(book$front)) put_front(wb, book, names)
  for (i in seq_along(book$sheets)) put_sheet(wb, names[i], book$sheets[[i]])
  # No clock: the same answers give the same bytes.
  wb$core <- gsub("(<dcterms:(created|modified)[^>]*>)[^<]*", "\\11980-01-01T00:00:00Z", wb$core)
  in_letter_order(openxlsx::saveWorkbook(wb, path, overwrite = FALSE))
}

front_name <- "Contents"

# At most 31 characters, without the ones that Excel forbids, and each name only once.
sheet_names <- function(names, taken = character()) {
  names <- gsub("[\\[\\]:*?/\\\\]", " ", gsub("^'|'$", " ", harmless(names)), perl = TRUE)
  out <- character()
  for (name in names) {
    name <- short <- trimws(substr(name, 1L, 31L))
    if (!nzchar(short)) name <- short <- "sheet"
    for (i in seq_along(names) + 1L) {
      if (!tolower(name) %in% tolower(c(taken, out))) break
      name <- paste0(substr(short, 1L, 30L - nchar(i)), " ", i)
    }
    out <- c(out, name)
  }
  out
}

# A cell has at most 32,767 characters and no control characters.
cut_cell <- function(x) {
  if (is.factor(x)) x <- as.character(x)
  if (!is.character(x)) {
    return(x)
  }
  x <- harmless(enc2utf8(x), keep = "\n")
  ifelse(!is.na(x) & nchar(x) > 32000L, paste0(substr(x, 1L, 32000L), "..."), x)
}

# Sheets -------------------------------------------------------------------

#' What a sheet shows of a table of an answer.
#' @return `title`, `lines` below it, `columns` (named by their heads), `formats` (of numbers, by
#'   column), `fills` (matrices of colours or NULL, by column), `bars` (ends of bars by column),
#'   `notes`, `picture`.
#' @noRd
table_sheet <- function(x, table = "items", data = answer_table(x, table), picture = NULL) {
  if (table == "items" && inherits(x, c("eggcrate_grid", "eggcrate_movement")) && nrow(x)) {
    return(c(matrix_sheet(x), list(picture = picture)))
  }
  plain <- as.list(unclass(plain_columns(data)))
  attributes(plain) <- list(names = names(plain))
  if (table == "items") plain <- chosen_of(plain, answer_of(x))
  ans <- answer_of(x)
  parts <- html_of(x, "items", 1, FALSE)
  columns <- if (inherits(x, "eggcrate_answer") && is.list(ans)) column_formats(plain, ans) else {
    Map(function(name, values) list(title = name,
      format = if (is.double(values) && !inherits(values, "Date")) plain_formatter(values)),
      names(plain), plain)
  }
  titles <- vapply(columns, `[[`, "", "title")
  list(title = parts$title, lines = plain_text_of(parts$lines),
    columns = with_names(Map(function(values, name) cut_cell(signed_words(values, name)), plain,
      names(plain)), titles),
    formats = Map(function(values, column) if (!is.null(column$format)) number_format_of(values,
      column$format), plain, columns),
    fills = Map(function(values, name) cell_colours(values, name, ans) %||%
      if (table == "items") name_colours(x, name, ans), plain, names(plain)),
    muted = names(plain) %in% display("muted"),
    bars = sheet_bars(plain, ans, table),
    notes = if (is.list(ans)) sprintf("%s.", rows_sentence(ans$receipt)),
    picture = picture)
}

# The chosen columns in their order, after the item column.
chosen_of <- function(plain, ans) {
  asked <- intersect(display("columns"), names(plain))
  keys <- if (is.list(ans)) intersect(c(group_names(ans$plan), names(ans$plan$by)), names(plain))
  if (length(setdiff(asked, keys))) plain[c(setdiff(keys, asked), asked)] else plain
}

plain_text_of <- function(lines) vapply(lines,
  function(line) plain_letters(paste(line, collapse = " ")), "")

#' The format of a workbook that reads as a formatter writes: its decimals, per cent, sign and unit.
#' @noRd
number_format_of <- function(values, format) {
  known <- values[is.finite(values) & values != 0]
  one <- if (length(known)) known[which.max(abs(known))] else 1
  text <- format(one)
  mark <- marks()[2L]
  decimals <- regmatches(text, regexpr(sprintf("[%s][0-9]+", mark), text))
  places <- if (length(decimals)) nchar(decimals) - 1L else 0L
  # A workbook format multiplies by 100 only with a percent sign, so points use it too.
  if (grepl("%| points$", text)) {
    return(paste0(sprintf_places("0", places), "%"))
  }
  number <- suppressWarnings(as.numeric(gsub(mark, ".", gsub(sprintf("[^-0-9%s]", mark), "", text),
    fixed = TRUE)))
  thousands <- if (is.na(number) || number == 0) 0 else max(0, round(log10(abs(one / number)) / 3))
  shape <- paste0(sprintf_places("#,##0", places), strrep(",", thousands))
  if (startsWith(text, "+") || startsWith(format(abs(one)), "+")) sprintf("+%s;-%s;%s", shape,
    shape, shape) else shape
}

sprintf_places <- function(shape, places) if (places > 0L) paste0(shape, ".",
  strrep("0", places)) else shape

# A class or a status with its sign, which says it without its colour too.
signed_words <- function(values, name) {
  signs <- switch(name, class = class_signs(), status = status_signs())
  if (is.null(signs)) {
    return(values)
  }
  sign <- signs[as.character(values)]
  ifelse(is.na(sign), as.character(values), paste(sign, values))
}

# The colours of cells: by sign, or that of the word in them.
cell_colours <- function(values, name, ans) {
  if (is.numeric(values) && name %in% display("signs")) {
    return(c(sign_grounds[1L], NA, sign_grounds[2L])[sign(values) + 2L])
  }
  palette <- switch(name, tier = ,
    tier_before = if (is.list(ans) &&
      has_facet(ans, "tiers")) tier_colours(ans$facets$tiers$scheme),
    class = class_colours(), status = status_colours())
  if (is.null(palette)) {
    return(NULL)
  }
  found <- unname(palette[as.character(values)])
  found[found %in% "#FFFFFF"] <- NA
  found
}

# Fills the names of marked items with the colours of their marks.
name_colours <- function(x, name, ans) {
  if (is.list(ans) && has_facet(ans, "marks") && name %in% names(ans$plan$by)) c(NA,
    mark_palette_of(ans))[marks_of(x) + 1L]
}

# Bars in cells, up to the greatest value or where they were said to end.
sheet_bars <- function(columns, ans, table) {
  if (!is.list(ans) || table != "items" || has_facet(ans, "change")) {
    return(list())
  }
  main <- plan_measure(ans$plan)$name
  named <- c(if (main_bars(ans)) main, Filter(has_bars, names(columns)))
  ends <- lapply(with_names(named, named), function(name) {
    values <- columns[[name]]
    if (is.numeric(values)) bar_end(values, !is.na(values), name)
  })
  Filter(function(end) length(end) == 1L && is.finite(end) && end > 0, ends)
}

# Grids and movement as they are read: rows by columns, in their colours.
matrix_sheet <- function(x) {
  ans <- answer_of(x)
  parts <- html_of(x, "items", 1, FALSE)
  cells <- if (inherits(x, "eggcrate_grid")) grid_matrix(ans) else movement_matrix(ans)
  k <- length(cells$heads)
  one <- if (!is.null(cells$number)) number_format_of(unlist(cells$values), cells$number)
  c(list(title = parts$title, lines = plain_text_of(parts$lines),
    columns = c(with_names(list(cut_cell(cells$names)), cells$corner),
      with_names(lapply(cells$values, cut_cell), cells$heads)),
    formats = c(list(NULL), rep(list(one), k)), fills = c(list(NULL), cells$fills), bars = list(),
    notes = sprintf("%s.", rows_sentence(ans$receipt))))
}

grid_matrix <- function(ans) {
  grid <- ans$facets$grid
  k <- length(grid$labels$columns)
  rows <- shown_rows(ans)
  table <- grid_cells(ans)
  at <- function(j) (rows - 1L) * k + j
  fill <- cell_fills(table, grid$asked)
  totals <- !all(is.na(grid$totals$rows))
  list(names = whole_row_names_of(ans, rows),
    corner = enumerate(plain_words_of(side_nouns(ans, "rows"))),
    heads = c(side_labels(ans, "columns", 60L), if (totals) "total"),
    values = c(lapply(seq_len(k), function(j) table$value[at(j)]),
      if (totals) list(grid$totals$rows[rows])),
    fills = c(lapply(seq_len(k), function(j) ifelse(is.na(table$value[at(j)]), NA, fill[at(j)])),
      if (totals) list(NULL)),
    number = measure_formatter(ans))
}

whole_row_names_of <- function(ans, rows) {
  grid <- ans$facets$grid
  names <- side_labels(ans, "rows", 60L)[rows]
  if (length(grid$groups)) paste(grid$groups[grid$group[rows]], names, sep = ", ") else names
}

movement_matrix <- function(ans) {
  rows <- shown_items(ans)
  colours <- movement_colours(ans)
  tiers <- lapply(seq_along(ans$facets$movement$labels),
    function(period) as.character(movement_tiers(ans, period)[rows]))
  moved <- ans$facets$movement
  names <- movement_names(ans, rows)
  if (length(moved$groups)) names <- paste(moved$groups[moved$group[rows]], names, sep = ", ")
  list(names = names, corner = item_noun(ans$plan), heads = period_names(ans),
    values = lapply(tiers, function(tier) ifelse(tier == absent, "", tier)),
    fills = lapply(tiers, function(tier) ifelse(tier == absent, NA, unname(colours[tier]))))
}

# Writing ------------------------------------------------------------------

put_sheet <- function(wb, name, sheet) {
  openxlsx::addWorksheet(wb, name, gridLines = FALSE, orientation = "landscape", paperSize = 9)
  k <- length(sheet$columns)
  above <- c(sheet$title, sheet$lines)
  openxlsx::writeData(wb, name, cut_cell(above), colNames = FALSE)
  openxlsx::addStyle(wb, name, openxlsx::createStyle(fontSize = 14, textDecoration = "bold"), 1L,
    1L)
  if (length(above) > 1L) {
    openxlsx::addStyle(wb, name, openxlsx::createStyle(fontColour = palette_eggcrate[["stone"]]),
      seq_along(above)[-1L], 1L)
  }
  head <- length(above) + 2L
  put_table(wb, name, sheet, head)
  n <- length(sheet$columns[[1L]])
  if (length(sheet$notes)) {
    openxlsx::writeData(wb, name, cut_cell(sheet$notes), startRow = head + n + 2L, colNames = FALSE)
    openxlsx::addStyle(wb, name,
      openxlsx::createStyle(fontColour = palette_eggcrate[["stone"]], fontSize = 9),
      head + n + 1L + seq_along(sheet$notes), 1L)
  }
  openxlsx::setRowHeights(wb, name, 1L, 24)
  openxlsx::freezePane(wb, name, firstActiveRow = head + 1L,
    firstActiveCol = frozen_columns(sheet) + 1L)
  openxlsx::pageSetup(wb, name, orientation = "landscape", fitToWidth = TRUE, fitToHeight = FALSE,
    printTitleRows = head)
  if (!is.null(sheet$picture)) {
    openxlsx::insertImage(wb, name, sheet$picture, width = 8.0, height = 5.0, startRow = head,
      startCol = k + 2L)
  }
}

# Up to the name of the item.
frozen_columns <- function(sheet) {
  words <- vapply(sheet$columns, is.character, NA)
  if (any(words)) min(which(words)[1L], 3L) else 1L
}

put_table <- function(wb, name, sheet, head) {
  k <- length(sheet$columns)
  n <- length(sheet$columns[[1L]])
  rows <- head + seq_len(n)
  # Heads may be alike, as periods of groups are.
  data <- structure(unname(sheet$columns), names = paste0("c", seq_len(k)),
    row.names = .set_row_names(n), class = "data.frame")
  openxlsx::writeData(wb, name, as.list(cut_cell(names(sheet$columns))) |>
    as.data.frame(col.names = names(data)), startRow = head, colNames = FALSE)
  if (n) openxlsx::writeData(wb, name, data, startRow = head + 1L, colNames = FALSE, keepNA = FALSE)
  numeric <- vapply(sheet$columns, function(column) is.numeric(column) && !inherits(column, "Date"),
    NA)
  cells <- c(head_cells(numeric, head),
    unlist(lapply(seq_len(k), function(j) column_cells(sheet, j, rows)), recursive = FALSE))
  put_styles(wb, name, cells)
  openxlsx::addFilter(wb, name, head, seq_len(k))
  openxlsx::setColWidths(wb, name, seq_len(k), column_widths(sheet))
  for (bar in names(sheet$bars)) {
    at <- match(bar, names(sheet$formats))
    if (n) openxlsx::conditionalFormatting(wb, name, at, rows, type = "databar",
      rule = c(0, sheet$bars[[bar]]),
      style = palette_eggcrate[c("clay", "shell")] |> unname(), gradient = FALSE, border = FALSE)
  }
}

# Cells with their style: `style` (arguments of a style), `rows`, `col`. In long tables only numbers
# and colours get a style, because each style is slow.
column_cells <- function(sheet, j, rows) {
  if (!length(rows)) {
    return(NULL)
  }
  values <- sheet$columns[[j]]
  words <- !is.numeric(values) || inherits(values, "Date")
  long <- is.character(values) && any(nchar(utils::head(values, 2000L)) > 60L, na.rm = TRUE)
  few <- length(rows) <= 5000L
  format <- if (inherits(values, "Date")) "yyyy-mm-dd" else
    if (is.integer(values) && few) "#,##0" else sheet$formats[[j]]
  style <- c(list(numFmt = format), if (long) list(wrapText = TRUE, valign = "top"),
    if (words && few) list(halign = "left", indent = 1L))
  if (isTRUE(sheet$muted[j])) style$fontColour <- "#8A939A"
  style <- Filter(Negate(is.null), style)
  fills <- if (j <= length(sheet$fills)) sheet$fills[[j]]
  if (is.null(fills)) {
    return(if (length(style)) list(list(style = style, rows = rows, col = j)))
  }
  plain <- rows[is.na(fills)]
  c(if (length(style) && length(plain)) list(list(style = style, rows = plain, col = j)),
    lapply(setdiff(unique(fills), NA), function(colour) {
      list(style = c(style, list(fgFill = colour, fontColour = legible_on(colour))),
        rows = rows[which(fills == colour)], col = j)
    }))
}

head_cells <- function(numeric, head) {
  lapply(seq_along(numeric), function(j) {
    list(style = list(textDecoration = "bold", border = "bottom",
      borderColour = palette_eggcrate[["ink"]], borderStyle = "medium",
      halign = if (numeric[j]) "right" else "left", indent = if (numeric[j]) 0L else 1L,
      wrapText = TRUE, valign = "bottom"), rows = head, col = j)
  })
}

# All cells of one look at once.
put_styles <- function(wb, name, cells) {
  looks <- vapply(cells,
    function(cell) paste(names(cell$style), unlist(cell$style), collapse = " "), "")
  for (look in unique(looks)) {
    same <- cells[looks == look]
    openxlsx::addStyle(wb, name, do.call(openxlsx::createStyle, same[[1L]]$style),
      unlist(lapply(same, `[[`, "rows")),
      unlist(lapply(same, function(cell) rep(cell$col, length(cell$rows)))))
  }
}

# Wide enough for what is shown, but no text is wider than 60.
column_widths <- function(sheet) {
  widths <- vapply(seq_along(sheet$columns), function(j) {
    values <- utils::head(sheet$columns[[j]], 2000L)
    text <- if (is.double(values) && !inherits(values, "Date")) {
      format(round(max(abs(values), 0, na.rm = TRUE)), big.mark = ",", decimal.mark = ".",
        scientific = FALSE, nsmall = 2L)
    } else {
      as.character(values)
    }
    bar <- if (isTRUE(names(sheet$formats)[j] %in% names(sheet$bars))) 12L else 0L
    bar + max(nchar(c(text, "12345"), "width"), nchar(names(sheet$columns)[j], "width") * 0.9,
      na.rm = TRUE)
  }, 0)
  pmin(60, widths + 3)
}

# The first sheet ----------------------------------------------------------

#' @param book `front`: `lines`; `parts` (name, finding, of sheets the first); `receipts` (a table).
#' @noRd
put_front <- function(wb, book, names) {
  openxlsx::addWorksheet(wb, front_name, gridLines = FALSE, orientation = "landscape",
    paperSize = 9)
  front <- book$front
  above <- c(book$title, front$lines)
  openxlsx::writeData(wb, front_name, cut_cell(above), colNames = FALSE)
  openxlsx::addStyle(wb, front_name, openxlsx::createStyle(fontSize = 16, textDecoration = "bold"),
    1L, 1L)
  openxlsx::setRowHeights(wb, front_name, 1L, 26)
  at <- length(above) + 2L
  heading <- openxlsx::createStyle(textDecoration = "bold", border = "bottom",
    borderColour = palette_eggcrate[["ink"]], borderStyle = "medium")
  put <- function(table, at) {
    openxlsx::writeData(wb, front_name, as.data.frame(lapply(table, cut_cell), check.names = FALSE),
      startRow = at, keepNA = FALSE)
    openxlsx::addStyle(wb, front_name, heading, at, seq_along(table))
    at + length(table[[1L]]) + 2L
  }
  first <- at
  at <- put(front$parts, at)
  for (i in seq_along(front$sheets)) {
    if (!is.na(front$sheets[i])) {
      openxlsx::writeFormula(wb, front_name,
        openxlsx::makeHyperlinkString(names[front$sheets[i]], row = 1, col = 1,
          text = names[front$sheets[i]]),
        startCol = 3L, startRow = first + i)
      openxlsx::addStyle(wb, front_name,
        openxlsx::createStyle(fontColour = palette_eggcrate[["clay"]],
          textDecoration = "underline"), first + i, 3L)
    }
  }
  if (length(front$receipts[[1L]])) put(front$receipts, at)
  openxlsx::setColWidths(wb, front_name, 1:6, c(22, 60, 24, 16, 34, 40))
  openxlsx::addStyle(wb, front_name, openxlsx::createStyle(wrapText = TRUE, valign = "top"),
    first + seq_along(front$parts[[1L]]), 2L, stack = TRUE)
}

# Archives -----------------------------------------------------------------

# Files of an archive have a time; all are given the same one, the first that there is (1980-01-01).
fix_archive_dates <- function(path) {
  bytes <- readBin(path, "raw", file.size(path))
  u16 <- function(at) sum(as.integer(bytes[at + 0:1]) * c(1, 256))
  u32 <- function(at) sum(as.integer(bytes[at + 0:3]) * 256^(0:3))
  end <- max(grepRaw(as.raw(c(0x50, 0x4b, 0x05, 0x06)), bytes, all = TRUE))
  at <- u32(end + 16) + 1
  fixed <- as.raw(c(0, 0, 0x21, 0))
  for (i in seq_len(u16(end + 10))) {
    local <- u32(at + 42) + 1
    bytes[at + 12:15] <- fixed
    bytes[local + 10:13] <- fixed
    at <- at + 46 + u16(at + 28) + u16(at + 30) + u16(at + 32)
  }
  writeBin(bytes, path)
}
