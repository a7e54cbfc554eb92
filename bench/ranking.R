# Side by side: the whole ranking job (sum, order, rank, share, running share) by
# eggcrate, data.table and collapse on the same data frame, two threads each.
# Equal results are checked first; ratios are taken within one run.
#
#   make bench                  1 and 20 million lines
#   Rscript bench/ranking.R 5   5 million lines

suppressMessages({
  library(eggcrate)
  library(data.table)
  library(collapse)
})
setDTthreads(2)
options(eggcrate.threads = 2L)

make_lines <- function(n, items, kind) {
  set.seed(1)
  name <- sprintf("Customer %06d", seq_len(items))
  at <- sample.int(items, n, TRUE)
  key <- if (kind == "factor") structure(at, levels = name, class = "factor") else name[at]
  data.frame(key = key, sales = round(runif(n, 1, 500), 2))
}

by_eggcrate <- function(d) standings(d, of = sum(sales), by = key)

by_data_table <- function(d) {
  r <- d[, .(sales = sum(sales)), by = key]
  setorder(r, -sales, key)
  r[, `:=`(rank = frank(-sales, ties.method = "min"), share = sales / sum(sales),
    cum_share = cumsum(sales) / sum(sales))]
  r[]
}

by_collapse <- function(d) {
  g <- GRP(d$key, sort = FALSE)
  s <- fsum(d$sales, g, nthreads = 2L)
  key <- g$groups[[1L]]
  o <- radixorder(s, decreasing = TRUE, na.last = NA) # a factor's unused levels have no sum
  s <- s[o]
  total <- fsum(s)
  new <- c(TRUE, s[-1L] != s[-length(s)])
  data.frame(key = key[o], sales = s, rank = which(new)[cumsum(new)], share = s / total,
    cum_share = fcumsum(s) / total)
}

# The least of several runs of each, in turns: noise only adds, and comes in spells.
fastest <- function(jobs, times) {
  runs <- vapply(seq_len(times), function(i) {
    vapply(jobs, function(job) {
      gc(FALSE)
      system.time(job(), gcFirst = FALSE)[["elapsed"]]
    }, 0)
  }, numeric(length(jobs)))
  apply(matrix(runs, length(jobs)), 1L, min)
}

check_equal <- function(x, y) {
  stopifnot(length(x$key) == length(y$key))
  at <- match(as.character(x$key), as.character(y$key))
  stopifnot(!anyNA(at), max(abs(x$sales - y$sales[at])) < 1e-4,
    max(abs(x$cum_share - y$cum_share)) < 1e-9)
}

# Peak memory of a job above what was there: the high-water mark of a process that
# has made the data, with and without the job.
peak_memory <- function(n, items, kind) {
  peak <- function(job) {
    code <- sprintf(
      "suppressMessages(source('bench/ranking.R')); d <- make_lines(%d, %d, '%s'); invisible(gc()); a <- high_water(TRUE); %s; cat(high_water() - a)",
      n, items, kind, job)
    out <- system2("Rscript", c("-e", shQuote(code)), stdout = TRUE,
      env = "EGGCRATE_BENCH=functions")
    as.numeric(out[length(out)])
  }
  peak("x <- by_eggcrate(d)") / n
}

high_water <- function(reset = FALSE) {
  if (reset) writeLines("5", "/proc/self/clear_refs") # Linux: forget the mark
  line <- grep("^VmHWM", readLines("/proc/self/status"), value = TRUE)
  as.numeric(gsub("[^0-9]", "", line)) * 1024
}

compare <- function(n, items, kind, times) {
  d <- make_lines(n, items, kind)
  dt <- as.data.table(d)
  check_equal(by_eggcrate(d), by_data_table(copy(dt)))
  check_equal(by_eggcrate(d), by_collapse(d))
  jobs <- list(eggcrate = function() by_eggcrate(d), data.table = function() by_data_table(dt),
    collapse = function() by_collapse(d))
  seconds <- fastest(jobs, times)
  data.frame(
    lines = format(n, big.mark = ","), items = format(items, big.mark = ","), keys = kind,
    eggcrate = sprintf("%.3f s", seconds[1]), data.table = sprintf("%.3f s", seconds[2]),
    collapse = sprintf("%.3f s", seconds[3]),
    "of data.table" = sprintf("%.2f", seconds[1] / seconds[2]),
    "of collapse" = sprintf("%.2f", seconds[1] / seconds[3]),
    "bytes a line" = if (file.exists("/proc/self/clear_refs")) sprintf("%.1f",
      peak_memory(n, items, kind)) else "", check.names = FALSE
  )
}

if (!identical(Sys.getenv("EGGCRATE_BENCH"), "functions")) {
  sizes <- as.numeric(commandArgs(TRUE)) * 1e6
  if (!length(sizes)) sizes <- c(1e6, 2e7)
  rows <- list()
  for (n in sizes) {
    for (kind in c("text", "factor")) {
      rows <- c(rows, list(compare(n, min(2e5, n / 5), kind, times = 9)))
    }
  }
  cat(
    "Ranking: sum, order, rank, share, running share. Two threads each; the least of several runs.\n")
  cat("data.table", format(packageVersion("data.table")), "and collapse",
    format(packageVersion("collapse")), "\n\n")
  print(do.call(rbind, rows), row.names = FALSE)
}
