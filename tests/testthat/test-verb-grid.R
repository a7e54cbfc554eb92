test_that("a grid that cannot be is refused", {
  o <- demo_orders()
  expect_snapshot(refusals(
    heat_grid(o, of = sum(net_sales), by = region),
    heat_grid(o, of = sum(net_sales), by = region, across = month(order_date), shade = "heat"),
    heat_grid(o, of = sum(net_sales), by = region, across = category, along = "diagonals"),
    heat_grid(o, of = sum(net_sales), by = region, across = category, floor = 3),
    heat_grid(o, of = sum(net_sales), by = region, across = category, shade = "value", floor = 9,
      target = 5),
    heat_grid(o, of = sum(net_sales), by = region, across = category, shade = "value", centre = 9,
      target = 5),
    heat_grid(o, of = sum(net_sales), by = region, across = region),
    heat_grid(o, of = sum(net_sales), by = region, across = category, shade = "value",
      floor = "low"),
    heat_grid(o, of = sum(net_sales), by = c(shade = region), across = category)
  ))
})

test_that("the printed grid has figures on their shades, totals without, or shades alone", {
  o <- demo_orders()
  x <- heat_grid(o, of = sum(net_sales), by = region, across = quarter(order_date), along = "rows")
  expect_snapshot({
    print(x, figures = TRUE, width = 90)
    print(x, figures = FALSE, n = 4, width = 90)
    print(heat_grid(o, of = sum(net_sales), by = c(town, region), across = category,
      where = region == "Midmark"), n = 3, width = 100)
  })
  none <- heat_grid(o, of = sum(net_sales), by = region, across = month(order_date),
    where = units > 1e9)
  expect_equal(nrow(none), 0)
  expect_match(format(none), "Nothing is left", all = FALSE)
})

test_that("in colours the letters can be read on their shade", {
  withr::local_options(cli.num_colors = 256L)
  withr::local_envvar(NO_COLOR = "")
  x <- heat_grid(demo_orders(), of = sum(net_sales), by = region, across = category)
  expect_match(format(x, width = 200), "\033[48;5;", fixed = TRUE, all = FALSE)
})

by_quarter <- function(...) {
  heat_grid(demo_orders(), of = net_sales, by = region, across = quarter(order_date),
    where = in_period(order_date, last(4, quarter)), ...)
}

test_that("cells in tiers are those of the same standings, whichever others they are compared with", {
  tier_by_hand <- function(value, group) {
    place <- stats::ave(-value, group, FUN = function(x) rank(x, ties.method = "min"))
    size <- stats::ave(value, group, FUN = length)
    last <- function(tier) tier * (size %/% 3) + pmin(tier, size %% 3) # the first get one more
    as.character(1 + (place > last(1)) + (place > last(2)))
  }
  for (along in c("all", "rows", "columns")) {
    x <- by_quarter(along = along, scheme = tiers_equal(3))
    group <- switch(along, all = rep(1, nrow(x)), rows = x$region, columns = x$quarter)
    expect_identical(as.character(x$tier), tier_by_hand(x$net_sales, group), info = along)
    expect_false("shade" %in% names(x))
  }
  turned <- heat_grid(demo_orders(), of = net_sales, by = quarter(order_date), across = region, along = "rows",
    where = in_period(order_date, last(4, quarter)), scheme = tiers_equal(3))
  straight <- by_quarter(along = "columns", scheme = tiers_equal(3))
  key <- function(x) paste(x$region, x$quarter)
  expect_identical(turned$tier[match(key(straight), key(turned))], straight$tier)
  expect_match(format(by_quarter(scheme = tiers_equal(3))), "130.7 1", all = FALSE)
  expect_match(format(by_quarter(scheme = tiers_equal(3))), "3 equal tiers, among all cells", all = FALSE)
  html <- as.character(html_table(by_quarter(scheme = tiers_equal(3))))
  expect_match(html, "tier 3")
  expect_error(by_quarter(scheme = tiers_equal(3), shade = "value", floor = 1), "excludes tiers")
  rate <- function(along) heat_grid(demo_orders(), of = per_day(sum(net_sales)), by = region,
    across = quarter(order_date), along = along, scheme = tiers_equal(2))
  expect_error(rate("all"), "along the periods", class = "eggcrate_error_unknown_value")
  expect_identical(levels(rate("columns")$tier), c("1", "2"))
})

# A grouped data frame, made by hand.
grouped_by_region <- function(data) {
  groups <- tibble::tibble(region = sort(unique(data$region)))
  groups$.rows <- lapply(groups$region, function(region) which(data$region == region))
  structure(tibble::as_tibble(data), groups = groups, class = c("grouped_df", "tbl_df", "tbl", "data.frame"))
}

test_that("groups of rows stand together, and cells are compared within them", {
  ask <- function(...) heat_grid(demo_orders(), of = net_sales, by = customer, across = quarter(order_date),
    where = in_period(order_date, last(4, quarter)), ...)
  x <- ask(within = region)
  expect_false(is.unsorted(x$region))
  for (place in c("Saltmarsh", "Midmark")) {
    alone <- heat_grid(demo_orders(), of = net_sales, by = customer, across = quarter(order_date),
      where = in_period(order_date, last(4, quarter)) & region == !!place)
    here <- x[x$region == place, ]
    expect_equal(lapply(here[c("customer", "quarter", "net_sales", "shade")], identity),
      lapply(alone[c("customer", "quarter", "net_sales", "shade")], identity))
  }
  ranked <- ask(within = region, along = "columns", scheme = tiers_equal(2))
  alone <- heat_grid(demo_orders(), of = net_sales, by = customer, across = quarter(order_date), along = "columns",
    where = in_period(order_date, last(4, quarter)) & region == "Midmark", scheme = tiers_equal(2))
  expect_identical(ranked$tier[ranked$region == "Midmark"], alone$tier)
  lines <- format(x, n = 1)
  expect_identical(lines[which(lines == "Saltmarsh") + 1][1], grep("^Ivarsk Marina", lines, value = TRUE))
  grouped <- grouped_by_region(demo_orders())
  expect_equal(nrow(heat_grid(grouped, of = net_sales, by = customer, across = quarter(order_date),
    where = in_period(order_date, last(4, quarter)))), nrow(x))
  expect_error(ask(within = region, along = "diagonal"), "along")
  expect_error(heat_grid(demo_orders(), net_sales, month_of_year(order_date), across = category, within = region),
    "needs items as rows", class = "eggcrate_error_unknown_value")
  run <- run_here(c("grid", orders_path(), "--of", "net_sales", "--by", "customer", "--across",
    "quarter(order_date)", "--within", "region", "--where", "in_period(order_date, last(4, quarter))",
    "--format", "csv"))
  expect_identical(read.csv(text = run$out, na.strings = "")$customer, x$customer)
})

test_that("rows are kept and marked by the value of the whole row, and the rest stays as it is", {
  x <- by_quarter()
  whole <- stats::aggregate(net_sales ~ region, x, sum)
  best <- whole$region[order(-whole$net_sales)]
  kept <- only(x, top(3))
  expect_identical(unique(kept$region), best[1:3])
  expect_identical(kept$shade, x$shade[x$region %in% best[1:3]])
  expect_identical(grep("^total", format(kept), value = TRUE), sub("  ", " ", grep("^total", format(x), value = TRUE)))
  expect_match(format(kept), "only top(3): 3 of 8 regions", fixed = TRUE, all = FALSE)
  expect_identical(unique(only(x, "Midmark")$region), "Midmark")
  expect_identical(unique(only(only(x, top(4)), bottom(7))$region), best[2:4])
  expect_identical(unique(only(x, region %in% c("Midmark", "Saltmarsh") & net_sales > 1e5)$region), "Midmark")
  marked <- highlight(x, best = top(1), worst = bottom(2))
  expect_identical(as.character(unique(marked$region[marked$highlighted %in% "worst"])), best[7:8])
  expect_match(format(marked), "worst, bottom(2): 2 of 8 regions", fixed = TRUE, all = FALSE)
  expect_match(as.character(html_table(marked)), "class=\"marked\"")
  many <- heat_grid(demo_orders(), of = net_sales, by = customer, across = year(order_date))
  expect_match(format(highlight(many, "Wyrick Slipway")), "Wyrick Slipway", all = FALSE)
  months <- heat_grid(demo_orders(), of = net_sales, by = month_of_year(order_date), across = year(order_date))
  sums <- tapply(demo_orders()$net_sales, format(demo_orders()$order_date, "%m"), sum, na.rm = TRUE)
  expect_identical(substr(unique(only(months, top(3))$month_of_year), 1, 2), sort(names(sort(-sums))[1:3]))
  expect_match(format(only(x, below(1))), "no row is selected", all = FALSE)
  expect_error(only(x, "Nowhere"), class = "eggcrate_error_unknown_item")
  expect_error(only(x, top(2), others = TRUE), "row of standings")
  expect_error(only(heat_grid(demo_orders(), per_day(sum(net_sales)), region, across = quarter(order_date)), top(2)),
    "rates per day")
  run <- run_here(c("grid", orders_path(), "--of", "net_sales", "--by", "region", "--across",
    "quarter(order_date)", "--only", "top(2)", "--highlight", "worst = bottom(1)", "--totals", "no"))
  expect_no_match(run$out, "^total", all = TRUE)
  expect_match(run$out, "^Long Strand|^. Long Strand", all = FALSE)
})

test_that("a name that stands in several groups is called the same in each", {
  x <- heat_grid(demo_orders(), of = net_sales, by = salesperson, across = year(order_date), within = region)
  built <- ggplot2::ggplot_build(chart_heat(x))
  shown <- unlist(lapply(built$layout$panel_params, function(panel) panel$y$get_labels()))
  expect_gt(sum(shown == "Hugo Lamb"), 1)
  expect_setequal(shown, ifelse(is.na(x$salesperson), "(missing)", x$salesperson))
})

test_that("a floor is one finite number", {
  d <- data.frame(k = c("a", "b"), p = c("x", "y"), v = 1:2)
  for (floor in list(Inf, c(1, 2), "1 of 2")) {
    expect_error(heat_grid(d, of = sum(v), by = k, across = p, shade = "value", floor = floor), "`floor` must be a number", class = "eggcrate_error_unknown_value")
  }
})
