# What stands at the edges: looking through a whole file beside a ranking of it, both as
# commands, and showing all of very many items.
#
#   Rscript bench/edges.R

suppressMessages(library(eggcrate))
set.seed(1)
n <- 1e6
path <- tempfile(fileext = ".csv")
data.table::fwrite(data.frame(order_no = sample.int(n / 3, n, TRUE),
  order_date = as.Date("2024-01-01") + sample(0:700, n, TRUE),
  customer = sprintf("customer %05d", sample.int(4e4, n, TRUE)),
  region = sample(c("north", "south", "west"), n, TRUE), net_sales = round(rlnorm(n, 3, 1), 2)), path)

least <- function(f, times = 3) min(vapply(seq_len(times), function(i) system.time(f())[["elapsed"]], 0))
command <- system.file("exec", "eggcrate", package = "eggcrate")
run <- function(...) function() stopifnot(system2(command, c(...), stdout = FALSE, stderr = FALSE) == 0)
ranking <- least(run("standings", path, "--of", "net_sales", "--by", "customer"))
looking <- least(run("check", path))

x <- standings(path, of = sum(net_sales), by = customer)
many <- data.frame(item = sprintf("item %06d", seq_len(2e5)), v = round(rlnorm(2e5, 3, 1), 2))
wide <- standings(many, of = sum(v), by = item)
draw <- function(chart) {
  grDevices::pdf(NULL)
  on.exit(grDevices::dev.off())
  print(chart)
}
print(data.frame(seconds = c(
  "ranking of 1 million rows" = ranking, "check of the same file" = looking,
  "printing of 40,000 items" = least(function() format(x, n = Inf)),
  "HTML of 40,000 items" = least(function() as.character(html_table(x, n = Inf))),
  "bars of 200,000 items" = least(function() draw(chart_bars(wide))),
  "Pareto chart of 200,000 items" = least(function() draw(chart_pareto(pareto(many, of = sum(v), by = item))))),
  at_most = c(NA, 3 * ranking, 2, 2, 1, 1)), digits = 3)
cat(sprintf("check: %.1f rankings\n", looking / ranking))
