# Two measures, two periods, targets, best and worst, grids, movement and concentration: time
# and memory against the plain ranking of the same lines, results checked first against
# plain sums.
#
#   Rscript bench/comparisons.R      5 million lines, 50,000 items
#   Rscript bench/comparisons.R 20   20 million lines

suppressMessages(library(eggcrate))
source_functions <- new.env()
Sys.setenv(EGGCRATE_BENCH = "functions")
sys.source("bench/ranking.R", source_functions)
fastest <- source_functions$fastest

n <- as.numeric(c(commandArgs(TRUE), 5)[1]) * 1e6
set.seed(1)
lines <- source_functions$make_lines(n, 5e4, "text")
lines$profit <- round(lines$sales * runif(n, 0.1, 0.4), 2)
lines$region <- sprintf("region %02d", sample.int(20, n, TRUE))
lines$day <- as.Date("2024-01-01") + sample(0:730, n, TRUE)
items <- sort(unique(lines$key))
goals <- data.frame(key = items, target = round(runif(length(items), 100, 500), 2))

steps <- list(
  "standings" = function() standings(lines, of = sum(sales), by = key),
  "standings with also" = function() standings(lines, of = sum(sales), by = key,
    also = c(margin = sum(profit) / sum(sales))),
  "quadrants" = function() quadrants(lines, of = sum(sales),
    against = c(margin = sum(profit) / sum(sales)), by = key),
  "compare_periods" = function() compare_periods(lines, of = sum(sales), by = key,
    over = quarter(day)),
  "against_target" = function() against_target(lines, of = sum(sales), by = key, target = goals),
  "against_target, a year ago" = function() against_target(lines, of = sum(sales), by = key,
    over = year(day), target = year_ago()),
  "extremes" = function() extremes(standings(lines, of = sum(sales), by = key)),
  "standings over quarters" = function() standings(lines, of = sum(sales), by = key,
    over = quarter(day)),
  "heat_grid, regions by months" = function() heat_grid(lines, of = sum(sales), by = region,
    across = month(day)),
  "movement over quarters" = function() movement(lines, of = sum(sales), by = key,
    over = quarter(day)),
  "concentration" = function() concentration(standings(lines, of = sum(sales), by = key))
)
x <- steps$compare_periods()
late <- lines$day >= as.Date("2025-10-01")
stopifnot(all.equal(sum(x$to), sum(lines$sales[late])), sum(class_table(x)$items) == nrow(x))
x <- steps[["movement over quarters"]]()
in_quarter <- tapply(lines$key, paste0(format(lines$day, "%Y"), "-", quarters(lines$day)),
  function(keys) length(unique(keys)))
stopifnot(all(period_table(x)$items == in_quarter), sum(transitions(x)$items) == length(items))
x <- steps[["heat_grid, regions by months"]]()
stopifnot(all.equal(sum(x$sales), sum(lines$sales)))

seconds <- fastest(steps, 3)
used <- vapply(steps, function(step) {
  gc(reset = TRUE)
  before <- sum(gc(reset = TRUE)[, 2])
  step()
  (sum(gc()[, 6]) - before) * 2^20 / n
}, 0)
print(data.frame(seconds = sprintf("%.3f", seconds),
  "of standings" = sprintf("%.2f", seconds / seconds[1]), "bytes a line" = sprintf("%.1f", used),
  row.names = names(steps), check.names = FALSE))

x <- quadrants(data.frame(k = sprintf("item %d", 1:5000), v = rlnorm(5000, 8, 2), w = rnorm(5000)),
  of = sum(v), against = sum(w), by = k)
path <- tempfile(fileext = ".png")
cat(sprintf("a figure of 5,000 points: %.2f s\n",
  system.time(eggcrate:::write_chart(chart_quadrants(x), path))[[3]]))
