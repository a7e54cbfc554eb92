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

test_that("ranking starts again in each period, and rows without a date are excluded", {
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

test_that("where the data cover no complete period there is no latest one", {
  d <- data.frame(who = "a", day = as.Date(c("2024-03-15", "2024-12-31", "2025-01-31")), v = c(1, 2, 4))
  ask <- function(...) standings(d, of = sum(v), by = who, ...)
  expect_error(ask(where = in_period(day, latest(year))), "do not cover a complete year.*2024-03-15 to 2025-01-31", class = "eggcrate_error_period")
  expect_error(ask(where = in_period(day, latest(month)), as_of = "2023-01-05"), "begin on 2024-03-15, after `as_of`", class = "eggcrate_error_period")
  expect_equal(ask(where = in_period(day, latest(quarter)))$v, 2)
  expect_equal(ask(where = in_period(day, current(year)))$v, 4)
  path <- write_text("c,d,x\na,2024-03-15,1\na,2024-12-31,2\na,2025-01-31,4\n")
  expect_equal(run_here(c("standings", path, "--of", "sum(x)", "--by", "c", "--where", "in_period(d, latest(year))"))$status, 1)
})

test_that("a latest date more than a year after the date before it is refused by relative periods, from every source", {
  d <- data.frame(k = c("a", "a", "b", "b", "c"), v = 1:5,
    day = as.Date(c("2026-04-30", "2026-05-30", "2026-05-31", "2206-01-31", NA)))
  path <- withr::local_tempfile(fileext = ".csv")
  utils::write.csv(d, path, row.names = FALSE, na = "")
  database <- withr::local_tempfile(fileext = ".db")
  con <- DBI::dbConnect(RSQLite::SQLite(), database)
  DBI::dbWriteTable(con, "t", transform(d, day = format(day)))
  names <- withr::local_tempfile(lines = c("k,name", "a,Albrek", "b,Holt", "c,Odde"), fileext = ".csv")
  sources <- list(frame = function() d, file = function() path, passed = function() path, database = function() dplyr::tbl(con, "t"),
    lookup = function() lookup(path, names, by = "k"))
  for (kind in names(sources)) {
    withr::local_options(eggcrate.pass = if (kind == "passed") 0, eggcrate.held = if (kind == "passed") 0)
    x <- sources[[kind]]()
    refused <- function(code) {
      e <- expect_error(code, "2206-01-31, is more than a year after the date before it, 2026-05-31", class = "eggcrate_error_period")
      expect_match(conditionMessage(e), "as_of = \"2026-05-31\"", fixed = TRUE)
    }
    refused(standings(x, of = sum(v), by = k, where = in_period(day, latest(month))))
    refused(standings(x, of = sum(v), by = k, where = in_period(day, current(year))))
    refused(compare_periods(x, of = sum(v), by = k, over = month(day)))
    settled <- standings(x, of = sum(v), by = k, where = in_period(day, latest(month)), as_of = "2026-05-31")
    expect_identical(list(settled$k, settled$v), list(c("b", "a"), c(3, 2)))
    named <- compare_periods(x, of = sum(v), by = k, over = month(day), from = "2026-04", to = "2026-05")
    expect_identical(named$to[order(named$k)], c(2, 3))
  }
  DBI::dbDisconnect(con)
  near <- data.frame(k = "a", v = 1, day = as.Date(c("2024-12-31", "2025-12-31")))
  expect_identical(nrow(standings(near, of = sum(v), by = k, where = in_period(day, latest(month)))), 1L)
})

test_that("an interval is a period", {
  d <- data.frame(who = "a", day = as.Date("2024-04-01") + c(-1, 0, 45, 90, 91), v = c(1, 2, 4, 8, 16))
  ask <- function(text) standings(d, of = sum(v), by = who, where = in_period(day, !!text))
  expect_equal(ask("2024-04-01/2024-06-30")$v, 14)
  for (wrong in c("2024-06-30/2024-04-01", "2024-04-31/2024-06-30")) {
    expect_error(ask(wrong), "is not a period", class = "eggcrate_error_expression")
  }
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

test_that("rows after as_of are excluded and counted", {
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
      expect_error(ask(), "too many to show", class = "eggcrate_error_too_many")
    }
    expect_equal(nrow(standings(far, of = sum(v), by = k, over = month(d), as_of = "0001-01-01")), 1)
    compare_periods(far, of = sum(v), by = k, over = month(d), as_of = "9999-12-31")
  })
  expect_lt(took[["elapsed"]], 5)
})

# Seasons --------------------------------------------------------------------

season <- function(day, unit) {
  at <- as.POSIXlt(day)
  switch(unit, month_of_year = sprintf("%02d %s", at$mon + 1, month.abb[at$mon + 1]),
    quarter_of_year = paste0("Q", at$mon %/% 3 + 1),
    weekday = c("7 Sun", "1 Mon", "2 Tue", "3 Wed", "4 Thu", "5 Fri", "6 Sat")[at$wday + 1])
}

test_that("parts of the calendar are keys in every place where keys are", {
  o <- demo_orders()
  for (unit in c("month_of_year", "quarter_of_year", "weekday")) {
    key <- call(unit, quote(order_date))
    plain <- tapply(o$net_sales, season(o$order_date, unit), sum, na.rm = TRUE)
    x <- standings(o, sum(net_sales), !!key)
    x <- x[!is.na(x[[unit]]), ]
    expect_equal(x$net_sales, as.vector(plain[x[[unit]]]))
    expect_equal(nrow(x), length(plain))
    within <- standings(o, sum(net_sales), region, within = !!key)
    sums <- tapply(o$net_sales, list(season(o$order_date, unit), o$region), sum, na.rm = TRUE)
    known <- !is.na(within[[unit]]) & !is.na(within$region)
    expect_equal(within$net_sales[known], sums[cbind(within[[unit]], within$region)[known, ]])
    # A file is read by the kernel in another form.
    from_file <- as.data.frame(standings(orders_path(), sum(net_sales), !!key))
    expect_equal(from_file, as.data.frame(standings(o, sum(net_sales), !!key)))
  }
})

test_that("a part of the calendar is compared by name or number, and is no period", {
  o <- demo_orders()
  total <- function(where) sum(standings(o, sum(net_sales), region, where = {{ where }})$net_sales)
  january <- sum(o$net_sales[which(season(o$order_date, "month_of_year") == "01 Jan")], na.rm = TRUE)
  expect_equal(total(month_of_year(order_date) == "Jan"), january)
  expect_equal(total(month_of_year(order_date) == "January"), january)
  expect_equal(total(month_of_year(order_date) == "01 Jan"), january)
  expect_equal(total(month_of_year(order_date) == 1), january)
  weekend <- sum(o$net_sales[which(as.POSIXlt(o$order_date)$wday %in% c(0, 6))], na.rm = TRUE)
  expect_equal(total(weekday(order_date) %in% c("Sat", "Sunday")), weekend)
  expect_equal(total(weekday(order_date) >= 6), weekend)
  expect_equal(total(quarter_of_year(order_date) == "Q4"), total(month_of_year(order_date) >= "Oct"))
  hints <- function(code) expect_error(code, class = "eggcrate_error_call")$hints
  expect_equal(hints(total(month(order_date) == 5)), "Write `where = month_of_year(order_date) == 5`.")
  expect_equal(hints(total(month(order_date) %in% c(6, 7))),
    "Write `where = month_of_year(order_date) %in% c(6, 7)`.")
  expect_match(hints(total(weekday(order_date) == "Xon")), "2 Tue", all = FALSE)
  expect_error(total(month_of_year(order_date) == 13), "`?13`? is not a month of year")
  expect_equal(hints(standings(o, sum(net_sales), region, over = weekday(order_date))),
    "Use it as `by` or `within`, or across a grid.")
  expect_error(total(in_period(order_date, latest(weekday))), "needs a period")
  items <- data.frame(weekday = c("Mon", "2 Tue", "Sunday"))
  expect_true(all(c("1 Mon", "2 Tue", "7 Sun") %in% standings(o, sum(net_sales), weekday(order_date),
    where = weekday(order_date) == "Wed", all_items = items)$weekday))
})

test_that("a rate per day of a part of the calendar counts its own days", {
  o <- demo_orders()
  ends <- range(o$order_date, na.rm = TRUE)
  days <- seq(ends[1], ends[2], by = 1)
  x <- standings(o, c(rate = per_day(sum(net_sales), order_date)), weekday(order_date),
    where = order_date >= "2000-01-01")
  sums <- tapply(o$net_sales, season(o$order_date, "weekday"), sum, na.rm = TRUE)
  expect_equal(x$rate, as.vector(sums[x$weekday] / table(season(days, "weekday"))[x$weekday]))
  # Rates of different days do not add up: no shares, and a total of all days.
  expect_false("share" %in% names(x))
  lines <- format(x, n = 3)
  expect_match(lines, sprintf("total \\(7\\) +%s", format(round(sum(sums) / length(days), 2), big.mark = ",")),
    all = FALSE)
  both <- as.data.frame(heat_grid(o, c(rate = per_day(sum(net_sales))), by = year(order_date),
    across = month_of_year(order_date)))
  one <- which(format(o$order_date, "%Y-%m") == "2025-02")
  expect_equal(both$rate[both$year == "2025" & both$month_of_year == "02 Feb"],
    sum(o$net_sales[one], na.rm = TRUE) / 28)
  pair <- as.data.frame(heat_grid(o, c(rate = per_day(sum(net_sales), order_date)), by = weekday(order_date),
    across = quarter_of_year(order_date), where = order_date >= "2000-01-01"))
  cell <- function(day) season(day, "weekday") == "1 Mon" & season(day, "quarter_of_year") == "Q1"
  expect_equal(pair$rate[pair$weekday == "1 Mon" & pair$quarter_of_year == "Q1"],
    sum(o$net_sales[which(cell(o$order_date))], na.rm = TRUE) / sum(cell(days)))
})

test_that("a grid of years by months has all twelve, and marks those that are not complete", {
  o <- demo_orders()
  g <- heat_grid(o, sum(net_sales), by = year(order_date), across = month_of_year(order_date), along = "rows",
    where = order_date >= "2024-01-01" & order_date <= "2026-06-17")
  cells <- as.data.frame(g)
  expect_equal(unique(cells$month_of_year), sprintf("%02d %s", 1:12, month.abb))
  sums <- tapply(o$net_sales, list(format(o$order_date, "%Y"), season(o$order_date, "month_of_year")), sum, na.rm = TRUE)
  expect_equal(cells$net_sales, as.vector(sums[cbind(cells$year, cells$month_of_year)]))
  for (year in split(cells, cells$year)) {
    full <- year[!is.na(year$net_sales), ]
    expect_equal(full$shade, (rank(full$net_sales) - 1) / (nrow(full) - 1))
  }
  lines <- format(g, width = 150)
  expect_equal(regmatches(lines, regexpr("[0-9]+[.][0-9][*]", lines)), "103.7*")
  expect_match(lines, "* not complete", fixed = TRUE, all = FALSE)
  expect_equal(grep("[0-9][*]$", chart_heat(g)$data$text, value = TRUE), "103.7*")
  expect_match(as.character(html_table(g)), "103.7*", fixed = TRUE)
  turned <- as.data.frame(heat_grid(o, sum(net_sales), by = month_of_year(order_date), across = year(order_date),
    where = order_date >= "2024-01-01"))
  expect_equal(turned$net_sales[order(turned$year, turned$month_of_year)],
    cells$net_sales[order(cells$year, cells$month_of_year)])
  business <- format(heat_grid(o, sum(net_sales), by = year(order_date, starts = 4),
    across = month_of_year(order_date)), width = 150)
  expect_equal(sum(grepl("103.7*", business, fixed = TRUE)), 1)
  got <- run_here(c("grid", orders_path(), "--of", "net_sales", "--by", "year(order_date)", "--across",
    "month_of_year(order_date)", "--along", "rows", "--format", "csv"))
  expect_equal(utils::read.csv(text = got$out)$month_of_year[1:2], c("01 Jan", "02 Feb"))
})

test_that("quarters of a business year begin with it, in the kernel and in R alike", {
  days <- seq(as.Date("2023-01-01"), as.Date("2026-12-31"), by = 1)
  data <- data.frame(day = days, v = 1)
  for (starts in c(2L, 4L, 7L, 11L)) {
    x <- standings(data, of = sum(v), by = quarter(day, starts = !!starts))
    at <- as.POSIXlt(days)
    month <- (at$year + 1900) * 12 + at$mon - (starts - 1)
    label <- sprintf("%04d/%02d-Q%d", month %/% 12, (month %/% 12 + 1) %% 100, (month %% 12) %/% 3 + 1)
    expect_identical(x$v[order(x$quarter)], as.vector(table(label))[order(sort(unique(label)))] * 1)
    expect_identical(sort(x$quarter), sort(unique(label)))
    period <- eggcrate:::new_period("quarter", starts)
    number <- eggcrate:::period_number(as.numeric(days), period)
    expect_identical(eggcrate:::period_label(number, period), label)
    first <- eggcrate:::period_first(number, period)
    expect_true(all(first <= as.numeric(days) & eggcrate:::period_last(number, period) >= as.numeric(days)))
    expect_identical(eggcrate:::parse_period(label[1], period), number[1])
  }
  one <- standings(data, of = sum(v), by = year(day), where = quarter(day, starts = 4) == "2024/25-Q1")
  expect_equal(one$v, 91)
  over <- compare_periods(demo_orders(), net_sales, region, over = quarter(order_date, starts = 2))
  expect_match(format(over)[1], "from 2025/26-Q3 to 2025/26-Q4|from 2025/26-Q4 to 2026/27-Q1")
})

test_that("a business year to date, and its latest quarter", {
  data <- data.frame(day = seq(as.Date("2024-01-01"), as.Date("2026-06-17"), by = 1), v = 1)
  days <- function(where) sum(standings(data, of = sum(v), by = c(year = year(day)), where = !!where)$v)
  expect_equal(days(quote(in_period(day, year_to_date(starts = 4)))), 78) # from April 1
  expect_equal(days(quote(in_period(day, quarter_to_date(starts = 2)))), 48) # from May 1
  expect_equal(days(quote(in_period(day, latest(quarter(starts = 2))))), 89) # February to April
  expect_equal(days(quote(in_period(day, year_ago(year_to_date(starts = 4))))), 78)
  expect_equal(days(quote(in_period(day, last(2, year(starts = 4))))), 365 + 366 - 1)
  expect_error(days(quote(in_period(day, year_to_date(4)))), "starts = 4", class = "eggcrate_error_expression")
  expect_error(days(quote(in_period(day, month_to_date(starts = 4)))), "takes the month")
  expect_error(days(quote(in_period(day, latest(quarter(starts = 13))))), "1 to 12")
})

test_that("the date of the rows is what as_of and completeness go by, in any question", {
  orders <- demo_orders()
  before <- standings(orders, of = sum(net_sales), by = region, as_of = "2025-06-30", date = order_date)
  want <- tapply(orders$net_sales, orders$region, function(x) 0)
  kept <- orders[orders$order_date <= as.Date("2025-06-30"), ]
  want <- tapply(kept$net_sales, kept$region, sum, na.rm = TRUE)
  expect_equal(before$net_sales, as.vector(want[before$region]))
  expect_identical(sum(before$net_sales), sum(standings(orders, of = sum(net_sales), by = region, as_of = "2025-06-30", date = "order_date")$net_sales))
  expect_identical(receipt(before)$value[receipt(before)$fact == "date"], "order_date")
  # Shipped days go on after the last order: the month of the last order is not over.
  two <- data.frame(ordered = as.Date("2026-01-01") + 0:89, shipped = as.Date("2026-01-05") + 0:89, k = "a", v = 1)
  latest <- function(...) compare_periods(two, of = sum(v), by = k, over = month(shipped), ...)
  expect_identical(eggcrate:::answer_of(latest())$facets$change$spans$names, c(from = "2026-02", to = "2026-03"))
  short <- two[two$ordered <= as.Date("2026-03-28"), ]
  short$shipped[nrow(short)] <- as.Date("2026-03-31")
  later <- compare_periods(short, of = sum(v), by = k, over = month(shipped), date = ordered)
  expect_identical(eggcrate:::answer_of(later)$facets$change$spans$names, c(from = "2026-01", to = "2026-02"))
  expect_error(standings(orders, of = sum(net_sales), by = region, date = region), "column of dates", class = "eggcrate_error_expression")
  expect_error(standings(orders, of = sum(net_sales), by = region, date = day), class = "eggcrate_error_unknown_column")
  got <- run_here(c("standings", orders_path(), "--of", "sum(net_sales)", "--by", "region", "--as-of", "2025-06-30", "--date", "order_date", "--format", "csv"))
  expect_equal(read.csv(text = got$out)$net_sales, before$net_sales)
})

test_that("a year before the 29th of February ends in February", {
  before <- function(from, to) format(as.Date(eggcrate:::year_before(as.numeric(as.Date(c(from, to)))), "1970-01-01"))
  expect_identical(before("2024-02-29", "2024-03-15"), c("2023-02-28", "2023-03-15"))
  expect_identical(before("2024-01-01", "2024-02-29"), c("2023-01-01", "2023-02-28"))
})
