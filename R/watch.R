# Long work says how far it is, and is stopped.

#' Says how far long work is, to whoever listens: the option `eggcrate.progress` is a function of a text and of the
#' part done, NA where that is not known and 1 at the end. It may end the work by an error of its own.
#' @noRd
say_progress <- function(doing, part = NA) {
  show <- getOption("eggcrate.progress")
  if (is.function(show)) show(doing, part)
  invisible()
}

is_watched <- function() is.function(getOption("eggcrate.progress"))

#' Work of the kernel that says how far it is. The kernel knows no conditions, it only stops as when it is interrupted:
#' the one that ended it is raised when it has come back.
#' @param work Function of what is handed to the kernel: a function of the part done, or NULL.
#' @noRd
watched <- function(doing, work) {
  if (!is_watched()) {
    return(work(NULL))
  }
  said <- FALSE
  ended <- NULL
  report <- function(part) {
    said <<- TRUE
    tryCatch({
      say_progress(doing, part)
      TRUE
    }, error = function(e) {
      ended <<- e
      FALSE
    })
  }
  done <- withCallingHandlers(work(report), interrupt = function(i) if (!is.null(ended)) stop(ended))
  if (said) say_progress(doing, 1)
  done
}
