# Rank intervals: 1,000 resamples of 1 million order lines with 10,000 items, against one
# tally of the same lines, in turns; and memory for 100 and for 5,000 resamples.
#
#   Rscript bench/intervals.R

suppressMessages(library(eggcrate))
set.seed(1)
n <- 1e6
lines <- data.frame(item = sprintf("item %05d", sample.int(1e4, n, TRUE)),
  order = sprintf("%07d", sort(sample.int(3e5, n, TRUE))), sales = round(runif(n, 1, 500), 2))
x <- standings(lines, of = sum(sales), by = item)

# Checked first: few items, so that plain R can draw them too.
few <- transform(lines, item = substr(item, 6, 7))
y <- rank_intervals(standings(few, of = sum(sales), by = item), order)
by_order <- rowsum(few$sales * outer(few$item, y$item, `==`), few$order)
spread <- sqrt(nrow(by_order) * apply(by_order, 2, function(v) mean((v - mean(v))^2))) * qnorm(0.95)
stopifnot(all.equal(y$value_high - y$sales, unname(spread)),
  all(y$rank_low <= y$rank & y$rank <= y$rank_high))

seconds <- function(job) system.time(job)[["elapsed"]]
turns <- t(replicate(5, c(
  tally = min(replicate(3, seconds(standings(lines, of = sum(sales), by = item)))),
  intervals = seconds(rank_intervals(x, order))
)))
ratio <- turns[, "intervals"] / turns[, "tally"]
cat(
  sprintf(
    "one tally and ranks %.4f s, 1,000 resamples %.2f s: %.0f times (%.0f to %.0f in five turns; at most 100)\n",
  min(turns[, "tally"]), min(turns[, "intervals"]), median(ratio), min(ratio), max(ratio)))

greatest <- function() {
  as.numeric(sub("[^0-9]+([0-9]+).*", "\\1",
    grep("VmHWM", readLines("/proc/self/status"), value = TRUE))) / 1024
}
invisible(rank_intervals(x, order, times = 100))
few <- greatest()
invisible(rank_intervals(x, order, times = 5000))
cat(sprintf("greatest memory after 100 resamples %.0f MB, after 5,000%.0f MB\n", few, greatest()))
