# Names of a study: measures, values, schemes and selections that parts use and that use each
# other. A name is put in as the text that it stands for, so that a part is the same question as
# the one that is asked alone.

#' @param tables Nodes of the tables of definitions, by their kind.
#' @param set Values that take the place of those in the file, by name, as text.
#' @return By name: `kind`, `text` (what is put in), `value` (of a constant), `line`.
#' @noRd
study_names <- function(tables, set, note) {
  found <- list()
  for (kind in definition_kinds) {
    entries <- tables[[kind]]$entries
    for (name in names(entries)) {
      node <- entries[[name]]
      if (!grepl("^[[:alpha:]][[:alnum:]_.]*$", name)) {
        note(node$line, sprintf("`%s` cannot be a name in [%s].", name, kind),
          "Use letters, digits and _. The first character must be a letter.")
      } else if (name %in% c(own_columns, names(row_language()), language_names())) {
        note(node$line, sprintf("`%s` is a word of the language already.", name),
          "Call it otherwise.")
      } else if (!is.null(found[[name]])) {
        note(node$line, sprintf("`%s` is in [%s] and in [%s].", name, found[[name]]$kind, kind),
          "Each name has one meaning.")
      } else {
        found[[name]] <- definition(node, name, kind, note)
      }
    }
  }
  set_values(found, set)
}

# Words that a bare name may be in an expression.
language_names <- function() {
  c(names(period_units), names(calendar_parts), "year_to_date", "quarter_to_date", "month_to_date",
    "TRUE", "FALSE", "NA")
}

definition <- function(node, name, kind, note) {
  if (kind == "values") {
    value <- constant_of(node)
    if (is.null(value)) {
      note(node$line,
        sprintf("`%s` must be a number, a text, true, false, a date or a list of such, not %s.",
          name,
          node_words(node)), NULL)
      return(NULL)
    }
    return(c(list(kind = kind, line = node$line), value))
  }
  if (node$kind != "text") {
    note(node$line, sprintf("`%s` must be text in quotes, not %s.", name, node_words(node)), NULL)
    return(NULL)
  }
  wrong <- tryCatch({
    read_expression(node$value, name)
    NULL
  }, eggcrate_error = identity)
  if (!is.null(wrong)) {
    note(node$line, wrong$header, c(wrong$details, wrong$hints))
    return(NULL)
  }
  list(kind = kind, line = node$line, text = node$value)
}

# `value` as R has it, and `text` as the language writes it.
constant_of <- function(node) {
  if (node$kind == "list") {
    items <- lapply(node$items, constant_of)
    if (!length(items) || any(vapply(items, is.null, NA)) ||
      length(unique(vapply(node$items, `[[`, "", "kind"))) > 1L) {
      return(NULL)
    }
    return(list(value = unlist(lapply(items, `[[`, "value")),
      text = sprintf("c(%s)", paste(vapply(items, `[[`, "", "text"), collapse = ", "))))
  }
  switch(node$kind,
    number = if (is.finite(node$value)) list(value = node$value, text = node$text),
    text = , date = list(value = node$value, text = text_literal(node$value)),
    flag = list(value = node$value, text = if (node$value) "TRUE" else "FALSE"))
}

# `--set limit=160000`: another value for this run, of the same kind.
set_values <- function(names, set) {
  for (name in names(set)) {
    known <- names(Filter(function(one) one$kind == "values", names))
    if (!name %in% known) {
      close <- close_names(name, known)
      stop_eggcrate("call", "unknown_value",
        sprintf("There is no value `%s` in the study to set.", name),
        i = if (length(close)) sprintf("Did you mean %s?", enumerate(tick(close), "or")),
        i = if (length(known)) sprintf("Its values are %s.", enumerate(tick(known))))
    }
    text <- set[[name]]
    if (is.numeric(names[[name]]$value)) {
      number <- suppressWarnings(as.numeric(text))
      if (length(number) != 1L || !is.finite(number)) {
        stop_eggcrate("call", "unknown_value",
          sprintf("`%s` is a number in the study, but %s is not a number.", name, describe(text)))
      }
      names[[name]][c("value", "text")] <- list(number,
        if (is.character(text)) text else number_text(text))
    } else {
      text <- as.character(text)
      names[[name]][c("value", "text")] <- list(text, text_literal(text))
    }
  }
  names
}

# Putting in ---------------------------------------------------------------

# Names that use each other twice double the text at each level.
longest_text <- 10000L

#' Every definition with the names in it put in; those that come back to themselves are noted.
#' @noRd
resolve_names <- function(names, note) {
  done <- list()
  resolve <- function(name, path) {
    if (!is.null(done[[name]])) return(done[[name]])
    one <- names[[name]]
    if (name %in% path) {
      note(one$line,
        sprintf("`%s` goes in a circle: %s.", name,
          paste(c(path[match(name, path):length(path)], name),
            collapse = " -> ")), "One of them must not use the others.")
      one$broken <- TRUE
      return(one)
    }
    if (one$kind != "values") {
      kinds <- switch(one$kind, measures = c("measures", "values"),
        schemes = c("measures", "values"), c("selections", "values"))
      for (inner in names_in(one$text, names, kinds)) {
        part <- resolve(inner, c(path, name))
        if (isTRUE(part$broken)) one$broken <- TRUE
      }
      if (!isTRUE(one$broken)) one$text <- put_in(one$text, c(done, list()), kinds)
      if (nchar(one$text) > longest_text) {
        note(one$line,
          sprintf("`%s` is longer than %s characters after its names are replaced.", name,
            count_text(longest_text)), NULL)
        one$broken <- TRUE
      }
    }
    done[[name]] <<- one
    one
  }
  for (name in names(names)) resolve(name, character())
  done[names(names)]
}

# A bare name: not that of a function or of an argument, and not within quotes.
bare_names <- "(?<![\\p{L}0-9_.$@])[\\p{L}][\\p{L}0-9_.]*(?![\\p{L}0-9_.])(?!\\s*\\()(?!\\s*=(?!=))"
in_quotes <- "\"(?:[^\"\\\\]|\\\\.)*\"|'(?:[^'\\\\]|\\\\.)*'|`[^`]*`"

# Which names are in a text, of those of some kinds.
names_in <- function(text, names, kinds) {
  outside <- regmatches(text, gregexpr(in_quotes, text, perl = TRUE), invert = TRUE)[[1L]]
  found <- unique(unlist(regmatches(outside, gregexpr(bare_names, outside, perl = TRUE))))
  found[vapply(found, function(name) isTRUE(names[[name]]$kind %in% kinds), NA)]
}

put_in <- function(text, names, kinds) {
  if (!length(names_in(text, names, kinds))) {
    return(text)
  }
  whole <- trimws(text)
  if (!is.null(names[[whole]])) {
    return(names[[whole]]$text)
  }
  apart <- gregexpr(in_quotes, text, perl = TRUE)
  pieces <- regmatches(text, apart, invert = TRUE)
  regmatches(text, apart, invert = TRUE) <- lapply(pieces, function(outside) {
    at <- gregexpr(bare_names, outside, perl = TRUE)
    regmatches(outside, at) <- lapply(regmatches(outside, at), function(found) {
      vapply(found, function(name) {
        if (isTRUE(names[[name]]$kind %in% kinds)) in_brackets(names[[name]]$text) else name
      }, "", USE.NAMES = FALSE)
    })
    outside
  })
  text
}

# What is more than a number, a text or one call stands in brackets inside another expression.
in_brackets <- function(text) {
  expr <- parsed(text)
  alone <- !is.call(expr) || is_named_call(expr)
  if (alone) text else sprintf("(%s)", text)
}

#' An argument of a part with all names put in.
#' @param value As the study has it: text, several texts, or another value.
#' @param argument From the grammar.
#' @noRd
named_value <- function(value, argument, names) {
  if (is.list(value)) {
    return(unlist(lapply(value, function(one) as.list(named_value(one, argument, names))),
      recursive = FALSE))
  }
  if (!is.character(value)) {
    return(value)
  }
  kinds <- names_for[[argument$type]]
  if (is.null(kinds)) {
    # For arguments that are not expressions, the whole value must be a name.
    known <- names[[value[1L]]]
    constant <- length(value) == 1L && identical(known$kind, "values") &&
      !argument$type %in% c("name", "table", "choice")
    return(if (constant) known$value else value)
  }
  each <- if (argument$type == "measure") unlist(lapply(value, apart_measures, names)) else value
  each <- vapply(each, function(text) {
    named <- trimws(text)
    if (argument$type == "measure" && identical(names[[named]]$kind, "measures")) {
      paste(named, "=", names[[named]]$text)
    } else {
      put_in(text, names, kinds)
    }
  }, "", USE.NAMES = FALSE)
  if (argument$type == "keys" && length(each) == 1L && length(value) == 1L && each != value) {
    return(names[[trimws(value)]]$value %||% each)
  }
  each
}

# `c(orders, margin)` of named measures: each keeps its name.
apart_measures <- function(text, names) {
  expr <- parsed(text)
  parts <- if (is_call_to(expr, "c")) as.list(expr)[-1L]
  bare <- vapply(parts,
    function(part) is.name(part) && identical(names[[name_text(part)]]$kind, "measures"), NA)
  if (!any(bare)) {
    return(text)
  }
  given <- names(parts) %||% rep("", length(parts))
  unlist(Map(function(part, name) {
    paste0(if (nzchar(name)) paste(tick_odd(name), "= "), expr_text(part))
  }, parts, given))
}
