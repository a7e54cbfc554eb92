# The command writes whole files or none: a file is made in the same folder and moved there in one
# step. What was there stays until then.

#' Writes a file, or into a pipe or device.
#' @param path Where to; a link is followed.
#' @param write Function of a path that does not exist yet, which writes there and returns what
#'   went wrong, or "".
#' @param overwrite Whether what is there may be replaced; its mode and owner are kept.
#' @noRd
write_whole <- function(path, write, overwrite = FALSE) {
  if (is_stream(path)) {
    return(write_into(path, write))
  }
  place <- followed(path)
  clear_litter(dirname(place))
  beside <- file.path(dirname(place), own_name(".eggcrate-", tools::file_ext(path)))
  on.exit(unlink(beside))
  check_written(write(beside), path)
  failed <- if (path_kind_(place) != "file") {
    place_file_(beside, place, FALSE)
  } else if (!overwrite) {
    stop_file_exists(path)
  } else if (take_after_(beside, place)) {
    place_file_(beside, place, TRUE)
  } else {
    # It belongs to somebody else, who would lose it by another taking its place.
    copy_into_(beside, place, -1)
  }
  if (failed == "exists") stop_file_exists(path)
  check_written(failed, path)
}

# Before anything is read: may it be written?
check_target <- function(path, overwrite) {
  if (is_stream(path)) {
    return()
  }
  place <- followed(path)
  kind <- path_kind_(place)
  folder <- dirname(place)
  if (!dir.exists(folder)) {
    stop_data("file", sprintf("There is no folder '%s' to write to.", folder))
  }
  if (kind == "folder") stop_data("file", sprintf("'%s' is a folder.", path))
  if (kind == "file" && !overwrite) stop_file_exists(path)
  if (kind != "none" && file.access(place, 2L) != 0L) {
    stop_data("file", sprintf("The file '%s' may not be written to.", path))
  }
  if (file.access(folder, 2L) != 0L) {
    stop_data("file", sprintf("The folder '%s' may not be written to.", folder))
  }
}

stop_file_exists <- function(path) {
  stop_data("file_exists", sprintf("The file '%s' exists already.", path),
    i = "Add --overwrite to replace it.", fields = list(path = path))
}

# A pipe or a device is written into, never replaced.
is_stream <- function(path) path_kind_(path) == "stream" || startsWith(path, "/dev/")

write_into <- function(path, write) {
  scratch <- file.path(tempdir(), own_name("eggcrate-", tools::file_ext(path)))
  on.exit(unlink(scratch))
  check_written(write(scratch), path)
  check_written(copy_into_(scratch, path, -1), path)
}

# A picture device does not say that the disk is full: it warns, or leaves out the end.
write_picture <- function(chart, path, size = chart_size()) {
  withCallingHandlers(write_chart(chart, path, size), warning = function(w) {
    if (grepl("not write", conditionMessage(w))) invokeRestart("muffleWarning")
  })
  if (picture_ends(path)) "" else "there is not enough space for the chart"
}

picture_ends <- function(path) {
  size <- file.size(path)
  if (is.na(size) || size < 16) {
    return(FALSE)
  }
  con <- file(path, "rb")
  on.exit(close(con))
  seek(con, max(0, size - 64))
  end <- readBin(con, "raw", 64L)
  mark <- c(png = "IEND", svg = "</svg>", pdf = "%%EOF")[[tolower(tools::file_ext(path))]]
  length(grepRaw(mark, end, fixed = TRUE)) > 0L
}

#' Lines to standard output. Where R's own is diverted, or is a console, it is R that shows
#' them; else they are written past R, which does not say that it failed.
#' @noRd
write_out <- function(lines) {
  if (interactive() || sink.number() > 0L) {
    return(writeLines(lines, stdout()))
  }
  failed <- write_out_(enc2utf8(lines))
  # A closed pipe (such as `| head`) is not an error.
  if (failed != "closed") check_written(failed, "standard output")
}

check_written <- function(failed, path) if (nzchar(failed)) stop_not_written(failed, path)

stop_not_written <- function(why, path) {
  what <- if (path == "standard output") "Standard output" else sprintf("The file '%s'", path)
  stop_data("file", sprintf("%s cannot be written: %s.", what, why), fields = list(path = path))
}

# Where a link leads, to something or to nothing yet.
followed <- function(path) {
  for (i in 1:40) {
    to <- Sys.readlink(path)
    if (is.na(to) || !nzchar(to)) break
    path <- if (startsWith(to, "/")) to else file.path(dirname(path), to)
  }
  path
}

# Litter -------------------------------------------------------------------

# A name that says whose it is: which machine, which process.
own_name <- function(prefix, ending) {
  unique <- basename(tempfile(""))
  sprintf("%s%s-%d-%s%s", prefix, this_machine(), Sys.getpid(), unique,
    if (nzchar(ending)) paste0(".", ending) else "")
}

this_machine <- function() gsub("[^A-Za-z0-9]", "", Sys.info()[["nodename"]])

# Removes what processes that were killed left in a folder, those of this machine: files beside
# their places, and whole temporary folders.
clear_litter <- function(folder) {
  left <- list.files(folder, "^[.]eggcrate-", all.files = TRUE, full.names = TRUE)
  left <- left[ownerless(basename(left))]
  # A process was killed between two steps of swap_folders_(): its folder gets its name back.
  for (path in grep("[.]old-", left, value = TRUE)) {
    place <- file.path(folder, sub("^.*[.]old-", "", basename(path)))
    if (!file.exists(place)) file.rename(path, place)
  }
  unlink(left, recursive = TRUE)
}

ownerless <- function(names) {
  shape <- sprintf("^[.]eggcrate-%s-([0-9]+)-.*$", this_machine())
  ours <- grepl(shape, names)
  pid <- suppressWarnings(as.integer(sub(shape, "\\1", names)))
  ours & !is.na(pid) & !vapply(replace(pid, is.na(pid), 0L), process_lives_, NA)
}

#' JSON from outside as lists; NULL if it is not JSON. It is validated first: some versions of the
#' parser use the text of their error message as a format, which ends R if the text has `%n`.
#' @noRd
parsed_json <- function(text) {
  Encoding(text) <- "UTF-8"
  if (validUTF8(text) && isTRUE(as.logical(jsonlite::validate(text)))) {
    tryCatch(jsonlite::parse_json(text), error = function(e) NULL)
  }
}
