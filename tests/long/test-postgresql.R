# The same questions of a PostgreSQL server as of a data frame.

test_that("PostgreSQL answers to the byte as a data frame does", {
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

test_that("PostgreSQL joins lookups", {
  con <- postgresql_connection()
  withr::defer(DBI::dbDisconnect(con))
  table_in(con, with_times(odd_orders()), declared_orders$postgresql)
  expect_joined_of_all_kinds(con, declared_orders$postgresql, c(seats = "bigint", factor = "numeric(6,2)", since = "date"), c(code = "bigint", class = "varchar(3)"))
  DBI::dbExecute(con, "set datestyle to 'SQL, DMY'")
  expect_linked_of_all_kinds(con)
})
