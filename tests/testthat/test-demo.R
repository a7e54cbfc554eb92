test_that("the demo reads like a real order book", {
  orders <- plain_orders()
  expect_gt(nrow(orders), 19000)
  expect_lt(nrow(orders), 22000)
  expect_length(unique(stats::na.omit(orders$customer)), 240)
  expect_length(unique(orders$product), 64)
  expect_length(unique(orders$category), 6)
  expect_length(unique(orders$region), 8)
  expect_length(unique(stats::na.omit(orders$salesperson)), 9)
  months <- unique(format(orders$order_date, "%Y-%m"))
  expect_length(months, 33)
  expect_lt(as.integer(format(max(orders$order_date), "%d")), 25)
  homes <- unique(orders[c("town", "region")])
  expect_gte(sum(table(homes$town) > 1), 2)
  expect_gt(sum(orders$net_sales < 0, na.rm = TRUE), 200)
  for (column in c("customer", "salesperson", "net_sales", "profit")) {
    expect_gt(sum(is.na(orders[[column]])), 5)
  }
})

test_that("it has ties, a big customer who earns nothing, and customers who come, go and return", {
  orders <- plain_orders()
  sales <- standings(orders, of = net_sales, by = customer)
  profit <- standings(orders, of = profit, by = customer)
  expect_gt(sum(duplicated(sales$net_sales)), 1)
  nothing <- profit$customer[profit$profit < 0]
  expect_lte(min(sales$rank[sales$customer %in% nothing]), 5)
  last <- tapply(orders$order_date, orders$customer, max)
  first <- tapply(orders$order_date, orders$customer, min)
  expect_gt(sum(last < as.Date("2026-01-01")), 10)
  expect_gt(sum(first > as.Date("2024-06-01")), 10)
  gap <- tapply(as.numeric(orders$order_date), orders$customer,
    function(d) max(c(0, diff(sort(d)))))
  expect_gt(sum(gap > 150), 5)
  product_last <- tapply(orders$order_date, orders$product, max)
  expect_gte(sum(product_last < as.Date("2026-02-01")), 4)
})

test_that("its companions fit it", {
  orders <- demo_orders()
  file <- function(name) utils::read.csv(system.file("extdata", name, package = "eggcrate"))
  expect_setequal(file("region-tiles.csv")$region, unique(orders$region))
  expect_true(all(orders$product %in% file("products.csv")$product))
  targets <- file("targets.csv")
  expect_false(anyNA(targets$target))
  expect_equal(anyDuplicated(targets[c("region", "month")]), 0)
})

test_that("the examples run from top to bottom, and several periods stand side by side", {
  folder <- system.file("examples", package = "eggcrate")
  scripts <- list.files(folder, "\\.R$", full.names = TRUE)
  expect_gte(length(scripts), 6)
  withr::local_pdf(withr::local_tempfile(fileext = ".pdf"))
  for (script in scripts) {
    space <- new.env()
    lines <- utils::capture.output(sys.source(script, space))
    expect_gt(length(lines), 20)
    if (basename(script) == "4-several-periods.R") sides <- space$side_by_side
  }
  plain <- plain_orders()
  sum_of <- function(first, last) {
    at <- plain$order_date >= first & plain$order_date <= last
    sum(plain$net_sales[at], na.rm = TRUE)
  }
  expect_equal(sum(sides$this_month), sum_of("2026-05-01", "2026-05-31"))
  expect_equal(sum(sides$last_month), sum_of("2026-04-01", "2026-04-30"))
  expect_equal(sum(sides$year_ago), sum_of("2025-05-01", "2025-05-31"))
  expect_equal(sum(sides$to_date), sum_of("2026-01-01", "2026-06-17"))
  expect_equal(sum(sides$to_date_year_ago), sum_of("2025-01-01", "2025-06-17"))
})
