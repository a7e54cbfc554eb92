ask <- function(where, data = random_lines()) {
  standings(data, of = count(), by = item, where = !!where)
}

test_that("conditions mean what they say", {
  data <- random_lines()
  data$day <- as.Date("2026-01-01") + seq_len(nrow(data))
  data$paid <- data$units > 10
  cases <- list(
    list("amount >= 20 & amount < 50", data$amount >= 20 & data$amount < 50),
    list("!(grp == 'west') | units * 2 > 50", data$grp != "west" | data$units * 2 > 50),
    list("grp %in% c('north', 'south')", data$grp %in% c("north", "south")),
    list("units %in% c(3, 5)", data$units %in% c(3, 5)),
    list("between(units, 4, 6)", data$units >= 4 & data$units <= 6),
    list("day >= '2026-02-01' & day != '2026-03-03'",
      data$day >= "2026-02-01" & data$day != as.Date("2026-03-03")),
    list("-amount + 10 <= units / 2", -data$amount + 10 <= data$units / 2),
    list("paid", data$paid), list("paid == FALSE", !data$paid),
    list("'north' == grp", data$grp == "north")
  )
  for (case in cases) {
    x <- standings(data, of = count(), by = item, where = !!case[[1]])
    expect_equal(receipt_n(x, "used"), sum(case[[2]]), info = case[[1]])
    expect_account(x)
  }
})

test_that("rows with a missing value in the condition are filtered out and counted apart", {
  lines <- data.frame(k = c("a", "b", NA, ""), v = c(1, NA, 3, 4))
  used <- function(where) {
    x <- standings(lines, of = count(), by = k, where = !!where)
    expect_account(x)
    c(receipt_n(x, "used"), receipt_n(x, "filtered out", "do not"),
      receipt_n(x, "filtered out", "missing value"))
  }
  expect_equal(used("k == 'a'"), c(1, 1, 2))
  expect_equal(used("k != 'a'"), c(1, 1, 2))
  expect_equal(used("!(k %in% c('a', 'b'))"), c(0, 2, 2))
  expect_equal(used("v > 2"), c(2, 1, 1))
  expect_equal(used("!(v > 2)"), c(1, 2, 1))
  expect_equal(used("v > 2 | k == 'b'"), c(3, 0, 1) + c(0, 1, -1))
  expect_equal(used("is_missing(k)"), c(2, 2, 0))
  expect_equal(used("!is_missing(k) & is_missing(v)"), c(1, 3, 0))
  lines$k <- factor(lines$k)
  expect_equal(used("k != 'a'"), c(1, 1, 2))
  expect_equal(used("is_missing(k)"), c(2, 2, 0))
})

test_that("decimals are compared as decimals", {
  lines <- data.frame(k = "a", v = c(0.1 + 0.2, 0.3, 0.31))
  expect_equal(receipt_n(standings(lines, of = count(), by = k, where = v == 0.3), "used"), 2)
  expect_equal(receipt_n(standings(lines, of = count(), by = k, where = v > 0.3), "used"), 1)
})

test_that("a value of the caller comes in by !!", {
  least <- 20
  data <- random_lines()
  expect_equal(receipt_n(standings(data, of = count(), by = item, where = units > !!least), "used"),
    sum(data$units > least))
  groups <- c("north", "west")
  expect_equal(receipt_n(standings(data, of = count(), by = item, where = grp %in% !!groups),
    "used"), sum(data$grp %in% groups))
})

test_that("measures may have arithmetic inside and a condition of their own", {
  data <- random_lines()
  x <- standings(data, of = sum(amount * units, when = grp == "north"), by = item)
  expected <- tapply(data$amount * data$units * (data$grp == "north"), data$item, sum)
  expect_equal(x[[3]], as.vector(expected[x$item]), tolerance = 1e-12)
  expect_identical(names(x)[3], "sum(amount * units, when = grp == \"north\")")
  named <- standings(data, of = c(north = count(when = grp == "north")), by = item)
  expect_identical(named$north, as.numeric(tapply(data$grp == "north", data$item, sum)[named$item]))
  expect_identical(names(standings(data, of = "lines = count()", by = item))[3], "lines")
})

test_that("expressions outside the language are refused", {
  data <- random_lines()
  data$day <- as.Date("2026-01-01")
  data$list <- as.list(seq_len(nrow(data)))
  expect_snapshot_output(refusals(
    standings(data, of = variance(amount), by = item),
    standings(data, of = budget / amount, by = item),
    standings(data, of = amount / units, by = item),
    standings(data, of = per_day(mean(amount)), by = item),
    standings(data, of = per_day(amount), by = item),
    standings(data, of = distinct(amount + 1), by = item),
    standings(data, of = amount, by = item, over = grp),
    standings(data, of = amount, by = item, over = month(grp)),
    standings(data, of = amount, by = item, where = month(day) == "2026-13"),
    standings(data, of = amount, by = item, where = in_period(day, latest(fortnight))),
    standings(data, of = amount, by = item, having = amount > 3),
    standings(data, of = mean(amount), by = item, share_of = "all"),
    standings(data, of = amount, by = item, share_of = "period"),
    pareto(data, of = mean(amount), by = item),
    standings(data, of = amount, by = item, where = system("ls")),
    standings(data, of = amount, by = item, where = amount$x),
    standings(data, of = amount, by = item, where = "grp == "),
    standings(data, of = amount, by = item, where = "grp; item"),
    standings(data, of = amount, by = item, where = grp > "a"),
    standings(data, of = amount, by = item, where = grp == 3),
    standings(data, of = amount, by = item, where = amount > "a"),
    standings(data, of = amount, by = item, where = day > "2026-02-30"),
    standings(data, of = amount, by = item, where = amount),
    standings(data, of = amount, by = item, where = grp == ""),
    standings(data, of = amount, by = item, where = amount == NA),
    standings(data, of = amount, by = item, where = list == 1),
    standings(data, of = amount, by = item, where = between(amount, 1)),
    standings(data, of = amount, by = toupper(item)),
    standings(data, of = amount, by = item, over = mnth(day)),
    standings(data, of = sum(amount, na.rm = TRUE), by = item),
    standings(data, of = 3, by = item)
  ))
})

test_that("random text is answered or refused with a clear message, never run", {
  data <- random_lines(30)
  trap <- tempfile()
  data$`odd name` <- data$amount
  data$day <- as.Date("2026-01-01") + 3 * seq_len(nrow(data))
  set.seed(20)
  pieces <- c("amount", "units", "item", "grp", "`odd name`", "sum(", "count(", ")", "(", "==",
    "!=", "<", "&", "|", "!", "%in%", "c(", ",", "\"north\"", "'", "3", "-1e9", "NA", "NULL",
    "TRUE", "is_missing(", "between(", "function(x)", "{", "}", ";", "\n", "$", "[[", "@", "::",
    "<-", "=", "when", "if", sprintf("file.create('%s')", trap), "\\", "\u00e9", "80%", "~", "^",
    "-", "+", "*", "/", "0x10", "1L", "mean(", "median(", "distinct(", "per_day(",
    "day", "quarter(", "month(day)", "in_period(", "latest(month)", "year_ago(", "last(",
    "\"2026-03\"")
  for (i in seq_len(in_full(1000, 100))) {
    text <- paste(sample(pieces, sample(1:9, 1), TRUE), collapse = sample(c("", " "), 1))
    word <- sample(c("of", "by", "where", "over", "also", "having", "show"), 1)
    words <- list(of = "amount", by = "item")
    words[[word]] <- if (word == "also") list(text) else text
    outcome <- tryCatch(
      eggcrate:::ask("standings", words, eggcrate:::open_source(data)),
      eggcrate_error = function(e) e
    )
    expect_true(inherits(outcome, c("eggcrate_standings", "eggcrate_error")), info = text)
    if (inherits(outcome, "eggcrate_error")) expect_true(nzchar(conditionMessage(outcome)))
  }
  expect_false(file.exists(trap))
})

test_that("a part of the whole is 0.8 or 80%", {
  part <- function(x) eggcrate:::read_part(x, "reach")$value
  expect_identical(part("80%"), 0.8)
  expect_identical(part(0.8), 0.8)
  expect_identical(part("0.8"), 0.8)
  expect_identical(part("100%"), 1)
  for (bad in list(80, "80", "0%", -0.1, "110%", "most", NA, c(0.1, 0.2))) {
    expect_error(part(bad), class = "eggcrate_error_unknown_value")
  }
  expect_error(part(80), "Did you mean \"80%\"", fixed = TRUE)
})

test_that("columns of text are compared with each other, in whatever encoding they stand", {
  latin <- iconv("\u00c6gir", "UTF-8", "latin1")
  lines <- data.frame(a = c("x", "y", "\u00c6gir", NA, "z", "z"),
    b = c("x", "q", latin, "x", " ", "w"), v = 1)
  for (factored in list(character(), "a", c("a", "b"))) {
    data <- lines
    data[factored] <- lapply(data[factored], factor)
    same <- standings(data, of = sum(v), by = a, where = a == b)
    expect_equal(same$a, c("x", "\u00c6gir"))
    expect_equal(receipt_n(same, "filtered out", "missing value"), 2)
    expect_equal(receipt_n(standings(data, of = sum(v), by = a, where = a != b), "used"), 2)
  }
})

test_that("a percentage is a number wherever one is due", {
  o <- demo_orders()
  same <- function(x, y) expect_identical(eggcrate:::exact_text(x), eggcrate:::exact_text(y))
  margin <- function(...) standings(o, of = c(margin = sum(profit) / sum(net_sales)), by = customer, ...)
  x <- standings(o, of = sum(net_sales), by = customer)
  same(only(x, "share > 1.5%"), only(x, share > 0.015))
  same(only(x, "1.5% < share"), only(x, share > 0.015))
  same(only(x, "between(share, 1%, 1.5%)"), only(x, between(share, 0.01, 0.015)))
  same(only(margin(), "above(35%)"), only(margin(), above(0.35)))
  same(margin(having = "sum(profit) / sum(net_sales) > 15%"), margin(having = sum(profit) / sum(net_sales) > 0.15))
  same(standings(o, of = count(), by = region, where = "profit / net_sales > 10%"), standings(o, of = count(), by = region, where = profit / net_sales > 0.1))
  changes <- compare_periods(o, net_sales, customer, over = year(order_date))
  same(only(changes, "percent < -10%"), only(changes, percent < -0.1))
  grid <- function(...) heat_grid(o, of = sum(profit) / sum(net_sales), by = region, across = year(order_date), shade = "value", ...)
  same(grid(floor = "20%", target = "30%", ceiling = "40%"), grid(floor = 0.2, target = 0.3, ceiling = 0.4))
  quadrant <- function(...) quadrants(o, net_sales, c(margin = sum(profit) / sum(net_sales)), customer, ...)
  same(quadrant(split_against = "10%"), quadrant(split_against = 0.1))
  target <- function(at) against_target(o, of = sum(profit) / sum(net_sales), by = region, target = !!at)
  same(target("90%"), target(0.9))
  got <- run_here(shell_args(sprintf("grid '%s' --of 'sum(profit)/sum(net_sales)' --by region --across 'year(order_date)' --shade value --floor 20%% --format csv", orders_path())))
  expect_identical(paste(got$out, collapse = "\n"), sub("\n$", "", eggcrate:::answer_csv(grid(floor = 0.2))))
  # Beside text it is text.
  expect_equal(standings(data.frame(k = c("10%", "a"), v = 1:2), of = sum(v), by = k, where = k == "10%")$v, 1)
  expect_error(only(x, "share > 'much'"), "is a number and", class = "eggcrate_error_type")
})

test_that("names with bidi formatting characters are selected by text, as characters and as escapes", {
  marks <- c("\u202a", "\u202e", "\u2066", "\u2069", "\u200f")
  d <- data.frame(k = c(paste0("a", marks, "b"), "plain"), v = seq_len(length(marks) + 1))
  for (i in seq_along(marks)) {
    for (text in c(sprintf("k == \"a%sb\"", marks[i]), sprintf("k == 'a\\u%04xb'", utf8ToInt(marks[i])))) {
      expect_identical(standings(d, of = sum(v), by = k, where = !!text)$v, i + 0)
      expect_identical(only(standings(d, of = sum(v), by = k), !!sub("k == (.*)", "items(\\1)", text))$v, i + 0)
    }
  }
})
