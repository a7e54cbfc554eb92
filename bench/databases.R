# A question of a database against the engine's own GROUP BY of the same sums: PostgreSQL, or a table that is spread over two
# servers, each started here. In turns within one run, the least of five (of three above five million lines); results are checked first, and the plan of the
# statement is shown (it is to read the table once).
#
#   Rscript bench/databases.R                       20 million lines in PostgreSQL
#   Rscript bench/databases.R postgresql 2          2 million
#   R_LIBS=.lib-cluster:.lib Rscript bench/databases.R cluster 100     100 million lines on two servers
#   ... cluster 100 price                           one of its measures (units, net_sales, price)

suppressMessages(library(eggcrate))
given <- commandArgs(TRUE)
kind <- if (length(given)) given[1L] else "postgresql"
millions <- if (length(given) > 1L) as.numeric(given[2L]) else if (kind == "cluster") 100 else 20
helpers <- new.env(parent = asNamespace("eggcrate"))
sys.source("tests/testthat/helper-servers.R", helpers)

one <- function(con, sql) DBI::dbGetQuery(con, sql)

in_postgresql <- function() {
  con <- helpers$postgresql_connection()
  DBI::dbExecute(con, sprintf("create table orders as select 'Customer ' || (random() * 200000)::int as customer, (i %% 8)::int as region, (random() * 20)::int as units,
    round((exp(random() * 5))::numeric, 2)::numeric(12, 2) as net_sales, round((exp(random() * 5))::numeric, 2)::float8 as price from generate_series(1, %.0f) i", millions * 1e6))
  DBI::dbExecute(con, "vacuum analyze orders")
  list(con = con, sums = c(units = "sum(units)", net_sales = "sum(net_sales)", price = "sum(price)"))
}

on_cluster <- function() {
  ports <- c(helpers$server("shard1")$port, helpers$server("shard2")$port)
  cons <- lapply(ports, function(port) DBI::dbConnect(RClickhouse::clickhouse(), host = "127.0.0.1", port = port))
  for (con in cons) {
    DBI::dbExecute(con, "create table here (customer String, region Int32, units Int32, net_sales Decimal(12, 2), price Float64) engine = MergeTree() order by tuple()")
    DBI::dbExecute(con, "create table orders as here engine = Distributed(shop, default, here)")
    DBI::dbExecute(con, sprintf("insert into here select concat('Customer ', toString(intHash32(number) %% 200000)), number %% 8, intHash32(number + 1) %% 20,
      toDecimal64((intHash32(number + 2) %% 100000) / 100., 2), (intHash32(number + 3) %% 100000) / 100. from numbers(%.0f)", millions * 5e5))
  }
  # Its driver ends R over a decimal.
  list(con = cons[[1L]], sums = c(units = "sum(units)", net_sales = "toString(sum(net_sales))", price = "sum(price)"))
}

place <- if (kind == "cluster") on_cluster() else in_postgresql()
cat(sprintf("%s, %g million lines\n", kind, millions))
for (measure in if (length(given) > 2L) given[3L] else names(place$sums)) {
  theirs <- function() one(place$con, sprintf("select customer, %s as s from orders group by customer", place$sums[[measure]]))
  ours <- function() standings(sales_table(place$con, "orders"), of = sum(!!as.name(measure)), by = customer)
  a <- theirs()
  b <- ours()
  stopifnot(nrow(a) == nrow(b), abs(sum(as.numeric(a$s)) - sum(b[[measure]])) < 1e-6 * sum(b[[measure]]))
  sent <- tail(eggcrate:::handle_source(eggcrate:::answer_of(b)$handle)$asked, 1L)
  times <- replicate(if (millions > 5) 3L else 5L, c(theirs = system.time(theirs())[[3L]], ours = system.time(ours())[[3L]]))
  least <- apply(times, 1L, min)
  cat(sprintf("  sum(%s): ours %.2f s, its own GROUP BY %.2f s, ratio %.2f; %d items\n", measure, least[["ours"]], least[["theirs"]], least[["ours"]] / least[["theirs"]], nrow(b)))
  if (kind == "postgresql") cat(paste0("    ", grep("Scan", one(place$con, paste("explain", sent))[[1L]], value = TRUE)), sep = "\n")
}
