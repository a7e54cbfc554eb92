# Every command over the same million lines in a CSV file, a Parquet file and a SQLite database, as multiples of the plain ranking
# of that source: a command that takes many times as long is a cliff.
#
#   Rscript bench/sweep.R        1 million lines
#   Rscript bench/sweep.R 0.2    200,000 lines

suppressMessages(library(eggcrate))
n <- as.numeric(c(commandArgs(TRUE), 1)[1]) * 1e6
folder <- tempfile("sweep-")
dir.create(folder)
set.seed(1)
lines <- data.frame(order_no = sprintf("A%07d", (seq_len(n) + 2) %/% 3), order_date = as.Date("2023-01-01") + sort(sample(0:1000, n, TRUE)),
  customer = sprintf("Customer %06d", sample.int(n / 25, n, TRUE)), region = sprintf("Region %02d", sample.int(20, n, TRUE)),
  product = sprintf("Product %04d", sample.int(3000, n, TRUE)), units = sample.int(50, n, TRUE), price = round(rlnorm(n, 3, 1), 2))
lines$net_sales <- round(lines$units * lines$price, 2)
lines$profit <- round(lines$net_sales * runif(n, 0.1, 0.4), 2)
paths <- file.path(folder, c(CSV = "orders.csv", Parquet = "orders.parquet", SQLite = "orders.db"))
names(paths) <- c("CSV", "Parquet", "SQLite")
data.table::fwrite(lines, paths[["CSV"]])
nanoparquet::write_parquet(lines, paths[["Parquet"]])
con <- DBI::dbConnect(RSQLite::SQLite(), paths[["SQLite"]])
DBI::dbWriteTable(con, "orders", transform(lines, order_date = format(order_date)))
DBI::dbDisconnect(con)
paths[["SQLite"]] <- paste0("sqlite://", paths[["SQLite"]], "#orders")

commands <- list(
  plain = function(x) standings(x, of = sum(net_sales), by = customer),
  "two keys" = function(x) standings(x, of = sum(net_sales), by = c(region, product)),
  where = function(x) standings(x, of = sum(net_sales), by = customer, where = region != "Region 03" & units > 5),
  mean = function(x) standings(x, of = mean(net_sales), by = customer),
  median = function(x) standings(x, of = median(net_sales), by = customer),
  distinct = function(x) standings(x, of = distinct(order_no), by = customer),
  within = function(x) standings(x, of = sum(net_sales), by = product, within = region),
  "over quarters" = function(x) standings(x, of = sum(net_sales), by = customer, over = quarter(order_date)),
  show = function(x) standings(x, of = sum(net_sales), by = customer, show = region),
  pareto = function(x) pareto(x, of = sum(net_sales), by = customer, reach = "80%"),
  tiers = function(x) tiers_of(x),
  quadrants = function(x) quadrants(x, of = sum(net_sales), by = customer, against = c(margin = sum(profit) / sum(net_sales))),
  changes = function(x) compare_periods(x, of = sum(net_sales), by = customer, over = quarter(order_date)),
  targets = function(x) against_target(x, of = sum(net_sales), by = customer, over = quarter(order_date), target = previous()),
  grid = function(x) heat_grid(x, of = sum(net_sales), by = customer, across = quarter(order_date)),
  movement = function(x) movement(x, of = sum(net_sales), by = customer, over = quarter(order_date)),
  extremes = function(x) extremes(standings(x, of = sum(net_sales), by = customer, within = region)),
  concentration = function(x) concentration(standings(x, of = sum(net_sales), by = customer)),
  findings = function(x) findings(standings(x, of = sum(net_sales), by = customer), over = quarter(order_date)),
  intervals = function(x) rank_intervals(standings(x, of = sum(net_sales), by = region), order = order_no, times = 100),
  check = function(x) check_sales(x))
tiers_of <- function(x) assign_tiers(standings(x, of = sum(net_sales), by = customer), tiers_by_share(c(A = "80%", B = "95%"), rest = "C"))

options(eggcrate.fetch = Inf)
seconds <- vapply(paths, function(path) vapply(commands, function(command) {
  min(vapply(1:2, function(i) {
    gc()
    system.time(tryCatch(command(path), error = function(e) cat(conditionMessage(e), "\n")))[["elapsed"]]
  }, 0))
}, 0), numeric(length(commands)))
multiples <- sweep(seconds, 2, seconds["plain", ], `/`)
cat(sprintf("%s lines, %s customers. The plain ranking takes %s s.\n", format(n, big.mark = ","), format(n / 25, big.mark = ","),
  paste(sprintf("%.2f (%s)", seconds["plain", ], colnames(seconds)), collapse = ", ")))
print(round(multiples, 1))
unlink(folder, recursive = TRUE)
