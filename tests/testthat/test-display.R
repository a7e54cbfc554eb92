test_that("names, currency, unit, decimals and marks hold in tables, and not in files", {
  withr::defer(options(eggcrate.display = NULL))
  x <- standings(demo_orders(), of = sum(net_sales), by = category, also = c(units = sum(units)))
  csv <- eggcrate:::csv_text(x, escape = FALSE)
  display_settings(labels = c(net_sales = "Net sales", category = "Category"), currency = "\u20ac",
    unit = "thousand", language = "de")
  lines <- format(x, width = 100)
  expect_match(lines, "Category +Net sales \\(thousand \u20ac\\)", all = FALSE)
  expect_match(lines, "1.022,2 .*23,7 %", all = FALSE)
  expect_match(lines, "total \\(6\\) +4.312,9 .*353.167", all = FALSE) # units are no money
  expect_identical(eggcrate:::csv_text(x, escape = FALSE), csv)
  chart <- chart_bars(x)
  expect_equal(ggplot2::ggplot_build(chart)$plot$labels$x, "Net sales (thousand \u20ac)")
  before <- display_settings()
  expect_equal(before$unit, "thousand")
  expect_match(format(x, width = 100), "1,022,159.79", all = FALSE)
})

test_that("a part of a whole reads as a percentage wherever it is shown, and not in files", {
  withr::defer(options(eggcrate.display = NULL))
  o <- demo_orders()
  margin <- quote(c(margin = sum(profit) / sum(net_sales)))
  ranked <- standings(o, of = !!margin, by = category)
  csv <- eggcrate:::csv_text(ranked, escape = FALSE)
  display_settings(percent = "margin")
  expect_match(format(ranked), "Deckware +38.9 %", all = FALSE)
  expect_identical(eggcrate:::csv_text(ranked, escape = FALSE), csv)
  tiered <- assign_tiers(standings(o, of = sum(net_sales), by = category, also = !!margin),
    tiers_by_value(c(A = 0.35), rest = "B", of = margin))
  expect_match(format(tiered), "^A +from 35.0 %", all = FALSE)
  expect_match(format(tiered), "Anchors .* 25.7 %  B +9.3 %", all = FALSE)
  x <- quadrants(o, of = sum(net_sales), against = !!margin, by = customer)
  expect_match(format(x, width = 120)[1], "margin -0.5 % \\(overall 31.3 %\\)$")
  expect_match(format(x), "margin at 31.3 % \\(overall\\)", all = FALSE)
  labels <- ggplot2::ggplot_build(chart_quadrants(x))$layout$panel_params[[1]]$y$get_labels()
  expect_true(all(grepl("%$", labels[!is.na(labels) & nzchar(labels)])))
  grid <- heat_grid(o, of = !!margin, by = category, across = year(order_date), shade = "value",
    centre = 0.3)
  expect_match(format(grid, width = 100), "^Deckware .*%", all = FALSE)
})

test_that("settings that cannot be are refused", {
  expect_snapshot(refusals(
    display_settings(unit = "dozen"), display_settings(language = "xx"),
    display_settings(decimals = 9), display_settings(labels = "Net sales"),
    display_settings(percent = TRUE), display_settings("EUR")
  ))
})

test_that("settings given as a value hold where they are given, and nowhere else", {
  x <- standings(demo_orders(), of = sum(net_sales), by = category)
  plain <- format(x)
  euro <- eggcrate:::new_display(currency = "\u20ac", language = "de")
  expect_match(eggcrate:::with_display(euro, format(x)), "4.312.945,56", all = FALSE)
  expect_identical(format(x), plain)
  expect_error(eggcrate:::with_display(euro, stop("x")))
  expect_identical(format(x), plain)
  expect_null(getOption("eggcrate.display"))
})
