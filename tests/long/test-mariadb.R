# The same questions of a MariaDB server as of a data frame.

test_that("MariaDB answers to the byte as a data frame does", {
  con <- mariadb_connection()
  withr::defer(DBI::dbDisconnect(con))
  orders <- odd_orders()
  table_in(con, with_times(orders), declared_orders$mariadb)
  questions <- c(asked_of_database, some_random())
  expect_same_answers(answers_of(sales_table(con, "orders"), questions), orders, questions, "MariaDB")
  expect_asked_once(con)
})

test_that("days that there are not are missing, and whole numbers of 64 bits are names", {
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

test_that("backslashes in values and names are what they are", {
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
})

test_that("MariaDB joins lookups, whatever the collation", {
  con <- mariadb_connection()
  withr::defer(DBI::dbDisconnect(con))
  table_in(con, with_times(odd_orders()), declared_orders$mariadb)
  expect_joined_of_all_kinds(con, declared_orders$mariadb, c(customer = "varchar(30) collate utf8mb4_general_ci", seats = "bigint", since = "date"), c(code = "bigint"))
  plans <- plans_of_joins(con, "EXPLAIN")
  expect_match(plans, "<derived[0-9]+>.* ref key0")
  expect_false(any(grepl("BNL", plans)))
})

test_that("MariaDB joins lookups that are linked to lookups", {
  con <- mariadb_connection()
  withr::defer(DBI::dbDisconnect(con))
  table_in(con, with_times(odd_orders()), declared_orders$mariadb)
  expect_linked_of_all_kinds(con)
})

test_that("a table of MariaDB by its address, read only", {
  con <- mariadb_connection()
  withr::defer(DBI::dbDisconnect(con))
  orders <- odd_orders()
  table_in(con, orders, declared_orders$mariadb, "by_address")
  url <- sprintf("mariadb://shop:%s@127.0.0.1:%d/shop#shop.by_address", utils::URLencode(server_password, reserved = TRUE), server("mariadb")$port)
  expect_identical(as.data.frame(standings(url, of = sum(sales), by = region)), as.data.frame(standings(orders, of = sum(sales), by = region)))
  source <- eggcrate:::open_source(url)
  withr::defer(eggcrate:::source_close(source))
  expect_error(DBI::dbExecute(source$con, "delete from by_address"), "READ ONLY")
  expect_error(standings(sub(":[^:]*@", ":secret@", url), of = count(), by = region), "cannot be opened.*Access denied", class = "eggcrate_error_database")
})
