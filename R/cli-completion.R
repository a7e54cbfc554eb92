# Completion for shells, from the grammar: commands, options, what an option may be, files, and
# the columns of the file that is asked.

completion_shells <- c("bash", "zsh", "fish")

run_completion <- function(args) {
  if (length(args) == 2L && args[1L] == "columns") {
    write_out(completable_columns(args[2L]))
    return(0L)
  }
  if (length(args) != 1L || !args %in% completion_shells) {
    known <- length(args) == 1L && args %in% c("--help", "-h")
    if (known) write_out(completion_page()) else say(completion_page())
    return(if (known) 0L else 2L)
  }
  write_out(switch(args, bash = bash_lines(), zsh = zsh_lines(), fish = fish_lines()))
  0L
}

completion_page <- function() {
  c("Usage: eggcrate completion bash|zsh|fish", "",
    "Writes what the shell needs to complete commands, options, their values, files, and the",
    "columns of the file that is asked.", "", "Add to your shell's start-up file:",
    "  bash   eval \"$(eggcrate completion bash)\"", "  zsh    eval \"$(eggcrate completion zsh)\"",
    "  fish   eggcrate completion fish | source")
}

# What cannot be read has no columns to offer; that is said when it is asked.
completable_columns <- function(path) {
  names <- tryCatch({
    source <- open_source(path)
    on.exit(source_close(source))
    source_names(source)
  }, eggcrate_error = function(e) character())
  # A name that is not a plain name is in backticks.
  plain <- grepl("^[[:alpha:].][[:alnum:]_.]*$", names)
  names[!plain] <- sprintf("`%s`", names[!plain])
  names[plain | !grepl("[[:cntrl:]]|`.*`.*`", names)]
}

#' What may stand behind an option: words, "@file", "@column", or nothing to offer.
#' @noRd
completion_of <- function(command, name, option) {
  if (is.null(option$value)) {
    return(NULL) # takes no value
  }
  if (name == "table") {
    return(grammar_commands[[command]]$tables)
  }
  own <- completion_words()
  if (name %in% names(own)) {
    return(own[[name]])
  }
  switch(option$type %||% "", choice = option$choices, switch = c("yes", "no"), table = "@file",
    target = c("@file", "previous()", "year_ago()"), scheme = paste0(names(scheme_makers), "("),
    selection = c(paste0(names(selections), "("), "@column"), span = c("@column", relative_words()),
    split = split_rules, order = "@column",
    keys = c("@column", paste0(c(names(period_units), names(calendar_parts)), "(")),
    measure = c("@column", paste0(grep("^[a-z]", measure_language, value = TRUE), "(")),
    condition = c("@column", "in_period(", "is_missing(", "between("), character())
}

completion_words <- function() c(with_names(rep(list("@column"), length(column_settings())),
  vapply(column_settings(), display_option, "")), list(
  format = answer_formats, out = "@file", source = "@file", lookup = "@file", add_to = "@file",
  since = "@file", verify = "@file", chart = "@file", layout = "@file", unit = names(money_units),
  locale = names(number_marks), encoding = c("UTF-8", "latin1"), decimal = c(".", ","),
  dates = date_orders,
  figures = c("yes", "no"), size = "@column"
))

relative_words <- function() {
  c(paste0(c("latest", "current", "previous"), "(month)"), "year_ago(latest(month))",
    grep("_to_date$", relative_periods, value = TRUE))
}

# All commands with their options, as the shells are told of them.
completion_table <- function() {
  options <- lapply(with_names(names(grammar_commands), names(grammar_commands)), command_options)
  options$check <- check_options()
  options$run <- run_options()
  options$study <- study_options()
  options$desk <- desk_options()
  options$demo <- list(out = shell_arguments$out)
  options
}

completion_topics <- function() c(names(grammar_commands), names(other_commands), "language",
  "messages")
completion_commands <- function() c(names(grammar_commands), names(other_commands), "help")

single_quoted <- function(x) paste0("'", gsub("'", "'\\\\''", x), "'")

# bash and zsh -------------------------------------------------------------

# One function for both. A word is completed from its last name on, so that columns are offered
# inside `'sum(` too.
bash_lines <- function() {
  table <- completion_table()
  cases <- unlist(lapply(names(table), function(command) {
    options <- table[[command]]
    values <- lapply(with_names(names(options), names(options)),
      function(name) completion_of(command, name, options[[name]]))
    values <- values[!vapply(values, is.null, NA)]
    c(sprintf("    %s) echo %s ;;", command,
      single_quoted(paste(option_name(names(options)), collapse = " "))),
      sprintf("    %s:%s) echo %s ;;", command, option_name(names(values)),
        single_quoted(vapply(values, paste, "", collapse = " "))))
  }))
  c("# Completion of eggcrate for bash.",
    "_eggcrate_words() {", "  case \"$1\" in", cases, "    *) return 1 ;;", "  esac", "}",
    bash_function(), "complete -o nospace -F _eggcrate eggcrate")
}

bash_function <- function() {
  c("_eggcrate() {",
    paste("local cur=\"${COMP_WORDS[COMP_CWORD]}\" prev=\"\" command=\"${COMP_WORDS[1]}\" offered",
      "word head end IFS=$' \\t\\n'"),
    "  COMPREPLY=()",
    "  [ \"$COMP_CWORD\" -gt 1 ] && prev=\"${COMP_WORDS[COMP_CWORD-1]}\"",
    "  end=' '",
    "  if [ \"$COMP_CWORD\" -eq 1 ]; then",
    sprintf("    offered=%s", single_quoted(paste(completion_commands(), collapse = " "))),
    "  elif [ \"$command\" = help ]; then",
    sprintf("    offered=%s", single_quoted(paste(completion_topics(), collapse = " "))),
    "  elif [ \"$command\" = completion ]; then",
    sprintf("    offered=%s", single_quoted(paste(completion_shells, collapse = " "))),
    "  elif offered=$(_eggcrate_words \"$command:$prev\"); then",
    "    end=''",
    "  elif [ \"${cur#-}\" != \"$cur\" ]; then",
    "    offered=$(_eggcrate_words \"$command\")",
    "  else",
    "    offered=@file",
    "  fi",
    "  # Of a measure the last name is completed, within quotes too.",
    "  cur=\"${cur#[\\\"\\']}\"",
    "  head=\"\"",
    "  case \"$offered\" in *@column*) head=\"${cur%\"${cur##*[!A-Za-z0-9_.]}\"}\" ;; esac",
    "  for word in $offered; do",
    "    case \"$word\" in",
    "      @file)",
    "        while IFS= read -r word; do",
    "          if [ -d \"$word\" ]; then COMPREPLY+=(\"$word/\"); else COMPREPLY+=(\"$word \"); fi",
    "        done < <(compgen -f -- \"$cur\") ;;",
    "      @column)",
    "        while IFS= read -r word; do",
    "          case \"$head$word\" in \"$cur\"*) COMPREPLY+=(\"$head$word\") ;; esac",
    "        done < <(_eggcrate_columns) ;;",
    "      *) case \"$head$word\" in \"$cur\"*) COMPREPLY+=(\"$head$word$end\") ;; esac ;;",
    "    esac",
    "  done", "}",
    "# Columns of the first file among the words.",
    "_eggcrate_columns() {",
    "  local word", "  for word in \"${COMP_WORDS[@]:2}\"; do",
    "    if [ -f \"$word\" ]; then eggcrate completion columns \"$word\" 2>/dev/null; return; fi",
    "  done", "}")
}

zsh_lines <- function() {
  c("# Completion of eggcrate for zsh, by way of bash's.", "autoload -Uz compinit bashcompinit",
    "(( $+functions[compdef] )) || compinit", "bashcompinit", bash_lines()[-1L])
}

# fish ---------------------------------------------------------------------

fish_lines <- function() {
  table <- completion_table()
  helps <- c(vapply(grammar_commands, `[[`, "", "summary"),
    vapply(other_commands, `[[`, "", "summary"),
    help = "how to use a command")
  seen <- function(command) sprintf("-n '__fish_seen_subcommand_from %s'", command)
  c("# Completion of eggcrate for fish.", fish_columns(),
    sprintf("complete -c eggcrate -f -n __fish_use_subcommand -a %s -d %s", completion_commands(),
      single_quoted(helps[completion_commands()])),
    sprintf("complete -c eggcrate -f %s -a %s", seen("help"),
      single_quoted(paste(completion_topics(), collapse = " "))),
    sprintf("complete -c eggcrate -f %s -a %s", seen("completion"),
      single_quoted(paste(completion_shells, collapse = " "))),
    unlist(lapply(names(table), function(command) {
      vapply(names(table[[command]]),
        function(name) fish_option(command, name, table[[command]][[name]], seen), "")
    }), use.names = FALSE))
}

fish_option <- function(command, name, option, seen) {
  words <- completion_of(command, name, option)
  offered <- if (is.null(words)) "" else {
    plain <- setdiff(words, c("@file", "@column"))
    dynamic <- if ("@column" %in% words) "(__eggcrate_columns)"
    paste(if ("@file" %in% words) "-r -F" else "-x",
      if (length(c(plain, dynamic))) paste("-a",
        single_quoted(paste(c(gsub("([()])", "\\\\\\1", plain), dynamic), collapse = " "))))
  }
  help <- sub("%s", "", option$help, fixed = TRUE)
  trimws(sprintf("complete -c eggcrate %s -l %s -d %s %s", seen(command), gsub("_", "-", name),
    single_quoted(substr(sub("[,;:].*$", "", help), 1L, 60L)), offered))
}

fish_columns <- function() {
  c("function __eggcrate_columns",
    "  # The last name of the word is completed, so that columns are offered inside sum( too.",
    paste("set -l head (string replace -r '[A-Za-z0-9_.]*$' '' -- (commandline -ct | string trim",
      "-l -c '\"\\''))"),
    "  for word in (commandline -opc)[3..-1]",
    "    if test -f \"$word\"",
    "      for column in (eggcrate completion columns $word 2>/dev/null)",
    "        echo $head$column", "      end",
    "      return", "    end", "  end", "end")
}
