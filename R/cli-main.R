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
    tryCatch(dispatch(args), error = report_error, interrupt = function(e) 130L),
    warning = function(w) {
      say(paste("Warning:", conditionMessage(w)))
      invokeRestart("muffleWarning")
    }
  )
  invisible(status)
}

dispatch <- function(args) {
  command <- if (length(args)) args[1L] else "--help"
  if (command %in% c("--help", "-h", "help")) {
    writeLines(overview(), if (length(args)) stdout() else stderr())
    return(if (length(args)) 0L else 2L)
  }
  if (command == "--version") {
    writeLines(paste("eggcrate", utils::packageVersion("eggcrate")))
    return(0L)
  }
  if (command == "demo") {
    return(run_demo(args[-1L]))
  }
  if (command == "check") {
    return(run_check(args[-1L]))
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

overview <- function() {
  all <- c(grammar_commands, other_commands)
  wide <- max(nchar(names(all)))
  c(
    "eggcrate ranks customers, products, regions or salespeople by sales.", "",
    "Usage: eggcrate COMMAND FILE [OPTIONS]", "", "Commands:",
    sprintf("  %s  %s", format(names(all), width = wide), vapply(all, `[[`, "", "summary")), "",
    "eggcrate COMMAND --help shows the options of a command.", "",
    "Example:", sprintf("  eggcrate demo --out demo && eggcrate %s",
      sub("orders.csv", "demo/orders.csv", grammar_commands$standings$example, fixed = TRUE))
  )
}

# Errors -------------------------------------------------------------------

report_error <- function(e) {
  text <- conditionMessage(e)
  if (grepl("SIGPIPE", text, fixed = TRUE)) {
    return(0L) # the reader of our output has had enough
  }
  lines <- strsplit(text, "\n", fixed = TRUE)[[1L]]
  say(c(paste("eggcrate:", lines[1L]), if (length(lines) > 1L) paste0("  ", lines[-1L])))
  if (inherits(e, "eggcrate_error_call")) 2L else 1L
}

say <- function(lines) writeLines(lines, stderr())

# Options ------------------------------------------------------------------

command_options <- function(command) {
  shell <- Filter(function(o) is.null(o$commands) || command %in% o$commands, shell_arguments)
  if (!is.null(shell$table)) {
    shell$table$help <- sprintf(shell$table$help,
      enumerate(grammar_commands[[command]]$tables, "or"))
  }
  own <- grammar_arguments[grammar_commands[[command]]$arguments]
  # What an argument means to this command, where that is something else.
  other <- grammar_commands[[command]]$help
  own[names(other)] <- Map(function(argument, help) replace(argument, "help", help),
    own[names(other)], other)
  c(own, shell)
}

option_parser <- function(command) {
  make_parser(sprintf("eggcrate %s FILE --of MEASURE --by COLUMN [OPTIONS]", command),
    grammar_commands[[command]], command_options(command))
}

make_parser <- function(usage, described, options) {
  make <- function(name, option) {
    flag <- is.null(option$value)
    optparse::make_option(paste0("--", gsub("_", "-", name)), dest = name,
      type = if (flag) "logical" else "character", action = if (flag) "store_true" else "store",
      default = if (flag) FALSE, metavar = option$value, help = option$help)
  }
  optparse::OptionParser(
    usage = usage, prog = "eggcrate", description = sprintf("\n%s", sentence(described$summary)),
    epilogue = sprintf("Example:\n  eggcrate %s", described$example),
    option_list = unname(Map(make, names(options), options)), add_help_option = FALSE
  )
}

sentence <- function(x) paste0(toupper(substr(x, 1L, 1L)), substring(x, 2L), ".")

parse_options <- function(command, args) {
  parse_with(option_parser(command), command, command_options(command), args)
}

#' @return The options by name, and `file`.
#' @noRd
parse_with <- function(parser, command, options, args) {
  check_options(command, options, args)
  parsed <- tryCatch(
    optparse::parse_args2(parser, args, print_help_and_exit = FALSE),
    error = function(e) {
      stop_eggcrate("call", "option",
        sprintf("The options cannot be read: %s.", sub("[.]?\n*$", "", conditionMessage(e))),
        i = sprintf("See `eggcrate %s --help`.", command))
    }
  )
  repeated <- names(Filter(function(o) isTRUE(o$repeated), options))
  parsed$options[repeated] <- lapply(repeated, repeated_values, args = args)
  given <- c(parsed$options, list(file = parsed$args))
  # All names are there, so that `$` takes no other that begins alike.
  all <- c(names(grammar_arguments), names(shell_arguments))
  c(given, with_names(vector("list", length(all)), all)[setdiff(all, names(given))])
}

# The parser keeps the last of an option that is repeated.
repeated_values <- function(name, args) {
  option <- paste0("--", gsub("_", "-", name))
  joined <- startsWith(args, paste0(option, "="))
  after <- c(FALSE, args[-length(args)] == option)[seq_along(args)]
  values <- args
  values[joined] <- substring(args[joined], nchar(option) + 2L)
  found <- as.list(values[joined | after])
  if (length(found)) found
}

# An option that does not exist is named, with a close one.
check_options <- function(command, options, args) {
  flags <- paste0("--", gsub("_", "-", names(options)))
  valued <- flags[!vapply(options, function(o) is.null(o$value), NA)]
  values <- c(FALSE, args[-length(args)] %in% valued) # what follows an option is its value
  given <- args[!values[seq_along(args)]]
  given <- sub("=.*$", "", given[grepl("^-", given) & nchar(given) > 1L])
  unknown <- setdiff(given, c(flags, "-h"))
  if (length(unknown)) {
    close <- close_names(unknown[1L], flags)
    stop_eggcrate("call", "option",
      sprintf("`eggcrate %s` has no option `%s`.", command, unknown[1L]),
      i = if (length(close)) sprintf("Did you mean %s?", enumerate(tick(close), "or")),
      i = sprintf("See `eggcrate %s --help`.", command))
  }
}

# Questions ----------------------------------------------------------------

set_display <- function(options) {
  given <- unlist(options$label)
  if (length(given) && !all(grepl("^[^=]+=.", given))) {
    stop_eggcrate("call", "option",
      "--label must be a name and what to show, such as 'net_sales=Net sales'.")
  }
  labels <- if (length(given)) with_names(sub("^[^=]+=", "", given), sub("=.*$", "", given))
  decimals <- if (!is.null(options$decimals)) suppressWarnings(as.numeric(options$decimals))
  display_settings(labels = labels, currency = options$currency, unit = options$unit %||% "one",
    decimals = decimals, percent = unlist(options$percent), language = options$language %||% "en")
}

run_question <- function(command, args) {
  if ("--help" %in% args || "-h" %in% args) {
    optparse::print_help(option_parser(command))
    return(0L)
  }
  options <- parse_options(command, args)
  if (length(options$file) != 1L) {
    stop_eggcrate("call", "option",
      if (length(options$file)) {
        sprintf("One file is asked at a time, not %d.", length(options$file))
      } else {
        "The file to read is missing."
      },
      i = sprintf("For example: eggcrate %s", grammar_commands[[command]]$example))
  }
  targets <- check_targets(options)
  table <- if (command %in% charting) {
    check_choice(options$table %||% "items", grammar_commands[[command]]$tables, "--table")
  }
  if (!is.null(options$figures)) yes_or_no(options$figures, "--figures")
  before <- set_display(options)
  on.exit(base::options(eggcrate.display = before))
  x <- ask(command, options)
  switch(command, why = show_reasons(x, options, targets), findings = show_findings(x, targets),
    show_answer(x, options, targets, table))
  0L
}

show_reasons <- function(x, options, targets) {
  if (is.null(options$item)) {
    stop_expression("`item` is missing.",
      hint = "Say which item to explain, such as --item 'Varlow Boatyard'.")
  }
  reasons <- why(x, options$item)
  put_lines(switch(targets$format,
    table = format(reasons),
    csv = csv_lines(reasons, escape = !is.null(targets$out)),
    json = release_numbers(jsonlite::toJSON(json_table(unclass(reasons)), na = "null", pretty = 1)),
    stop_eggcrate("call", "option", "The reasons have no HTML form.",
      i = "Use --format table, csv or json.")
  ), targets$out)
}

show_findings <- function(x, targets) {
  table <- unclass(as_plain(x))
  receipt <- receipt(x)
  put_lines(switch(targets$format,
    table = format(x, width = terminal_width()),
    csv = csv_lines(
      as.data.frame(replace(table, "items", list(vapply(table$items, paste, "", collapse = "; ")))),
      escape = !is.null(targets$out)),
    json = release_numbers(
      jsonlite::toJSON(list(findings = findings_json(table),
        receipt = json_table(unclass(receipt))), na = "null", pretty = 1)),
    stop_eggcrate("call", "option", "Findings have no HTML form.",
      i = "Use --format table, csv or json.")
  ), targets$out)
  if (targets$format == "csv") say(receipt_lines(receipt))
}

findings_json <- function(table) {
  lapply(seq_along(table$kind), function(i) {
    list(kind = jsonlite::unbox(table$kind[i]), finding = jsonlite::unbox(table$finding[i]),
      value = jsonlite::unbox(table$value[i]), items = table$items[[i]])
  })
}

ask <- function(command, options) {
  reading <- options[c("encoding", "separator", "decimal", "dates", "sheet")]
  if (identical(reading$separator, "\\t")) reading$separator <- "\t"
  asked <- with_names(options[words], words)
  given <- Map(`%||%`, with_names(lapply(rules, function(rule) options[[rule]]), rules),
    default_rules()[rules])
  if (!is.null(given$all_items)) given$all_items <- read_sales(given$all_items)
  x <- switch(command,
    standings = ask_standings(options$file, asked, given, reading = reading),
    pareto = ask_pareto(options$file, asked, given, options$reach %||% "80%", reading = reading),
    tiers = ask_tiers(options$file, asked, given, options$scheme, options$compare_with, reading),
    quadrants = ask_quadrants(options$file, asked, options$against, given,
      options[c("split_of", "split_against")], text_values(options$groups, "groups"),
      options$near %||% "5%", reading = reading),
    changes = ask_changes(options$file, asked, given, options[c("from", "to")],
      options$tolerance %||% 0, number_option(options$lost_after, "--lost-after"),
      reading = reading),
    targets = ask_targets(options$file, asked, given,
      read_target(options$target %||% stop_no_target()),
      number_option(options$exceed_at, "--exceed-at") %||% 1, options$incomplete, options$prorate,
      reading = reading),
    extremes = extremes(ask_standings(options$file, asked, given, reading = reading)),
    grid = ask_grid(options$file, asked, options$across, given, shading_options(options),
      reading = reading),
    movement = ask_movement(options$file, asked, given,
      read_scheme(options$scheme %||% "tiers_equal(4)"), options[c("from", "to")],
      reading = reading),
    concentration = ask_concentration(options$file, asked, given, options$compare_with, reading),
    firmness = put_firmness(ask_standings(options$file, asked, given, reading = reading),
      read_expression(options$orders, "orders"), number_option(options$times, "--times") %||% 1000,
      options$level %||% "90%", number_option(options$seed, "--seed") %||% 1),
    findings = ask_findings(options, asked, given, reading),
    why = ask_tiers(options$file, asked, given, options$scheme, NULL, reading, required = FALSE)
  )
  select_asked(x, options)
}

# The same question of other rows.
ask_earlier <- function(file, asked, given, compare_with, reading) {
  if (!is.null(compare_with)) {
    ask_standings(file, replace(asked, "where", list(compare_with)), given, reading = reading)
  }
}

ask_concentration <- function(file, asked, given, compare_with, reading) {
  measure_concentration(ask_standings(file, asked, given, reading = reading),
    ask_earlier(file, asked, given, compare_with, reading))
}

ask_findings <- function(options, asked, given, reading) {
  x <- ask_standings(options$file, replace(asked, "over", list(NULL)), given, reading = reading)
  if (!is.null(options$scheme)) x <- put_tiers(x, read_scheme(options$scheme))
  find_all(x, options$over, options$against, number_option(options$top, "--top") %||% 10)
}

# Measures that do not add up have no tiers by share: `required` or not.
ask_tiers <- function(file, asked, given, scheme, compare_with, reading, required = TRUE) {
  if (is.null(scheme) && !required) {
    return(ask_standings(file, asked, given, reading = reading))
  }
  scheme <- read_scheme(scheme %||% "tiers_by_share(c(A = \"80%\", B = \"95%\"), rest = \"C\")")
  x <- ask_standings(file, asked, given, reading = reading)
  put_tiers(x, scheme, ask_earlier(file, asked, given, compare_with, reading))
}

shading_options <- function(options) {
  lines <- c("floor", "target", "ceiling", "centre")
  c(list(shade = options$shade %||% "rank", along = options$along %||% "all"),
    lapply(with_names(lines, lines),
      function(name) number_option(options[[name]], paste0("--", name))))
}

number_option <- function(x, arg) {
  if (is.null(x)) {
    return(NULL)
  }
  number <- suppressWarnings(as.numeric(x))
  if (is.na(number)) {
    stop_eggcrate("call", "option", sprintf("%s must be a number, not %s.", arg, describe(x)))
  }
  number
}

# `c("a", "b")` as text: plain values, never run as R code.
text_values <- function(x, arg) if (!is.null(x)) plain_value(expr <- read_expression(x, arg), expr)

select_asked <- function(x, options) {
  at_cut <- options$at_cut %||% "keep"
  if (!is.null(options$highlight)) x <- mark_items(x, options$highlight, at_cut)
  if (!is.null(options$only)) x <- keep_only(x, options$only, options$others, at_cut)
  x
}

# Looking through a file ---------------------------------------------------

check_options_table <- c("format", "out", "overwrite", "encoding", "separator", "decimal", "dates",
  "sheet", "help")

run_check <- function(args) {
  options <- parse_with(check_parser(), "check", shell_arguments[check_options_table], args)
  if (options$help) {
    optparse::print_help(check_parser())
    return(0L)
  }
  if (length(options$file) != 1L) {
    stop_eggcrate("call", "option", "One file is looked through at a time.",
      i = "For example: eggcrate check orders.csv")
  }
  targets <- check_targets(options)
  x <- check_sales(options$file, encoding = options$encoding %||% "UTF-8",
    separator = options$separator, decimal = options$decimal, dates = options$dates,
    sheet = options$sheet)
  lines <- switch(targets$format,
    table = format(x, width = terminal_width()),
    csv = csv_lines(x$columns, escape = !is.null(targets$out)),
    json = release_numbers(
      jsonlite::toJSON(lapply(unclass(x)[c("columns", "findings")], json_table), na = "null",
        pretty = 1))
  )
  put_lines(lines, targets$out)
  0L
}

check_parser <- function() {
  make_parser("eggcrate check FILE [OPTIONS]", other_commands$check,
    shell_arguments[check_options_table])
}

# The demo -----------------------------------------------------------------

run_demo <- function(args) {
  if (length(args) != 2L || args[1L] != "--out") {
    known <- length(args) == 1L && args %in% c("--help", "-h")
    writeLines(c("Usage: eggcrate demo --out FOLDER", "",
      "Writes the demo order book and its companions into a folder."),
      if (known) stdout() else stderr())
    return(if (known) 0L else 2L)
  }
  folder <- args[2L]
  if (!dir.exists(folder) && !dir.create(folder, showWarnings = FALSE, recursive = TRUE)) {
    stop_data("file", sprintf("The folder '%s' cannot be made.", folder))
  }
  files <- list.files(system.file("extdata", package = "eggcrate"), full.names = TRUE)
  taken <- file.exists(file.path(folder, basename(files)))
  if (any(taken)) stop_file_exists(file.path(folder, basename(files)[taken][1L]))
  file.copy(files, folder)
  say(sprintf("Wrote %s to %s.", enumerate(basename(files)), folder))
  0L
}
