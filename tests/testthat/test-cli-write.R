test_that("a file is written whole, and an existing one only replaced when asked", {
  withr::local_dir(withr::local_tempdir())
  args <- c("standings", orders_path(), "--of", "net_sales", "--by", "region", "--out",
    "regions.csv")
  expect_equal(run_here(args)$status, 0)
  x <- utils::read.csv("regions.csv")
  expect_identical(x$region, standings(orders_path(), of = net_sales, by = region)$region)
  writeLines("mine", "regions.csv")
  again <- run_here(args)
  expect_equal(again$status, 1)
  expect_match(again$err[1], "exists already")
  expect_identical(readLines("regions.csv"), "mine")
  expect_equal(run_here(c(args, "--overwrite"))$status, 0)
  expect_equal(nrow(utils::read.csv("regions.csv")), 8)
  expect_identical(list.files(), "regions.csv")
  expect_equal(run_here(c(args[1:6], "--out", "no/such/folder.csv"))$status, 1)
})

test_that("text that looks like a formula is text in a file and raw on standard output", {
  path <- write_text("k,v\n=1+1,3\n-5,2\n@x,1\n\"a,\"\"b\"\"\",0.1\n")
  out <- withr::local_tempfile(fileext = ".csv")
  run_command(c("standings", path, "--of", "v", "--by", "k", "--out", out)) |>
    capture.output(type = "message")
  expect_identical(utils::read.csv(out)$k, c("'=1+1", "'-5", "'@x", "a,\"b\""))
  raw <- run_here(c("standings", path, "--of", "v", "--by", "k", "--format", "csv"))
  expect_identical(utils::read.csv(text = raw$out)$k, c("=1+1", "-5", "@x", "a,\"b\""))
})

test_that("json is right for odd text and missing values", {
  lines <- data.frame(k = c("quote \" slash \\ \u00e9", NA, "number-of-eggcrate:x"),
    v = c(0.1, 1 / 3, -2))
  x <- standings(lines, of = v, by = k)
  back <- jsonlite::fromJSON(eggcrate:::json_lines(x))
  expect_identical(back$items$k, x$k)
  expect_equal(back$items$v, x$v, tolerance = 0)
  expect_identical(back$question$by, "k")
})

test_that("every digit of a number is written, and no more", {
  x <- c(0.1, 1 / 3, 4312945.56, 1e15, -0.5, NA, 2/3)
  expect_identical(as.numeric(eggcrate:::number_text(x)), x)
  expect_identical(eggcrate:::number_text(c(0.1, 4312945.56)), c("0.1", "4312945.56"))
})

test_that("per cent signs and other marks in names come through as they are", {
  names <- c("80% of rope", "100%s %d %n", "a \"quoted\" name", "two\nlines", "caf\u00e9, corner")
  x <- standings(data.frame(k = names, v = 5:1), of = sum(v), by = k)
  lines <- eggcrate:::csv_text(x, escape = FALSE)
  expect_equal(utils::read.csv(text = lines, encoding = "UTF-8")$k, names)
})

test_that("options that would change nothing are refused, or say so", {
  ask <- c("standings", orders_path(), "--of", "net_sales", "--by", "region")
  tiles <- run_here(c(ask, "--shade", "profit"))
  expect_equal(tiles$status, 2)
  expect_match(tiles$err, "--layout", all = FALSE)
  for (option in c("--bars", "--muted", "--percent", "--money")) {
    run <- run_here(c(ask, option, "prfit"))
    expect_equal(run$status, 0)
    expect_match(run$err, sprintf("no column `prfit`; %s has no effect", option), all = FALSE)
  }
  expect_match(run_here(c(ask, "--label", "nett=Net"))$err, "no column `nett`", all = FALSE)
  expect_length(run_here(c(ask, "--bars", "net_sales", "--label", "region=Region"))$err, 0)
  expect_match(run_here(c(ask, "--bars", "prfit"))$out, "24.4%", all = FALSE)
  both <- run_here(c("grid", orders_path(), "--of", "net_sales", "--by", "region", "--across", "category",
    "--scheme", "tiers_equal(3)", "--shade", "value"))
  expect_equal(both$status, 2)
})

test_that("any chart of a command can be drawn, and is added to a study", {
  folder <- withr::local_tempdir()
  chart <- file.path(folder, "a.svg")
  ask <- c("tiers", orders_path(), "--of", "sum(net_sales)", "--by", "customer", "--only", "top(5)", "--chart", chart, "--overwrite")
  drawn <- vapply(c("tiers", "tier_table", "bars"), function(name) {
    study <- file.path(folder, "s.toml")
    unlink(study)
    expect_identical(run_here(c(ask, "--draw", name, "--add-to", study))$status, 0L)
    expect_match(grep("^charts", readLines(study), value = TRUE), sprintf("\"%s\"", name), fixed = TRUE)
    paste(readLines(chart), collapse = "")
  }, "")
  expect_identical(anyDuplicated(drawn), 0L)
  expect_match(drawn[["bars"]], "Sorrelby Boatyard")
  expect_match(run_here(c(ask, "--draw", "bridge"))$err, "must be \"tiers\", \"tier_table\", \"bars\" or \"tiles\"", all = FALSE)
  alone <- run_here(c("tiers", orders_path(), "--of", "sum(net_sales)", "--by", "customer", "--draw", "bars"))
  expect_identical(alone$status, 2L)
  expect_match(alone$err, "--chart", all = FALSE)
})

test_that("--format xlsx needs a file that ends in .xlsx, and agrees with it", {
  withr::local_dir(withr::local_tempdir())
  ask <- function(...) run_here(c("standings", orders_path(), "--of", "sum(net_sales)", "--by", "region", ...))
  expect_identical(ask("--format", "xlsx", "--out", "a.xlsx")$status, 0L)
  expect_identical(openxlsx::getSheetNames("a.xlsx")[1L], openxlsx::getSheetNames({
    ask("--out", "b.xlsx")
    "b.xlsx"
  })[1L])
  expect_match(ask("--format", "xlsx")$err, "--out result.xlsx", all = FALSE)
  expect_match(ask("--format", "xlsx", "--out", "a.csv")$err, "ends in .xlsx", all = FALSE)
  expect_match(ask("--format", "csv", "--out", "c.xlsx")$err, "is a workbook, but --format is csv", all = FALSE)
})
