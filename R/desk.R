#' Ask questions on a page in the browser
#'
#' Opens a page on which you ask a question, move its thresholds, select items in the chart or the
#' table, and drill down. The page keeps all steps: you can go back to a step, compare two steps,
#' and export steps as a study, an R script, commands, tables or charts.
#'
#' The page is served to this machine only, and its address has a secret. The desk ends when you
#' close its window or press Ctrl-C.
#'
#' @param data A data frame, paths of files, a table of a database or its address, or the result of
#'   [lookup()].
#' @param ... Must be empty.
#' @param layout Rows and columns of regions, as in [tile_table()]: a data frame or a file, for
#'   results as tiles.
#' @param port The port, from 1024 to 65535; by default a free port.
#' @param browse Whether to open the browser; the address is printed in any case.
#' @returns `NULL`, invisibly, when the desk has ended.
#' @section Errors: `eggcrate_error_package` if httpuv or another package is not installed;
#'   `eggcrate_error_port` if the port is in use; the errors of [standings()] for data that cannot
#'   be read.
#' @seealso [run_study()] for what the desk hands over.
#' @export
#' @examplesIf interactive()
#' desk(demo_orders(), layout = demo_tiles())
desk <- function(data, ..., layout = NULL, port = NULL, browse = interactive()) {
  call <- sys.call()[1L]
  check_no_dots(..., call = call)
  source <- open_source(data, data_place(substitute(data), parent.frame()), call = call)
  on.exit(source_close(source))
  if (!is.null(layout)) table_given(layout, call)
  study <- list(source = list(file = origin_paths(source$origin) %||% source$url),
    display = getOption("eggcrate.display"))
  open_desk(source, study, layout, port, browse, call)
}

#' @param study What a study would say of the source.
#' @noRd
open_desk <- function(source, study, layout, port, browse, call = NULL) {
  for (package in desk_packages) need_package(package, "open the desk", call)
  desk <- in_utf8(new_desk(keep_tallies(source), study, layout))
  serve_desk(desk, function(address) {
    message("The desk is open at ", address)
    if (isTRUE(browse)) utils::browseURL(address)
  }, port, call)
}
