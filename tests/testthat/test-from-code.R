# Asking from one's own code: functions, loops and variables, through other functions too.

plain <- function(x) as.data.frame(x)

test_that("a function of one's own takes columns, conditions and selections", {
  orders <- demo_orders()
  by_sales <- function(data, by, measure = net_sales, ...) {
    standings(data, of = sum({{ measure }}), by = {{ by }}, ...)
  }
  expect_equal(plain(by_sales(orders, region)), plain(standings(orders, sum(net_sales), region)))
  expect_equal(plain(by_sales(orders, c(region, town), units, where = units > 3)),
    plain(standings(orders, sum(units), c(region, town), where = units > 3)))
  best <- function(x, which) only(x, {{ which }})
  x <- standings(orders, sum(net_sales), customer)
  expect_equal(plain(best(x, top(3) | bottom(2))), plain(only(x, top(3) | bottom(2))))
  split <- function(x, by) tier_table(x, by = {{ by }})
  tiers <- assign_tiers(standings(orders, sum(net_sales), customer, within = region),
    tiers_by_share(c(A = "80%"), rest = "B"))
  expect_equal(split(tiers, region), tier_table(tiers, by = "region"))
  changes <- compare_periods(orders, sum(net_sales), customer, month(order_date), within = region)
  expect_equal(class_table(changes, by = region), class_table(changes, by = "region"))
  expect_error(tier_table(tiers, by = month(region)), "must name one or more columns",
    class = "eggcrate_error_expression")
})

test_that("a loop goes through names, and several names are several columns", {
  orders <- demo_orders()
  for (dim in c("region", "category")) {
    expect_equal(names(standings(orders, sum(net_sales), !!dim))[2], dim)
  }
  dims <- c("region", "category")
  both <- plain(standings(orders, sum(net_sales), c(region, category)))
  for (x in list(standings(orders, sum(net_sales), by = !!dims),
    standings(orders, sum(net_sales), by = c("region", "category")),
    standings(orders, sum(net_sales), by = c("region", category)))) expect_equal(plain(x), both)
  months <- c("region", "month(order_date)")
  expect_equal(names(standings(orders, sum(net_sales), by = !!months))[2:3], c("region", "month"))
  limit <- 100
  wanted <- c("Rope", "Paint")
  day <- as.Date("2026-01-01")
  expect_equal(
    plain(standings(orders, sum(net_sales), region, category %in% !!wanted & units < !!limit & order_date >= !!day)),
    plain(standings(orders, sum(net_sales), region,
      category %in% c("Rope", "Paint") & units < 100 & order_date >= "2026-01-01")))
})

test_that("a name that is no column but the caller's is pointed out", {
  orders <- demo_orders()
  hints <- function(code) expect_error(code, class = "eggcrate_error_call")$hints
  dd <- "region"
  expect_match(hints(standings(orders, sum(net_sales), by = dd)), "`dd` is a variable of yours: write `!!dd`",
    fixed = TRUE, all = FALSE)
  ask <- function(data, dim, ...) standings(data, of = sum(net_sales), by = dim, ...)
  expect_match(hints(ask(orders, region)), "an argument of your function: write `{{ dim }}`", fixed = TRUE,
    all = FALSE)
  within <- function(...) ask(...)
  expect_match(hints(within(orders, region)), "{{ dim }}", fixed = TRUE, all = FALSE)
  x <- standings(orders, sum(net_sales), customer)
  n <- 3
  expect_match(hints(only(x, top(n))), "!!n", fixed = TRUE, all = FALSE)
  to <- "2026-05"
  expect_match(hints(compare_periods(orders, sum(net_sales), customer, month(order_date), to = to)),
    "!!to", fixed = TRUE, all = FALSE)
  # A function that has the name of a column that is not there is no value.
  expect_false(any(grepl("!!", hints(standings(orders, sum(net_sales), by = paste)))))
})

test_that("an argument that is not known has a close name", {
  orders <- demo_orders()
  e <- expect_error(standings(orders, sum(net_sales), region, wehre = units > 1),
    class = "eggcrate_error_unknown_value")
  expect_equal(e$header, "There is no argument `wehre` here.")
  expect_equal(e$hints[1], "Did you mean `where`?")
  x <- assign_tiers(standings(orders, sum(net_sales), customer), tiers_by_rank(c(A = 5), rest = "B"))
  wrong <- list(quote(chart_bars(x, titel = "a")), quote(chart_tiers(x, titel = "a")),
    quote(tier_table(x, yb = region)), quote(threshold_table(x, frist = 3)), quote(why(x, "a", "b")),
    quote(receipt(x, 1)), quote(html_table(x, N = 5)), quote(extremes(x, 3)), quote(concentration(x, a = 1)))
  for (call in wrong) expect_error(eval(call), "argument", class = "eggcrate_error_unknown_value")
})

test_that("a text that is a column's or an item's name is that one, whatever stands in it", {
  data <- data.frame(k = c("a", "Shop (North)", "top(1)"), x = 1:3, y = 4:6, check.names = FALSE)
  names(data) <- c("Shop (all)", "Net sales + tax", "sum(y)")
  path <- withr::local_tempfile(fileext = ".csv")
  utils::write.csv(data, path, row.names = FALSE)
  for (source in list(data, path)) {
    x <- standings(source, of = "Net sales + tax", by = "Shop (all)", also = "sum(y)")
    expect_equal(x[["Net sales + tax"]], 3:1)
    expect_equal(names(x)[c(2, 8)], c("Shop (all)", "sum(y)"))
    expect_equal(only(x, "Shop (North)")[[2]], "Shop (North)")
    expect_equal(only(x, "top(1)")[[2]], "top(1)")
    expect_equal(only(x, top(1) | "a")[[2]], c("top(1)", "a"))
    expect_equal(only(x, c("a", "Shop (North)"))[[2]], c("Shop (North)", "a"))
    below <- drill(standings(source, of = "Net sales + tax", by = "Shop (all)"), "Shop (North)", by = "sum(y)")
    expect_equal(as.character(below[["sum(y)"]]), "5")
  }
  wanted <- c("a", "top(1)")
  expect_equal(only(x, !!wanted)[[2]], c("top(1)", "a"))
  e <- expect_error(only(x, "Shop (Nort)"), class = "eggcrate_error_unknown_item")
  expect_equal(e$hints, "Did you mean \"Shop (North)\"?")
  got <- run_here(c("standings", path, "--of", "Net sales + tax", "--by", "Shop (all)", "--only",
    "Shop (North)", "--format", "csv"))
  expect_match(got$out[2], "Shop (North)", fixed = TRUE)
})
