lines <- function(n = 6L) data.frame(item = rep_len(c("a", "b", "c"), n), v = as.numeric(seq_len(n)), other = rep_len(c("x", "y"), n))

test_that("a result of a variable finds its rows in the variable, and refuses one that was changed", {
  skip_if_not_installed("data.table")
  orders <- data.table::as.data.table(lines())
  x <- standings(orders, of = sum(v), by = item)
  expect_identical(drill(x, "a", by = other)$v, c(4, 1))
  data.table::set(orders, j = "v", value = orders$v * 100)
  expect_error(drill(x, "a", by = other), "`orders` has changed since this result was made", class = "eggcrate_error_gone")
  expect_identical(x$v, c(9, 7, 5))
  # Changed where it is in memory: the address stays.
  y <- standings(orders, of = sum(v), by = item)
  data.table::set(orders, i = 1L, j = "v", value = 5)
  expect_error(why(y, "a"), NA)
  expect_error(findings(y, against = c(m = mean(v))), class = "eggcrate_error_gone")
})

test_that("columns of no question may come and go; another variable of the name is refused, and one that is gone", {
  orders <- lines()
  x <- standings(orders, of = sum(v), by = item)
  orders$more <- 1
  expect_identical(drill(x, "a", by = more)$v, 5)
  kept <- orders
  orders <- rbind(lines(), lines())
  expect_error(drill(x, "a", by = other), class = "eggcrate_error_gone")
  rm(orders)
  expect_error(drill(x, "a", by = other), "The variable `orders` with the rows behind this result is gone", class = "eggcrate_error_gone")
  orders <- kept
  expect_identical(drill(x, "a", by = other)$v, c(4, 1))
})

test_that("data without a name, or of a function, is kept if it is small; of large data the columns in question", {
  x <- standings(lines(), of = sum(v), by = item)
  gc()
  expect_identical(drill(x, "a", by = other)$v, c(4, 1))
  ask <- function(data) standings(data, of = sum(v), by = item)
  own <- function() {
    inner <- lines()
    ask(inner)
  }
  y <- own()
  gc()
  expect_identical(drill(y, "a", by = other)$v, c(4, 1))
  # The argument of a function is the variable of its caller.
  orders <- lines()
  z <- ask(orders)
  rm(orders)
  expect_error(drill(z, "a", by = other), "`orders`", class = "eggcrate_error_gone")
  large <- standings(transform(lines(5e5), v = rep_len(c(1, 2, 4), 5e5) * rep_len(c(1, 3, 5, 7), 5e5)), of = sum(v), by = item)
  gc()
  expect_identical(sort(drill(large, "a", by = c(number = v))$number), c(1, 3, 5, 7))
  expect_error(drill(large, "a", by = other), "`other` of the rows behind this result is no longer available", class = "eggcrate_error_gone")
})

test_that("a result keeps no rows: those of a variable and of a file are freed with it", {
  used <- function() sum(gc()[, 2L])
  orders <- data.frame(item = rep_len(sprintf("i%d", 1:50), 1e6), v = rep_len(c(1.5, 2, 7), 1e6))
  start <- used()
  x <- standings(orders, of = sum(v), by = item, where = v > 1)
  rm(orders)
  expect_lt(used() - start, -12)
  path <- withr::local_tempfile(fileext = ".csv")
  data.table::fwrite(data.frame(item = rep_len(sprintf("i%d", 1:50), 3e5), v = rep_len(c(1.5, 2, 7), 3e5)), path)
  standings(path, of = sum(v), by = item)
  start <- used()
  results <- lapply(1:5, function(i) standings(path, of = sum(v), by = item))
  expect_lt(used() - start, 1)
  expect_identical(drill(results[[3L]], "i1", by = c(number = v))$number, c(7, 2, 1.5))
  expect_lt(used() - start, 1)
})

test_that("sources of results that no longer exist are forgotten", {
  before <- length(eggcrate:::pool$live)
  for (i in 1:700) {
    s <- eggcrate:::source_frame(lines(), "lines")
    if (i %% 2L) eggcrate:::new_handle(s)
  }
  rm(s)
  gc()
  eggcrate:::forget_dead()
  expect_lt(length(eggcrate:::pool$live), before + 105) # those of the last hundred frames without a name are kept
  orders <- lines()
  results <- lapply(1:3, function(i) standings(orders, of = sum(v), by = item))
  eggcrate:::forget_dead()
  expect_identical(drill(results[[1L]], "a", by = other)$v, c(4, 1))
})

test_that("at most two connections of addresses stay open, and a result opens its own again", {
  skip_if_not_installed("RSQLite")
  path <- withr::local_tempfile(fileext = ".db")
  con <- DBI::dbConnect(RSQLite::SQLite(), path)
  DBI::dbWriteTable(con, "orders", lines())
  DBI::dbDisconnect(con)
  opened <- function() sum(basename(path) == basename(Sys.readlink(list.files("/proc/self/fd", full.names = TRUE))), na.rm = TRUE)
  address <- sprintf("sqlite:%s#orders", path)
  results <- lapply(1:4, function(i) standings(address, of = sum(v), by = item))
  gc()
  expect_lte(opened(), 2L)
  expect_identical(drill(results[[1L]], "a", by = other)$v, c(4, 1))
  expect_lte(opened(), 2L)
  joined <- lapply(1:2, function(i) standings(lookup(address, data.frame(item = c("a", "b"), kind = "k")), of = sum(v), by = kind))
  gc()
  expect_identical(drill(joined[[1L]], "k", by = item)$v, c(7, 5))
})

test_that("after the connection is closed a result says so", {
  con <- DBI::dbConnect(RSQLite::SQLite(), ":memory:")
  DBI::dbWriteTable(con, "orders", lines())
  x <- standings(sales_table(con, "orders"), of = sum(v), by = item)
  expect_identical(drill(x, "a", by = other)$v, c(4, 1))
  DBI::dbDisconnect(con)
  expect_error(drill(x, "a", by = other), "The connection to the database of orders is closed", class = "eggcrate_error_gone")
  expect_error(show_sql(x), class = "eggcrate_error_gone")
  expect_output(print(x), "3 items|item")
})

test_that("dput() of a result can be read back, and str() shows its columns", {
  orders <- demo_orders()
  results <- list(standings(orders, of = sum(net_sales), by = customer), assign_tiers(standings(orders, of = sum(net_sales), by = region), tiers_by_rank(c(A = 3))),
    heat_grid(orders, of = sum(net_sales), by = region, across = year(order_date)), compare_periods(orders, of = sum(net_sales), by = region, over = quarter(order_date)))
  for (x in results) {
    back <- eval(parse(text = paste(utils::capture.output(dput(x)), collapse = "\n")))
    expect_identical(format(back), format(x))
    expect_lt(length(utils::capture.output(utils::str(x))), ncol(x) + 5L)
  }
  expect_error(drill(back, top(1), by = customer), class = "eggcrate_error_gone")
})

test_that("counts above 2^31 are written with all digits, and a name that looks like a number stays text in JSON", {
  expect_identical(eggcrate:::count_text(c(3e9, 2^53)), c("3,000,000,000", "9,007,199,254,740,992"))
  expect_identical(eggcrate:::format_count(3e9), "3,000,000,000")
  names <- c("number:5", "number::7", "number-of-eggcrate:3", "12")
  x <- standings(data.frame(k = names, v = c(4, 3, 2, 1)), of = sum(v), by = k)
  read <- jsonlite::fromJSON(paste(eggcrate:::json_lines(x), collapse = "\n"))
  expect_identical(read$items$k, names)
  expect_identical(read$items$v, 4:1)
})
