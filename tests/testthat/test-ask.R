# What once went wrong, each by itself: every test here failed before.

lines_with_returns <- function() {
  data.frame(k = c("a", "b", "c", "d", "e"), g = c("n", "n", "n", "s", "s"),
    v = c(60, 25, 15, 10, -43.2))
}

test_that("a factor with codes outside its levels and columns of unequal length are refused", {
  broken <- structure(c(1L, 9L, 2L), levels = c("a", "b"), class = "factor")
  data <- list(k = broken, v = c(1, 2, 3))
  attributes(data) <- list(names = c("k", "v"), class = "data.frame", row.names = 1:3)
  expect_error(standings(data, of = v, by = k), "outside its levels")
  short <- list(k = c("a", "b", "c"), v = c(1, 2))
  attributes(short) <- list(names = c("k", "v"), class = "data.frame", row.names = 1:3)
  expect_error(standings(short, of = v, by = k), "another length")
  # Missing codes and unused levels are no fault.
  fine <- factor(c("b", NA, "b"), c("a", "b", "c"))
  expect_equal(standings(data.frame(k = fine, v = 1:3), of = v, by = k)$v, c(4, 2))
})

test_that("all that is cut on shares goes by the base that the shares show", {
  x <- standings(lines_with_returns(), of = v, by = k, share_base = "positive")
  expect_equal(x$share, c(60, 25, 15, 10, NA) / 110)
  expect_equal(only(x, reaching("75%"))$k, c("a", "b"))
  p <- pareto(lines_with_returns(), of = v, by = k, share_base = "positive", reach = "75%")
  expect_identical(p$reached, c(TRUE, TRUE, FALSE, FALSE, FALSE))
  table <- threshold_table(x, shares = "75%", first = 3)
  expect_equal(table$items, c(2L, 3L))
  expect_equal(table$share, c(85, 100) / 110)
  tiers <- assign_tiers(x, tiers_by_share(c(A = "75%"), rest = "B"))
  expect_equal(as.character(tiers$tier), c("A", "A", "B", "B", "B"))
  expect_equal(tier_table(tiers)$share, c(85, 25) / 110)
  expect_equal(concentration(x)$n_80, 3L) # 100 / 110 is the first at 88 or more
  expect_equal(extremes(x)$share, c(60 / 110, NA))
  all <- standings(lines_with_returns(), of = v, by = k, within = g, share_of = "all")
  whole <- sum(lines_with_returns()$v)
  expect_equal(all$share, lines_with_returns()$v[c(1, 2, 3, 4, 5)] / whole)
  first <- only(all, reaching("80%"))
  expect_equal(first$k, c("a", "d", "e")) # 60 of 66.8 in the one group, no part in the other
  expect_equal(first$cum_share, all$cum_share[c(1, 4, 5)])
})

test_that("an item of exactly nothing has a share of 0 on the positive base", {
  x <- standings(data.frame(k = c("a", "b", "c"), v = c(5, 0, -1)), of = v, by = k,
    share_base = "positive")
  expect_identical(x$share, c(1, 0, NA))
})

test_that("tiles and reasons show the shares of the standings", {
  data <- data.frame(region = c("Northfirth", "Saltmarsh", "Skerry Isles"), v = c(100, 50, -43.2))
  x <- standings(data, of = v, by = region, share_base = "positive")
  layout <- data.frame(region = data$region, row = 1:3, column = 1)
  tiles <- tile_table(x, layout)
  expect_equal(tiles$share, x$share[match(tiles$region, x$region)])
  reasons <- why(x, "Skerry Isles")
  expect_true(is.na(reasons$value[reasons$step == "share"]))
  expect_match(reasons$text[reasons$step == "share"], "no share")
})

test_that("a Pareto chart goes by rank whatever order the table stands in", {
  margin <- quote(c(margin = sum(profit) / sum(net_sales)))
  q <- quadrants(demo_orders(), of = sum(net_sales), against = !!margin, by = customer)
  chart <- chart_pareto(q)
  plain <- chart_pareto(pareto(demo_orders(), of = sum(net_sales), by = customer))
  expect_equal(chart$data[c("label", "cum_share", "reached")],
    plain$data[c("label", "cum_share", "reached")])
  cut <- only(q, top(5))
  expect_error(chart_pareto(cut), "needs all items", class = "eggcrate_error_unknown_value")
  t <- against_target(demo_orders(), of = sum(net_sales), by = region, target = 500000)
  expect_equal(chart_pareto(t)$data$value, sort(t$net_sales, decreasing = TRUE))
})

test_that("standard input is read once, whatever is asked of it", {
  ask <- function(...) {
    run_process(c(..., "--of", "sum(net_sales)", "--by"), input = orders_path())
  }
  grid <- run_process(c("grid", "-", "--of", "sum(net_sales)", "--by", "region", "--across",
    "year(order_date)", "--format", "csv"), input = orders_path())
  expect_equal(grid$status, 0)
  expect_equal(utils::read.csv(text = grid$out)$net_sales,
    heat_grid(orders_path(), of = sum(net_sales), by = region, across = year(order_date))$net_sales)
  found <- run_process(c("findings", "-", "--of", "sum(net_sales)", "--by", "customer", "--over",
    "quarter(order_date)", "--format", "csv"), input = orders_path())
  expect_equal(found$status, 0)
  firm <- run_process(c("intervals", "-", "--of", "sum(net_sales)", "--by", "region", "--orders",
    "order_no", "--times", "20", "--format", "csv"), input = orders_path())
  expect_equal(firm$status, 0)
  earlier <- run_process(c("concentration", "-", "--of", "sum(net_sales)", "--by", "customer",
    "--compare-with", "year(order_date) == \"2024\"", "--format", "csv"), input = orders_path())
  expect_equal(earlier$status, 0)
})

test_that("a question and what follows from it read their file once", {
  file <- withr::local_tempfile(fileext = ".csv")
  file.copy(orders_path(), file)
  scans <- 0
  withr::local_options(eggcrate.progress = NULL)
  trace <- function(path) scans <<- scans + 1
  suppressMessages(base::trace("scan_delimited_", where = asNamespace("eggcrate"), print = FALSE,
    tracer = bquote(.(trace)(path))))
  withr::defer(suppressMessages(untrace("scan_delimited_", where = asNamespace("eggcrate"))))
  x <- standings(file, of = sum(net_sales), by = customer)
  drill(x, top(1), by = product)
  findings(x, over = quarter(order_date), against = c(margin = sum(profit) / sum(net_sales)))
  rank_intervals(x, orders = order_no, times = 20)
  heat_grid(file, of = distinct(order_no), by = region, across = year(order_date))
  expect_equal(scans, 2)
})

test_that("a target's name is a column wherever there is one, for a file as for a data frame", {
  data <- data.frame(item = c("a", "b"), goal = c(10, 20), sold = c(12, 15))
  goal <- data.frame(item = c("a", "b"), target = c(1, 1))
  file <- withr::local_tempfile(fileext = ".csv")
  utils::write.csv(data, file, row.names = FALSE)
  from_frame <- against_target(data, of = sum(sold), by = item, target = goal)
  from_file <- against_target(file, of = sum(sold), by = item, target = goal)
  expect_equal(from_frame$target, c(20, 10)[match(from_frame$item, c("b", "a"))])
  expect_equal(columns_of(from_file, names(from_file)), columns_of(from_frame, names(from_frame)))
  other <- goal
  expect_equal(against_target(data, of = sum(sold), by = item, target = other)$target, c(1, 1))
})

test_that("what the language could mean is never run as code of R", {
  data <- data.frame(item = c("a", "b"), budget = c(10, 20), sold = c(12, 15))
  budget <- structure(5, class = "trap")
  trap <- withr::local_tempfile()
  Ops.trap <- function(e1, e2) file.create(trap)
  expect_error(against_target(data, of = sum(sold), by = item, target = budget * 2),
    "budget \\* 2", class = "eggcrate_error_unknown_value")
  expect_false(file.exists(trap))
})

test_that("as plain tables results carry no receipt", {
  x <- standings(demo_orders(), of = sum(net_sales), by = region)
  for (plain in list(as.data.frame(x), tibble::as_tibble(x))) {
    expect_null(attr(plain, "eggcrate"))
    expect_false(inherits(plain, "eggcrate_answer"))
    expect_error(receipt(plain), class = "eggcrate_error_unknown_value")
  }
  sales <- read_sales(orders_path())
  expect_null(attr(as.data.frame(sales), "reading"))
})

test_that("exact values survive every way of saving", {
  x <- pareto(demo_orders(), of = sum(net_sales), by = customer)
  for (ascii in c(TRUE, FALSE)) {
    path <- withr::local_tempfile()
    saveRDS(x, path, ascii = ascii)
    back <- readRDS(path)
    expect_identical(answer_of(back)$ranked$share, answer_of(x)$ranked$share)
    expect_identical(threshold_table(back), threshold_table(x))
    expect_identical(format(back), format(x))
  }
  text <- withr::local_tempfile()
  dput(attr(x, "eggcrate")$ranked$share, text)
  expect_identical(dget(text), attr(x, "eggcrate")$ranked$share)
})

test_that("no answer that is handed out holds a number that saving as text would change", {
  held <- function(x) is.complex(x) || is.list(x) && any(vapply(x, held, NA))
  orders <- demo_orders()
  x <- standings(orders, of = sum(net_sales), by = customer)
  scheme <- tiers_by_share(c(A = "80%"), rest = "B")
  handed <- list(x, pareto(orders, of = sum(net_sales), by = customer),
    compare_periods(orders, of = sum(net_sales), by = customer, over = quarter(order_date)),
    heat_grid(orders, of = sum(net_sales), by = region, across = quarter(order_date)),
    movement(orders, of = sum(net_sales), by = region, over = quarter(order_date)),
    quadrants(orders, of = sum(net_sales), against = sum(profit), by = region),
    against_target(orders, of = sum(net_sales), by = region, target = 1e5),
    only(x, top(3)), only(x, top(3), others = TRUE), highlight(x, top(3)),
    assign_tiers(x, scheme), concentration(x), drill(x, top(1), by = product),
    extremes(standings(orders, of = sum(net_sales), by = region, over = quarter(order_date))),
    rank_intervals(x, orders = order_no, times = 20), findings(x, over = quarter(order_date)))
  for (answer in handed) {
    expect_s3_class(answer, "eggcrate_answer")
    expect_true(held(answer_of(answer)$ranked))
    expect_false(held(attr(answer, "eggcrate")))
  }
})

test_that("an interrupt in the kernel ends as an interrupt", {
  script <- withr::local_tempfile(fileext = ".R")
  writeLines(c(
    "library(eggcrate)",
    "d <- data.frame(k = rep_len(as.character(1:2e5), 2e7), v = 1)",
    "cat('ready\\n')",
    "end <- tryCatch({ repeat standings(d, of = v, by = k); 'never' },",
    "  interrupt = function(e) 'interrupt', error = function(e) conditionMessage(e))",
    "cat('ended by', end, '\\n')"), script)
  log <- withr::local_tempfile()
  libs <- paste(.libPaths(), collapse = .Platform$path.sep)
  pid <- system2("sh", c("-c", shQuote(sprintf(
    "R_LIBS=%s Rscript --vanilla %s > %s 2>&1 & echo $!", shQuote(libs), script, log))),
    stdout = TRUE)
  withr::defer(tools::pskill(as.integer(pid), tools::SIGKILL))
  said <- function(what, seconds) {
    until <- Sys.time() + seconds
    while (!any(grepl(what, lines <- readLines(log, warn = FALSE))) && Sys.time() < until) {
      Sys.sleep(0.05)
    }
    lines
  }
  expect_match(said("ready", 60), "ready")
  Sys.sleep(0.7)
  tools::pskill(as.integer(pid), tools::SIGINT)
  expect_match(said("ended by", 30), "^ended by interrupt", all = FALSE)
})

test_that("a column that took another's name has no stale verdict", {
  file <- withr::local_tempfile(fileext = ".csv")
  writeLines(c("item,amount,units", "a,1,10", "b,few,20", "c,3,30"), file)
  sales <- read_sales(file)
  expect_error(standings(sales, of = sum(amount), by = item), "few", class = "eggcrate_error_value")
  swapped <- sales
  data.table::setattr(swapped, "names", c("item", "units", "amount"))
  expect_equal(standings(swapped, of = sum(amount), by = item)$amount, c(30, 20, 10))
  renamed <- sales
  names(renamed) <- c("item", "units", "amount")
  expect_equal(standings(renamed, of = sum(amount), by = item)$amount, c(30, 20, 10))
})

test_that("reading a file leaves the caller's threads as they were", {
  before <- data.table::getDTthreads()
  withr::defer(data.table::setDTthreads(before))
  data.table::setDTthreads(1)
  standings(orders_path(), of = sum(net_sales), by = region)
  expect_equal(data.table::getDTthreads(), 1)
})

test_that("a value put in with !! comes through a function of the caller's own", {
  limit <- 100
  mine <- function(...) standings(demo_orders(), ...)
  direct <- standings(demo_orders(), of = sum(net_sales), by = customer, where = net_sales > 100)
  expect_identical(
    columns_of(mine(of = sum(net_sales), by = customer, where = net_sales > !!limit),
      names(direct)),
    columns_of(direct, names(direct)))
  ranked <- function(data, by) standings(data, of = sum(net_sales), by = {{ by }})
  expect_equal(ranked(demo_orders(), region)$region,
    standings(demo_orders(), of = sum(net_sales), by = region)$region)
})

test_that("what follows from a drill keeps every condition that it started from", {
  x <- standings(demo_orders(), of = sum(net_sales), by = region, where = category != "Rope")
  town <- drill(x, "Saltmarsh", by = town)
  one <- town$town[1]
  below <- drill(town, items(!!one), by = customer)
  direct <- standings(demo_orders(), of = sum(net_sales), by = customer,
    where = category != "Rope" & region == "Saltmarsh" & town == !!one)
  expect_equal(columns_of(below, names(direct)), columns_of(direct, names(direct)))
  expect_match(eggcrate:::plan_text(answer_of(below)$plan), "Rope.*Saltmarsh.*items")
  firm <- rank_intervals(town, orders = order_no, times = 50)
  expect_identical(firm$rank_low[1] <= 1, TRUE)
  expect_equal(firm$value_low + firm$value_high, 2 * firm$net_sales)
  total <- sum(town$net_sales)
  few <- findings(town)
  expect_false(any(few$value > nrow(town)))
  far <- findings(town, over = quarter(order_date))
  rows <- sum(plain_orders()$category != "Rope" & plain_orders()$region == "Saltmarsh" &
    !is.na(plain_orders()$net_sales), na.rm = TRUE)
  expect_equal(receipt(far)$n[receipt(far)$step == "used"], rows)
})

test_that("tiers of targets are printed and tabulated", {
  t <- against_target(demo_orders(), of = sum(net_sales), by = region, target = 500000)
  x <- assign_tiers(t, tiers_by_rank(c(A = 2), rest = "B"))
  lines <- format(x)
  expect_match(lines, "\\btier\\b", all = FALSE)
  expect_match(lines, "Ambermouth.* A( |$)", all = FALSE)
  expect_equal(tier_table(x)$items, c(2L, 6L))
})

test_that("a value of the caller is put in by `!!` and by braces in every argument and scheme", {
  g <- 0.5
  n <- 3
  for (scheme in list(quote(tiers_by_share(c(A = !!g))), quote(tiers_by_rank(c(A = !!n))), quote(tiers_by_value(c(A = !!n))),
    quote(tiers_by_percentile(c(A = !!g, B = 0.5))), quote(tiers_equal(!!n)))) {
    plain <- eval(do.call(substitute, list(scheme, list(g = g, n = n))) |> deparse() |> gsub(pattern = "!!", replacement = "") |> str2lang())
    expect_identical(eval(scheme), plain, info = deparse(scheme))
  }
  embraced <- function(part) tiers_by_share(c(A = {{ part }}))
  expect_identical(embraced(0.5), tiers_by_share(c(A = 0.5)))
  o <- demo_orders()
  expect_identical(heat_grid(o, net_sales, region, across = year(order_date), shade = "value", floor = !!n)$shade,
    heat_grid(o, net_sales, region, across = year(order_date), shade = "value", floor = n)$shade)
  expect_identical(pareto(o, net_sales, region, reach = !!g)$region, pareto(o, net_sales, region, reach = 0.5)$region)
  best <- "lowest"
  expect_identical(standings(o, net_sales, region, best = !!best)$region, standings(o, net_sales, region, best = "lowest")$region)
})
