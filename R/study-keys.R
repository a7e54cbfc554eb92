# What may stand in a study: of each table its keys, of each key the kind of its value. The
# arguments of a part are those of the grammar, read by their types there.

# What a study says of a part besides its question: which of the answer is shown, and how.
part_keys <- list(
  name = list(kind = "name",
    help = "what the part is called: its place on the page, its files, its sheets"),
  command = list(kind = "text", help = "what is asked: standings, pareto, tiers, ..."),
  text = list(kind = "text", help = "a sentence of your own, below the finding"),
  tables = list(kind = "texts", help = "tables to show: items, totals, tiers, ... [items]"),
  charts = list(kind = "texts", help = "charts to draw [the default one]; [] for none"),
  rows = list(kind = "rows",
    help = "how many rows of a table are open on the page, a number or \"all\" [10]"),
  columns = list(kind = "texts",
    help = "columns to show, in this order [those of [display], or all that fit]"),
  whole = list(kind = "flag",
    help = "with for_each: ranks of the whole, of which each page has its own rows [false]")
)

# Of what only the command has: pictures and tables of a part.
picture_keys <- c("title", "subtitle", "layout", "shade", "centre", "size", "figures", "shares")

source_keys <- list(
  file = list(kind = "text", help = "the file of order lines, from the folder of the study"),
  files = list(kind = "texts", help = "several files as one: paths, patterns, folders"),
  date = list(kind = "text", help = "the date of the rows"),
  encoding = list(kind = "text"), separator = list(kind = "text"), decimal = list(kind = "text"),
  dates = list(kind = "text"), sheet = list(kind = "text"),
  twice = list(kind = "choice", choices = c("count", "refuse"),
    help = "what to do with duplicate files [refuse]"))

lookup_keys_of_study <- list(file = list(kind = "text"), by = list(kind = "by"))

study_keys <- list(
  eggcrate = list(kind = "number", help = "the version of what follows: 1"),
  title = list(kind = "text", help = "title of the page"),
  text = list(kind = "text", help = "text below the title"),
  as_of = list(kind = "date",
    help = "the day that counts as today, for all parts [the last in the data]"),
  where = list(kind = "text", help = "which rows to use, for all parts"),
  embed = list(kind = "choice", choices = c("all", "shown"),
    help = "all, or shown: whether files of tables have all rows [all]"),
  for_each = list(kind = "each",
    help = paste("a column: a page for each of its values; or a table: column, and values, or a",
      "part and only, a selection of it")),
  workbook = list(kind = "flag", help = "with for_each: a workbook for each too [false]"),
  source = list(kind = "table", keys = source_keys, help = "where the rows come from"),
  lookup = list(kind = "parts", help = "second files that add columns by a key: file, and by"),
  measures = list(kind = "defined", help = "measures by name"),
  values = list(kind = "defined", help = "thresholds and other constants by name"),
  schemes = list(kind = "defined", help = "tiers by name"),
  selections = list(kind = "defined", help = "selections by name"),
  display = list(kind = "table", keys = display_keys, help = "display of numbers and names"),
  part = list(kind = "parts", help = "the questions, each in a table of its own")
)

# Kinds of named definitions allowed for each argument type.
names_for <- list(measure = c("measures", "values"), condition = c("measures", "values"),
  keys = "values", span = "values", selection = c("selections", "values"), order = character(),
  scheme = c("schemes", "measures", "values"))

definition_kinds <- c("measures", "values", "schemes", "selections")

# Values -------------------------------------------------------------------

#' The value of a node as its kind has it; what is wrong is noted, and NULL returned.
#' @param key How it is called, with its tables.
#' @param spec `kind`, and what the kind needs.
#' @param note Function of line, text and a way out.
#' @noRd
study_value <- function(node, key, spec, note) {
  wrong <- function(wanted, hint = NULL) {
    note(node$line, sprintf("`%s` must be %s, not %s.", key, wanted, node_words(node)), hint)
    NULL
  }
  switch(spec$kind,
    text = if (node$kind == "text") node$value else wrong("text in quotes"),
    flag = if (node$kind == "flag") node$value else wrong("true or false, without quotes"),
    number = if (is_number(node)) node$value else wrong("a number, without quotes"),
    date = if (node$kind %in% c("text", "date") &&
      !is.na(parse_iso_date(node$value))) node$value else {
      wrong("a date such as \"2026-03-31\"")
    },
    choice = if (node$kind == "text" && node$value %in% spec$choices) node$value else {
      wrong(enumerate(quoted(spec$choices), "or"))
    },
    texts = , columns = texts_value(node) %||%
    wrong("text, or a list of texts such as [\"items\", \"tiers\"]"),
    rows = if (identical(node$value, "all")) Inf else if (is_number(node) && node$value >= 0 &&
      node$value == floor(node$value)) node$value else wrong("a whole number, or \"all\""),
    name = name_value(node, wrong),
    names = if (node$kind == "table" && all_of_kind(node$entries, "text")) {
      vapply(node$entries, `[[`, "", "value")
    } else {
      wrong("a table of texts such as { net_sales = \"Net sales\" }")
    },
    values = , bars = bars_value(node) %||%
    wrong("columns, or where their bars end, such as { units = 12000 }"),
    by = if (node$kind == "table" && all_of_kind(node$entries, "text")) vapply(node$entries, `[[`,
      "", "value") else texts_value(node) %||%
    wrong("a column, a list of columns, or a table such as { customer = \"id\" }"),
    each = for_each_value(node) %||%
    wrong(paste("a column, or a table such as { column = \"region\", values = [\"Midmark\"] }",
      "or { column = \"customer\", part = \"accounts\", only = 'in_tier(\"A\")' }")))
}

node_words <- function(node) {
  switch(node$kind, text = quoted(node$value), number = , flag = , date = node$text,
    list = "a list", table = "a table",
    tables = "a list of tables")
}

is_number <- function(node) node$kind == "number" && is.finite(node$value)
all_of_kind <- function(nodes, kind) all(vapply(nodes, function(node) node$kind %in% kind, NA))
is_list_of <- function(node, kind) node$kind == "list" && all_of_kind(node$items, kind)

texts_value <- function(node) {
  if (node$kind == "text") node$value else if (is_list_of(node, "text")) {
    vapply(node$items, `[[`, "", "value")
  }
}

bars_value <- function(node) {
  if (node$kind == "table") {
    if (all(vapply(node$entries, is_number, NA))) vapply(node$entries, `[[`, 0, "value")
  } else {
    texts_value(node)
  }
}

# A part's name is in the names of its files: letters, digits, `-` and `_`.
part_name_hint <- "Use letters, digits, - and _, at most 60 of them: it is also the name of files."
is_part_name <- function(x) grepl("^[A-Za-z0-9][A-Za-z0-9_-]{0,59}$", x)

name_value <- function(node, wrong) {
  if (node$kind == "text" && is_part_name(node$value)) node$value else
    wrong("a short name", part_name_hint)
}

for_each_value <- function(node) {
  if (node$kind == "text") {
    return(list(column = node$value))
  }
  if (node$kind != "table" ||
    length(setdiff(names(node$entries), c("column", "values", "part", "only")))) {
    return(NULL)
  }
  out <- lapply(node$entries, texts_value)
  one <- vapply(out[names(out) != "values"], length, 1L) == 1L
  if (is.null(out$column) || !all(one) || any(lengths(out) == 0L) || is.null(out$part) &&
    !is.null(out$only)) NULL else out
}

# Arguments of a part ------------------------------------------------------

#' An argument as `ask()` takes it, from its node.
#' @param argument From the grammar.
#' @noRd
part_value <- function(node, name, argument, note) {
  wrong <- function(wanted) {
    note(node$line, sprintf("`%s` must be %s, not %s.", name, wanted, node_words(node)), NULL)
    NULL
  }
  switch(argument$type,
    measure = , selection = if (isTRUE(argument$repeated)) {
      as.list(named_texts(node)) %|0|% wrong("text, a list of texts, or a table of names and texts")
    } else {
      one_text(node) %||% wrong("one text in quotes")
    },
    keys = texts_value(node) %||% wrong("a column, or a list of columns"),
    choice = if (node$kind == "text" && node$value %in% argument$choices) node$value else {
      wrong(enumerate(quoted(argument$choices), "or"))
    },
    part = , ratio = , split = ,
    tolerance = if (node$kind == "text" || is_number(node)) node$value else {
      wrong("a part such as \"80%\" or 0.8, or a name of [values]")
    },
    number = if (node$kind == "text" || is_number(node)) node$value else
    wrong("a number, or a name of [values]"),
    flag = , switch = if (node$kind == "flag") node$value else
    wrong("true or false, without quotes"),
    date = study_value(node, name, list(kind = "date"), note),
    span = , label = if (node$kind %in% c("text", "date")) node$value else
    wrong("a period in quotes, such as \"2026-05\""),
    target = if (node$kind == "text") node$value else if (is_number(node)) node$text else {
      wrong("a file, a column, a word such as \"previous()\", or a number")
    },
    names = texts_value(node) %||% wrong("a list of texts"),
    if (node$kind == "text") node$value else wrong("text in quotes"))
}

`%|0|%` <- function(x, y) if (length(x)) x else y

# One text, or a table of one: `{ margin = "sum(profit) / sum(net_sales)" }`.
one_text <- function(node) {
  texts <- named_texts(node)
  if (length(texts) == 1L) texts
}

named_texts <- function(node) {
  if (node$kind == "table") {
    if (!all_of_kind(node$entries, "text")) return(NULL)
    texts <- vapply(node$entries, `[[`, "", "value")
    return(unname(sprintf("%s = %s", tick_odd(names(texts)), texts)))
  }
  texts_value(node)
}
