# A workbook of a single answer.

#' Write a result as a workbook
#'
#' Writes a result into an XLSX file with its display: number formats, dates, a frozen header,
#' filters, bars in cells, the colours of tiers and classes, the chart next to the table, and the
#' receipt on a second sheet. Grids and movement have a column per period. Text that looks like a
#' formula stays text. The same result gives the same bytes.
#'
#' @param x A result: of [standings()], [pareto()], [assign_tiers()] and so on.
#' @param path Path of the file to write, ending in `.xlsx`.
#' @param ... Must be empty.
#' @param tables Names of the tables to write, a sheet each: `"items"`, and others that the result
#'   has, such as `"totals"`, `"tiers"` or `"bridge"`; all that it has by default.
#' @param chart Whether to add the default chart next to the first table.
#' @param overwrite Whether a file that is there may be replaced.
#' @returns `path`, invisibly.
#' @section Errors: `eggcrate_error_file_exists` when the file is there;
#'   `eggcrate_error_unknown_value` for a table that the result does not have;
#'   `eggcrate_error_package` when openxlsx is not installed.
#' @seealso [html_table()], [run_study()]
#' @export
#' @examplesIf requireNamespace("openxlsx", quietly = TRUE)
#' customers <- standings(demo_orders(), of = sum(net_sales), by = customer)
#' path <- tempfile(fileext = ".xlsx")
#' answer_sheet(assign_tiers(customers, tiers_by_share(c(A = "80%", B = "95%"), rest = "C")), path,
#'   chart = FALSE)
#' openxlsx::getSheetNames(path)
answer_sheet <- function(x, path, ..., tables = NULL, chart = TRUE, overwrite = FALSE) {
  call <- sys.call()[1L]
  check_no_dots(..., call = call)
  need_package("openxlsx", "write a workbook", call)
  if (missing(x) || !inherits(x, html_results)) check_standings(x, call = call)
  check_one_path(path, call)
  if (tolower(tools::file_ext(path)) != "xlsx") {
    stop_eggcrate("call", "unknown_value",
      sprintf("A workbook ends in .xlsx, and '%s' does not.", path), call = call)
  }
  check_target(path, isTRUE(overwrite))
  tables <- tables %||% sheet_tables(x)
  in_utf8(with_all_signs({
    book <- answer_book(x, tables, isTRUE(chart), call = call)
    write_whole(path, function(path) write_workbook(book, path), isTRUE(overwrite))
  }))
  invisible(path)
}

# All tables that say more than the items do.
sheet_tables <- function(x) {
  if (!inherits(x, "eggcrate_answer") ||
    inherits(x, c("eggcrate_findings", "eggcrate_concentration", "eggcrate_extremes"))) {
    return("items")
  }
  ans <- answer_of(x)
  # Without tables that the answer cannot give, such as the bridge of a mean.
  own <- if (length(ans$ranked$cell)) Filter(function(table) !is.null(table_or_null(table, ans)),
    own_tables(ans))
  c("items", names(own), if (has_shares(ans) && !has_facet(ans, "change")) "totals")
}

#' @param tables Names of its tables.
#' @param chart Whether the chart is next to the first table.
#' @noRd
answer_book <- function(x, tables, chart = TRUE, layout = NULL, shares = NULL, call = NULL) {
  picture <- if (chart && drawable(x)) {
    path <- tempfile("eggcrate-", fileext = ".png")
    write_chart(answer_chart(x), path)
    path
  }
  sheets <- lapply(seq_along(tables), function(i) {
    data <- answer_table(x, tables[i], layout, shares, call)
    sheet <- table_sheet(x, tables[i], data, if (i == 1L) picture)
    c(sheet, list(name = spaced_name(tables[i])))
  })
  if (inherits(x, "eggcrate_answer")) {
    receipt <- answer_of(x)$receipt
    sheets <- c(sheets,
      list(list(title = "Receipt", columns = lapply(receipt, cut_cell),
        formats = list(NULL, NULL, "#,##0", NULL, NULL),
        fills = list(), bars = list(), name = "Receipt")))
  }
  list(title = sheets[[1L]]$title, sheets = sheets, drawn = picture)
}

drawable <- function(x) {
  inherits(x, "eggcrate_answer") && !inherits(x, "eggcrate_findings") && nrow(x) > 0L &&
    requireNamespace("ggplot2", quietly = TRUE)
}

# A look through a file, as a workbook.
check_book <- function(x) {
  sheet <- function(table, name) list(title = check_title(x),
    columns = lapply(as.list(table), cut_cell),
    formats = rep(list(NULL), length(table)), fills = list(), bars = list(), name = name)
  list(title = check_title(x),
    sheets = list(sheet(x$columns, "Columns"), sheet(x$findings, "Findings")))
}
