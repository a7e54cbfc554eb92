# Files that are packed: how far they may unpack, and to their end.

unpack <- function(path, call = NULL) {
  if (!identical(readBin(path, "raw", 2L), as.raw(c(0x1f, 0x8b)))) {
    return(path)
  }
  plain <- tempfile("eggcrate-", fileext = ".txt")
  limit <- unpacked_limit(path)
  whole <- FALSE
  on.exit(if (!whole) unlink(plain))
  failed <- unpack_gzip_(path.expand(path), plain, limit)
  if (failed == "large") stop_unpacks_large(path, limit, call)
  if (failed %in% c("cut", "damaged")) {
    stop_data("format", if (failed == "cut") {
      sprintf("'%s' is gzipped, but not to its end.", basename(path))
    } else {
      sprintf("'%s' is gzipped and damaged: it does not unpack to what was packed.", basename(path))
    }, i = "Fetch or pack the file again.", fields = list(path = path), call = call)
  }
  if (nzchar(failed)) {
    stop_data("file", sprintf("'%s' cannot be unpacked: %s.", basename(path), failed),
      x = sprintf("The temporary folder is '%s'.", dirname(plain)), fields = list(path = path),
      call = call)
  }
  whole <- TRUE
  plain
}

#' What a packed file may unpack to, in bytes. Order lines pack to a tenth or twentieth; what
#' unpacks to hundreds of times its size is no such table.
#' @param memory How many bytes may be held: Inf for what goes into a temporary file.
#' @noRd
unpacked_limit <- function(path, memory = Inf) {
  asked <- getOption("eggcrate.limit", Sys.getenv("EGGCRATE_LIMIT"))
  number <- suppressWarnings(as.numeric(asked))
  if (length(number) == 1L && !is.na(number)) return(number)
  min(max(5e8, 200 * file.size(path)), memory)
}

# What the machine has left, in bytes; Inf where it does not say.
free_memory <- function(says = "/proc/meminfo") {
  lines <- tryCatch(suppressWarnings(readLines(says, n = 50L)), error = function(e) character())
  line <- grep("^MemAvailable: +[0-9]+ kB$", lines, value = TRUE)
  if (length(line) == 1L) 1024 * as.numeric(gsub("[^0-9]", "", line)) else Inf
}

stop_unpacks_large <- function(path, limit, call = NULL) {
  stop_data("too_large",
    sprintf("'%s' would unpack to more than %s MB, from %s.", basename(path),
      count_text(ceiling(limit / 1e6)), size_text(file.size(path))),
    i = paste("If that is right, raise the limit, in bytes: EGGCRATE_LIMIT=4e9 for the command,",
      "`options(eggcrate.limit = 4e9)` in R."),
    fields = list(path = path, limit = limit), call = call)
}

size_text <- function(bytes) {
  unit <- if (bytes < 1e6) c(kB = 1e3) else c(MB = 1e6)
  paste(count_text(ceiling(bytes / unit)), names(unit))
}
