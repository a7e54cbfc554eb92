# From columns in memory to a tally: the kernel's part of the work.

#' @param columns Vectors by slot.
#' @param n Rows.
#' @return Tallies along `requests`, all from one call of the kernel; NULL as `checked_counts()`
#'   has it.
#' @noRd
tally_columns <- function(columns, n, requests, call = NULL) {
  columns <- as_compared(columns, requests)
  Map(function(counted, request) {
    if (is.null(counted)) return(NULL)
    counted_tally(counted, columns, n, request) %||%
      tally_columns(united_columns(columns), n, list(request), call)[[1L]]
  }, count_rows(columns, n, requests, call), requests)
}

# Every text in its one form, if the kernel cannot unite the cells of two forms.
united_columns <- function(columns) {
  texts <- names(Filter(is.character, columns))
  columns[texts] <- Map(as_key_text, columns[texts], bare_name(texts))
  columns
}

#' What the kernel has counted, as a tally.
#' @param columns Vectors by slot; of their values only what the kernel did not see is asked.
#' @return NULL where texts turned out to be one that cannot be joined after they were counted.
#' @noRd
counted_tally <- function(counted, columns, n, request) {
  values <- Map(key_values, counted$keys, request$keys, list(columns))
  parts <- Map(new_part, request$aggregates, counted$sums, list(counted$rows))
  tally <- new_tally(with_names(values, names(request$keys)), counted$rows,
    with_names(parts, names(request$aggregates)),
    list(read = n, refused = counted$refused, unsure = counted$unsure, first = counted$first,
      passed = counted$used))
  united <- unite_texts(tally, counted$odd)
  joined <- length(united$rows) < length(tally$rows)
  if (!joined || !any(vapply(request$aggregates, `[[`, "", "op") %in% c("median", "distinct"))) {
    united
  }
}

#' The rows that are used, each a cell of its own, in their order.
#' @return `keys`: for each its different `values`, and their number in each row, `code`;
#'   `rows` (all 1) and `parts` as in a tally.
#' @noRd
tally_rows <- function(columns, n, request, call = NULL) {
  columns <- as_compared(columns, list(request))
  counted <- count_rows(columns, n, list(request), call)[[1L]]
  one_text <- function(key, odd, name) {
    values <- key_values(key$values, request$keys[[name]], columns)
    if (!length(odd)) {
      return(list(code = key$code, values = values))
    }
    values[odd] <- as_key_text(values[odd], name)
    different <- unique(values)
    list(code = match(values, different)[key$code], values = different)
  }
  parts <- Map(new_part, request$aggregates, counted$sums, list(counted$rows))
  values <- Map(one_text, counted$keys, counted$odd, names(request$keys))
  list(keys = with_names(values, names(request$keys)), rows = counted$rows,
    parts = with_names(parts, names(request$aggregates)))
}

count_rows <- function(columns, n, requests, call = NULL) {
  check_columns(columns, n, call)
  found <- watched("Counting",
    function(progress) tally_(unname(lapply(columns, bare_column)), as.numeric(n),
      lapply(requests, kernel_question, columns), eggcrate_threads(), progress))
  checked_counts(found, columns, requests, call)
}

# A request as the kernel takes it.
kernel_question <- function(request, columns) {
  program <- new_program()
  sums <- lapply(unname(request$aggregates), sum_spec, columns = columns, program = program)
  list(gates = lapply(request$gates, function(g) lower(g$node, columns)),
    keys = lapply(unname(request$keys), key_spec, columns = columns),
    values = program_parts(program), sums = sums, apart = request$apart)
}

#' @param found What the kernel returned: `status`, and `answers` along `requests`.
#' @return The answers along the requests. If there are several, NULL for those that fail or may
#'   have failed: asked alone, they give their own errors. An error if the only request fails.
#' @noRd
checked_counts <- function(found, columns, requests, call = NULL) {
  several <- length(requests) > 1L
  if (found$status$code != 0L) {
    if (several) return(vector("list", length(requests)))
    stop_kernel(found$status, status_columns(found$status, requests[[1L]], columns), call)
  }
  Map(function(counted, request) {
    lost <- match(TRUE, vapply(counted$sums, is_rounded, NA))
    if (is.na(lost)) counted else if (!several) stop_rounded(request$aggregates[[lost]], call)
  }, found$answers[seq_along(requests)], requests)
}

# Doubles are added in 126 bits. What lies below them is lost, at most a unit for each row that has
# such bits: of a total that is large beside it this cannot be seen in a double.
is_rounded <- function(sum) {
  !is.null(sum$rounded) && any(sum$rounded > 0 &
    abs(doubles_of(sum$total, 0L, 0L)) < 2^54 * sum$rounded)
}

stop_rounded <- function(aggregate, call = NULL) {
  stop_data("too_large",
    sprintf("The values of `%s` are too far apart: small ones are lost next to the largest.",
      aggregate$text),
    i = "Round them, or take some of them with `where`, such as those below 1e12.", call = call)
}

# A text is compared with a text, not with a level's number.
as_compared <- function(columns, requests) {
  trees <- unlist(lapply(requests, function(request) c(lapply(request$gates, `[[`, "node"),
    unname(lapply(request$aggregates, `[[`, "when")))), recursive = FALSE)
  names <- unlist(lapply(trees, compared_texts))
  for (name in names) {
    if (is.factor(columns[[name]])) columns[[name]] <- as.character(columns[[name]])
  }
  columns
}

compared_texts <- function(node) {
  if (is.null(node)) {
    return(character())
  }
  if (node$op == "same_text") {
    vapply(node$args, column_slot, "")
  } else {
    unlist(lapply(node$args, compared_texts))
  }
}

# What the kernel reads past would be somebody else's memory: a data frame can be put together
# wrongly.
check_columns <- function(columns, n, call = NULL) {
  for (slot in names(columns)) {
    x <- columns[[slot]]
    name <- bare_name(slot)
    if (length(x) != n) {
      stop_data("format", sprintf("`%s` has another length than the data: %s, not %s.", name,
        count_text(length(x)), count_text(n)), fields = list(column = name), call = call)
    }
    if (is.factor(x) && !codes_fit_(unclass(x), nlevels(x))) {
      stop_data("format", sprintf("`%s` is a factor with codes outside its levels.", name),
        i = "Make it again, for instance with `factor(as.integer(x))`.",
        fields = list(column = name), call = call)
    }
  }
}

# Attributes would only be in the kernel's way; a factor is its codes.
bare_column <- function(x) if (is.factor(x)) unclass(x) else x

key_spec <- function(node, columns) {
  if (node$op != "column") {
    return(list(column = 0L, codes = 0L, program = lower(node, columns)))
  }
  column <- columns[[column_slot(node)]]
  list(column = column_place(node, columns),
    codes = if (is.factor(column)) nlevels(column) else 0L, program = NULL)
}

kernel_measures <- c(sum = 0L, count = 0L, mean = 0L, min = 1L, max = 2L, median = 3L,
  distinct = 4L)

#' @param program Where the instructions of all sums are gathered.
#' @return `measure` and `of`, and the registers of its values and of the rows to use, 0 for all.
#' @noRd
sum_spec <- function(aggregate, columns, program) {
  told_apart <- aggregate$op == "distinct"
  value <- aggregate$value %||% new_node("number", "number", value = 1)
  # For a distinct count the values say which texts are missing.
  tree <- if (!told_apart) {
    value
  } else if (value$type == "text") {
    new_node("is_missing", "flag", list(value))
  } else {
    new_node("number", "number", value = 1)
  }
  list(
    measure = kernel_measures[[aggregate$op]], value = lower_node(tree, columns, program),
    of = if (told_apart) key_spec(value, columns),
    when = if (is.null(aggregate$when)) 0L else lower_node(aggregate$when, columns, program)
  )
}

# The kernel numbers keys, and then the columns told apart, from -2 down.
status_columns <- function(status, request, columns) {
  if (status$column >= -1L) {
    return(bare_name(names(columns)))
  }
  apart <- vapply(request$aggregates, function(a) if (is.null(a$value)) "" else a$value$text, "")
  c(NA, vapply(request$keys, `[[`, "", "text"), apart)
}

# What the kernel told apart, as the column has it; periods are numbers.
key_values <- function(values, node, columns) {
  if (node$op == "column") restore_key(values, columns[[column_slot(node)]]) else as.numeric(values)
}

restore_key <- function(values, like) {
  if (is.factor(like)) {
    return(levels(like)[values])
  }
  if (inherits(like, "Date")) {
    return(structure(as.numeric(values), class = "Date"))
  }
  if (is.character(like)) values else as.vector(values)
}

eggcrate_threads <- function() {
  threads <- getOption("eggcrate.threads", 2L)
  if (!is.numeric(threads) || length(threads) != 1L || is.na(threads) || threads < 1) {
    stop_unknown_value("options(eggcrate.threads = )", threads, "a whole number from 1")
  }
  as.integer(threads)
}
