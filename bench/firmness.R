# Rank intervals: 1,000 resamples of 1 million order lines with 10,000 items, against one
# tally of the same lines; and memory for 100 and for 5,000 resamples.
#
#   Rscript bench/firmness.R

suppressMessages(library(eggcrate))
set.seed(1)
n <- 1e6
lines <- data.frame(item = sprintf("item %05d", sample.int(1e4, n, TRUE)), order = sprintf("%07d", sort(sample.int(3e5, n, TRUE))), sales = round(runif(n, 1, 500), 2))
fastest <- function(job, times) min(vapply(seq_len(times), function(i) system.time(job())[["elapsed"]], 0))
x <- standings(lines, of = sum(sales), by = item)
tally <- fastest(function() standings(lines, of = sum(sales), by = item), 7)
firm <- fastest(function() firmness(x, order), 2)
cat(sprintf("one tally and ranks %.4f s, 1,000 resamples %.2f s: %.0f times (at most 100)\n", tally, firm, firm / tally))
memory <- function(times) {
  gc(reset = TRUE)
  before <- as.numeric(sub("[^0-9]+([0-9]+).*", "\\1", grep("VmHWM", readLines("/proc/self/status"), value = TRUE)))
  firmness(x, order, times = times)
  as.numeric(sub("[^0-9]+([0-9]+).*", "\\1", grep("VmHWM", readLines("/proc/self/status"), value = TRUE)))
}
cat(sprintf("greatest memory after 100 resamples %.0f MB, after 5,000 %.0f MB\n", memory(100) / 1024, memory(5000) / 1024))
