# What is money, and how figures of measures read.

#' The columns that are money: those that were named, else those of the ranking measure that
#' have decimals.
#' @noRd
money_columns <- function(ans) {
  display("money") %||% columns_with_places(ans, plan_measure(ans$plan),
    function(places) !identical(places, 0L))
}

# Columns that a measure adds up or compares, if their number of decimals fits.
columns_with_places <- function(ans, measure, fits) {
  unlist(lapply(unname(measure$aggregates), function(aggregate) {
    of_column <- aggregate$op %in% money_aggregates && identical(aggregate$value$op, "column")
    if (of_column && fits(part_places(ans, aggregate))) aggregate$value$name
  }))
}
money_aggregates <- c("sum", "mean", "min", "max", "median")

# Decimals of a component; of two periods those of the earlier side.
part_places <- function(ans, aggregate) {
  parts <- ans$ranked$tally$parts
  (parts[[aggregate$text]] %||% parts[[paste(aggregate$text, "in from")]])$places
}

#' Is a measure money? Sums, means, extremes, medians and differences of money are, times or by a
#' number or a count; money times money, or by money, is not. Without a word on it a product that
#' is ranked by, such as units times price, is money where it has decimals.
#' @noRd
is_money <- function(ans, measure = asked_measure(ans)) {
  columns <- money_columns(ans)
  if (identical(money_power(measure$tree, columns), 1)) {
    return(TRUE)
  }
  is.null(display("money")) && !length(columns) && has_shares(ans) &&
    identical(measure$name, asked_measure(ans)$name) && broken_sum(ans, measure$tree)
}

# A sum with decimals.
broken_sum <- function(ans, tree) {
  if (tree$op == "aggregate") {
    return(tree$aggregate$op == "sum" && !whole_tree(ans, tree))
  }
  tree$op %in% c("per_day", "+", "-", "negate") &&
    all(vapply(tree$args, function(side) broken_sum(ans, side), NA))
}

# How often money is a factor, less how often it divides.
money_power <- function(node, columns) {
  if (node$op == "aggregate") {
    counts <- node$aggregate$op %in% c("count", "distinct")
    return(if (counts || is.null(node$aggregate$value)) 0 else
      money_power(node$aggregate$value, columns))
  }
  if (node$op == "column") {
    return(as.numeric(node$name %in% columns))
  }
  sides <- vapply(node$args, money_power, 0, columns = columns)
  switch(node$op, "+" = , "-" = max(sides), "*" = sum(sides), "/" = sides[1L] - sides[2L],
    negate = , per_day = sides[1L], 0)
}

#' Is a measure shown as a percentage? Either it is named in the display settings, or it divides
#' money by money, such as a margin. Without named money columns, money has two decimals, and the
#' overall ratio must lie between -1 and 1: net sales divided by cost is not a percentage.
#' @noRd
reads_as_percent <- function(ans, measure = asked_measure(ans)) {
  measure$name %in% display("percent") || is_part_of_money(ans, measure)
}

is_part_of_money <- function(ans, measure) {
  if (!identical(measure$tree$op, "/")) {
    return(FALSE)
  }
  columns <- display("money") %||% columns_with_places(ans, measure,
    function(places) identical(places, 2L))
  all(vapply(measure$tree$args, money_power, 0, columns = columns) == 1) &&
    all(abs(overall_values(ans, measure)) <= 1, na.rm = TRUE)
}

# The values of a measure for all items together; of two periods the values of both.
overall_values <- function(ans, measure) {
  names <- measure$name
  if (has_facet(ans, "change")) {
    main <- identical(names, ans$facets$change$measure$name)
    names <- change_names(if (!main) names)[c("from", "to")]
  }
  unlist(lapply(Filter(Negate(is.null), ans$ranked$overall[names]), quantity_real))
}

#' Formats a difference of two values, with its sign; differences of percentages are in points.
#' @param number Formatter of the values.
#' @noRd
difference_formatter <- function(ans, number = measure_formatter(ans),
  measure = asked_measure(ans)) {
  signed(if (reads_as_percent(ans, measure)) points_formatter() else number)
}

points_formatter <- function() {
  number <- number_formatter(1L)
  function(x) ifelse(is.na(x), "", paste(number(x * 100), "points"))
}

# Sums and extremes of whole numbers, and counts, print whole.
is_whole <- function(ans, measure = asked_measure(ans)) measure$whole %||%
  whole_tree(ans, measure$tree)

whole_tree <- function(ans, tree) {
  switch(tree$op,
    aggregate = tree$aggregate$op %in% c("count", "distinct") ||
    tree$aggregate$op %in% c("sum", "min", "max") &&
    identical(part_places(ans, tree$aggregate), 0L),
    number = tree$value == floor(tree$value),
    "+" = , "-" = , "*" = ,
    negate = all(vapply(tree$args, function(side) whole_tree(ans, side), NA)),
    FALSE)
}

# The measure of a column of the result; of two periods that which was asked for.
measure_named <- function(ans, name) {
  measures <- if (has_facet(ans, "change")) {
    c(list(ans$facets$change$measure), ans$facets$change$additional)
  } else {
    ans$plan$measures
  }
  Find(function(measure) measure$name == name, measures)
}

#' How figures of a measure read.
#' @param values Those that are to be told apart.
#' @return A function from numbers to text.
#' @noRd
figure_formatter <- function(ans, measure, values = numeric(), missing = "") {
  if (is.null(measure)) {
    return(plain_formatter(values))
  }
  if (reads_as_percent(ans, measure)) {
    return(percent_formatter(missing = missing))
  }
  whole <- is_whole(ans, measure)
  if (is_money(ans, measure)) {
    return(money_formatter(missing, whole))
  }
  number_formatter(if (whole) 0L else telling_places(values, measure$tree), missing)
}

# Three decimals below ten, else two; sums and means of decimals two; and as many more as it takes
# to tell the values apart, up to six.
telling_places <- function(values, tree = list(op = "/")) {
  values <- unique(values[is.finite(values)])
  most <- max(abs(values), 0)
  if (tree$op != "/" && most >= 1) {
    return(2L)
  }
  for (places in (if (most < 10) 3L else 2L):6) if (!anyDuplicated(round(values, places))) break
  places
}

# Values of the first ten of each group, which a table shows: the ranking measure tells them apart,
# in tables, figures and sentences alike.
told_values <- function(ans) {
  if (has_facet(ans, "change") || !length(ans$ranked$cell)) {
    return(numeric())
  }
  rows <- utils::head(which(places(ans$ranked)$place <= 10L), 60L)
  quantity_real(quantity_at(ans$ranked$quantity, rows))
}

# The largest value, which sets the decimals of an additional measure.
greatest <- function(values) max(abs(values), 0, na.rm = TRUE)

money_unit <- function() money_units[[display("unit") %||% "one"]]

money_formatter <- function(missing = "", whole = FALSE) {
  unit <- money_unit()
  number <- number_formatter(display("decimals") %||% if (unit != 1) 1L else if (whole) 0L else 2L,
    missing)
  function(x) number(x / unit)
}

# "thousand EUR": what is said of amounts of money; empty for anything else.
money_words <- function(ans, measure = asked_measure(ans)) {
  if (is_money(ans, measure)) paste(c(setdiff(display("unit"), "one"), display("currency")),
    collapse = " ") else ""
}

# "Net sales (thousand EUR)": the name as shown, with the unit.
measure_title <- function(ans, name = asked_measure(ans)$name, measure = asked_measure(ans)) {
  unit <- if (is.null(measure)) "" else money_words(ans, measure)
  paste0(name, if (nzchar(unit)) sprintf(" (%s)", unit))
}

column_title <- function(ans, name) measure_title(ans, shown_name(name), measure_named(ans, name))

#' In sentences the unit follows the number.
#' @param number A formatter of a measure's figures.
#' @noRd
said_formatter <- function(ans, measure = asked_measure(ans), number = NULL) {
  number <- number %||%
    if (identical(measure$name, asked_measure(ans)$name)) measure_formatter(ans) else
    figure_formatter(ans, measure)
  unit <- money_words(ans, measure)
  function(x) {
    text <- number(x)
    ifelse(nzchar(unit) & nzchar(text) & !is.na(x), paste(text, unit), text)
  }
}

# A setting that changes nothing says so.
money_note <- function(ans) {
  given <- c(currency = !is.null(display("currency")), unit = money_unit() != 1,
    decimals = !is.null(display("decimals")), money = !is.null(display("money")))
  measures <- c(list(asked_measure(ans)), additional_measures(ans))
  if (any(given) && length(ans$ranked$cell) && !any(vapply(measures, is_money, NA, ans = ans))) {
    sprintf("Nothing here is money, so that %s %s nothing%s.", enumerate(names(given)[given]),
      if (sum(given) == 1L) "changes" else "change",
      if (given[["money"]]) "" else "; columns that are money are named by `money`")
  }
}
