# A result keeps an address and a stamp of its source, and no rows. A small pool owns connections,
# scans of files, and frames without a name.

# Frames without a variable of the session are kept for their results: whole up to this number of
# bytes, larger ones with the needed columns only.
whole_frame <- 1e7
# Bytes of all frames in the pool (the newest always stays), and the numbers of open connections and
# of files whose scan is kept.
most_pooled <- 5e7
most_connections <- 2L
most_files <- 2L

# By id: `live`, weak references to sources; `kept`, sources that results need and nobody else has,
# newest first; `connections` and `files`, sources with a connection and sources of files, newest
# first; `addresses` of databases with their passwords.
pool <- list2env(list(live = new.env(), most_live = 500L, kept = list(), connections = list(),
  files = list(), addresses = list(), count = 0), parent = emptyenv())

# Variables ------------------------------------------------------------------

#' Name and environment of the variable that an argument is.
#' @param expr The expression of the argument.
#' @param env Environment of the caller.
#' @return `name`, how messages call the data, and `env`; NULL for `env` if no variable has it.
#' @noRd
data_place <- function(expr, env) {
  # A pipe may call it `.`, which is gone when the pipe ends.
  if (identical(expr, quote(.))) expr <- NULL
  name <- if (is.name(expr)) as.character(expr) else "the data"
  # An argument of a function is the variable of its caller.
  while (is.name(expr) && (at <- argument_of_call(expr, env)) > 0L) {
    given <- eval(call("substitute", expr), env)
    if (!is.name(given)) break
    expr <- given
    env <- if (sys.parents()[at] > 0L) sys.frame(sys.parents()[at]) else globalenv()
  }
  while (is.name(expr) && !identical(env, emptyenv()) &&
    !exists(as.character(expr), env, inherits = FALSE)) env <- parent.env(env)
  found <- is.name(expr) && !identical(env, emptyenv())
  if (!found) return(list(name = name))
  list(name = name, variable = as.character(expr), env = hold_(env, env),
    local = frame_number(env) > 0L)
}

# The number of the call that `expr` is an argument of, if `env` is its frame; else 0.
argument_of_call <- function(expr, env) {
  at <- frame_number(env)
  name <- as.character(expr)
  known <- at > 0L && name %in% names(formals(sys.function(at)))
  if (known && exists(name, env, inherits = FALSE)) at else 0L
}

# The number of the call with this frame; 0 for other environments, such as that of `local()`.
frame_number <- function(env) {
  frames <- sys.frames()
  at <- which(vapply(frames, identical, NA, env))
  at <- at[vapply(at, function(i) {
    fun <- sys.function(i)
    !is.primitive(fun) && identical(environment(fun), parent.env(env))
  }, NA)]
  if (length(at)) at[1L] else 0L
}

# The variable's value; NULL if it is gone.
variable_value <- function(address) {
  env <- if (!is.null(address$env)) held_(address$env)
  if (is.null(env) || !exists(address$variable, env, inherits = FALSE)) return(NULL)
  get(address$variable, env, inherits = FALSE)
}

# Stamps -----------------------------------------------------------------------

#' What shows that a frame was changed: its rows, the addresses of columns, and a checksum of some
#' rows.
#' @noRd
frame_stamp <- function(data, columns) {
  columns <- intersect(columns, names(data))
  n <- nrow(data)
  at <- unique(round(seq(1, n, length.out = min(n, 500L))))
  values <- lapply(columns, function(name) .subset2(data, name))
  list(n = n, columns = columns, at = vapply(values, rlang::obj_address, ""),
    sample = rlang::hash(lapply(values, function(x) if (is.atomic(x)) unclass(x)[at])))
}

# Handles ------------------------------------------------------------------------

#' The address of a source, for a result.
#' @param use Names of the columns that the question needs.
#' @return Plain values: `id`, and the fields of its kind. References are in the pool, by `id`.
#' @noRd
new_handle <- function(s, use = source_names(s)) {
  if (is.null(s$id)) {
    pool$count <- pool$count + 1
    s$id <- sprintf("%s-%d-%d", session_id(), Sys.getpid(), pool$count)
  }
  note_live(s)
  if (inherits(s, "eggcrate_source_lookup")) {
    return(list(kind = "lookup", id = s$id, base = new_handle(s$base, use),
      table = new_handle(s$table, use), by = s$by))
  }
  kind <- if (!is.null(s$url)) "url" else if (length(origin_paths(s$origin))) "file" else
    if (!is.null(s$place$env)) "variable" else "kept"
  stamp <- if (!is.null(s$data)) frame_stamp(s$data, use)
  if (kind == "kept" || kind == "variable" && s$place$local && frame_bytes(s$data) <= whole_frame) {
    keep_source(s, use)
  }
  list(kind = kind, id = s$id, origin = s$origin, url = s$url, stamp = stamp,
    name = if (kind == "variable") s$place$variable, here = here_mark())
}

# A mark that a result loses when it is saved: a function, which `dput()` writes as text, with a
# weak reference, which is not saved.
here_mark <- function() {
  if (is.null(pool$here)) {
    pool$here <- function() reference
    environment(pool$here) <- list2env(list(reference = hold_(pool, pool)), parent = baseenv())
  }
  pool$here
}

is_here <- function(handle) {
  reference <- get0("reference", environment(handle$here), inherits = FALSE)
  !is.null(reference) && !is.null(held_(reference))
}

session_id <- function() {
  if (is.null(pool$session)) pool$session <- format(as.hexmode(as.integer(Sys.time())))
  pool$session
}

note_live <- function(s) {
  # A frame in a variable is found there. A weak reference would keep it for another collection.
  entry <- list(source = if (is.null(s$place$env) || isTRUE(s$keeps_columns)) hold_(s, s))
  if (!is.null(s$place$env)) {
    entry <- c(entry, s$place[c("variable", "env")])
  }
  assign(s$id, entry, pool$live)
  if (inherits(s, "eggcrate_source_file") && !isTRUE(s$keeps_columns)) {
    pool$files <- utils::head(unique(c(list(s), pool$files)), most_files)
  }
  if (length(pool$live) > pool$most_live) forget_dead()
}

# Sources and variables that are gone are forgotten, each time that the number has doubled.
forget_dead <- function() {
  dead <- Filter(function(id) !is_live(pool$live[[id]]), ls(pool$live))
  rm(list = dead, envir = pool$live)
  pool$most_live <- max(500L, 2L * length(pool$live))
}

is_live <- function(entry) {
  any(vapply(entry[c("source", "env")], function(one) !is.null(one) && !is.null(held_(one)), NA))
}

frame_bytes <- function(data) 8 * nrow(data) * length(data)

# Keeps a source for its results; of a large frame only the needed columns.
keep_source <- function(s, use) {
  slim <- !is.null(s$data) && frame_bytes(s$data) > whole_frame
  kept <- if (slim) slim_frame(s, use) else s
  bytes <- function(source) if (is.null(source$data)) 0 else frame_bytes(source$data)
  pool$kept <- utils::head(newest_kept(pool$kept, s$id, kept, bytes, most_pooled), 100L)
}

slim_frame <- function(s, use) {
  # A frame of a later question with other columns is kept with both.
  use <- union(use, names(pool$kept[[s$id]]$data))
  columns <- intersect(names(s$data), use)
  data <- lapply(with_names(columns, columns), function(name) .subset2(s$data, name))
  attributes(data) <- c(attributes(data), list(row.names = .set_row_names(nrow(s$data)),
    class = "data.frame", reading = s$record))
  kept <- source_frame(data, s$name)
  kept$id <- s$id
  kept$dropped <- setdiff(names(s$data), columns)
  kept
}

# Finding the source again ---------------------------------------------------------

#' The source behind a result.
#' @noRd
handle_source <- function(handle, call = NULL) {
  if (identical(handle$kind, "lookup")) return(lookup_again(handle, call))
  check_origin(handle$origin, call)
  here <- is_here(handle)
  found <- if (here) pooled_source(handle)
  if (!is.null(found)) return(check_stamp(found, handle, call))
  s <- switch(handle$kind %||% "",
    url = source_url(pool$addresses[[handle$url]] %||% handle$url, call),
    file = opened_again(handle$origin, call),
    variable = if (here) frame_again(handle, call))
  if (is.null(s)) {
    stop_gone("The rows behind this result are no longer available.",
      "Make the result again in this session.", call)
  }
  s$id <- handle$id
  note_live(s)
  s
}

stop_gone <- function(header, hint = "Make the result again.", call = NULL, fields = list()) {
  stop_data("gone", header, i = hint, fields = fields, call = call)
}

# The source if it is still open or kept, else NULL. For a variable it must have the current value.
pooled_source <- function(handle) {
  id <- handle$id
  held <- live_source(id)
  if (identical(handle$kind, "variable")) {
    value <- variable_value(pool$live[[id]])
    if (is.null(value)) return(pool$kept[[id]])
    if (!is.null(held) && !rlang::is_reference(held$data, value)) return(NULL)
  }
  if (!is.null(held) && is_open(held)) held else pool$kept[[id]]
}

live_source <- function(id) {
  reference <- pool$live[[id]]$source
  if (!is.null(reference)) held_(reference)
}

is_open <- function(s) !isTRUE(s$closed) && (is.null(s$con) || is.null(s$url) || is_connected(s))

is_connected <- function(s) tryCatch(DBI::dbIsValid(s$con), error = function(e) FALSE)

# The source, or NULL if it is gone, for results that can be shown without it.
reachable_source <- function(handle) {
  if (!is.null(handle)) tryCatch(handle_source(handle), eggcrate_error_gone = function(e) NULL)
}

check_stamp <- function(s, handle, call = NULL) {
  if (!is.null(s$con) && !is_connected(s)) {
    stop_gone(sprintf("The connection to the database of %s is closed.", s$name),
      "Connect again, and make the result again.", call)
  }
  data <- s$data
  if (is.null(data) || is.null(handle$stamp)) return(s)
  now <- if (identical(handle$kind, "variable")) variable_value(pool$live[[handle$id]])
  for (one in list(now, data)) check_frame(one, handle, s$name, call)
  s
}

check_frame <- function(data, handle, name, call = NULL) {
  if (is.null(data)) return(invisible())
  if (!identical(frame_stamp(data, handle$stamp$columns), handle$stamp)) {
    stop_gone(sprintf("%s has changed since this result was made.", tick(name)), call = call)
  }
}

frame_again <- function(handle, call = NULL) {
  entry <- pool$live[[handle$id]]
  data <- variable_value(entry)
  if (is.null(data)) {
    stop_gone(sprintf("The variable `%s` with the rows behind this result is gone.", handle$name),
      "Make the result again.", call)
  }
  check_frame(data, handle, handle$name, call)
  place <- list(name = entry$variable, variable = entry$variable, env = entry$env, local = FALSE)
  source_frame(data, place)
}

opened_again <- function(origin, call = NULL) {
  if (is.null(origin$parts)) return(source_file(origin$path, origin$reading, call))
  source_several(origin_paths(origin), origin$reading, call)
}

lookup_again <- function(handle, call = NULL) {
  base <- handle_source(handle$base, call)
  table <- handle_source(handle$table, call)
  found <- live_source(handle$id)
  if (!is.null(found) && identical(found$base, base) && identical(found$table, table)) return(found)
  s <- source_lookup(base, table, handle$by, call)
  s$id <- handle$id
  note_live(s)
  s
}

#' Drops the columns that a file source has read for a question. The scan of the file stays in the
#' pool. Sources of the desk, of studies and of lookups keep their columns.
#' @noRd
drop_columns <- function(s) {
  if (!inherits(s, "eggcrate_source_file") || isTRUE(s$keeps_columns)) return(invisible())
  rm(list = grep("^column ", ls(s$known), value = TRUE), envir = s$known)
  s$passes <- 0L
}

# The same after a question about a result.
drop_columns_of <- function(x) {
  id <- answer_of(x)$handle$id
  s <- if (!is.null(id)) live_source(id)
  if (!is.null(s)) drop_columns(s)
}

# For a source that answers several questions.
keep_columns <- function(s) s$keeps_columns <- TRUE

# Connections -------------------------------------------------------------------

#' Puts a source with a connection of its own into the pool, which closes the oldest ones.
#' @param url Its address, with a password.
#' @noRd
pool_connection <- function(s, url) {
  pool$addresses[[s$url]] <- url
  open <- Filter(is_connected, c(list(s), pool$connections))
  for (old in utils::tail(open, -most_connections)) source_close(old)
  pool$connections <- utils::head(open, most_connections)
  s
}

# A lookup needs its sources at the same time; they are closed when the lookup is gone.
unpool <- function(s) {
  pool$connections <- Filter(function(other) !identical(other, s), pool$connections)
}
