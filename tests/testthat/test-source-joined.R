# Lookups of tables of databases, joined there, against the same lookups of data frames.


test_that("SQLite joins lookups, whatever the collation", {
  con <- sqlite_with(odd_orders(), customer = "TEXT COLLATE NOCASE")
  here <- function(data, name) eggcrate:::source_frame(data, name)
  table <- segments()
  DBI::dbWriteTable(con, "segments", transform(table, since = as.character(since)), field.types = c(customer = "TEXT COLLATE NOCASE"))
  DBI::dbWriteTable(con, "classes", classes())
  expect_joined(sales_table(con, "orders"), here(table, "segments"), here(classes(), "classes"), "from elsewhere", 6L)
  expect_joined(sales_table(con, "orders"), sales_table(con, "segments"), sales_table(con, "classes"), "in the database", 2L)
  expect_linked(sales_table(con, "orders"), list(), list(asked_of_linked[[2L]], asked_of_flags[[2L]]), "linked, from elsewhere")
  expect_match(plans_of_joins(con, "EXPLAIN QUERY PLAN"), "SEARCH [^\n]* USING AUTOMATIC COVERING INDEX")
})

test_that("rows from elsewhere are written into the statement, in each engine's own words", {
  rows <- data.frame(k = c("a'b", NA), day = as.Date(c("2026-01-02", NA)), x = c(0.5, 2), n = c(1L, NA))
  written <- function(engine) {
    con <- dbplyr::simulate_dbi(engine)
    gsub("\"", "`", as.character(dbplyr::sql_render(eggcrate:::written_rows(rows, list(con = con, engine = eggcrate:::engine_of(con))))), fixed = TRUE)
  }
  expect_identical(written("PqConnection"), "SELECT `k`, CAST(`day` AS DATE) AS `day`, CAST(`x` AS NUMERIC) AS `x`, CAST(`n` AS INTEGER) AS `n`
FROM (VALUES
  ('a''b', '2026-01-02', 0.5, 1),
  (NULL, NULL, 2.0, NULL)
) AS given (`k`, `day`, `x`, `n`)")
  expect_identical(written("MariaDBConnection"), "WITH given (`k`, `day`, `x`, `n`) AS (VALUES
  ('a''b', '2026-01-02', 0.5, 1),
  (NULL, NULL, 2.0, NULL)
)
SELECT `k`, CAST(`day` AS DATE) AS `day`, `x`, `n`
FROM given")
  # Shown are the first of them, whichever way they are written.
  rows <- data.frame(k = sprintf("c%d", 1:10))
  expect_match(eggcrate:::few_values(written("PqConnection")), "  \\('c3'\\)\\,\n-- and 7 more rows\n\\) AS given")
  expect_match(eggcrate:::few_values(written("MariaDBConnection")), "  \\('c3'\\)\\,\n-- and 7 more rows\n\\)\nSELECT")
  listed <- eggcrate:::mapped_side(list(con = dbplyr::simulate_dbi("ClickhouseConnection"), engine = eggcrate:::clickhouse_engine),
    list(by = list(rows$k), columns = list(eggcrate:::copied_column(1:10, eggcrate:::clickhouse_engine))), list(quote(customer)), "e_a1_1", c("e_f1_1", "e_f1_2"))
  con <- dbplyr::simulate_dbi("ClickhouseConnection")
  sql <- eggcrate:::in_sql(list(listed$cells[[1L]]$expr), con)[[1L]]
  # How such a connection quotes names differs by version.
  quoted <- function(sql) gsub("\"", "`", as.character(sql), fixed = TRUE)
  expect_identical(quoted(sql), "nullIf(transform(`customer`, `e_f1_1`, `e_f1_2`, 11), 11)")
  shown <- eggcrate:::few_values(as.character(eggcrate:::with_lists(list(lists = listed$lists, con = con), dbplyr::sql(paste("SELECT", sql)))))
  expect_identical(quoted(shown), paste0("WITH\n[\n  'c1',\n  'c2',\n  'c3',\n-- and 7 more rows\n] AS `e_f1_1`,\n[\n  1,\n  2,\n  3,\n-- and 7 more rows\n] AS `e_f1_2`\nSELECT ", quoted(sql)))
  rows <- data.frame(k = c("a'b", NA), day = as.Date(c("2026-01-02", NA)), x = c(0.5, 2), n = c(1L, NA))
  expect_match(written("SQLiteConnection"), "SELECT `k`, `day`, CAST(`x` AS REAL) AS `x`, `n`", fixed = TRUE)
})

test_that("a longer lookup is found after the rows are counted, where no more is wanted of it than groups", {
  source <- sales_table(sqlite_with(odd_orders(), customer = "TEXT COLLATE NOCASE"), "orders")
  withr::local_options(eggcrate.copy = 0)
  tables <- list(eggcrate:::source_frame(segments(), "segments"), eggcrate:::source_frame(classes(), "classes"))
  s <- do.call(with_both, c(list(source), tables))
  frame <- do.call(with_both, c(list(eggcrate:::source_frame(odd_orders(), "orders")), tables))
  some <- by_lookups_only[c(2L, 5L)]
  expect_said(lapply(some, function(one) {
    said <- NULL
    fetched <- fetched_in(source, said <- said_of(one[[1L]], one[[2L]], s))
    list(said = said, fetched = fetched)
  }), some, frame)
  expect_linked(sales_table(source$con, "orders"), list(), asked_of_linked[1L], "linked, after the tally")
  # More than groups is wanted: columns are fetched.
  for (one in list(list(of = "sum(sales)", by = "month(since)"), list(of = "sum(sales)", by = "customer", where = "segment == 'big'"))) {
    expect_identical(without_first(said_of("standings", one, s)), without_first(said_of("standings", one, frame)), info = paste(unlist(one), collapse = " ; "))
  }
})

test_that("rows without a match are counted there, and a key that stands twice is found there", {
  lines <- data.frame(id = c(1, 2, 2, 3, NA), amount = c(1, 2, 4, 8, 16))
  con <- sqlite_with(lines)
  table <- data.frame(id = c(1, 2, 4), name = c("one", "two", "four"))
  x <- standings(lookup(sales_table(con, "orders"), table), of = sum(amount), by = name)
  expect_identical(x$amount, c(24, 6, 1))
  rows <- receipt(x)
  expect_identical(rows$n[rows$step == "lookup"], 2)
  expect_identical(rows$note[rows$step == "lookup"], "such as 3")
  # In the statement of the sums, whatever is filtered; each lookup has its own, and of a key of two columns both are told.
  codes <- data.frame(amount = c(1, 4), id = c(1, 2), size = c("small", "large"))
  orders <- sales_table(con, "orders")
  both <- lookup(lookup(orders, table, by = id), codes, by = c(id, amount))
  rows <- receipt(standings(both, of = sum(amount), by = c(name, size), where = amount < 8))
  expect_identical(rows$n[rows$step == "lookup"], c(2, 3))
  expect_identical(rows$note[rows$step == "lookup"], c("such as 3", "such as 2, 2"))
  expect_identical(sum(grepl("LEFT JOIN", orders$asked)), 1L)
  # Counted by its key, a large one from elsewhere too.
  withr::local_options(eggcrate.copy = 2)
  orders <- sales_table(con, "orders")
  rows <- receipt(standings(lookup(orders, table), of = sum(amount), by = name))
  expect_identical(rows[rows$step == "lookup", c("n", "note")], data.frame(n = 2, note = "such as 3"), ignore_attr = TRUE)
  expect_identical(sum(grepl("GROUP BY", orders$asked)), 1L)
  DBI::dbWriteTable(con, "many", data.frame(id = c(seq_len(6000), 17, NA, NA)))
  many <- sales_table(con, "many")
  expect_error(lookup(sales_table(con, "orders"), many, by = id), "`id` \"17\" twice", class = "eggcrate_error_value")
  expect_identical(sum(grepl("GROUP BY", many$asked)), 1L)
})

test_that("a blank key matches nothing, also not another blank one", {
  for (first in c("2026-01-01", "one")) {
    lines <- data.frame(key = c(first, "", " ", NA), amount = c(1, 2, 4, 8))
    table <- data.frame(key = c(first, ""), name = c("found", "blank"))
    con <- sqlite_with(lines)
    DBI::dbWriteTable(con, "names", table)
    for (beside in list(table, sales_table(con, "names"))) {
      base <- sales_table(con, "orders")
      x <- standings(lookup(base, beside, by = key), of = sum(amount), by = name)
      expect_identical(x$name, c(NA, "found"))
      expect_identical(x$amount, c(14, 1))
      found <- receipt(x)
      expect_identical(found$n[found$step == "lookup"], 3)
      expect_match(base$asked, "LEFT JOIN", all = FALSE)
    }
  }
})

test_that("what cannot be joined is fetched, or refused with the reason", {
  lines <- data.frame(customer = c("a", "b"), amount = c(1, 2))
  con <- sqlite_with(lines)
  base <- sales_table(con, "orders")
  large <- data.frame(customer = c("a", "b", sprintf("c%d", 1:6000)), segment = "s")
  x <- standings(lookup(base, large), of = sum(amount), by = segment)
  expect_identical(x$amount, 3)
  expect_identical(names(show_sql(x))[1L], "What is counted")
  ask <- function() standings(lookup(sales_table(con, "orders"), large), of = sum(amount), by = customer, where = segment == "s")
  x <- ask()
  expect_identical(x$amount, c(2, 1))
  expect_match(names(show_sql(x))[1L], "fetched because large is not in the same database and has more than 5,000 rows")
  withr::local_options(eggcrate.fetch = 1)
  expect_error(ask(), "more than 5,000 rows", class = "eggcrate_error_database")
  withr::local_options(eggcrate.fetch = NULL, eggcrate.copy = 10000)
  sql <- show_sql(standings(lookup(sales_table(con, "orders"), large), of = sum(amount), by = segment))
  expect_match(sql[[1L]], "LEFT JOIN")
  expect_match(sql[[1L]], "'c6000'")
  # Shown are the first of them.
  expect_match(format(sql)[1L], "VALUES\n *\\('a', 's', 1\\),\n *\\('b', 's', 1\\),\n *\\('c1', 's', 1\\),\n-- and 5,999 more rows\n *\\)")
  expect_match(format(sql)[1L], "GROUP BY")
  # A date as text, flags, and a key of the lookup's own.
  odd <- data.frame(customer = c("a", "b"), sold = c("01/02/2026", "02/02/2026"), new = c(TRUE, FALSE), boss = c("x", "y"))
  s <- lookup(sales_table(con, "orders"), odd)
  expect_identical(standings(s, of = sum(amount), by = customer, where = new)$amount, 1)
  expect_identical(as.data.frame(standings(s, of = sum(amount), by = boss, over = month(date(sold, "dmy"))))$amount, c(2, 1))
  twice <- lookup(s, data.frame(boss = c("x", "y"), name = c("Ada", "Bo")))
  expect_identical(standings(twice, of = sum(amount), by = name)$name, c("Bo", "Ada"))
})

test_that("addresses of one database are joined in it", {
  folder <- withr::local_tempdir()
  path <- file.path(folder, "shop.db")
  con <- DBI::dbConnect(RSQLite::SQLite(), path)
  DBI::dbWriteTable(con, "orders", data.frame(customer = c("a", "b", "a"), amount = 1:3))
  DBI::dbWriteTable(con, "customers", data.frame(customer = c("a", "b"), segment = c("big", "small")))
  DBI::dbDisconnect(con)
  address <- function(table) sprintf("sqlite:%s#%s", path, table)
  x <- standings(lookup(address("orders"), address("customers")), of = sum(amount), by = segment)
  expect_identical(x$segment, c("big", "small"))
  expect_match(show_sql(x)[[1L]], "LEFT JOIN .*FROM `customers`")
  writeLines(c("customer,segment", "a,big", "b,small"), file.path(folder, "customers.csv"))
  run <- run_here(c("standings", address("orders"), "--of", "sum(amount)", "--by", "segment", "--lookup", file.path(folder, "customers.csv"), "--show-sql"))
  expect_equal(run$status, 0)
  expect_match(run$out, "big +4", all = FALSE)
  expect_match(c(run$out, run$err), "LEFT JOIN", all = FALSE)
})
