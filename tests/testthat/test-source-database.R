# Questions of a database, against the same rows in a data frame.

test_that("every question is answered to the byte as of a data frame, and in the database", {
  orders <- odd_orders()
  source <- sales_table(sqlite_with(orders, customer = "TEXT COLLATE NOCASE"), "orders")
  answered <- 0L
  some <- asked_of_database[seq(1L, length(asked_of_database), in_full(1L, 4L))]
  for (one in some) {
    said <- paste(unlist(one), collapse = " ")
    frame <- said_of(one[[1L]], one[[2L]], eggcrate:::source_frame(orders, "orders"))
    found <- NULL
    fetched <- fetched_in(source, found <- said_of(one[[1L]], one[[2L]], source))
    expect_identical(found, frame, info = said)
    expect_identical(fetched, 0L, info = said)
    answered <- answered + !startsWith(frame[1L], "error:")
  }
  expect_gte(answered, length(some))
})

test_that("what was known of cells is asked again when something was written", {
  con <- sqlite_with(data.frame(customer = c("a", "b", "a"), amount = c(1.5, 2.25, 4)))
  source <- sales_table(con, "orders")
  total <- function() standings(source, of = sum(amount), by = customer)$amount
  looks <- function() sum(grepl("typeof", source$asked))
  expect_identical(total(), c(5.5, 2.25))
  before <- looks()
  expect_identical(total(), c(5.5, 2.25))
  expect_identical(looks(), before)
  # As many rows, other cells: more places, and another type.
  DBI::dbExecute(con, "update orders set amount = 2.0625 where customer = 'b'")
  expect_identical(total(), c(5.5, 2.0625))
  expect_gt(looks(), before)
  DBI::dbExecute(con, "update orders set amount = 'many' where customer = 'b'")
  expect_error(total(), "both numbers and text")
  # By somebody else.
  path <- withr::local_tempfile()
  both <- lapply(1:2, function(i) DBI::dbConnect(RSQLite::SQLite(), path))
  withr::defer(for (each in both) DBI::dbDisconnect(each))
  DBI::dbWriteTable(both[[1L]], "orders", data.frame(customer = "a", amount = 1.5))
  source <- sales_table(both[[1L]], "orders")
  expect_identical(total(), 1.5)
  DBI::dbExecute(both[[2L]], "update orders set amount = 1.0625")
  expect_identical(total(), 1.0625)
})

test_that("what cannot be added there is fetched, or refused where that is too much", {
  orders <- odd_orders()
  orders$third <- orders$units / 3
  source <- sales_table(sqlite_with(orders), "orders")
  asked <- list(list("standings", list(of = "median(third)", by = "customer")),
    list("standings", list(of = "sum(third)", by = "region")),
    list("standings", list(of = "sum(sales / units)", by = "region", where = "units > 0")),
    list("intervals", list(of = "sum(sales)", by = "customer", orders = "code")))
  for (one in asked) {
    frame <- said_of(one[[1L]], one[[2L]], eggcrate:::source_frame(orders, "orders"))
    expect_identical(said_of(one[[1L]], one[[2L]], source), frame, info = paste(unlist(one), collapse = " "))
  }
  withr::local_options(eggcrate.fetch = 599)
  other <- sales_table(sqlite_with(orders), "orders")
  e <- expect_error(standings(other, of = median(third), by = customer), class = "eggcrate_error_database")
  expect_match(conditionMessage(e), "in the database: `third` has numbers that are not decimal.*Orders has 600 rows; no more than 599 are fetched.*EGGCRATE_FETCH.*eggcrate.fetch")
  expect_equal(nrow(standings(other, of = sum(sales), by = region)), 4L)
})

test_that("what orders add to items is put together there, as long as it is not too much", {
  orders <- odd_orders()
  source <- sales_table(sqlite_with(orders), "orders")
  ask <- function(source, ...) rank_intervals(standings(source, ...), orders = ticket, times = 50)
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
  measures <- list(quote(sum(sales) - sum(units)), quote(sum(sales)), quote(sum(sales, when = units > 2) - sum(rate)), quote(count(when = rate == 0.5)), quote(count() + sum(code)))
  for (measure in in_full(measures, measures[1L])) {
    ours <- eval(bquote(ask(lone, of = .(measure), by = region)))
    of_rows <- eval(bquote(ask(orders, of = .(measure), by = region)))
    expect_identical(as.data.frame(ours), as.data.frame(of_rows), info = deparse(measure))
    expect_identical(receipt(ours)[receipt(ours)$step == "intervals", ], receipt(of_rows)[receipt(of_rows)$step == "intervals", ], info = deparse(measure))
  }
  orders$ticket <- NA_integer_
  lone <- sales_table(sqlite_with(orders), "orders")
  withr::local_options(eggcrate.fetch = 200)
  source <- lone
  refused("more than 200 rows have no order, and each is an order of its own", of = count(), by = region)
})

# A class of its own is an engine that nobody knows.
loadNamespace("RSQLite")
methods::setClass("UnheardConnection", contains = "SQLiteConnection", where = environment())

test_that("of an engine that is not known, columns are fetched, up to a limit", {
  orders <- odd_orders()
  orders$sold <- orders$shipped <- NULL
  con <- methods::as(sqlite_with(orders), "UnheardConnection")
  source <- sales_table(con, "orders")
  for (one in list(asked_of_database[[1L]], asked_of_database[[2L]], list("standings", list(of = "median(sales)", by = "region")))) {
    frame <- said_of(one[[1L]], one[[2L]], eggcrate:::source_frame(orders, "orders"))
    expect_identical(said_of(one[[1L]], one[[2L]], source), frame)
  }
  x <- standings(source, of = sum(sales), by = region)
  expect_match(names(show_sql(x)), "^Its columns, fetched because how .* adds and compares is not known$")
  withr::local_options(eggcrate.fetch = 10)
  expect_error(standings(sales_table(con, "orders"), of = sum(sales), by = region), "how .* adds and compares is not known.*no more than 10", class = "eggcrate_error_database")
})

test_that("a user's own joins and filters hold, and nothing is written", {
  orders <- odd_orders()
  con <- sqlite_with(orders)
  DBI::dbWriteTable(con, "places", data.frame(region = c("north", "s\u00fcd"), coast = c("east", "west")))
  joined <- dplyr::filter(dplyr::left_join(dplyr::tbl(con, "orders"), dplyr::tbl(con, "places"), by = "region"), units > 2L)
  there <- orders[!is.na(orders$units) & orders$units > 2L, ]
  there$coast <- c(north = "east", "s\u00fcd" = "west")[there$region]
  x <- standings(joined, of = sum(sales), by = coast)
  y <- standings(there, of = sum(sales), by = coast)
  expect_identical(as.data.frame(x), as.data.frame(y))
  expect_setequal(DBI::dbListTables(con), c("orders", "places"))
  # A lookup beside the database: its rows are fetched.
  z <- standings(lookup(sales_table(con, "orders"), data.frame(region = c("north", "s\u00fcd"), coast = c("east", "west"))),
    of = sum(sales), by = coast, where = units > 2)
  expect_identical(z$sales, y$sales)
})

test_that("columns of odd kinds are told of, and of what is in them", {
  con <- DBI::dbConnect(RSQLite::SQLite(), ":memory:")
  withr::defer(DBI::dbDisconnect(con))
  DBI::dbExecute(con, "create table odd (item, mixed, bytes, blanks, late)")
  DBI::dbExecute(con, "insert into odd values ('a', 1, x'00ff', 5, '2025-02-30'), ('b', 'two', x'01', '  ', '2025-01-01'), ('a', 3, null, 2.5, null)")
  source <- sales_table(con, "odd")
  expect_error(standings(source, of = sum(mixed), by = item), "`mixed` is of class both numbers and text", class = "eggcrate_error_type")
  expect_error(standings(source, of = count(), by = bytes), "`bytes` is of class bytes", class = "eggcrate_error_type")
  x <- standings(source, of = sum(blanks), by = item)
  expect_identical(x$blanks, 7.5)
  expect_identical(receipt(x)$n[receipt(x)$fact == "rows without sum(blanks)"], 1)
  # There is no 30th of February: it is a column of text.
  expect_error(standings(source, of = count(), by = item, over = month(late)), class = "eggcrate_error")
  expect_error(sales_table(con, "ode"), "There is no table \"ode\".*Did you mean \"odd\"", class = "eggcrate_error_database")
  expect_error(sales_table("odd"), class = "eggcrate_error_call")
})

test_that("sums beyond what a double holds are exact, and none overflows", {
  big <- data.frame(item = c("a", "a", "b"), v = c(9007199254740990, 9007199254740989, 1), w = c(1e9, 1e9, 1e9))
  source <- sales_table(sqlite_with(big), "orders")
  x <- standings(source, of = sum(v), by = item)
  expect_identical(x$v, standings(big, of = sum(v), by = item)$v)
  expect_identical(as.data.frame(standings(source, of = sum(w * w * w), by = item)), as.data.frame(standings(big, of = sum(w * w * w), by = item)))
})

test_that("whole numbers beyond 2^53 are names, as everywhere", {
  con <- DBI::dbConnect(RSQLite::SQLite(), ":memory:")
  withr::defer(DBI::dbDisconnect(con))
  DBI::dbExecute(con, "create table wide (id integer, v)")
  DBI::dbExecute(con, "insert into wide values (9007199254740993, 1), (9007199254740992, 2), (9007199254740993, 4), (null, 8)")
  source <- sales_table(con, "wide")
  x <- standings(source, of = sum(v), by = id)
  expect_identical(x$id, c(NA, "9007199254740993", "9007199254740992"))
  expect_identical(x$v, c(8, 5, 2))
  expect_error(standings(source, of = sum(id), by = v), "`sum` is for numbers, and `id` is text", class = "eggcrate_error_type")
})

test_that("rows that come meanwhile, a lost connection and a table that is gone are told of", {
  orders <- odd_orders()
  con <- sqlite_with(orders)
  source <- sales_table(con, "orders")
  standings(source, of = sum(sales), by = region)
  DBI::dbWriteTable(con, "orders", data.frame(customer = "new", sales = 1), append = TRUE)
  expect_error(standings(source, of = sum(sales), by = region), "has changed since it was opened: it had 600 rows and has 601", class = "eggcrate_error_gone")
  expect_identical(sum(standings(sales_table(con, "orders"), of = count(), by = region)[["count()"]]), 601)
  DBI::dbRemoveTable(con, "orders")
  e <- expect_error(standings(source, of = sum(sales), by = region), class = "eggcrate_error_database")
  expect_match(conditionMessage(e), "SQLite could not answer a question of orders.*no such table")
  expect_identical(DBI::dbGetQuery(con, "select 1 as one")$one, 1L)
})

test_that("hostile names are names", {
  names <- c("outcome", "k1", "sales; drop table x", "it's \"so\" `here`", "e_k1", "\u00e9t\u00e9 2025")
  data <- data.frame(c("a", "b", "a"), c("x", "x", "y"), c(1.5, 2.25, 4), c("p", "q", "q"), 1:3, c(3, 2, 1))
  table <- "orders\"; drop table `t`; --"
  con <- sqlite_with(stats::setNames(data, names), name = table)
  source <- sales_table(con, table)
  ask <- function(of, by) as.data.frame(eggcrate:::ask("standings", list(of = sprintf("sum(`%s`)", of), by = by), source))
  expect_identical(ask(names[3L], "outcome")[[3L]], c(5.5, 2.25))
  expect_identical(ask(names[5L], "k1")[[3L]], c(3, 3))
  expect_identical(ask(names[6L], "`it's \"so\" \\`here\\``")[[3L]], c(3, 3))
  x <- standings(source, of = sum(`sales; drop table x`), by = outcome, where = k1 == "x' or '1' = '1")
  expect_identical(nrow(x), 0L)
  expect_identical(DBI::dbListTables(con), table)
})

test_that("no row of a table is said to be the first", {
  lines <- data.frame(customer = c("a", "b", "nobody"), sales = c(1, NA, 3), units = c(1, 2, 0), sold = c("03/04/2026", "04/04/2026", "late"))
  base <- sales_table(sqlite_with(lines), "orders")
  x <- standings(base, of = sum(sales / units), by = customer)
  expect_gt(length(base$known[["column sales"]]), 0L)
  expect_true(all(is.na(receipt(x)$note[receipt(x)$step == "excluded"])))
  expect_match(receipt(standings(lines, of = sum(sales / units), by = customer))$note, "first in row", all = FALSE)
  large <- data.frame(customer = c("a", "b", sprintf("c%d", 1:6000)), factor = 2)
  missed <- receipt(standings(lookup(base, large), of = sum(sales * factor), by = customer))
  expect_identical(missed$note[missed$step == "lookup"], "such as nobody")
  e <- expect_error(standings(base, of = sum(sales), by = customer, over = month(date(sold, "dmy"))), "There is \"late\"", class = "eggcrate_error_value")
  expect_null(e$row)
})

test_that("the statements are shown, with why columns are fetched", {
  source <- sales_table(sqlite_with(odd_orders()), "orders")
  sql <- show_sql(standings(source, of = sum(sales), by = region, where = units > 2))
  expect_named(sql, c("What is counted", "What the cells of its columns hold, asked once before"))
  expect_match(gsub("\\s+", " ", sql[[1L]]), "CASE `units` > 2 WHEN TRUE THEN 0 WHEN FALSE THEN 1 ELSE -1 END", fixed = TRUE)
  expect_identical(sql[[1L]], utils::tail(source$asked, 1L))
  divided <- show_sql(standings(source, of = sum(sales / units), by = region, where = units > 0))
  expect_match(names(divided)[1L], "fetched because rows are divided, which is not exact")
  expect_output(print(sql), "-- What is counted\nSELECT")
  expect_error(show_sql(NULL), "must be standings", class = "eggcrate_error_unknown_value")
  expect_error(show_sql(standings(odd_orders(), of = sum(sales), by = region)), class = "eggcrate_error_unknown_value")
})

test_that("a database is opened by its address, to read only, also by the command", {
  folder <- withr::local_tempdir()
  path <- file.path(folder, "shop.db")
  orders <- odd_orders()
  con <- DBI::dbConnect(RSQLite::SQLite(), path)
  DBI::dbWriteTable(con, "orders", transform(orders, sold = as.character(sold), shipped = as.character(shipped)))
  DBI::dbDisconnect(con)
  before <- tools::md5sum(path)
  x <- standings(paste0("sqlite:", path, "#orders"), of = sum(sales), by = customer)
  expect_identical(as.data.frame(x), as.data.frame(standings(orders, of = sum(sales), by = customer)))
  run <- run_here(c("standings", paste0("sqlite:", path, "#orders"), "--of", "sum(sales)", "--by", "customer", "--format", "csv"))
  expect_identical(run$status, 0L)
  expect_identical(run$out, strsplit(eggcrate:::answer_csv(x), "\n", fixed = TRUE)[[1L]])
  said <- run_here(c("standings", paste0("sqlite:", path, "#orders"), "--of", "sum(sales)", "--by", "customer", "--format", "csv", "--show-sql"))
  expect_identical(said$out, run$out)
  expect_match(said$err, "^-- What is counted", all = FALSE)
  expect_identical(tools::md5sum(path), before)
  expect_error(standings(paste0("sqlite:", path, "#order"), of = count(), by = x), "Did you mean \"orders\"", class = "eggcrate_error_database")
  expect_error(standings("sqlite:none.db#orders", of = count(), by = x), "There is no file 'none.db'", class = "eggcrate_error_file")
  expect_error(standings("oracle:shop#orders", of = count(), by = x), "'oracle:' is not a database", class = "eggcrate_error_database")
  writeLines("no database", file.path(folder, "text.db"))
  expect_error(standings(paste0("sqlite:", folder, "/text.db#orders"), of = count(), by = x), "Nothing can be read in text.db", class = "eggcrate_error_database")
})

test_that("groups of a lazy table are groups, as those of a data frame", {
  orders <- odd_orders()
  grouped <- dplyr::group_by(dplyr::tbl(sqlite_with(orders), "orders"), region)
  ask <- function(data, ...) eggcrate:::answer_csv(standings(data, of = sum(sales), by = customer, ...))
  expect_identical(ask(grouped), ask(orders, within = region))
  expect_identical(ask(dplyr::ungroup(grouped)), ask(orders))
})
