# Side by side with data.table: several measures by a compound key, distinct counts;
# the time a line at 1 and 50 million lines; a question asked of a CSV of 5 million
# lines against data.table's reading of the same columns.
#
#   make bench                          all of it
#   Rscript bench/language.R measures   one part: measures, scaling, file

Sys.setenv(EGGCRATE_BENCH = "functions")
suppressMessages(source("bench/ranking.R"))

make_wide <- function(n) {
  set.seed(2)
  data.frame(
    town = sprintf("Town %03d", sample.int(400, n, TRUE)),
    category = sample(c("Rope", "Anchors", "Lamps", "Paint"), n, TRUE),
    order_no = sprintf("%07d", sample.int(n %/% 3, n, TRUE)), units = sample.int(40, n, TRUE),
    sales = round(runif(n, 1, 500), 2), profit = round(runif(n, -20, 90), 2)
  )
}

same <- function(x, y) stopifnot(isTRUE(all.equal(x, y, tolerance = 1e-9)))

report <- function(what, seconds, limit, n) {
  ours <- seconds[[1L]]
  theirs <- seconds[[2L]]
  cat(sprintf("%-52s %s lines   eggcrate %.3f s   data.table %.3f s   ratio %.2f (at most %.2f)\n",
    what, format(n, big.mark = ","), ours, theirs, ours / theirs, limit))
}

part_measures <- function(n = 1e7) {
  d <- make_wide(n)
  dt <- as.data.table(d)
  ours <- function() {
    standings(d, of = sum(sales), by = c(town, category),
      also = c(profit = sum(profit), units = sum(units)))
  }
  theirs <- function() {
    r <- dt[, .(sales = sum(sales), profit = sum(profit), units = sum(units)), by = .(town,
      category)]
    setorder(r, -sales, town, category)
    r[, `:=`(rank = frank(-sales, ties.method = "min"), share = sales / sum(sales),
      cum = cumsum(sales) / sum(sales))][]
  }
  same(as.list(ours())[c("town", "sales", "profit", "units")],
    as.list(theirs())[c("town", "sales", "profit", "units")])
  report("three measures, compound key", fastest(list(ours, theirs), 5), 0.3, n)
  ours <- function() standings(d, of = c(orders = distinct(order_no)), by = town)
  theirs <- function() setorder(dt[, .(orders = uniqueN(order_no)), by = town], -orders, town)[]
  same(as.list(ours())$orders, theirs()$orders)
  report("distinct count", fastest(list(ours, theirs), 5), 0.5, n)
}

part_scaling <- function() {
  a_line <- vapply(c(1e6, 5e7), function(n) {
    d <- make_lines(n, 2e4, "text")
    fastest(list(function() by_eggcrate(d)), if (n > 1e7) 3 else 9)[[1L]] / n
  }, 0)
  cat(sprintf("%-52s 1 million %.2f ns, 50 million %.2f ns, ratio %.2f (at most 1.50)\n",
    "time a line", a_line[1] * 1e9, a_line[2] * 1e9, a_line[2] / a_line[1]))
}

part_file <- function(n = 5e6) {
  path <- tempfile(fileext = ".csv")
  on.exit(unlink(path))
  fwrite(make_wide(n), path)
  seconds <- function(command, args) {
    system.time(system2(command, args, stdout = FALSE, stderr = FALSE))[["elapsed"]]
  }
  times <- replicate(4, c(
    seconds("bin/eggcrate", c("standings", path, "--of", shQuote("sum(sales)"), "--by", "town")),
    seconds("Rscript",
      c("-e",
        shQuote(
          sprintf(
            "data.table::setDTthreads(2); d <- data.table::fread('%s', select = c('town', 'sales'))", path))))
  ))
  report("the whole command on a CSV, against reading it", apply(times, 1, min), 1.3, n)
}

parts <- commandArgs(TRUE)
if (!length(parts)) parts <- c("measures", "scaling", "file")
for (part in parts) get(paste0("part_", part))()
