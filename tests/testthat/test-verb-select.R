test_that("what is kept has the ranks and shares of the whole, and the rest is one row", {
  x <- standings(demo_orders(), of = sum(net_sales), by = customer,
    also = c(margin = sum(profit) / sum(net_sales)))
  y <- only(x, top(5), others = TRUE)
  expect_equal(nrow(y), 6)
  expect_equal(as.list(y)$rank, c(x$rank[1:5], NA))
  expect_equal(sum(y$share), 1)
  expect_equal(sum(y$net_sales), sum(x$net_sales))
  expect_equal(y$customer[6], "all others (236)")
  orders <- plain_orders()
  rest <- orders[!orders$customer %in% x$customer[1:5] & !is.na(orders$net_sales) &
    !is.na(orders$profit), ]
  expect_equal(y$margin[6], sum(rest$profit) / sum(rest$net_sales))
  expect_equal(columns_of(only(y, top(2)), names(x)), columns_of(only(x, top(2)), names(x)))
})

test_that("in groups each has its own rest, and a second selection narrows the first", {
  x <- standings(demo_orders(), of = sum(net_sales), by = town, within = region)
  y <- only(x, top(2), others = TRUE)
  expect_equal(as.vector(tapply(y$share, y$region, sum)), rep(1, length(unique(x$region))))
  narrowed <- only(only(x, top(2)), region == "Midmark")
  expect_equal(narrowed$town, x$town[x$region == "Midmark"][1:2])
  expect_equal(receipt(narrowed)$n[receipt(narrowed)$step == "only"], c(16, 2))
})

test_that("keys that are numbers or dates get a row of all others too", {
  x <- standings(data.frame(k = c(3, 1, 2), v = 3:1), of = sum(v), by = k)
  expect_equal(only(x, top(1), others = TRUE)$k, c("3", "all others (2)"))
})

test_that("highlight marks and keeps all", {
  x <- standings(demo_orders(), of = sum(net_sales), by = customer)
  y <- highlight(x, top(3) | items("Wyrick Slipway"))
  expect_equal(which(y$highlighted), c(1:3, match("Wyrick Slipway", x$customer)))
  expect_equal(nrow(y), nrow(x))
  lines <- format(y, width = 80)
  expect_match(lines, "^. +[0-9]+ +Wyrick Slipway", all = FALSE) # shown though it is far down
  expect_match(lines, "4 of 241 customers", all = FALSE)
})

test_that("a tie at the cut is told", {
  x <- standings(data.frame(k = letters[1:4], v = c(3, 2, 2, 1)), of = sum(v), by = k)
  r <- receipt(only(x, top(2), at_cut = "split"))
  expect_equal(r$n[r$fact == "tied items at the cut"], 2)
  expect_match(r$note[r$fact == "tied items at the cut"], "split in row order")
  expect_false(any(receipt(only(x, top(1)))$fact == "tied items at the cut"))
})

test_that("a selection that cannot be is refused", {
  x <- standings(data.frame(k = c("a", "b"), v = 2:1), of = sum(v), by = k)
  m <- standings(data.frame(k = c("a", "b"), v = 2:1), of = mean(v), by = k)
  below <- standings(data.frame(k = c("a", "b"), v = -(2:1)), of = sum(v), by = k)
  expect_snapshot(refusals(
    only(x, top(0)), only(x, top(2.5)), only(x, topp(2)), only(x, reaching(80)),
    only(x, items("c")), only(x, k), only(x, v > "a"), only(x), only(x, top(k)),
    only(x, in_tier("A")), only(m, reaching("80%")), only(below, reaching("80%")),
    only(x, top(1), at_cut = "cut"), only(x, system("ls")), highlight(data.frame(), top(1))
  ))
})
