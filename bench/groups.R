# What is done with standings after the tally: each step against the tally of 20
# million lines with 200,000 items, and how long a chart of 5,000 items takes.
#
#   Rscript bench/groups.R      20 million lines
#   Rscript bench/groups.R 5    5 million lines

suppressMessages(library(eggcrate))
source_functions <- new.env()
Sys.setenv(EGGCRATE_BENCH = "functions")
sys.source("bench/ranking.R", source_functions)
make_lines <- source_functions$make_lines
fastest <- source_functions$fastest

n <- as.numeric(c(commandArgs(TRUE), 20)[1]) * 1e6
lines <- make_lines(n, 2e5, "text")
ask <- function() standings(lines, of = sum(sales), by = key)
x <- ask()
tiered <- assign_tiers(x, tiers_by_share(c(A = "80%", B = "95%")))
steps <- list(
  "the tally and ranks" = ask,
  "only(top(10))" = function() only(x, top(10)),
  "only(top('33%'), others)" = function() only(x, top("33%"), others = TRUE),
  "highlight(reaching('80%'))" = function() highlight(x, reaching("80%")),
  "pareto reading" = function() eggcrate:::as_pareto(x, eggcrate:::read_part("80%", "reach")),
  "threshold_table()" = function() threshold_table(x),
  "tiers by value" = function() assign_tiers(x, tiers_by_value(c(A = 30000, B = 25000))),
  "tiers by share" = function() assign_tiers(x, tiers_by_share(c(A = "80%", B = "95%"))),
  "tiers by percentile" = function() assign_tiers(x,
    tiers_by_percentile(c(A = "5%", B = "15%", C = "80%"))),
  "tiers by rank" = function() assign_tiers(x, tiers_by_rank(c(A = 100, B = 1000))),
  "equal tiers" = function() assign_tiers(x, tiers_equal(4)),
  "tier_table()" = function() tier_table(tiered),
  "why()" = function() why(tiered, "Customer 000001"),
  "printing ten" = function() format(x)
)
seconds <- fastest(steps, 5)
print(data.frame(seconds = sprintf("%.4f", seconds),
  "of the first" = sprintf("%.3f", seconds / seconds[1]), row.names = names(steps),
  check.names = FALSE))

items <- data.frame(key = sprintf("item %d", 1:5000), sales = round(5000 / (1:5000)^0.7, 2))
many <- standings(items, of = sum(sales), by = key)
draw <- function(chart) {
  path <- tempfile(fileext = ".png")
  on.exit(unlink(path))
  eggcrate:::write_chart(chart, path)
}
charts <- list(
  "bars of 5,000 items" = function() draw(chart_bars(many)),
  "Pareto of 5,000 items" = function() draw(chart_pareto(many)),
  "tiers of 5,000 items" = function() draw(chart_tiers(assign_tiers(many, tiers_equal(4))))
)
for (chart in names(charts)) {
  cat(sprintf("%-24s %.2f s (at most 2)\n", chart, fastest(charts[chart], 2)))
}
