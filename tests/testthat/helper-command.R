# The command as a process, with a bare environment.
# `reader` is what its standard output is piped into.
run_process <- function(args, env = character(), input = "/dev/null", reader = NULL) {
  command <- system.file("exec", "eggcrate", package = "eggcrate", mustWork = TRUE)
  out <- tempfile()
  err <- tempfile()
  on.exit(unlink(c(out, err)))
  libs <- paste(.libPaths(), collapse = .Platform$path.sep)
  # Coverage and check settings of the test's own R must not reach the command.
  status <- withr::with_envvar(
    c(R_LIBS = libs, R_TESTS = "", LC_ALL = "C.UTF-8", NO_COLOR = "1", env),
    system2("sh",
      c("-c", shQuote(paste(c(shQuote(command), shQuote(args),
        if (!is.null(reader)) c("|", reader)),
        collapse = " ")), "<", shQuote(input)), stdout = out, stderr = err)
  )
  text <- function(path) readLines(path, encoding = "UTF-8", warn = FALSE)
  list(status = status, out = text(out), err = text(err))
}
