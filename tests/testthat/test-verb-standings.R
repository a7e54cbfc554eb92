test_that("a ranking of the demo's customers equals SQLite's window functions to the cent", {
  orders <- plain_orders()
  sql <- sqlite_standings(data.frame(item = ifelse(is.na(orders$customer), "zzz", orders$customer),
    cents = round(orders$net_sales * 100)))
  sql$item[sql$item == "zzz"] <- NA
  for (x in list(
    standings(demo_orders(), of = sum(net_sales), by = customer),
    standings(orders_path(), of = "sum(net_sales)", by = "customer"),
    standings(orders, of = net_sales, by = customer)
  )) {
    expect_identical(x$customer, sql$item)
    expect_identical(x$net_sales, sql$cents / 100)
    expect_identical(x$rank, as.integer(sql$rank))
    expect_identical(x$running, sql$running / 100)
    expect_identical(x$share, sql$cents / sql$total)
    expect_identical(x$cum_share, sql$running / sql$total)
    expect_identical(x$percentile, sql$worse / (sql$n - 1))
    expect_account(x)
    expect_equal(receipt_n(x, "excluded"), sum(is.na(orders$net_sales)))
  }
  dense <- standings(orders, of = net_sales, by = customer, ties = "dense")
  expect_identical(dense$rank, as.integer(sql$dense))
})

test_that("ranking starts again within each group", {
  data <- random_lines()
  sql <- sqlite_standings(data.frame(item = data$item, grp = data$grp,
    cents = round(data$amount * 100)), group = TRUE)
  x <- standings(data, of = amount, by = item, within = grp)
  expect_identical(columns_of(x, c("grp", "item")), columns_of(sql, c("grp", "item")))
  expect_identical(x$rank, as.integer(sql$rank))
  expect_identical(x$share, sql$cents / sql$total)
  expect_identical(x$running, sql$running / 100)
  expect_identical(x$percentile, sql$worse / (sql$n - 1))
})

test_that("sales of 0.10 and 0.20 tie with one of 0.30", {
  lines <- data.frame(customer = c("b", "a", "a", "c"), sales = c(0.3, 0.1, 0.2, 0.05))
  x <- standings(lines, of = sales, by = customer)
  expect_identical(x$rank, c(1L, 1L, 3L))
  expect_identical(x$customer, c("a", "b", "c"))
  expect_identical(x$sales, c(0.3, 0.3, 0.05))
  expect_equal(receipt(x)$n[receipt(x)$fact == "tied items"], 2)
})

test_that("tie rules number equal values as they say", {
  lines <- data.frame(k = c("a", "b", "c", "d", "e"), v = c(9, 7, 7, 7, 1))
  rank <- function(ties, best = "highest") {
    standings(lines, of = v, by = k, ties = ties, best = best)$rank
  }
  expect_identical(rank("min"), c(1L, 2L, 2L, 2L, 5L))
  expect_identical(rank("max"), c(1L, 4L, 4L, 4L, 5L))
  expect_identical(rank("average"), c(1, 3, 3, 3, 5))
  expect_identical(rank("dense"), c(1L, 2L, 2L, 2L, 3L))
  expect_identical(rank("first"), 1:5)
  lowest <- standings(lines, of = v, by = k, best = "lowest")
  expect_identical(lowest$k, c("e", "b", "c", "d", "a"))
  expect_identical(lowest$percentile, c(1, 0.25, 0.25, 0.25, 0))
})

test_that("the filter runs before the ranking", {
  data <- random_lines(seed = 4)
  filtered <- standings(data, of = amount, by = item, where = grp != "west" & units > 3)
  before <- standings(data[data$grp != "west" & data$units > 3, ], of = amount, by = item)
  expect_identical(columns_of(filtered, names(before)), columns_of(before, names(before)))
  expect_account(filtered)
})

test_that("the order of the rows changes no bit, and splitting a row changes nothing", {
  data <- random_lines(seed = 8)
  data$odd <- data$amount / 7
  x <- standings(data, of = amount, by = item)
  y <- standings(data, of = odd, by = item)
  for (seed in 1:5) {
    set.seed(seed)
    shuffled <- data[sample(nrow(data)), ]
    expect_identical(as.list(standings(shuffled, of = amount, by = item))[names(x)],
      as.list(x)[names(x)])
    expect_identical(as.list(standings(shuffled, of = odd, by = item))[names(y)],
      as.list(y)[names(y)])
  }
  split <- rbind(data, data[1:3, ])
  split$amount[1:3] <- data$amount[1:3] + 1.25
  split$amount[nrow(data) + 1:3] <- -1.25
  expect_identical(as.list(standings(split, of = amount, by = item))[names(x)],
    as.list(x)[names(x)])
})

test_that("shares add up to one, and the total is the sum of the items", {
  x <- standings(demo_orders(), of = sum(units), by = product, within = category)
  expect_equal(as.vector(tapply(x$share, x$category, sum)), rep(1, 6), tolerance = 1e-14)
  expect_identical(x$cum_share[cumsum(table(x$category))], rep(1, 6))
})

test_that("a total that is not above zero has no shares", {
  x <- standings(data.frame(k = c("a", "b"), v = c(1, -1)), of = v, by = k)
  expect_identical(x$share, c(NA_real_, NA_real_))
  expect_identical(x$running, c(1, 0))
})

test_that("a missing key is an item of its own, apart from the text (missing)", {
  lines <- data.frame(k = c(NA, "(missing)", "", "  ", "a"), v = c(1, 2, 4, 8, 16))
  x <- standings(lines, of = v, by = k)
  expect_identical(x$k, c("a", NA, "(missing)"))
  expect_identical(x$v, c(16, 13, 2))
})

test_that("a text in several encodings is one key", {
  utf8 <- "caf\u00e9"
  latin1 <- iconv(utf8, "UTF-8", "latin1")
  lines <- data.frame(k = c(utf8, latin1, "b"), v = c(1, 2, 4))
  x <- standings(lines, of = v, by = k)
  expect_identical(x$v, c(4, 3))
  found <- standings(lines, of = v, by = k, where = k == !!latin1)
  expect_identical(found$v, 3)
})

test_that("keys may be text, factors, numbers, dates or truth values", {
  lines <- data.frame(v = c(5, 1, 3, 1))
  lines$text <- c("007", "7", "7", "007")
  lines$factor <- factor(c("z", "a", "z", NA), levels = c("z", "a", "unused"))
  lines$whole <- c(2L, 1L, 2L, NA)
  lines$real <- c(2, 1, -0, 0)
  lines$day <- as.Date("2026-03-01") + c(0, 1, 0, 1)
  lines$flag <- c(TRUE, FALSE, NA, TRUE)
  key <- function(by) as.list(standings(lines, of = v, by = !!as.name(by)))[[by]]
  expect_identical(key("text"), c("007", "7"))
  expect_identical(key("factor"), c("z", NA, "a")[c(1, 3, 2)])
  expect_identical(key("whole"), c(2L, 1L, NA))
  expect_identical(key("real"), c(2, 0, 1))
  expect_identical(key("day"), as.Date("2026-03-01") + 0:1)
  expect_identical(key("flag"), c(TRUE, NA, FALSE))
})

test_that("several columns name an item, and towns of one name stay apart", {
  orders <- plain_orders()
  x <- standings(orders, of = units, by = c(town, region))
  sums <- stats::aggregate(units ~ town + region, orders, sum)
  expect_equal(nrow(x), nrow(sums))
  expect_gt(nrow(x), length(unique(x$town)))
  at <- match(paste(x$town, x$region), paste(sums$town, sums$region))
  expect_identical(x$units, as.numeric(sums$units[at]))
})

test_that("items whose rows all lack the measure are no items", {
  lines <- data.frame(k = c("a", "b", "b"), v = c(NA, 1, NA))
  x <- standings(lines, of = v, by = k)
  expect_identical(x$k, "b")
  expect_identical(x$percentile, NA_real_)
  expect_account(x)
  expect_equal(receipt(x)$n[receipt(x)$fact == "items excluded"], 1)
})

test_that("nothing left is an empty table with its columns", {
  x <- standings(demo_orders(), of = net_sales, by = c(town, region), where = region == "Nowhere")
  expect_identical(names(x),
    c("rank", "town", "region", "net_sales", "share", "running", "cum_share", "percentile"))
  expect_equal(nrow(x), 0)
  expect_account(x)
  expect_equal(nrow(standings(data.frame(k = character(), v = numeric()), of = v, by = k)), 0)
})

test_that("a result that is changed by other means becomes a plain tibble", {
  x <- standings(demo_orders(), of = net_sales, by = region)
  changed <- list(x[1:2, ], x[, 2:3], rbind(x, x))
  y <- x
  y$share <- NULL
  changed <- c(changed, list(y))
  y <- x
  y[["more"]] <- 1
  changed <- c(changed, list(y))
  y <- x
  names(y)[2] <- "place"
  changed <- c(changed,
    list(y, dplyr::filter(x, rank < 3), dplyr::arrange(x, region), dplyr::mutate(x, two = 2),
    dplyr::select(x, region), dplyr::bind_rows(x, x), vctrs::vec_slice(x, 1:2)))
  for (z in changed) {
    expect_s3_class(z, "tbl_df")
    expect_false(inherits(z, "eggcrate_standings"))
    expect_null(attr(z, "eggcrate"))
  }
  expect_error(receipt(x[1:2, ]), class = "eggcrate_error_call")
})

test_that("errors name the part and what to do", {
  orders <- demo_orders()
  expect_snapshot_output(refusals(
    standings(orders, of = sum(net_sale), by = customer),
    standings(orders, of = sum(net_sales), by = customer, where = regoin == "Midmark"),
    standings(orders, of = net_sales),
    standings(orders, by = customer),
    standings(orders, of = customer, by = region),
    standings(orders, of = units, by = rank),
    standings(orders, of = c(share = sum(units)), by = region),
    standings(orders, of = units, by = region, ties = "mim"),
    standings(orders, of = units, by = region, 3),
    standings(3, of = units, by = region)
  ))
  ranked <- stats::setNames(orders, sub("product", "rank", names(orders)))
  expect_error(standings(ranked, of = units, by = rank), "position = rank",
    class = "eggcrate_error_name")
  expect_identical(names(standings(ranked, of = units, by = c(position = rank)))[2], "position")
})

test_that("a value that is not finite is an error with its row", {
  lines <- data.frame(k = "a", v = c(1, 2, Inf))
  e <- expect_error(standings(lines, of = v, by = k), class = "eggcrate_error_not_finite")
  expect_equal(e$row, 3)
  expect_match(conditionMessage(e), "`v`")
  expect_error(standings(data.frame(k = NaN, v = 1), of = v, by = k), "`k`",
    class = "eggcrate_error_not_finite")
})

test_that("head, tail and summary know what they are of", {
  x <- standings(demo_orders(), sum(net_sales), customer, within = region)
  expect_equal(as.data.frame(head(x, 4)), as.data.frame(x)[1:4, ])
  expect_equal(as.data.frame(tail(x, 2))$customer, as.data.frame(x)$customer[nrow(x) - 1:0])
  expect_equal(nrow(head(x, -3)), nrow(x) - 3)
  expect_match(format(head(in_order(x, -net_sales), 2)), "only the first 2 rows: 2 of 246", all = FALSE)
  expect_s3_class(chart_bars(head(x)), "ggplot")
  expect_equal(nrow(head(only(x, top(1), others = TRUE), 3)), 3)
  totals <- summary(x)
  expect_equal(totals$net_sales, as.vector(tapply(x$net_sales, x$region, sum)))
  expect_equal(totals$items, as.vector(table(x$region)))
  expect_equal(names(summary(heat_grid(demo_orders(), sum(net_sales), region, year(order_date))))[1:2], c("side", "name"))
})

test_that("a number that is shown beside '(several)' is written out, in all its digits", {
  orders <- data.frame(item = c("a", "b", "b", "c"), sold = c(3, 2, 1, 1), code = c(3e9, 1, 2, 123456.789), late = as.Date("2025-01-01") + c(0, 0, 1, NA))
  x <- standings(orders, of = sum(sold), by = item, show = c(code, late))
  expect_identical(x$code, c("3000000000", "(several)", "123456.789"))
  expect_identical(x$late, c("2025-01-01", "(several)", NA))
})

test_that("where nothing is left the condition, its periods and the dates of the data are named", {
  o <- demo_orders()
  x <- standings(o, of = sum(net_sales), by = customer, where = region == "Atlantis" & in_period(order_date, latest(month)))
  words <- "no row with a value matches `region == \"Atlantis\" & in_period(order_date, latest(month))`. `in_period(order_date, latest(month))` means 2026-05-01 to 2026-05-31. The data cover order_date 2023-10-02 to 2026-06-17."
  flat <- function(lines) gsub("\\s+", " ", paste(lines, collapse = " "))
  expect_match(flat(format(x)), words, fixed = TRUE)
  expect_match(flat(gsub("&quot;", "\"", gsub("&amp;", "&", as.character(html_table(x))))), words, fixed = TRUE)
  expect_match(flat(chart_bars(x)$labels$alt), words, fixed = TRUE)
  got <- run_here(c("standings", orders_path(), "--of", "sum(net_sales)", "--by", "customer", "--where", "region == \"Atlantis\"", "--format", "csv"))
  expect_identical(got$err[1], "eggcrate: Nothing is left: no row with a value matches `region == \"Atlantis\"`.")
  expect_match(format(standings(o[0, ], of = sum(net_sales), by = customer)), "Nothing is left: no row has a value.", fixed = TRUE, all = FALSE)
  for (empty in list(heat_grid(o, net_sales, region, across = year(order_date), where = units > 1e9), movement(o, net_sales, region, over = quarter(order_date), where = units > 1e9))) {
    expect_match(flat(format(empty)), "no row with a value matches `units > 1e+09`", fixed = TRUE)
  }
})

test_that("a column without values has the type that the question needs, whatever its class", {
  blanks <- list(NA, NA_real_, NA_integer_, NA_character_, factor(NA), as.Date(NA), as.POSIXct(NA))
  path <- withr::local_tempfile(fileext = ".csv")
  writeLines(c("k,v,x", "a,1,", "b,2,"), path)
  questions <- alist(standings(data, of = sum(x), by = k), standings(data, of = sum(v), by = k, where = x == "a"),
    standings(data, of = sum(v), by = k, where = is_missing(x) | x > 3), standings(data, of = sum(v), by = k, where = x < "2025-01-01"),
    standings(data, of = sum(v), by = month(x)), standings(data, of = sum(v), by = x, also = c(n = max(x))))
  for (question in questions) {
    asked <- function(data) as.data.frame(eval(question))
    in_file <- asked(read_sales(path))
    for (blank in blanks) expect_equal(asked(data.frame(k = c("a", "b"), v = 1:2, x = rep(blank, 2))), in_file, info = deparse(question))
  }
})
