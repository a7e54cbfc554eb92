# Studies on the command line: check one, run one, begin one.

run_options <- function() {
  list(
    only = list(value = "NAME", help = "a part to run; may be repeated [all]", repeated = TRUE),
    set = list(value = "NAME=VALUE",
      help = "another value in the place of one in [values], such as limit=160000; may be repeated",
      repeated = TRUE),
    as_of = list(value = "DATE",
      help = "the day that counts as today [that of the study, else the latest in the data]"),
    source = list(value = "FILE", help = "another file of order lines [that of the study]"),
    out = list(value = "FOLDER",
      help = "folder to write: page, workbook, tables, charts, receipts"),
    overwrite = list(help = "replace the folder, if a run has made it"),
    since = list(value = "FOLDER",
      help = "an earlier run to compare with [the folder that is replaced]"),
    pdf = list(help = "also write the page as PDF, if Chromium is installed"),
    verify = list(value = "FOLDER",
      help = paste("re-run and check that the files are identical to those in that folder;",
        "writes nothing")),
    quiet = list(help = "print no progress"),
    help = shell_arguments$help)
}

study_options <- function() {
  c(list(out = list(value = "FILE", help = "the study to write [the file's name, with .toml]")),
    shell_arguments[c(reading_names, "help")])
}

study_help_groups <- function() list("What to run" = c("only", "set", "as_of", "source"),
  "Reading the file" = reading_names,
  "Writing" = c("out", "overwrite", "since", "pdf", "verify", "quiet", "help"))

one_file <- function(options, command, what) {
  if (length(options$file) != 1L) {
    stop_eggcrate("call", "option", sprintf("One %s at a time.", what),
      i = sprintf("For example: eggcrate %s", other_commands[[command]]$example))
  }
  options$file
}

run_run <- function(args) {
  options <- parse_with("run", run_options(), args)
  if (isTRUE(options$help)) {
    return(show_help("run"))
  }
  path <- one_file(options, "run", "study is run")
  asked <- list(as_of = options$as_of, only = unlist(options$only), set = asked_set(options$set),
    source = options$source)
  tell <- if (isTRUE(options$quiet)) function(line) invisible() else say
  attach_usual_packages()
  if (!is.null(options$verify)) {
    return(show_verified(verify_run(path, options$verify, tell), options$verify))
  }
  if (is.null(options$out)) {
    stop_eggcrate("call", "option", "Name the folder to write: `--out FOLDER`.",
      i = sprintf("For example: eggcrate %s", other_commands$run$example))
  }
  run <- run_into(path, options$out, asked, isTRUE(options$overwrite), options$since,
    isTRUE(options$pdf), tell)
  failed <- attr(run, "failed")
  if (failed) {
    say(sprintf("eggcrate: %s could not be answered; see messages.csv.", counted(failed, "part")))
  }
  if (failed) 1L else 0L
}

# "limit=160000".
asked_set <- function(given) {
  given <- unlist(given)
  if (length(given) && !all(grepl("^[^=]+=.", given))) {
    stop_eggcrate("call", "option", "--set must be a name and a value, such as 'limit=160000'.")
  }
  as.list(with_names(sub("^[^=]+=", "", given), trimws(sub("=.*$", "", given))))
}

show_verified <- function(found, folder) {
  write_out(c(sprintf("%s: %s.", folder,
    if (!length(found$differs)) "a run gives the same bytes" else
    sprintf("%s of %d differ", counted(length(found$differs), "file"), found$files)),
    if (length(found$differs)) c(paste0("  ", utils::head(found$differs, 20L)),
      if (length(found$differs) > 20L) "  ..."),
    if (length(found$why)) paste("Why:", found$why)))
  if (length(found$differs)) 1L else 0L
}

check_study_file <- function(options) {
  given <- Filter(function(name) !is.null(options[[name]]), c(reading_names, "table"))
  if (length(given)) {
    stop_eggcrate("call", "option",
      sprintf("`%s` is about a file of order lines, and this is a study.", option_name(given[1L])),
      i = "A study says in [source] how its file is read.")
  }
  targets <- check_targets(options)
  x <- check_study(options$file)
  attach_usual_packages()
  put_lines(switch(targets$format,
    table = format(x, width = terminal_width()),
    csv = csv_text(x$problems, escape = !is.null(targets$out)),
    json = json_text(lapply(unclass(x)[c("parts", "problems")], json_table)),
    html = html_lines(html_of(x))), targets)
  if (nrow(x$problems)) 2L else 0L
}

run_study_command <- function(args) {
  options <- parse_with("study", study_options(), args)
  if (isTRUE(options$help)) {
    return(show_help("study"))
  }
  file <- one_file(options, "study", "file of order lines begins a study")
  path <- options$out %||% paste0(tools::file_path_sans_ext(basename(file)), ".toml")
  check_target(path, overwrite = FALSE)
  lines <- begin_study(file, reading_options(options), path)
  write_whole(path, function(path) write_new_(enc2utf8(lines), path))
  say_written(path)
  say(sprintf("Next: eggcrate run %s --out %s", path, sub("[.]toml$", "", path)))
  0L
}

# The keys of a study, from the tables that the reader uses.
study_keys_page <- function(width) {
  keys <- function(title, table) {
    helps <- vapply(Filter(function(key) !is.null(key$help), table), `[[`, "", "help")
    c("", title, two_columns(names(helps), helps, width))
  }
  c(keys("Keys of a study, a TOML file:", study_keys), keys("In [source]:", source_keys),
    keys("In a [[part]], in addition to the options of its command:", part_keys))
}

# Keeping a question -------------------------------------------------------

# Before anything is asked: a study that cannot take it is said at once.
check_keep <- function(options) {
  if (is.null(options$add_to)) {
    if (!is.null(options$part)) {
      stop_eggcrate("call", "option", "`--part` is about a study, and none is named.",
        i = "Name it: `--add-to review.toml`.")
    }
    return(invisible())
  }
  if (!is_study_path(options$add_to)) {
    stop_eggcrate("call", "option",
      sprintf("A study is a .toml file, but '%s' is not.", options$add_to))
  }
  if ("-" %in% options$file) {
    stop_eggcrate("call", "option", "Standard input cannot be asked again.",
      i = "Write it into a file first.")
  }
  need_package("RcppTOML", "write a study")
  check_target(options$add_to, overwrite = TRUE)
  known <- if (file.exists(options$add_to)) part_names_in(study_text(options$add_to),
    options$add_to, options$file) else character()
  part_name(options$part, list(command = "part"), known)
}

keep_question <- function(command, options, table, display) {
  args <- asked_args(command, options)
  of_tables <- table_args(args)
  args[of_tables] <- options[of_tables] # by their paths
  name <- keep_part(asked_record(command, args), options$add_to, options$part,
    kept_as_shown(command, options, table), options$file,
    reading_options(options), display, lookups = lapply(options$lookup, lookup_text))
  say(sprintf("Added part %s to %s.", quoted(name), options$add_to))
}

# What is said of pictures and tables, where it is no argument of the question.
kept_as_shown <- function(command, options, table) {
  shown <- options[setdiff(names(pictures_of(command)), names(arguments_of(command)))]
  shown$centre <- number_option(shown$centre, "--centre")
  shown$figures <- figures_asked(shown)
  shown$shares <- asked_parts(options, table %||% "items")
  shown$tables <- if (!is.null(table) && table != "items") union("items", table)
  shown$charts <- options$draw %||%
    if (!is.null(options$layout)) "tiles" else if (isTRUE(options$ranks)) "ranks"
  shown
}
