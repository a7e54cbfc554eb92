test_that("the command ranks a file and prints what one wants first", {
  withr::local_options(cli.unicode = NULL) # as a process finds it
  run <- run_here(c("standings", orders_path(), "--of", "sum(net_sales)", "--by", "customer"))
  expect_equal(run$status, 0)
  expect_identical(run$err, character())
  expect_identical(run$out,
    format(standings(orders_path(), of = sum(net_sales), by = customer), width = 80))
  all <- run_here(c("standings", orders_path(), "--of=net_sales", "--by=customer", "--all",
    "--where", "region == 'Midmark'"))
  x <- standings(orders_path(), of = net_sales, by = customer, where = region == "Midmark")
  expect_length(grep("^ *[0-9]+  ", all$out), nrow(x))
})

test_that("csv and json carry every row and column at full precision", {
  x <- standings(orders_path(), of = sum(net_sales), by = customer, within = region)
  args <- c("standings", orders_path(), "--of", "sum(net_sales)", "--by", "customer", "--within",
    "region", "--format")
  csv <- run_here(c(args, "csv"))
  expect_equal(csv$status, 0)
  back <- utils::read.csv(text = csv$out, na.strings = "", check.names = FALSE)
  expect_identical(columns_of(back, names(x)), columns_of(x, names(x)))
  expect_match(csv$err, "rows +20,361", all = FALSE)
  json <- run_here(c(args, "json"))
  expect_identical(json$err, character())
  back <- jsonlite::fromJSON(json$out)
  expect_equal(columns_of(back$items, names(x)), columns_of(x, names(x)), tolerance = 0)
  expect_equal(back$totals$net_sales, answer_of(x)$ranked$totals$net_sales, tolerance = 0)
  expect_equal(back$receipt$n, receipt(x)$n)
  expect_identical(back$question$of, "sum(net_sales)")
})

test_that("pareto prints the finding and draws the chart", {
  chart <- withr::local_tempfile(fileext = ".png")
  run <- run_here(c("pareto", orders_path(), "--of", "sum(net_sales)", "--by", "product",
    "--reach", "50%", "--chart", chart))
  expect_equal(run$status, 0)
  expect_match(run$out[1], "11 of 64 products account for 50% of net sales")
  expect_identical(readBin(chart, "raw", 4), as.raw(c(0x89, 0x50, 0x4e, 0x47)))
  expect_match(run$err, "Wrote")
})

test_that("who reads only the first line still has the picture", {
  chart <- withr::local_tempfile(fileext = ".svg")
  run <- run_process(c("tiers", orders_path(), "--of", "sum(net_sales)", "--by", "customer",
    "--all", "--chart", chart), after = "| head -n 1")
  expect_length(run$out, 1)
  expect_gt(file.size(chart), 10000)
})

test_that("a wrong call is one clear message, exit code 2, and no traceback", {
  good <- c("standings", orders_path(), "--of", "sum(net_sales)", "--by", "customer")
  wrong <- list(
    "Did you mean `customer`" = c(good[1:4], "--by", "custmer"),
    "not part of the language" = c(good, "--where", "system('touch trap')"),
    "no command `standing`" = c("standing", good[-1]),
    "no option `--wher`" = c(good, "--wher", "units > 3"),
    "file to read is missing" = good[c(1, 3:6)],
    "`--of` is missing" = good[c(1:2, 5:6)],
    "must be \"min\"" = c(good, "--ties", "mim"),
    "cannot be read" = c(good, "--where", "units >"),
    "such as 0.8" = c("pareto", good[-1], "--reach", "80"),
    "does not say how" = c(good, "--out", "answer.doc"),
    "must be \"png\"" = c("pareto", good[-1], "--chart", "answer.bmp")
  )
  withr::local_dir(withr::local_tempdir())
  for (message in names(wrong)) {
    run <- run_here(wrong[[message]])
    expect_equal(run$status, 2, info = message)
    expect_identical(run$out, character(), info = message)
    expect_match(paste(run$err, collapse = "\n"), message, fixed = TRUE)
    expect_false(any(grepl("Error in|Calls:|Execution halted", run$err)), info = message)
  }
  expect_identical(list.files(), character())
})

test_that("bad data is one clear message, exit code 1, and no file left behind", {
  withr::local_dir(withr::local_tempdir())
  here <- environment()
  file <- function(...) write_text(..., env = here)
  bad <- list(
    "There is no file" = "nowhere.csv",
    "is empty" = file(""),
    "not all of it is" = file("customer,net_sales\na,1\nb,none\nc,2\n"),
    "has 1 field" = file("customer,net_sales\na\n")
  )
  for (message in names(bad)) {
    run <- run_here(c("standings", bad[[message]], "--of", "sum(net_sales)", "--by", "customer",
      "--out", "answer.csv"))
    expect_equal(run$status, 1, info = message)
    expect_identical(run$out, character())
    expect_match(paste(run$err, collapse = "\n"), message, fixed = TRUE)
    expect_false(any(grepl("Error in|Calls:|Execution halted", run$err)), info = message)
  }
  expect_identical(list.files(), character())
})

test_that("nothing left is an empty table, a line on standard error and exit code 0", {
  header <- write_text("customer,net_sales\n")
  for (args in list(c("standings", header),
    c("standings", orders_path(), "--where", "units > 1e9"))) {
    run <- run_here(c(args, "--of", "sum(net_sales)", "--by", "customer", "--format", "csv"))
    expect_equal(run$status, 0)
    expect_identical(run$out, "rank,customer,net_sales,share,running,cum_share,percentile")
    expect_match(run$err[1], "nothing is left", ignore.case = TRUE)
  }
})

test_that("help, version and demo answer on standard output or in a folder", {
  expect_match(run_here("--help")$out, "Usage", all = FALSE)
  expect_match(run_here("--version")$out, "^eggcrate [0-9.]+$")
  none <- run_here(character())
  expect_equal(none$status, 2)
  expect_identical(none$out, character())
  folder <- file.path(withr::local_tempdir(), "new")
  expect_equal(run_here(c("demo", "--out", folder))$status, 0)
  expect_setequal(list.files(folder),
    c("customers.csv", "orders.csv", "orders-untidy.csv", "products.csv", "region-tiles.csv", "targets.csv", "review.toml", "shop.db"))
  expect_identical(run_here(c("standings", paste0("sqlite:", folder, "/shop.db#orders"), "--of", "sum(net_sales)", "--by", "customer", "--format", "csv"))$out,
    run_here(c("standings", file.path(folder, "orders.csv"), "--of", "sum(net_sales)", "--by", "customer", "--format", "csv"))$out)
  expect_equal(run_here(c("demo", "--out", folder))$status, 1)
})

test_that("the command takes every word and rule of the function", {
  items <- write_text("region\nMidmark\nNowhere\n")
  run <- run_here(c("standings", orders_path(), "--of", "rate = per_day(sum(net_sales))", "--by",
    "region", "--over", "quarter(order_date)", "--also", "orders = distinct(order_no)",
    "--also=profit", "--show", "category", "--having", "count() > 3", "--best", "lowest", "--ties",
    "dense", "--share-of", "period", "--as-of", "2025-12-31", "--all-items", items, "--where",
    "region != 'Midmark'", "--format", "csv"))
  expect_equal(run$status, 0)
  x <- standings(orders_path(), of = c(rate = per_day(sum(net_sales))), by = region,
    over = quarter(order_date), also = c(orders = distinct(order_no), profit),
    show = category, having = count() > 3, best = "lowest", ties = "dense", share_of = "period",
    as_of = "2025-12-31", all_items = data.frame(region = c("Midmark", "Nowhere")),
    where = region != "Midmark")
  back <- utils::read.csv(text = run$out)
  expect_identical(names(back), names(x))
  expect_equal(as.list(back), as.list(x), ignore_attr = TRUE, tolerance = 1e-15)
})

test_that("totals and the receipt can be asked for, and text is kept as typed", {
  args <- c("standings", orders_path(), "--of", "sum(profit)/sum( net_sales )", "--by", "product",
    "--within", "category", "--format", "csv")
  totals <- utils::read.csv(text = run_here(c(args, "--table", "totals"))$out,
    check.names = FALSE)
  expect_identical(names(totals), c("category", "items", "sum(profit)/sum( net_sales )"))
  expect_equal(sum(totals$items), 64)
  receipt <- utils::read.csv(text = run_here(c(args, "--table", "receipt"))$out)
  expect_equal(receipt$n[1], 20361)
  expect_equal(run_here(c(args, "--table", "tiers"))$status, 2)
})

test_that("a plain ranking loads no package that it does not need", {
  code <- sprintf(
    "eggcrate::run_command(c('standings', '%s', '--of', 'units', '--by', 'region')); cat(loadedNamespaces())", orders_path())
  out <- withr::with_envvar(
    c(R_LIBS = paste(.libPaths(), collapse = .Platform$path.sep), R_TESTS = "",
      R_DEFAULT_PACKAGES = "NULL"),
    system2(file.path(R.home("bin"), "Rscript"), c("--no-init-file", "-e", shQuote(code)),
      stdout = TRUE, stderr = FALSE)
  )
  loaded <- strsplit(out[length(out)], " ")[[1]]
  expect_true(all(c("eggcrate", "data.table") %in% loaded))
  expect_identical(intersect(loaded, c("tibble", "rlang", "vctrs", "cli", "ggplot2", "jsonlite")),
    character())
})

test_that("tiers, selections and reasons go through the command", {
  ask <- c(orders_path(), "--of", "sum(net_sales)", "--by", "customer")
  chart <- withr::local_tempfile(fileext = ".pdf")
  run <- run_here(c("tiers", ask, "--scheme", "tiers_by_rank(c(A = 10), rest = 'B')", "--only",
    "in_tier('A')", "--format", "csv", "--chart", chart))
  expect_equal(run$status, 0)
  back <- utils::read.csv(text = run$out, check.names = FALSE)
  x <- assign_tiers(standings(orders_path(), of = sum(net_sales), by = customer),
    tiers_by_rank(c(A = 10), rest = "B"))
  expect_equal(back$above_cutoff, x$above_cutoff[1:10], tolerance = 0)
  expect_equal(back$tier, rep("A", 10))
  expect_identical(readBin(chart, "raw", 4), charToRaw("%PDF"))
  expect_match(run$err, "only +items +10", all = FALSE)
  table <- run_here(c("tiers", ask, "--table", "tiers", "--format", "csv"))
  expect_equal(utils::read.csv(text = table$out)$items, c(98, 80, 63))
  expect_match(run_here(c("tiers", ask, "--table", "tiers"))$out,
    "^A +11,095.39 +98 +3,452,164.64 +40.7% +80.0%$", all = FALSE)
  thresholds <- run_here(c("standings", ask, "--table", "thresholds", "--format", "csv"))
  expect_equal(utils::read.csv(text = thresholds$out)$items[1:3], threshold_table(x)$items[1:3])
  html <- withr::local_tempfile(fileext = ".html")
  expect_equal(run_here(c("standings", ask, "--highlight", "top(3)", "--out", html))$status, 0)
  expect_length(grep("class=\"marked\"", readLines(html)), 3)
  why <- run_here(c("why", ask, "--item", "Varlow Boatyard"))
  expect_match(why$out, "no. 4 of 241 customers", all = FALSE)
})

test_that("a tier of an earlier time stands beside that of now", {
  run <- run_here(c("tiers", orders_path(), "--of", "net_sales", "--by", "customer", "--where",
    "in_period(order_date, year_to_date)", "--compare-with",
    "in_period(order_date, year_ago(year_to_date))", "--only", "tier != tier_before & tier == 'A'",
    "--format", "json"))
  back <- jsonlite::fromJSON(run$out)
  expect_true(nrow(back$items) > 0)
  expect_true(all(back$items$tier == "A" & back$items$tier_before != "A"))
  expect_equal(back$question$only, "tier != tier_before & tier == 'A'")
})

test_that("quadrants from the shell are those of R, with their own table and names", {
  ask <- c("quadrants", orders_path(), "--of", "sum(net_sales)", "--against",
    "margin = sum(profit) / sum(net_sales)", "--by", "customer")
  x <- quadrants(orders_path(), of = sum(net_sales),
    against = c(margin = sum(profit) / sum(net_sales)), by = customer, split_of = 20000)
  run <- run_here(c(ask, "--split-of", "20000", "--format", "csv"))
  expect_equal(utils::read.csv(text = run$out, check.names = FALSE)$quadrant,
    as.character(x$quadrant))
  expect_match(run$err, "split of margin", all = FALSE)
  run <- run_here(c(ask, "--table", "quadrants", "--format", "csv", "--groups",
    "c('keep', 'mend', 'grow', 'leave')"))
  expect_match(run$out, "^mend,12,", all = FALSE)
  run <- run_here(c(ask, "--format", "json", "--only",
    "quadrant == 'high net_sales, low margin'"))
  answer <- jsonlite::fromJSON(run$out)
  expect_equal(nrow(answer$items), 12)
  expect_equal(answer$quadrants$items, c(109, 12, 119, 1))
  expect_equal(run_here(c(ask, "--split-of", "medium"))$status, 2)
})

test_that("changes from the shell are those of R, with classes, bridge and its picture", {
  ask <- c("changes", orders_path(), "--of", "sum(net_sales)", "--by", "customer", "--over",
    "quarter(order_date)")
  x <- compare_periods(orders_path(), of = sum(net_sales), by = customer,
    over = quarter(order_date), tolerance = "5%", lost_after = 60)
  run <- run_here(c(ask, "--format", "csv", "--tolerance", "5%", "--lost-after", "60"))
  csv <- utils::read.csv(text = run$out, check.names = FALSE)
  expect_equal(csv$change, x$change)
  expect_equal(csv$class, as.character(x$class))
  answer <- jsonlite::fromJSON(run_here(c(ask, "--format", "json"))$out)
  expect_equal(answer$periods, list(from = "2025-Q4", to = "2026-Q1"))
  expect_equal(sum(answer$classes$items), nrow(answer$items))
  picture <- withr::local_tempfile(fileext = ".png")
  run <- run_here(c(ask, "--table", "bridge", "--chart", picture))
  expect_equal(run$status, 0)
  expect_match(run$out, "^from ", all = FALSE)
  expect_gt(file.size(picture), 10000)
  expect_equal(run_here(c(ask, "--to", "2027-Q1"))$status, 1)
  expect_equal(run_here(c(ask, "--to", "lately"))$status, 2)
})

test_that("targets from the shell are those of R", {
  goals <- system.file("extdata", "targets.csv", package = "eggcrate")
  ask <- c("targets", orders_path(), "--of", "sum(net_sales)", "--by", "region", "--over",
    "month(order_date)", "--where", "in_period(order_date, latest(month))")
  x <- against_target(orders_path(), of = sum(net_sales), by = region, over = month(order_date),
    where = in_period(order_date, latest(month)), target = demo_targets(), exceed_at = 1.3)
  run <- run_here(c(ask, "--target", goals, "--exceed-at", "1.3", "--format", "csv"))
  csv <- utils::read.csv(text = run$out, check.names = FALSE)
  expect_equal(csv$gap, x$gap)
  expect_equal(csv$status, as.character(x$status))
  run <- run_here(c(ask, "--target", "year_ago()", "--table", "totals", "--format", "csv"))
  expect_match(run$out[1], "month,items,net_sales,target,gap,attainment")
  expect_equal(run_here(c(ask, "--target", "nothing.csv"))$status, 1)
  expect_equal(run_here(c(ask, "--target", "budget"))$status, 2)
  expect_equal(run_here(ask)$status, 2)
})

test_that("a grid from the shell is that of R, with figures or without", {
  ask <- c("grid", orders_path(), "--of", "sum(net_sales)", "--by", "region", "--across",
    "quarter(order_date)")
  x <- heat_grid(orders_path(), of = sum(net_sales), by = region, across = quarter(order_date),
    shade = "value", centre = 50000)
  run <- run_here(c(ask, "--shade", "value", "--centre", "50000", "--format", "csv"))
  expect_equal(utils::read.csv(text = run$out, check.names = FALSE)$shade, x$shade)
  plain <- run_here(c(ask, "--figures", "no"))$out
  expect_false(
    any(grepl("[0-9] [^ ]", sub(" +[0-9.,]+$", "", grep("^Midmark", plain, value = TRUE)))))
  expect_match(run_here(ask)$out, "^Midmark .*402[.]9$", all = FALSE)
  picture <- withr::local_tempfile(fileext = ".png")
  expect_equal(run_here(c(ask, "--figures", "yes", "--chart", picture))$status, 0)
  expect_gt(file.size(picture), 10000)
  expect_equal(run_here(c(ask, "--figures", "maybe"))$status, 2)
})

test_that("movement from the shell is that of R, with its transitions", {
  ask <- c("movement", orders_path(), "--of", "sum(net_sales)", "--by", "customer", "--over",
    "quarter(order_date)", "--scheme", "tiers_equal(3)")
  x <- movement(orders_path(), of = sum(net_sales), by = customer, over = quarter(order_date),
    scheme = tiers_equal(3))
  csv <- utils::read.csv(text = run_here(c(ask, "--format", "csv"))$out, check.names = FALSE)
  expect_equal(csv$rank, x$rank)
  run <- run_here(c(ask, "--table", "transitions", "--format", "csv"))
  expect_equal(utils::read.csv(text = run$out)$items, transitions(x)$items)
  run <- run_here(c(ask, "--table", "transitions", "--from", "2025-Q1", "--to", "2026-Q2",
    "--format", "csv"))
  expect_equal(utils::read.csv(text = run$out)$items,
    transitions(x, from = "2025-Q1", to = "2026-Q2")$items)
  expect_match(run_here(c(ask, "--table", "transitions"))$out, "^total .*241$", all = FALSE)
  expect_equal(run_here(c(ask, "--from", "2025-Q9"))$status, 1)
  picture <- withr::local_tempfile(fileext = ".png")
  expect_equal(run_here(c(ask, "--ranks", "--chart", picture))$status, 0)
  expect_gt(file.size(picture), 10000)
})

test_that("concentration and tiles from the shell are those of R", {
  layout <- system.file("extdata", "region-tiles.csv", package = "eggcrate")
  ask <- c(orders_path(), "--of", "sum(net_sales)", "--by", "customer", "--within", "region")
  x <- standings(orders_path(), of = sum(net_sales), by = customer, within = region)
  csv <- utils::read.csv(
    text = run_here(c("concentration", ask, "--compare-with", "year(order_date) == '2024'",
      "--format", "csv"))$out)
  expect_equal(csv$gini, concentration(x)$gini)
  before <- standings(orders_path(), of = sum(net_sales), by = customer, within = region,
    where = year(order_date) == "2024")
  expect_equal(csv$n_80_before, concentration(before)$n_80)
  picture <- withr::local_tempfile(fileext = ".png")
  run <- run_here(c("standings", ask, "--layout", layout, "--table", "tiles", "--format", "csv",
    "--chart", picture))
  expect_equal(utils::read.csv(text = run$out)$top, tile_table(x, layout)$top)
  expect_gt(file.size(picture), 10000)
  expect_equal(run_here(c("standings", ask, "--table", "tiles"))$status, 2)
  expect_match(run_here(c("standings", ask, "--layout", layout, "--table", "tiles"))$out,
    "^Ambermouth, no. 1 of", all = FALSE)
})

test_that("findings from the shell are those of R", {
  ask <- c("findings", orders_path(), "--of", "sum(net_sales)", "--by", "customer", "--over",
    "month(order_date)", "--scheme", "tiers_by_rank(c(A = 20), rest = 'B')")
  x <- assign_tiers(standings(orders_path(), of = sum(net_sales), by = customer),
    tiers_by_rank(c(A = 20), rest = "B"))
  f <- findings(x, over = month(order_date))
  expect_equal(utils::read.csv(text = run_here(c(ask, "--format", "csv"))$out)$finding,
    f$finding)
  answer <- jsonlite::fromJSON(run_here(c(ask, "--format", "json"))$out)
  expect_equal(answer$findings$kind, f$kind)
  expect_identical(answer$findings$value, f$value)
  expect_equal(answer$receipt$fact, receipt(f)$fact)
  # Without periods, too.
  expect_match(
    run_here(c("findings", orders_path(), "--of", "sum(net_sales)", "--by", "customer"))$out,
    "^concentration ", all = FALSE)
})

test_that("a file without rows gives empty tables, whatever is asked over periods", {
  path <- write_text("order_no,order_date,region,customer,net_sales,profit\n")
  ask <- c(path, "--of", "sum(net_sales)", "--by", "customer")
  over <- c("--over", "month(order_date)")
  for (args in list(c("standings", ask, over),
    c("quadrants", ask, "--against", "sum(profit)", over), c("extremes", ask, over),
    c("movement", ask, over), c("movement", ask, over, "--table", "transitions"),
    c("grid", ask, "--across", "month(order_date)"), c("targets", ask, over, "--target", "5"),
    c("targets", ask, over, "--target", "year_ago()"),
    c("standings", path, "--of", "per_day(sum(net_sales))", "--by", "customer", over))) {
    run <- run_here(c(args, "--format", "csv"))
    expect_equal(run$status, 0, info = paste(args, collapse = " "))
    expect_match(run$err[1], "Nothing is left")
    expect_equal(nrow(utils::read.csv(text = run$out)), 0)
    expect_equal(run_here(args)$status, 0)
  }
  run <- run_here(c("changes", ask, over))
  expect_equal(run$status, 1)
  expect_match(run$err[1], "`order_date` has no date at all")
})

test_that("rank intervals from the shell is that of R, for the same seed", {
  ask <- c("intervals", orders_path(), "--of", "sum(net_sales)", "--by", "region", "--orders",
    "order_no", "--times", "200", "--seed", "7")
  x <- rank_intervals(standings(orders_path(), of = sum(net_sales), by = region), orders = order_no,
    times = 200, seed = 7)
  csv <- utils::read.csv(text = run_here(c(ask, "--format", "csv"))$out)
  expect_equal(csv$rank_low, x$rank_low)
  expect_equal(csv$value_high, x$value_high)
  expect_equal(run_here(c(ask, "--level", "90"))$status, 2)
})

test_that("wrong selections, schemes and settings end with 2, and an item that is not there with 1", {
  ask <- c(orders_path(), "--of", "sum(net_sales)", "--by", "customer")
  wrong <- list(
    "Did you mean `top`" = c("standings", ask, "--only", "topp(3)"),
    "grow, but the highest" = c("tiers", ask, "--scheme", "tiers_by_value(c(A = 1, B = 2))"),
    "add up to 20%" = c("tiers", ask, "--scheme", "tiers_by_percentile(c(A = '20%'))"),
    "`--table` must be" = c("standings", ask, "--table", "tiers"),
    "must be \"one\"" = c("standings", ask, "--unit", "dozen"),
    "such as 'net_sales=Net sales'" = c("standings", ask, "--label", "Net sales"),
    "`--item` is missing" = c("why", ask)
  )
  for (message in names(wrong)) {
    run <- run_here(wrong[[message]])
    expect_equal(run$status, 2, info = message)
    expect_match(paste(run$err, collapse = " "), message, fixed = TRUE)
    expect_identical(run$out, character())
  }
  expect_equal(run_here(c("why", ask, "--item", "Nobody"))$status, 1)
})

test_that("what the shell prints is what R prints", {
  withr::local_options(cli.unicode = TRUE)
  orders <- orders_path()
  goals <- system.file("extdata", "targets.csv", package = "eggcrate")
  s <- standings(orders, of = sum(net_sales), by = customer)
  same <- function(command, x, ..., by = "customer") {
    run <- run_here(c(command, orders, "--of", "sum(net_sales)", "--by", by, ...))
    expect_equal(run$out, format(x, width = 80), info = command)
    expect_true(nzchar(run$out[1]), info = command)
  }
  same("standings", s)
  same("pareto", pareto(orders, of = sum(net_sales), by = customer))
  same("tiers", assign_tiers(s, tiers_equal(3)), "--scheme", "tiers_equal(3)")
  margin <- "margin = sum(profit) / sum(net_sales)"
  same("quadrants", quadrants(orders, of = sum(net_sales), against = !!margin, by = customer),
    "--against", margin)
  over <- c("--over", "quarter(order_date)")
  same("changes",
    compare_periods(orders, of = sum(net_sales), by = customer, over = quarter(order_date)), over)
  same("targets",
    against_target(orders, of = sum(net_sales), by = region, over = month(order_date),
      target = demo_targets(), where = in_period(order_date, latest(month))),
    "--over", "month(order_date)", "--target", goals, "--where",
    "in_period(order_date, latest(month))", by = "region")
  same("extremes",
    extremes(standings(orders, of = sum(net_sales), by = region, over = quarter(order_date))),
    over, by = "region")
  same("grid",
    heat_grid(orders, of = sum(net_sales), by = region, across = quarter(order_date)),
    "--across", "quarter(order_date)", by = "region")
  same("movement",
    movement(orders, of = sum(net_sales), by = customer, over = quarter(order_date),
      scheme = tiers_equal(4)), over)
  same("concentration", concentration(s))
  same("intervals",
    rank_intervals(standings(orders, of = sum(net_sales), by = region), orders = order_no, times = 50),
    "--orders", "order_no", "--times", "50", by = "region")
  same("findings", findings(s, over = quarter(order_date), against = !!margin), over, "--against",
    margin)
  same("why", why(s, "Varlow Boatyard"), "--item", "Varlow Boatyard")
})

test_that("a picture has the size, the title and the subtitle that are asked for", {
  withr::local_dir(withr::local_tempdir())
  ask <- function(...) run_here(c("standings", orders_path(), "--of", "net_sales", "--by", "region", ...))
  expect_equal(ask("--chart", "a.svg", "--title", "Regions & more", "--subtitle", "as of June", "--width", "800",
    "--height", "600", "--dpi", "100")$status, 0)
  svg <- paste(readLines("a.svg"), collapse = "\n")
  expect_match(svg, "width='576.00pt' height='432.00pt'")
  expect_match(svg, "Regions &amp; more")
  expect_match(svg, "as of June")
  expect_equal(ask("--chart", "a.png", "--width", "640", "--height", "400")$status, 0)
  # The size stands in the header, in big-endian.
  expect_equal(readBin("a.png", "integer", 6, endian = "big")[5:6], c(640, 400))
  for (wrong in list(c("--width", "800"), c("--title", "x"), c("--chart", "b.png", "--width", "8"),
    c("--chart", "b.png", "--height", "99999"), c("--chart", "b.png", "--dpi", "x"))) {
    got <- do.call(ask, as.list(wrong))
    expect_equal(got$status, 2)
    expect_match(got$err[1], "chart|whole number|number")
  }
  expect_false(file.exists("b.png"))
})

test_that("the parts of a table of thresholds may be said", {
  ask <- function(...) run_here(c("pareto", orders_path(), "--of", "net_sales", "--by", "product", ...))
  got <- ask("--table", "thresholds", "--shares", "5%, 0.1,20%", "--format", "csv")
  plain <- threshold_table(pareto(demo_orders(), net_sales, product), shares = c("5%", "10%", "20%"))
  expect_equal(utils::read.csv(text = got$out)$items, plain$items)
  expect_match(ask("--table", "thresholds", "--shares", "20%")$out, "^20% +3 ", all = FALSE)
  expect_equal(ask("--shares", "5%")$status, 2)
  expect_equal(ask("--table", "thresholds", "--shares", "5")$status, 2)
})

test_that("the command runs through links, and says in one line that there is no temporary folder", {
  link <- file.path(withr::local_tempdir(), "link")
  file.symlink(command_path(), link)
  expect_equal(run_process("--version", command = link)$status, 0)
  checkout <- file.path(Sys.getenv("EGGCRATE_CHECKOUT"), "bin", "eggcrate")
  second <- file.path(dirname(link), "second")
  file.symlink(checkout, file.path(dirname(link), "first"))
  file.symlink("first", second)
  expect_match(run_process("--version", command = second)$out, "^eggcrate [0-9]")
  got <- run_process("--version", env = c(TMPDIR = "/nowhere/at/all"))
  expect_equal(got$status, 1)
  expect_identical(got$err, "eggcrate: The temporary folder '/nowhere/at/all' cannot be written to.")
})
