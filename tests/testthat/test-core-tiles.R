test_that("tiles have the totals of the groups, ranks and first items, by plain R", {
  plain <- plain_orders()
  sums <- tapply(plain$net_sales, plain$region, sum, na.rm = TRUE)
  x <- standings(demo_orders(), of = sum(net_sales), by = customer, within = region)
  t <- tile_table(x, demo_tiles())
  expect_equal(t$net_sales, as.vector(sums[t$region]))
  expect_equal(t$rank, as.vector(rank(-sums)[t$region]))
  expect_equal(sum(t$share), 1)
  expect_equal(order(t$row, t$column), 1:8)
  first <- x$customer[match(t$region, x$region)]
  expect_true(all(startsWith(t$top, first)))
  expect_match(t$top[t$region == "Long Strand"],
    "^Sorrelby Boatyard 194111.48; Varlow Boatyard 117036.27; ")
})

test_that("of standings by region the tiles are the items, with tiers; a place without sales stays", {
  x <- assign_tiers(standings(demo_orders(), of = sum(net_sales), by = region,
    where = region != "Midmark"), tiers_equal(2))
  t <- tile_table(x, demo_tiles())
  at <- match(t$region, x$region)
  expect_equal(t$net_sales, x$net_sales[at])
  expect_equal(as.character(t$tier), as.character(x$tier)[at])
  expect_true(is.na(t$rank[t$region == "Midmark"]))
  expect_false("top" %in% names(t))
  rate <- tile_table(standings(demo_orders(), of = c(m = sum(profit) / sum(net_sales)),
    by = customer, within = region), demo_tiles())
  expect_equal(rate$rank, rank(-rate$m))
  expect_false("share" %in% names(rate))
})

test_that("regions that make nothing together have no share", {
  x <- standings(data.frame(g = c("p", "q"), k = "a", v = c(1, -1)), of = sum(v), by = k, within = g)
  tiles <- tile_table(x, layout = data.frame(g = c("p", "q"), row = 1, column = 1:2))
  expect_equal(tiles$share, c(NA_real_, NA))
})

test_that("a layout with one place or one region twice is refused, and equal values have the middle shade", {
  d <- data.frame(region = c("a", "b", "c"), x = c(5, 5, 5), y = c(1, 2, 4))
  x <- standings(d, of = sum(y), by = region, also = c(x = sum(x)))
  tiles <- data.frame(region = c("a", "b", "c"), row = c(1, 1, 2), column = c(1, 2, 1))
  expect_error(tile_table(x, transform(tiles, column = c(1, 1, 1))), "\"b\" twice, or another tile", class = "eggcrate_error_value")
  expect_error(tile_table(x, transform(tiles, region = c("a", "b", "a"))), "\"a\" twice", class = "eggcrate_error_value")
  shades <- function(values) eggcrate:::tile_shades(values, NULL)$shade
  expect_identical(shades(c(5, 5, 5)), rep(0.5, 3))
  expect_identical(shades(c(1, 2, 5)), c(0, 0.25, 1))
})
