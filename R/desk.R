#' Work at a desk
#'
#' Opens a page in the browser on which one asks, looks, changes one thing and looks again: a sentence of
#' fields, an answer with its figure and table, thresholds that move, what is picked and why it is where it
#' is, and the trail of all steps, which can be gone back to, laid beside each other, and handed over as a
#' study, an R script or commands.
#'
#' The page is served from this machine to this machine only, and its address has a secret in it. It ends when
#' its window is closed, or by Ctrl-C.
#'
#' @param data A data frame, paths of files, or the result of [lookup()].
#' @param ... Must be empty.
#' @param layout Where regions lie, as in [tile_table()]: a data frame or a file, for answers as tiles.
#' @param port Where to listen, from 1024 to 65535; by default a port that is free.
#' @param browse Whether to open the browser; else the address is said only.
#' @returns `NULL`, invisibly, when the desk has ended.
#' @section Errors: `eggcrate_error_package` when httpuv or another of the packages is not installed;
#'   `eggcrate_error_port` when the port is in use; all that [standings()] says of data that cannot be read.
#' @seealso [run_study()] for what the desk hands over.
#' @export
#' @examplesIf interactive()
#' desk(demo_orders(), layout = demo_tiles())
desk <- function(data, ..., layout = NULL, port = NULL, browse = interactive()) {
  call <- sys.call()[1L]
  check_no_dots(..., call = call)
  source <- open_source(data, data_name(substitute(data)), call = call)
  on.exit(source_close(source))
  if (!is.null(layout)) table_given(layout, call)
  study <- list(source = list(file = origin_paths(source$origin) %||% source$url), display = getOption("eggcrate.display"))
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
