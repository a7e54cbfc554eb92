# The one place that makes and words errors.
#
#   eggcrate_error
#     eggcrate_error_call     a question that cannot be asked      exit code 2
#       …_unknown_column, …_unknown_function, …_unknown_value, …_expression,
#       …_type, …_name, …_not_additive
#     eggcrate_error_data     data that cannot answer              exit code 1
#       …_file, …_file_exists, …_format, …_value, …_not_finite, …_too_large, …_too_many
#     eggcrate_error_needs    a package that is not installed      exit code 1
#
# Plain base conditions: an error in a cold shell must not wait for a package.

#' Errors and messages of eggcrate
#'
#' Every error that eggcrate raises on purpose has the class `eggcrate_error` and a subclass that
#' shows who has to act: you, or whoever owns the data:
#'
#' * `eggcrate_error_call`: the question cannot be asked as it stands, for
#'   instance because of a column that does not exist or an expression outside
#'   the language. The command ends with exit code 2.
#' * `eggcrate_error_data`: the data cannot answer it, for instance a file that
#'   is missing or an amount that is a word. Exit code 1.
#' * `eggcrate_error_needs`: an optional package is needed. Exit code 1.
#'
#' Each has a third, still narrower class, such as
#' `eggcrate_error_unknown_column`. What it says is there apart, in the fields `header`
#' (what is wrong), `details` and `hints` (what to do), character vectors, and so are the
#' facts that it words: `column`, `row`, `path`, `known` and so on.
#'
#' @name eggcrate_errors
#' @examples
#' tryCatch(
#'   standings(demo_orders(), of = sum(net_sales), by = custmer),
#'   eggcrate_error_unknown_column = function(e) e$column
#' )
NULL

#' @param family `"call"`, `"data"` or `"needs"`.
#' @param kind The narrowest class, without its prefix.
#' @param header One sentence: what is wrong.
#' @param ... Further lines, each named `x` (a detail) or `i` (what to do).
#' @param fields Facts for handlers.
#' @noRd
stop_eggcrate <- function(family, kind, header, ..., fields = list(), call = NULL) {
  lines <- unlist(list(...))
  e <- structure(
    class = c(paste0("eggcrate_error_", c(kind, family)), "eggcrate_error", "error", "condition"),
    c(list(message = "", call = call, header = shown_text(header, 320L),
      details = shown_text(lines[names(lines) != "i"])), fields)
  )
  stop(with_hints(e, lines[names(lines) == "i"]))
}

# Marks errors in a second table, such as targets. The check of a study reports them; it does not
# report errors in the order lines.
of_given_table <- function(code) {
  tryCatch(code, eggcrate_error_data = function(e) {
    e$of_table <- TRUE
    stop(e)
  })
}

shown_text <- function(x, most = 240L) harmless(cut_echo(without_passwords(unname(x)), most), "\n")

# Any text as it may be kept and shown: addresses of databases in it have no password.
without_passwords <- function(text) {
  if (!is.character(text)) return(text)
  gsub("([a-z]+://[^:@/#\\s]*):[^#/\\s]*@", "\\1@", text, perl = TRUE)
}

# An error with other words on what to do.
with_hints <- function(e, hints) {
  e$hints <- shown_text(hints)
  e$message <- paste(c(e$header, error_lines(e$details, e$hints)), collapse = "\n")
  e
}

# Details first, then what to do.
error_lines <- function(details, hints) {
  c(if (length(details)) paste("x", details), if (length(hints)) paste("i", hints))
}

# A question that cannot be asked ------------------------------------------

stop_unknown_column <- function(column, known, where, call = NULL) {
  close <- close_names(column, known)
  variable <- variable_hint(column)
  stop_eggcrate(
    "call", "unknown_column",
    sprintf("There is no column `%s` in %s.", column, where),
    i = if (length(close)) sprintf("Did you mean %s?", enumerate(tick(close), "or")),
    i = variable,
    i = sprintf("Its columns are %s.", enumerate(tick(known))),
    fields = list(column = column, known = known, close = close, variable = variable), call = call
  )
}

stop_unknown_function <- function(name, part, known, place, call = NULL, variable = NULL) {
  known <- known[order(!grepl("^[a-z]", known))] # names before signs
  close <- close_names(name, grep("^[a-z]", known, value = TRUE))
  stop_eggcrate(
    "call", "unknown_function",
    sprintf("`%s` is not part of the language for %s.", name, place),
    x = if (!identical(part, name)) sprintf("In `%s`.", part),
    i = if (length(close)) sprintf("Did you mean %s?", enumerate(tick(close), "or")),
    i = variable,
    i = sprintf("The language has %s.", enumerate(tick(known))),
    fields = list(name = name, part = part, known = known, variable = variable), call = call
  )
}

stop_expression <- function(header, part = NULL, hint = NULL, call = NULL) {
  stop_eggcrate(
    "call", "expression", header,
    x = if (!is.null(part)) sprintf("In `%s`.", part),
    i = hint, fields = list(part = part), call = call
  )
}

stop_type <- function(header, part, hint = NULL, call = NULL) {
  stop_eggcrate("call", "type", header,
    x = sprintf("In `%s`.", part), i = hint,
    fields = list(part = part), call = call
  )
}

stop_unknown_value <- function(arg, value, known, call = NULL) {
  close <- if (is.atomic(value)) close_names(as.character(value), known)
  stop_eggcrate(
    "call", "unknown_value",
    sprintf("%s must be %s, not %s.", tick(arg), enumerate(quoted(known), "or"), describe(value)),
    i = if (length(close)) sprintf("Did you mean %s?", enumerate(quoted(close), "or")),
    fields = list(arg = arg, value = value, known = known), call = call
  )
}

stop_name_taken <- function(name, arg, call = NULL, text = name) {
  stop_eggcrate(
    "call", "name",
    sprintf("The name `%s` in `%s` is one of the result's own columns.", name, arg),
    i = sprintf("Give it another: `%s = c(%s = %s)`.", arg,
      if (name == "rank") "position" else paste0(name, "_1"), text),
    fields = list(name = name), call = call
  )
}

stop_not_additive <- function(measure, what, call = NULL) {
  stop_eggcrate("call", "not_additive",
    sprintf("`%s` is not additive, so it has no %s.", measure$text, what),
    i = "Rank by a sum or a count.",
    fields = list(measure = measure$text), call = call)
}

# Data that cannot answer --------------------------------------------------

stop_data <- function(kind, header, ..., fields = list(), call = NULL) {
  stop_eggcrate("data", kind, header, ..., fields = fields, call = call)
}

stop_file_missing <- function(path, call = NULL) {
  folder <- dirname(path)
  close <- if (dir.exists(folder)) close_names(basename(path), list.files(folder))
  stop_data(
    "file", sprintf("There is no file '%s'.", path),
    i = if (length(close)) sprintf("Did you mean %s?", enumerate(sprintf("'%s'", close), "or")),
    fields = list(path = path), call = call
  )
}

# A column of amounts with something in it that is none.
stop_not_number <- function(column, odd, call = NULL) {
  if (is_odd_date(odd)) stop_not_date(column, odd, call)
  words <- switch(odd$why %||% "word",
    undecided = c(
      sprintf("The commas of `%s` may part thousands or decimals, and nothing in it decides which.",
        column),
      "Set `decimal = \".\"` (so that 1,234 is 1234) or `decimal = \",\"`."
    ),
    currencies = c(
      sprintf("`%s` has amounts in more than one currency.", column),
      "Keep currencies in columns of their own."
    ),
    percent = c(
      sprintf("`%s` contains percentages, which are not read as numbers.", column),
      "Write 12.5% as 0.125, or as 12.5 in a separate column."
    ),
    c(sprintf("`%s` must be a number, and not all of it is.", column),
      "Correct the cell, or leave it empty.")
  )
  stop_data(
    "value", words[1L],
    x = sprintf("Row %s has %s (the header is row 1).", odd$place %||% count_text(odd$row),
      quoted(odd$value)),
    i = words[2L], fields = list(column = column, value = odd$value, row = odd$row), call = call
  )
}

odd_dates <- c("day or month", "shapes", "impossible")
is_odd_date <- function(odd) !is.null(odd) && isTRUE(odd$why %in% odd_dates)

# A column of dates that cannot be read as one.
stop_not_date <- function(column, odd, call = NULL) {
  words <- switch(odd$why,
    "day or month" = c(
      sprintf("Nothing in `%s` decides which number is the day and which the month.", column),
      "Set `dates = \"dmy\"` or `dates = \"mdy\"`."
    ),
    shapes = c(sprintf("The dates of `%s` are written in more than one way.", column),
      "Write them alike, best as 2026-03-31."),
    impossible = c(sprintf("`%s` has a date that does not exist.", column),
      "Correct the cell, or leave it empty.")
  )
  stop_data(
    "value", words[1L],
    x = sprintf("Row %s has %s (the header is row 1).", odd$place %||% count_text(odd$row),
      quoted(odd$value)),
    i = words[2L], fields = list(column = column, value = odd$value, row = odd$row), call = call
  )
}

# What the kernel reported, in words.
stop_kernel <- function(status, columns, call = NULL) {
  row <- count_text(status$row)
  switch(kernel_codes[status$code + 1L],
    stopped = stop_eggcrate("call", "stopped", "Stopped before the rows were counted.",
      call = call),
    not_finite = stop_data("not_finite",
      sprintf("`%s` has a value that is not a finite number in row %s.",
        columns[abs(status$column)], row),
      i = "Correct it, or leave it empty to have it counted as missing.",
      fields = list(row = status$row, column = columns[abs(status$column)]), call = call
    ),
    too_large = stop_data("too_large", "A value calculated for a row is too large.",
      i = "Multiply fewer columns, or divide one of them by a power of ten.", call = call
    ),
    stop_data("memory", "There is not enough memory to count the rows.", call = call)
  )
}

kernel_codes <- c("ok", "stopped", "not_finite", "too_large", "no_memory")

# A package that is not there ----------------------------------------------

need_package <- function(package, what, call = NULL) {
  if (!requireNamespace(package, quietly = TRUE)) {
    stop_eggcrate(
      "needs", "package", sprintf("To %s, the package %s is needed.", what, package),
      i = sprintf("Install it with `install.packages(\"%s\")`.", package),
      fields = list(package = package), call = call
    )
  }
}

# A bug is not a user's error.
internal_error <- function(what) { # nocov start
  stop("Internal error in eggcrate: ", what, ". Please report it.", call. = FALSE)
} # nocov end

# Checks of arguments ------------------------------------------------------

check_choice <- function(value, known, arg, call = NULL) {
  if (!(is.character(value) && length(value) == 1L && value %in% known)) {
    stop_unknown_value(arg, value, known, call = call)
  }
  value
}

# What a function was given beside its arguments, which are those of the function that asks.
check_no_dots <- function(..., call = NULL) {
  if (...length()) {
    given <- ...names() %||% ""
    known <- setdiff(names(formals(sys.function(sys.parent()))), "...")
    close <- close_names(given[1L], known)
    stop_eggcrate("call", "unknown_value",
      if (any(nzchar(given))) {
        sprintf("There is no argument %s here.", enumerate(tick(given[nzchar(given)]), "or"))
      } else {
        "There is an argument too many, without a name."
      },
      i = if (length(close)) sprintf("Did you mean %s?", enumerate(tick(close), "or")),
      i = sprintf("Its arguments are %s.", enumerate(tick(known), most = 20L)),
      fields = list(argument = given[1L], known = known), call = call)
  }
}

# Variables of the caller ----------------------------------------------------

# A bare name is a column; what a caller calls by that name is put in with `!!`, and what their
# function was given with `{{ }}`.
variable_hint <- function(name) {
  if (!nzchar(name)) {
    return(NULL) # an argument left out
  }
  for (frame in caller_frames()) {
    env <- frame$env
    if (is.function(frame$fun) && name %in% names(formals(frame$fun))) {
      return(sprintf(paste("`%s` is an argument of your function: write `{{ %s }}`, or `!!%s` for",
        "its value."),
        name, name, name))
    }
    while (!identical(env, emptyenv()) && !isNamespace(env) &&
      !startsWith(environmentName(env), "package:")) {
      if (exists(name, env, mode = "any", inherits = FALSE)) {
        return(if (!is.function(get(name, env, inherits = FALSE))) {
          sprintf("`%s` is a variable of yours: write `!!%s` for its value.", name, name)
        })
      }
      env <- parent.env(env)
    }
  }
}

# The frames of whoever asked, nearest first.
caller_frames <- function() {
  package <- topenv()
  ours <- vapply(seq_len(sys.nframe()),
    function(i) identical(environment(sys.function(i)), package), NA)
  above <- rev(seq_len(which(ours)[1L] - 1L))
  c(lapply(above, function(i) list(env = sys.frame(i), fun = sys.function(i))),
    list(list(env = globalenv(), fun = NULL)))
}

stop_missing_arg <- function(arg, hint = NULL, call = NULL) {
  stop_expression(sprintf("`%s` is missing.", arg), hint = hint, call = call)
}

# What a shell or a file, which have no variables of R to put in, can do.
plain_hints <- function(hints) grep("`(!!|[{]{2})", hints, invert = TRUE, value = TRUE)

# All that an error says, in lines.
complaint_lines <- function(e) c(e$header, e$details, plain_hints(e$hints))
