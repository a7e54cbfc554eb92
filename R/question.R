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

#' @param words List of the words as code or text: `of`, `by`, `within`, `where`.
#' @param rules List of `best` and `ties`.
#' @return The words as expressions, and the names that they use.
#' @noRd
read_question <- function(words, rules, call = NULL) {
  exprs <- Map(read_expression, words, names(words), list(call))
  for (word in c("of", "by")) {
    if (is.null(exprs[[word]])) {
      stop_expression(sprintf("`%s` is missing.", word),
        hint = if (word == "of") "Say what to measure, such as `of = sum(net_sales)`." else "Say what to rank, such as `by = customer`.",
        call = call)
    }
  }
  check_choice(rules$best, c("highest", "lowest"), "best", call)
  check_choice(rules$ties, names(tie_rules), "ties", call)
  keys <- unique(unlist(lapply(exprs[c("by", "within")], all.vars)))
  measured <- unique(unlist(lapply(exprs[setdiff(names(exprs), c("by", "within"))], function(e) all.vars(split_name(e)$expr))))
  list(exprs = exprs, rules = rules, needed = union(keys, measured), keys = setdiff(keys, measured))
}

#' @param read What `read_question()` returned.
#' @param source The source it is asked of.
#' @noRd
compile_question <- function(read, source, call = NULL) {
  schema <- source[c("name", "types", "odd")]
  exprs <- read$exprs
  within <- compile_keys(exprs$within, schema, "within", call = call)
  by <- compile_keys(exprs$by, schema, "by", taken = names(within), call = call)
  measure <- compile_measure(exprs$of, schema, "of", call)
  if (measure$name %in% c(own_columns, names(by), names(within))) {
    stop_eggcrate("call", "name", sprintf("The measure's name `%s` is also a column of the result.", measure$name),
      i = sprintf("Give it another: `of = c(total = %s)`.", measure$text), fields = list(name = measure$name), call = call)
  }
  gates <- if (!is.null(exprs$where)) {
    list(list(node = compile_condition(exprs$where, schema, "where", call), text = expr_text(exprs$where)))
  }
  list(
    measure = measure, by = by, within = within, keys = c(within, by), gates = gates %||% list(),
    aggregates = list(measure$aggregate), where = if (!is.null(exprs$where)) expr_text(exprs$where),
    best = read$rules$best, ties = read$rules$ties
  )
}
