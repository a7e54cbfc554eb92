lines <- data.frame(
  item = c("a", "b", "c", "d", "e", "f"),
  v = c(40, 20, 20, 10, 6, 4)
)

reached <- function(reach, data = lines) {
  x <- pareto(data, of = v, by = item, reach = reach)
  x$item[which(x$reached)]
}

test_that("the item that crosses the line is in, and a tie at the line as a whole", {
  expect_identical(reached("40%"), "a")
  expect_identical(reached("41%"), c("a", "b", "c"))
  expect_identical(reached("60%"), c("a", "b", "c"))
  expect_identical(reached(0.8), c("a", "b", "c"))
  expect_identical(reached("80.1%"), c("a", "b", "c", "d"))
  expect_identical(reached("100%"), lines$item)
})

test_that("how many make it counts single items", {
  x <- pareto(lines, of = v, by = item, reach = "60%")
  expect_identical(answer_of(x)$facets$reach$count, 2L)
  expect_identical(answer_of(x)$facets$reach$half, 2L)
  expect_match(format(x)[1], "^2 of 6 items account for 60% of v$")
  five <- pareto(data.frame(item = letters[1:5], v = 1), of = v, by = item, reach = "50%")
  expect_identical(answer_of(five)$facets$reach$count, 3L)
  expect_true(all(five$reached))
})

test_that("the line is drawn on integers", {
  thirds <- data.frame(item = c("a", "b", "c"), v = c(0.1, 0.1, 0.1))
  expect_identical(answer_of(pareto(thirds, of = v, by = item, reach = 0.34))$facets$reach$count,
    2L)
  tenths <- data.frame(item = letters[1:10],
    v = c(0.3, 0.2, 0.1, 0.1, 0.1, 0.1, 0.04, 0.03, 0.02, 0.01))
  expect_identical(answer_of(pareto(tenths, of = v, by = item, reach = "60%"))$facets$reach$count,
    3L)
})

test_that("once reached nothing later is in, whatever returns do", {
  back <- data.frame(item = letters[1:4], v = c(90, 30, -10, -10))
  expect_identical(reached("100%", back), c("a", "b"))
  back <- data.frame(item = letters[1:3], v = c(60, 50, -60))
  expect_identical(reached("100%", back), "a")
})

test_that("each group has its own line; one without a positive total has none", {
  groups <- data.frame(g = c("x", "x", "y", "y", "z"), item = c("a", "b", "c", "d", "e"),
    v = c(9, 1, 5, 5, -1))
  x <- pareto(groups, of = v, by = item, within = g, reach = "80%")
  expect_identical(x$reached, c(TRUE, FALSE, TRUE, TRUE, NA))
  expect_identical(answer_of(x)$facets$reach$count, c(1L, 2L, NA))
  expect_error(pareto(groups[5, ], of = v, by = item), "not above zero",
    class = "eggcrate_error_data")
})

test_that("the demo's count agrees with a count in whole cents", {
  orders <- plain_orders()
  cents <- sort(tapply(round(orders$net_sales * 100), orders$product, sum, na.rm = TRUE),
    decreasing = TRUE)
  for (part in c(50, 80, 95)) {
    n <- which(cumsum(cents) * 100 >= part * sum(cents))[1]
    x <- pareto(orders, of = net_sales, by = product, reach = part / 100)
    expect_identical(answer_of(x)$facets$reach$count, unname(n))
    expect_identical(sum(x$reached), unname(n))
  }
})

test_that("a value of the caller comes in by !! through a function of one's own", {
  few <- function(least, part) pareto(lines, of = v, by = item, where = v >= !!least, reach = part)
  expect_identical(few(10, "70%")$item, c("a", "b", "c", "d"))
  expect_identical(few(10, "70%")$reached, c(TRUE, TRUE, TRUE, FALSE))
})

test_that("rates, bases and additional measures go through the reading as they are", {
  data <- random_lines()
  data$day <- as.Date("2026-01-01") + seq_len(nrow(data)) %% 90
  x <- pareto(data, of = c(rate = per_day(sum(amount), day)), by = item, also = c(n = count()),
    share_base = "positive", reach = "50%")
  s <- standings(data, of = amount, by = item, share_base = "positive")
  expect_identical(x$item, s$item)
  expect_equal(x$rate, s$amount / 90)
  expect_identical(x$share, s$share)
  expect_identical(x$n, as.numeric(table(data$item)[x$item]))
})

test_that("thresholds count single items, and say where ties bring in more", {
  x <- standings(data.frame(k = letters[1:5], v = rep(20, 5)), of = sum(v), by = k)
  table <- threshold_table(x, shares = c("50%", 0.8), first = c(2, 9))
  expect_equal(table$threshold, c("50%", "80%", "first 2", "first 9"))
  expect_equal(table$items, c(3, 4, 2, 5)) # three of five equal items make half
  expect_equal(table$with_ties, c(5, 5, NA, NA))
  expect_equal(table$v, c(60, 80, 40, 100))
  expect_equal(table$share, c(0.6, 0.8, 0.4, 1))
  expect_equal(table$share_of_items, c(0.6, 0.8, 0.4, 1))
})

test_that("thresholds of each group equal SQLite's", {
  data <- random_lines(300, 25, 4)
  data$cents <- as.integer(round(data$amount * 100))
  sql <- sqlite_standings(data, group = TRUE)
  table <- threshold_table(standings(data, of = sum(amount), by = item, within = grp),
    shares = c("33%", "95%"), first = 3)
  for (group in unique(sql$grp)) {
    mine <- sql[sql$grp == group, ]
    count <- function(part) which(mine$running * 100 >= part * mine$total)[1]
    expect_equal(table$items[table$grp == group], c(count(33), count(95), 3))
    expect_equal(table$amount[table$grp == group], mine$running[c(count(33), count(95), 3)] / 100)
  }
})

test_that("thresholds of what has no shares are refused, and none of a total below zero", {
  expect_error(threshold_table(standings(random_lines(), of = mean(amount), by = item)),
    class = "eggcrate_error_not_additive")
  below <- standings(data.frame(k = c("a", "b"), v = c(-1, -3)), of = sum(v), by = k)
  expect_equal(threshold_table(below)$share, rep(NA_real_, 6))
  expect_error(threshold_table(below, first = 0.5), class = "eggcrate_error_unknown_value")
})

test_that("within a part the item that crosses the line is out, and a tie at it", {
  d <- data.frame(item = letters[1:5], v = c(50, 20, 15, 10, 5))
  ask <- function(reach, data = d) pareto(data, of = v, by = item, reach = reach, boundary = "within")
  for (part in c(0.49, 0.5, 0.69, 0.7, 0.86, 1)) {
    expect_identical(ask(part)$reached, cumsum(d$v) / 100 <= part, info = part)
    expect_identical(answer_of(ask(part))$facets$reach$count, as.integer(sum(cumsum(d$v) / 100 <= part)), info = part)
  }
  tied <- data.frame(item = letters[1:4], v = c(40, 20, 20, 20))
  expect_identical(ask("60%", tied)$reached, c(TRUE, FALSE, FALSE, FALSE))
  expect_identical(ask("100%", tied)$reached, rep(TRUE, 4))
  lines <- format(ask("70%"))
  expect_match(lines[1], "^2 of 5 items are within 70% of v, 1 is within half$")
  expect_match(lines, "the item that crosses the line is out", all = FALSE)
  expect_s3_class(ggplot2::ggplot_build(chart_pareto(ask("49%")))$plot, "ggplot") # none is within
  run <- run_here(c("pareto", orders_path(), "--of", "net_sales", "--by", "product", "--boundary", "within"))
  expect_match(run$out[1], "^27 of 64 products are within 80% of net sales")
  expect_equal(run_here(c("pareto", orders_path(), "--of", "net_sales", "--by", "product", "--boundary", "x"))$status, 2)
})

test_that("if the numbers of single items and of marked items differ, both are printed", {
  d <- data.frame(k = c("a", "b", "c", "d"), x = c(4, 3, 3, 1))
  legend <- function(...) grep("crosses the line", format(pareto(d, of = sum(x), by = k, ...)), value = TRUE)
  expect_match(paste(format(pareto(d, of = sum(x), by = k, reach = "50%"), width = 200), collapse = " "), "3 ks are marked, not 2: a tie at the cut-off is in as a whole")
  expect_match(paste(format(pareto(d, of = sum(x), by = k, reach = "80%", boundary = "within"), width = 200), collapse = " "),
    "1 k is marked, not 2: a tie at the cut-off is out as a whole")
  expect_no_match(legend(reach = "70%"), "marked")
})

test_that("a Pareto reading of a total that is not above zero has no tie at a cut-off", {
  x <- pareto(data.frame(g = c("p", "p", "q"), k = c("a", "b", "a"), x = c(-3, 1, 5)), of = sum(x), by = k, within = g, reach = "50%")
  expect_no_match(format(x), "marked, not")
})
