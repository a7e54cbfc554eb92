# A question as it is asked elsewhere: as R code and as the command. Both follow from the grammar
# and from the signatures of the verbs.

#' @param args Arguments as `ask()` takes them, all names put in.
#' @param file Path of the order lines, as it is written; or a name, of a table of R.
#' @param reading Options by which the file is read, by name.
#' @return Lines of R code.
#' @noRd
r_code <- function(command, args, file, lookups = NULL, reading = NULL) {
  own <- grammar_commands[[command]]
  steps <- own$steps %||% own$verb
  # Tiers on the way are there where they are asked for.
  if (!command %in% "tiers" && is.null(args$scheme)) steps <- setdiff(steps, "assign_tiers")
  taken <- lapply(with_names(steps, steps),
    function(step) names(formals(getExportedValue("eggcrate", step))))
  given <- names(args)
  marks <- intersect(given, selecting)
  homes <- vapply(setdiff(given, marks), function(name) {
    steps[max(which(vapply(taken, function(names) name %in% names, NA)))]
  }, "")
  calls <- vapply(seq_along(steps), function(i) {
    mine <- names(homes)[homes == steps[i]]
    r_call(steps[i], if (i == 1L) r_source(file, lookups, reading), args[mine])
  }, "")
  lines <- c(calls, r_selections(args[marks]))
  piped(paste0(rep(c("", "  "), c(1L, length(lines) - 1L)), lines))
}

piped <- function(lines) paste0(lines, c(rep(" |>", length(lines) - 1L), ""))

r_call <- function(verb, first, args) {
  texts <- unlist(Map(function(name, value) sprintf("%s = %s", name, r_value(value, name)),
    names(args), args))
  sprintf("%s(%s)", verb, paste(c(first, texts), collapse = ", "))
}

# Selections are verbs of their own in R.
r_selections <- function(args) {
  cut <- if (!is.null(args$at_cut)) sprintf(", at_cut = \"%s\"", args$at_cut)
  c(if (!is.null(args$highlight)) {
    sprintf("highlight(%s%s)", paste(vapply(args$highlight, r_expression, ""), collapse = ", "),
      cut %||% "")
  }, if (!is.null(args$order_by)) sprintf("in_order(%s)", r_expression(args$order_by)),
    if (!is.null(args$only)) {
      sprintf("only(%s%s%s)", r_expression(args$only),
        if (isTRUE(args$others)) ", others = TRUE" else "", cut %||% "")
    })
}

r_value <- function(value, name) {
  type <- grammar_arguments[[name]]$type
  if (type %in% c("measure", "keys")) {
    texts <- vapply(value, r_expression, "", USE.NAMES = FALSE)
    named <- type == "measure" && any(grepl(named_shape, texts))
    return(if (length(texts) > 1L || named) sprintf("c(%s)", paste(texts, collapse = ", ")) else
      texts)
  }
  if (!is.character(value)) {
    return(if (is.numeric(value)) number_text(value) else as.character(value))
  }
  if (is_path_of(value, name)) {
    return(sprintf("read_sales(%s)", text_literal(value)))
  }
  switch(type,
    condition = , scheme = , selection = , order = r_expression(value),
    span = , target = ,
    label = if (is_named_call(parsed(value))) r_expression(value) else text_literal(value),
    names = sprintf("c(%s)", paste(text_literal(value), collapse = ", ")),
    text_literal(value))
}

named_shape <- "^[[:space:]]*[[:alpha:]][[:alnum:]_.]*[[:space:]]*=([^=]|$)"

# TRUE for relative periods such as `latest(month)`, FALSE for `2026-05`.
is_named_call <- function(x) is.call(x) && is.name(x[[1L]]) &&
  grepl("^[[:alpha:]]", as.character(x[[1L]]))

# A text of the language as R reads it: percentages in quotes, odd names in backticks.
r_expression <- function(text) {
  if (is.null(parsed(text))) tick(text) else quoted_percents(text)
}

parsed <- function(text) tryCatch(read_expression(text, "a text"),
  eggcrate_error = function(e) NULL)

# The order lines as an argument: paths, or the name of a table of R.
r_source <- function(file, lookups, reading = NULL) {
  code <- if (is.name(file)) tick_odd(as.character(file)) else
    if (length(file) > 1L) sprintf("c(%s)", paste(text_literal(file), collapse = ", ")) else
    text_literal(file)
  reading <- reading_given(reading, "twice")
  if (length(reading)) code <- sprintf("read_sales(%s, %s)", code,
    paste(names(reading), "=", text_literal(unlist(reading)), collapse = ", "))
  for (one in lookups) {
    by <- if (!is.null(one$by)) {
      names <- names(one$by) %||% rep("", length(one$by))
      sprintf(", by = c(%s)",
        paste(ifelse(nzchar(names), paste(tick_odd(names), "="), ""), tick_odd(one$by),
          collapse = ", "))
    }
    code <- sprintf("lookup(%s, %s%s)", code, text_literal(one$file), by %||% "")
  }
  code
}

# Reading options that are not the default ones.
reading_given <- function(source, without = character()) {
  given <- Filter(Negate(is.null),
    source[setdiff(intersect(reading_names, names(source)), without)])
  if (identical(given$encoding, "UTF-8")) given$encoding <- NULL
  given
}

# "customers.csv: customer = id".
shell_lookup <- function(one) {
  if (is.null(one$by)) {
    return(one$file)
  }
  names <- names(one$by) %||% rep("", length(one$by))
  sprintf("%s: %s", one$file,
    paste(ifelse(nzchar(names), paste0(names, " = ", one$by), one$by), collapse = ", "))
}

#' @return The command, one line.
#' @noRd
shell_code <- function(command, args, file, lookups = NULL, reading = NULL) {
  options <- unlist(Map(function(name, value) {
    if (isTRUE(value)) {
      if (grammar_arguments[[name]]$type == "switch") paste(option_name(name), "yes") else
        option_name(name)
    } else if (isFALSE(value)) {
      if (grammar_arguments[[name]]$type == "switch") paste(option_name(name), "no")
    } else {
      repeated <- isTRUE(grammar_arguments[[name]]$repeated)
      texts <- vapply(value, function(one) if (is.numeric(one)) number_text(one) else one, "")
      if (!repeated && length(texts) > 1L) texts <- list_text(texts, name)
      sprintf("%s %s", option_name(name), vapply(texts, shell_quoted, ""))
    }
  }, names(args), args))
  additional <- vapply(lookups, function(one) paste("--lookup", shell_quoted(shell_lookup(one))),
    "")
  reading <- reading_given(reading)
  additional <- c(additional,
    if (length(reading)) paste(option_name(names(reading)), vapply(reading, shell_quoted, "")))
  paste(c("eggcrate", command, vapply(file, shell_quoted, ""), additional, options), collapse = " ")
}

# Several columns or names as one text of the language.
list_text <- function(texts, name) {
  keys <- grammar_arguments[[name]]$type == "keys"
  sprintf("c(%s)", paste(if (keys) tick_odd(texts) else text_literal(texts), collapse = ", "))
}

shell_quoted <- function(x) if (grepl("^[[:alnum:]_./,:%@+-]+$", x)) x else shQuote(x, "sh")

# Display settings -----------------------------------------------------------

# The settings that are not the default ones, as they were given.
own_display <- function(display) {
  defaults <- new_display()
  plural <- display$plurals[display$labels]
  if (length(plural)) display$labels[!is.na(plural)] <- paste(display$labels, plural,
    sep = " | ")[!is.na(plural)]
  own <- Filter(Negate(is.null), display[intersect(names(display_keys), names(display))])
  own[!vapply(names(own), function(name) identical(own[[name]], defaults[[name]]), NA)]
}

#' @return A call of `display_settings()`; NULL if all settings are the default ones.
#' @noRd
r_display <- function(display) {
  own <- own_display(display)
  if (!is.null(own$bars) && all(is.na(own$bars))) own$bars <- names(own$bars)
  values <- vapply(own, function(value) {
    text <- if (is.character(value)) text_literal(value) else number_text(value)
    text[is.na(value)] <- "NA"
    if (!is.null(names(value))) text <- paste(tick_odd(names(value)), "=", text)
    if (length(text) > 1L || !is.null(names(value))) sprintf("c(%s)",
      paste(text, collapse = ", ")) else text
  }, "")
  if (length(own)) sprintf("display_settings(%s)", paste(names(own), "=", values, collapse = ", "))
}

#' @param command The command, which has not all of the settings.
#' @return Options of the command, one text; "" if all settings are the default ones.
#' @noRd
shell_display <- function(display, command) {
  own <- own_display(display)
  texts <- unlist(Map(function(name, values) {
    option <- display_option(name)
    if (!option %in% names(shell_options_of(command))) return(NULL)
    texts <- setting_texts(values, display_keys[[name]]$kind)
    paste(option_name(option), vapply(texts, shell_quoted, ""))
  }, names(own), own))
  paste(c("", texts), collapse = " ")
}

# A setting as the command line has it.
setting_texts <- function(values, kind) {
  texts <- if (is.numeric(values)) number_text(values) else values
  switch(kind, names = , values = sprintf("%s=%s", names(values), texts),
    bars = ifelse(is.na(values), names(values), sprintf("%s=%s", names(values), texts)),
    columns = paste(texts, collapse = ", "), texts)
}

# Options of the command line that this command accepts.
shell_options_of <- function(command) Filter(function(option) is.null(option$commands) ||
  command %in% option$commands, shell_arguments)

#' The question in words.
#' @noRd
question_words <- function(part, args) {
  own <- vapply(names(args), function(name) {
    value <- args[[name]]
    text <- if (isTRUE(value)) "yes" else if (isFALSE(value)) "no" else {
      paste(vapply(value, function(one) if (is.numeric(one)) number_text(one) else one, ""),
        collapse = ", ")
    }
    sprintf("%s: %s", gsub("_", " ", name), text)
  }, "")
  c(sprintf("%s: %s", part$command, grammar_commands[[part$command]]$summary), unname(own))
}
