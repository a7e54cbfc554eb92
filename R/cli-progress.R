# What a person sees while a long file is read: one line on standard error that is
# written over, and is gone at the end.

show_progress <- function(text, part) {
  done <- !is.na(part) && part >= 1
  cells <- 24L
  filled <- if (is.na(part)) 0L else floor(part * cells)
  bar <- if (is.na(part)) {
    "..."
  } else {
    sprintf("[%s%s] %3.0f%%", strrep("#", filled), strrep(".", cells - filled), 100 * part)
  }
  line <- sprintf("%s %s", text, bar)
  cat("\r", if (done) strrep(" ", nchar(line)) else line, if (done) "\r", sep = "", file = stderr())
}

.onLoad <- function(libname, pkgname) {
  if (interactive() && is.null(getOption("eggcrate.progress"))) {
    options(eggcrate.progress = show_progress)
  }
}
