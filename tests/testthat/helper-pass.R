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

# Questions of columns of any kind, most of which have an answer: numbers where there are some.
odd_questions <- function(seed, path) {
  set.seed(seed)
  types <- vapply(suppressMessages(read_sales(path)), function(x) class(x)[1L], "")
  one_of <- function(kinds) sample(rep(names(types), ifelse(types %in% kinds, 20, 1)), 1L)
  a <- one_of("character")
  b <- one_of(c("character", "Date"))
  x <- one_of(c("numeric", "integer"))
  list(
    list("standings", list(of = sprintf("sum(%s)", x), by = a)),
    list("standings", list(of = "count()", by = if (a == b) a else sprintf("c(%s, %s)", a, b), where = sprintf("%s != 'a'", b), also = sprintf("d = distinct(%s)", x))),
    list("standings", list(of = sprintf("max(%s)", x), by = b, where = sprintf("!is_missing(%s)", a))),
    list("standings", list(of = sprintf("median(%s)", x), by = a, also = sprintf("s = sum(%s, when = %s > 0)", x, x))),
    list("movement", list(of = "count()", by = a, over = sprintf("year(%s)", b)))
  )
}

# A file of several streams, of which each is a gzip file, with any level of packing.
pack_lines <- function(bytes, path, parts = 1L, level = 6L) {
  ends <- round(length(bytes) * seq_len(parts) / parts)
  con <- file(path, "wb")
  on.exit(close(con))
  for (i in seq_len(parts)) {
    piece <- withr::local_tempfile()
    packed <- gzfile(piece, "wb", compression = level)
    writeBin(bytes[seq.int(c(0, ends)[i] + 1, ends[i])], packed)
    close(packed)
    writeBin(readBin(piece, "raw", file.size(piece)), con)
  }
}
