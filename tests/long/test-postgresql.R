# The same questions of a PostgreSQL server as of a data frame.

test_that("PostgreSQL joins lookups", {
  con <- postgresql_connection()
  withr::defer(DBI::dbDisconnect(con))
  table_in(con, with_times(odd_orders()), declared_orders$postgresql)
  expect_joined_of_all_kinds(con, declared_orders$postgresql, c(seats = "bigint", factor = "numeric(6,2)", since = "date"), c(code = "bigint", class = "varchar(3)"))
  DBI::dbExecute(con, "set datestyle to 'SQL, DMY'")
  expect_linked_of_all_kinds(con)
})
