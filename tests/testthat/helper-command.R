# The command in this process: its exit code, and the lines of standard output and standard error.
run_here <- function(args, env = character()) {
  paths <- replicate(2, tempfile())
  on.exit(unlink(paths))
  withr::local_envvar(env)
  withr::local_options(cli.unicode = TRUE, cli.num_colors = 1L, width = 80L)
  files <- lapply(paths, file, open = "w", encoding = "UTF-8")
  status <- tryCatch({
    sink(files[[1L]])
    sink(files[[2L]], type = "message")
    eggcrate::run_command(args)
  }, finally = {
    sink(type = "message")
    sink()
    for (con in files) close(con)
  })
  c(list(status = status), stats::setNames(lapply(paths, readLines, encoding = "UTF-8", warn = FALSE), c("out", "err")))
}

# The command as a process, with a bare environment: for what only a process has (pipes, signals, locales, limits).
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

# The arguments in a line of shell code, as a shell reads it.
shell_args <- function(line) {
  args <- system2("sh", c("-c", shQuote(paste("printf '%s\\n'", line))), stdout = TRUE)
  Encoding(args) <- "UTF-8"
  args
}
