# The same questions of servers of databases, each started by these tests, against the same rows in a data frame.

skip_if_not_installed("dbplyr")

expect_same_answers <- function(found, data, questions, info) {
  for (i in seq_along(questions)) {
    one <- questions[[i]]
    said <- paste(info, i, paste(unlist(one), collapse = " ; "))
    expect_identical(found[[i]]$said, said_of(one[[1L]], one[[2L]], eggcrate:::source_frame(data, "orders")), info = said)
    expect_identical(found[[i]]$fetched, 0L, info = said)
  }
}

# Missing keys and rows that are left out are no blank texts: only these are asked for a second time, and once.
expect_asked_once <- function(con) {
  counted <- function(x, with = identity, of = quote(sum(units))) {
    DBI::dbWriteTable(con, "few", data.frame(customer = c("a", x, NA), units = c(1, 2, 4)), overwrite = TRUE)
    source <- sales_table(con, "few")
    for (i in 1:2) expect_identical(sum(eval(bquote(standings(with(source), of = .(of), by = customer, where = units > 1)))[[3L]]), 6)
    sum(grepl("GROUP BY", source$asked))
  }
  expect_identical(counted("b"), 2L)
  expect_identical(counted(" "), 3L)
  # Also where something is joined to them, anew for each question.
  weighed <- function(x) counted(x, function(source) lookup(source, data.frame(units = c(1, 2, 4), weight = 1), by = units), quote(sum(units * weight)))
  expect_identical(weighed("b"), 2L)
  expect_identical(weighed(" "), 3L)
}

# More of them where time is given.
some_random <- function() random_questions(as.integer(Sys.getenv("EGGCRATE_FILES", "60")) %/% 8L)

test_that("PostgreSQL answers to the byte as a data frame does", {
  skip_if_not_installed("RPostgres")
  con <- postgresql_connection()
  withr::defer(DBI::dbDisconnect(con))
  orders <- odd_orders()
  table_in(con, with_times(orders), declared_orders$postgresql)
  questions <- c(asked_of_database, some_random())
  expect_same_answers(answers_of(sales_table(con, "orders"), questions), orders, questions, "PostgreSQL")
  expect_asked_once(con)
  rows <- receipt(standings(sales_table(con, "orders"), of = count(), by = month(shipped)))
  expect_identical(unlist(rows[rows$fact == "times read as days", c("value", "note")], use.names = FALSE), c("shipped", "the day as it is stored"))
})

test_that("MariaDB answers to the byte as a data frame does", {
  skip_if_not_installed("RMariaDB")
  con <- mariadb_connection()
  withr::defer(DBI::dbDisconnect(con))
  orders <- odd_orders()
  table_in(con, with_times(orders), declared_orders$mariadb)
  questions <- c(asked_of_database, some_random())
  expect_same_answers(answers_of(sales_table(con, "orders"), questions), orders, questions, "MariaDB")
  expect_asked_once(con)
})

test_that("a table that is spread over two servers answers to the byte as a data frame does", {
  skip_if(!nzchar(Sys.which("clickhouse-server")), "no clickhouse-server")
  orders <- odd_orders()
  questions <- c(asked_of_database, some_random())
  found <- on_cluster(quote({
    spread_table(con, others, with_times(orders), declared_orders$cluster)
    parts <- vapply(c(list(con), others), function(each) as.numeric(DBI::dbGetQuery(each, "SELECT count(*) AS n FROM orders_here")$n), 0)
    list(answers = answers_of(sales_table(con, "orders"), questions), parts = parts)
  }), list(orders = orders, questions = questions))
  expect_true(all(found$parts > 100))
  expect_same_answers(found$answers, orders, questions, "the cluster")
})

# What the server says it was asked.
asked_of_postgresql <- function(code) {
  log <- server("postgresql")$log
  before <- length(readLines(log))
  force(code)
  Sys.sleep(0.3)
  said <- utils::tail(readLines(log), -before)
  said <- paste(said, collapse = "\n")
  regmatches(said, gregexpr("LOG:  (statement|execute [^:]*): *[A-Za-z]+", said))[[1L]]
}

test_that("hostile names and values are names and values: no other statement runs", {
  skip_if_not_installed("RPostgres")
  con <- postgresql_connection()
  withr::defer(DBI::dbDisconnect(con))
  table <- "or\"ders'; DROP TABLE x; --"
  data <- data.frame(c("a'; DROP TABLE x; --", "b\\", "\u00e9\"`"), c(1.5, 2.25, 4), c("x", "x", "y"))
  names(data) <- c("who\"; --", "sum(1)", "e_k1")
  table_in(con, data, NULL, table)
  table_in(con, data.frame(a = 1), NULL, "x")
  found <- NULL
  said <- asked_of_postgresql({
    source <- sales_table(con, table)
    ask <- function(...) as.data.frame(eggcrate:::ask("standings", list(...), source))
    found <- list(ask(of = "sum(`sum(1)`)", by = "`who\"; --`"), ask(of = "sum(`sum(1)`)", by = "e_k1", where = "`who\"; --` %in% c('b\\\\', 'a\\'; DROP TABLE x; --')"))
  })
  expect_identical(found[[1L]][[2L]], c("\u00e9\"`", "b\\", "a'; DROP TABLE x; --"))
  expect_identical(found[[2L]][[3L]], 3.75)
  expect_gt(length(said), 5L)
  expect_setequal(unique(sub("^.*: *", "", said)), c("SELECT", "BEGIN", "SET", "ROLLBACK"))
  expect_true(DBI::dbExistsTable(con, "x"))
})

# What a backslash is differs between engines.
slashed <- data.frame(item = c("a\\", "\\' or 1 = 1; -- ", "a\\' or 'b' = 'b", "x"), amount = c(1.5, 2.25, 4, 8))
of_slashed <- c(lapply(c("item == 'a\\\\'", "item %in% c('a\\\\', 'x')", "item != '\\\\\\' or 1 = 1; -- '", "item == 'a\\\\\\' or \\'b\\' = \\'b'"),
  function(where) list("standings", list(of = "sum(amount)", by = "item", where = where))), list(list("standings", list(of = "count()", by = "item", show = "amount"))))

test_that("backslashes in values and names are what they are", {
  skip_if_not_installed("RMariaDB")
  con <- mariadb_connection()
  withr::defer(DBI::dbDisconnect(con))
  table <- "or\\'ders\\"
  table_in(con, slashed, c(item = "varchar(30)", amount = "decimal(9, 2)"), table)
  source <- sales_table(con, table)
  expect_same_answers(lapply(answers_of(source, of_slashed), function(one) replace(one, "said", list(gsub("or\\\\\\\\'ders\\\\\\\\", "orders", one$said)))), slashed, of_slashed, "MariaDB")
  # Also those that are written into a statement.
  joined <- lookup(source, data.frame(item = slashed$item, kind = paste0(slashed$item, "\\")), by = item)
  said <- standings(joined, of = sum(amount), by = kind)
  expect_identical(said$kind, paste0(rev(slashed$item), "\\"))
  skip_if(!nzchar(Sys.which("clickhouse-server")), "no clickhouse-server")
  found <- on_cluster(quote({
    spread_table(con, others, slashed, c(item = "String", amount = "Decimal(9, 2)"), "slashed")
    answers_of(sales_table(con, "slashed"), of_slashed)
  }), list(slashed = slashed, of_slashed = of_slashed))
  expect_same_answers(lapply(found, function(one) replace(one, "said", list(gsub("slashed", "orders", one$said)))), slashed, of_slashed, "the cluster")
})

test_that("odd types, missing rights, too long a time and rows that come meanwhile are told of", {
  skip_if_not_installed("RPostgres")
  con <- postgresql_connection()
  withr::defer(DBI::dbDisconnect(con))
  for (sql in c("drop table if exists odd", "create table odd (item text, j json, a int[], b bytea, f float8, n numeric, yes boolean, big bigint, c char(4), late timestamptz)",
    "insert into odd values ('a', '{}', '{1}', 'x', 1.5, 1.25, true, 9007199254740993, 'p', '2025-01-01 01:00+02'), ('b', null, null, null, 'NaN', 2.5, false, 1, 'q', null), (' ', null, null, null, 2, 3, null, null, null, '2025-01-01')")) {
    suppressMessages(DBI::dbExecute(con, sql))
  }
  source <- sales_table(con, "odd")
  fails <- function(code, class, pattern) {
    e <- expect_error(code, class = class)
    expect_match(conditionMessage(e), pattern)
  }
  fails(standings(source, of = count(), by = j), "eggcrate_error_type", "`j` is of class json")
  fails(standings(source, of = count(), by = a), "eggcrate_error_type", "`a` is of class _int4")
  fails(standings(source, of = count(), by = b), "eggcrate_error_type", "`b` is of class bytea")
  fails(standings(source, of = sum(f), by = item), "eggcrate_error_not_finite", "`f` of odd has a value that is not a finite number")
  DBI::dbExecute(con, "create or replace view halves as select item, (case when item = 'b' then 'NaN'::numeric else n end)::numeric(9, 2) as n from odd")
  halves <- sales_table(con, "halves")
  for (question in list(list(of = "sum(n)", by = "item"), list(of = "count()", by = "item", where = "n > 1"), list(of = "min(n)", by = "item"), list(of = "count()", by = "n"),
    list(of = "sum(n, when = n > 1)", by = "item"), list(of = "distinct(n)", by = "item"))) {
    fails(eggcrate:::ask("standings", question, halves), "eggcrate_error_not_finite", "`n`.* has a value that is not a finite number")
  }
  x <- standings(source, of = sum(n), by = item)
  expect_identical(x$item, c(NA, "b", "a"))
  expect_identical(x$n, c(3, 2.5, 1.25))
  expect_identical(standings(source, of = count(), by = yes)$yes, c(FALSE, TRUE, NA))
  expect_identical(nrow(standings(source, of = count(), by = item, where = yes)), 1L)
  expect_identical(fetched_in(source, expect_identical(standings(source, of = count(), by = big)$big, c("1", "9007199254740993", NA))), 0L)
  expect_identical(standings(source, of = count(), by = c)$c, c("p", "q", NA))
  # The day of a moment is that of UTC.
  expect_identical(standings(source, of = count(), by = late, where = item == "a")$late, as.Date("2024-12-31"))
  DBI::dbExecute(con, "insert into odd (item) values ('late')")
  fails(standings(source, of = count(), by = item), "eggcrate_error_gone", "has changed since it was opened: it had 3 rows and has 4")
  # A transaction of the user's own goes on.
  DBI::dbBegin(con)
  DBI::dbExecute(con, "delete from odd where item = 'late'")
  expect_identical(nrow(standings(source, of = count(), by = item)), 3L)
  DBI::dbRollback(con)
  for (sql in c("drop role if exists poor", "create role poor", "create table if not exists shut (a int)", "set role poor")) suppressMessages(DBI::dbExecute(con, sql))
  fails(sales_table(con, "shut"), "eggcrate_error_database", "\"shut\" in the database cannot be read.*permission denied")
  DBI::dbExecute(con, "reset role")
  DBI::dbExecute(con, "set statement_timeout = 100")
  slow <- dplyr::tbl(con, dplyr::sql("select item, n, pg_sleep(0.1)::text as wait from odd"))
  fails(standings(slow, of = sum(n), by = wait), "eggcrate_error_database", "PostgreSQL could not answer.*statement timeout")
  # Once, not a second time for each thing that was asked together.
  source <- eggcrate:::source_database(slow, "slow")
  fails(standings(source, of = count(), by = wait, show = item), "eggcrate_error_database", "statement timeout")
  expect_identical(sum(grepl("GROUP BY", source$asked)), 1L)
  expect_identical(DBI::dbGetQuery(con, "select 1 as one")$one, 1L)
})

test_that("days that there are not are missing, and whole numbers of 64 bits are names", {
  skip_if_not_installed("RMariaDB")
  con <- mariadb_connection()
  withr::defer(DBI::dbDisconnect(con))
  for (sql in c("drop table if exists orders", "create table orders (item varchar(9), sold date, shipped datetime, big bigint unsigned, units int)",
    "insert into orders values ('a', '2025-01-10', '2025-01-10 23:30:00', 18446744073709551615, 1), ('b', '0000-00-00', '0000-00-00 00:00:00', 18446744073709551614, 2),
      ('c', '2025-00-10', '2025-02-00 01:00:00', 5, 3), ('d', '2025-02-01', null, null, 4), ('a', '2025-02-28', '2025-03-01 00:00:00', 18446744073709551615, 5)")) DBI::dbExecute(con, sql)
  rows <- data.frame(item = c("a", "b", "c", "d", "a"), sold = as.Date(c("2025-01-10", NA, NA, "2025-02-01", "2025-02-28")),
    shipped = as.Date(c("2025-01-10", NA, NA, NA, "2025-03-01")), big = c("18446744073709551615", "18446744073709551614", "5", NA, "18446744073709551615"), units = 1:5)
  questions <- lapply(list(list(of = "sum(units)", by = "month(sold)"), list(of = "count()", by = "sold"), list(of = "count()", by = "item", where = "sold < '2025-02-10' | is_missing(shipped)"),
    list(of = "max(sold)", by = "item", also = "m = min(shipped)"), list(of = "sum(units)", by = "big", show = "shipped"), list(of = "distinct(big)", by = "item", where = "big != '5'"),
    list(of = "sum(units)", by = "item", over = "week(shipped)")), function(args) list("standings", args))
  expect_same_answers(answers_of(sales_table(con, "orders"), questions), rows, questions, "MariaDB")
})

test_that("a connection that is lost is told of", {
  skip_if_not_installed("RMariaDB")
  con <- mariadb_connection()
  withr::defer(DBI::dbDisconnect(con))
  table_in(con, odd_orders(), declared_orders$mariadb, "lost")
  other <- mariadb_connection()
  withr::defer(try(DBI::dbDisconnect(other), silent = TRUE))
  source <- sales_table(other, "lost")
  standings(source, of = sum(sales), by = region)
  DBI::dbExecute(con, sprintf("KILL %s", format(DBI::dbGetQuery(other, "select connection_id() as id")$id)))
  expect_match(conditionMessage(expect_error(standings(source, of = sum(sales), by = region), class = "eggcrate_error_database")), "MariaDB could not answer a question of lost")
})

test_that("a cluster by its address; what travels grows with items, not with lines", {
  skip_if(!nzchar(Sys.which("clickhouse-server")), "no clickhouse-server")
  orders <- odd_orders()[rep(1:600, 5), ]
  found <- on_cluster(quote({
    spread_table(con, others, orders, declared_orders$cluster, "many")
    url <- sprintf("clickhouse://127.0.0.1:%d/default#many", port)
    x <- standings(url, of = sum(sales), by = customer)
    DBI::dbExecute(con, "SYSTEM FLUSH LOGS")
    Sys.sleep(1)
    # What the second server gave to the first.
    sent <- DBI::dbGetQuery(others[[1L]], "SELECT query, result_rows, read_rows FROM system.query_log WHERE type = 2 AND query LIKE '%many_here%' AND query NOT LIKE '%query_log%' AND query LIKE 'SELECT%'")
    list(answer = as.data.frame(x), sent = sent)
  }), list(orders = orders[c("customer", "region", "sales", "units", "rate", "code", "sold", "shipped", "ticket")]))
  expect_identical(found$answer, as.data.frame(standings(orders, of = sum(sales), by = customer)))
  expect_gt(nrow(found$sent), 0L)
  expect_gt(max(as.numeric(found$sent$read_rows)), 1000)
  expect_lt(max(as.numeric(found$sent$result_rows)), 100)
})
