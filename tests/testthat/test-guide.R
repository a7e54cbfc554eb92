# Claims of the guide.

guide <- function() readLines(file.path(checkout_folder(), "vignettes", "guide.Rmd"), encoding = "UTF-8")

test_that("the guide's table of functions and results is right", {
  grDevices::pdf(NULL)
  withr::defer(grDevices::dev.off())
  orders <- subset(demo_orders(), order_date >= as.Date("2025-06-01") & region == "Long Strand")
  ranked <- standings(orders, of = net_sales, by = customer)
  results <- list(standings = ranked, pareto = pareto(orders, of = net_sales, by = customer), assign_tiers = assign_tiers(ranked, tiers_equal(3)),
    quadrants = quadrants(orders, of = net_sales, by = customer, against = sum(profit)),
    against_target = against_target(orders, of = net_sales, by = customer, target = 5000),
    compare_periods = compare_periods(orders, of = net_sales, by = customer, over = month(order_date)),
    heat_grid = heat_grid(orders, of = net_sales, by = region, across = month(order_date)),
    movement = movement(orders, of = net_sales, by = region, over = quarter(order_date)))
  tried <- list(only = function(x) only(x, top(3)), highlight = function(x) highlight(x, top(3)), in_order = function(x) in_order(x, customer),
    assign_tiers = function(x) assign_tiers(x, tiers_equal(2)), drill = function(x) drill(x, top(1), by = product), why = function(x) why(x, "Varlow Boatyard"),
    rank_intervals = function(x) rank_intervals(x, order = order_no, times = 20), findings = function(x) findings(x), extremes = function(x) extremes(x),
    concentration = function(x) concentration(x), threshold_table = function(x) threshold_table(x), receipt = function(x) receipt(x),
    html_table = function(x) html_table(x), answer_sheet = function(x) answer_sheet(x, withr::local_tempfile(fileext = ".xlsx"), chart = FALSE),
    plot = function(x) stopifnot(inherits(plot(x), "ggplot")), summary = function(x) summary(x), as.data.frame = function(x) as.data.frame(x))
  lines <- grep("^[|]", guide(), value = TRUE)
  head <- grep("`standings` `pareto`", lines)
  rows <- lines[seq(head, length(lines))]
  cells <- lapply(rows, function(row) trimws(strsplit(sub("^[|]", "", row), "|", fixed = TRUE)[[1L]]))
  named <- function(text) regmatches(text, gregexpr("(?<=`)[a-z_.]+(?=`)", text, perl = TRUE))[[1L]]
  kinds <- lapply(cells[[1L]][-1L], named)
  count <- 0
  for (row in cells[-(1:2)]) for (name in named(row[1L])) for (i in seq_along(kinds)) for (kind in kinds[[i]]) {
    # Charts and workbooks of every result have tests of their own, and take long.
    if (name %in% c("plot", "answer_sheet") && !kind %in% in_full(names(results), "movement")) next
    cell <- if (i + 1L > length(row)) "" else row[i + 1L]
    # `scheme =` is an argument of the verb itself.
    promised <- nzchar(cell) && !grepl("=", cell) && (!length(named(cell)) || kind %in% named(cell))
    found <- tryCatch({
      suppressWarnings(tried[[name]](results[[kind]]))
      TRUE
    }, eggcrate_error = function(e) FALSE)
    expect_identical(found, promised, info = paste(name, "of", kind))
    count <- count + 1
  }
  expect_gt(count, 100)
})

test_that("the README has at most 120 lines, its output and its files are there", {
  lines <- readLines(file.path(checkout_folder(), "README.md"), encoding = "UTF-8")
  expect_lte(length(lines), 120L)
  linked <- unlist(regmatches(lines, gregexpr("(?<=\\]\\()[^)#:]+(?=\\))", lines, perl = TRUE)))
  expect_gt(length(linked), 10L)
  expect_identical(linked[!file.exists(file.path(checkout_folder(), linked))], character())
  shown <- which(startsWith(lines, "$ eggcrate "))
  args <- scan(text = sub("^[$] eggcrate ", "", lines[shown]), what = "", quiet = TRUE)
  run <- run_here(replace(args, args == "orders.csv", orders_path()))
  expect_identical(run$out[1L], lines[shown + 1L])
})
