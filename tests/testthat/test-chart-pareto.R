test_that("bars stand in rank order, and those that reach the part are picked out", {
  x <- pareto(demo_orders(), of = sum(net_sales), by = product)
  plot <- chart_pareto(x)
  bars <- layer(plot, "GeomCol", 1)
  expect_true(all(diff(bars$ymax) <= 0))
  expect_equal(nrow(bars), 24)
  expect_equal(bars$ymax / bars$ymax[1], x$net_sales[1:24] / x$net_sales[1])
  expect_length(unique(bars$fill), 1)
  category <- pareto(demo_orders(), of = sum(net_sales), by = category, reach = "50%")
  fills <- layer(chart_pareto(category), "GeomCol")$fill
  expect_identical(fills == fills[1], category$reached)
})

test_that("the line is the cumulative share and ends at 100%", {
  for (by in c("product", "customer", "category")) {
    x <- standings(demo_orders(), of = sum(net_sales), by = !!as.name(by))
    line <- layer(chart_pareto(x), "GeomLine")
    expect_equal(line$y[nrow(line)], 1)
    expect_equal(line$y, x$cum_share)
  }
})

test_that("the title is the finding, and legend and alternative text are there", {
  plot <- chart_pareto(standings(demo_orders(), of = sum(net_sales), by = product), reach = "80%")
  expect_match(plot$labels$title, "28 of 64 products account for 80% of net sales")
  expect_match(plot$labels$alt, "Windlass")
  expect_match(plot$labels$caption, "orders.csv, 20,340 of 20,361 rows used")
  built <- ggplot2::ggplot_build(plot)
  expect_identical(built$plot$scales$get_scales("fill")$get_labels(),
    c("among those that account for 80%", "all others"))
  expect_identical(chart_pareto(standings(demo_orders(), of = units, by = product),
    title = "Mine")$labels$title, "Mine")
})

test_that("odd data is drawn without a warning", {
  set.seed(2)
  cases <- list(
    one = data.frame(k = "only", v = 5), none = data.frame(k = character(), v = numeric()),
    negative = data.frame(k = letters[1:5], v = c(100, 50, 1, -20, -40)),
    long = data.frame(k = strrep("a very long name ", 1:5), v = 5:1),
    many = data.frame(k = sprintf("%05d", 1:5000), v = round(exp(stats::rnorm(5000, 3, 2)), 2)),
    unequal = data.frame(k = letters[1:4], v = c(1e9, 1, 1, 0.01))
  )
  path <- withr::local_tempfile(fileext = ".png")
  for (name in names(cases)) {
    plot <- expect_silent(chart_pareto(standings(cases[[name]], of = v, by = k)))
    expect_silent(eggcrate:::write_chart(plot, path))
    expect_gt(file.size(path), 3000)
  }
  for (ending in c("svg", "pdf")) {
    file <- withr::local_tempfile(fileext = paste0(".", ending))
    eggcrate:::write_chart(plot, file)
    expect_gt(file.size(file), 3000)
  }
})

test_that("what cannot be drawn is said", {
  x <- standings(demo_orders(), of = units, by = product, within = category)
  panels <- chart_pareto(x)
  counts <- layer(panels, "GeomText", 1)$label
  set <- answer_of(pareto(demo_orders(), of = units, by = product, within = category))
  expect_equal(counts, sprintf("%d of %d", set$facets$reach$count, set$ranked$totals$items))
  ends <- vapply(split(layer(panels, "GeomLine", 1), ~PANEL), function(line) line$y[nrow(line)], 0)
  expect_equal(unname(ends), rep(1, 6))
  expect_error(chart_pareto(only(x, top(3))), "only", class = "eggcrate_error_unknown_value")
  expect_error(chart_pareto(demo_orders()), class = "eggcrate_error_call")
  minus <- standings(data.frame(k = "a", v = -1), of = v, by = k)
  expect_error(chart_pareto(minus), class = "eggcrate_error_data")
  expect_error(eggcrate:::write_chart(ggplot2::ggplot(), "x.bmp"),
    class = "eggcrate_error_unknown_value")
})

test_that("autoplot draws the natural chart", {
  expect_s3_class(ggplot2::autoplot(standings(demo_orders(), of = units, by = region)), "ggplot")
})
