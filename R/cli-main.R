# The command: parse, ask one function, show. Standard output carries data only.

#' Run the command line
#'
#' What the command `eggcrate` does with its arguments: parses them, asks
#' the function of the same name, and writes the answer. Standard output carries
#' data only; errors, warnings and, with CSV, the receipt go to standard error.
#'
#' @param args The arguments, a character vector.
#' @returns The exit code, invisibly: 0; 1 for data that cannot answer; 2 for a
#'   question that cannot be asked.
#' @export
#' @examples
#' orders <- system.file("extdata", "orders.csv", package = "eggcrate")
#' run_command(c("standings", orders, "--of", "sum(net_sales)", "--by", "region"))
run_command <- function(args = commandArgs(TRUE)) {
  if (isatty(stderr())) {
    before <- options(eggcrate.progress = show_progress)
    on.exit(options(before))
  }
  status <- withCallingHandlers(
    tryCatch(in_utf8(dispatch(args)), error = report_error, interrupt = report_interrupt),
    warning = function(w) {
      say(paste("Warning:", conditionMessage(w)))
      invokeRestart("muffleWarning")
    }
  )
  invisible(status)
}

# What the command `eggcrate` runs: a process of its own with a temporary folder of its own. It
# tidies up after itself, and after those that could not.
run_alone <- function(args = commandArgs(TRUE)) {
  scratch <- Sys.getenv("EGGCRATE_SCRATCH")
  word_on_cut_file_()
  status <- run_command(args)
  # Nothing is removed that does not bear our name.
  if (startsWith(basename(scratch), ".eggcrate-")) {
    clear_litter(dirname(scratch))
    unlink(scratch, recursive = TRUE)
  }
  quit(save = "no", status = status)
}

dispatch <- function(args) {
  command <- if (length(args)) args[1L] else "--help"
  if (command == "help" && length(args) > 1L) {
    return(show_help(args[2L]))
  }
  if (command %in% c("--help", "-h", "help")) {
    if (length(args)) write_out(overview()) else say(overview())
    return(if (length(args)) 0L else 2L)
  }
  if (command == "--version") {
    write_out(paste("eggcrate", utils::packageVersion("eggcrate")))
    return(0L)
  }
  if (command == "demo") {
    return(run_demo(args[-1L]))
  }
  own <- switch(command, check = run_check, run = run_run, study = run_study_command,
    desk = run_desk)
  if (!is.null(own)) {
    return(own(args[-1L]))
  }
  if (command == "completion") {
    return(run_completion(args[-1L]))
  }
  if (!command %in% names(grammar_commands)) {
    known <- c(names(grammar_commands), names(other_commands))
    close <- close_names(command, known)
    stop_eggcrate("call", "unknown_command", sprintf("There is no command `%s`.", command),
      i = if (length(close)) sprintf("Did you mean %s?", enumerate(tick(close), "or")),
      i = sprintf("The commands are %s.", enumerate(tick(known))))
  }
  run_question(command, args[-1L])
}

# Errors -------------------------------------------------------------------

report_error <- function(e) {
  text <- conditionMessage(e)
  if (grepl("SIGPIPE", text, fixed = TRUE)) {
    return(0L) # the reader of our output has had enough
  }
  lines <- if (inherits(e, "eggcrate_error")) {
    c(shell_words(e$header), error_lines(e$details, shell_words(plain_hints(e$hints))))
  } else {
    strsplit(text, "\n", fixed = TRUE)[[1L]]
  }
  say(c(paste("eggcrate:", lines[1L]), if (length(lines) > 1L) paste0("  ", lines[-1L])))
  if (inherits(e, "eggcrate_error_call")) 2L else 1L
}

# Arguments as the options that they are here: `by = customer` is `--by customer`.
shell_words <- function(text) {
  given <- gregexpr("`([a-z_]+) = [^`]+`", text)
  regmatches(text, given) <- lapply(regmatches(text, given), function(calls) {
    vapply(calls, shell_option, "", USE.NAMES = FALSE)
  })
  arguments <- paste(c(names(grammar_arguments), names(shell_arguments)), collapse = "|")
  alone <- sprintf("(^|say )`(%s)`(?=( (is|must|needs|takes|cannot)\\b|[.]))", arguments)
  found <- regexpr(alone, text, perl = TRUE)
  regmatches(text, found) <- gsub("_", "-", sub("`", "`--", regmatches(text, found)), fixed = TRUE)
  text
}

shell_option <- function(call) {
  name <- sub("^`([a-z_]+) = .*$", "\\1", call)
  if (!name %in% c(names(grammar_arguments), names(shell_arguments))) {
    return(call)
  }
  value <- sub("^`[a-z_]+ = (.*)`$", "\\1", call)
  bare <- sub("^\"([^\"]*)\"$", "\\1", value)
  plain <- grepl("^[[:alnum:]_./,:-]+$", bare)
  sprintf("`%s %s`", option_name(name), if (plain) bare else shQuote(value, "sh"))
}

report_interrupt <- function(e) {
  say("eggcrate: interrupted. No incomplete files were left.")
  130L
}

say <- function(lines) writeLines(enc2utf8(lines), stderr(), useBytes = TRUE)

# Options ------------------------------------------------------------------

command_options <- function(command) {
  shell <- Filter(function(o) is.null(o$commands) || command %in% o$commands, shell_arguments)
  if (!is.null(shell$table)) {
    shell$table$help <- sprintf(shell$table$help,
      enumerate(grammar_commands[[command]]$tables, "or"))
    shell$draw$help <- sprintf(shell$draw$help, enumerate(grammar_commands[[command]]$charts, "or"))
  }
  c(arguments_of(command), shell)
}

show_help <- function(topic) {
  write_out(help_lines(topic))
  0L
}

parse_options <- function(command, args) {
  parse_with(command, command_options(command), args)
}

#' @return The options by name, and `file`.
#' @noRd
parse_with <- function(command, options, args) {
  given <- split_options(command, options, args)
  values <- lapply(with_names(names(options), names(options)), function(name) {
    of <- which(given$name == option_name(name))
    if (isTRUE(options[[name]]$repeated)) {
      if (length(of)) as.list(given$value[of])
    } else if (is.null(options[[name]]$value)) {
      length(of) > 0L
    } else if (length(of)) {
      given$value[of]
    }
  })
  given <- c(values, list(file = given$file))
  # All names are there, so that `$` takes no other that begins alike.
  all <- c(names(grammar_arguments), names(shell_arguments))
  c(given, with_names(vector("list", length(all)), all)[setdiff(all, names(given))])
}

#' Tells options, their values and files apart: a value may look like anything, such as -5, but
#' for another option.
#' @return `name` and `value` (missing where it takes none) of each option, and `file`.
#' @noRd
split_options <- function(command, options, args) {
  check_bytes(args, command)
  flags <- option_name(names(options))
  valued <- flags[!vapply(options, function(o) is.null(o$value), NA)]
  repeated <- flags[vapply(options, function(o) isTRUE(o$repeated), NA)]
  out <- list(name = character(), value = character(), file = character())
  at <- 1L
  while (at <= length(args)) {
    arg <- args[at]
    at <- at + 1L
    if (arg == "--" || arg == "-" || !startsWith(arg, "-")) {
      rest <- if (arg == "--") args[seq_along(args) >= at] else arg
      out$file <- c(out$file, rest)
      if (arg == "--") break
      next
    }
    name <- sub("=.*$", "", arg)
    joined <- name != arg
    takes <- name %in% valued
    if (!name %in% flags) stop_unknown_option(name, command, flags)
    if (joined && !takes) stop_option(command, "`%s` takes no value.", name)
    if (name %in% out$name && !name %in% repeated) {
      stop_option(command, "`%s` is given twice.", name)
    }
    if (takes && !joined && (at > length(args) || args[at] %in% flags)) {
      stop_option(command, "`%s` needs a value.", name)
    }
    value <- if (joined) substring(arg, nchar(name) + 2L) else if (takes) args[at] else NA
    if (takes && !joined) at <- at + 1L
    out$name <- c(out$name, name)
    out$value <- c(out$value, value)
  }
  out
}

check_bytes <- function(args, command) {
  wrong <- args[!validUTF8(args)]
  if (length(wrong)) {
    stop_option(command, "%s has bytes that are not UTF-8.",
      quoted(iconv(wrong[1L], "UTF-8", "UTF-8", sub = "byte")))
  }
}

stop_option <- function(command, text, ...) {
  stop_eggcrate("call", "option", sprintf(text, ...),
    i = sprintf("See `eggcrate %s --help`.", command))
}

stop_unknown_option <- function(name, command, flags) {
  close <- close_names(name, flags)
  stop_eggcrate("call", "option", sprintf("`eggcrate %s` has no option `%s`.", command, name),
    i = if (length(close)) sprintf("Did you mean %s?", enumerate(tick(close), "or")),
    i = sprintf("See `eggcrate %s --help`.", command))
}

# Questions ----------------------------------------------------------------

# The display settings of a command line.
asked_display <- function(options) {
  given <- Map(function(key, name) {
    asked_setting(options[[display_option(name)]], key, option_name(display_option(name)))
  }, display_keys, names(display_keys))
  do.call(new_display, Filter(Negate(is.null), given))
}

asked_setting <- function(given, key, option) {
  if (is.null(given)) return(NULL)
  switch(key$kind,
    text = given,
    number = suppressWarnings(as.numeric(given)),
    texts = unlist(given),
    columns = asked_columns_shown(given),
    names = texts_by_name(given, key, option),
    values = vapply(texts_by_name(given, key, option), number_option, 0, option),
    bars = asked_bars(given))
}

# "name=text", each: texts by name.
texts_by_name <- function(given, key, option) {
  given <- unlist(given)
  if (!all(grepl("^[^=]+=.", given))) {
    stop_eggcrate("call", "option", sprintf("%s must be %s, such as '%s'.", option, key$value,
      key$example))
  }
  with_names(sub("^[^=]+=", "", given), sub("=.*$", "", given))
}

# "customer, net_sales": names, without backticks.
asked_columns_shown <- function(text) {
  gsub("^`|`$", "", trimws(strsplit(text, ",", fixed = TRUE)[[1L]]))
}

# `units`, or `units=12000` for bars that end there.
asked_bars <- function(given) {
  given <- unlist(given)
  name <- sub("=.*$", "", given)
  end <- suppressWarnings(as.numeric(ifelse(grepl("=", given, fixed = TRUE),
    sub("^[^=]*=", "", given), NA)))
  if (any(!nzchar(name)) || any(is.na(end) & grepl("=", given, fixed = TRUE)) ||
    any(end <= 0, na.rm = TRUE)) {
    stop_eggcrate("call", "option",
      "--bars must be a column, or a column and where its bars end, such as 'units=12000'.")
  }
  with_names(end, name)
}

run_question <- function(command, args) {
  if ("--help" %in% args || "-h" %in% args) {
    return(show_help(command))
  }
  options <- parse_options(command, args)
  if (!length(options$file)) {
    stop_eggcrate("call", "option", "The file to read is missing.",
      i = sprintf("For example: eggcrate %s", grammar_commands[[command]]$example))
  }
  targets <- check_targets(options)
  table <- if (command %in% charting) {
    check_choice(options$table %||% "items", grammar_commands[[command]]$tables, "--table")
  }
  if (!is.null(options$draw)) check_choice(options$draw, grammar_commands[[command]]$charts,
    "--draw")
  if (!is.null(options$figures)) yes_or_no(options$figures, "--figures")
  options$command <- command
  check_tile_options(options)
  check_keep(options)
  display <- asked_display(options)
  with_display(display, ask_and_show(command, options, targets, table))
  if (!is.null(options$add_to)) keep_question(command, options, table, display)
  0L
}

ask_and_show <- function(command, options, targets, table) {
  lookups <- lapply(options$lookup, lookup_text)
  source <- with_lookups(open_source(options$file, reading = reading_options(options)), lookups)
  on.exit(source_close(source))
  x <- ask(command, asked_args(command, options), source)
  if (isTRUE(options$show_sql)) say(format(show_sql(x)))
  check_chosen(display("columns"), x)
  if (command %in% charting) say_unknown_names(options, x)
  if (command != "why") say_copies(x)
  switch(command, why = show_reasons(x, targets), findings = show_findings(x, targets),
    show_answer(x, options, targets, table))
}

# Reports duplicate files on standard error.
say_copies <- function(x) {
  told <- answer_of(x)$receipt
  copies <- told$note[told$fact == file_twice]
  if (length(copies)) say(sprintf("eggcrate: %s.", copies))
}

reading_options <- function(options) {
  reading <- options[reading_names]
  if (identical(reading$separator, "\\t")) reading$separator <- "\t"
  reading
}

show_reasons <- function(reasons, targets) {
  put_lines(switch(targets$format,
    table = format(reasons, width = terminal_width()),
    csv = csv_text(reasons, escape = !is.null(targets$out)),
    xlsx = answer_book(reasons, "items"),
    json = json_text(json_table(unclass(reasons))),
    html = html_lines(html_of(reasons))
  ), targets)
}

show_findings <- function(x, targets) {
  table <- unclass(as_plain(x))
  receipt <- receipt(x)
  put_lines(switch(targets$format,
    table = format(x, width = terminal_width()),
    csv = answer_csv(x, escape = !is.null(targets$out)),
    xlsx = answer_book(x, "items"),
    json = json_text(list(findings = findings_json(table),
      receipt = json_table(unclass(receipt)))),
    html = html_lines(html_of(x))
  ), targets)
  if (targets$format == "csv") say(receipt_lines(receipt))
}

# Looking through a file ---------------------------------------------------

# The report names duplicate files; it does not refuse them.
check_option_names <- function() c("table", "format", "out", "overwrite",
  setdiff(reading_names, "twice"), "help")

check_tables <- c("columns", "findings")

check_options <- function() {
  options <- shell_arguments[check_option_names()]
  options$table$help <- "which table to write as csv: columns or findings [columns]"
  options
}

run_check <- function(args) {
  options <- parse_with("check", check_options(), args)
  if (options$help) {
    return(show_help("check"))
  }
  if (!length(options$file)) {
    stop_eggcrate("call", "option", "No file is given.",
      i = "For example: eggcrate check orders.csv")
  }
  if (any(is_study_path(options$file))) {
    if (length(options$file) > 1L) stop_eggcrate("call", "option", "A study is checked alone.",
      i = "Check the other files in a second call.")
    return(check_study_file(options))
  }
  table <- check_choice(options$table %||% "columns", check_tables, "--table")
  targets <- check_targets(options)
  x <- check_sales(options$file, encoding = options$encoding %||% "UTF-8",
    separator = options$separator, decimal = options$decimal, dates = options$dates,
    sheet = options$sheet)
  lines <- switch(targets$format,
    table = format(x, width = terminal_width()),
    csv = csv_text(x[[table]], escape = !is.null(targets$out)),
    xlsx = check_book(x),
    json = json_text(lapply(unclass(x)[check_tables], json_table)),
    html = html_lines(html_of(x))
  )
  put_lines(lines, targets)
  0L
}

# The demo -----------------------------------------------------------------

run_demo <- function(args) {
  if (length(args) != 2L || args[1L] != "--out") {
    known <- length(args) == 1L && args %in% c("--help", "-h")
    if (known) write_out(demo_page()) else say(demo_page())
    return(if (known) 0L else 2L)
  }
  folder <- args[2L]
  if (!dir.exists(folder) && !dir.create(folder, showWarnings = FALSE, recursive = TRUE)) {
    stop_data("file", sprintf("The folder '%s' cannot be made.", folder))
  }
  files <- c(list.files(system.file("extdata", package = "eggcrate"), full.names = TRUE),
    demo_study())
  database <- if (has_demo_database()) "shop.db"
  to <- file.path(folder, basename(files))
  for (path in c(to, file.path(folder, database))) check_target(path, overwrite = FALSE)
  for (i in seq_along(files)) {
    write_whole(to[i], function(path) copy_into_(files[i], path, -1))
  }
  if (!is.null(database)) write_whole(file.path(folder, database), write_demo_database)
  say(sprintf("Wrote %s to %s.", enumerate(c(basename(files), database)), folder))
  0L
}
