# From a tree of the language to the kernel's list of instructions.

kernel_ops <- c(
  column = 0L, number = 1L, text_test = 2L, code_test = 3L, flag = 4L,
  negate = 5L, "+" = 6L, "-" = 7L, "*" = 8L, "/" = 9L,
  "<" = 10L, "<=" = 11L, ">" = 12L, ">=" = 13L, "==" = 14L, "!=" = 15L,
  "&" = 16L, "|" = 17L, "!" = 18L, is_missing = 19L, period = 20L, same_text = 21L
)

#' @param node A node of the language.
#' @param columns The columns as the source holds them, a named list.
#' @return The program that `tally_()` takes.
#' @noRd
lower <- function(node, columns) {
  program <- new_program()
  lower_node(node, columns, program)
  program_parts(program)
}

new_program <- function() {
  program <- new.env(parent = emptyenv())
  program$code <- list()
  program$sets <- list()
  program$tables <- list()
  program$known <- new.env(parent = emptyenv())
  program
}

program_parts <- function(program) {
  field <- function(name) vapply(program$code, function(i) i[[name]], 0)
  list(
    op = as.integer(field("op")), a = as.integer(field("a")), b = as.integer(field("b")),
    column = as.integer(field("column")), set = as.integer(field("set")), number = field("number"),
    sets = program$sets, tables = program$tables
  )
}

# What is there already is not reckoned twice.
emit <- function(program, op, a = 0, b = 0, column = 0, set = 0, number = 0) {
  known <- sprintf("%s %d %d %d %d %a", op, a, b, column, set, number)
  if (is.null(program$known[[known]])) {
    program$code[[length(program$code) + 1L]] <- list(
      op = kernel_ops[[op]], a = a, b = b, column = column, set = set, number = number
    )
    assign(known, length(program$code), program$known)
  }
  program$known[[known]]
}

# Returns the register that holds the node's values.
lower_node <- function(node, columns, program) {
  switch(node$op,
    column = emit(program, if (node$type == "flag") "flag" else "column",
      column = column_place(node, columns, is.numeric, is.logical, is_date)),
    number = emit(program, "number", number = node$value),
    text_test = lower_text_test(node, columns, program),
    same_text = emit(program, "same_text", column = column_place(node$args[[1L]], columns),
      set = column_place(node$args[[2L]], columns)),
    is_missing = lower_missing(node, columns, program),
    flag = lower_truth(node$value, program),
    period = emit(program, "period", a = lower_node(node$args[[1L]], columns, program),
      set = c(period_units, calendar_parts)[[node$period$unit]] + 1, number = node$period$starts),
    {
      registers <- vapply(node$args, lower_node, 0, columns = columns, program = program)
      emit(program, node$op, a = registers[1L],
        b = if (length(registers) > 1L) registers[2L] else 0)
    }
  )
}

# The kernel has no constant truth: 1 == 1, or 1 == 0.
lower_truth <- function(value, program) {
  one <- emit(program, "number", number = 1)
  emit(program, "==", a = one, b = emit(program, "number", number = as.numeric(value)))
}

#' @param ... Tests of its vector, one of which must hold: the kernel reads the memory of a column
#'   by the type in the program.
#' @noRd
column_place <- function(node, columns, ...) {
  at <- match(column_slot(node), names(columns))
  if (is.na(at)) internal_error(sprintf("the column `%s` was not loaded", node$name))
  tests <- list(...)
  if (length(tests) && !any(vapply(tests, function(test) test(columns[[at]]), NA))) {
    internal_error(sprintf("the column `%s` has another type than the program", node$name))
  }
  at
}

is_date <- function(x) inherits(x, "Date")

lower_text_test <- function(node, columns, program, missing_is_yes = FALSE) {
  at <- column_place(node$args[[1L]], columns)
  column <- columns[[at]]
  if (!is.factor(column) && !is.character(column)) {
    internal_error(sprintf("the column `%s` is not text", node$args[[1L]]$name))
  }
  if (is.factor(column)) {
    truth <- level_truth(levels(column), node$values, missing_is_yes)
    return(emit(program, "code_test", column = at, set = kept(program, "tables", truth)))
  }
  set <- list(members = in_every_encoding(node$values), missing_is_yes = missing_is_yes)
  emit(program, "text_test", column = at, set = kept(program, "sets", set))
}

# The place of a set or table among those of a program.
kept <- function(program, where, what) {
  same <- which(vapply(program[[where]], identical, NA, what))
  if (length(same)) {
    return(same[1L])
  }
  program[[where]] <- c(program[[where]], list(what))
  length(program[[where]])
}

lower_missing <- function(node, columns, program) {
  of <- node$args[[1L]]
  if (of$op == "column" && of$type == "text") {
    return(lower_text_test(new_node("text_test", "flag", list(of), node$text, values = character()),
      columns, program, missing_is_yes = TRUE))
  }
  emit(program, "is_missing", a = lower_node(of, columns, program))
}

# Truth of each code of a factor, that of a missing one first: 0, 1, 2 unknown.
level_truth <- function(levels, values, missing_is_yes) {
  blank <- c(TRUE, is.na(levels) | blank_texts_(levels))
  ifelse(blank, if (missing_is_yes) 1L else 2L,
    as.integer(c(FALSE, enc2utf8(levels) %in% enc2utf8(values))))
}

# R keeps one copy of a text for each encoding that it is marked with, so a
# text is one of at most three handles.
in_every_encoding <- function(x) {
  utf8 <- enc2utf8(x)
  unmarked <- enc2native(utf8)
  Encoding(unmarked) <- "unknown"
  latin1 <- iconv(utf8, "UTF-8", "latin1")
  c(utf8, unmarked, latin1[!is.na(latin1)]) # unique() would take them for one
}
