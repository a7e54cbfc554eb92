# The same questions of servers of databases, each started by these tests, against the same rows in a data frame.


# What the server says it was asked.
asked_of_postgresql <- function(code) {
  log <- server("postgresql")$log
  before <- length(readLines(log))
  force(code)
  Sys.sleep(0.3)
  said <- utils::tail(readLines(log), -before)
  said <- paste(said, collapse = "\n")
  # Other processes of tests ask databases of their own.
  regmatches(said, gregexpr(paste(postgresql_database(), "LOG:  (statement|execute [^:]*): *[A-Za-z]+"), said))[[1L]]
}

# One question of each kind that differs between engines: texts, conditions, periods, different values, medians, orders.
some_of_database <- asked_of_database[c(2L, 5L, 8L, 11L, 14L, 15L, 27L, 34L)]

test_that("a PostgreSQL server answers to the byte as a data frame does", {
  con <- postgresql_connection()
  withr::defer(DBI::dbDisconnect(con))
  orders <- odd_orders()
  table_in(con, with_times(orders), declared_orders$postgresql)
  questions <- in_full(c(asked_of_database, some_random()), some_of_database)
  expect_same_answers(answers_of(sales_table(con, "orders"), questions), orders, questions, "PostgreSQL")
  expect_asked_once(con)
  rows <- receipt(standings(sales_table(con, "orders"), of = count(), by = month(shipped)))
  expect_identical(unlist(rows[rows$fact == "times read as days", c("value", "note")], use.names = FALSE), c("shipped", "the day as it is stored"))
})

test_that("a PostgreSQL server is asked once, and joins lookups", {
  con <- postgresql_connection()
  withr::defer(DBI::dbDisconnect(con))
  table_in(con, with_times(odd_orders()), declared_orders$postgresql)
  expect_asked_once(con)
  # A lookup that is written into the statement, and one in the database.
  table_in(con, segments(), c(seats = "bigint", factor = "numeric(6,2)", since = "date"), "segments")
  expect_joined(sales_table(con, "orders"), sales_table(con, "segments"), eggcrate:::source_frame(classes(), "classes"), "PostgreSQL", 3L)
})

test_that("hostile names and values are names and values: no other statement runs", {
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

test_that("odd types, missing rights, too long a time and rows that come meanwhile are told of", {
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
