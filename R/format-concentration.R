# Concentration in words.

before_line <- function(ans) {
  if (!has_before(ans)) {
    return(NULL)
  }
  paste("before:",
    if (is.null(plan_text(ans$facets$concentration$before$plan))) {
      "all rows"
    } else {
      paste("where", plan_text(ans$facets$concentration$before$plan))
    })
}

#' "By net sales 241 customers weigh as much as 72 equal ones: Gini 0.573, less concentrated
#' than before (0.581)".
#' @noRd
concentration_finding <- function(x, ans) {
  if (length(x$items) != 1L || is.na(x$gini)) {
    widest <- which.max(x$gini)
    if (!length(widest)) {
      return(question_text(ans$plan))
    }
    return(sprintf("%s most concentrated in %s (Gini %s)", capital(measure_words(ans)),
      group_labels(ans)[widest], number_formatter(3L)(x$gini[widest])))
  }
  gap <- if (!is.null(.subset2(x, "gini_before"))) x$gini - .subset2(x, "gini_before") else NA
  than <- if (is.na(gap)) {
    ""
  } else if (gap == 0) {
    ", as concentrated as before"
  } else {
    sprintf(", %s concentrated than before (%s)",
      if (gap > 0) "more" else "less", number_formatter(3L)(.subset2(x, "gini_before")))
  }
  sprintf("By %s %s %s as much as %s: Gini %s%s", measure_words(ans),
    count_of(x$items, item_noun(ans$plan)), if (x$items == 1L) "weighs" else "weigh",
    count_of_ones(x$effective), number_formatter(3L)(x$gini), than)
}

count_of_ones <- function(n) {
  paste(number_formatter(0L)(n), "equal", if (round(n) == 1) "one" else "ones")
}
