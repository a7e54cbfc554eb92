# What somebody writes at first, each with the form that works: the error says it, and it does.

question <- function(...) {
  words <- list(of = quote(sum(net_sales)), by = quote(region))
  words[...names()] <- list(...)
  eval(as.call(c(quote(standings), quote(demo_orders()), words)))
}

# The argument that the error proposes.
proposed <- function(e) {
  found <- regmatches(e$hints, regexec("^Write `([a-z_]+) = (.*)`[.]$", e$hints))
  found <- Find(length, found)
  stats::setNames(list(found[[3]]), found[[2]])
}

slips <- list(
  list(where = "region = 'Northfirth'", "where = region == \"Northfirth\""),
  list(where = "region = Northfirth", "where = region == \"Northfirth\""),
  list(where = quote(region == c("Northfirth", "Harrowmouth")),
    "where = region %in% c(\"Northfirth\", \"Harrowmouth\")"),
  list(where = quote(region != c("Northfirth", "Harrowmouth")),
    "where = !region %in% c(\"Northfirth\", \"Harrowmouth\")"),
  list(where = quote(region == Northfirth), "where = region == \"Northfirth\""),
  list(where = quote(units > 1 && units < 9 || units == 20), "where = units > 1 & units < 9 | units == 20"),
  list(where = quote(is.na(region)), "where = is_missing(region)"),
  list(where = quote(region != NA), "where = !is_missing(region)"),
  list(where = quote(.data$units > 5), "where = units > 5"),
  list(where = quote(orders[["units"]] > 5), "where = units > 5"),
  list(where = quote(order_no == 10001), "where = order_no == \"10001\""),
  list(where = quote(year(order_date) == 2025), "where = year(order_date) == \"2025\""),
  list(where = quote(year(order_date, starts = 4) == 2025),
    "where = year(order_date, starts = 4) == \"2025/26\""),
  list(where = quote(year(order_date) %in% c(2024, 2025)),
    "where = year(order_date) %in% c(\"2024\", \"2025\")"),
  list(where = quote(quarter(order_date) == "Q1 2025"), "where = quarter(order_date) == \"2025-Q1\""),
  list(where = quote(quarter(order_date) == "2025Q1"), "where = quarter(order_date) == \"2025-Q1\""),
  list(where = quote(month(order_date) == "May 2025"), "where = month(order_date) == \"2025-05\""),
  list(where = quote(month(order_date) == "5/2025"), "where = month(order_date) == \"2025-05\""),
  list(where = quote(month(order_date) == "2025 September"), "where = month(order_date) == \"2025-09\""),
  list(where = quote(week(order_date) == "W7 2025"), "where = week(order_date) == \"2025-W07\""),
  list(where = quote(week(order_date) == "2025/W7"), "where = week(order_date) == \"2025-W07\""),
  list(where = quote(order_date >= as.Date("2025-05-01")), "where = order_date >= \"2025-05-01\""),
  list(where = quote(order_date >= "1.5.2025"), "where = order_date >= \"2025-05-01\""),
  list(where = quote(order_date >= "2025/5/1"), "where = order_date >= \"2025-05-01\""),
  list(where = quote(order_date >= 2025), "where = year(order_date) >= \"2025\""),
  list(where = quote(order_date == "May 2025"), "where = month(order_date) == \"2025-05\""),
  list(where = quote(in_period(order_date, 2025)), "where = in_period(order_date, \"2025\")"),
  list(where = quote(in_period(order_date, "Q1 2025")), "where = in_period(order_date, \"2025-Q1\")"),
  list(where = quote(in_period(order_date, last_month)), "where = in_period(order_date, latest(month))"),
  list(where = quote(in_period(order_date, this_year)), "where = in_period(order_date, current(year))"),
  list(of = quote(n()), "of = count()"),
  list(of = "count", "of = count()"),
  list(of = quote(count(order_no)), "of = count()"),
  list(of = quote(n_distinct(order_no)), "of = distinct(order_no)"),
  list(of = quote(length(unique(order_no))), "of = distinct(order_no)"),
  list(of = quote(avg(net_sales)), "of = mean(net_sales)"),
  list(of = quote(sum(net_sales, na.rm = TRUE)), "of = sum(net_sales)"),
  list(of = quote(sum(region == "Northfirth")), "of = count(when = region == \"Northfirth\")"),
  list(of = quote(mean(units > 3)), "of = count(when = units > 3)/count()"),
  list(of = quote(sum(net_sales[units > 3])), "of = sum(net_sales, when = units > 3)"),
  list(of = quote(sum(ifelse(units > 3, net_sales, 0))), "of = sum(net_sales, when = units > 3)"),
  list(of = quote(sum(if_else(units > 3, 1, 0))), "of = count(when = units > 3) * 1"),
  list(of = quote(round(sum(net_sales), 0)), "of = sum(net_sales)"),
  list(of = quote(profit / net_sales), "of = sum(profit)/sum(net_sales)"),
  list(of = quote(c(margin = profit / net_sales)), "of = c(margin = sum(profit)/sum(net_sales))"),
  list(having = quote(sum(net_sales, na.rm = TRUE) > 9), "having = sum(net_sales) > 9"),
  list(by = quote(desc(region)), "by = region"),
  list(over = quote(order_date), "over = month(order_date)"),
  list(over = "quarter", "over = quarter(order_date)"),
  list(within = quote(c(category, month)), "within = c(category, month(order_date))")
)

test_that("a first slip is answered with the form that works", {
  for (slip in slips) {
    asked <- slip[names(slip) != ""]
    e <- expect_error(do.call(question, asked, quote = TRUE), class = "eggcrate_error_call")
    expect_equal(e$hints, sprintf("Write `%s`.", slip[[2]]), info = deparse(asked))
    expect_s3_class(do.call(question, proposed(e), quote = TRUE), "eggcrate_standings")
  }
})

test_that("several measures are one and additional ones", {
  e <- expect_error(question(of = quote(c(a = sum(net_sales), b = sum(profit), units))))
  expect_equal(e$hints, "Write `of = c(a = sum(net_sales))`, and `also = c(b = sum(profit), units)`.")
})

test_that("nothing is proposed that would not work, or that is meant otherwise", {
  hints <- function(...) expect_error(question(...), class = "eggcrate_error_call")$hints
  for (asked in list(list(of = quote(if_else(units > 1, 1, 0))), list(where = quote(month(order_date) == 13)),
    list(where = quote(quarter(order_date) == "Q5 2025")), list(where = quote(order_date > "31.02.2025")),
    list(of = quote(n_distinct(nothing))), list(over = quote(c(month, year))))) {
    expect_false(any(grepl("^Write `[a-z_]+ = ", do.call(hints, asked, quote = TRUE))), info = deparse(asked))
  }
  # A name that the caller has is a variable, not a text without quotes.
  limit <- 3
  expect_match(hints(where = quote(region == limit)), "`limit` is a variable of yours", all = FALSE)
})

test_that("a slip without its arguments is refused like any other", {
  for (text in c("`[[`(units)", "`$`(units)", "count(unique())", "sum()", "n_distinct()", "`=`(a)", "round()",
    "sum(ifelse())", "sum(`[`(units))")) {
    expect_error(question(of = text), class = "eggcrate_error_call")
    expect_error(question(where = text), class = "eggcrate_error_call")
  }
})

test_that("slips in selections and periods are answered too", {
  x <- question()
  for (slip in list(quote(10), quote(top_n(10)), quote(head(10)), quote(slice_max(net_sales, n = 10)), "top 10")) {
    e <- expect_error(only(x, !!slip), class = "eggcrate_error_call")
    expect_equal(e$hints, "Write `top(10)`.")
  }
  expect_equal(expect_error(only(x, region == Northfirth))$hints, "Write `region == \"Northfirth\"`.")
  e <- expect_error(compare_periods(demo_orders(), sum(net_sales), region, over = month(order_date),
    to = "May 2026"))
  expect_equal(e$hints, "Write `to = \"2026-05\"`.")
  years <- function(from, to) {
    as.data.frame(compare_periods(demo_orders(), sum(net_sales), region, year(order_date), from = !!from,
      to = !!to))
  }
  expect_equal(years(2024, 2025), years("2024", "2025"))
})

test_that("a percentage may stand bare in text, but not in quotes or before %in%", {
  x <- question()
  expect_equal(as.data.frame(only(x, "top(25%) | bottom(12.5%)")),
    as.data.frame(only(x, top("25%") | bottom("12.5%"))))
  read <- function(text) deparse(eval(bquote(quote(.(read_expression(text, "where"))))))
  expect_equal(read("a == '80% wool' & 5 %in% c(5)"), "a == \"80% wool\" & 5 %in% c(5)")
  expect_equal(read("5%in%c(5)"), "5 %in% c(5)")
  expect_equal(read("`5%` > 3"), "`5%` > 3")
  expect_equal(read("reaching(7.5%)"), "reaching(\"7.5%\")")
})

test_that("a shell is told its own words", {
  ask <- c("standings", orders_path(), "--by", "region")
  err <- function(...) paste(run_here(c(ask, ...))$err, collapse = " ")
  expect_match(err("--of", "n()"), "Write `--of 'count()'`", fixed = TRUE)
  expect_match(err("--of", "net_sales", "--where", "region=Northfirth"),
    "Write `--where 'region == \"Northfirth\"'`", fixed = TRUE)
  expect_match(err("--of", "net_sales", "--share-of", "period"), "say `--over`", fixed = TRUE)
  expect_match(err("--of", "net_sales", "--ties", "x"), "`--ties` must be", fixed = TRUE)
  expect_false(grepl("!!", err("--of", "T + 1")))
})

test_that("only numbers of months stand beside a month without a year", {
  d <- data.frame(k = "a", v = 1:3, day = as.Date(c("2026-01-05", "2026-02-05", "2026-11-05")))
  expect_equal(standings(d, of = sum(v), by = k, where = month_of_year(day) %in% c(1, 11))$v, 4)
  hint <- function(code) tryCatch(standings(d, of = sum(v), by = k, where = !!code), eggcrate_error = conditionMessage)
  expect_match(hint(quote(month(day) %in% c(1, 11))), "month_of_year(day) %in% c(1, 11)", fixed = TRUE)
  expect_no_match(hint(quote(month(day) %in% c(1, 20))), "month_of_year", fixed = TRUE)
})
