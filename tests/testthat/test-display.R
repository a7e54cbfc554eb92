test_that("names, currency, unit, decimals and marks hold in tables, and not in files", {
  withr::defer(options(eggcrate.display = NULL))
  x <- standings(demo_orders(), of = sum(net_sales), by = category, also = c(units = sum(units)))
  csv <- eggcrate:::csv_text(x, escape = FALSE)
  display_settings(labels = c(net_sales = "Net sales", category = "Category"), currency = "\u20ac",
    unit = "thousand", locale = "de")
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
  expect_match(format(ranked), "Deckware +38.9%", all = FALSE)
  expect_identical(eggcrate:::csv_text(ranked, escape = FALSE), csv)
  tiered <- assign_tiers(standings(o, of = sum(net_sales), by = category, also = !!margin),
    tiers_by_value(c(A = 0.35), rest = "B", of = margin))
  expect_match(format(tiered), "^A +from 35.0%", all = FALSE)
  expect_match(format(tiered), "Anchors .* 25.7%  B +9.3%", all = FALSE)
  x <- quadrants(o, of = sum(net_sales), against = !!margin, by = customer)
  expect_match(format(x, width = 120)[1], "margin -0.5% \\(overall 31.3%\\)$")
  expect_match(format(x), "margin at 31.3% \\(overall\\)", all = FALSE)
  labels <- ggplot2::ggplot_build(chart_quadrants(x))$layout$panel_params[[1]]$y$get_labels()
  expect_true(all(grepl("%$", labels[!is.na(labels) & nzchar(labels)])))
  grid <- heat_grid(o, of = !!margin, by = category, across = year(order_date), shade = "value",
    centre = 0.3)
  expect_match(format(grid, width = 100), "^Deckware .*%", all = FALSE)
})

test_that("settings that cannot be are refused", {
  expect_snapshot(refusals(
    display_settings(unit = "dozen"), display_settings(locale = "xx"),
    display_settings(decimals = 9), display_settings(labels = "Net sales"),
    display_settings(percent = TRUE), display_settings("EUR")
  ))
})

test_that("settings given as a value hold where they are given, and nowhere else", {
  x <- standings(demo_orders(), of = sum(net_sales), by = category)
  plain <- format(x)
  euro <- eggcrate:::new_display(currency = "\u20ac", locale = "de")
  expect_match(eggcrate:::with_display(euro, format(x)), "4.312.945,56", all = FALSE)
  expect_identical(format(x), plain)
  expect_error(eggcrate:::with_display(euro, stop("x")))
  expect_identical(format(x), plain)
  expect_null(getOption("eggcrate.display"))
})

test_that("the chosen columns are printed and written to HTML and workbooks, in their order", {
  x <- assign_tiers(standings(demo_orders(), of = sum(net_sales), by = customer, also = c(profit = sum(profit)), show = region),
    tiers_by_rank(c(A = 10), rest = "B"))
  heads <- function(lines) strsplit(trimws(tail(lines[grepl("(^| )customer( |$)", lines) & grepl("  ", trimws(lines))], 1L)), " {2,}")[[1]]
  expect_identical(heads(format(x, columns = c("tier", "net_sales", "percentile", "to_next"), n = 3)), c("customer", "tier", "net_sales", "percentile", "to next"))
  expect_identical(heads(format(x, columns = c("profit", "rank", "customer"), n = 3)), c("profit", "rank", "customer"))
  # By hand: the third of 241 items beats 238 of the other 240.
  third <- grep("Tarnek", format(x, columns = "percentile", n = 3), value = TRUE)
  expect_match(third, sprintf("%.1f%%", 100 * 238 / 240), fixed = TRUE)
  expect_error(format(x, columns = "percentil"), "Did you mean `percentile`", class = "eggcrate_error_unknown_column")
  expect_error(print(x, columns = 3), class = "eggcrate_error_unknown_value")
  # Of changes and targets, too, with columns that they do not show by themselves.
  changes <- compare_periods(demo_orders(), of = sum(net_sales), by = region, over = quarter(order_date))
  expect_identical(heads(sub("^region", "customer", format(changes, columns = c("to", "rank_from")))), c("customer", "2026-Q1", "rank_from"))
  before <- display_settings(columns = c("region", "net_sales"))
  withr::defer(options(eggcrate.display = before))
  table <- xml2::xml_find_all(xml2::read_html(as.character(html_table(x))), "//table")
  expect_identical(xml2::xml_text(xml2::xml_find_all(table[[length(table)]], ".//th")), c("customer", "region", "net_sales"))
  path <- withr::local_tempfile(fileext = ".xlsx")
  answer_sheet(x, path, chart = FALSE)
  rows <- openxlsx::read.xlsx(path, 1, colNames = FALSE)
  expect_identical(unlist(rows[which(rows[[1]] == "customer")[1], 1:3], use.names = FALSE), c("customer", "region", "net sales"))
  # What has none of the columns is shown as usual.
  expect_identical(heads(format(standings(demo_orders(), of = sum(units), by = customer), n = 2)), c("rank", "customer", "units", "share", "cum. share"))
})

test_that("the command takes columns by name, and a study for each part", {
  ask <- c("standings", orders_path(), "--of", "sum(net_sales)", "--by", "region")
  expect_match(run_here(c(ask, "--columns", "percentile, `net_sales`"))$out, "^region +percentile +net_sales", all = FALSE)
  wrong <- run_here(c(ask, "--columns", "net_sale"))
  expect_identical(wrong$status, 2L)
  expect_match(wrong$err, "Did you mean `net_sales`", all = FALSE)
  expect_identical(run_here(c("movement", orders_path(), "--of", "sum(net_sales)", "--by", "region", "--over", "year(order_date)", "--columns", "x"))$status, 2L)
  folder <- study_folder()
  path <- write_study(c(study_head, simple_part("a", "columns = [\"share\", \"rank\"]", "charts = []"), simple_part("b", "charts = []")), folder)
  run_study(path, file.path(folder, "out"), quiet = TRUE)
  heads <- xml2::xml_find_all(xml2::read_html(whole_text(file.path(folder, "out", "index.html"))), "//section[contains(@class, 'part')]")
  first <- lapply(heads, function(part) xml2::xml_text(xml2::xml_find_all(xml2::xml_find_first(part, ".//table"), ".//th")))
  expect_identical(first[[1]][2:3], c("share", "rank"))
  expect_true("cum. share" %in% first[[2]])
  wrong <- check_study(write_study(c(study_head, simple_part("a", "columns = [\"shar\"]")), folder))$problems
  expect_match(wrong$hint, "Did you mean `share`")
})

test_that("columns named in an option are the last to be dropped in a narrow window", {
  x <- assign_tiers(standings(demo_orders(), of = sum(net_sales), by = customer, show = salesperson), tiers_by_rank(c(A = 10), rest = "B"))
  lines <- format(x, width = 62, n = 3)
  expect_match(lines, "^rank +customer .*salesperson +tier", all = FALSE)
  expect_no_match(lines, "^rank .*share")
})

test_that("a label may have its own plural, in tables, charts and commands", {
  withr::defer(options(eggcrate.display = before))
  before <- display_settings(labels = c(salesperson = "Vertreter | Vertreter", net_sales = "a|b|c", units = "|"))
  x <- function() pareto(demo_orders(), of = sum(net_sales), by = salesperson, reach = "60%")
  expect_match(format(x()), "4 of 10 Vertreter account for 60%", all = FALSE)
  expect_match(format(x()), "a|b|c", fixed = TRUE, all = FALSE)
  expect_match(ggplot2::ggplot_build(chart_pareto(x()))$plot$labels$title, "of 10 Vertreter")
  expect_identical(grep("salesperson", eggcrate:::display_lines(getOption("eggcrate.display")), value = TRUE),
    "labels = { salesperson = \"Vertreter | Vertreter\", net_sales = \"a|b|c\", units = \"|\" }")
  display_settings()
  expect_match(format(x()), "4 of 10 salespeople", all = FALSE)
  run <- run_here(c("pareto", orders_path(), "--of", "sum(net_sales)", "--by", "salesperson", "--reach", "60%", "--label", "salesperson=rep | reps"))
  expect_match(run$out, "4 of 10 reps account for 60%", all = FALSE)
})

test_that("marks have the colours that are set, in charts, pages and workbooks", {
  withr::defer(options(eggcrate.display = before))
  before <- display_settings(colours = c(best = "#2E7D5B", worst = "purple"))
  x <- highlight(standings(demo_orders(), of = sum(net_sales), by = salesperson), best = top(3), worst = bottom(2))
  fills <- ggplot2::layer_data(chart_bars(x), 1L)$fill
  expect_identical(as.vector(table(fills)[c("#2E7D5B", "#A020F0", "#D8CFC0")]), c(3L, 2L, 5L))
  expect_match(as.character(html_table(x)), "--mark1:#D5E5DE;--mark2:#ECD2FC", fixed = TRUE)
  expect_identical(eggcrate:::table_sheet(x)$fills$salesperson[c(1, 4, 10)], c("#2E7D5B", NA, "#A020F0"))
  withr::local_options(cli.num_colors = 256L)
  expect_match(format(x), cli::make_ansi_style("purple")(eggcrate:::mark_signs()[2L]), fixed = TRUE, all = FALSE)
  expect_error(display_settings(colours = "red"), "by the name of a mark")
  expect_error(display_settings(colours = c(a = "no colour")), class = "eggcrate_error_unknown_value")
})

test_that("cells of a column are coloured by their sign", {
  withr::defer(options(eggcrate.display = before))
  before <- display_settings(signs = "change")
  d <- data.frame(k = c("a", "b", "c"), then = c(5, 2, 3), now = c(1, 4, 3))
  x <- compare_periods(d, from = sum(then), to = sum(now), by = k)
  page <- as.character(html_table(x))
  expect_match(page, "background-color:#F8E6E0\">-4")
  expect_match(page, "background-color:#E4F0EE\">\\+2")
  expect_no_match(page, "background-color:#[0-9A-F]{6}\">0")
  fills <- eggcrate:::table_sheet(x)$fills$change
  expect_identical(fills[match(c("a", "b", "c"), x$k)], c("#F8E6E0", "#E4F0EE", NA))
  withr::local_options(cli.num_colors = 256L)
  expect_match(format(x), cli::make_ansi_style("#B5533A")(" -4.00"), fixed = TRUE, all = FALSE)
})

test_that("charts of ranked bars have the reference line of their measure", {
  withr::defer(options(eggcrate.display = before))
  before <- display_settings(lines = c(net_sales = 2e6))
  x <- standings(demo_orders(), of = sum(net_sales), by = region)
  chart <- chart_bars(x)
  expect_match(chart$labels$subtitle, "Dashed line: 2,000,000.00.", fixed = TRUE)
  built <- ggplot2::ggplot_build(chart)
  expect_gte(built$layout$panel_params[[1L]]$x.range[2L], 2e6)
  expect_identical(Filter(function(layer) "xintercept" %in% names(layer) && any(layer$xintercept == 2e6), built$data)[[1L]]$linetype, "dashed")
  expect_no_match(paste0(" ", chart_bars(standings(demo_orders(), of = sum(profit), by = region))$labels$subtitle, collapse = ""), "Dashed")
  expect_error(display_settings(lines = 3), "lines = c\\(net_sales")
})

test_that("the command and the study set lines, colours of marks and signs", {
  question <- c("standings", orders_path(), "--of", "sum(net_sales)", "--by", "region", "--highlight", "best = top(2)")
  settings <- c("--lines", "net_sales=1000", "--colours", "best=#2E7D5B", "--signs", "net_sales")
  study <- withr::local_tempfile(fileext = ".toml")
  expect_identical(run_here(c(question, settings, "--add-to", study))$status, 0L)
  lines <- readLines(study)
  expect_true(all(c("lines = { net_sales = 1000 }", "colours = { best = \"#2E7D5B\" }", "signs = \"net_sales\"") %in% lines))
  read <- eggcrate:::read_study(study)$display
  expect_identical(eggcrate:::shell_display(read, "standings"), " --lines 'net_sales=1000' --colours 'best=#2E7D5B' --signs net_sales")
  expect_identical(eval(parse(text = eggcrate:::r_display(read))[[1L]][["lines"]]), c(net_sales = 1000))
  expect_match(run_here(c(question, "--lines", "net_sales=x"))$err, "--lines must be a number", all = FALSE)
  expect_match(run_here(c(question, "--colours", "red"))$err, "--colours must be MARK=COLOUR", all = FALSE)
  expect_match(run_here(c(question, "--colours", "best=nothing"))$err, "six hexadecimal digits", all = FALSE)
})
