# Six items, worked by hand: sales 10, 20, 30, 40, 50 and one without profit.
hand <- data.frame(
  item = c("a", "b", "c", "d", "e", "f"), sales = c(10, 20, 30, 40, 50, 60),
  profit = c(5, 4, 9, 4, 15, NA), place = c("x", "x", "x", "y", "y", "y")
)
rate <- quote(c(margin = sum(profit) / sum(sales)))

sorted <- function(x) paste(x$item, x$quadrant)

test_that("a worked example: medians of those with both values, the rate of all", {
  x <- quadrants(hand, of = sum(sales), against = !!rate, by = item)
  # Median sales of a to e is 30; overall margin 37 / 150. Sales of f count in neither.
  high <- c("high sales, high margin", "high sales, low margin", "low sales, high margin",
    "low sales, low margin", "(none)")
  expect_equal(sorted(x), paste(c("e", "c", "d", "a", "b", "f"), high[c(1, 1, 2, 3, 4, 5)]))
  expect_equal(levels(x$quadrant), high)
  expect_equal(x$gap_of, c(20, 0, 10, -20, -10, NA))
  expect_equal(x$gap_against, c(0.3, 0.3, 0.1, 0.5, 0.2, NA) - c(rep(37 / 150, 5), NA))
  expect_equal(x$rank, c(2, 4, 3, 6, 5, 1))
  table <- quadrant_table(x)
  expect_equal(table$items, c(2, 1, 1, 1, 1))
  expect_equal(table$sales, c(80, 40, 10, 20, 60))
  expect_equal(table$margin, c(24 / 80, 0.1, 0.5, 0.2, NA))
  expect_equal(sum(table$share), 1)
  expect_equal(unique(table$split_of), 30)
})

test_that("at the split is high, in decimals and in fractions", {
  x <- quadrants(hand, of = sum(sales), against = sum(profit), by = item, split_of = 50,
    split_against = 9)
  expect_equal(as.character(x$quadrant[match(c("e", "c", "d"), x$item)]),
    c("high sales, high profit", "low sales, high profit", "low sales, low profit"))
  # 1/3, 2/6 and the overall 3/9 are one number.
  thirds <- data.frame(k = c("a", "b"), p = c(1, 2), s = c(3, 6))
  x <- quadrants(thirds, of = sum(s), against = c(rate = sum(p) / sum(s)), by = k)
  expect_true(all(grepl("high rate", x$quadrant)))
  # 0.1 + 0.2 is at a split of 0.3.
  tenths <- data.frame(k = c("a", "a", "b"), s = c(0.1, 0.2, 0.1), p = 1)
  x <- quadrants(tenths, of = sum(s), against = sum(p), by = k, split_of = 0.3)
  expect_equal(x$k[grepl("high s,", x$quadrant)], "a")
})

test_that("medians, means and rates of each group are those that plain R finds", {
  orders <- plain_orders()
  for (split in c("median", "mean")) {
    x <- quadrants(demo_orders(), of = sum(net_sales), against = sum(profit), by = customer,
      within = region, split_of = split, split_against = split)
    items <- stats::aggregate(cbind(net_sales, profit) ~ customer + region,
      data = replace(orders, "customer",
        list(ifelse(is.na(orders$customer), "-", orders$customer))), FUN = sum)
    # aggregate() drops rows without one of the two; sums of each alone are compared.
    sales <- tapply(orders$net_sales, paste(orders$region, orders$customer), sum, na.rm = TRUE)
    region <- sub(" .*", "", names(sales))
    table <- quadrant_table(x)
    found <- tapply(table$split_of, sub(" .*", "", table$region), unique)
    expect_equal(as.vector(found), as.vector(tapply(sales, region, get(split))), tolerance = 1e-12)
    expect_equal(nrow(x), length(sales))
    expect_gte(nrow(items), 200)
  }
  x <- quadrants(demo_orders(), of = sum(net_sales),
    against = c(margin = sum(profit) / sum(net_sales)), by = customer, within = region)
  both <- orders[!is.na(orders$net_sales) & !is.na(orders$profit), ]
  rates <- tapply(both$profit, both$region, sum) / tapply(both$net_sales, both$region, sum)
  expect_equal(as.vector(tapply(quadrant_table(x)$split_against, quadrant_table(x)$region, unique)),
    as.vector(rates), tolerance = 1e-12)
})

test_that("each item is in one quadrant, by signs that plain R finds", {
  x <- quadrants(demo_orders(), of = sum(net_sales),
    against = c(margin = sum(profit) / sum(net_sales)), by = customer, split_of = "mean",
    split_against = 0.35)
  name <- function(high) ifelse(high, "high", "low")
  expect_equal(as.character(x$quadrant),
    sprintf("%s net_sales, %s margin", name(x$net_sales >= mean(x$net_sales)),
      name(x$margin >= 0.35)))
  expect_equal(order(as.integer(x$quadrant), x$rank), seq_len(nrow(x)))
  expect_equal(sum(quadrant_table(x)$items), nrow(x))
  expect_equal(sum(quadrant_table(x)$net_sales), sum(x$net_sales))
})

test_that("the order of the rows does not matter, and a filter comes first", {
  lines <- random_lines(600, 50)
  lines$gain <- round(lines$amount / 7, 2)
  ask <- function(data, ...) {
    quadrants(data, of = sum(amount), against = c(rate = sum(gain) / sum(amount)), by = item,
      split_against = "mean", ...)
  }
  x <- ask(lines)
  expect_identical(columns_of(ask(lines[sample(nrow(lines)), ]), names(x)), columns_of(x, names(x)))
  expect_identical(columns_of(ask(lines, where = grp == "north"), names(x)),
    columns_of(ask(lines[lines$grp == "north", ]), names(x)))
})

test_that("near a split is within a part of it on either side", {
  x <- quadrants(hand, of = sum(sales), against = sum(profit), by = item, split_of = 40,
    split_against = 100, near = "25%")
  expect_equal(x$item[x$near], c("c", "d", "e")[match(x$item[x$near], c("c", "d", "e"))])
  expect_setequal(x$item[x$near], c("c", "d", "e"))
  expect_false(
    any(quadrants(hand, of = sum(sales), against = sum(profit), by = item, split_of = 41,
      split_against = 100, near = "1%")$near))
  below <- data.frame(k = c("a", "b"), v = c(-10, -20), w = 1:2)
  expect_equal(quadrants(below, of = sum(v), against = sum(w), by = k, split_of = -10.4,
    split_against = 9, near = 0.05)$near, c(TRUE, FALSE))
})

test_that("rates and means are split overall by default, other measures at the median", {
  default <- function(...) {
    r <- receipt(quadrants(hand, ..., by = item))
    r$note[grepl("^split of", r$fact)]
  }
  expect_equal(default(of = sum(sales), against = mean(profit)), c("median", "overall"))
  expect_equal(default(of = c(pct = 100 * sum(profit) / sum(sales)), against = max(sales)),
    c("overall", "median"))
  expect_equal(default(of = median(sales), against = count()), c("median", "median"))
  overall <- quadrants(hand, of = median(sales), against = distinct(place), by = item,
    split_of = "overall", split_against = "overall")
  expect_equal(unique(quadrant_table(overall)$split_of), 35)
  expect_equal(unique(quadrant_table(overall)$split_against), 2)
})

test_that("who is hardly below a split does not stand out", {
  d <- data.frame(k = letters[1:4], v = c(100, 90, 20, 10), w = c(49, 60, 60, 60))
  x <- quadrants(d, of = sum(v), against = sum(w), by = k, split_against = 50)
  expect_equal(as.character(x$quadrant[x$k == "a"]), "high v, low w")
  expect_true(x$near[x$k == "a"])
  expect_no_match(format(x)[1], "stands out")
  d$w[1] <- 20
  expect_match(format(quadrants(d, of = sum(v), against = sum(w), by = k, split_against = 50))[1],
    "^a stands out: no. 1 of 4 ks by v, w 20 \\(split at 50\\)")
  # Nor is it a finding.
  f <- findings(standings(transform(d, w = c(59, 60, 60, 60)), of = sum(v), by = k),
    against = sum(w))
  expect_false("exception" %in% f$kind)
})

test_that("where a measure has no value overall nothing is split by it, and it is said", {
  d <- data.frame(k = c("a", "b", "c"), v = c(1, 2, -3), w = 1)
  x <- quadrants(d, of = sum(v), against = c(m = sum(w) / sum(v)), by = k)
  expect_true(all(x$quadrant == "(none)"))
  expect_false(any(x$near))
  r <- receipt(x)
  expect_equal(r$value[r$fact == "split of m"], "none")
  expect_match(r$note[r$fact == "items outside"], "where a split has none")
  lines <- format(x)
  expect_match(lines, "m at no value \\(overall\\)", all = FALSE)
  expect_match(lines, "^m has no split where it has no value overall", all = FALSE)
  # Of a total of 0 there is no share.
  expect_no_match(grep("^total", lines, value = TRUE), "%")
})

test_that("the mean of a group without rows is missing, exact or not", {
  q <- list(exact_quantity(exact_from_whole_(c(3, 6)), 0L, logical(2)),
    real_quantity(c(3, 6), logical(2)))
  for (one in q) {
    mean <- mean_by(one, c(1L, 1L), 2L)
    expect_identical(mean$missing, c(FALSE, TRUE))
    expect_equal(quantity_real(mean), c(4.5, NA))
  }
})

test_that("each quadrant has a name of its own", {
  x <- data.frame(k = c("a", "b"), v = c(1, 2), w = c(2, 1))
  for (wrong in list(c("a", "", "c", "d"), c("a", "a", "c", "d"), c("a", NA, "c", "d"), letters[1:3])) {
    expect_error(quadrants(x, of = sum(v), against = sum(w), by = k, groups = wrong),
      class = "eggcrate_error_unknown_value")
  }
})
