# Best and worst in words.

# Of each group and end one line: its items, value and share.
extreme_ends <- function(x, ans) {
  groups <- seq_along(ans$ranked$totals$items)
  found <- ans$facets$extremes
  names <- item_labels(unclass(x)[names(ans$plan$by)], names(ans$plan$by))
  value <- .subset2(x, plan_measure(ans$plan)$name)
  share <- .subset2(x, "share") %||% rep(NA_real_, length(value))
  one <- function(end) {
    at <- lapply(groups, function(g) which(found$cell == g & found$end == end))
    first <- vapply(at, function(i) i[1L], 0L)
    more <- lengths(at) - 1L
    name <- ifelse(is.na(first), "", names[first])
    list(name = ifelse(more > 0L, sprintf("%s and %s more", name, format_count(more)), name),
      value = value[first], share = share[first], row = found$row[first])
  }
  list(best = one("best"), worst = one("worst"))
}

#' "Sorrelby Boatyard is best of 241 customers with 4.5% of net sales, Farrend Chandlers
#' worst"; of groups, who is best and worst most often.
#' @noRd
extremes_finding <- function(ans, x) {
  ends <- extreme_ends(x, ans)
  groups <- length(ans$ranked$totals$items)
  if (!groups) {
    return(question_text(ans$plan))
  }
  if (groups == 1L && ans$facets$extremes$equal) {
    return(sprintf("All %s are equal with %s",
      count_of(ans$ranked$totals$items, item_noun(ans$plan)),
      said_formatter(ans)(ends$best$value)))
  }
  if (groups == 1L) {
    share <- ends$best$share
    with <- if (is.na(share)) {
      said_formatter(ans)(ends$best$value)
    } else {
      sprintf("%s of %s", percent_formatter()(share), measure_words(ans))
    }
    worst <- if (nzchar(ends$worst$name)) {
      sprintf("; worst is %s with %s", ends$worst$name, said_formatter(ans)(ends$worst$value))
    } else {
      ""
    }
    return(sprintf("Best of %s is %s with %s%s",
      count_of(ans$ranked$totals$items, item_noun(ans$plan)), ends$best$name, with, worst))
  }
  often <- function(end) {
    found <- ans$facets$extremes
    names <- item_labels(unclass(x)[names(ans$plan$by)],
      names(ans$plan$by))[found$end == end]
    counts <- sort(table(names), decreasing = TRUE)
    if (length(counts) && counts[[1L]] > 1L) {
      sprintf("%s is %s in %s", names(counts)[1L], end, format_count(counts[[1L]]))
    }
  }
  words <- c(often("best"), often("worst"))
  sprintf("%s %s",
    if (length(words)) {
      paste(paste(words, collapse = ", "), "of")
    } else {
      sprintf("Best and worst %s in", item_noun(ans$plan))
    },
    count_of(groups, group_noun(ans)))
}

extremes_notes <- function(ans) {
  equal <- ans$facets$extremes$equal
  labels <- group_labels(ans)
  if (any(equal)) {
    sprintf("All are equal%s: there is no worst.",
      if (nzchar(labels[1L])) paste(" in", enumerate(labels[equal])) else "")
  }
}
