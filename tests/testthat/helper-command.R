# The command as a process, with a bare environment.
# `before` and `after` are what the shell does before, and with what comes out.
run_process <- function(args, env = character(), input = "/dev/null", after = NULL,
  before = NULL, command = command_path()) {
  out <- tempfile()
  err <- tempfile()
  on.exit(unlink(c(out, err)))
  libs <- paste(.libPaths(), collapse = .Platform$path.sep)
  # Coverage and check settings of the test's own R must not reach the command.
  status <- withr::with_envvar(
    c(R_LIBS = libs, R_TESTS = "", LC_ALL = "C.UTF-8", NO_COLOR = "1", env),
    system2("sh",
      c("-c", shQuote(paste(c(before, shQuote(command), shQuote(args), after), collapse = " ")),
        "<", shQuote(input)), stdout = out, stderr = err)
  )
  text <- function(path) readLines(path, encoding = "UTF-8", warn = FALSE)
  list(status = status, out = text(out), err = text(err))
}

command_path <- function() system.file("exec", "eggcrate", package = "eggcrate", mustWork = TRUE)
