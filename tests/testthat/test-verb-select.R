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

test_that("those of a selection have a line together, between them and all others", {
  orders <- demo_orders()
  x <- standings(orders, sum(net_sales), customer, also = c(margin = sum(profit) / sum(net_sales)))
  lines <- format(only(x, top(10)), width = 100)
  theirs <- orders[orders$customer %in% x$customer[1:10], c("net_sales", "profit")]
  both <- colSums(theirs[stats::complete.cases(theirs), ])
  sums <- sum(theirs$net_sales, na.rm = TRUE)
  expect_match(lines, sprintf("^ +top 10 \\(10\\) +%s +%.1f%% +%.1f%%$",
    format(round(sums, 2), big.mark = ",", nsmall = 2), 100 * sums / sum(x$net_sales),
    100 * both[["profit"]] / both[["net_sales"]]), all = FALSE)
  at <- vapply(c("top 10", "all others", "total"), function(word) grep(word, lines[-(1:2)])[1], 0L)
  expect_false(is.unsorted(at))
  name <- function(...) grep("^ .*\\([0-9]+\\)", format(...), value = TRUE)[1]
  expect_match(name(only(x, customer == "Varlow Boatyard" | top(2))), "selected (3)", fixed = TRUE)
  expect_match(name(only(x, "top(5%)")), "top 5% (13)", fixed = TRUE)
  # One item needs no sum, all items have the total, and what is not shown is not summed up.
  expect_match(name(only(x, top(1))), "all others (240)", fixed = TRUE)
  expect_match(name(only(x, top("100%"))), "total (241)", fixed = TRUE)
  expect_match(name(only(x, top(20)), n = 5), "all others (236)", fixed = TRUE)
  groups <- format(only(standings(orders, sum(net_sales), customer, within = region), top(2)))
  expect_equal(sum(grepl("top 2 (2)", groups, fixed = TRUE)), 8)
  html <- as.character(html_table(only(x, top(10))))
  expect_match(html, "<tr class=\"together\">.{1,200}top 10 \\(10\\)")
})

test_that("a selection that leaves nothing says why", {
  x <- standings(demo_orders(), sum(net_sales), customer)
  said <- function(x) paste(format(x, width = 200), collapse = " ")
  expect_match(said(only(only(x, bottom(3)), top(5))),
    "only bottom(3), then top(5): 0 of 241 customers, 0.0% of net sales Nothing is left: top(5) counts among all 241 customers",
    fixed = TRUE)
  expect_match(said(only(x, bottom(3) & top(5))), "Nothing is left: it means none of the 241 customers", fixed = TRUE)
  expect_false(grepl("Nothing is left", said(only(only(x, top(5)), top(3)))))
})

test_that("tiers are counted of all items, whatever `only()` has left", {
  x <- standings(demo_orders(), sum(net_sales), customer, within = region, show = town)
  y <- assign_tiers(x, tiers_by_rank(c(A = 3), rest = "B"))
  expect_equal(tier_table(only(y, top(2)), by = region), tier_table(y, by = region))
  expect_equal(tier_table(only(y, top(2))), tier_table(y))
  expect_error(tier_table(only(y, top(2)), by = town), "before `only()`", fixed = TRUE,
    class = "eggcrate_error_call")
})

test_that("distinct counts beside the items say both readings of their total", {
  orders <- demo_orders()
  x <- standings(orders, sum(net_sales), product, also = c(orders = distinct(order_no), buyers = distinct(customer)))
  used <- orders # also those without an amount
  expect_equal(x$orders[1], length(unique(used$order_no[used$product == x$product[1]])))
  for (name in c("orders", "buyers")) {
    column <- used[[c(orders = "order_no", buyers = "customer")[[name]]]]
    expect_match(format(x), sprintf("%s: %s different ones in all", name,
      format(length(unique(column[!is.na(column)])), big.mark = ",")), all = FALSE)
  }
})

test_that("several selections mark by name, and the first of them holds", {
  x <- standings(demo_orders(), sum(net_sales), customer)
  m <- highlight(x, best = top(3), few = reaching("20%"), worst = bottom(3))
  n <- sum(x$cum_share - x$share < 0.2 - 1e-12) # those down to the one that crosses it
  worst <- rank(x$net_sales, ties.method = "max") <= 3
  expect_equal(as.character(m$highlighted), ifelse(seq_len(nrow(x)) <= 3, "best",
    ifelse(seq_len(nrow(x)) <= n, "few", ifelse(worst, "worst", NA))))
  expect_equal(as.data.frame(highlight(highlight(x, best = top(3)), few = reaching("20%"), worst = bottom(3))),
    as.data.frame(m))
  expect_equal(only(m, highlighted == "worst")$customer, x$customer[worst])
  lines <- format(m, width = 120)
  expect_match(lines, sprintf("few, reaching\\(\"20%%\"\\): %d of 241 customers.* 3 of them have an earlier mark", n),
    all = FALSE)
  for (name in x$customer[worst]) expect_match(lines, paste0("^o +.*", name), all = FALSE)
  # One without a name stays true and false.
  expect_equal(highlight(x, top(3))$highlighted, seq_len(nrow(x)) <= 3)
  expect_equal(levels(highlight(highlight(x, top(3)), bottom(3))$highlighted), c("top(3)", "bottom(3)"))
  wrong <- list(quote(highlight(x, top(1), top(2))), quote(highlight(x, a = top(1), a = top(2))),
    quote(highlight(x, a = top(1), b = top(2), c = top(3), d = top(4), e = top(5))), quote(highlight(x)))
  for (call in wrong) expect_error(eval(call), class = "eggcrate_error_call")
})

test_that("marked items are printed, drawn and written wherever they stand", {
  x <- standings(demo_orders(), sum(net_sales), customer)
  m <- highlight(x, best = top(2), worst = bottom(1))
  last <- x$customer[nrow(x)]
  bars <- chart_bars(m)$data
  expect_equal(nrow(bars), 20)
  expect_match(bars$label, last, all = FALSE)
  expect_equal(as.vector(table(bars$mark)), c(17L, 2L, 1L))
  built <- ggplot2::ggplot_build(chart_bars(m))
  expect_setequal(built$data[[1]]$fill, c("#DD9F17", "#A8452C", "#D8CFC0"))
  points <- Filter(function(layer) "shape" %in% names(layer) && any(layer$shape == 21),
    ggplot2::ggplot_build(chart_pareto(m))$data)
  expect_equal(points[[1]]$y, x$cum_share[nrow(x)])
  expect_match(as.character(html_table(m)), paste0("mark2[^\n]*", last))
  # Of very many, the first of each mark.
  many <- format(highlight(x, first = top(60), last = bottom(60)), n = 5)
  expect_equal(sum(grepl("^[*+] +[0-9]", many)), 10)
  grouped <- standings(demo_orders(), sum(net_sales), customer, within = region)
  expect_equal(as.vector(table(chart_bars(highlight(grouped, a = top(1), b = bottom(1)))$data$mark)), c(24L, 8L, 8L))
  got <- run_here(c("standings", orders_path(), "--of", "net_sales", "--by", "customer", "--highlight",
    "best = top(2)", "--highlight", "worst=bottom(1)", "--format", "json"))
  json <- jsonlite::fromJSON(paste(got$out, collapse = "\n"))
  expect_equal(json$items$highlighted, as.character(m$highlighted))
  expect_equal(unlist(json$question$highlight %||% json$highlight), c("best = top(2)", "worst = bottom(1)"))
})

test_that("a mark whose items are not among those kept says so", {
  x <- standings(demo_orders(), sum(net_sales), customer)
  told <- function(y) gsub(" +", " ", paste(format(y, width = 200), collapse = " "))
  before <- told(only(highlight(x, best = top(2), worst = bottom(1)), top(10)))
  expect_match(before, "worst, bottom\\(1\\): 1 of 241 customers[^.]*[.][0-9]% of net sales[.] 1 of them is not shown[.]")
  expect_no_match(before, "best, top\\(2\\):[^:]*not shown")
  expect_match(told(highlight(only(x, top(10)), best = top(2), worst = bottom(1))), "worst, bottom\\(1\\): none of the selected items[.]")
  changes <- highlight(only(compare_periods(demo_orders(), net_sales, customer, over = year(order_date)), top(5)), best = top(2), worst = bottom(1))
  expect_match(gsub("\\s+", " ", chart_changes(changes)$labels$subtitle), "worst \\(not shown\\)")
})

test_that("the first and the last of the items that are kept can be marked", {
  x <- standings(demo_orders(), of = sum(net_sales), by = customer, within = region)
  kept <- only(x, top(5))
  marked <- as.data.frame(highlight(kept, last = last_shown(1), first = first_shown(2)))
  plain <- as.data.frame(kept)
  for (region in unique(plain$region)) expect_identical(as.character(marked$highlighted[marked$region == region]), c("first", "first", NA, NA, "last"))
  # On the command line a selection is made after the marks, but for these.
  run <- run_here(c("standings", orders_path(), "--of", "sum(net_sales)", "--by", "customer", "--only", "top(4)", "--highlight", "end = last_shown(1), best = top(1)",
    "--format", "csv"))
  csv <- read.csv(text = run$out)
  expect_identical(csv$highlighted, c("best", "", "", "end"))
  # Without a selection they are those of all.
  whole <- as.data.frame(highlight(standings(demo_orders(), of = sum(net_sales), by = region), last_shown("25%")))
  expect_identical(which(whole$highlighted), 7:8)
  expect_error(highlight(kept, last_shown()), class = "eggcrate_error_expression")
})

test_that("names in a selection are texts, all of them", {
  x <- standings(data.frame(k = c("a", "b", "c"), v = 1:3), of = sum(v), by = k)
  expect_identical(only(x, c("a", "b"))$k, c("b", "a"))
  expect_error(only(x, c("a", 2)), "not part of the language", class = "eggcrate_error_unknown_function")
})
