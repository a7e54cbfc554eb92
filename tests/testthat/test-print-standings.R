small <- data.frame(
  shop = c("Albrek Boatyard", "Berrowin Chandlers with a rather long name", "Carrisk Ferries",
    "Dunmarr Marina", NA),
  coast = c("east", "east", "west", "west", "west"), sales = c(1200.5, 800, 800, 12, 3.25)
)

test_that("a table shows the best, the others, the total and what was done", {
  expect_snapshot(print(standings(small, of = sales, by = shop), width = 80))
  expect_snapshot(print(standings(small, of = sales, by = shop), n = 2, width = 80))
  expect_snapshot(print(pareto(small, of = sales, by = shop, within = coast), width = 80))
  expect_snapshot(print(standings(small, of = sales, by = shop, where = sales > 5000), width = 80))
  expect_snapshot(print(standings(data.frame(k = c("a", "b"), v = c(3, -1)), of = v, by = k),
    width = 80))
})

test_that("no line is wider than the window, and names are the first to give way", {
  for (width in c(40, 50, 60, 80, 120)) {
    lines <- format(standings(small, of = sales, by = c(shop, coast)), width = width)
    expect_lte(max(nchar(lines, "width")), width)
    expect_true(any(grepl("1,200.50", lines, fixed = TRUE)))
    tiers <- format(
      highlight(assign_tiers(standings(small, of = sales, by = shop), tiers_by_share(c(A = "80%"))),
        top(2)), width = width)
    expect_lte(max(nchar(tiers, "width")), width)
  }
})

test_that("bars in the table are as long as the values, where there is room for them", {
  x <- standings(small, of = sales, by = coast)
  lines <- format(x, width = 80)
  bars <- nchar(gsub("[^#]", "", lines))
  expect_equal(bars[grepl("east", lines)], 10)
  expect_equal(bars[grepl("west", lines)], round(10 * 815.25 / 2000.5))
  expect_equal(sum(bars[grepl("total", lines)]), 0)
  expect_false(any(grepl("#", format(x, width = 40), fixed = TRUE)))
})

test_that("the figures shown add up: items, others, total", {
  x <- standings(demo_orders(), of = sum(net_sales), by = customer)
  lines <- format(x, n = 7, width = 100)
  number <- function(line) {
    as.numeric(gsub(",", "", regmatches(line, regexpr("-?[0-9,]+\\.[0-9]{2}", line))))
  }
  rows <- grep("^ +[0-9]+  ", lines)
  expect_length(rows, 7)
  expect_equal(sum(vapply(lines[rows], number, 0)) +
    number(grep("all others \\(234\\)", lines, value = TRUE)),
    number(grep("total \\(241\\)", lines, value = TRUE)))
  expect_length(grep("^ +[0-9]+  ", format(x, n = Inf)), 241)
})

test_that("plain output has no colour and, without Unicode, plain signs", {
  withr::local_options(cli.unicode = FALSE, cli.num_colors = 1L)
  lines <- format(pareto(small, of = sales, by = shop), width = 60)
  expect_false(any(grepl("\033", lines, fixed = TRUE)))
  expect_false(any(grepl("[^ -~]", lines)))
  withr::local_options(cli.num_colors = 256L)
  withr::local_envvar(NO_COLOR = NA)
  expect_true(any(grepl("\033", format(pareto(small, of = sales, by = shop)), fixed = TRUE)))
})

test_that("all that was asked for is shown, the first ten of what was not chosen", {
  x <- standings(demo_orders(), of = sum(net_sales), by = customer)
  items <- function(lines) length(grep("^ +[0-9]+  ", lines))
  expect_equal(items(format(x)), 10)
  expect_equal(items(format(only(x, top(17)))), 17)
  expect_equal(items(format(only(x, top(17)), n = 4)), 4)
})

test_that("a measure or column that has no room is named; what was not asked for goes unsaid", {
  x <- standings(demo_orders(), of = sum(net_sales), by = customer,
    also = c(orders = distinct(order_no), units = sum(units)), show = c(region, town))
  expect_match(format(x, width = 60),
    "^Not shown for lack of width: (orders, )?(units, )?region and town[.] Widen", all = FALSE)
  expect_no_match(format(x, width = 200), "No room")
  expect_no_match(format(standings(demo_orders(), of = sum(net_sales), by = customer), width = 40),
    "No room")
})

test_that("totals keep their decimals when nothing is selected", {
  x <- standings(demo_orders(), of = sum(net_sales), by = customer,
    also = c(margin = sum(profit) / sum(net_sales)))
  expect_match(format(only(x, margin > 0.9)), "^ +total .* 31[.]3%$", all = FALSE)
})
