# Files that are packed: how far they may unpack, and to their end.

is_packed <- function(path) identical(readBin(path, "raw", 2L), as.raw(c(0x1f, 0x8b)))

#' Scans a packed file while it is unpacked. A file longer than a block is never unpacked as a
#' whole, if our own pass can read it.
#' @return `scan`, `path` (of its first block), `size` (of all bytes), `scratch`, and `packed`: its
#'   path, the points where reading may begin, and the path for unpacking if needed; NULL if the
#'   first block is the whole file.
#' @noRd
scan_packed <- function(path, options, call = NULL) {
  first <- scratch_name()
  limit <- unpacked_limit(path)
  whole <- FALSE
  on.exit(if (!whole) unlink(first))
  found <- watched(paste("Checking", basename(path)), function(progress) {
    scan_gzip_(enc2native(path.expand(path)), first, options$separator %||% "",
      options$encoding == "UTF-8",
      getOption("eggcrate.block", reading_block), limit, progress)
  })
  check_unpacked(found$ending, path, limit, call)
  whole <- TRUE
  packed <- if (file.size(first) < found$size) list(path = path, points = found$points,
    plain = scratch_name())
  list(scan = found$scan, path = first, size = found$size, scratch = c(first, packed$plain),
    packed = packed)
}

# The whole of a file as plain text, unpacked when it is first asked for.
whole_path <- function(file, call = NULL) {
  packed <- file$packed
  if (is.null(packed)) {
    return(file$path)
  }
  if (!file.exists(packed$plain)) {
    whole <- FALSE
    on.exit(if (!whole) unlink(packed$plain))
    limit <- unpacked_limit(packed$path)
    check_unpacked(unpack_gzip_(path.expand(packed$path), packed$plain, limit), packed$path, limit,
      call)
    whole <- TRUE
  }
  packed$plain
}

check_unpacked <- function(ending, path, limit, call = NULL) {
  if (ending == "large") stop_unpacks_large(path, limit, call)
  if (ending %in% c("cut", "damaged")) {
    stop_data("format", if (ending == "cut") {
      sprintf("'%s' is gzipped, but not to its end.", basename(path))
    } else {
      sprintf("'%s' is gzipped and damaged: it does not unpack to what was packed.", basename(path))
    }, i = "Fetch or pack the file again.", fields = list(path = path), call = call)
  }
  if (nzchar(ending)) {
    stop_data("file", sprintf("'%s' cannot be unpacked: %s.", basename(path), ending),
      x = sprintf("The temporary folder is '%s'.", tempdir()), fields = list(path = path),
      call = call)
  }
}

#' What a packed file may unpack to, in bytes. Order lines pack to a tenth or twentieth; what
#' unpacks to hundreds of times its size is no such table.
#' @param memory How many bytes may be held: Inf for what goes into a temporary file.
#' @noRd
unpacked_limit <- function(path, memory = Inf) {
  asked_number("limit") %||% min(max(5e8, 200 * file.size(path)), memory)
}

# A limit from the R option, else from the environment variable; NULL if neither is set.
asked_number <- function(name) {
  asked <- getOption(paste0("eggcrate.", name), Sys.getenv(paste0("EGGCRATE_", toupper(name))))
  number <- suppressWarnings(as.numeric(asked))
  if (length(number) == 1L && !is.na(number)) number
}

limit_hint <- function() {
  paste("If that is right, raise the limit, in bytes: EGGCRATE_LIMIT=4e9 for the command,",
    "`options(eggcrate.limit = 4e9)` in R.")
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
    i = limit_hint(),
    fields = list(path = path, limit = limit), call = call)
}

size_text <- function(bytes) {
  unit <- if (bytes < 1e6) c(kB = 1e3) else c(MB = 1e6)
  paste(count_text(ceiling(bytes / unit)), names(unit))
}
