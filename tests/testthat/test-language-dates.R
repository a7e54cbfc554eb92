dated <- function() {
  orders <- demo_orders()
  orders <- orders[orders$order_date >= as.Date("2025-01-01"), ]
  orders$iso <- format(orders$order_date)
  orders$dmy <- format(orders$order_date, "%d/%m/%Y")
  orders$mdy <- factor(format(orders$order_date, "%m.%d.%Y"))
  orders$Year <- as.numeric(format(orders$order_date, "%Y"))
  orders
}

test_that("a date in another form answers as the date does", {
  orders <- dated()
  ask <- function(over, where) {
    x <- standings(orders, of = sum(net_sales), by = region, over = !!over, where = !!where)
    as.list(x)[c("region", "month", "rank", "net_sales", "share")]
  }
  of_date <- ask(quote(month(order_date)), quote(in_period(order_date, last(3, month))))
  expect_identical(ask(quote(month(date(iso))), quote(in_period(date(iso), last(3, month)))), of_date)
  expect_identical(ask(quote(month(date(dmy, "dmy"))), quote(in_period(date(dmy, "dmy"), last(3, month)))),
    of_date)
  expect_identical(ask("month(date(mdy, \"mdy\"))", "date(mdy, \"mdy\") >= \"2026-06-01\""),
    ask("month(order_date)", "order_date >= \"2026-06-01\""))
  expect_identical(ask(quote(month(date(order_date))), quote(in_period(date(order_date), last(3, month)))),
    of_date)
})

test_that("a date from text is one in grids, changes and movement, as of a day and by the day", {
  orders <- dated()
  plain <- compare_periods(orders, of = net_sales, by = customer, over = quarter(order_date))
  read <- compare_periods(orders, of = net_sales, by = customer, over = quarter(date(dmy, "dmy")))
  expect_identical(lapply(read, identity), lapply(plain, identity))
  grid <- function(date) {
    heat_grid(orders, of = per_day(sum(net_sales)), by = region, across = !!call("month", date),
      as_of = "2026-02-10")
  }
  expect_identical(lapply(grid(quote(date(iso))), identity), lapply(grid(quote(order_date)), identity))
  expect_match(format(grid(quote(date(iso)))), "Not complete: 2026-02", all = FALSE)
})

test_that("whole numbers are years, all of them complete", {
  orders <- dated()
  x <- standings(orders, of = sum(net_sales), by = region, over = year(Year))
  sums <- tapply(orders$net_sales, list(orders$region, orders$Year), sum, na.rm = TRUE)
  expect_equal(x$net_sales, unname(mapply(function(r, y) sums[r, y], x$region, x$year)), tolerance = 1e-12)
  expect_identical(unique(x$year), c("2025", "2026"))
  expect_no_match(format(x), "complete", all = TRUE)
  one <- standings(orders, of = sum(net_sales), by = region, where = year(Year) == "2026")
  expect_equal(sum(one$net_sales), sum(orders$net_sales[orders$Year == 2026], na.rm = TRUE), tolerance = 1e-12)
  change <- compare_periods(orders, of = net_sales, by = region, over = year(Year))
  # A year has no day to say.
  expect_false("last_order" %in% names(change))
  expect_no_match(format(why(change, "Midmark")), "last order", all = TRUE)
  expect_error(compare_periods(orders, of = net_sales, by = region, over = year(Year), lost_after = 90), "counts days")
  expect_equal(c(sum(change$from), sum(change$to)), as.vector(tapply(orders$net_sales, orders$Year, sum, na.rm = TRUE)),
    tolerance = 1e-12)
})

test_that("what is no date of the order is refused by its row", {
  orders <- dated()
  orders$iso[7] <- "31/02/2026"
  ask <- function(over) standings(orders, of = sum(net_sales), by = region, over = !!over)
  said <- expect_error(ask(quote(month(date(iso)))), class = "eggcrate_error_value")
  expect_match(conditionMessage(said), "Row 7 has \"31/02/2026\"", fixed = TRUE)
  expect_match(conditionMessage(said), "date(iso, \"dmy\")", fixed = TRUE)
  expect_error(ask(quote(month(date(dmy, "mdy")))), "order mdy", class = "eggcrate_error_value")
  expect_error(ask(quote(month(date(dmy, "dym")))), "dmy", class = "eggcrate_error_expression")
  expect_error(ask(quote(month(dmy))), "date(dmy, \"dmy\")", fixed = TRUE, class = "eggcrate_error_type")
  expect_error(ask(quote(month(Year))), "is a number", class = "eggcrate_error_type")
  expect_error(ask(quote(year(Year, starts = 4))), "year(Year)", fixed = TRUE)
  expect_error(ask(quote(year(units * 2))), "column of years", class = "eggcrate_error_type")
  orders$Year[3] <- 2025.5
  expect_error(ask(quote(year(Year))), "Row 3 has 2025.5", fixed = TRUE, class = "eggcrate_error_value")
  orders$Year <- NA_real_
  expect_equal(nrow(ask(quote(year(Year)))), 0)
})

test_that("a file's undecided dates are read by the order that is said in the question", {
  path <- write_text("who,when,v\nAlbrek,03/04/2026,1\nHolt,05/04/2026,2\nAlbrek,06/05/2026,4\n")
  expect_error(standings(path, of = v, by = who, over = month(when)), "day and which the month")
  x <- standings(path, of = v, by = who, over = month(date(when, "dmy")))
  expect_identical(list(x$month, x$who, x$v), list(c("2026-04", "2026-04", "2026-05"),
    c("Holt", "Albrek", "Albrek"), c(2, 1, 4)))
  run <- run_here(c("standings", path, "--of", "v", "--by", "who", "--over", "month(date(when, \"mdy\"))",
    "--format", "csv"))
  expect_match(run$out, "2026-03", all = FALSE)
})

test_that("ordered factors compare in their order and part groups by it", {
  d <- data.frame(who = letters[1:6], v = 1:6, size = factor(c("small", "large", "medium", "small", NA, "medium"),
    c("small", "medium", "large"), ordered = TRUE))
  total <- function(where) sum(standings(d, of = v, by = who, where = !!where)$v)
  kept <- function(condition) sum(d$v[which(condition)])
  expect_equal(total(quote(size >= "medium")), kept(d$size >= "medium"))
  expect_equal(total(quote(!("medium" <= size))), kept(!(d$size >= "medium")))
  expect_equal(total(quote(between(size, "small", "medium"))), kept(d$size <= "medium"))
  expect_equal(total(quote(size < "large" & v > 1)), kept(d$size < "large" & d$v > 1))
  expect_equal(standings(d, of = sum(v, when = size > "small"), by = c(all = size), where = !is_missing(size))$rank,
    1:3)
  expect_identical(unique(standings(d, of = v, by = who, within = size)$size),
    c("small", "medium", "large", NA))
  expect_error(total(quote(size > "huge")), "\"small\" < \"medium\" < \"large\"", fixed = TRUE)
  expect_error(total(quote(who > "b")), "no order", class = "eggcrate_error_type")
  expect_error(total(quote(size > size)), "in quotes", class = "eggcrate_error_expression")
})
