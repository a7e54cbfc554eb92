# Long work says how far it is, and is stopped.

#' Reports progress to the option `eggcrate.progress`, a function of a text and of the share done
#' (NA if unknown, 1 at the end). It can end the work with an error.
#' @noRd
say_progress <- function(doing, part = NA) {
  show <- getOption("eggcrate.progress")
  if (is.function(show)) show(doing, part)
  invisible()
}

is_watched <- function() is.function(getOption("eggcrate.progress"))

#' Reports progress of the kernel. The kernel cannot raise conditions: it stops as if interrupted,
#' and the condition that ended it is raised afterwards.
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
  done <- withCallingHandlers(work(report),
    interrupt = function(i) if (!is.null(ended)) stop(ended))
  if (said) say_progress(doing, 1)
  done
}

# Processes of their own --------------------------------------------------

#' Calls functions in forked processes, at the same time. A library that crashes on a damaged file
#' does not end R.
#' @param tasks Functions without arguments, whose values can be written to a file.
#' @return Their values. An error of a function is raised in this process.
#' @noRd
in_processes <- function(tasks) {
  files <- vapply(tasks, function(task) tempfile("eggcrate-"), "")
  on.exit(unlink(c(files, part_files(files))))
  if (!run_apart_(Map(function(task, file) as.call(list(keep_value, task, file)), tasks, files))) {
    return(lapply(tasks, function(task) task()))
  }
  lapply(files, kept_value)
}

part_files <- function(files) paste0(files, "-part")

keep_value <- function(task, file) {
  found <- tryCatch(list(value = task()), error = function(e) list(error = conditionMessage(e)))
  con <- file(part_files(file), "wb")
  serialize(found, con, xdr = FALSE)
  close(con)
  file.rename(part_files(file), file)
}

kept_value <- function(file) {
  if (!file.exists(file)) stop("Its contents are damaged.", call. = FALSE)
  con <- file(file, "rb")
  on.exit(close(con))
  found <- unserialize(con)
  if (!is.null(found$error)) stop(found$error, call. = FALSE)
  found$value
}
