# Workbooks: looked through first, for their reader trusts in what they say.

open_sheet <- function(path, options, call = NULL) {
  need_package("readxl", "read XLSX files", call)
  check_workbook(path, call)
  sheet <- options$sheet %||% 1L
  known <- readxl::excel_sheets(path)
  if (is.character(sheet) && grepl("^[0-9]+$", sheet) && !sheet %in% known) {
    sheet <- as.integer(sheet)
  }
  if (is.character(sheet) && !sheet %in% known) check_choice(sheet, known, "sheet", call)
  if (is.numeric(sheet) && !sheet %in% seq_along(known)) {
    stop_eggcrate("call", "unknown_value",
      sprintf("%s has %s.", basename(path), counted(length(known), "sheet")), call = call)
  }
  table <- readxl::read_excel(path, sheet = sheet, guess_max = 1048576L, .name_repair = "minimal",
    progress = FALSE)
  # A cell of a date column is a time for the workbook; days are what was meant.
  table[] <- lapply(table, function(x) if (inherits(x, "POSIXct")) as.Date(x) else x)
  whole_table(path, table)
}

# Every part is looked at as it comes out of the archive.
check_workbook <- function(path, call = NULL) {
  parts <- tryCatch(utils::unzip(path, list = TRUE)$Name, error = function(e) character(),
    warning = function(w) character())
  limit <- left <- unpacked_limit(path, free_memory())
  for (part in grep("[.](xml|rels)$", parts, ignore.case = TRUE, value = TRUE)) {
    left <- left - check_part(path, part, left, limit, call)
  }
}

#' @param left How many bytes may still come out.
#' @param limit How many may in all.
#' @return How many did.
#' @noRd
check_part <- function(path, part, left, limit, call = NULL) {
  con <- unz(path, part, "rb")
  on.exit(close(con))
  taken <- 0
  found <- scan_sheet_(function() {
    block <- readBin(con, "raw", 1e6L)
    taken <<- taken + length(block)
    if (taken > left) stop_unpacks_large(path, limit, call)
    block
  })
  if (found$flaw) stop_workbook(found, path, call)
  # A reader makes a cell of each place up to the last one.
  if (found$rows * found$columns * 8 > limit) {
    stop_data("too_large",
      sprintf(paste("A sheet of '%s' reaches to row %s and column %s, which is more than there",
        "can be in it."),
        basename(path), count_text(found$rows), count_text(found$columns)),
      i = "Delete the cells far from the table, or raise the limit in bytes, EGGCRATE_LIMIT.",
      fields = list(path = path), call = call)
  }
  taken
}

stop_workbook <- function(found, path, call = NULL) {
  words <- c("has tags within tags, deeper than any workbook",
    sprintf("has a row that is numbered %s; rows go from 1 to 1,048,576", quoted(found$where)),
    sprintf("has a cell at %s, which is not a place in a sheet", quoted(found$where)),
    "has a document type, which workbooks do not have")[found$flaw]
  stop_data("format", sprintf("'%s' is damaged: it %s.", basename(path), words),
    i = "Save it again with the program that made it.", fields = list(path = path), call = call)
}
