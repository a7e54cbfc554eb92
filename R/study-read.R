# A study from its file: what it asks, in order; and everything that is wrong with it, each with
# its line. No row is read here.
#
#   file ─▶ toml_tree() ─▶ read_study() ─▶ study ─▶ check_parts() ─▶ run_parts()

study_version <- 1

#' @param path The file.
#' @param set Values that take the place of the study's, by name.
#' @return A list of class `eggcrate_study`: `path`, `title`, `text`, `as_of`, `where`, `source`,
#'   `display`, `names`, `parts`, `lines`, `embed`, `for_each`, `workbook`, `bytes`; and `problems`,
#'   a list of `line`, `text`, `hint`.
#' @noRd
read_study <- function(path, set = list(), call = NULL) {
  text <- study_text(path, call)
  problems <- list()
  note <- function(line, text, hint = NULL) {
    problems[[length(problems) + 1L]] <<- a_problem(line, text, hint)
    NULL
  }
  tree <- toml_tree(text)
  if (inherits(tree, "condition")) {
    note(tree$line, sentence(tree$text),
      "The file is not valid TOML. Fix this first; the rest was not checked.")
    return(new_study(path, text, list(), list(), list(), problems))
  }
  if (!check_version(tree, note)) {
    return(new_study(path, text, list(), list(), list(), problems))
  }
  fields <- read_table(tree, study_keys, "the study", note)
  for (needed in c("source", "part")) {
    if (is.null(tree$entries[[needed]])) note(1L, needed_words[[needed]], needed_hints[[needed]])
  }
  names <- resolve_names(study_names(tree$entries, set, note), note)
  parts <- read_parts(tree$entries[["part"]], names, note)
  fields$where <- if (!is.null(fields$where)) put_in(fields$where, names, c("measures", "values"))
  fields$lookup <- read_lookups(tree$entries[["lookup"]], note)
  check_files(fields$source, tree$entries[["source"]], note)
  fields$display <- read_display(fields$display, tree$entries[["display"]], note)
  lines_of <- function(table) vapply(table$entries, function(node) as.integer(node$line), 1L)
  inner <- lines_of(tree$entries[["source"]])
  fields$lines <- c(lines_of(tree), with_names(inner, sprintf("source.%s", names(inner))))
  new_study(path, text, fields, names, parts, problems)
}

needed_words <- c(source = "The study does not say where its rows come from.",
  part = "The study asks nothing.")
needed_hints <- c(source = "Add `[source]` with `file = \"orders.csv\"`.",
  part = "Add a `[[part]]` with `name`, `command`, `of` and `by`.")

new_study <- function(path, text, fields, names, parts, problems) {
  all <- with_names(vector("list", length(study_keys)), names(study_keys))
  fields <- c(fields, all[setdiff(names(all), names(fields))])
  structure(c(fields[c(names(study_keys)[!names(study_keys) %in% c("part", definition_kinds)],
    "lines")],
    list(path = path, bytes = without_passwords(text), names = names, parts = parts,
      problems = by_line(problems))), class = "eggcrate_study")
}

a_problem <- function(line, text, hint = NULL) list(line = as.integer(line), text = text,
  hint = paste(hint, collapse = " "))
by_line <- function(problems) problems[order(vapply(problems, `[[`, 0L, "line"))]

is_study_path <- function(path) grepl("[.]toml$", path, ignore.case = TRUE)

# What a study is called by its file.
study_stem <- function(path) if (is_study_path(path)) tools::file_path_sans_ext(basename(path)) else
  basename(path)

# A study over 1 MB is rejected: it is probably the wrong file.
study_text <- function(path, call = NULL) {
  check_one_path(path, call)
  check_path(path, call)
  if (file.size(path) > 1e6) {
    stop_data("format", sprintf("%s is too large for a study: more than 1 MB.", basename(path)),
      call = call)
  }
  bytes <- readBin(path, "raw", file.size(path))
  if (any(bytes == 0L)) stop_data("format", sprintf("%s is not text.", basename(path)), call = call)
  text <- rawToChar(bytes)
  Encoding(text) <- "UTF-8"
  text <- sub("^\ufeff", "", text)
  if (!validUTF8(text)) {
    stop_data("format", sprintf("%s has bytes that are not UTF-8.", basename(path)), call = call)
  }
  text
}

check_version <- function(tree, note) {
  node <- tree$entries[["eggcrate"]]
  if (is.null(node)) {
    note(1L, "The study does not say which version it is of.",
      sprintf("Begin it with `eggcrate = %d`.", study_version))
    return(FALSE)
  }
  if (!identical(node$value, study_version)) {
    hint <- if (is.numeric(node$value) &&
      node$value > study_version) "Install a newer eggcrate." else {
      sprintf("Write `eggcrate = %d`.", study_version)
    }
    note(node$line,
      sprintf("The study is of version %s, and this eggcrate reads version %d.", node_words(node),
        study_version), hint)
    return(FALSE)
  }
  TRUE
}

#' The values of a table of fixed keys.
#' @param at How messages call the table; `prefix` stands before its keys.
#' @noRd
read_table <- function(table, keys, at, note, prefix = "") {
  out <- list()
  for (name in names(table$entries)) {
    node <- table$entries[[name]]
    spec <- keys[[name]]
    if (is.null(spec)) {
      note_unknown(node$line, paste0(prefix, name), paste0(prefix, names(keys)), at, note)
    } else if (spec$kind %in% c("table", "parts", "defined")) {
      wanted <- if (spec$kind == "parts") "tables" else "table"
      if (node$kind != wanted) {
        shape <- if (wanted == "tables") sprintf("[[%s]]", name) else sprintf("[%s]", name)
        note(node$line, sprintf("`%s` must be a table, headed by `%s`.", name, shape), NULL)
        table$entries[[name]] <- NULL
      } else if (spec$kind == "table") {
        out[[name]] <- read_table(node, spec$keys, sprintf("[%s]", name), note, paste0(name, "."))
      }
    } else {
      out[[name]] <- study_value(node, paste0(prefix, name), spec, note)
    }
  }
  out
}

note_unknown <- function(line, name, known, at, note) {
  close <- close_names(name, known)
  note(line, sprintf("There is no `%s` in %s.", name, at), if (length(close)) {
    sprintf("Did you mean %s?", enumerate(tick(close), "or"))
  } else {
    sprintf("It has %s.", enumerate(tick(known), most = 20L))
  })
}

read_lookups <- function(node, note) {
  if (is.null(node) || node$kind != "tables") {
    return(NULL)
  }
  found <- lapply(node$items, function(table) {
    one <- read_table(table, lookup_keys_of_study, "[[lookup]]", note, "lookup.")
    if (is.null(one$file)) note(table$line, "A lookup has no `file`.",
      "Add `file = \"customers.csv\"`.") else c(one, list(line = table$line))
  })
  Filter(Negate(is.null), found)
}

check_files <- function(source, node, note) {
  if (is.null(node) || node$kind != "table") {
    return(invisible())
  }
  n <- sum(c("file", "files") %in% names(node$entries))
  if (n != 1L) {
    note(node$line,
      if (n) "`source.file` and `source.files` are both there." else "[source] has no `file`.",
      "Keep one of them.")
  }
}

read_display <- function(display, node, note) {
  tryCatch(do.call(new_display, as.list(display)), eggcrate_error = function(e) {
    note(node$line, sprintf("[display]: %s", e$header), c(e$details, e$hints))
    new_display()
  })
}

# Parts --------------------------------------------------------------------

read_parts <- function(node, names, note) {
  if (is.null(node) || node$kind != "tables") {
    return(list())
  }
  parts <- lapply(node$items, read_part_of_study, names = names, note = note)
  seen <- character()
  for (part in Filter(Negate(is.null), parts)) {
    lower <- tolower(part$name)
    if (lower %in% names(seen)) {
      note(part$line,
        sprintf("There are two parts of the name `%s`, the first in line %s.", part$name,
          seen[[lower]]),
        "Give one of them another: names of files differ in more than case.")
    } else {
      seen[lower] <- part$line
    }
  }
  Filter(Negate(is.null), parts)
}

#' @return `name`, `command`, `args` (for `ask()`), `lines` by key, and `shown` (display of the
#'   part).
#' @noRd
read_part_of_study <- function(node, names, note) {
  command <- node$entries[["command"]]
  if (is.null(command)) {
    return(note(node$line, "A part has no `command`.",
      sprintf("Name a command: %s.", enumerate(names(grammar_commands), "or"))))
  }
  if (!isTRUE(command$value %in% names(grammar_commands))) {
    close <- if (command$kind == "text") close_names(command$value, names(grammar_commands))
    return(note(command$line, sprintf("There is no command %s.", node_words(command)),
      if (length(close)) sprintf("Did you mean %s?", enumerate(quoted(close), "or")) else
      sprintf("The commands are %s.", enumerate(names(grammar_commands)))))
  }
  command <- command$value
  arguments <- arguments_of(command)
  pictures <- pictures_of(command)
  part <- list(command = command, line = node$line, args = list(), shown = list(),
    lines = vapply(node$entries, function(entry) as.integer(entry$line), 1L))
  known <- c(names(part_keys), names(arguments), names(pictures))
  for (key in names(node$entries)) {
    entry <- node$entries[[key]]
    if (key %in% names(part_keys)) {
      part$shown[[key]] <- study_value(entry, key, part_keys[[key]], note)
    } else if (key %in% names(arguments)) {
      value <- part_value(entry, key, arguments[[key]], note)
      if (!is.null(value)) part$args[[key]] <- checked_number(named_value(value, arguments[[key]],
        names), key, arguments[[key]],
        entry, note)
    } else if (key %in% names(pictures)) {
      part$shown[[key]] <- picture_value(entry, key, note)
    } else {
      note_unknown(entry$line, key, known, sprintf("a part that asks %s", command), note)
    }
  }
  part$name <- part$shown$name
  if (is.null(part$name) && is.null(node$entries[["name"]])) {
    note(node$line, "A part has no `name`.", "Give it a short one: `name = \"customers\"`.")
  }
  part$name <- part$name %||% sprintf("part %s", node$line)
  check_shown_of_part(part, note)
}

# What only the command has, where a part may have it too.
pictures_of <- function(command) {
  known <- shell_options_of(command)
  known[intersect(picture_keys, names(known))]
}

picture_value <- function(node, key, note) {
  kind <- switch(key, centre = "number", figures = "flag", shares = "texts", "text")
  study_value(node, key, list(kind = kind), note)
}

# For a `number` argument, a name must stand for a number.
checked_number <- function(value, key, argument, node, note) {
  if (argument$type == "number" && !is.numeric(value)) {
    note(node$line,
      sprintf("`%s` must be a number, or the name of one in [values], not %s.", key,
        node_words(node)), NULL)
    return(NULL)
  }
  value
}

# Tables and charts that the command has.
check_shown_of_part <- function(part, note) {
  own <- grammar_commands[[part$command]]
  has <- list(tables = own$tables %||% "items", charts = as.character(own$charts))
  for (key in names(has)) {
    for (name in setdiff(part$shown[[key]], has[[key]])) {
      close <- close_names(name, has[[key]])
      note(part$lines[[key]],
        sprintf("`%s` has no %s %s.", part$command, sub("s$", "", key), quoted(name)),
        if (length(close)) sprintf("Did you mean %s?", enumerate(quoted(close), "or")) else
        if (length(has[[key]])) sprintf("It has %s.", enumerate(has[[key]])) else "It has none.")
      part$shown[[key]] <- setdiff(part$shown[[key]], name)
    }
  }
  for (need in c("tables", "charts")) {
    if ("tiles" %in% part$shown[[need]] && is.null(part$shown$layout)) {
      note(part$lines[[need]], "Tiles need the place of each region.",
        "Add `layout = \"region-tiles.csv\"`.")
      part$shown[[need]] <- setdiff(part$shown[[need]], "tiles")
    }
  }
  part
}
