# Help of the command: what one wants to see first comes first, and it fits the window.

# `eggcrate`, `eggcrate help`.
overview <- function(width = terminal_width()) {
  all <- c(grammar_commands, other_commands)
  c(
    "eggcrate ranks customers, products, regions or salespeople by sales.", "",
    "Usage: eggcrate COMMAND FILE [OPTIONS]",
    fold(paste("FILE is a CSV, TSV, Parquet or Excel file, a folder or 'pattern*.csv' of them, -",
      "for standard input, or a table of a database: sqlite:shop.db#orders."), width),
    "", "Commands:",
    two_columns(names(all), vapply(all, `[[`, "", "summary"), width), "",
    "Help:",
    two_columns(paste("eggcrate", c("COMMAND --help", "help language", "help messages")),
      c("the options of a command", "all that can be said in an expression",
        "exit codes, and where messages go"),
      width), "",
    "Example:", sprintf("  eggcrate demo --out demo && eggcrate %s",
      sub("orders.csv", "demo/orders.csv", grammar_commands$standings$example, fixed = TRUE))
  )
}

help_lines <- function(topic, width = terminal_width()) {
  topics <- c(names(grammar_commands), names(other_commands), "language", "messages")
  if (!topic %in% topics) {
    close <- close_names(topic, topics)
    stop_eggcrate("call", "option", sprintf("There is no help on `%s`.", topic),
      i = if (length(close)) sprintf("Did you mean %s?", enumerate(tick(close), "or")),
      i = sprintf("There is help on %s.", enumerate(tick(topics), most = 20L)))
  }
  switch(topic, language = language_page(width), messages = messages_page(width),
    check = command_page("check FILE [OPTIONS]", other_commands$check,
      check_options(), width),
    run = command_page("run STUDY --out FOLDER [OPTIONS]", other_commands$run, run_options(), width,
      study_help_groups()),
    study = c(command_page("study FILE [OPTIONS]", other_commands$study, study_options(), width,
      study_help_groups()), study_keys_page(width)),
    desk = command_page("desk FILE [OPTIONS]", other_commands$desk, desk_options(), width,
      desk_help_groups()),
    demo = demo_page(), completion = completion_page(),
    command_page(sprintf("%s FILE --of MEASURE --by COLUMN [OPTIONS]", topic),
      grammar_commands[[topic]], command_options(topic), width))
}

demo_page <- function() {
  c("Usage: eggcrate demo --out FOLDER", "",
    "Writes the demo order book, its companions and a study of it into a folder.")
}

command_page <- function(usage, described, options, width, groups = help_groups) {
  groups <- lapply(groups, intersect, names(options))
  groups <- groups[lengths(groups) > 0L]
  titles <- vapply(options, function(o) o$value %||% "", "")
  names <- trimws(paste(option_name(names(options)), titles))
  helps <- vapply(options, help_of, "")
  wide <- min(26L, width %/% 3L, max(nchar(names)))
  c(
    fold(sentence(described$summary), width), "", "Example:",
    paste("  eggcrate", described$example), "", # whole, to be copied
    sprintf("Usage: eggcrate %s", usage),
    unlist(lapply(names(groups), function(group) {
      at <- match(groups[[group]], names(options))
      c("", paste0(group, ":"), two_columns(names[at], helps[at], width, wide))
    }))
  )
}

messages_page <- function(width) {
  c(fold(paste(
    "Only the result goes to standard output, so you can pipe it. Messages, warnings and, with",
    "CSV, the receipt go to standard error."), width), "", "Exit codes:",
    two_columns(c("0", "1", "2", "130"), c("success, also if the result is empty",
      "data error: a file is missing, a cell cannot be read, an item does not exist",
      "usage error: an unknown option, column or word",
      "interrupted; no incomplete files were left"),
      width), "",
    fold(paste(
      "A message names the problem, its place (x) and a remedy (i). --out and --chart write a",
      "complete file or none, and replace a file only with --overwrite."), width))
}
