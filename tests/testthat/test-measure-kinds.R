# Every answer crossed with every kind of measure, in all that shows it.

kinds_of_measures <- c("sum(sales)", "count()", "sum(sales) - sum(units)", "mean(sales)", "median(sales)", "max(sales)", "distinct(ticket)",
  "sum(units) / sum(sales)", "per_day(sum(sales), day)")

answers_crossed <- list(
  standings = list(by = "region"), pareto = list(by = "customer", within = "region"), tiers = list(by = "customer"), tiers = list(by = "customer", scheme = "tiers_equal(3)"),
  changes = list(by = "region", over = "month(day)"),
  targets = list(by = "customer", over = "month(day)", target = "previous()"),
  targets = list(by = "month(day)", over = "year(day)", target = "year_ago()"),
  targets = list(by = "region", target = "100"),
  quadrants = list(by = "customer", against = "count()"), quadrants = list(by = "customer", against = "sum(units) / sum(sales)"),
  grid = list(by = "region", across = "month(day)"), movement = list(by = "customer", over = "month(day)"),
  extremes = list(by = "customer", within = "region"), concentration = list(by = "customer"), findings = list(by = "customer"))

orders_of_kinds <- function() {
  set.seed(4)
  n <- 160L
  data.frame(ticket = sprintf("T%02d", sample(60L, n, TRUE)), day = as.Date("2024-11-01") + sample(0:516, n, TRUE),
    customer = sprintf("customer %d", sample(9L, n, TRUE)), region = sample(c("North", "South"), n, TRUE), units = sample(9L, n, TRUE),
    sales = round(stats::runif(n, -20, 200), 2))
}

# What the answer is shown in; a refusal names itself, anything else is a defect.
shown_everywhere <- function(x, command, chart) {
  ways <- list(print = function() utils::capture.output(print(x)), csv = function() eggcrate:::answer_csv(x),
    html = function() eggcrate:::html_lines(eggcrate:::html_of(x)), json = function() eggcrate:::json_lines(x))
  if (chart) ways$sheet <- function() answer_sheet(x, withr::local_tempfile(fileext = ".xlsx"))
  vapply(ways, function(way) tryCatch({
    stopifnot(length(way()) > 0L)
    "shown"
  }, error = conditionMessage), "")
}

test_that("every answer of every kind of measure is printed, written and drawn, or refused when it is asked", {
  # A name that is written short would take another column without a word.
  withr::local_options(warnPartialMatchDollar = TRUE, warn = 2)
  source <- eggcrate:::open_source(orders_of_kinds())
  refused <- list()
  kinds <- in_full(kinds_of_measures, kinds_of_measures[c(1L, 4L, 6L)])
  for (i in seq_along(answers_crossed)) for (of in kinds) {
    command <- names(answers_crossed)[i]
    words <- c(list(of = of), answers_crossed[[i]])
    x <- tryCatch(eggcrate:::ask(command, words, source), eggcrate_error = conditionMessage)
    if (is.character(x)) {
      refused[[command]] <- c(refused[[command]], of)
      next
    }
    found <- shown_everywhere(x, command, in_full(of %in% kinds[c(1L, 4L)], FALSE))
    expect_identical(found[found != "shown"], character(), ignore_attr = TRUE, info = paste(command, of, names(answers_crossed[[i]]), collapse = " "))
  }
  # Shares of what does not add up, and what stands on them; a measure against itself.
  not_additive <- intersect(kinds, kinds_of_measures[c(4:6, 8)])
  itself <- intersect(c("count()", "sum(units) / sum(sales)"), kinds)
  expect_identical(refused, c(list(pareto = not_additive, tiers = not_additive), if (length(itself)) list(quadrants = itself), list(concentration = not_additive)))
})

test_that("shares of large inexact sums add up to 1, and results without rows are shown", {
  # Two sums of one unit are no exact numbers once a long number is in them.
  d <- data.frame(k = c("a", "b", "c", "a"), v = c(1e15, 2.5e15, 5e14, 1e15), w = c(0.125, 0, 3, 1))
  x <- standings(d, of = sum(v) - 0.1234567890123 * sum(w), by = k)
  total <- c(a = 2e15, b = 2.5e15, c = 5e14) - 0.1234567890123 * c(1.125, 0, 3)
  expect_equal(x$share, sort(unname(total) / sum(total), decreasing = TRUE), tolerance = 1e-12)
  expect_equal(sum(x$share), 1)
  none <- data.frame(g = character(), ticket = character(), day = as.Date(character()), v = numeric())
  empty <- list(against_target(none, of = distinct(ticket), by = month(day), within = g, target = 5), against_target(none, of = sum(v), by = g, target = 5),
    assign_tiers(standings(none, of = mean(v), by = g, within = ticket), tiers_equal(2)))
  for (x in empty) expect_identical(shown_everywhere(x, "targets", FALSE), c(print = "shown", csv = "shown", html = "shown", json = "shown"))
})
