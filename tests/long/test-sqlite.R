# All questions of a table of SQLite, and of its lookups, as of data frames.

test_that("SQLite joins lookups, whatever the collation", {
  con <- sqlite_with(odd_orders(), customer = "TEXT COLLATE NOCASE")
  here <- function(data, name) eggcrate:::source_frame(data, name)
  table <- segments()
  DBI::dbWriteTable(con, "segments", transform(table, since = as.character(since)), field.types = c(customer = "TEXT COLLATE NOCASE"))
  DBI::dbWriteTable(con, "classes", classes())
  expect_joined(sales_table(con, "orders"), here(table, "segments"), here(classes(), "classes"), "from elsewhere")
  expect_joined(sales_table(con, "orders"), sales_table(con, "segments"), sales_table(con, "classes"), "in the database")
  expect_joined(sales_table(con, "orders"), sales_table(con, "segments"), here(classes(), "classes"), "one of each")
  expect_linked_of_all_kinds(con, function(days) transform(days, sold = as.character(sold)))
  expect_match(plans_of_joins(con, "EXPLAIN QUERY PLAN"), "SEARCH [^\n]* USING AUTOMATIC COVERING INDEX")
})

test_that("every question is answered to the byte as of a data frame, and in the database", {
  orders <- odd_orders()
  source <- sales_table(sqlite_with(orders, customer = "TEXT COLLATE NOCASE"), "orders")
  answered <- 0L
  for (one in asked_of_database) {
    said <- paste(unlist(one), collapse = " ")
    frame <- said_of(one[[1L]], one[[2L]], eggcrate:::source_frame(orders, "orders"))
    found <- NULL
    fetched <- fetched_in(source, found <- said_of(one[[1L]], one[[2L]], source))
    expect_identical(found, frame, info = said)
    expect_identical(fetched, 0L, info = said)
    answered <- answered + !startsWith(frame[1L], "error:")
  }
  expect_gte(answered, length(asked_of_database))
})

test_that("what orders add to items is put together there, as long as it is not too much", {
  orders <- odd_orders()
  source <- sales_table(sqlite_with(orders), "orders")
  ask <- function(source, ...) firmness(standings(source, ...), orders = ticket, times = 50)
  refused <- function(pattern, ...) {
    e <- expect_error(ask(source, ...), class = "eggcrate_error_database")
    expect_match(conditionMessage(e), pattern)
  }
  # Fewer than the table has rows, and more than the filter leaves.
  withr::local_options(eggcrate.fetch = 200)
  few <- ask(source, of = sum(sales), by = customer, where = region == "north" & units > 3)
  expect_identical(few$rank_high, ask(orders, of = sum(sales), by = customer, where = region == "north" & units > 3)$rank_high)
  refused("its orders have more than 200 entries.*Orders has 600 rows; no more than 200 are fetched", of = sum(sales), by = customer)
  # Of a row that lacks one of two values, neither counts; a row without an order is an order of its own. None is fetched.
  orders$ticket[c(3:9, 300:320)] <- NA
  lone <- sales_table(sqlite_with(orders), "orders")
  withr::local_options(eggcrate.fetch = 599)
  for (measure in list(quote(sum(sales) - sum(units)), quote(sum(sales)), quote(sum(sales, when = units > 2) - sum(rate)), quote(count(when = rate == 0.5)), quote(count() + sum(code)))) {
    ours <- eval(bquote(ask(lone, of = .(measure), by = region)))
    of_rows <- eval(bquote(ask(orders, of = .(measure), by = region)))
    expect_identical(as.data.frame(ours), as.data.frame(of_rows), info = deparse(measure))
    expect_identical(receipt(ours)[receipt(ours)$step == "firmness", ], receipt(of_rows)[receipt(of_rows)$step == "firmness", ], info = deparse(measure))
  }
  orders$ticket <- NA_integer_
  lone <- sales_table(sqlite_with(orders), "orders")
  withr::local_options(eggcrate.fetch = 200)
  source <- lone
  refused("more than 200 rows have no order, and each is an order of its own", of = count(), by = region)
})

test_that("a longer lookup is found after the rows are counted, where no more is wanted of it than groups", {
  source <- sales_table(sqlite_with(odd_orders(), customer = "TEXT COLLATE NOCASE"), "orders")
  withr::local_options(eggcrate.copy = 0)
  tables <- list(eggcrate:::source_frame(segments(), "segments"), eggcrate:::source_frame(classes(), "classes"))
  s <- do.call(with_both, c(list(source), tables))
  frame <- do.call(with_both, c(list(eggcrate:::source_frame(odd_orders(), "orders")), tables))
  expect_said(lapply(by_lookups_only, function(one) {
    said <- NULL
    fetched <- fetched_in(source, said <- said_of(one[[1L]], one[[2L]], s))
    list(said = said, fetched = fetched)
  }), by_lookups_only, frame)
  expect_linked(sales_table(source$con, "orders"), list(), c(asked_of_linked[c(1L, 3L)], asked_of_flags[1L]), "linked, after the tally")
  # More than groups is wanted: columns are fetched.
  for (one in list(list(of = "sum(sales)", by = "month(since)"), list(of = "sum(factor)", by = "segment"), list(of = "distinct(units)", by = "segment"),
    list(of = "sum(sales)", by = "customer", where = "segment == 'big'"))) {
    expect_identical(without_first(said_of("standings", one, s)), without_first(said_of("standings", one, frame)), info = paste(unlist(one), collapse = " ; "))
  }
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
