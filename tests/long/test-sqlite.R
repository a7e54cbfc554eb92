# All questions of a table of SQLite, and of its lookups, as of data frames.

test_that("SQLite joins lookups of which one is in the database, and linked ones of all kinds", {
  here <- function(data, name) eggcrate:::source_frame(data, name)
  con <- sqlite_with(odd_orders(), customer = "TEXT COLLATE NOCASE")
  table <- segments()
  DBI::dbWriteTable(con, "segments", transform(table, since = as.character(since)), field.types = c(customer = "TEXT COLLATE NOCASE"))
  expect_joined(sales_table(con, "orders"), sales_table(con, "segments"), here(classes(), "classes"), "one of each")
  expect_linked_of_all_kinds(con, function(days) transform(days, sold = as.character(sold)))
})

test_that("what follows from an answer is that of a data frame, and asked in the database", {
  orders <- odd_orders()
  source <- sales_table(sqlite_with(orders), "orders")
  follow <- list(
    findings = function(x) as.data.frame(findings(x, over = month(sold), against = sum(units))),
    drill = function(x) drill(x, top(2), by = c(region, month(sold))),
    why = function(x) as.data.frame(why(assign_tiers(x, tiers_by_share(c(A = "80%"), rest = "B")), "z")),
    compare = function(x) compare_periods(source_of(x), of = sum(sales), by = customer, over = month(sold)))
  source_of <- function(x) eggcrate:::handle_source(answer_of(x)$handle)
  ask <- function(data) standings(data, of = sum(sales), by = customer, where = units > 0)
  there <- ask(source)
  here <- ask(orders)
  for (name in names(follow)) {
    found <- NULL
    fetched <- fetched_in(source, found <- follow[[name]](there))
    expect_identical(as.data.frame(found), as.data.frame(follow[[name]](here)), info = name)
    expect_identical(fetched, 0L, info = name)
  }
})
