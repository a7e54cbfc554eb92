# Options crossed: every pair of these levels in the tests, any number of further
# combinations by `make cross`.

cross_factors <- function() {
  list(
    kind = c("standings", "pareto", "tiers", "quadrants", "changes", "targets", "potential", "columns", "own"),
    groups = c("none", "within", "over", "both"),
    share_base = c("net", "positive"), share_of = c("group", "all", "period"),
    after = c("nothing", "only", "others", "highlight", "drill", "tiers", "reach"),
    shape = c("plain", "one", "none", "tied", "losses", "below"),
    verb = names(cross_verbs())
  )
}

# Every pair of levels of two factors, in as few rows as a greedy search finds.
all_pairs <- function(factors, seed = 1, tries = 40) {
  set.seed(seed)
  pairs <- utils::combn(names(factors), 2, simplify = FALSE)
  open <- lapply(pairs, function(p) {
    matrix(TRUE, length(factors[[p[1]]]), length(factors[[p[2]]]),
      dimnames = list(factors[[p[1]]], factors[[p[2]]]))
  })
  rows <- list()
  while (any(unlist(open))) {
    first <- which.max(vapply(open, sum, 0))
    at <- which(open[[first]], arr.ind = TRUE)
    at <- at[sample(nrow(at), 1), ]
    best <- NULL
    most <- -1
    for (i in seq_len(tries)) {
      row <- lapply(factors, sample, 1)
      row[[pairs[[first]][1]]] <- rownames(open[[first]])[at[1]]
      row[[pairs[[first]][2]]] <- colnames(open[[first]])[at[2]]
      new <- sum(mapply(function(p, o) o[row[[p[1]]], row[[p[2]]]], pairs, open))
      if (new > most) {
        most <- new
        best <- row
      }
    }
    for (k in seq_along(pairs)) open[[k]][best[[pairs[[k]][1]]], best[[pairs[[k]][2]]]] <- FALSE
    rows[[length(rows) + 1]] <- best
  }
  rows
}

cross_data <- function(shape) {
  set.seed(7)
  n <- 160
  data <- data.frame(item = sample(letters[1:9], n, TRUE), grp = sample(c("n", "s"), n, TRUE),
    day = as.Date("2026-01-01") + sample(0:89, n, TRUE), order = sample(1:60, n, TRUE),
    sales = round(stats::rlnorm(n, 3, 1), 2), units = sample(1:9, n, TRUE))
  data$sales[1:6] <- -data$sales[1:6]
  data$sales[7:9] <- NA
  switch(shape, plain = data, one = data[data$item == "a", ], none = data[0, ],
    tied = transform(data, sales = 10), losses = transform(data, sales = sales - 12),
    below = transform(data, sales = -abs(sales)))
}

# The result of one combination, up to what is done with it.
cross_make <- function(row) {
  data <- cross_data(row$shape)
  words <- c(if (row$groups %in% c("within", "both")) list(within = quote(grp)),
    if (row$groups %in% c("over", "both") || row$kind == "changes") list(over = quote(month(day))))
  rules <- list(share_base = row$share_base, share_of = row$share_of)
  call <- function(verb, ..., rules = NULL) {
    do.call(verb, c(list(data, of = quote(sum(sales)), by = quote(item)), list(...), words, rules),
      quote = FALSE)
  }
  x <- switch(row$kind,
    standings = call(standings, rules = rules), pareto = call(pareto, rules = rules),
    tiers = assign_tiers(call(standings, rules = rules),
      tiers_by_share(c(A = "60%", B = "90%"), rest = "C")),
    quadrants = call(quadrants, against = quote(sum(units)), rules = rules),
    potential = call(quadrants, against = quote(c(each = sum(sales) / sum(units))), potential_at = "500%", rules = rules),
    # Other measures, and columns in the place of periods.
    own = assign_tiers(call(standings, rules = rules), tiers_by_value(c(A = "300%"), of = sum(sales) / sum(units))),
    columns = do.call(compare_periods, list(data, by = quote(item), from = quote(sum(sales, when = units < 5)),
      to = quote(sum(sales)), within = words$within), quote = FALSE),
    changes = call(compare_periods, also = quote(c(n = count()))), targets = call(against_target, target = 100))
  switch(row$after, nothing = x, only = only(x, top(3)), others = only(x, top(3), others = TRUE),
    highlight = highlight(x, bottom(2)), drill = drill(x, top(2), by = order),
    tiers = assign_tiers(x, tiers_equal(3)), reach = only(x, reaching("80%")))
}

cross_verbs <- function() {
  layout <- data.frame(item = letters[1:9], row = rep(1:3, each = 3), column = rep(1:3, 3))
  groups <- data.frame(grp = c("n", "s"), row = 1, column = 1:2)
  tiles <- function(x) {
    if ("grp" %in% eggcrate:::group_names(answer_of(x)$plan)) groups else layout
  }
  list(
    print = function(x) format(x, width = 90), narrow = function(x) format(x, width = 50, n = 2),
    html = function(x) as.character(html_table(x)), csv = function(x) {
      eggcrate:::csv_text(x, escape = TRUE)
    },
    json = function(x) eggcrate:::json_lines(x, c("tiers", "quadrants", "classes", "bridge",
      "statuses")),
    receipt = receipt, thresholds = threshold_table, tier_table = tier_table,
    pareto_chart = function(x) ggplot2::ggplot_build(chart_pareto(x)),
    bars = function(x) ggplot2::ggplot_build(chart_bars(x)),
    chart = function(x) ggplot2::ggplot_build(ggplot2::autoplot(x)),
    tiers_chart = function(x) ggplot2::ggplot_build(chart_tiers(x)),
    concentration = function(x) format(concentration(x)),
      extremes = function(x) format(extremes(x)),
    why = function(x) why(x, eggcrate:::item_names(answer_of(x))[1]),
    tiles = function(x) tile_table(x, tiles(x)),
    intervals = function(x) rank_intervals(x, orders = order, times = 20),
    findings = function(x) format(findings(x, over = month(day))),
    again = function(x) assign_tiers(x, tiers_by_rank(c(A = 2), rest = "B")),
    best = function(x) only(x, at_least(20) & !bottom(1)),
      drill = function(x) drill(x, top(1), by = units),
    table_quadrants = quadrant_table, table_classes = class_table, table_statuses = status_table
  )
}

# What must hold of any result, whatever its options.
cross_invariants <- function(x) {
  ans <- answer_of(x)
  ranked <- ans$ranked
  at <- ans$rows
  at <- if (is.null(at)) seq_along(ranked$cell) else at
  some <- !is.na(at)
  name <- ans$plan$measures[[1]]$name
  value <- eggcrate:::quantity_real(ranked$quantity)
  testthat::expect_equal(as.numeric(x[[name]])[some], value[at[some]], tolerance = 1e-12)
  groups <- length(ranked$totals$items)
  sums <- vapply(seq_len(groups), function(g) sum(value[ranked$cell == g], na.rm = TRUE), 0)
  if (is.null(ans$facets$change)) testthat::expect_equal(ranked$totals[[name]], sums,
    tolerance = 1e-12)
  testthat::expect_equal(tabulate(ranked$cell, groups), as.vector(ranked$totals$items))
  if ("share" %in% names(x) && all(some)) cross_shares(x, ans, at)
  text <- eggcrate:::csv_text(x, escape = FALSE)
  testthat::expect_false(any(grepl("(^|,)(NaN|-?Inf|-0)(,|$)", text)))
  account <- receipt(x)
  rows <- function(step) sum(account$n[account$step == step & grepl("^rows", account$fact)])
  testthat::expect_equal(rows("read"), rows("filtered out") + rows("excluded") + rows("used"))
}

# Shares are of one base; the cumulative ones are theirs, added; what is reached agrees.
cross_shares <- function(x, ans, at) {
  ranked <- ans$ranked
  value <- eggcrate:::quantity_real(ranked$quantity)
  positive <- ans$plan$rules$share_base == "positive"
  counted <- if (positive) pmax(value, 0) else value
  cell <- ranked$cell
  over <- as.character(ranked$totals$month)
  base <- switch(ans$plan$rules$share_of, all = rep(sum(counted), length(cell)),
    period = if (length(over)) stats::ave(counted, over[cell], FUN = sum),
    group = stats::ave(counted, cell, FUN = sum))
  share <- as.numeric(ifelse(base > 0 & (!positive | value >= 0), value / base, NA))
  cum <- as.numeric(ifelse(base > 0, stats::ave(counted, cell, FUN = cumsum) / base, NA))
  testthat::expect_equal(x$share, share[at], tolerance = 1e-9)
  testthat::expect_equal(x$cum_share, cum[at], tolerance = 1e-9)
  if (is.null(ans$facets$reach)) return(invisible())
  before <- stats::ave(counted, cell, FUN = cumsum) - counted
  of_block <- stats::ave(before, ranked$block, FUN = function(b) b[1])
  part <- ans$facets$reach$part$value
  # Once reached, nothing later is in.
  reached <- stats::ave(of_block >= part * base - 1e-9, cell, FUN = cummax) == 0
  testthat::expect_identical(x$reached, ifelse(base > 0, reached, NA)[at])
}

#' @return "right", "refused", or the raw error.
cross_check <- function(row) {
  told <- paste(names(row), unlist(row), sep = "=", collapse = " ")
  clear <- function(e) {
    testthat::expect_lt(nchar(conditionMessage(e)), 700)
    testthat::expect_match(conditionMessage(e), "^[A-Z`'].*[.]", info = told)
    "refused"
  }
  tryCatch({
    x <- cross_make(row)
    cross_invariants(x)
    cross_verbs()[[row$verb]](x)
    "right"
  }, eggcrate_error = clear, error = function(e) paste0(told, ": ", conditionMessage(e)))
}

# Grids and movement -------------------------------------------------------

through_time_factors <- function() {
  list(
    kind = c("grid", "turned", "seasons", "movement"), within = c("none", "grp"),
    measure = c("sales", "ratio", "rate", "median"), along = c("all", "rows", "columns"),
    look = c("rank", "value", "centre", "tiers"), totals = c("yes", "no"),
    after = c("nothing", "only", "names", "highlight", "both"),
    shape = c("plain", "one", "none", "tied", "losses"), verb = c("print", "narrow", "html", "csv", "json", "chart", "totals")
  )
}

through_time <- function(row) {
  data <- cross_data(row$shape)
  of <- switch(row$measure, sales = quote(sum(sales)), ratio = quote(sum(sales) / sum(units)),
    rate = quote(per_day(sum(sales))), median = quote(median(sales)))
  asked <- list(data, of = of, within = if (row$within == "grp") quote(grp))
  look <- switch(row$look, rank = list(), value = list(shade = "value", floor = 5), centre = list(shade = "value", centre = 100),
    tiers = list(scheme = tiers_equal(3)))
  grid <- function(by, across) {
    do.call(heat_grid, c(asked, list(by = by, across = across, along = row$along, totals = row$totals == "yes"), look),
      quote = FALSE)
  }
  x <- switch(row$kind, grid = grid(quote(item), quote(month(day))), turned = grid(quote(month(day)), quote(item)),
    seasons = grid(quote(item), quote(weekday(day))),
    movement = do.call(movement, c(asked, list(by = quote(item), over = quote(month(day)), scheme = tiers_equal(2))), quote = FALSE))
  switch(row$after, nothing = x, only = only(x, top(2)), names = only(x, "a"), highlight = highlight(x, bottom(1)),
    both = only(highlight(x, best = top(1)), top(3)))
}

# The values are those of the same question asked plainly.
through_time_right <- function(x, row) {
  ans <- answer_of(x)
  keys <- c(names(ans$plan$within), names(ans$plan$over), names(ans$plan$by))
  whole <- eggcrate:::quantity_real(ans$ranked$quantity)
  value <- x[[ans$plan$measures[[1]]$name]]
  testthat::expect_true(all(value[!is.na(value)] %in% whole))
  if (row$after == "nothing") testthat::expect_equal(sort(value), sort(whole))
  testthat::expect_false(anyDuplicated(as.data.frame(x)[keys]) > 0)
  if ("shade" %in% names(x)) testthat::expect_true(all(x$shade >= -1 & x$shade <= 1, na.rm = TRUE))
}

through_time_check <- function(row) {
  told <- paste(names(row), unlist(row), sep = "=", collapse = " ")
  tryCatch({
    x <- through_time(row)
    through_time_right(x, row)
    switch(row$verb, print = format(x, width = 100), narrow = format(x, width = 44), html = as.character(html_table(x)),
      csv = eggcrate:::csv_text(x, escape = TRUE), json = eggcrate:::json_lines(x, character()),
      chart = ggplot2::ggplot_build(ggplot2::autoplot(x)), totals = eggcrate:::answer_lines(x, "totals", 80))
    "right"
  }, eggcrate_error = function(e) {
    testthat::expect_lt(nchar(conditionMessage(e)), 700)
    "refused"
  }, error = function(e) paste0(told, ": ", conditionMessage(e)))
}
