test_that("a question that was asked becomes a part, and what is there stays", {
  folder <- study_folder()
  withr::local_dir(folder)
  before <- c("# mine", study_head, "", "# the first", simple_part(), "", "# the end")
  path <- write_study(before, folder)
  got <- run_here(c("tiers", "orders.csv", "--of", "sum(net_sales)", "--by", "customer", "--scheme", "tiers_equal(3)",
    "--where", "category != \"Rope\"", "--only", "top(5)", "--highlight", "best = top(1)", "--table", "tiers", "--add-to", "review.toml"))
  expect_equal(got$status, 0)
  expect_match(got$err, "Added part \"tiers-customer\" to review.toml", all = FALSE)
  after <- readLines(path)
  expect_identical(after[seq_along(before)], before)
  expect_true(all(c("where = 'category != \"Rope\"'", "only = \"top(5)\"", "highlight = \"best = top(1)\"",
    "tables = [\"items\", \"tiers\"]") %in% after))
  expect_equal(nrow(check_study(path)$problems), 0)
  again <- run_here(c("standings", "orders.csv", "--of", "sum(units)", "--by", "product", "--add-to", "review.toml", "--part", "units"))
  expect_match(readLines(path), "name = \"units\"", all = FALSE)
  # The same name again, a name that leads out, a file that is no study: before anything is asked.
  for (wrong in list(c("--part", "units"), c("--part", "../x"))) {
    got <- run_here(c("standings", "orders.csv", "--of", "sum(units)", "--by", "product", "--add-to", "review.toml", wrong))
    expect_equal(got$status, 2)
    expect_identical(got$out, character())
  }
  expect_equal(run_here(c("standings", "orders.csv", "--of", "units", "--by", "product", "--add-to", "orders.csv"))$status, 2)
  expect_equal(run_here(c("standings", "orders.csv", "--of", "units", "--by", "product", "--part", "x"))$status, 2)
})

test_that("what is shown of a question is kept too, and a question of another file is not", {
  folder <- study_folder()
  withr::local_dir(folder)
  ask <- function(...) run_here(c(..., "--of", "sum(net_sales)", "--by", "region", "--add-to", "kept.toml"))
  expect_equal(ask("grid", "orders.csv", "--across", "quarter(order_date)", "--totals", "no", "--figures", "no")$status, 0)
  expect_equal(ask("standings", "orders.csv", "--layout", "region-tiles.csv", "--also", "profit = sum(profit)", "--shade", "profit", "--centre", "0")$status, 0)
  expect_equal(ask("pareto", "orders.csv", "--table", "thresholds", "--shares", "10%,50%")$status, 0)
  lines <- readLines("kept.toml")
  expect_true(all(c("totals = false", "figures = false", "layout = \"region-tiles.csv\"", "shade = \"profit\"", "centre = 0",
    "charts = \"tiles\"", "shares = [\"10%\", \"50%\"]", "tables = [\"items\", \"thresholds\"]") %in% lines))
  expect_equal(nrow(check_study("kept.toml")$problems), 0)
  file.copy("orders.csv", "others.csv")
  other <- ask("standings", "others.csv")
  expect_equal(other$status, 2)
  expect_identical(other$out, character())
  expect_match(other$err[1], "a study of orders.csv, and this was asked of others.csv")
  expect_error(add_part(standings("others.csv", of = sum(units), by = region), "kept.toml"), "asked of others.csv", class = "eggcrate_error_call")
  expect_identical(readLines("kept.toml"), lines)
  # The same file by another name of it.
  expect_equal(ask("standings", file.path("..", basename(folder), "orders.csv"))$status, 0)
})

test_that("a study that cannot take a part is left as it is", {
  folder <- study_folder()
  for (lines in list(c("part = [ { name = \"a\" } ]", study_head), c(study_head, "x ="), c("eggcrate = 9", study_head[-1]))) {
    path <- write_study(lines, folder)
    got <- run_here(c("standings", file.path(folder, "orders.csv"), "--of", "units", "--by", "product", "--add-to", path))
    expect_equal(got$status, 2)
    expect_identical(readLines(path), lines)
  }
})

test_that("a new study has the file, how it is read, and the display", {
  folder <- study_folder()
  dir.create(file.path(folder, "studies"))
  text <- readLines(file.path(folder, "orders.csv"), 300)
  writeLines(gsub(",", ";", text), file.path(folder, "semi.csv"))
  got <- run_here(c("standings", file.path(folder, "semi.csv"), "--separator", ";", "--of", "sum(net_sales)", "--by", "customer",
    "--currency", "\u20ac", "--label", "net_sales=Net sales", "--add-to", file.path(folder, "studies", "new.toml")))
  expect_equal(got$status, 0)
  lines <- readLines(file.path(folder, "studies", "new.toml"), encoding = "UTF-8")
  expect_true(all(c("file = \"../semi.csv\"", "separator = \";\"", "labels = { net_sales = \"Net sales\" }", "currency = \"\u20ac\"") %in% lines))
  expect_equal(nrow(check_study(file.path(folder, "studies", "new.toml"))$problems), 0)
})

test_that("every result that one question asks for can be added, and asks the same again", {
  folder <- study_folder()
  orders <- file.path(folder, "orders.csv")
  path <- file.path(folder, "all.toml")
  base <- standings(orders, of = sum(net_sales), by = customer, where = units > 2, also = c(profit = sum(profit)))
  scheme <- tiers_by_share(c(A = "80%", "B b" = "95%"), rest = "C", boundary = "within")
  results <- list(
    base, in_order(only(highlight(base, best = top(3), worst = bottom(3)), top(10) | bottom(5)), profit),
    only(only(base, top(20)), above(1000)),
    assign_tiers(base, scheme), assign_tiers(base, tiers_by_value(c(A = "30%", B = "10%"), of = sum(profit) / sum(net_sales))),
    assign_tiers(base, tiers_by_percentile(c(A = "12.5%", B = "30%", C = "57.5%"))), assign_tiers(base, tiers_by_rank(c(A = 10, B = 50), colours = c(A = "#112233"))),
    assign_tiers(base, tiers_equal(2, labels = c("high", "low"))),
    pareto(orders, of = sum(net_sales), by = product, reach = 0.5, boundary = "within"),
    quadrants(orders, of = sum(net_sales), by = customer, against = c(margin = sum(profit) / sum(net_sales)), split_against = 0.3,
      groups = c("a", "b", "c", "d")),
    compare_periods(orders, of = sum(net_sales), by = customer, over = month(order_date), to = "2026-05", tolerance = "5%"),
    against_target(orders, of = sum(net_sales), by = region, over = month(order_date), target = previous()),
    heat_grid(orders, of = sum(net_sales), by = region, across = quarter(order_date), totals = FALSE),
    movement(orders, of = sum(net_sales), by = customer, over = quarter(order_date), scheme = tiers_equal(3)),
    extremes(standings(orders, of = sum(net_sales), by = salesperson, within = region)),
    concentration(base), rank_intervals(base, order_no, times = 50),
    findings(base, over = quarter(order_date)), findings(assign_tiers(base, scheme)), why(assign_tiers(base, scheme), "Varlow Boatyard"))
  for (x in results) {
    if (inherits(x, "eggcrate_why")) {
      add_part(x, path, file = orders)
    } else {
      add_part(x, path)
    }
  }
  study <- eggcrate:::load_study(path)
  expect_identical(study$problems, list())
  expect_equal(length(study$parts), length(results))
  source <- eggcrate:::open_source(orders)
  for (i in seq_along(results)) {
    again <- eggcrate:::ask(study$parts[[i]]$command, eggcrate:::part_args(study, study$parts[[i]]), source)
    expect_identical(as.data.frame(again), as.data.frame(results[[i]]), info = study$parts[[i]]$name)
  }
})

test_that("what no single question asks for is refused", {
  path <- withr::local_tempfile(fileext = ".toml")
  x <- standings(orders_path(), of = sum(net_sales), by = customer)
  expect_error(add_part(drill(x, "Varlow Boatyard", by = product), path), "a single question", class = "eggcrate_error_unknown_value")
  expect_error(add_part(tibble::as_tibble(x), path), class = "eggcrate_error_unknown_value")
  expect_error(add_part(assign_tiers(pareto(orders_path(), of = sum(net_sales), by = customer), tiers_equal(2)), path), "tiers of pareto")
  expect_error(add_part(against_target(orders_path(), of = sum(net_sales), by = region, over = month(order_date), target = demo_targets()), path),
    "target")
  expect_error(add_part(standings(demo_orders(), of = sum(net_sales), by = customer), path), "file = ", class = "eggcrate_error_call")
  expect_error(add_part(standings(lookup(orders_path(), data.frame(region = "Midmark", coast = "west")), of = units, by = coast), path), "lookup")
  expect_false(file.exists(path))
  add_part(x, path)
  expect_error(add_part(x, path, name = "standings-customer"), "already", class = "eggcrate_error_name")
})

test_that("a study is begun with the questions that the columns suggest", {
  folder <- study_folder()
  withr::local_dir(folder)
  got <- run_here(c("study", "orders.csv", "--out", "mine.toml"))
  expect_equal(got$status, 0)
  lines <- readLines("mine.toml")
  expect_true(all(c("file = \"orders.csv\"", "date = \"order_date\"", "percent = [\"profit_share\"]") %in% lines))
  x <- check_study("mine.toml")
  expect_equal(nrow(x$problems), 0)
  expect_true(all(c("findings", "changes", "pareto", "tiers", "quadrants", "grid") %in% x$parts$command))
  # Each part has a line on why.
  expect_true(all(startsWith(lines[which(lines == "[[part]]") - 1], "# ")))
  expect_equal(run_here(c("study", "orders.csv", "--out", "mine.toml"))$status, 1)
  expect_equal(run_here("study")$status, 2)
  writeLines(c("Who,How much", "a,1", "b,2", "a,3"), "odd.csv")
  expect_equal(run_here(c("study", "odd.csv"))$status, 0)
  expect_equal(nrow(check_study("odd.toml")$problems), 0)
  writeLines(c("a,b", "x,y"), "none.csv")
  expect_match(run_here(c("study", "none.csv"))$err[1], "no column to add up")
})
