# Statements that several questions share.


# What databases are asked to count while `code` runs.
counted_in <- function(code) {
  sent <- new.env()
  sent$sql <- character()
  options(eggcrate.sent = sent)
  suppressMessages(base::trace("ask_engine", where = asNamespace("eggcrate"), print = FALSE, tracer = quote({
    sent <- getOption("eggcrate.sent")
    sent$sql <- c(sent$sql, rendered(query))
  })))
  on.exit({
    suppressMessages(untrace("ask_engine", where = asNamespace("eggcrate")))
    options(eggcrate.sent = NULL)
  })
  force(code)
  grep("COUNT(*) AS", sent$sql, fixed = TRUE, value = TRUE)
}

test_that("columns to show come with the measures, by their least and greatest value", {
  orders <- odd_orders()
  # One value for each, next to blank ones; numbers of one item only; never any.
  orders$town <- ifelse(orders$customer %in% c("z", "Orvind"), "Port", ifelse(orders$units %in% 1:4, " ", "Bay"))
  orders$size <- ifelse(orders$customer %in% "z", 2.5, orders$units)
  orders$none <- " "
  ask <- function(source) standings(source, of = sum(sales), by = customer, show = c(town, size, none, sold), where = units > 0, within = region)
  source <- sales_table(sqlite_with(orders), "orders")
  # That there are blank texts is found by the first answer.
  ask(source)
  said <- NULL
  asked <- counted_in(said <- ask(source))
  expect_length(asked, 1L)
  expect_identical(as.data.frame(said), as.data.frame(ask(orders)))
  expect_true(all(c("Port", "Bay") %in% said$town) && "(several)" %in% said$size && all(is.na(said$none)))
  expect_length(show_sql(said), 2L)
})

test_that("a study asks once for what its parts have in common, and sees one moment", {
  folder <- withr::local_tempdir()
  path <- file.path(folder, "shop.db")
  con <- DBI::dbConnect(RSQLite::SQLite(), path)
  withr::defer(DBI::dbDisconnect(con))
  orders <- odd_orders()
  orders[c("sold", "shipped")] <- lapply(orders[c("sold", "shipped")], as.character)
  DBI::dbWriteTable(con, "orders", orders)
  utils::write.csv(orders, file.path(folder, "orders.csv"), row.names = FALSE, na = "")
  study <- function(file) {
    c("eggcrate = 1", "title = \"Quarter\"", "[source]", sprintf("file = \"%s\"", file), "[[part]]", "name = \"sales\"", "command = \"pareto\"", "of = \"sum(sales)\"", "by = \"customer\"",
      "[[part]]", "name = \"units\"", "command = \"standings\"", "of = \"sum(units)\"", "by = \"customer\"", "also = \"n = count()\"", "show = \"region\"",
      "[[part]]", "name = \"middle\"", "command = \"standings\"", "of = \"median(sales)\"", "by = \"customer\"", "where = \"units > 2\"",
      "[[part]]", "name = \"again\"", "command = \"tiers\"", "of = \"sum(sales)\"", "by = \"customer\"")
  }
  run <- function(file, out) {
    written <- file.path(folder, paste0(out, ".toml"))
    writeLines(study(file), written)
    run_study(written, out = file.path(folder, out))
  }
  asked <- counted_in(run("sqlite:shop.db#orders", "database"))
  # How many rows there are, as values are large; by customer what three parts want of all rows; medians of customers, of all, and of all others.
  expect_length(asked, 5L)
  expect_length(grep("AS `u1`", asked, fixed = TRUE), 1L)
  run("orders.csv", "file")
  tables <- list.files(file.path(folder, "file"), "[.]csv$", recursive = TRUE)
  expect_gt(length(tables), 3L)
  for (table in tables) {
    expect_identical(readLines(file.path(folder, "database", table)), readLines(file.path(folder, "file", table)), info = table)
  }
})

test_that("what cannot be asked together is asked by itself, and after an error all else is answered", {
  con <- postgresql_connection()
  withr::defer(DBI::dbDisconnect(con))
  for (sql in c("drop table if exists kept", "create table kept (item text, n numeric(9, 2), yes boolean)", "insert into kept values ('a', 1.25, true), ('b', 2.5, false), ('b', 1, false), ('c', 1, null)",
    "create or replace view broken as select item, n, (1 / (n - n))::numeric(9, 2) as never from kept")) suppressMessages(DBI::dbExecute(con, sql))
  x <- standings(sales_table(con, "kept"), of = sum(n), by = item, show = yes)
  expect_identical(x$yes, c(FALSE, TRUE, NA))
  broken <- sales_table(con, "broken")
  expect_error(standings(broken, of = sum(never), by = item), "division by zero", class = "eggcrate_error_database")
  eggcrate:::in_one_moment(broken, function() {
    expect_error(standings(broken, of = sum(never), by = item), "division by zero", class = "eggcrate_error_database")
    expect_identical(standings(broken, of = sum(n), by = item)$n, c(3.5, 1.25, 1))
    # What others write meanwhile is not seen, until an error begins another moment: then no cell is known from before.
    other <- postgresql_connection()
    withr::defer(DBI::dbDisconnect(other))
    DBI::dbExecute(other, "update kept set item = ' ' where item = 'c'")
    expect_identical(standings(broken, of = sum(n), by = item)$item, c("b", "a", "c"))
    expect_error(standings(broken, of = sum(never), by = item), "division by zero", class = "eggcrate_error_database")
    expect_length(grep("^cells of ", ls(broken$known)), 0L)
    expect_identical(standings(broken, of = sum(n), by = item)$item, c("b", "a", NA))
    DBI::dbExecute(other, "update kept set item = 'c' where item = ' '")
  })
  expect_identical(standings(broken, of = sum(n), by = item)$item, c("b", "a", "c"))
})
