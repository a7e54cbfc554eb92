# What moves: the thresholds that a question has, each as a number between two ends.

#' @param x The answer.
#' @return List of `id`, `label`, `value`, `least`, `most`, `by` (the finest move), and `unit` ("%"
#'   or "").
#' @noRd
step_thresholds <- function(step, x) {
  maker <- threshold_makers[[step_command(step)]]
  # Tiles have no mark that their figure could show.
  if (is.null(maker) || step$kind == "tiles") list() else maker(step, x)
}

threshold_makers <- list(
  standings = function(step, x) top_threshold(step, answer_of(x)),
  pareto = function(step, x) {
    list(a_threshold("reach", "reach", 100 * answer_of(x)$facets$reach$part$value, 1, 100, 1, "%"))
  },
  tiers = function(step, x) scheme_thresholds(answer_of(x)),
  quadrants = function(step, x) split_thresholds(answer_of(x)),
  targets = function(step, x) {
    list(a_threshold("exceed_at", "exceeded above",
      100 * as.numeric(step$args$exceed_at %||% argument_of("targets", "exceed_at")$default),
      50, 200, 1, "%"))
  },
  changes = function(step, x) {
    list(a_threshold("tolerance", "unchanged up to",
      100 * (read_tolerance(step$args$tolerance %||% 0)$value %||% 0), 0, 50, 1, "%"))
  }
)

a_threshold <- function(id, label, value, least, most, by, unit = "") {
  # What was typed may lie outside of what is usual; the ends are whole steps from zero.
  list(id = id, label = label, value = value, least = by * floor(min(least, value) / by),
    most = by * ceiling(max(most, value) / by), by = by,
    unit = unit)
}

# How many of the first are marked; 0 for none.
top_threshold <- function(step, ans) {
  text <- step$args$highlight %||% ""
  shape <- "^top\\(([0-9]+)\\)$"
  if (nzchar(text) && !grepl(shape, text)) {
    return(list()) # other marks stay as they are
  }
  most <- max(1, tabulate(ans$ranked$cell))
  list(a_threshold("top", "mark the top",
    if (nzchar(text)) as.numeric(sub(shape, "\\1", text)) else 0, 0, min(most, 500), 1))
}

scheme_thresholds <- function(ans) {
  scheme <- ans$facets$tiers$scheme
  k <- length(scheme$labels)
  labels <- paste("tier", scheme$labels[-k])
  each <- function(values, least, most, by, unit = "") {
    lapply(seq_along(values),
      function(i) a_threshold(sprintf("tier %d", i), labels[i], values[i], least, most, by, unit))
  }
  switch(scheme$kind,
    share = , percentile = each(100 * vapply(scheme$bounds, `[[`, 0, "value"), 1, 99, 1, "%"),
    rank = each(scheme$bounds, 1, max(1, tabulate(ans$ranked$cell)), 1),
    value = {
      ends <- value_ends(if (is.null(scheme$of)) ans$ranked$quantity else NULL, scheme$bounds)
      each(scheme$bounds, ends[1L], ends[2L], fine_step(ends))
    },
    equal = list(a_threshold("tiers", "equal tiers", k, 2, 12, 1)))
}

value_ends <- function(quantity, values) {
  range(c(if (!is.null(quantity)) quantity_real(quantity), values), na.rm = TRUE, finite = TRUE)
}

# A hundredth of the way, as a round number.
fine_step <- function(ends) {
  width <- diff(ends)
  if (is.finite(width) && width > 0) 10^floor(log10(width / 100)) else 1
}

split_thresholds <- function(ans) {
  found <- ans$facets$quadrants
  if (!one_group(ans)) {
    return(list()) # each group has a line of its own
  }
  q <- list(ans$ranked$quantity, second_quantity(ans))
  lapply(1:2, function(i) {
    line <- found$lines[[i]][1L]
    ends <- value_ends(q[[i]], line)
    measure <- ans$plan$measures[[i]]
    a_threshold(c("split_of", "split_against")[i], paste(plain_words(measure$name), "split at"),
      line, ends[1L], ends[2L], fine_step(ends))
  })
}

# Moving -------------------------------------------------------------------

#' The step with a threshold elsewhere.
#' @param x The answer of the step as it is.
#' @noRd
move_threshold <- function(step, id, value, x) {
  if (!is.numeric(value) || length(value) != 1L || !is.finite(value)) {
    return(step)
  }
  percent <- paste0(number_text(value), "%")
  if (startsWith(id, "tier")) {
    step$args$scheme <- moved_scheme(answer_of(x)$facets$tiers$scheme, id, value)
  } else {
    step$args[[id]] <- NULL
    if (id == "top") {
      step$args$highlight <- if (value >= 1) sprintf("top(%s)", number_text(round(value)))
    } else {
      step$args[[id]] <- switch(id, reach = , tolerance = percent,
        exceed_at = number_text(value / 100), number_text(value))
    }
  }
  step
}

# Tiers do not pass each other: one that is moved pushes the others before it.
moved_scheme <- function(scheme, id, value) {
  if (id == "tiers") {
    n <- max(2, min(100, round(value)))
    return(scheme_text(scheme_equal(n, of = scheme$of)))
  }
  i <- as.integer(sub("tier ", "", id))
  k <- length(scheme$bounds)
  if (!i %in% seq_len(k)) {
    return(scheme_text(scheme))
  }
  parts <- scheme$kind %in% c("share", "percentile")
  values <- if (parts) 100 * vapply(scheme$bounds, `[[`, 0, "value") else scheme$bounds
  falling <- k > 1L && !parts && values[1L] > values[k]
  values[i] <- value
  apart <- if (parts || scheme$kind == "rank") 1 else max(abs(values)) * 1e-6
  for (j in rev(seq_len(i - 1L))) values[j] <- if (falling) max(values[j],
    values[j + 1L] + apart) else min(values[j], values[j + 1L] - apart)
  for (j in seq_len(k - i) + i) values[j] <- if (falling) min(values[j],
    values[j - 1L] - apart) else max(values[j], values[j - 1L] + apart)
  if (parts) {
    values <- pmin(pmax(values, seq_len(k)), 100 - rev(seq_len(k)))
    scheme$bounds <- lapply(values,
      function(v) read_part(paste0(number_text(v), "%"), "a tier's part"))
    if (scheme$kind == "percentile") {
      places <- max(vapply(scheme$bounds, `[[`, 0, "places"))
      scheme$bounds <- lapply(scheme$bounds,
        function(b) list(value = b$value, digits = b$digits * 10^(places - b$places),
          places = places,
          text = b$text))
    }
  } else {
    scheme$bounds <- if (scheme$kind == "rank") pmax(values, seq_len(k)) else values
  }
  scheme_text(scheme)
}

# Groups -------------------------------------------------------------------

#' Groups that can be shown alone, as selections. The first one is the group inside the threshold.
#' @return Named texts: selections by what they are called.
#' @noRd
step_groups <- function(x) {
  ans <- answer_of(x)
  if (has_facet(ans, "tiers")) {
    labels <- ans$facets$tiers$scheme$labels
    return(with_names(sprintf("in_tier(%s)", text_literal(labels)), paste("tier", labels)))
  }
  of_column <- function(column,
    labels) with_names(sprintf("%s == %s", column, text_literal(labels)), labels)
  if (has_facet(ans, "quadrants")) {
    return(of_column("quadrant", ans$facets$quadrants$labels))
  }
  if (has_facet(ans, "change")) {
    return(of_column("class", change_classes))
  }
  if (has_facet(ans, "targets")) {
    return(of_column("status", target_statuses))
  }
  if (has_facet(ans, "reach")) {
    return(c("those that reach it" = "reached", "all others" = "!reached"))
  }
  marks <- ans$facets$marks
  if (!is.null(marks)) {
    text <- paste(sprintf("(%s)", marks$text), collapse = " | ")
    return(with_names(c(text, sprintf("!(%s)", text)), c("those marked", "all others")))
  }
  character()
}
