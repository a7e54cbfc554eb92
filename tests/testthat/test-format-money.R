shown <- function(x, settings, ...) {
  before <- do.call(display_settings, settings)
  on.exit(options(eggcrate.display = before))
  format(x, width = 160, ...)
}
asked <- function(...) {
  standings(demo_orders(), of = sum(net_sales), by = region, also = c(units = sum(units), profit = sum(profit),
    margin = sum(profit) / sum(net_sales), each = sum(net_sales) / count(), mean = mean(net_sales),
    square = sum(profit * net_sales), price = sum(profit) / sum(units), loss = sum(net_sales) - sum(profit)), ...)
}
first_row <- function(lines) grep("Ambermouth", lines, value = TRUE)[1]

test_that("a measure is money by what it is made of", {
  lines <- shown(asked(), list(currency = "EUR", unit = "thousand", money = c("net_sales", "profit")))
  head <- grep("^rank", lines, value = TRUE)
  for (name in c("net_sales", "profit", "each", "mean")) {
    expect_match(head, paste0("\\b", name, " \\(thousand EUR\\)"))
  }
  expect_no_match(head, "(units|margin) \\(")
  more <- shown(standings(demo_orders(), of = net_sales, by = region, also = c(square = sum(profit * net_sales),
    price = sum(profit) / sum(units), loss = sum(net_sales) - sum(profit))),
    list(currency = "EUR", money = c("net_sales", "profit")))
  expect_match(grep("^rank", more, value = TRUE), "square +price \\(EUR\\) +loss \\(EUR\\)")
  # Without a word it is what the ranking measure adds up.
  alone <- shown(asked(), list(currency = "EUR"))
  head <- grep("^rank", alone, value = TRUE)
  expect_match(head, "net_sales \\(EUR\\)")
  expect_no_match(head, "profit \\(EUR\\)")
  d <- data.frame(k = c("a", "b"), n = c(3, 4), price = c(1.25, 2.5))
  expect_match(shown(standings(d, sum(n * price), k), list(currency = "EUR"))[3], "\\(EUR\\)")
  whole <- shown(standings(d, sum(n), k), list(currency = "EUR", money = "n"))
  expect_match(grep("total", whole, value = TRUE), " 7 ")
  expect_match(whole[3], "n \\(EUR\\)", all = FALSE)
})

test_that("unit and sign hold in sentences, steps, tables and pages", {
  settings <- list(currency = "EUR", unit = "thousand")
  x <- asked()
  expect_match(shown(heat_grid(demo_orders(), net_sales, region, across = year(order_date)), settings)[1],
    "\\(399.2 thousand EUR\\)")
  reasons <- shown(why(assign_tiers(x, tiers_by_value(c(A = 7e5, B = 4e5))), "Midmark"), settings)
  expect_match(reasons, "402.9 thousand EUR / 4,312.9 thousand EUR", all = FALSE)
  expect_match(reasons, "297.1 thousand EUR more for the next tier", all = FALSE)
  before <- do.call(display_settings, settings)
  withr::defer(options(eggcrate.display = before))
  expect_match(as.character(html_table(x)), "net_sales (thousand EUR)", fixed = TRUE)
  run <- run_here(c("changes", orders_path(), "--of", "net_sales", "--by", "region", "--over",
    "quarter(order_date)", "--table", "bridge", "--currency", "EUR", "--unit", "thousand"))
  expect_match(run$out[1], "amount \\(thousand EUR\\) +end \\(thousand EUR\\)")
  expect_match(run$out, "^up +7 +196.7 +509.0$", all = FALSE)
})

test_that("settings that change nothing say so", {
  note <- function(x, settings) grep("Nothing here is money", shown(x, settings), value = TRUE)
  counts <- standings(demo_orders(), of = count(), by = region)
  expect_match(note(counts, list(currency = "EUR")), "currency changes nothing; columns that are money")
  expect_match(note(counts, list(unit = "million", decimals = 1)), "unit and decimals change nothing")
  expect_length(note(counts, list(labels = c(region = "Region"))), 0)
  expect_length(note(asked(), list(currency = "EUR")), 0)
})

test_that("ratios that are ranked by have the decimals that tell them apart", {
  d <- data.frame(k = c("a", "b", "c"), a = c(10001, 10002, 5), b = c(20000, 20000, 10))
  lines <- format(standings(d, c(r = sum(a) / sum(b)), k))
  expect_match(lines, "b +0.50010$", all = FALSE)
  expect_match(lines, "a +0.50005$", all = FALSE)
  expect_match(format(standings(d[2:3, ], c(r = sum(a) / sum(b)), k)), "b +0.5001$", all = FALSE)
  expect_match(format(standings(d, c(r = sum(a) / sum(b)), k, where = k == "a")), "a +0.500$", all = FALSE)
  small <- data.frame(k = c("a", "b"), v = c(1, 2), d = as.Date(c("2026-01-01", "2026-03-31")))
  expect_match(format(standings(small, c(rate = per_day(sum(v), d)), k)), "b +0.022", all = FALSE)
})

test_that("bars stand beside the columns that were asked for, and others stand back", {
  x <- standings(demo_orders(), of = sum(net_sales), by = region, also = c(units = sum(units), profit = sum(profit)))
  plain <- first_row(shown(x, list()))
  expect_match(plain, "1,052,200.76 +##########")
  fixed <- shown(x, list(bars = c(units = 166472), muted = "profit"))
  expect_match(first_row(fixed), "83,236  ##### +339") # half of the end
  expect_no_match(first_row(fixed), "1,052,200.76 +#")
  both <- first_row(shown(x, list(bars = c("net_sales", "units"))))
  expect_match(both, "1,052,200.76 +########## .*83,236  ##########")
  before <- display_settings(bars = c(units = 166472), muted = "profit")
  withr::defer(options(eggcrate.display = before))
  html <- as.character(html_table(x))
  expect_match(html, "right barred\" style=\"background-image:linear-gradient(to right,#D8CFC0 27.5%,transparent 0)\">83,236",
    fixed = TRUE)
  expect_match(html, "<td class=\"right second\">339", fixed = TRUE)
  run <- run_here(c("standings", orders_path(), "--of", "net_sales", "--by", "region", "--also",
    "units = sum(units)", "--bars", "units=166472"))
  expect_match(run$out, "83,236  (#####|\u2501{5})", all = FALSE)
  expect_equal(run_here(c("standings", orders_path(), "--of", "net_sales", "--by", "region", "--bars", "units=no"))$status, 2)
  expect_error(display_settings(bars = 3), "bars = c\\(units")
  expect_error(display_settings(bars = c(units = -1)), class = "eggcrate_error_unknown_value")
  expect_error(display_settings(money = 1), class = "eggcrate_error_unknown_value")
})

test_that("money by money reads as a percentage, its differences as points, and a price does not", {
  o <- demo_orders()
  margin <- standings(o, of = sum(net_sales), by = region, also = c(margin = sum(profit) / sum(net_sales), price = sum(net_sales) / sum(units)))
  lines <- format(margin, width = 120)
  expect_match(lines, "Ambermouth .* 32[.]4% +12[.]65$", all = FALSE)
  change <- compare_periods(o, of = c(margin = sum(profit) / sum(net_sales)), by = region, over = year(order_date))
  expect_match(format(change), "^Margin rose by 0[.]1 points from 2024 to 2025", all = FALSE)
  expect_match(format(change), "Long Strand +-0[.]6 points +-2[.]4%", all = FALSE)
  # Cents by kilograms of two decimals, and what is more than the whole, are no parts.
  d <- data.frame(k = c("a", "b"), money = c(10.25, 20.50), weight = c(2.25, 4.75), cost = c(1.15, 2.35))
  expect_false(any(grepl("%", format(standings(d, of = sum(money) / sum(weight), by = k))[-1])))
  expect_true(any(grepl("%", format(standings(d, of = sum(cost) / sum(money), by = k))[-1])))
  old <- display_settings(money = "money")
  withr::defer(options(eggcrate.display = old))
  expect_false(any(grepl("%", format(standings(d, of = sum(cost) / sum(money), by = k))[-1])))
})
