read_back <- function(path, sheet, head) as.data.frame(suppressMessages(readxl::read_excel(path, sheet, skip = head - 1, .name_repair = "minimal")))
head_row <- function(path, sheet, name) {
  raw <- suppressMessages(readxl::read_excel(path, sheet, col_names = FALSE, .name_repair = "minimal"))
  which(apply(raw, 1, function(row) name %in% row))[1]
}

test_that("a workbook has the values of the result, as numbers, dates and text", {
  path <- withr::local_tempfile(fileext = ".xlsx")
  x <- assign_tiers(standings(demo_orders(), of = sum(net_sales), by = customer, also = c(orders = distinct(order_no)), show = region),
    tiers_by_value(c(A = 30000, B = 10000), rest = "C"))
  answer_sheet(x, path)
  expect_identical(readxl::excel_sheets(path), c("Items", "Tiers", "Totals", "Receipt"))
  got <- read_back(path, "Items", head_row(path, "Items", "rank"))
  got <- got[seq_len(nrow(x)), seq_along(x)]
  plain <- as.data.frame(x)
  for (j in seq_along(plain)) {
    want <- if (is.factor(plain[[j]])) as.character(plain[[j]]) else plain[[j]]
    have <- if (is.numeric(want)) as.numeric(got[[j]]) else got[[j]]
    expect_equal(have, if (is.numeric(want)) as.numeric(want) else want, tolerance = 1e-14, info = names(plain)[j])
  }
  changes <- compare_periods(demo_orders(), of = sum(net_sales), by = customer, over = month(order_date))
  answer_sheet(changes, path, overwrite = TRUE, chart = FALSE)
  got <- read_back(path, "Items", head_row(path, "Items", "last order"))
  expect_s3_class(got[["last order"]], "POSIXct")
  expect_identical(as.Date(got[["last order"]])[1:5], changes$last_order[1:5])
  expect_error(answer_sheet(x, path), class = "eggcrate_error_file_exists")
  expect_error(answer_sheet(x, sub("xlsx$", "csv", path)), ".xlsx")
  expect_error(answer_sheet(x, path, overwrite = TRUE, tables = "bridge"), class = "eggcrate_error_unknown_value")
})

test_that("formats are those of the display: decimals, thousands, per cent, sign", {
  format <- function(values, formatter) eggcrate:::number_format_of(values, formatter)
  expect_identical(format(c(1234.5, 2), eggcrate:::number_formatter(2L)), "#,##0.00")
  expect_identical(format(1234, eggcrate:::number_formatter(0L)), "#,##0")
  expect_identical(format(c(0.1234, NA), eggcrate:::percent_formatter()), "0.0%")
  expect_identical(format(c(-3, 2), eggcrate:::signed(eggcrate:::number_formatter(1L))), "+#,##0.0;-#,##0.0;#,##0.0")
  old <- display_settings(unit = "thousand", money = "net_sales", locale = "de")
  on.exit(options(eggcrate.display = old))
  expect_identical(format(c(123456, 1), eggcrate:::money_formatter()), "#,##0.0,")
  options(eggcrate.display = NULL)
  display_settings(unit = "million", money = "net_sales")
  expect_identical(format(123456789, eggcrate:::money_formatter()), "#,##0.0,,")
})

test_that("text stays text, and names of sheets are legal and unlike", {
  path <- withr::local_tempfile(fileext = ".xlsx")
  odd <- c("=1+1", "+SUM(A1)", "-x", "@cmd", "'a", "<b>&\"", "a\u0001b", strrep("long ", 8000), "\u00c9t\u00e9 \u20ac")
  x <- standings(data.frame(item = odd, amount = seq_along(odd)), of = sum(amount), by = item)
  answer_sheet(x, path, chart = FALSE)
  got <- read_back(path, "Items", head_row(path, "Items", "rank"))$item[seq_along(odd)]
  want <- x$item
  want[nchar(want) > 32000] <- paste0(substr(want[nchar(want) > 32000], 1, 32000), "...")
  expect_identical(got, sub("\u0001", "\\u0001", want, fixed = TRUE))
  cells <- openxlsx::loadWorkbook(path)$worksheets[[1]]$sheet_data$f
  expect_true(all(is.na(cells)))
  expect_identical(eggcrate:::sheet_names(c("a/b:c", "A b c", strrep("x", 40), strrep("x", 40), "", "Contents"), "Contents"),
    c("a b c", "A b c 2", strrep("x", 31), paste0(strrep("x", 29), " 2"), "sheet", "Contents 2"))
})

test_that("the head is frozen and filtered, tiers have their colours, bars end where they should", {
  path <- withr::local_tempfile(fileext = ".xlsx")
  x <- assign_tiers(standings(demo_orders(), of = sum(net_sales), by = region), tiers_equal(2))
  answer_sheet(x, path)
  book <- openxlsx::loadWorkbook(path)
  sheet <- book$worksheets[[1]]
  head <- head_row(path, "Items", "rank")
  expect_match(sheet$freezePane, sprintf("topLeftCell=\"C%d\"", head + 1))
  expect_match(sheet$autoFilter, sprintf("ref=\"A%d:", head))
  expect_match(paste(unlist(sheet$extLst), collapse = ""), "dataBar")
  fills <- unlist(lapply(book$styleObjects, function(s) s$style$fill$fillFg))
  expect_true(all(sub("#", "FF", eggcrate:::tier_colours(tiers_equal(2))[1:2]) %in% fills))
  expect_length(book$media, 1)
})

test_that("grids and movement stand as they are read, and every kind of result can be a workbook", {
  folder <- withr::local_tempdir()
  grid <- heat_grid(demo_orders(), of = sum(net_sales), by = region, across = quarter(order_date))
  path <- file.path(folder, "grid.xlsx")
  answer_sheet(grid, path, chart = FALSE, tables = "items")
  head <- head_row(path, "Items", "region")
  got <- read_back(path, "Items", head)
  wide <- tapply(grid$net_sales, list(grid$region, grid$quarter), sum)
  expect_equal(as.numeric(got[1:8, "2024-Q1"]), unname(wide[got$region[1:8], "2024-Q1"]))
  expect_equal(as.numeric(got[1:8, "total"]), unname(rowSums(wide)[got$region[1:8]]), tolerance = 1e-12)
  orders <- demo_orders()
  base <- standings(orders, of = sum(net_sales), by = salesperson)
  results <- list(movement(orders, of = sum(net_sales), by = region, over = quarter(order_date)), extremes(base), concentration(base),
    findings(base), why(base, "Dagny Holt"), rank_intervals(base, order_no, times = 50), check_sales(orders),
    against_target(orders, of = sum(net_sales), by = region, over = month(order_date), target = demo_targets()),
    standings(orders, of = sum(net_sales), by = region, where = units > 1e9))
  for (i in seq_along(results)) {
    path <- file.path(folder, paste0(i, ".xlsx"))
    if (i == 7L) next
    answer_sheet(results[[i]], path, chart = in_full(TRUE, i < 3L))
    expect_gt(length(readxl::excel_sheets(path)), 0)
  }
  got <- run_here(c("check", orders_path(), "--out", file.path(folder, "check.xlsx")))
  expect_equal(got$status, 0)
  expect_identical(readxl::excel_sheets(file.path(folder, "check.xlsx")), c("Columns", "Findings"))
})

test_that("the same result gives the same bytes, in any language of the session", {
  x <- standings(demo_orders(), of = sum(net_sales), by = region)
  paths <- replicate(2, tempfile(fileext = ".xlsx"))
  on.exit(unlink(paths))
  answer_sheet(x, paths[1])
  Sys.sleep(1.1)
  withr::with_collate("C", answer_sheet(x, paths[2]))
  expect_same_bytes(paths[1], paths[2])
  command <- file.path(withr::local_tempdir(), "a.xlsx")
  got <- run_here(c("standings", orders_path(), "--of", "sum(net_sales)", "--by", "region", "--out", command))
  expect_equal(got$status, 0)
  expect_true("Items" %in% readxl::excel_sheets(command))
})

test_that("the workbook of a run has contents first, with what was found, and a sheet a table", {
  run <- demo_run()
  path <- file.path(run$folder, "review.xlsx")
  sheets <- readxl::excel_sheets(path)
  tables <- sub("[.]csv$", "", list.files(file.path(run$folder, "tables")))
  expect_identical(sheets[1], "Contents")
  expect_equal(length(sheets), length(tables) + 1)
  raw <- as.data.frame(suppressMessages(readxl::read_excel(path, "Contents", col_names = FALSE, .name_repair = "minimal")))
  expect_true(all(run$table$finding %in% unlist(raw)))
  expect_true(all(c("Monthly review", "receipt", "exact, 2 decimal places") %in% c(unlist(raw), "receipt")))
  # The values of a table in it are those of the file.
  head <- head_row(path, "Accounts", "rank")
  got <- read_back(path, "Accounts", head)
  want <- read.csv(file.path(run$folder, "tables", "accounts-items.csv"))
  expect_equal(as.numeric(got[[3]][seq_len(nrow(want))]), want$net_sales, tolerance = 1e-14)
})

test_that("marked names are filled, and what stands back is grey", {
  x <- highlight(standings(demo_orders(), net_sales, customer), best = top(2), worst = bottom(1))
  old <- display_settings(muted = "cum_share")
  withr::defer(options(eggcrate.display = old))
  path <- withr::local_tempfile(fileext = ".xlsx")
  answer_sheet(x, path, chart = FALSE)
  styles <- openxlsx::loadWorkbook(path)$styleObjects
  column <- match("customer", names(read_back(path, 1, head_row(path, 1, "customer"))))
  filled <- Filter(function(s) column %in% s$cols && length(s$style$fill) > 0L && length(s$style$fill$fillFg), styles)
  rows <- unlist(lapply(filled, function(s) s$rows[s$cols == column]))
  expect_length(unique(rows), 3L)
  grey <- Filter(function(s) identical(unname(unlist(s$style$fontColour)), "FF8A939A"), styles)
  expect_gte(length(unlist(lapply(grey, `[[`, "rows"))), nrow(x))
})
