test_that("names, currency, unit, decimals and marks hold in tables, and not in files", {
  withr::defer(options(eggcrate.display = NULL))
  x <- standings(demo_orders(), of = sum(net_sales), by = category, also = c(units = sum(units)))
  csv <- eggcrate:::csv_lines(x, escape = FALSE)
  display_settings(labels = c(net_sales = "Net sales", category = "Category"), currency = "\u20ac", unit = "thousand", language = "de")
  lines <- format(x, width = 100)
  expect_match(lines, "Category +Net sales \\(thousand \u20ac\\)", all = FALSE)
  expect_match(lines, "1.022,2 .*23,7 %", all = FALSE)
  expect_match(lines, "total \\(6\\) +4.312,9 .*353.167", all = FALSE) # units are no money
  expect_identical(eggcrate:::csv_lines(x, escape = FALSE), csv)
  skip_if_not_installed("ggplot2")
  chart <- chart_bars(x)
  expect_equal(ggplot2::ggplot_build(chart)$plot$labels$x, "Net sales (thousand \u20ac)")
  before <- display_settings()
  expect_equal(before$unit, "thousand")
  expect_match(format(x, width = 100), "1,022,159.79", all = FALSE)
})

test_that("settings that cannot be are refused", {
  expect_snapshot(refusals(
    display_settings(unit = "dozen"), display_settings(language = "xx"), display_settings(decimals = 9), display_settings(labels = "Net sales"),
    display_settings("EUR")
  ))
})
