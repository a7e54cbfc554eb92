# What each verb takes beside a plain ranking of the same lines: 1 million lines and 50,000
# text keys, in turns within one run, the least of several. Results are checked first.
#
#   Rscript bench/multiples.R        1 million lines
#   Rscript bench/multiples.R 5      5 million lines

suppressMessages(library(eggcrate))
n <- as.numeric(c(commandArgs(TRUE), 1)[1]) * 1e6
turns <- 7
set.seed(1)
keys <- sprintf("customer %05d", 1:5e4)
lines <- data.frame(key = sample(keys, n, TRUE), sales = round(rlnorm(n, 3, 1), 2),
  region = sprintf("region %02d", sample.int(20, n, TRUE)),
  day = as.Date("2024-01-01") + sample(0:730, n, TRUE), order_no = sample.int(n / 3, n, TRUE),
  type = sample(c("a", "b", "c", "d"), n, TRUE))
lines$profit <- round(lines$sales * runif(n, 0.1, 0.4), 2)
# A plain ranking that has as many rows in its result as one over quarters.
quarter <- paste(format(lines$day, "%Y"), quarters(lines$day))
wide <- data.frame(key = paste(lines$key, quarter), sales = lines$sales)

steps <- list(
  plain = function() standings(lines, of = sum(sales), by = key),
  wide = function() standings(wide, of = sum(sales), by = key),
  changes = function() compare_periods(lines, of = sum(sales), by = key, over = quarter(day)),
  grid = function() heat_grid(lines, of = sum(sales), by = region, across = month(day)),
  "four when sums" = function() standings(lines, of = c(a = sum(sales, when = type == "a")),
    by = key,
    also = c(b = sum(sales, when = type == "b"), c = sum(sales, when = type == "c"),
      d = sum(sales, when = type == "d"))),
  "targets, the period before" = function() against_target(lines, of = sum(sales), by = key,
    over = year(day), target = previous()),
  findings = function() findings(standings(lines, of = sum(sales), by = key), over = quarter(day),
    against = c(margin = sum(profit) / sum(sales))),
  distinct = function() standings(lines, of = distinct(order_no), by = key),
  "standings over quarters" = function() standings(lines, of = sum(sales), by = key,
    over = quarter(day)),
  "movement over quarters" = function() movement(lines, of = sum(sales), by = key,
    over = quarter(day))
)

# Checked against plain sums.
late <- lines$day >= as.Date("2025-10-01")
x <- steps$changes()
stopifnot(all.equal(sum(x$to), sum(lines$sales[late])))
stopifnot(all.equal(sum(steps$grid()$sales), sum(lines$sales)))
x <- steps[["four when sums"]]()
stopifnot(all.equal(sum(x$a) + sum(x$b) + sum(x$c) + sum(x$d), sum(lines$sales)))
x <- steps[["targets, the period before"]]()
stopifnot(all.equal(sum(x$target, na.rm = TRUE),
  sum(lines$sales[lines$day < as.Date("2025-01-01")])))
x <- steps$distinct()
plain <- tapply(lines$order_no, lines$key, function(o) length(unique(o)))
stopifnot(all(x[[3]] == plain[x$key]))
stopifnot(nrow(steps$wide()) == nrow(steps[["standings over quarters"]]()))

times <- matrix(NA_real_, turns, length(steps), dimnames = list(NULL, names(steps)))
for (turn in seq_len(turns)) {
  for (name in names(steps)) {
    gc()
    times[turn, name] <- system.time(steps[[name]]())[["elapsed"]]
  }
}
least <- apply(times, 2, min)
against <- ifelse(grepl("over quarters", names(steps)), "wide", "plain")
limit <- c(plain = NA, wide = NA, changes = 4, grid = 2, "four when sums" = 3,
  "targets, the period before" = 5, findings = 8, distinct = 5, "standings over quarters" = 1.5,
  "movement over quarters" = 2)
print(data.frame(seconds = sprintf("%.3f", least), times = sprintf("%.2f", least / least[against]),
  of = paste(against, "ranking"), at_most = limit[names(steps)], row.names = names(steps)))
