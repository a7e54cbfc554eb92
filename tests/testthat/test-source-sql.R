# What would be sent, in each dialect, without a server: the little that differs.


simulated <- function(con, cells) {
  columns <- lapply(cells, function(x) character())
  s <- eggcrate:::new_source("database", "orders", 1000, tbl = dbplyr::tbl_lazy(as.data.frame(columns), con = con), con = con, engine = eggcrate:::engine_of(con), asked = character())
  for (name in names(cells)) {
    given <- list(form = cells[[name]]$type, largest = 1000, real = FALSE, places = 0L, text = 0, blank = NA_real_, mixed = FALSE, names = FALSE)
    assign(paste0("cells of ", name), utils::modifyList(given, cells[[name]]), s$known)
  }
  assign("range of sold", as.numeric(as.Date(c("2025-01-15", "2025-02-20"))), s$known)
  s
}

sent_by <- function(con, ...) {
  s <- simulated(con, list(customer = list(type = "text"), sales = list(type = "number", form = "decimal", places = 2L), rate = list(type = "number", form = "real", real = TRUE, places = 3L),
    units = list(type = "number", form = "whole"), parcels = list(type = "number", form = "whole", given = TRUE), sold = list(type = "date", range = as.numeric(as.Date(c("2025-01-15", "2025-02-20"))))))
  plan <- eggcrate:::prepare("standings", list(...), function(use) eggcrate:::source_schema(s, use))$plan
  # Versions of dbplyr quote names for an engine that is not there in one way or another.
  gsub("\"", "`", gsub("\\s+", " ", eggcrate:::rendered(eggcrate:::request_in_sql(s, eggcrate:::plan_request(plan))$query)), fixed = TRUE)
}

test_that("each engine is asked in its own words", {
  asked <- list(of = "sum(sales)", by = "customer", where = "customer == 'a' & units * 2 > 3", also = "r = sum(rate)")
  postgresql <- do.call(sent_by, c(list(dbplyr::simulate_dbi("PqConnection")), asked))
  expect_match(postgresql, "`customer` COLLATE `C` AS `e_k1`")
  expect_match(postgresql, "CAST(ROUND((`rate` * 1000.0)) AS BIGINT)", fixed = TRUE)
  expect_match(postgresql, "(CAST(`units` AS NUMERIC) * CAST(2 AS NUMERIC)) > 3", fixed = TRUE)
  expect_match(postgresql, "CAST(SUM(`e_v1`) AS TEXT) AS `t1`", fixed = TRUE)
  mariadb <- do.call(sent_by, c(list(dbplyr::simulate_dbi("MariaDBConnection")), asked))
  expect_match(mariadb, "CONVERT(`customer` USING utf8mb4) COLLATE utf8mb4_nopad_bin", fixed = TRUE)
  expect_match(mariadb, "CAST(ROUND((`rate` * 1000.0)) AS SIGNED)", fixed = TRUE)
  expect_match(mariadb, "(CAST(`units` AS DECIMAL(20, 0)) * CAST(2 AS DECIMAL(20, 0))) > 3", fixed = TRUE)
  expect_match(mariadb, "CAST(SUM(`e_v1`) AS CHAR) AS `t1`", fixed = TRUE)
  cluster <- do.call(sent_by, c(list(dbplyr::simulate_dbi("ClickhouseConnection")), asked))
  # Groups are made where they are counted, and nothing follows from what is missing by itself.
  expect_match(cluster, "AS `e_k1`, COUNT(*) AS `e_rows`", fixed = TRUE)
  expect_match(cluster, "least(ifNull((toUInt8(", fixed = TRUE)
  expect_match(cluster, "toString(SUM(`sales`)) AS `e_t1`", fixed = TRUE)
  reckoned <- sent_by(dbplyr::simulate_dbi("ClickhouseConnection"), of = "sum(sales * units)", by = "customer")
  expect_match(reckoned, "toString(SUM((toInt64(toInt64((`sales` * 100))) * toInt64(`units`)))) AS `e_t1`", fixed = TRUE)
  expect_match(cluster, "GROUP BY `e_outcome`, `e_k1`$")
})

test_that("what is declared to be in each row is not counted", {
  without <- function(of) sub(".* AS `e_t1`, (.*) AS `e_m1`.*", "\\1", sent_by(dbplyr::simulate_dbi("ClickhouseConnection"), of = of, by = "customer"))
  expect_identical(without("sum(parcels)"), "0")
  expect_identical(without("min(parcels * 2 - parcels)"), "0")
  expect_identical(without("sum(units)"), "COUNT(*) - COUNT(`units`)")
  expect_identical(without("mean(parcels - units)"), "COUNT(*) - COUNT((toInt64(`parcels`) - toInt64(`units`)))")
})

test_that("periods are comparisons with dates, and rows that are not used have no key", {
  for (engine in c("PqConnection", "MariaDBConnection")) {
    sql <- sent_by(dbplyr::simulate_dbi(engine), of = "count()", by = "customer", over = "month(sold)", where = "units > 0")
    expect_match(sql, "CASE WHEN (`sold` >= '2025-02-01') THEN [0-9]+ WHEN \\(`sold` >= '2025-01-01'\\) THEN [0-9]+ END|CASE WHEN \\(`sold` >= '2025-02-01'\\) THEN [0-9]+ WHEN \\(`sold` >= '2025-01-15'\\) THEN [0-9]+ END")
    expect_match(sql, "CASE WHEN (`e_outcome` = 0) THEN `e_k1` END AS `k1`", fixed = TRUE)
  }
  expect_match(sent_by(dbplyr::simulate_dbi("ClickhouseConnection"), of = "count()", by = "month(sold)"), "`sold` >= toDate('2025-02-01')", fixed = TRUE)
})

test_that("a median is made of the two values in the middle, found by their places or by the engine", {
  asked <- list(of = "median(units)", by = "customer")
  postgresql <- do.call(sent_by, c(list(dbplyr::simulate_dbi("PqConnection")), asked))
  expect_match(postgresql, "ROW_NUMBER() OVER (PARTITION BY `e_k1`, (`e_v1` IS NULL) ORDER BY `e_v1`) AS `e_r1`, COUNT(`e_v1`) OVER (PARTITION BY `e_k1`) AS `e_c1`", fixed = TRUE)
  expect_match(postgresql, paste("CAST((CAST(MIN(CASE WHEN ((2 * `e_r1`) >= `e_c1`) THEN `e_v1` END) AS NUMERIC) +",
    "CAST(MAX(CASE WHEN ((2 * `e_r1`) <= (`e_c1` + 2)) THEN `e_v1` END) AS NUMERIC)) AS TEXT) AS `t1`"), fixed = TRUE)
  cluster <- do.call(sent_by, c(list(dbplyr::simulate_dbi("ClickhouseConnection")), asked))
  expect_match(cluster, "toString((quantileExact(toInt64(`units`)) - quantileExact((-toInt64(`units`))))) AS `e_t1`", fixed = TRUE)
})

test_that("what an engine cannot do exactly is said", {
  s <- simulated(dbplyr::simulate_dbi("PqConnection"), list(customer = list(type = "text"), odd = list(type = "number", places = NA_integer_), huge = list(type = "number", form = "decimal", places = 2L, largest = 1e30)))
  reason <- function(of) {
    plan <- eggcrate:::prepare("standings", list(of = of, by = "customer"), function(use) eggcrate:::source_schema(s, use))$plan
    eggcrate:::request_in_sql(s, eggcrate:::plan_request(plan))
  }
  expect_match(reason("sum(odd)"), "`odd` has numbers that are not decimal")
  expect_match(reason("median(odd)"), "`odd` has numbers that are not decimal")
  expect_match(reason("sum(huge / 2)"), "rows are divided, which is not exact")
  expect_match(reason("sum(huge * huge * huge)"), "too large to be added there")
})

test_that("a text that is also the name of a column is a text", {
  d <- data.frame(k = c("k", "v", "k", "x"), v = c("v", "k", "x", "k"), n = 1:4)
  con <- DBI::dbConnect(RSQLite::SQLite())
  withr::defer(DBI::dbDisconnect(con))
  DBI::dbWriteTable(con, "d", d)
  for (where in c("k == 'k' & v != 'k'", "v == 'k' | k == 'v'", "k %in% c('k', 'v') & v %in% c('k', 'v')", "k == v & v == 'v'")) {
    expect_identical(as.data.frame(standings(dplyr::tbl(con, "d"), of = sum(n), by = c(k, v), where = !!where)),
      as.data.frame(standings(d, of = sum(n), by = c(k, v), where = !!where)), info = where)
  }
  sql <- eggcrate:::in_sql(list(quote(k == "k"), bquote(k %in% .(list("k", "v")))), con)
  expect_identical(vapply(sql, as.character, ""), c("`k` = 'k'", "`k` IN ('k', 'v')"))
})
