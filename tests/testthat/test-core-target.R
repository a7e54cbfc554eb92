# Worked by hand: two months; as_of is the last of May.
lines <- data.frame(
  who = c("a", "a", "b", "c", "a", "b", "d"),
  day = as.Date(c("2026-04-01", "2026-04-20", "2026-04-03", "2026-04-30", "2026-05-02",
    "2026-05-03", "2026-05-31")),
  sales = c(60, 40, 50, 20, 110, 33.33, 7)
)
goals <- data.frame(who = c("a", "b", "e", "a", "b", "d"),
  month = rep(c("2026-04", "2026-05"), each = 3), target = c(100, 40, 10, 100, 33.34, 0))

statuses <- function(x) stats::setNames(as.character(x$status), paste(x$who, x$month))

test_that("targets of a table are joined from both sides, worked by hand", {
  x <- against_target(lines, of = sum(sales), by = who, over = month(day), target = goals)
  expect_equal(names(x),
    c("month", "rank", "who", "sales", "target", "gap", "attainment", "pace", "status"))
  expect_equal(x$who, c("a", "b", "c", "e", "a", "b", "d"))
  expect_equal(x$target, c(100, 40, NA, 10, 100, 33.34, 0))
  expect_equal(x$sales, c(100, 50, 20, 0, 110, 33.33, 7))
  expect_equal(x$gap, c(0, 10, NA, -10, 10, -0.01, 7))
  expect_equal(x$attainment, c(1, 1.25, NA, 0, 1.1, 33.33 / 33.34, NA))
  # A target of 0 goes by the gap.
  expect_equal(as.character(x$status),
    c("met", "exceeded", "no target", "missed", "exceeded", "missed", "exceeded"))
  table <- status_table(x)
  expect_equal(table$items, c(1, 1, 1, 1, 2, 0, 1, 0))
  expect_equal(table$sales[table$month == "2026-04"], c(50, 100, 0, 20))
  r <- receipt(x)
  expect_equal(r$n[r$fact == "targets used"], 6)
  expect_equal(r$value[r$fact == "targets without sales"], "e 2026-04")
  expect_equal(r$value[r$fact == "items without a target"], "c 2026-04")
  expect_account(x)
})

test_that("what has no target counts in no total of targets", {
  x <- against_target(lines, of = sum(sales), by = who, over = month(day), target = goals)
  totals <- eggcrate:::target_totals(answer_of(x))
  expect_equal(totals$value, c(150, 150.33))
  expect_equal(totals$target, c(150, 133.34))
  expect_equal(totals$gap, c(0, 16.99))
  expect_equal(totals$attainment, c(1, 150.33 / 133.34))
})

test_that("met reaches up to exceed_at, exactly, and lowest turns it round", {
  at <- function(value, target, ...) {
    x <- against_target(data.frame(k = "x", v = value), of = sum(v), by = k, target = !!target, ...)
    as.character(x$status)
  }
  expect_equal(at(99.99, 100), "missed")
  expect_equal(at(100, 100), "met")
  expect_equal(at(100.01, 100), "exceeded")
  # 0.33 is 1.1 times 0.3, whatever doubles make of it
  expect_equal(at(0.33, 0.3, exceed_at = 1.1), "met")
  expect_equal(at(0.3301, 0.3, exceed_at = 1.1), "exceeded")
  expect_equal(at(100.01, 100, best = "lowest"), "missed")
  expect_equal(at(100, 100, best = "lowest"), "met")
  expect_equal(at(99, 100, best = "lowest"), "exceeded")
  expect_equal(at(91, 100, best = "lowest", exceed_at = 1.1), "met")
  expect_equal(at(90, 100, best = "lowest", exceed_at = 1.1), "exceeded")
  expect_equal(at(c(-5, -6), -10), "missed")
  expect_equal(at(c(-5, -4), -10), "exceeded")
})

test_that("a target of a column must be one for each item and period", {
  data <- transform(lines, goal = ifelse(who == "a", 100, 30))
  x <- against_target(data, of = sum(sales), by = who, over = month(day), target = goal)
  expect_equal(x$target, c(100, 30, 30, 100, 30, 30))
  expect_equal(names(x)[4:6], c("sales", "target", "gap"))
  data$goal[2] <- 101
  expect_error(against_target(data, of = sum(sales), by = who, over = month(day), target = goal),
    "2026-04, a has more than one target: 100 and 101", class = "eggcrate_error_value")
  data$goal[2] <- NA # a blank says nothing
  expect_equal(against_target(data, of = sum(sales), by = who, over = month(day),
    target = goal)$target[1], 100)
})

test_that("a table of another shape joins on what it has, or is refused", {
  yearly <- data.frame(who = c("a", "b"), goal = c(50, 60))
  x <- against_target(lines, of = sum(sales), by = who, over = month(day), target = yearly)
  expect_equal(x$target[x$who == "a"], c(50, 50))
  expect_equal(against_target(lines, of = sum(sales), by = who, target = yearly)$sales[1:2],
    c(210, 83.33))
  expect_equal(
    as.character(against_target(lines, of = sum(sales), by = who,
      target = transform(yearly, who = factor(who)))$status),
    c("exceeded", "exceeded", "no target", "no target"))
  again <- rbind(goals, goals[1, ])
  expect_error(against_target(lines, of = sum(sales), by = who, over = month(day), target = again),
    "more than one target: 100 and 100", class = "eggcrate_error_value")
  again$target[7] <- 3
  expect_snapshot(refusals(
    against_target(lines, of = sum(sales), by = who, over = month(day), target = again),
    against_target(lines, of = sum(sales), by = who, target = data.frame(name = "a", target = 1)),
    against_target(lines, of = sum(sales), by = who,
      target = data.frame(who = "a", plan = 1, budget = 2)),
    against_target(lines, of = sum(sales), by = who, over = month(day),
      target = data.frame(who = "a", month = "May", target = 1)),
    against_target(lines, of = sum(sales), by = who, target = data.frame(who = "a", target = Inf)),
    against_target(lines, of = sum(sales), by = who),
    against_target(lines, of = sum(sales), by = who, target = year_ago()),
    against_target(lines, of = sum(sales), by = who, target = "some words"),
    against_target(lines, of = sum(sales), by = who, target = 5, exceed_at = 0.9),
    against_target(lines, of = c(target = sum(sales)), by = who, target = 5),
    against_target(lines, of = sum(sales), by = who, target = nothing)
  ))
})

test_that("conditions hold for the targets too", {
  one <- against_target(lines, of = sum(sales), by = who, over = month(day), target = goals,
    where = who %in% c("a", "e"))
  expect_equal(unname(statuses(one)), c("met", "missed", "exceeded"))
  r <- receipt(one)
  expect_equal(r$n[r$fact == "targets filtered out"], 3)
  may <- against_target(lines, of = sum(sales), by = who, over = month(day), target = goals,
    where = month(day) == "2026-05")
  expect_equal(unique(may$month), "2026-05")
  expect_equal(receipt(may)$n[receipt(may)$fact == "targets of other periods"], 3)
  expect_equal(receipt(may)$value[receipt(may)$fact == "targets of other periods"], "2026-04")
  blank <- against_target(lines, of = sum(sales), by = who, over = month(day),
    target = rbind(goals, data.frame(who = "z", month = "2026-05", target = NA)),
    where = who != "b" & month(day) == "2026-05")
  n <- function(fact) sum(receipt(blank)$n[receipt(blank)$fact == fact])
  expect_equal(c(n("targets read"), n("targets left blank"), n("targets filtered out"),
    n("targets of other periods"), n("targets kept")), c(7, 1, 2, 2, 2))
  late <- against_target(lines, of = sum(sales), by = who, over = month(day), target = goals,
    where = day >= "2026-05-01" & sales > 10)
  expect_equal(statuses(late)[["d 2026-05"]], "met") # 0 of 0: its one row is filtered out
})

test_that("targets of the period before and of a year ago are the sales of then", {
  x <- against_target(demo_orders(), of = sum(net_sales), by = region, over = month(order_date),
    target = year_ago(), where = in_period(order_date, last(2, month)))
  plain <- plain_orders()
  plain$month <- format(plain$order_date, "%Y-%m")
  sums <- tapply(plain$net_sales, list(plain$region, plain$month), sum, na.rm = TRUE)
  expect_setequal(x$month, c("2026-04", "2026-05"))
  expect_equal(x$target, sums[cbind(x$region, sub("2026", "2025", x$month))])
  expect_equal(x$sales <- x$net_sales, sums[cbind(x$region, x$month)])
  y <- against_target(demo_orders(), of = sum(net_sales), by = region, over = month(order_date),
    target = previous(), where = month(order_date) == "2026-05" & category != "Rope")
  other <- plain[which(plain$category != "Rope"), ]
  expect_equal(sum(y$target), sum(other$net_sales[other$month == "2026-04"], na.rm = TRUE))
  # The first period has none before it.
  all <- against_target(demo_orders(), of = sum(net_sales), by = region, over = quarter(order_date),
    target = previous())
  expect_true(all(all$status[all$quarter == "2023-Q4"] == "no target"))
  weeks <- against_target(demo_orders(), of = count(), by = region, over = week(order_date),
    target = year_ago(), where = week(order_date) == "2026-W10")
  iso <- format(plain$order_date, "%G-W%V")
  expect_equal(sum(weeks$target), sum(iso == "2025-W10"))
})

test_that("incomplete periods stay out unless asked for, have a pace, or are compared day for day", {
  o <- demo_orders()
  x <- against_target(o, of = sum(net_sales), by = region, over = month(order_date), target = 20000)
  expect_false("2026-06" %in% x$month)
  expect_match(receipt(x)$value[receipt(x)$fact == "rows of periods not complete"], "2026-06")
  y <- against_target(o, of = sum(net_sales), by = region, over = month(order_date), target = 20000,
    incomplete = TRUE)
  june <- as.list(y[y$month == "2026-06", ])
  expect_equal(june$pace, june$attainment * 30 / 17)
  may <- as.list(y[y$month == "2026-05", ])
  expect_equal(may$pace, may$attainment)
  asked <- against_target(o, of = sum(net_sales), by = region, over = month(order_date),
    target = year_ago(), where = in_period(order_date, current(month)))
  plain <- plain_orders()
  then <- plain[plain$order_date >= "2025-06-01" & plain$order_date <= "2025-06-17", ]
  expect_equal(sum(asked$target), sum(then$net_sales, na.rm = TRUE))
  expect_equal(asked$pace, asked$attainment)
  expect_match(format(y), "2026-06 \\(not complete\\)", all = FALSE)
})

test_that("prorated targets count for the days elapsed, exactly, and only where a period is not over", {
  # as_of is 10 May: 10 of 31 days. 100 / 31 * 10 is no decimal; 31 / 31 * 10 is just met.
  d <- data.frame(k = c("a", "b", "a"), day = as.Date(c("2026-05-02", "2026-05-10", "2026-04-01")),
    v = c(10, 32.25, 90))
  goals <- data.frame(k = c("a", "b"), target = c(31, 100))
  x <- against_target(d, of = sum(v), by = k, over = month(day), target = goals, incomplete = TRUE,
    prorate = TRUE, as_of = "2026-05-10")
  may <- as.list(x[x$month == "2026-05", ])
  expect_equal(may$target[match(c("a", "b"), may$k)], c(10, 1000 / 31))
  expect_equal(as.character(may$status[match(c("a", "b"), may$k)]), c("met", "missed"))
  expect_equal(may$pace, may$attainment)
  expect_equal(x$target[x$month == "2026-04" & x$k == "a"], 31)
  expect_equal(receipt(x)$value[receipt(x)$fact == "prorate"], "yes")
  expect_match(format(x), "its target counts for the days elapsed", all = FALSE)
  # With the periods that are over alone there is nothing to prorate.
  whole <- against_target(d, of = sum(v), by = k, over = month(day), target = goals,
    where = month(day) == "2026-04", prorate = TRUE, as_of = "2026-05-10")
  expect_false("prorate" %in% receipt(whole)$fact)
})

test_that("a joined table of the demo agrees with SQLite", {
  con <- DBI::dbConnect(RSQLite::SQLite(), ":memory:")
  withr::defer(DBI::dbDisconnect(con))
  plain <- plain_orders()
  DBI::dbWriteTable(con, "lines",
    data.frame(region = plain$region, month = format(plain$order_date, "%Y-%m"),
      cents = round(plain$net_sales * 100)))
  DBI::dbWriteTable(con, "goals", as.data.frame(as.list(demo_targets())))
  theirs <- DBI::dbGetQuery(con, "
    WITH sums AS (SELECT region, month, SUM(cents) AS cents FROM lines WHERE cents IS NOT NULL GROUP BY region, month)
    SELECT s.month, s.region, s.cents, CAST(ROUND(g.target * 100) AS INTEGER) AS goal, RANK() OVER (PARTITION BY s.month ORDER BY s.cents DESC) AS place
    FROM sums s LEFT JOIN goals g ON g.region = s.region AND g.month = s.month WHERE s.month < '2026-06' ORDER BY s.month, s.cents DESC")
  x <- against_target(demo_orders(), of = sum(net_sales), by = region, over = month(order_date),
    target = demo_targets())
  expect_equal(x$region, theirs$region)
  expect_equal(x$rank, theirs$place)
  expect_equal(x$gap, (theirs$cents - theirs$goal) / 100)
  expect_equal(as.character(x$status),
    ifelse(is.na(theirs$goal), "no target",
      ifelse(theirs$cents > theirs$goal, "exceeded",
        ifelse(theirs$cents == theirs$goal, "met", "missed"))))
  expect_equal(sum(status_table(x)$items), nrow(x))
})

test_that("rates have targets, together recomputed from the rows; order of rows does not matter", {
  o <- demo_orders()
  x <- against_target(o, of = c(margin = sum(profit) / sum(net_sales)), by = region, target = 0.3)
  expect_equal(x$gap, x$margin - 0.3)
  table <- status_table(x)
  o <- o[!is.na(o$profit) & !is.na(o$net_sales), ]
  expect_identical(table$target[table$items > 0], rep(0.3, sum(table$items > 0)))
  for (status in table$status[table$items > 0]) {
    of <- o[o$region %in% x$region[x$status == status], ]
    expect_equal(table$margin[table$status == status], sum(of$profit) / sum(of$net_sales), info = status)
  }
  all <- eggcrate:::answer_table(x, "totals")
  expect_equal(all$margin, sum(o$profit) / sum(o$net_sales))
  expect_equal(all$attainment, all$margin / 0.3)
  expect_match(format(x)[1], sprintf(": %.1f%% of it in all", 100 * all$attainment))
  y <- against_target(o[sample(nrow(o)), ], of = c(margin = sum(profit) / sum(net_sales)),
    by = region, target = 0.3)
  expect_identical(columns_of(x, names(x)), columns_of(y, names(x)))
})

test_that("targets of amounts that are not decimal add up", {
  parts <- data.frame(who = c("a", "a", "b"), sales = c(1, 2, 5))
  x <- against_target(parts, of = sum(sales / 3), by = who, target = 1.5)
  table <- status_table(x)
  expect_equal(table$items, c(1, 0, 1, 0))
  expect_equal(as.list(table)[[3]], c(5 / 3, 0, 1, 0))
  expect_equal(table$gap[c(1, 3)], c(5 / 3 - 1.5, -0.5))
})

test_that("a condition that needs a column which targets lack holds of the sales only", {
  x <- against_target(lines, of = sum(sales), by = who, over = month(day), target = goals,
    where = who == "a" | sales > 45)
  expect_equal(paste(x$who, x$month, x$sales)[x$status != "no target" & x$sales > 0],
    c("a 2026-04 100", "b 2026-04 50", "a 2026-05 110"))
  r <- receipt(x)
  expect_equal(r$n[r$fact == "targets used"], 6)
  expect_false("targets filtered out" %in% r$fact)
  both <- against_target(lines, of = sum(sales), by = who, over = month(day), target = goals,
    where = who == "a" & sales > 45)
  expect_equal(receipt(both)$n[receipt(both)$fact == "targets filtered out"], 4)
})

test_that("one target that is not finite is enough to be refused", {
  for (wrong in c(Inf, -Inf, NaN)) {
    expect_error(against_target(lines, of = sum(sales), by = who, over = month(day),
      target = transform(goals, target = replace(target, 2, wrong))),
      class = "eggcrate_error_not_finite")
  }
})

test_that("what had no value in the period before is no target", {
  x <- data.frame(k = c("a", "b", "a", "b"), p = c(1, 1, 1, 2), s = c(2, 0, 4, 4),
    day = as.Date(c("2026-01-01", "2026-01-31", "2026-02-01", "2026-02-28")))
  got <- against_target(x, of = c(rate = sum(p) / sum(s)), by = k, over = month(day),
    target = previous())
  late <- got[got$month == "2026-02", ]
  expect_equal(late$target[match(c("a", "b"), late$k)], c(0.5, NA))
  expect_equal(as.character(late$status[match(c("a", "b"), late$k)]), c("missed", "no target"))
})

test_that("targets of finer periods are added up where they nest, and refused where not", {
  months <- demo_targets()
  ask <- function(target, ...) {
    against_target(demo_orders(), of = sum(net_sales), by = region, target = !!target, ...)
  }
  quarters <- paste0(substr(months$month, 1, 4), "-Q",
    (as.integer(substr(months$month, 6, 7)) + 2) %/% 3)
  sums <- tapply(months$target, paste(months$region, quarters), sum)
  x <- ask(months, over = quarter(order_date))
  expect_equal(x$target, as.vector(sums[paste(x$region, x$quarter)]))
  expect_equal(sum(!is.na(x$target)), 48)
  # Equal ones too: three of 1000 are 3000, not one.
  x <- ask(replace(months, "target", 1000), over = quarter(order_date))
  expect_setequal(x$target, c(NA, 3000))
  r <- receipt(x)
  expect_equal(r$value[r$fact == "targets added up"], "by month")
  days <- data.frame(region = "Midmark", day = c("2026-01-31", "2026-02-01", "2026-03-31"),
    target = c(1, 2, 4))
  expect_equal(sum(ask(days, over = year(order_date), incomplete = TRUE)$target, na.rm = TRUE), 7)
  weeks <- data.frame(region = "Midmark", week = "2026-W05", target = 1)
  expect_error(ask(weeks, over = month(order_date)), "cannot be added up",
    class = "eggcrate_error_value")
  expect_error(ask(months, over = week(order_date)), class = "eggcrate_error_value")
})

test_that("a second row for an item and period is an error that names what was not used", {
  x <- data.frame(k = "a", v = 1)
  twice <- data.frame(k = "a", team = c("n", "s"), target = 5)
  expect_error(against_target(x, of = sum(v), by = k, target = twice),
    "more than one target: 5 and 5.*`team` of the table was not used", class = "eggcrate_error_value")
})

test_that("quarters nest in years that begin with one", {
  year <- function(starts) eggcrate:::nests_in("quarter", eggcrate:::new_period("year", starts))
  expect_equal(vapply(1:12, year, NA), 1:12 %in% c(1, 4, 7, 10))
})

test_that("a target without a value is missed, whatever the measure", {
  d <- data.frame(k = c("a", "b", "b"), day = as.Date(c("2024-01-10", "2024-01-10", "2024-02-10")), v = c(5, 4, 6))
  for (of in c("max(v)", "mean(v)", "sum(v) / count()")) {
    x <- against_target(d, of = !!str2lang(of), by = k, over = month(day), target = previous(), as_of = "2024-02-29")
    expect_identical(as.character(x$status[x$k == "a"]), "missed", info = of)
    expect_match(format(x)[1], "reached the target|were reached")
  }
})
