# From a file to an answer: ours, data.table's (which reads all of it) and DuckDB's (a database that reads files,
# by npm; the bench says so where it is not there). In turns within one run, the least of five; results are checked
# first. Then the same question of the gzipped file, and over a lookup, against that of the file as it is; and of the same lines as a
# Parquet file, against DuckDB's.
#
#   Rscript bench/files.R            1 and 10 million lines
#   Rscript bench/files.R 100        100 million lines (7 GB)

suppressMessages(library(eggcrate))
sizes <- as.numeric(commandArgs(TRUE))
if (!length(sizes)) sizes <- c(1, 10)
turns <- 5L
duckdb <- file.path("build", "duckdb", "node_modules", "@duckdb", "node-api")
has_duckdb <- dir.exists(duckdb) && nzchar(Sys.which("node"))
if (!has_duckdb) cat("DuckDB is not installed (tools/setup bench): left out of the comparison.\n")

write_lines <- function(millions, keys, path) {
  set.seed(1)
  left <- millions * 1e6
  done <- 0
  while (left > 0) {
    m <- min(2e6, left)
    data.table::fwrite(list(order_no = sprintf("%08d", (done + seq_len(m)) %/% 3), order_date = as.Date("2023-01-01") + sample(1200, m, TRUE),
      region = sprintf("Region %02d", sample(8, m, TRUE)), customer = sprintf("Customer %07d", sample(keys, m, TRUE)),
      product = sprintf("Product %03d", sample(300, m, TRUE)), units = sample(20, m, TRUE), net_sales = round(rlnorm(m, 3, 1), 2),
      profit = round(rnorm(m, 5, 10), 2)), path, append = done > 0, col.names = done == 0)
    done <- done + m
    left <- left - m
  }
}

# Each returns the greatest value and how many items there are.
first_of <- function(x, n) c(max(x), n)
questions <- list(
  "sum by customer" = list(
    ours = function(path) {
      x <- standings(path, of = sum(net_sales), by = customer)
      first_of(x$net_sales, nrow(x))
    },
    fread = function(path) {
      x <- data.table::fread(path)
      x <- x[, list(s = sum(net_sales)), by = "customer"]
      first_of(x$s, nrow(x))
    },
    duckdb = "select max(s), count(*) from (select customer, sum(net_sales::decimal(18,2)) s from read_csv('%s') group by customer order by s desc)"),
  "three sums by region and product, over quarters, filtered" = list(
    ours = function(path) {
      x <- standings(path, of = sum(net_sales), by = c(region, product), over = quarter(order_date), where = region != "Region 03",
        also = c(p = sum(profit), u = sum(units)))
      first_of(x$net_sales, nrow(x))
    },
    fread = function(path) {
      x <- data.table::fread(path)
      x <- x[region != "Region 03", list(s = sum(net_sales), p = sum(profit), u = sum(units)),
        by = list(region, product, data.table::year(order_date), data.table::quarter(order_date))]
      first_of(x$s, nrow(x))
    },
    duckdb = paste("select max(s), count(*) from (select region, product, date_trunc('quarter', order_date) q, sum(net_sales::decimal(18,2)) s,",
      "sum(profit::decimal(18,2)) p, sum(units) u from read_csv('%s') where region <> 'Region 03' group by all order by s desc)")))

script <- tempfile(fileext = ".mjs")
writeLines(c(sprintf("import { DuckDBInstance } from '%s/lib/index.js';", normalizePath(duckdb, mustWork = FALSE)),
  "const t0 = performance.now();",
  "const db = await DuckDBInstance.create(':memory:', { threads: '2' });",
  "const c = await db.connect();",
  "const r = await c.runAndReadAll(process.argv[2]);",
  "console.log(r.getRows()[0].map(String).join(' '), performance.now() - t0);"), script)
run_duckdb <- function(sql, path) {
  out <- as.numeric(strsplit(system2("node", c(script, shQuote(sprintf(sql, path))), stdout = TRUE), " ")[[1L]])
  list(value = out[1:2], seconds = out[3L] / 1000)
}

# The peak of resident memory of a process that asks the first question and nothing else, in megabytes.
peak_of <- function(data, by = "customer") {
  if (!file.exists("/proc/self/status")) return(NA)
  code <- sprintf("suppressMessages(library(eggcrate)); invisible(standings(%s, of = sum(net_sales), by = %s)); cat(readLines('/proc/self/status'), sep = '\\n')", data, by)
  said <- system2(file.path(R.home("bin"), "Rscript"), c("-e", shQuote(code)), stdout = TRUE)
  as.numeric(gsub("[^0-9]", "", grep("^VmHWM", said, value = TRUE))) / 1024
}

measure <- function(question, path, ways = c("ours", "fread", "duckdb")) {
  ways <- setdiff(ways, if (!has_duckdb) "duckdb")
  run <- function(way) {
    if (way == "duckdb") {
      return(run_duckdb(question$duckdb, path))
    }
    gc()
    value <- NULL
    list(seconds = system.time(value <- question[[way]](path))[[3L]], value = value)
  }
  found <- sapply(seq_len(turns), function(turn) vapply(ways, function(way) {
    one <- run(way)
    if (way == "ours") ours <<- one$value
    stopifnot(isTRUE(all.equal(one$value, ours, tolerance = 1e-9)))
    one$seconds
  }, 0))
  apply(found, 1L, min)
}
ours <- NULL

# The gzipped file, and a lookup whose column is the item; the sum of all is the same.
measure_further <- function(path, keys) {
  packed <- paste0(path, ".gz")
  table <- tempfile(fileext = ".csv")
  on.exit(unlink(c(packed, table)))
  stopifnot(system2("gzip", c("-k", "-f", shQuote(path))) == 0L)
  data.table::fwrite(list(customer = sprintf("Customer %07d", seq_len(keys)), segment = sprintf("Segment %02d", seq_len(keys) %% 20L)), table)
  ways <- list(plain = function() standings(path, of = sum(net_sales), by = customer), packed = function() standings(packed, of = sum(net_sales), by = customer),
    lookup = function() standings(lookup(path, table), of = sum(net_sales), by = segment))
  total <- vapply(ways, function(way) sum(way()$net_sales), 0)
  stopifnot(isTRUE(all.equal(unname(total), rep(total[[1L]], length(total)))))
  found <- sapply(seq_len(turns), function(turn) vapply(ways, function(way) {
    gc()
    system.time(way())[[3L]]
  }, 0))
  least <- apply(found, 1L, min)
  cat(sprintf("  gzipped (%.0f MB): %.2f s, %.1f times the file as it is; peak %.0f MB\n", file.size(packed) / 1e6, least[["packed"]],
    least[["packed"]] / least[["plain"]], peak_of(sprintf("'%s'", packed))))
  cat(sprintf("  over a lookup: %.2f s, %.1f times; peak %.0f MB\n", least[["lookup"]], least[["lookup"]] / least[["plain"]],
    peak_of(sprintf("lookup('%s', '%s')", path, table), "segment")))
}

measure_parquet <- function(path) {
  parquet <- sub("csv$", "parquet", path)
  on.exit(unlink(parquet))
  nanoparquet::write_parquet(as.data.frame(data.table::fread(path)), parquet)
  question <- questions[[1L]]
  question$duckdb <- sub("read_csv", "read_parquet", question$duckdb, fixed = TRUE)
  least <- measure(question, parquet, c("ours", "duckdb"))
  cat(sprintf("  as a Parquet file (%.0f MB): %s; peak %.0f MB\n", file.size(parquet) / 1e6,
    paste(sprintf("%s %.2f s", names(least), least), collapse = ", "), peak_of(sprintf("'%s'", parquet))))
}

for (millions in sizes) for (keys in c(1e4, 1e6)) {
  path <- tempfile(fileext = ".csv")
  write_lines(millions, keys, path)
  for (name in names(questions)) {
    if (keys == 1e6 && name != names(questions)[1L]) next
    least <- measure(questions[[name]], path)
    cat(sprintf("%g million lines (%.0f MB), %s customers, %s\n", millions, file.size(path) / 1e6, format(keys, big.mark = ",", scientific = FALSE), name))
    cat(sprintf("  %-8s %6.2f s%s\n", names(least), least, ifelse(names(least) == "ours", "", sprintf("   ours takes %.2f of it", least[["ours"]] / least))), sep = "")
  }
  cat(sprintf("  peak of memory, all of R with it: %.0f MB\n", peak_of(sprintf("'%s'", path))))
  if (keys == 1e4) measure_further(path, keys)
  measure_parquet(path)
  unlink(path)
}
