# Tiers in words.

# In units of the measure that the tiers are cut by.
tier_formatter <- function(ans) {
  if (isTRUE(ans$facets$tiers$scheme$percent)) {
    percent_formatter()
  } else if (tiers_ranked(ans)) {
    measure_formatter(ans)
  } else {
    figure_formatter(ans, tier_measure_of(ans), greatest(ans$facets$tiers$cuts$cut))
  }
}

said_tier_formatter <- function(ans) said_formatter(ans, tier_measure_of(ans), tier_formatter(ans))

tier_measure_of <- function(ans) {
  if (tiers_ranked(ans)) {
    asked_measure(ans)
  } else {
    ans$facets$tiers$own$measure %||% measure_named(ans, ans$facets$tiers$scheme$of)
  }
}

# The scheme in words, with names as they are shown.
shown_scheme <- function(scheme) scheme_title(scheme, plain_words)

one_tiered <- function(ans) has_facet(ans, "tiers") && one_group(ans)

#' "98 of 241 customers are in tier A: 80.0% of net sales".
#' @noRd
tier_finding <- function(ans) {
  first <- which(tabulate(ans$facets$tiers$number, length(ans$facets$tiers$scheme$labels)) > 0L)[1L]
  if (is.na(first)) {
    return(question_text(ans$plan))
  }
  rows <- which(ans$facets$tiers$number == first)
  share <- if (has_shares(ans)) selected_share(ans, rows) else NA
  sprintf("%s of %s %s in tier %s%s", format_count(length(rows)),
    count_of(length(ans$ranked$cell), item_noun(ans$plan)), if (length(rows) == 1L) "is" else "are",
    ans$facets$tiers$scheme$labels[first],
    if (is.na(share)) "" else sprintf(": %s of %s", percent_formatter()(share), measure_words(ans)))
}

# "from 11,095.39"; nothing for the last tier.
cut_off_words <- function(table, ans, number) {
  ifelse(is.na(table$cut_off), "",
    paste(if (ans$plan$rules$best == "lowest") "up to" else "from", number(table$cut_off)))
}

# What each tier takes in, as intervals that meet.
tier_intervals <- function(scheme) {
  b <- scheme$bounds
  k <- length(scheme$labels)
  number <- function(x) if (isTRUE(scheme$percent)) percent_text(x) else prettyNum(number_text(x),
    big.mark = ",", decimal.mark = ".", input.d.mark = ".")
  text <- function(parts) vapply(parts, `[[`, "", "text")
  switch(scheme$kind,
    value = if (k > 2L && b[1L] < b[2L]) {
      c(sprintf("up to %s", number(b[1L])),
        sprintf("above %s, up to %s", number(b[-length(b)]), number(b[-1L])),
        sprintf("above %s", number(b[k - 1L])))
    } else {
      c(sprintf("from %s", number(b[1L])),
        if (k > 2L) sprintf("from %s, below %s", number(b[-1L]), number(b[-length(b)])),
        sprintf("below %s", number(b[k - 1L])))
    },
    share = c(sprintf("the first %s of the total", text(b[1L])),
      if (k > 2L) sprintf("from there to %s", text(b[-1L])), "all others"),
    percentile = {
      size <- diff(c(0, vapply(b, `[[`, 0, "value"), 1))
      c(sprintf("the top %s of the items", percent_text(size[1L])),
        sprintf("the next %s", percent_text(size[-1L])))
    },
    rank = c(sprintf("ranks 1 to %s", number(b[1L])),
      if (k > 2L) sprintf("ranks %s to %s", number(b[-length(b)] + 1), number(b[-1L])),
      sprintf("ranks from %s", number(b[k - 1L] + 1))),
    equal = rep(sprintf("1 of %d parts of the items", k), k)
  )
}

percent_text <- function(x) paste0(number_text(round(x * 100, 10)), "%")
