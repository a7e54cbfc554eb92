# The command `desk`.

desk_options <- function() {
  options <- shell_arguments[c("layout", "port", "no_browser", "lookup",
    setdiff(names(display_options()), "columns"), reading_names, "help")]
  options$layout$help <- "a file with rows and columns of regions, for answers as tiles"
  options
}

desk_help_groups <- function() {
  c(list("The desk" = c("layout", "port", "no_browser", "help")),
    list("What to show" = setdiff(help_groups[["What to show"]], "layout")),
    help_groups["Reading the file"])
}

run_desk <- function(args) {
  options <- parse_with("desk", desk_options(), args)
  if (options$help) {
    return(show_help("desk"))
  }
  if (!length(options$file)) {
    stop_eggcrate("call", "option", "The file to read is missing.",
      i = "For example: eggcrate desk orders.csv")
  }
  display <- asked_display(options)
  port <- number_option(options$port, "--port")
  lookups <- lapply(options$lookup, lookup_text)
  reading <- reading_options(options)
  source <- with_lookups(open_source(options$file, reading = reading), lookups)
  on.exit(source_close(source))
  attach_usual_packages()
  study <- list(source = c(list(file = options$file), Filter(Negate(is.null), reading)),
    lookup = lookups, display = display)
  if (!is.null(options$layout)) table_given(options$layout)
  open_desk(source, study, options$layout, port, !options$no_browser)
  0L
}
