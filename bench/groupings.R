# Why a study asks a database once for each different grouping: the engine's own ways of several groupings in one statement, against
# one statement for each. In turns within one run, the least of three.
#
#   Rscript bench/groupings.R sqlite 2                                 2 million lines
#   Rscript bench/groupings.R postgresql 5
#   Rscript bench/groupings.R mariadb 1
#   R_LIBS=.lib-cluster:.lib Rscript bench/groupings.R cluster 30      on two servers

suppressMessages(library(eggcrate))
given <- commandArgs(TRUE)
kind <- if (length(given)) given[1L] else "sqlite"
rows <- 1e6 * if (length(given) > 1L) as.numeric(given[2L]) else 2
helpers <- new.env(parent = asNamespace("eggcrate"))
sys.source("tests/testthat/helper-servers.R", helpers)

columns <- function(i, join, big = i) {
  text <- function(word, number) sprintf(join, word, number)
  sprintf("%s as customer, %s as region, %s as product, %s %% 20 as units", text("Customer ", sprintf("(%s * 7919 %% 20011)", big)),
    text("Region ", sprintf("(%s %% 8)", i)), text("Product ", sprintf("(%s * 31 %% 2003)", big)), i)
}
create <- function(con, sql, ...) DBI::dbExecute(con, sprintf(sql, ...))
con <- switch(kind,
  sqlite = local({
    con <- DBI::dbConnect(RSQLite::SQLite(), tempfile())
    create(con, "create table orders as with recursive g(i) as (select 1 union all select i + 1 from g where i < %.0f) select %s from g", rows, columns("i", "'%s' || %s"))
    con
  }),
  postgresql = local({
    con <- helpers$postgresql_connection()
    create(con, "create table orders as select %s from generate_series(1, %.0f) as g(i)", columns("i", "'%s' || %s", "i::bigint"), rows)
    create(con, "vacuum analyze orders")
    con
  }),
  mariadb = local({
    con <- helpers$mariadb_connection()
    create(con, "create table orders as select %s from seq_1_to_%.0f", columns("seq", "concat('%s', %s)"), rows)
    con
  }),
  cluster = local({
    ports <- c(helpers$server("shard1")$port, helpers$server("shard2")$port)
    cons <- lapply(ports, function(port) DBI::dbConnect(RClickhouse::clickhouse(), host = "127.0.0.1", port = port))
    for (con in cons) {
      create(con, "create table here (customer String, region String, product String, units Int64) engine = MergeTree() order by tuple()")
      create(con, "create table orders as here engine = Distributed(shop, default, here)")
      create(con, "insert into here select %s from numbers(%.0f)", columns("number", "concat('%s', toString%s)"), rows / 2)
    }
    cons[[1L]]
  }))

sets <- list("customer", "region", "product", c("customer", "region"))
keys <- c("customer", "region", "product")
sums <- "sum(units) as units, count(*) as n"
listed <- function(x) paste(x, collapse = ", ")
is_cluster <- kind == "cluster"
none <- if (is_cluster) "''" else "null"
of_set <- function(set, i) sprintf("select %d as g, %s, %s from orders group by %s", i, listed(ifelse(keys %in% set, keys, paste(none, "as", keys))), sums, listed(set))
within <- function(key) {
  has <- listed(which(vapply(sets, function(set) key %in% set, NA)))
  sprintf(if (is_cluster) "if(g in (%s), %s, '') as k_%s" else "case when g in (%s) then %s end as k_%s", has, key, key)
}
numbers <- if (is_cluster) "" else sprintf(" cross join (%s) as numbers", paste(sprintf("select %d as g", seq_along(sets)), collapse = " union all "))
ways <- list("one statement for each" = vapply(sets, function(set) sprintf("select %s, %s from orders group by %s", listed(set), sums, listed(set)), ""),
  "union of them" = paste(mapply(of_set, sets, seq_along(sets)), collapse = " union all "),
  "each row once for each" = sprintf("select %s, %s, %s from orders%s group by g, %s", if (is_cluster) "arrayJoin([1, 2, 3, 4]) as g" else "g", listed(vapply(keys, within, "")), sums, numbers, listed(paste0("k_", keys))))
if (kind == "postgresql") {
  ways[["grouping sets"]] <- sprintf("select grouping(%s) as g, %s, %s from orders group by grouping sets (%s)", listed(keys), listed(keys), sums, listed(sprintf("(%s)", vapply(sets, listed, ""))))
}
asked <- function(way) sum(vapply(way, function(sql) nrow(DBI::dbGetQuery(con, sql)), 0L))
found <- vapply(ways, asked, 0)
stopifnot(length(unique(found)) == 1L)
times <- apply(replicate(3L, vapply(ways, function(way) system.time(asked(way))[[3L]], 0)), 1L, min)
cat(sprintf("%s, %g million lines, %d groupings, %.0f items in all\n", kind, rows / 1e6, length(sets), found[[1L]]))
cat(sprintf("  %-24s %6.2f s\n", names(times), times), sep = "")
