page_of <- function(args) {
  path <- withr::local_tempfile(fileext = ".html", .local_envir = parent.frame())
  run <- run_here(c(args, "--out", path))
  expect_equal(run$status, 0, info = paste(args, collapse = " "))
  paste(readLines(path, encoding = "UTF-8"), collapse = "\n")
}
cells <- function(html) regmatches(html, gregexpr("(?<=>)[^<>]+(?=</td>)", html, perl = TRUE))[[1]]
ask <- function(command, ...) c(command, orders_path(), "--of", "net_sales", "--by", "customer", ...)

test_that("findings, reasons and a look through a file have pages", {
  found <- page_of(ask("findings", "--against", "margin = sum(profit) / sum(net_sales)"))
  expect_match(found, "<h1>Findings: net_sales by customer</h1>")
  expect_match(cells(found), "98 of 241 customers account for 80% of net sales", all = FALSE)
  reasons <- page_of(ask("why", "--item", "Varlow Boatyard"))
  expect_match(cells(reasons), "no. 4 of 241 customers", all = FALSE)
  groups <- page_of(c(ask("why", "--item", "Varlow Boatyard"), "--within", "category"))
  expect_match(groups, "aria-label=\"Rope\"")
  looked <- page_of(c("check", system.file("extdata", "orders-untidy.csv", package = "eggcrate")))
  expect_match(cells(looked), "cells trimmed", all = FALSE)
  expect_match(as.character(html_table(check_sales(data.frame(k = "a", v = 1)))), "Nothing odd was found")
  none <- findings(standings(data.frame(k = letters[1:3], v = 1), of = v, by = k))
  expect_match(as.character(html_table(none)), "Nothing stands out")
})

test_that("any table of an answer has a page and JSON of its own, and no other", {
  changes <- c("changes", orders_path(), "--of", "net_sales", "--by", "region", "--over", "quarter(order_date)")
  x <- compare_periods(orders_path(), of = net_sales, by = region, over = quarter(order_date))
  bridge <- page_of(c(changes, "--table", "bridge"))
  expect_match(bridge, "<caption class=\"hidden\">Bridge: Net sales rose")
  expect_identical(cells(bridge)[cells(bridge) %in% bridge_table(x)$step], bridge_table(x)$step)
  expect_no_match(bridge, "Ambermouth")
  receipt <- page_of(c(changes, "--table", "receipt"))
  expect_match(cells(receipt), "14,?490", all = FALSE)
  json <- jsonlite::fromJSON(run_here(c(changes, "--table", "bridge", "--format", "json"))$out)
  expect_identical(names(json), c("question", "bridge", "receipt"))
  expect_equal(json$bridge$end, bridge_table(x)$end)
  for (command in names(Filter(function(command) !is.null(command$tables), eggcrate:::grammar_commands))) {
    args <- scan(text = eggcrate:::grammar_commands[[command]]$example, what = "", quiet = TRUE)
    args <- replace(args, args == "orders.csv", orders_path())
    if ("--chart" %in% args) args <- args[-(match("--chart", args) + 0:1)]
    for (table in setdiff(eggcrate:::grammar_commands[[command]]$tables, c("items", "tiles"))) {
      expect_match(page_of(c(args, "--table", table)), "<td", info = paste(command, table))
    }
  }
  expect_error(html_table(x, table = "tiers"), "bridge", class = "eggcrate_error_unknown_value")
  tiles <- as.character(html_table(standings(demo_orders(), net_sales, region), table = "tiles", layout = demo_tiles()))
  expect_match(tiles, ">Saltmarsh<")
  expect_error(html_table(standings(demo_orders(), net_sales, region), table = "tiles"), "layout")
  expect_error(html_table(why(standings(demo_orders(), net_sales, region), "Midmark"), table = "totals"), "items",
    class = "eggcrate_error_unknown_value")
  thresholds <- as.character(html_table(standings(demo_orders(), net_sales, region), table = "thresholds", shares = "60%"))
  expect_match(thresholds, ">60%<")
})

test_that("a page has its language, one main part, one heading, and what scrolls can be reached by keys", {
  for (args in list(ask("standings", "--within", "region"), ask("grid", "--across", "month(order_date)"),
    ask("movement", "--over", "quarter(order_date)"))) {
    html <- page_of(args)
    count <- function(pattern) lengths(regmatches(html, gregexpr(pattern, html)))
    expect_match(html, "<html lang=\"en\">")
    expect_equal(count("<main>"), 1)
    expect_equal(count("<h1>"), 1)
    expect_equal(count("<style>"), 1)
    expect_equal(count("<table"), count("<caption"))
    expect_equal(count("<div class=\"wide\" role=\"region\" tabindex=\"0\" aria-label=\"[^\"]+\">"), count("<table"))
    expect_equal(count("<th[^>]*></th>"), 0)
    expect_no_match(html, "<th(?![^>]*scope)(?!ead)[ >]", perl = TRUE)
  }
})

test_that("a look through a file writes either of its tables", {
  untidy <- system.file("extdata", "orders-untidy.csv", package = "eggcrate")
  csv <- read.csv(text = run_here(c("check", untidy, "--table", "findings", "--format", "csv"))$out)
  expect_identical(csv$finding, check_sales(untidy)$findings$finding)
  clean <- write_text("k,v\na,1\nb,2\n")
  expect_identical(run_here(c("check", clean, "--table", "findings", "--format", "csv"))$out, "column,finding,n,example,row")
  expect_equal(run_here(c("check", untidy, "--table", "receipt"))$status, 2)
})
