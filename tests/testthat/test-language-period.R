period <- function(unit, starts = 1L) eggcrate:::new_period(unit, starts)

test_that("periods are named by the calendar, and kernel and names agree", {
  days <- as.Date("2019-12-20") + 0:2600
  lines <- data.frame(k = "a", day = days, v = 1)
  expected <- list(
    year = format(days, "%Y"), month = format(days, "%Y-%m"), week = format(days, "%G-W%V"),
    day = format(days), quarter = paste0(format(days, "%Y"), "-", quarters(days))
  )
  for (unit in names(expected)) {
    x <- as.list(standings(lines, of = count(), by = k, over = !!call(unit, as.name("day"))))
    expect_identical(x[[unit]], unique(expected[[unit]]), info = unit)
    expect_equal(x[["count()"]], as.vector(table(expected[[unit]])), info = unit)
    number <- eggcrate:::period_number(as.numeric(days), period(unit))
    expect_identical(eggcrate:::period_label(number, period(unit)), expected[[unit]])
    first <- eggcrate:::period_first(number, period(unit))
    last <- eggcrate:::period_last(number, period(unit))
    expect_true(all(first <= as.numeric(days) & as.numeric(days) <= last))
    expect_identical(eggcrate:::parse_period(expected[[unit]][1000], period(unit)), number[1000])
  }
  business <- as.list(standings(lines, of = count(), by = k, over = year(day, starts = 4)))
  start <- as.integer(format(days, "%Y")) - (as.integer(format(days, "%m")) < 4)
  expect_identical(business$year, unique(sprintf("%d/%02d", start, (start + 1) %% 100)))
  expect_true(is.na(eggcrate:::parse_period("2026-13", period("month"))))
})

test_that("ranking starts again in each period, and rows without a date are left out", {
  orders <- plain_orders()
  orders$order_date[c(5, 50, 500)] <- NA
  x <- standings(orders, of = net_sales, by = customer, over = quarter(order_date))
  dated <- orders[!is.na(orders$order_date), ]
  sql <- sqlite_standings(data.frame(
    item = ifelse(is.na(dated$customer), "~", dated$customer), cents = round(dated$net_sales * 100),
    grp = paste0(format(dated$order_date, "%Y"), "-", quarters(dated$order_date))
  ), group = TRUE)
  expect_identical(x$quarter, sql$grp)
  expect_identical(x$rank, as.integer(sql$rank))
  expect_identical(x$net_sales, sql$cents / 100)
  expect_identical(x$cum_share, sql$running / sql$total)
  expect_equal(receipt(x)$n[grepl("no order_date", receipt(x)$fact)], 3)
  expect_account(x)
})

test_that("relative periods are counted from the last complete one", {
  coverage <- list(first = as.numeric(as.Date("2023-10-01")),
    last = as.numeric(as.Date("2026-06-17")))
  range <- function(text, last = "2026-06-17") {
    coverage$last <- as.numeric(as.Date(last))
    format(structure(eggcrate:::resolve_period(str2lang(text), coverage, str2lang(text)),
      class = "Date"))
  }
  expect_identical(range("latest(month)"), c("2026-05-01", "2026-05-31"))
  expect_identical(range("current(month)"), c("2026-06-01", "2026-06-30"))
  expect_identical(range("previous(quarter)"), c("2025-10-01", "2025-12-31"))
  expect_identical(range("year_to_date"), c("2026-01-01", "2026-06-17"))
  expect_identical(range("last(12, month)"), c("2025-06-01", "2026-05-31"))
  expect_identical(range("year_ago(latest(month))"), c("2025-05-01", "2025-05-31"))
  expect_identical(range("year_ago(year_to_date)"), c("2025-01-01", "2025-06-17"))
  expect_identical(range("\"2026-Q1\""), c("2026-01-01", "2026-03-31"))
  expect_identical(range("year_ago(\"2024-02\")"), c("2023-02-01", "2023-02-28"))
  # 30 and 31 May 2026 are a weekend: a month that stops on Friday the 29th is complete
  expect_identical(range("latest(month)", "2026-05-29"), c("2026-05-01", "2026-05-31"))
  expect_identical(range("latest(month)", "2026-05-28"), c("2026-04-01", "2026-04-30"))
})

test_that("conditions know periods", {
  orders <- plain_orders()
  day <- orders$order_date
  used <- function(where, ...) {
    x <- standings(orders, of = count(), by = region, where = !!where, ...)
    expect_account(x)
    receipt_n(x, "used")
  }
  expect_equal(used("in_period(order_date, latest(month))"), sum(format(day, "%Y-%m") == "2026-05"))
  expect_equal(used("in_period(order_date, '2025')"), sum(format(day, "%Y") == "2025"))
  expect_equal(used("quarter(order_date) == '2025-Q4'"),
    sum(day >= "2025-10-01" & day <= "2025-12-31"))
  expect_equal(used("month(order_date) >= '2026-02' & month(order_date) < '2026-04'"),
    sum(day >= "2026-02-01" & day < "2026-04-01"))
  expect_equal(used("week(order_date) %in% c('2026-W01', '2026-W02')"),
    sum(format(day, "%G-W%V") %in% c("2026-W01", "2026-W02")))
  expect_equal(used("in_period(order_date, latest(month))", as_of = "2025-12-31"),
    sum(format(day, "%Y-%m") == "2025-12"))
  expect_equal(used("!in_period(order_date, '2025')", as_of = "2025-12-31"),
    sum(day < "2025-01-01"))
})

test_that("rows after as_of are left out and counted", {
  x <- standings(plain_orders(), of = net_sales, by = region, over = year(order_date),
    as_of = "2025-06-30")
  late <- sum(plain_orders()$order_date > "2025-06-30")
  expect_equal(receipt(x)$n[grepl("after 2025-06-30", receipt(x)$fact)], late)
  expect_account(x)
  expect_identical(unique(x$year), c("2023", "2024", "2025"))
  expect_error(standings(plain_orders(), of = net_sales, by = region, as_of = "2025-06-30"),
    class = "eggcrate_error_call")
  expect_error(standings(plain_orders(), of = net_sales, by = region, as_of = "June"),
    class = "eggcrate_error_unknown_value")
})

test_that("a rate is per calendar day that the data covers", {
  orders <- plain_orders()
  x <- standings(orders, of = c(rate = per_day(sum(net_sales))), by = region,
    over = year(order_date))
  sums <- tapply(orders$net_sales, list(orders$region, format(orders$order_date, "%Y")), sum,
    na.rm = TRUE)
  days <- c("2023" = as.numeric(as.Date("2023-12-31") - min(orders$order_date)) + 1, "2024" = 366,
    "2025" = 365, "2026" = as.numeric(max(orders$order_date) - as.Date("2025-12-31")))
  expect_equal(x$rate, sums[cbind(x$region, x$year)] / days[x$year], ignore_attr = TRUE)
  expect_equal(as.vector(tapply(x$share, x$year, sum)), rep(1, 4))
  whole <- standings(orders, of = c(rate = per_day(count(), order_date)), by = region,
    where = order_date >= "2026-06-01")
  n <- table(orders$region[orders$order_date >= "2026-06-01"])
  expect_equal(whole$rate,
    as.vector(n[whole$region]) / as.numeric(max(orders$order_date) - as.Date("2026-05-31")))
  expect_equal(sum(whole$running[nrow(whole)]), answer_of(whole)$ranked$totals$rate)
})

test_that("periods that are not complete are marked and counted", {
  x <- standings(plain_orders(), of = net_sales, by = region, over = month(order_date),
    where = order_date >= "2026-04-01")
  expect_identical(answer_of(x)$ranked$incomplete, c(FALSE, FALSE, TRUE))
  r <- receipt(x)
  expect_identical(r$value[r$fact == "periods not complete"], "2026-06")
  expect_match(format(x), "^2026-06 \\(not complete\\)", all = FALSE)
})

test_that("a month may itself be what is ranked", {
  orders <- plain_orders()
  x <- standings(orders, of = net_sales, by = month(order_date))
  sums <- sort(tapply(orders$net_sales, format(orders$order_date, "%Y-%m"), sum, na.rm = TRUE),
    decreasing = TRUE)
  expect_identical(x$month, names(sums))
})

test_that("days and periods of all years from 1 to 9999 are written with four digits, and quick", {
  far <- data.frame(k = c("a", "b", "a", "c"), v = 1:4,
    d = c("9999-12-31", "2026-01-05", "0999-03-01", "0001-01-01"))
  far$d <- as.Date(far$d)
  expect_equal(eggcrate:::day_text(far$d), c("9999-12-31", "2026-01-05", "0999-03-01", "0001-01-01"))
  expect_equal(standings(far, of = sum(v), by = k, over = year(d))$year,
    c("0001", "0999", "2026", "9999"))
  expect_equal(standings(far, of = sum(v), by = month(d))$month,
    c("0001-01", "0999-03", "2026-01", "9999-12"))
  expect_equal(standings(far, of = sum(v), by = week(d), where = d < "1000-01-01")$week,
    c("0001-W01", "0999-W09"))
  ranked <- standings(far, of = sum(v), by = d)
  expect_equal(eggcrate:::item_names(answer_of(ranked))[1:2], c("9999-12-31", "2026-01-05"))
  took <- system.time({
    for (ask in list(
      function() movement(far, of = sum(v), by = k, over = month(d)),
      function() heat_grid(far, of = sum(v), by = k, across = day(d)),
      function() against_target(far, of = sum(v), by = k, over = month(d), target = previous()))) {
      expect_error(ask(), "too many to stand side by side", class = "eggcrate_error_too_many")
    }
    expect_equal(nrow(standings(far, of = sum(v), by = k, over = month(d), as_of = "0001-01-01")), 1)
    compare_periods(far, of = sum(v), by = k, over = month(d))
  })
  expect_lt(took[["elapsed"]], 5)
})
