# Hand-worked: three customers, one without a match, one key that is missing.
lines <- data.frame(customer = c("a", "b", "a", "c", NA, "007"), amount = c(1, 2, 4, 8, 16, 32))
table <- data.frame(customer = c("b", "a", "7", NA), segment = c("small", "big", "odd", "none"), rate = c(0.5, 0.25, 1, 2))

test_that("a lookup adds columns, and no row is lost or counted twice", {
  x <- standings(lookup(lines, table, by = customer), of = sum(amount), by = segment)
  expect_identical(x$segment, c(NA, "big", "small"))
  expect_equal(x$amount, c(56, 5, 2))
  rows <- receipt(x)
  at <- rows$fact == "rows without a match in table"
  expect_identical(rows$n[at], 3) # c, the missing one, and 007, which is not 7
  expect_match(rows$note[at], "first c")
  weighted <- standings(lookup(lines, table), of = sum(amount * rate), by = customer, where = segment %in% c("big", "small"))
  expect_equal(weighted$`sum(amount * rate)`, c(1.25, 1))
  # A question that uses none of its columns says nothing of it.
  plain <- standings(lookup(lines, table), of = sum(amount), by = customer)
  expect_false(any(receipt(plain)$step == "lookup"))
  expect_identical(as.data.frame(plain), as.data.frame(standings(lines, of = sum(amount), by = customer)))
})

test_that("it is what a join in a database gives", {
  orders <- as.data.frame(demo_orders())
  customers <- read.csv(system.file("extdata", "customers.csv", package = "eggcrate"))
  con <- DBI::dbConnect(RSQLite::SQLite(), ":memory:")
  on.exit(DBI::dbDisconnect(con))
  DBI::dbWriteTable(con, "orders", transform(orders, order_date = as.character(order_date)))
  DBI::dbWriteTable(con, "customers", customers)
  want <- DBI::dbGetQuery(con, "select trade, round(sum(net_sales), 2) as total, count(distinct o.customer) as n from orders o left join customers c
    on o.customer = c.customer where region <> 'Midmark' group by trade order by total desc")
  x <- standings(lookup(orders, customers), of = sum(net_sales), by = trade, where = region != "Midmark", also = c(n = distinct(customer)))
  expect_identical(x$trade, want$trade)
  expect_equal(x$net_sales, want$total)
  expect_equal(x$n, want$n)
  file <- system.file("extdata", "orders.csv", package = "eggcrate")
  from_files <- standings(lookup(file, system.file("extdata", "customers.csv", package = "eggcrate")), of = sum(net_sales), by = trade,
    where = region != "Midmark", also = c(n = distinct(customer)))
  expect_identical(as.data.frame(from_files), as.data.frame(x))
  for (f in list(function(s) compare_periods(s, of = sum(net_sales), by = trade, over = quarter(order_date)),
    function(s) quadrants(s, of = sum(net_sales), by = trade, against = median(units)),
    function(s) only(standings(s, of = median(net_sales), by = customer, within = trade), top(2)),
    function(s) heat_grid(s, of = sum(net_sales), by = trade, across = month_of_year(order_date)))) {
    joined <- merge(cbind(orders, id = seq_len(nrow(orders))), customers, by = "customer", all.x = TRUE, sort = FALSE)
    joined <- joined[order(joined$id), ]
    s <- lookup(orders, customers)
    expect_identical(as.data.frame(f(s)), as.data.frame(f(joined)))
  }
})

test_that("rows are named as the order lines have them", {
  folder <- withr::local_tempdir()
  writeLines(c("customer,amount,sold", "a,1,03/04/2026", "b,,05/04/2026"), file.path(folder, "1.csv"))
  writeLines(c("customer,amount,sold", "a,2,soon"), file.path(folder, "2.csv"))
  with_table <- function(files) lookup(file.path(folder, files), table, by = customer)
  x <- standings(with_table("1.csv"), of = sum(amount), by = segment)
  expect_match(receipt(x)$note[receipt(x)$fact == "rows without sum(amount)"], "first in row 3$")
  expect_error(standings(with_table(c("1.csv", "2.csv")), of = sum(amount), by = segment, over = month(date(sold, "dmy"))), "Row 2 of 2.csv has \"soon\"")
})

test_that("keys of several columns, of other names, and several lookups", {
  two <- data.frame(region = c("n", "n", "s"), town = c("x", "y", "x"), v = 1:3)
  places <- data.frame(area = c("n", "s"), place = c("x", "x"), name = c("nx", "sx"))
  s <- lookup(two, places, by = c(region = area, town = place))
  expect_identical(standings(s, of = sum(v), by = name)$v, c(3, 2, 1))
  s <- lookup(lookup(lines, table), data.frame(segment = c("big", "small"), boss = c("Ada", "Bo")), by = segment)
  expect_identical(standings(s, of = sum(amount), by = boss)$boss, c(NA, "Ada", "Bo"))
  expect_output(print(s), "boss from the data, by segment")
})

test_that("a key that stands twice, a column of both, and no key are refused", {
  expect_error(lookup(lines, rbind(table, table[1, ])), "`customer` \"b\" twice.*row 6", class = "eggcrate_error_value")
  both <- data.frame(customer = "a", amount = 1, segment = "s")
  s <- lookup(lines, both, by = customer)
  expect_error(standings(s, of = sum(amount), by = segment), "`amount` is a column of", class = "eggcrate_error_format")
  expect_equal(nrow(standings(s, of = count(), by = segment)), 2)
  expect_error(lookup(lines, data.frame(x = 1)), "no column of the same name", class = "eggcrate_error_call")
  expect_error(lookup(lines, table, by = custmer), class = "eggcrate_error_unknown_column")
  expect_error(lookup(lines, table, by = c(customer = id)), class = "eggcrate_error_unknown_column")
})

test_that("on the command line and in a study a lookup is the same", {
  folder <- study_folder()
  withr::local_dir(folder)
  write.csv(stats::setNames(read.csv("customers.csv"), c("id", "trade", "since")), "renamed.csv", row.names = FALSE)
  question <- c("--of", "sum(net_sales)", "--by", "trade", "--format", "csv")
  one <- run_here(c("standings", "orders.csv", "--lookup", "customers.csv", question))
  expect_equal(one$status, 0)
  expect_identical(run_here(c("standings", "orders.csv", "--lookup", "renamed.csv: customer = id", question))$out, one$out)
  expect_match(one$err, "rows without a match in customers.csv", all = FALSE)
  expect_equal(run_here(c("standings", "orders.csv", "--lookup", "none.csv", question))$status, 1)
  expect_equal(run_here(c("standings", "orders.csv", "--lookup", "renamed.csv: customer =", question))$status, 2)
  kept <- run_here(c("standings", "orders.csv", "--lookup", "renamed.csv: customer = id", question, "--add-to", "new.toml"))
  expect_equal(kept$status, 0)
  expect_true(all(c("[[lookup]]", "file = \"renamed.csv\"", "by = { customer = \"id\" }") %in% readLines("new.toml")))
  expect_equal(nrow(check_study("new.toml")$problems), 0)
  writeLines(sub("by = \\{ customer = \"id\" \\}", "by = { customer = \"key\" }", readLines("new.toml")), "wrong.toml")
  problems <- check_study("wrong.toml")$problems
  # The lookup, and the question that needs its column.
  expect_match(problems$problem[1], "no column `key`")
  expect_match(problems$problem[2], "no column `trade`")
  expect_identical(problems$line, c(which(readLines("new.toml") == "[[lookup]]"), which(readLines("new.toml") == "by = \"trade\"")))
})

# Tables of many kinds of columns: texts with accents, blanks and missing ones, factors, days, years, whole and other numbers.
odd_customers <- function(orders) {
  ids <- unique(orders$customer)
  set.seed(5)
  one_of <- function(x) sample(x, length(ids), TRUE)
  data.frame(customer = ids, trade = one_of(c("boats", "caf\u00e9", " ", NA, "nets")), class = factor(one_of(c("A", "B", NA)), levels = c("B", "A", "C")),
    opened = as.Date("2020-01-31") + one_of(0:900), since = one_of(c(1999L, 2004L, NA)), weight = one_of(c(0.25, -1.5, NA)), visits = one_of(1:9))[-(1:9), ]
}

test_that("a pass through files looks up what the columns in memory have, one table after another", {
  orders <- as.data.frame(demo_orders())
  table <- odd_customers(orders)
  bosses <- data.frame(trade = c("boats", "caf\u00e9", "rope"), boss = c("Ada", "Bo", "Cy"), quota = c(10.5, 20, 30))
  places <- unique(orders[c("region", "product")])[-3L, ]
  places$shelf <- sprintf("shelf %d", seq_len(nrow(places)) %% 7L)
  made <- function() lookup(lookup(lookup(orders_path(), table), bosses), places)
  asked <- list(
    list("standings", list(of = "sum(net_sales)", by = "trade")),
    list("standings", list(of = "sum(net_sales * weight)", by = "class", where = "trade != 'nets'", also = "d = distinct(boss)")),
    list("pareto", list(of = "sum(profit)", by = "c(boss, shelf)", within = "region")),
    list("standings", list(of = "median(quota)", by = "opened", where = "trade == 'caf\u00e9' | class == 'A'")),
    list("standings", list(of = "sum(visits) / count()", by = "shelf", over = "year(since)")),
    list("movement", list(of = "sum(net_sales)", by = "boss", over = "quarter(order_date)")),
    list("grid", list(of = "count()", by = "class", across = "month(opened)")),
    list("standings", list(of = "sum(net_sales)", by = "customer", show = "c(trade, boss)", where = "!is_missing(trade)")),
    list("tiers", list(of = "sum(net_sales)", by = "shelf", where = "units > 1", compare_with = "units > 2 & boss != 'Bo'")),
    list("standings", list(of = "sum(trade)", by = "class")),
    list("standings", list(of = "sum(net_sales)", by = "trade", where = "bos == 'Ada'")))
  for (one in asked) {
    general <- in_general(one[[1L]], one[[2L]], made)
    passes <- passes_in(for (threads in 1:3) {
      expect_identical(by_pass(one[[1L]], one[[2L]], made, eggcrate.threads = threads, eggcrate.block = 2e5), general, info = paste(unlist(one), collapse = " "))
    })
    if (!startsWith(general[1L], "error:")) expect_gte(passes$whole, 3L)
  }
})

test_that("a pass counts what it does not find as the columns in memory do, and holds none of them", {
  orders <- as.data.frame(demo_orders())
  table <- odd_customers(orders)
  withr::local_options(eggcrate.pass = 0, eggcrate.held = 0, eggcrate.threads = 3L, eggcrate.block = 1e5)
  s <- lookup(orders_path(), table)
  x <- standings(s, of = sum(net_sales), by = trade)
  said <- receipt(x)[grepl("without a match", receipt(x)$fact), ]
  without <- is.na(orders$customer) | !orders$customer %in% table$customer
  expect_identical(said$n, as.numeric(sum(without)))
  expect_identical(said$note, paste("first", orders$customer[without][1L]))
  expect_identical(eggcrate:::held_slots(s$base), character())
  # A key that is no text of the table before it: the columns are in memory then.
  numbers <- lookup(s, data.frame(visits = 1:9, how = rep(c("few", "some", "many"), each = 3L)))
  expect_identical(passes_in(x <- standings(numbers, of = count(), by = how))$all, 0L)
  how <- rep(c("few", "some", "many"), each = 3L)[replace(table$visits[match(orders$customer, table$customer)], without, NA)]
  want <- table(how, useNA = "ifany")
  expect_setequal(paste(x$how, x[["count()"]]), paste(names(want), want))
})

test_that("an empty key of a lookup matches nothing, and the receipt counts the rows that have one", {
  orders <- data.frame(customer = c("a", "b", "", NA, "a"), x = 1:5)
  names <- withr::local_tempfile(lines = c("customer,trade", "a,yard", ",shop", "b,inn", "\" \",club"), fileext = ".csv")
  x <- standings(lookup(orders, names, by = customer), of = sum(x), by = trade)
  expect_identical(stats::setNames(x$x, x$trade), c(setNames(7, NA), yard = 6, inn = 2))
  told <- receipt(x)
  expect_identical(told$n[grepl("with an empty key", told$fact)], 2)
  expect_match(told$note[grepl("with an empty key", told$fact)], "first in row 3")
  expect_identical(told$n[grepl("without a match", told$fact)], 2)
  table <- data.frame(customer = c("a", NA), trade = c("yard", "shop"))
  expect_true("rows of table with an empty key" %in% receipt(standings(lookup(orders, table, by = customer), of = sum(x), by = trade))$fact)
  whole <- data.frame(customer = c("a", "b"), trade = c("yard", "inn"))
  expect_false(any(grepl("empty key", receipt(standings(lookup(orders, whole, by = customer), of = sum(x), by = trade))$fact)))
})
