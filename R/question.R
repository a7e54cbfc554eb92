# The five words, captured and compiled. The one place where the arguments of R,
# the options of the command and the keys of a study become a question.

# Code of an argument as typed; `!!x` puts in the caller's value. Only then is
# rlang needed.
capture <- function(code, env) {
  if (identical(code, quote(expr = ))) {
    return(NULL)
  }
  if (sum(all.names(code) == "!") < 2L) {
    return(code)
  }
  eval(as.call(list(rlang::expr, code)), env)
}

# The words and rules that a verb was called with, by the names that the grammar
# gives them; not all verbs take all words. `also` holds several measures at once; the command gives a list.
called_words <- function(frame, caller, taken = words) {
  force(caller)
  codes <- lapply(with_names(taken, taken),
    function(word) eval(call("substitute", as.name(word)), frame))
  asked <- with_names(vector("list", length(words)), words)
  asked[taken] <- lapply(codes, capture, env = caller)
  asked["also"] <- list(if (!is.null(asked$also)) list(asked$also))
  asked
}

called_rules <- function(frame) mget(rules, frame)

default_rules <- function() {
  list(best = "highest", ties = "min", share_of = "group", share_base = "net", all_items = NULL,
    as_of = NULL)
}

#' @param words List of the words as code or text; `also` is a list of measures.
#' @param rules List of `best`, `ties`, `share_of`, `share_base`, `as_of`, `all_items`.
#' @return The words as expressions, and the names that they use.
#' @noRd
read_question <- function(words, rules, call = NULL) {
  also <- words$also
  words$also <- NULL
  exprs <- Map(read_expression, words, names(words), list(call))
  for (word in c("of", "by")) {
    if (is.null(exprs[[word]])) {
      stop_expression(sprintf("`%s` is missing.", word),
        hint = if (word == "of") {
          "Say what to measure, such as `of = sum(net_sales)`."
        } else {
          "Say what to rank, such as `by = customer`."
        },
        call = call)
    }
  }
  also <- unlist(lapply(also, function(one) split_measures(read_expression(one, "also", call))),
    recursive = FALSE)
  check_choice(rules$best, c("highest", "lowest"), "best", call)
  check_choice(rules$ties, names(tie_rules), "ties", call)
  check_choice(rules$share_of, c("group", "period", "all"), "share_of", call)
  check_choice(rules$share_base, c("net", "positive"), "share_base", call)
  rules["as_of"] <- list(read_as_of(rules$as_of, call))
  key_words <- c("by", "within", "show")
  plain <- function(exprs) unique(unlist(lapply(exprs, function(e) all.vars(split_name(e)$expr))))
  keys <- plain(lapply(exprs[intersect(key_words, names(exprs))], plain_keys))
  measured <- plain(c(exprs[setdiff(names(exprs), key_words)], also,
    lapply(exprs[c("by", "within")], dated_keys)))
  list(exprs = exprs, also = also, rules = rules, needed = union(keys, measured),
    keys = setdiff(keys, measured))
}

# `c(orders = count(), sum(profit))` is several measures.
split_measures <- function(expr) {
  if (!is_call_to(expr, "c")) {
    return(list(expr))
  }
  parts <- as.list(expr)[-1L]
  names <- names(parts) %||% rep("", length(parts))
  unname(Map(function(part, name) if (nzchar(name)) call("=", as.name(name), part) else part, parts,
    names))
}

# Keys that are columns, and keys made of a date, which must be read as one.
key_parts <- function(expr) if (is_call_to(expr, "c")) as.list(expr)[-1L] else list(expr)
plain_keys <- function(expr) as.call(c(quote(c), Filter(is.name, key_parts(expr))))
dated_keys <- function(expr) as.call(c(quote(c), Filter(is.call, key_parts(expr))))

read_as_of <- function(x, call = NULL) {
  if (is.null(x)) {
    return(NULL)
  }
  day <- if (inherits(x, "Date")) x else parse_iso_date(as.character(x))
  if (length(day) != 1L || is.na(day)) {
    stop_eggcrate("call", "unknown_value",
      sprintf("`as_of` must be a date such as \"2026-03-31\", not %s.", describe(x)), call = call)
  }
  as.numeric(day)
}

#' @param read What `read_question()` returned.
#' @param source The source it is asked of.
#' @noRd
compile_question <- function(read, source, call = NULL) {
  schema <- source[c("name", "types", "odd")]
  schema$coverage <- coverage_of(source, read$rules$as_of)
  exprs <- read$exprs
  within <- compile_keys(exprs$within, schema, "within", call = call)
  over <- compile_over(exprs$over, schema, names(within), call)
  by <- compile_keys(exprs$by, schema, "by", taken = names(c(within, over)), call = call)
  measures <- lapply(c(list(exprs$of), read$also), compile_measure, schema = schema, call = call)
  check_measure_names(measures, names(c(within, over, by)), call)
  where <- if (!is.null(exprs$where)) compile_condition(exprs$where, schema, "where", call)
  having <- if (!is.null(exprs$having)) compile_having(exprs$having, schema, call)
  show <- compile_keys(exprs$show, schema, "show",
    taken = c(names(c(within, over, by)), vapply(measures, `[[`, "", "name")), call = call)
  question <- list(
    measures = measures, measure = measures[[1L]], by = by, within = within, over = over,
    show = show, keys = c(within, over, by), where = if (!is.null(where)) where$text,
    having = having, aggregates = all_aggregates(measures, having), coverage = schema$coverage,
    as_of = read$rules$as_of
  )
  question <- c(question, read$rules[c("best", "ties", "share_of", "share_base")])
  check_shares(question, call)
  dates <- date_nodes(question, where)
  question$gates <- question_gates(question, where, dates, call)
  question["all_items"] <- list(check_items(read$rules$all_items, by, call))
  question$days <- days_function(question, where, call)
  question$covered <- covered_text(union(dates, where_dates(where)), question)
  question
}

compile_over <- function(expr, schema, taken, call = NULL) {
  over <- compile_keys(expr, schema, "over", taken = taken, call = call)
  if (length(over) > 1L || length(over) == 1L && over[[1L]]$op != "period") {
    stop_expression("`over` takes one period of a date.", expr_text(expr),
      "Write `quarter(order_date)`.", call)
  }
  over
}

check_measure_names <- function(measures, keys, call = NULL) {
  names <- vapply(measures, `[[`, "", "name")
  for (i in seq_along(names)) {
    if (names[i] %in% c(own_columns, keys, names[seq_len(i - 1L)])) {
      stop_eggcrate("call", "name",
        sprintf("The measure's name `%s` is also a column of the result.", names[i]),
        i = sprintf("Give it another: `c(total = %s)`.", measures[[i]]$text),
        fields = list(name = names[i]), call = call)
    }
  }
}

all_aggregates <- function(measures, having) {
  found <- c(unlist(lapply(measures, `[[`, "aggregates"), recursive = FALSE),
    having_aggregates(having))
  found[!duplicated(names(found))]
}

check_shares <- function(question, call = NULL) {
  measure <- question$measure
  if (question$share_of == "period" && !length(question$over)) {
    stop_eggcrate("call", "unknown_value", "`share_of = \"period\"` needs periods: say `over`.",
      call = call)
  }
  asked <- question$share_of != "group" || question$share_base != "net"
  if (asked && measure$kind != "additive" && !measure$distinct) {
    stop_not_additive(measure, "shares", call)
  }
}

# Dates ---------------------------------------------------------------------

# The days that a source covers by a date column: its first, and `as_of` or its last.
# Without any date that is NULL, where there `may_be_none`, or else an error.
coverage_of <- function(source, as_of) {
  known <- list() # of dates asked for before
  function(name, call = NULL, may_be_none = FALSE) {
    if (!is.null(known[[name]])) {
      return(known[[name]])
    }
    bare <- unclass(source$columns[[name]])
    days <- if (is.numeric(bare)) {
      suppressWarnings(c(min(bare, na.rm = TRUE), max(bare, na.rm = TRUE)))
    } else {
      NA
    }
    if (!all(is.finite(days))) {
      if (may_be_none) return(NULL)
      stop_data("value", sprintf("`%s` has no date at all.", name), fields = list(column = name),
        call = call)
    }
    known[[name]] <<- list(first = floor(days[1L]), last = as_of %||% floor(days[2L]))
    known[[name]]
  }
}

# What is said beside a figure: the days that the dates in question cover.
covered_text <- function(dates, question) {
  day <- function(x) format(structure(x, class = "Date"))
  spans <- vapply(dates, function(name) {
    coverage <- question$coverage(name, may_be_none = TRUE)
    if (is.null(coverage)) {
      NA_character_
    } else {
      sprintf("%s %s to %s", name, day(coverage$first), day(coverage$last))
    }
  }, "")
  c(spans[!is.na(spans)], if (!is.null(question$as_of)) paste("as of", day(question$as_of)))
}

# The date columns that a question counts periods of.
date_nodes <- function(question, where) {
  rates <- vapply(question$measures, function(m) m$per_day %||% NA_character_, "")
  from_keys <- unlist(lapply(c(question$over, question$by, question$within),
    function(node) if (node$op == "period") node_date(node)))
  used <- c(from_keys, rates[!is.na(rates) & nzchar(rates)],
    if (!is.null(question$as_of)) where_dates(where))
  unique(used)
}

node_date <- function(node) vapply(node_columns(node), `[[`, "", "name")[1L]

where_dates <- function(where) {
  columns <- node_columns(where)
  vapply(Filter(function(column) column$type == "date", columns), `[[`, "", "name")
}

# A row is counted at the first gate that it fails.
question_gates <- function(question, where, dates, call = NULL) {
  if (!is.null(question$as_of) && !length(dates)) {
    stop_eggcrate("call", "unknown_value", "`as_of` needs a date in the question.",
      i = "Say `over = month(order_date)`, or filter by a date.", call = call)
  }
  date_column <- function(name) new_node("column", "date", text = name, name = name)
  late <- if (!is.null(question$as_of)) {
    lapply(dates, function(name) {
      after <- new_node(">", "flag",
        list(date_column(name), new_node("number", "date", value = question$as_of)))
      missing <- new_node("is_missing", "flag", list(date_column(name)))
      list(node = new_node("|", "flag", list(missing, new_node("!", "flag", list(after)))),
        step = "left out",
        text = sprintf("%s after %s", name, format(structure(question$as_of, class = "Date"))))
    })
  }
  undated <- lapply(question$over, function(node) {
    name <- node_date(node)
    list(node = new_node("!", "flag",
      list(new_node("is_missing", "flag", list(date_column(name))))), step = "left out",
      text = sprintf("no %s", name))
  })
  c(late, if (!is.null(where)) list(list(node = where, step = "filtered out", text = where$text)),
    unname(undated))
}

#' Days that rates are divided by: of each item's period, or of the whole coverage,
#' as far as the data and conditions on the date go.
#' @noRd
days_function <- function(question, where, call = NULL) {
  rates <- vapply(question$measures, function(m) m$per_day %||% NA_character_, "")
  rates <- rates[!is.na(rates)]
  if (!length(rates)) {
    return(NULL)
  }
  period <- if (length(question$over)) question$over[[1L]]
  date <- if (any(nzchar(rates))) {
    rates[nzchar(rates)][1L]
  } else if (!is.null(period)) {
    node_date(period)
  }
  if (is.null(date)) {
    stop_expression("`per_day` must know which date to count days of.",
      hint = "Say `over`, or name the date: `per_day(sum(net_sales), order_date)`.", call = call)
  }
  # Rows without a date are in no period.
  coverage <- question$coverage(date, call, may_be_none = !is.null(period)) %||%
    list(first = NA_real_, last = NA_real_)
  days_of(narrowed(coverage, where, date),
    if (!is.null(period) && node_date(period) == date) period$period, names(question$over))
}

# A result keeps this function, so it knows nothing of the data.
days_of <- function(coverage, period, over) {
  force(coverage)
  force(period)
  force(over)
  function(tally) {
    if (is.null(period)) {
      return(rep(coverage$last - coverage$first + 1, length(tally$rows)))
    }
    covered_days(tally$keys[[over]], period, coverage)
  }
}

# Conditions that must hold for every row narrow the days; others do not.
narrowed <- function(coverage, where, date) {
  for (node in conjuncts(where)) {
    if (!node$op %in% c("<", "<=", ">", ">=", "==")) next
    left <- node$args[[1L]]
    right <- node$args[[2L]]
    op <- node$op
    if (identical(right$name, date)) {
      op <- c("<" = ">", "<=" = ">=", ">" = "<", ">=" = "<=", "==" = "==")[[op]]
      right <- left
      left <- node$args[[2L]]
    }
    if (!identical(left$name, date) || right$op != "number") next
    day <- right$value
    if (op %in% c(">", ">=", "==")) coverage$first <- max(coverage$first, day + (op == ">"))
    if (op %in% c("<", "<=", "==")) coverage$last <- min(coverage$last, day - (op == "<"))
  }
  coverage
}

conjuncts <- function(node) {
  if (is.null(node)) {
    return(list())
  }
  if (node$op == "&") unlist(lapply(node$args, conjuncts), recursive = FALSE) else list(node)
}

check_items <- function(items, by, call = NULL) {
  if (is.null(items)) {
    return(NULL)
  }
  if (!is.data.frame(items)) {
    stop_eggcrate("call", "unknown_value",
      sprintf("`all_items` must be a table of items, not %s.", describe(items)), call = call)
  }
  for (name in names(by)) {
    if (!name %in% names(items)) stop_unknown_column(name, names(items), "`all_items`", call)
  }
  lapply(unclass(items), plain_key)
}

plain_key <- function(x) if (is.factor(x)) as.character(x) else x
