# Worked by hand: sales in March, April and May 2026; as_of is the last of May.
hand <- data.frame(
  who = c("a", "a", "b", "c", "c", "d", "d", "e", "e", "f", "f", "g", "h"),
  day = as.Date(c("2026-04-05", "2026-05-05", "2026-05-06", "2026-03-01", "2026-05-07",
    "2026-04-08", "2026-05-31", "2026-04-09", "2026-05-09", "2026-04-10", "2026-05-10",
    "2026-04-20", "2026-03-03")),
  sales = c(100, 90, 50, 70, 30, 40, 40, 10, 25, 100, 95, 60, 5)
)

classed <- function(x) with_class(x$who, x$class)
with_class <- function(who, class) stats::setNames(as.character(class), who)[sort(who)]

test_that("six classes, worked by hand", {
  x <- compare_periods(hand, of = sum(sales), by = who, over = month(day))
  expect_equal(names(x),
    c("who", "from", "to", "change", "percent", "class", "rank_from", "rank_to", "rank_change",
      "last_order"))
  # h was there in March only: absent in both.
  expect_equal(x$who, c("g", "a", "f", "d", "e", "c", "b"))
  expect_equal(x$change, c(-60, -10, -5, 0, 15, 30, 50))
  expect_equal(as.character(x$class), c("lost", "down", "down", "unchanged", "up", "returned", "new"))
  expect_equal(x$percent, c(-1, -0.1, -0.05, 0, 1.5, NA, NA))
  expect_equal(x$rank_from, c(3L, 1L, 1L, 4L, 5L, NA, NA))
  expect_equal(x$rank_to, c(NA, 2L, 1L, 4L, 6L, 5L, 3L))
  expect_equal(x$rank_change, c(NA, -1L, 0L, 0L, -1L, NA, NA))
  expect_equal(x$last_order,
    as.Date(c("2026-04-20", "2026-05-05", "2026-05-10", "2026-05-31", "2026-05-09", "2026-05-07",
      "2026-05-06")))
  table <- class_table(x)
  expect_equal(table$items, c(1, 1, 1, 1, 2, 1))
  expect_equal(table$change, c(50, 30, 15, 0, -15, -60))
  bridge <- bridge_table(x)
  expect_equal(bridge$amount, c(310, 50, 30, 15, 0, -15, -60, 330))
  expect_equal(bridge$end, c(310, 360, 390, 405, 405, 390, 330, 330))
})

test_that("a tolerance widens level, at its edge too, and exactly", {
  x <- compare_periods(hand, of = sum(sales), by = who, over = month(day), tolerance = "10%")
  expect_equal(x$who[x$class == "unchanged"], c("a", "f", "d"))
  x <- compare_periods(hand, of = sum(sales), by = who, over = month(day), tolerance = 0.0999)
  expect_equal(x$who[x$class == "unchanged"], c("f", "d"))
  # 0.3 to 0.33 is ten per cent more, whatever doubles make of it.
  dimes <- data.frame(k = "a", day = as.Date(c("2026-04-01", "2026-05-01", "2026-05-31")),
    v = c(0.3, 0.33, 0))
  expect_equal(
    as.character(compare_periods(dimes, of = sum(v), by = k, over = month(day),
      tolerance = "10%")$class), "unchanged")
  expect_equal(
    as.character(compare_periods(dimes, of = sum(v), by = k, over = month(day),
      tolerance = "9.99%")$class), "up")
  below <- data.frame(k = "a", day = as.Date(c("2026-04-01", "2026-05-31")), v = c(-100, -95))
  expect_equal(
    as.character(compare_periods(below, of = sum(v), by = k, over = month(day),
      tolerance = "5%")$class), "unchanged")
  expect_equal(compare_periods(below, of = sum(v), by = k, over = month(day))$percent, NA_real_)
})

test_that("lost after so many days without an order; returned alike", {
  ask <- function(days) {
    compare_periods(hand, of = sum(sales), by = who, over = month(day), lost_after = days)
  }
  # g last ordered 41 days before the end of May; c came back after 67 days.
  expect_equal(classed(ask(40))[["g"]], "lost")
  expect_equal(classed(ask(41))[["g"]], "down")
  expect_equal(classed(ask(66))[["c"]], "returned")
  expect_equal(classed(ask(67))[["c"]], "up")
  expect_equal(classed(ask(1000))[["b"]], "new")
})

test_that("an amount that nets to nothing is still there, and rows without one are not", {
  lines <- data.frame(k = c("a", "a", "b", "b", "c", "c"),
    day = as.Date(c("2026-04-01", "2026-04-02", "2026-04-03", "2026-05-31", "2026-04-04",
      "2026-05-04")),
    v = c(5, -5, 1, NA, 2, 3))
  x <- compare_periods(lines, of = sum(v), by = k, over = month(day))
  expect_equal(classed_k <- with_class(x$k, x$class), c(a = "lost", b = "lost", c = "up"))
  expect_equal(x$rank_from[x$k == "a"], 3)
  expect_account(x)
  expect_equal(receipt_n(x, "excluded"), 1)
})

test_that("classes, sums and ranks of the demo are those of SQLite", {
  orders <- plain_orders()
  orders <- orders[!is.na(orders$net_sales), ]
  lines <- data.frame(who = ifelse(is.na(orders$customer), "(missing)", orders$customer),
    day = format(orders$order_date), cents = round(orders$net_sales * 100))
  con <- DBI::dbConnect(RSQLite::SQLite(), ":memory:")
  withr::defer(DBI::dbDisconnect(con))
  DBI::dbWriteTable(con, "lines", lines)
  theirs <- DBI::dbGetQuery(con, "
    WITH sides AS (
      SELECT who, SUM(CASE WHEN day BETWEEN '2026-01-01' AND '2026-03-31' THEN cents ELSE 0 END) AS b, SUM(CASE WHEN day BETWEEN '2025-10-01' AND '2025-12-31' THEN cents ELSE 0 END) AS a,
        SUM(day BETWEEN '2026-01-01' AND '2026-03-31') AS nb, SUM(day BETWEEN '2025-10-01' AND '2025-12-31') AS na, SUM(day < '2026-01-01') AS nh,
        MAX(CASE WHEN day <= '2026-03-31' THEN day END) AS last
      FROM lines GROUP BY who)
    SELECT who, a, b, last, CASE WHEN na = 0 AND nh = 0 THEN 'new' WHEN na = 0 THEN 'returned' WHEN nb = 0 THEN 'lost' WHEN a = b THEN 'level' WHEN b > a THEN 'up' ELSE 'down' END AS class,
      RANK() OVER (PARTITION BY na > 0 ORDER BY a DESC) AS ra, RANK() OVER (PARTITION BY nb > 0 ORDER BY b DESC) AS rb, na, nb
    FROM sides WHERE na + nb > 0 ORDER BY b - a, who")
  x <- compare_periods(demo_orders(), of = sum(net_sales), by = customer,
    over = quarter(order_date))
  who <- ifelse(is.na(x$customer), "(missing)", x$customer)
  expect_equal(who, theirs$who)
  expect_equal(x$from, theirs$a / 100)
  expect_equal(x$to, theirs$b / 100)
  expect_equal(as.character(x$class), theirs$class)
  expect_equal(x$rank_from, ifelse(theirs$na > 0, theirs$ra, NA))
  expect_equal(x$rank_to, ifelse(theirs$nb > 0, theirs$rb, NA))
  expect_equal(format(x$last_order), theirs$last)
  sums <- tapply(theirs$b - theirs$a, theirs$class, sum)
  table <- class_table(x)
  at <- table$items > 0
  expect_equal(table$change[at], as.vector(sums[as.character(table$class[at])]) / 100)
  expect_equal(round(sum(table$change) * 100), sum(theirs$b) - sum(theirs$a))
  bridge <- bridge_table(x)
  expect_identical(bridge$end[7], bridge$amount[8])
})

test_that("class sums and the bridge add up to the last digit, in groups too, whatever the measure", {
  lines <- random_lines(3000, 80)
  set.seed(5)
  lines$day <- as.Date("2026-01-01") + sample(0:180, nrow(lines), TRUE)
  lines <- rbind(lines,
    data.frame(item = "item 1", grp = "north", amount = 1, units = 1L, day = as.Date("2026-06-30")))
  lines$odd <- lines$amount / 3
  for (measure in c("sum(amount)", "sum(units * amount)", "count()", "sum(odd)",
    "per_day(sum(amount))")) {
    x <- compare_periods(lines, of = !!measure, by = item, over = month(day), within = grp)
    bridge <- bridge_table(x)
    steps <- split(bridge, bridge$grp)
    for (one in steps) {
      expect_equal(one$end[8], one$amount[8], tolerance = 1e-12, info = measure)
      expect_equal(sum(one$amount[1:7]), one$amount[8], tolerance = 1e-9, info = measure)
    }
    cents <- function(v) round(v * 100)
    if (measure == "sum(amount)") {
      expect_identical(cents(sum(class_table(x)$change)), cents(sum(x$to)) - cents(sum(x$from)))
    }
  }
})

test_that("order of rows does not matter; a filter before equals the filtered data; a class after keeps all figures", {
  lines <- random_lines(2000, 60)
  set.seed(8)
  lines$day <- as.Date("2026-01-01") + sample(0:150, nrow(lines), TRUE)
  ask <- function(data, ...) {
    compare_periods(data, of = sum(amount), by = item, over = month(day), as_of = "2026-05-31", ...)
  }
  x <- ask(lines)
  expect_identical(columns_of(ask(lines[sample(nrow(lines)), ]), names(x)), columns_of(x, names(x)))
  north <- ask(lines, where = grp == "north")
  expect_identical(columns_of(north, names(x)),
    columns_of(ask(lines[lines$grp == "north", ]), names(x)))
  down <- only(north, class == "down")
  expect_identical(down$change, north$change[north$class == "down"])
  grouped <- ask(lines, within = grp)
  in_group <- only(grouped, grp == "north" & class == "down")
  expect_identical(columns_of(in_group, names(x)), columns_of(down, names(x)))
})

test_that("the last two complete periods are compared; one that is not complete day for day", {
  span <- function(...) {
    x <- compare_periods(demo_orders(), of = sum(net_sales), by = region, ...)
    s <- answer_of(x)$facets$change$spans
    format(as.Date(c(s$from, s$to), origin = "1970-01-01"))
  }
  # The demo ends on 17 June 2026, a Wednesday.
  expect_equal(span(over = month(order_date)),
    c("2026-04-01", "2026-04-30", "2026-05-01", "2026-05-31"))
  expect_equal(span(over = quarter(order_date)),
    c("2025-10-01", "2025-12-31", "2026-01-01", "2026-03-31"))
  expect_equal(span(over = week(order_date)),
    c("2026-06-01", "2026-06-07", "2026-06-08", "2026-06-14"))
  expect_equal(span(over = month(order_date), to = current(month)),
    c("2026-05-01", "2026-05-17", "2026-06-01", "2026-06-17"))
  expect_equal(span(over = quarter(order_date), to = current(quarter)),
    c("2026-01-01", "2026-03-17", "2026-04-01", "2026-06-17"))
  expect_equal(span(over = week(order_date), to = current(week)),
    c("2026-06-08", "2026-06-10", "2026-06-15", "2026-06-17"))
  expect_equal(span(over = month(order_date), to = year_to_date),
    c("2025-01-01", "2025-06-17", "2026-01-01", "2026-06-17"))
  expect_equal(span(over = month(order_date), from = year_ago(current(month)), to = current(month)),
    c("2025-06-01", "2025-06-17", "2026-06-01", "2026-06-17"))
  expect_equal(span(over = month(order_date), to = last(3, month)),
    c("2025-12-01", "2026-02-28", "2026-03-01", "2026-05-31"))
  expect_equal(span(over = year(order_date, starts = 4), to = current(year))[4], "2026-06-17")
  expect_equal(span(over = month(order_date), from = "2025-12", to = "2026-01-01/2026-03-31"),
    c("2025-12-01", "2025-12-31", "2026-01-01", "2026-03-31"))
  # The same days of a shorter month end with it.
  expect_equal(span(over = month(order_date), as_of = "2026-03-30", to = current(month)),
    c("2026-02-01", "2026-02-28", "2026-03-01", "2026-03-30"))
  # Only a weekend is left of May: it counts as complete.
  expect_equal(span(over = month(order_date), as_of = "2026-05-29")[3], "2026-05-01")
})

test_that("rates are divided by the days that are compared", {
  x <- compare_periods(demo_orders(), of = per_day(sum(net_sales)), by = region,
    over = month(order_date), to = current(month))
  y <- compare_periods(demo_orders(), of = sum(net_sales), by = region, over = month(order_date),
    to = current(month))
  expect_equal(x$to[order(x$region)], y$to[order(y$region)] / 17)
  expect_equal(x$from[order(x$region)], y$from[order(y$region)] / 17)
  short <- compare_periods(demo_orders(), of = per_day(sum(net_sales)), by = region,
    over = month(order_date), where = order_date >= "2026-04-11")
  all <- compare_periods(demo_orders(), of = sum(net_sales), by = region, over = month(order_date),
    where = order_date >= "2026-04-11")
  expect_equal(short$from[order(short$region)], all$from[order(all$region)] / 20)
})

test_that("the absent side of a rate is missing, of a count 0", {
  lines <- data.frame(k = c("a", "b", "b"),
    day = as.Date(c("2026-04-01", "2026-04-02", "2026-05-31")), p = c(1, 2, 3), s = c(4, 4, 4),
    o = c("x", "x", "y"))
  x <- compare_periods(lines, of = c(m = sum(p) / sum(s)), by = k, over = month(day))
  expect_equal(x$k, c("b", "a"))
  expect_equal(x$to, c(0.75, NA))
  expect_equal(x$change, c(0.25, NA))
  expect_equal(as.character(x$class), c("up", "lost"))
  expect_error(bridge_table(x), class = "eggcrate_error_not_additive")
  expect_equal(compare_periods(lines, of = distinct(o), by = k, over = month(day))$to, c(0, 1))
  expect_equal(compare_periods(lines, of = median(p), by = k, over = month(day))$to, c(3, NA))
})

test_that("the same days bound the classes too", {
  # as_of is 10 May: of April only the days to the 10th count, the rest is history.
  lines <- data.frame(k = c("late", "late", "early", "gone"),
    day = as.Date(c("2026-04-20", "2026-05-05", "2026-04-05", "2026-04-11")), v = 1:4)
  x <- compare_periods(lines, of = sum(v), by = k, over = month(day), to = current(month),
    as_of = "2026-05-10")
  expect_equal(with_class(x$k, x$class), c(early = "lost", late = "returned"))
  expect_account(x)
})

test_that("a span is named by the periods that it fills, else by its days", {
  name <- function(...) span_name(as.numeric(as.Date(c(...))), new_period("month"))
  expect_equal(name("2025-01-01", "2025-01-31"), "2025-01")
  expect_equal(name("2025-01-01", "2025-02-28"), "2025-01 to 2025-02")
  expect_equal(name("2025-01-01", "2025-02-10"), "2025-01-01/2025-02-10")
  expect_equal(name("2025-01-05", "2025-02-28"), "2025-01-05/2025-02-28")
})

test_that("a month whose last days are a weekend without sales is complete, and not cut", {
  until <- function(last) {
    change_periods(new_period("month"), list(first = as.numeric(as.Date("2025-06-01")),
      last = as.numeric(as.Date(last))), list(from = NULL, to = quote("2025-08")))
  }
  # 2025-08-31 is a Sunday.
  expect_false(until("2025-08-29")$cut)
  expect_true(until("2025-08-28")$cut)
})

test_that("lost after no day at all is a number of days, less is none", {
  x <- data.frame(k = c("a", "b"), day = as.Date(c("2026-01-05", "2026-02-28")), v = 1)
  changes <- function(days) compare_periods(x, of = sum(v), by = k, over = month(day), lost_after = days)
  expect_equal(as.character(changes(0)$class[changes(0)$k == "a"]), "lost")
  expect_error(changes(-1), class = "eggcrate_error_unknown_value")
  expect_error(changes(1.5), class = "eggcrate_error_unknown_value")
})

test_that("from and to are labels of the period, relative periods or intervals, nothing else", {
  x <- data.frame(k = rep(c("a", "b"), 4), v = 1:8,
    day = as.Date(c("2026-01-01", "2026-01-15", "2026-01-31", "2026-02-01", "2026-02-10",
      "2026-02-28", "2026-03-01", "2026-03-31")))
  ask <- function(...) compare_periods(x, of = sum(v), by = k, ...)
  for (wrong in c("2026-01-01", "2026-Q1", "2026", "2026-13", "2026-01-31/2026-01-01",
    "2026-02-30/2026-03-01", "2026-01/2026-02")) {
    expect_error(ask(over = month(day), from = wrong, to = "2026-03"),
      class = "eggcrate_error_call", info = wrong)
  }
  expect_error(ask(over = month(day), from = "2026-01-01"), "reads \"2026-03\"")
  whole <- ask(over = day, from = "2026-01-15/2026-02-01", to = "2026-02-10/2026-03-31")
  got <- as.data.frame(whole)
  got <- got[order(got$k), ]
  expect_equal(got$from, c(3, 6))
  expect_equal(got$to, c(12, 14))
  expect_match(gsub(" +", " ", paste(format(whole), collapse = " ")),
    "Compared as given: 18 days in 2026-01-15/2026-02-01, 50 in 2026-02-10/2026-03-31")
  expect_equal(ask(over = month(day), from = "2026-01-01/2026-01-31")$from,
    ask(over = month(day), from = "2026-01")$from)
  expect_error(ask(over = day), class = "eggcrate_error_expression")
  path <- withr::local_tempfile(fileext = ".csv")
  utils::write.csv(x, path, row.names = FALSE)
  out <- run_here(c("changes", path, "--of", "sum(v)", "--by", "k", "--over", "day", "--from",
    "2026-01-15/2026-02-01", "--to", "2026-02-10/2026-03-31", "--format", "csv"))
  expect_equal(sort(utils::read.csv(text = out$out)$to), c(12, 14))
})

test_that("ranks of two periods are whole numbers but for averages of ties", {
  lines <- data.frame(k = rep(letters[1:3], 2), v = c(5, 5, 1, 7, 7, 2),
    d = as.Date(rep(c("2026-01-31", "2026-02-28"), each = 3)))
  ends <- rbind(lines, data.frame(k = "c", v = 0, d = as.Date("2026-01-01")))
  ranks <- function(ties) {
    compare_periods(ends, sum(v), k, month(d), from = "2026-01", to = "2026-02", ties = ties)
  }
  expect_type(ranks("min")$rank_to, "integer")
  expect_equal(sort(ranks("average")$rank_to), c(1.5, 1.5, 3))
})

test_that("a period that the data begin with is not late, and intervals of unlike length are told with their days", {
  d <- data.frame(k = c("a", "a", "a"), day = as.Date(c("2026-01-01", "2026-01-30", "2026-02-27")), v = c(1, 2, 4))
  x <- compare_periods(d, v, k, over = month(day), as_of = "2026-02-28")
  expect_false(any(grepl("the data begin within it", format(x))))
  expect_true(any(grepl("the data begin within it", format(compare_periods(d[-1, ], v, k, over = month(day), as_of = "2026-02-28")))))
  told <- function(...) receipt(compare_periods(d, v, k, over = month(day), ..., as_of = "2026-02-28"))
  days <- function(told) grepl("days", told$note[told$step == "periods"])
  expect_true(all(days(told(from = "2026-01-20/2026-01-31", to = "2026-02"))))
  expect_false(any(days(told(from = "2026-01", to = "2026-02"))))
})

test_that("of a ratio an item is there in a period that has both of its columns", {
  d <- data.frame(k = "a", day = as.Date(c("2026-01-31", "2026-02-28")), profit = c(1, 2), sales = c(NA, 4))
  x <- compare_periods(d, c(margin = sum(profit) / sum(sales)), k, over = month(day), from = "2026-01", to = "2026-02")
  expect_identical(as.character(x$class), "new")
  both <- compare_periods(transform(d, sales = c(2, 4)), c(margin = sum(profit) / sum(sales)), k, over = month(day), from = "2026-01", to = "2026-02")
  expect_identical(as.character(both$class), "unchanged")
})
