# The words of a question, as they were given: captured, read as expressions, and looked
# through for the columns that they use.

#' The expression that an argument of a verb was given, with what `!!` and `{{ }}` put in;
#' NULL where it is missing.
#' @param name Name of the argument.
#' @param frame The verb's own environment.
#' @noRd
capture <- function(name, frame) {
  quo <- eval(as.call(list(rlang::enquo, as.name(name))), frame)
  if (rlang::quo_is_missing(quo)) NULL else rlang::quo_squash(quo)
}

# The value of an argument that is not an expression. It may use `!!x` and `{{ x }}` too.
plain_argument <- function(name, frame) {
  injects <- any(c("!", "{") %in% all.names(eval(call("substitute", as.name(name)), frame)))
  if (injects) rlang::eval_tidy(eval(as.call(list(rlang::enquo, as.name(name))), frame)) else
    get(name, frame)
}

# The expressions of additional arguments, by name.
capture_dots <- function(...) lapply(rlang::enquos(...), rlang::quo_squash)

# A text that is exactly a column's name is that column, blanks and all; several texts are
# several columns.
name_columns <- function(args, columns) {
  type <- function(name) grammar_arguments[[name]]$type
  keys <- Filter(function(name) type(name) == "keys", names(args))
  measures <- Filter(function(name) type(name) == "measure", names(args))
  args[keys] <- lapply(args[keys], text_keys, columns)
  args[measures] <- lapply(args[measures], function(x) {
    if (is.list(x)) lapply(x, text_column, columns) else text_column(x, columns)
  })
  # Two columns can take the place of two periods.
  if (is.null(args$over)) {
    spans <- Filter(function(name) type(name) == "span", names(args))
    args[spans] <- lapply(args[spans], text_column, columns)
  }
  args
}

text_column <- function(x, columns) {
  if (is.character(x) && length(x) == 1L && x %in% columns) as.name(x) else x
}

text_keys <- function(x, columns) {
  if (is.character(x) && length(x) > 1L) x <- as.call(c(as.name("c"), as.list(x)))
  if (!is_call_to(x, "c")) {
    return(text_column(x, columns))
  }
  each <- function(part) {
    part <- text_column(part, columns)
    if (is.character(part)) read_expression(part, "a column") else part
  }
  as.call(c(x[[1L]], lapply(as.list(x)[-1L], each)))
}

# Columns of a result: bare, in `c()`, or as text.
column_names <- function(code, call = NULL) {
  if (is.null(code) || is.character(code)) {
    return(code)
  }
  unlist(lapply(key_parts(code), function(part) {
    if (!is.name(part) && !is.character(part)) {
      stop_expression("`by` must name one or more columns.", expr_text(code),
        "Write `region` or `c(region, town)`.", call)
    }
    name_text(part)
  }))
}

# Where the argument was written: the caller's environment, whatever functions it came through.
capture_env <- function(name, frame) {
  rlang::quo_get_env(eval(as.call(list(rlang::enquo, as.name(name))), frame))
}

#' @param words Named list of the words as code or text; `also` is a list of measures.
#' @param rules List of `best`, `ties`, `share_of`, `share_base`, `as_of`, `all_items`.
#' @return `exprs`: the words as expressions; `also`: the additional measures; `rules`, checked;
#'   `use`: the columns that are used as `values`, and those that are only `keys`.
#' @noRd
read_words <- function(words, rules, call = NULL) {
  also <- words$also
  words$also <- NULL
  exprs <- Map(read_expression, words, names(words), list(call))
  check_words(exprs, call)
  also <- unlist(lapply(also, function(one) split_measures(read_expression(one, "also", call))),
    recursive = FALSE)
  list(exprs = exprs, also = also, rules = read_rules(rules, call), use = used_columns(exprs, also))
}

check_words <- function(exprs, call = NULL) {
  hints <- c(of = "Name the measure, such as `of = sum(net_sales)`.",
    by = "Name the items to rank, such as `by = customer`.")
  for (word in names(hints)) {
    if (is.null(exprs[[word]])) {
      stop_expression(sprintf("`%s` is missing.", word), hint = hints[[word]], call = call)
    }
  }
}

read_rules <- function(rules, call = NULL) {
  for (name in c("best", "ties", "share_of", "share_base")) {
    check_choice(rules[[name]], grammar_arguments[[name]]$choices, name, call)
  }
  rules["as_of"] <- list(read_as_of(rules$as_of, call))
  rules
}

# In a file, a column that is used only as a key keeps its text as written. A column in `show` has
# its own type.
used_columns <- function(exprs, also = list()) {
  key_words <- c("by", "within")
  plain <- function(exprs) name_text(unique(unlist(lapply(exprs,
    function(e) all.vars(split_name(e)$expr)))))
  keys <- plain(lapply(exprs[intersect(key_words, names(exprs))], plain_keys))
  values <- plain(c(exprs[setdiff(names(exprs), key_words)], also,
    lapply(exprs[intersect(key_words, names(exprs))], dated_keys)))
  list(all = union(keys, values), values = values, keys = setdiff(keys, values))
}

# Keys that are columns, and keys made of a date, which must be read as one.
key_parts <- function(expr) if (is_call_to(expr, "c")) as.list(expr)[-1L] else list(expr)
plain_keys <- function(expr) as.call(c(quote(c), Filter(is.name, key_parts(expr))))
dated_keys <- function(expr) as.call(c(quote(c), Filter(is.call, key_parts(expr))))

read_as_of <- function(x, call = NULL) {
  if (is.null(x)) {
    return(NULL)
  }
  day <- if (inherits(x, "Date")) {
    x
  } else if (is.character(x)) {
    parse_iso_date(x)
  }
  if (length(day) != 1L || is.na(day)) {
    stop_eggcrate("call", "unknown_value",
      sprintf("`as_of` must be a date such as \"2026-03-31\", not %s.", describe(x)), call = call)
  }
  as.numeric(day)
}
