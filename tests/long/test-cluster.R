# The same questions of a table that is spread over two servers as of a data frame.

test_that("a table that is spread over two servers answers to the byte as a data frame does", {
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

test_that("a cluster by its address; what travels grows with items, not with lines", {
  orders <- odd_orders()[rep(1:600, 5), ]
  found <- on_cluster(quote({
    spread_table(con, others, orders, declared_orders$cluster, "many")
    url <- sprintf("clickhouse://127.0.0.1:%d/default#many", port)
    x <- standings(url, of = sum(sales), by = customer)
    DBI::dbExecute(con, "SYSTEM FLUSH LOGS")
    Sys.sleep(1)
    # What the second server gave to the first.
    sent <- DBI::dbGetQuery(others[[1L]], "SELECT query, toFloat64(result_rows) AS result_rows, toFloat64(read_rows) AS read_rows FROM system.query_log WHERE type = 2 AND query LIKE '%many_here%' AND query NOT LIKE '%query_log%' AND query LIKE 'SELECT%'")
    list(answer = as.data.frame(x), sent = sent)
  }), list(orders = orders[c("customer", "region", "sales", "units", "rate", "code", "sold", "shipped", "ticket")]))
  expect_identical(found$answer, as.data.frame(standings(orders, of = sum(sales), by = customer)))
  expect_gt(nrow(found$sent), 0L)
  expect_gt(max(as.numeric(found$sent$read_rows)), 1000)
  expect_lt(max(as.numeric(found$sent$result_rows)), 100)
})

test_that("backslashes in values are what they are in a cluster", {
  found <- on_cluster(quote({
    spread_table(con, others, slashed, c(item = "String", amount = "Decimal(9, 2)"), "slashed")
    answers_of(sales_table(con, "slashed"), of_slashed)
  }), list(slashed = slashed, of_slashed = of_slashed))
  expect_same_answers(lapply(found, function(one) replace(one, "said", list(gsub("slashed", "orders", one$said)))), slashed, of_slashed, "the cluster")
})

test_that("a cluster asks lookups row by row, and groups by longer ones after the rows are counted", {
  tables <- linked()
  tables$days <- with_flags(tables$days)
  as_asked <- function(questions) lapply(questions, function(one) list("standings", one))
  by_linked <- as_asked(c(asked_of_linked, asked_of_flags))
  after <- as_asked(c(asked_of_linked[c(1L, 3L)], asked_of_flags[1L]))
  found <- on_cluster(quote({
    spread_table(con, others, with_times(orders), types)
    base <- sales_table(con, "orders")
    with <- function(s, data, name, by) source_lookup(s, source_frame(data, name), by)
    both <- function() with(with(base, first, "segments", c(customer = "customer")), second, "classes", c(code = "code"))
    linked <- function() with(with(with(base, tables$segments, "segments", c(customer = "customer")), tables$parts, "parts", c(part = "part")), tables$days, "days", c(sold = "sold"))
    by_long <- with(base, long, "long", c(customer = "customer"))
    by_two <- with(base, pairs, "pairs", c(customer = "customer", code = "code"))
    answers <- function(s, questions) {
      lapply(questions, function(one) {
        said <- NULL
        fetched <- fetched_in(base, said <- said_of(one[[1L]], one[[2L]], s))
        list(said = said, fetched = fetched)
      })
    }
    here <- list(both = answers(both(), by_both), linked = answers(linked(), by_linked), pairs = answers(by_two, of_pairs), long = answers(by_long, of_long))
    options(eggcrate.copy = 0)
    c(here, list(both_after = answers(both(), both_after), linked_after = answers(linked(), after)))
  }), list(orders = odd_orders(), types = declared_orders$cluster, first = segments(), second = classes(), tables = tables, pairs = pairs(), long = long(), by_both = asked_of_lookups, by_linked = by_linked,
    of_pairs = of_pairs, of_long = of_long, both_after = by_lookups_only, after = after))
  here <- lapply(with_names(names(tables), names(tables)), function(name) eggcrate:::source_frame(tables[[name]], name))
  orders <- eggcrate:::source_frame(odd_orders(), "orders")
  both <- with_both(orders, eggcrate:::source_frame(segments(), "segments"), eggcrate:::source_frame(classes(), "classes"))
  linked <- do.call(with_linked, c(list(orders), here))
  expect_said(found$both, asked_of_lookups, both)
  expect_said(found$linked, by_linked, linked)
  expect_said(found$pairs, of_pairs, eggcrate:::source_lookup(orders, eggcrate:::source_frame(pairs(), "pairs"), c(customer = "customer", code = "code")))
  expect_said(found$long, of_long, eggcrate:::source_lookup(orders, eggcrate:::source_frame(long(), "long"), c(customer = "customer")))
  expect_said(found$both_after, by_lookups_only, both)
  expect_said(found$linked_after, after, linked)
})
