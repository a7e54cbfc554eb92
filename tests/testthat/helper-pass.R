# What comes of a question, to the byte; an error by its words.
#' @param paths Of order lines; or a function that gives the source, which then stays open.
bytes_of <- function(command, args, paths, ...) {
  withr::local_options(...)
  source <- if (is.function(paths)) paths() else eggcrate:::open_source(paths)
  if (!is.function(paths)) withr::defer(eggcrate:::source_close(source))
  tryCatch({
    x <- eggcrate:::ask(command, args, source)
    c(eggcrate:::answer_csv(x), eggcrate:::json_lines(x), format(x))
  }, eggcrate_error = function(e) paste("error:", conditionMessage(e)))
}

by_pass <- function(...) bytes_of(..., eggcrate.pass = 0, eggcrate.held = 0)
in_general <- function(...) bytes_of(..., eggcrate.quick = FALSE, eggcrate.pass = Inf)

# How often the kernel has passed through files while `code` ran, and how often it came to an end.
passes_in <- function(code) {
  counted <- new.env()
  counted$all <- counted$whole <- 0L
  options(eggcrate.counted = counted)
  suppressMessages(base::trace("tally_files_", where = asNamespace("eggcrate"), print = FALSE, exit = quote({
    counted <- getOption("eggcrate.counted")
    counted$all <- counted$all + 1L
    counted$whole <- counted$whole + (returnValue()$outcome == 0L)
  })))
  on.exit({
    suppressMessages(untrace("tally_files_", where = asNamespace("eggcrate")))
    options(eggcrate.counted = NULL)
  })
  force(code)
  list(all = counted$all, whole = counted$whole)
}
