# Tier schemes, which are values, and what they make of standings.
#
# A scheme has
#   kind      "value", "share", "percentile", "rank" or "equal"
#   labels    of all tiers, best first; the last one catches the rest
#   bounds    one less than labels: numbers, or parts as `read_part()` gives them
#   of        name of the measure to tier by; NULL is the ranking measure
#   boundary  "reach" or "within", for shares
#   colours   by label, or NULL
#   percent   whether bounds by value were written as percentages

new_scheme <- function(kind, labels, bounds, of = NULL, boundary = NULL, colours = NULL,
  call = NULL) {
  check_labels(labels, call)
  check_tier_colours(colours, labels, call)
  structure(list(kind = kind, labels = labels, bounds = bounds, of = of, boundary = boundary,
    colours = colours), class = "eggcrate_scheme")
}

check_labels <- function(labels, call = NULL) {
  twice <- unique(labels[duplicated(labels)])
  if (length(twice)) {
    stop_scheme(sprintf("The label %s is used for more than one tier.", quoted(twice[1L])),
      "Each tier needs a label of its own.", call)
  }
  if (anyNA(labels) || any(!nzchar(labels))) {
    stop_scheme("Each tier needs a label.", "Write `c(A = 10000, B = 5000)`.", call)
  }
  if ("(none)" %in% labels) {
    stop_scheme("The label \"(none)\" is for items without a value.", call = call)
  }
}

check_tier_colours <- function(colours, labels, call = NULL) {
  unknown <- setdiff(names(colours), labels)
  if (length(colours) && (is.null(names(colours)) || length(unknown))) {
    stop_scheme("`colours` must name the tiers, as in c(A = \"#25343A\").",
      if (length(unknown)) sprintf("There is no tier %s.", quoted(unknown[1L])), call)
  }
}

stop_scheme <- function(header, hint = NULL, call = NULL) {
  stop_eggcrate("call", "scheme", header, i = hint, call = call)
}

# Numbers that fall (or grow) from tier to tier: else a tier would lie inside
# another.
check_order <- function(x, labels, falling, call = NULL) {
  wrong <- which(if (falling) diff(x) >= 0 else diff(x) <= 0)
  if (length(wrong)) {
    at <- wrong[1L] + 0:1
    stop_scheme(sprintf(
      "Tier %s would be empty: its bound (%s) must be %s than that of tier %s (%s).",
      labels[at[2L]], number_text(x[at[2L]]), if (falling) "lower" else "higher", labels[at[1L]],
      number_text(x[at[1L]])),
      sprintf("Give the tiers best first, with bounds that %s.", if (falling) "fall" else "grow"),
      call)
  }
}

# Making schemes -------------------------------------------------------------

scheme_value <- function(bounds = NULL, rest = "rest", of = NULL, colours = NULL, call = NULL) {
  check_bounds(bounds, "numbers", call)
  percent <- is.character(bounds) && any(grepl("%[[:space:]]*$", bounds))
  if (is.character(bounds)) bounds <- with_names(written_numbers(bounds), names(bounds))
  if (!is.numeric(bounds) || any(!is.finite(bounds))) {
    stop_scheme("The bounds must be numbers, such as c(A = 10000, B = 5000).", call = call)
  }
  # Falling bounds are lower ones; growing ones are upper ones, for best = "lowest".
  if (length(bounds) > 1L) {
    check_order(unname(bounds), names(bounds), bounds[1L] > bounds[length(bounds)], call)
  }
  scheme <- new_scheme("value", c(names(bounds), rest), unname(bounds), of, colours = colours,
    call = call)
  scheme$percent <- percent
  scheme
}

scheme_share <- function(bounds = NULL, rest = "rest", boundary = "reach", of = NULL,
  colours = NULL,
  call = NULL) {
  check_choice(boundary, c("reach", "within"), "boundary", call)
  new_scheme("share", c(names(bounds), rest), growing_parts(bounds, call), of, boundary, colours,
    call)
}

growing_parts <- function(bounds, call = NULL) {
  check_bounds(bounds, "parts", call)
  parts <- lapply(bounds, read_part, arg = "a tier's part", call = call)
  values <- vapply(parts, `[[`, 0, "value")
  if (length(values) > 1L) check_order(unname(values), names(bounds), FALSE, call)
  if (values[length(values)] == 1) {
    stop_scheme("The last part is all there is, so that nothing is left for the rest.",
      "Parts cumulate: c(A = \"80%\", B = \"95%\").", call)
  }
  unname(parts)
}

scheme_percentile <- function(sizes = NULL, of = NULL, colours = NULL, call = NULL) {
  check_bounds(sizes, "parts", call)
  parts <- unname(lapply(sizes, read_part, arg = "a tier's size", call = call))
  places <- max(vapply(parts, `[[`, 0, "places"))
  digits <- vapply(parts, function(p) p$digits * 10^(places - p$places), 0)
  if (sum(digits) != 10^places) {
    stop_scheme(sprintf("The sizes add up to %s, not 100%%.",
      paste0(number_text(sum(digits) * 100 / 10^places), "%")),
      "Sizes are parts of the items, from the top.", call)
  }
  cumulated <- lapply(cumsum(digits),
    function(d) list(value = d / 10^places, digits = d, places = places,
      text = paste0(number_text(d * 100 / 10^places), "%")))
  new_scheme("percentile", names(sizes), cumulated[-length(cumulated)], of, colours = colours,
    call = call)
}

scheme_rank <- function(bounds = NULL, rest = "rest", of = NULL, colours = NULL, call = NULL) {
  check_bounds(bounds, "ranks", call)
  if (!is.numeric(bounds) || any(!is.finite(bounds) | bounds < 1 | bounds != floor(bounds))) {
    stop_scheme("The bounds must be ranks, such as c(A = 10, B = 50).", call = call)
  }
  check_order(unname(bounds), names(bounds), FALSE, call)
  new_scheme("rank", c(names(bounds), rest), unname(bounds), of, colours = colours, call = call)
}

scheme_equal <- function(tiers = NULL, labels = NULL, of = NULL, colours = NULL, call = NULL) {
  if (!is.numeric(tiers) || length(tiers) != 1L || is.na(tiers) || tiers < 2 ||
    tiers != floor(tiers) || tiers > 100) {
    stop_scheme(sprintf("`tiers` must be a whole number from 2 to 100, not %s.", describe(tiers)),
      call = call)
  }
  labels <- as.character(labels %||% seq_len(tiers))
  if (length(labels) != tiers) {
    stop_scheme(sprintf("There are %d tiers and %d labels.", as.integer(tiers), length(labels)),
      call = call)
  }
  new_scheme("equal", labels, numeric(tiers - 1L), of, colours = colours, call = call)
}

check_bounds <- function(bounds, what, call = NULL) {
  if (!length(bounds) || is.null(names(bounds)) || any(!nzchar(names(bounds))) || anyNA(bounds)) {
    stop_scheme(sprintf("The tiers must be %s with labels, such as %s.", what,
      switch(what, numbers = "c(A = 10000, B = 5000)", ranks = "c(A = 10, B = 50)",
        "c(A = \"80%\", B = \"95%\")")), call = call)
  }
}

# Schemes as text ------------------------------------------------------------

scheme_makers <- list(tiers_by_value = scheme_value, tiers_by_share = scheme_share,
  tiers_by_percentile = scheme_percentile, tiers_by_rank = scheme_rank, tiers_equal = scheme_equal)

#' A scheme written as in R, from the command line: one of five calls with plain
#' values, never run as R code.
#' @noRd
read_scheme <- function(x, call = NULL) {
  if (!is.character(x) && !is.language(x)) {
    check_scheme(x, call)
    return(x)
  }
  expr <- read_expression(x, "scheme", call)
  if (!is.call(expr)) stop_scheme("A scheme is a call such as tiers_by_rank(c(A = 10, B = 50)).",
    sprintf("The schemes are %s.", enumerate(tick(names(scheme_makers)))), call)
  name <- called(expr, "schemes", names(scheme_makers), call)
  given <- as.list(expr)[-1L]
  taken <- setdiff(names(formals(scheme_makers[[name]])), "call")
  unknown <- setdiff(names(given), c("", taken))
  if (length(unknown)) {
    stop_unknown_value(sprintf("an argument of %s()", name), unknown[1L], taken, call)
  }
  if (!is.null(given$of)) given$of <- tier_measure(given$of)
  values <- lapply(given, function(arg) {
    if (is.name(arg)) {
      as.character(arg)
    } else if (is_call_to(arg, "c")) {
      named_values(arg, expr, call)
    } else {
      plain_value(arg, expr, call)
    }
  })
  do.call(scheme_makers[[name]], c(values, list(call = call)))
}

named_values <- function(arg, expr, call = NULL) {
  values <- lapply(as.list(arg)[-1L], plain_value, expr = expr, call = call)
  unlist(values)
}

# A measure to tier by: the name of one, or an expression, as text.
tier_measure <- function(of) {
  if (is.name(of)) as.character(of) else if (is.null(of) || is.character(of)) of else expr_text(of)
}

check_scheme <- function(scheme, call = NULL) {
  if (missing(scheme)) {
    stop_missing_arg("scheme", "Such as `tiers_by_share(c(A = \"80%\", B = \"95%\"))`.", call)
  }
  if (!inherits(scheme, "eggcrate_scheme")) {
    stop_eggcrate("call", "unknown_value",
      sprintf("`scheme` must be a tier scheme, not %s.", describe(scheme)),
      i = "Make one, for instance with `tiers_by_share(c(A = \"80%\", B = \"95%\"))`.", call = call)
  }
}

# The scheme in words; `words` says how the name of a measure reads.
scheme_title <- function(scheme, words = spaced_words) {
  of <- if (is.null(scheme$of)) "" else paste(" of", words(scheme$of))
  switch(scheme$kind,
    value = paste0("tiers by value", of),
    share = sprintf("tiers by cumulative share%s, %s", of,
      if (scheme$boundary == "reach") {
        "the item that crosses the line is in"
      } else {
        "the item that crosses the line is out"
      }),
    percentile = paste0("tiers by percentile", of),
    rank = paste0("tiers by rank", of),
    equal = sprintf("%d equal tiers%s", length(scheme$labels), of)
  )
}

# A scheme as it is written: read again it is the same.
scheme_text <- function(scheme) {
  k <- length(scheme$labels)
  pairs <- function(values, labels) sprintf("c(%s)",
    paste(sprintf("%s = %s", tick_odd(labels), values), collapse = ", "))
  rest <- sprintf(", rest = %s", text_literal(scheme$labels[k]))
  own <- c(
    if (!is.null(scheme$of)) sprintf("of = %s", text_literal(scheme$of)),
    if (identical(scheme$boundary, "within")) "boundary = \"within\"",
    if (length(scheme$colours)) sprintf("colours = %s",
      pairs(text_literal(scheme$colours), names(scheme$colours))))
  parts <- function(bounds) text_literal(vapply(bounds,
    function(b) gsub(" ", "", b$text, fixed = TRUE), ""))
  first <- switch(scheme$kind,
    value = paste0(pairs(if (isTRUE(scheme$percent)) sprintf("\"%s%%\"",
      number_text(scheme$bounds * 100)) else number_text(scheme$bounds),
      scheme$labels[-k]), rest),
    share = paste0(pairs(parts(scheme$bounds), scheme$labels[-k]), rest),
    percentile = pairs(parts(sizes_of_parts(scheme$bounds)), scheme$labels),
    rank = paste0(pairs(number_text(scheme$bounds), scheme$labels[-k]), rest),
    equal = paste0(k, if (!identical(scheme$labels, as.character(seq_len(k)))) {
      sprintf(", labels = c(%s)", paste(text_literal(scheme$labels), collapse = ", "))
    }))
  sprintf("tiers_%s(%s)", if (scheme$kind == "equal") "equal" else paste0("by_", scheme$kind),
    paste(c(first, own), collapse = ", "))
}

# Sizes from where they end.
sizes_of_parts <- function(bounds) {
  places <- bounds[[1L]]$places
  ends <- c(0, vapply(bounds, `[[`, 0, "digits"), 10^places)
  lapply(diff(ends),
    function(digits) list(text = paste0(number_text(digits * 100 / 10^places), "%")))
}
