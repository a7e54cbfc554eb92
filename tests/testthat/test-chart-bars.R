test_that("bars stand in rank order, with the core's values and names", {
  x <- standings(demo_orders(), of = sum(net_sales), by = product)
  chart <- chart_bars(x, n = 12)
  bars <- layer(chart, "GeomCol")
  expect_equal(bars$xmax[order(-bars$y)], x$net_sales[1:12])
  built <- ggplot2::ggplot_build(chart)
  names <- rev(unname(built$layout$panel_params[[1]]$y$get_labels()))
  expect_equal(names, paste(1:12, x$product[1:12]))
  expect_equal(layer(chart, "GeomText")$label[1], "431,962.52  10.0%")
  expect_match(built$plot$labels$title, "Windlass leads 64 products with 10.0% of net sales")
  expect_match(built$plot$labels$subtitle, "52 products not shown, which account for")
  expect_match(built$plot$labels$alt,
    "^Bar chart of sum\\(net_sales\\) by product. The first are 1 Windlass")
})

test_that("the marked group is the core's, and each colour has its legend entry", {
  x <- standings(demo_orders(), of = sum(net_sales), by = customer)
  marked <- highlight(x, top(4))
  bars <- layer(chart_bars(marked), "GeomCol")
  colours <- bars$fill[order(-bars$y)]
  expect_equal(rle(colours)$lengths, c(4, 16))
  scale <- chart_bars(marked)$scales$get_scales("fill")
  expect_equal(names(scale$palette(2)), c("top(4)", "all others"))
  tiers <- assign_tiers(x, tiers_by_rank(c(A = 5, B = 10), rest = "C"))
  bars <- layer(chart_bars(tiers), "GeomCol")
  expect_equal(
    unname(eggcrate:::tier_colours(tiers_by_rank(c(A = 5, B = 10), rest = "C"))[c("A", "B", "C")]),
    unique(bars$fill[order(-bars$y)]))
})

test_that("groups have a panel each, and a name may stand in several at other places", {
  x <- standings(demo_orders(), of = sum(net_sales), by = product, within = region)
  chart <- chart_bars(x)
  bars <- layer(chart, "GeomCol")
  expect_equal(as.vector(table(bars$PANEL)), rep(5, 8))
  for (panel in 1:8) {
    mine <- bars[bars$PANEL == panel, ]
    expect_true(!is.unsorted(mine$xmax[order(mine$y)]))
  }
  expect_match(ggplot2::ggplot_build(chart)$plot$labels$title, "Windlass leads in 8 of 8 regions")
})

test_that("one item, none, thousands, negative, equal and long ones are drawn without a warning", {
  make <- function(values, names = sprintf("item %d", seq_along(values))) {
    standings(data.frame(k = names, v = values), of = sum(v), by = k)
  }
  cases <- list(make(5), make(rep(3, 5)), make(c(10, 5, -20)), make(c(-1, -2)), make(c(1e9, 1, 1)),
    make(5000:1), make(3:1, c("a", strrep("a long name ", 12), "b")), make(0),
    standings(data.frame(k = "a", v = 1), of = sum(v), by = k, where = v > 3),
    standings(data.frame(k = c("a", "b"), v = 2:1), of = mean(v), by = k))
  for (x in cases) {
    expect_silent(ggplot2::ggplot_build(chart_bars(x)))
  }
  for (x in in_full(cases, cases[c(1, 3, 6, 7, 9)])) {
    tiers <- assign_tiers(x, tiers_equal(2))
    for (chart in list(chart_bars(x), chart_tiers(tiers), chart_tier_table(tiers))) expect_silent(draw(chart))
  }
})

test_that("what is natural to draw depends on what was asked", {
  x <- standings(demo_orders(), of = sum(net_sales), by = category)
  title <- function(chart) ggplot2::ggplot_build(chart)$plot$labels$title
  expect_equal(title(ggplot2::autoplot(x)), title(chart_bars(x)))
  p <- pareto(demo_orders(), of = sum(net_sales), by = category)
  expect_equal(title(ggplot2::autoplot(p)), title(chart_pareto(p)))
  tiers <- assign_tiers(x, tiers_equal(2))
  expect_equal(title(ggplot2::autoplot(tiers)), title(chart_tiers(tiers)))
  withr::local_pdf(withr::local_tempfile(fileext = ".pdf"))
  expect_equal(title(plot(x, title = "My own")), "My own")
})

test_that("the caption names filters, source, dates and the day that counts as today", {
  x <- standings(demo_orders(), of = sum(net_sales), by = region,
    where = in_period(order_date, latest(quarter)), as_of = "2026-05-10")
  caption <- ggplot2::ggplot_build(chart_bars(x))$plot$labels$caption
  expect_match(caption, "Where in_period\\(order_date, latest\\(quarter\\)\\)")
  expect_match(gsub("\n", " ", caption), "order_date 2023-10-02 to 2026-05-10 and as of 2026-05-10")
})

test_that("where each group has a first of its own, the title gives their shares", {
  title <- function(x) ggplot2::ggplot_build(chart_bars(x))$plot$labels$title
  o <- demo_orders()
  x <- standings(o, sum(net_sales), customer, within = region)
  first <- x$share[!duplicated(x$region)]
  expect_equal(title(x), sprintf("The first of each region accounts for %.1f%% (Ambermouth) to %.1f%% (Skerry Isles) of net sales",
    100 * min(first), 100 * max(first)))
  expect_match(title(standings(o, sum(net_sales), customer, within = region, best = "lowest")), "^The lowest of each region|is lowest")
  expect_match(title(standings(o, mean(net_sales), customer, within = region)), "leads in [0-9] of 8 regions")
})

test_that("what is selected is drawn, up to 60 bars in a higher picture; beyond that the title says so", {
  x <- standings(demo_orders(), of = sum(net_sales), by = customer)
  drawn <- function(x, ...) chart_bars(x, ...)$data
  expect_equal(nrow(drawn(x)), 20)
  expect_equal(nrow(drawn(only(x, top(40)))), 40)
  expect_equal(nrow(drawn(only(x, top(100)))), 60)
  expect_equal(nrow(drawn(only(x, top(100)), n = 25)), 25)
  expect_match(chart_bars(only(x, top(100)))$labels$title, "^top\\(100\\): 100 of 241 customers.*; 60 are drawn$")
  expect_no_match(chart_bars(only(x, top(40)))$labels$title, "drawn")
  grouped <- only(standings(demo_orders(), of = sum(net_sales), by = customer, within = region), top(12))
  expect_equal(nrow(drawn(grouped)), nrow(as.data.frame(grouped)))
  height <- function(...) {
    path <- withr::local_tempfile(fileext = ".svg")
    expect_equal(run_here(c("standings", orders_path(), "--of", "sum(net_sales)", "--by", "customer", "--chart", path, ...))$status, 0)
    box <- strsplit(sub(".*viewBox='([^']*)'.*", "\\1", grep("viewBox", readLines(path, warn = FALSE), value = TRUE)[1]), " ")[[1]]
    as.numeric(box[4])
  }
  usual <- height()
  expect_gt(height("--only", "top(40)"), 1.5 * usual)
  expect_gt(height("--all"), 2 * usual)
  expect_equal(height("--items", "12"), usual)
  expect_equal(height("--all", "--height", "700"), usual * 700 / 800, tolerance = 0.01)
})
