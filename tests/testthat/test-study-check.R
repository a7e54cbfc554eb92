# Broken studies: what is wrong, in which line, and what to do. The lines before are
# 1 eggcrate, 2 [source], 3 file, 4 date; of the first part 5 to 9.
broken <- list(
  "no version" = list(c("[source]", "file = \"orders.csv\"", simple_part()), 1, "which version", "eggcrate = 1"),
  "an old version" = list(c("eggcrate = 0", study_head[-1], simple_part()), 1, "version 0", "eggcrate = 1"),
  "a later version" = list(c("eggcrate = 2", study_head[-1], simple_part()), 1, "version 2", "newer eggcrate"),
  "a version in quotes" = list(c("eggcrate = \"1\"", study_head[-1], simple_part()), 1, "\"1\"", "eggcrate = 1"),
  "no value" = list(c(study_head, "title ="), 5, "has no value", "TOML"),
  "an open quote" = list(c(study_head, "[[part]]", "name = \"x"), 6, "quote", "TOML"),
  "an open list" = list(c(study_head, "[[part]]", "by = [\"a\", ", "of = \"b\""), 7, "text must be in quotes", "TOML"),
  "a key twice" = list(c(study_head, "[[part]]", "name = \"a\"", "name = \"b\""), 7, "given twice", "TOML"),
  "a word without quotes" = list(c(study_head, "[[part]]", "name = customers"), 6, "text must be in quotes", "TOML"),
  "a list of two kinds" = list(c(study_head, "[values]", "x = [1, \"a\"]"), 6, "one kind", "TOML"),
  "no source" = list(c("eggcrate = 1", simple_part()), 1, "where its rows come from", "[source]"),
  "no part" = list(study_head, 1, "asks nothing", "[[part]]"),
  "a file that is not there" = list(c("eggcrate = 1", "[source]", "file = \"ordres.csv\"", simple_part()), 3, "ordres.csv", ""),
  "an unknown key" = list(c("eggcrate = 1", "titel = \"x\"", study_head[-1], simple_part()), 2, "no `titel`", "`title`"),
  "an unknown key of the source" = list(c(study_head, "encodng = \"latin1\"", simple_part()), 5, "no `source.encodng`", "`source.encoding`"),
  "an unknown key of the display" = list(c(study_head, "[display]", "curency = \"x\"", simple_part()), 6, "no `display.curency`", "`display.currency`"),
  "an unknown key of a part" = list(c(study_head, simple_part("a", "wher = \"units > 1\"")), 10, "no `wher`", "`where`"),
  "an argument of another command" = list(c(study_head, simple_part("a", "reach = \"80%\"")), 10, "no `reach` in a part that asks standings", ""),
  "no command" = list(c(study_head, "[[part]]", "name = \"a\""), 5, "no `command`", "standings"),
  "an unknown command" = list(c(study_head, "[[part]]", "name = \"a\"", "command = \"standing\""), 7, "no command \"standing\"", "\"standings\""),
  "no name" = list(c(study_head, simple_part()[-2]), 5, "no `name`", "name = "),
  "a name that leads out" = list(c(study_head, simple_part("../../x")), 6, "short name", "letters"),
  "a name that is a path" = list(c(study_head, simple_part("/tmp/x")), 6, "short name", "letters"),
  "two parts of one name" = list(c(study_head, simple_part("a"), simple_part("A")), 10, "two parts of the name `A`", "another"),
  "a number as text" = list(c(study_head, simple_part("a", "rows = \"ten\"")), 10, "whole number", ""),
  "a flag as text" = list(c(study_head, simple_part("a", "others = \"true\"")), 10, "true or false", ""),
  "a choice that there is not" = list(c(study_head, simple_part("a", "ties = \"mean\"")), 10, "\"dense\"", ""),
  "a list for a text" = list(c(study_head, simple_part("a", "where = [\"units > 1\"]")), 10, "text in quotes, not a list", ""),
  "a table that the command has not" = list(c(study_head, simple_part("a", "tables = [\"tier\"]")), 10, "no table \"tier\"", "totals"),
  "a chart that the command has not" = list(c(study_head, simple_part("a", "charts = [\"bridge\"]")), 10, "no chart \"bridge\"", "bars"),
  "tiles without a layout" = list(c(study_head, simple_part("a", "charts = [\"tiles\"]")), 10, "the place of each region", "layout"),
  "a measure that cannot be read" = list(c(study_head, "[measures]", "m = \"sum(profit\"", simple_part()), 6, "cannot be read", ""),
  "a name in two tables" = list(c(study_head, "[measures]", "m = \"sum(profit)\"", "[values]", "m = 3", simple_part()), 8, "[measures] and in [values]", "one meaning"),
  "a circle" = list(c(study_head, "[selections]", "a = \"!b\"", "b = \"a | top(3)\"", simple_part()), 6, "circle: a -> b -> a", "must not use the others"),
  "a value that is a table" = list(c(study_head, "[values]", "m = { x = 1 }", simple_part()), 6, "not a table", ""),
  "a name that is a column" = list(c(study_head, "[values]", "units = 3", simple_part()), 6, "a column of orders.csv", "otherwise"),
  "an unknown column" = list(c(study_head, simple_part("a", "within = \"regon\"")), 10, "no column `regon`", "`region`"),
  "an unknown column in a condition" = list(c(study_head, simple_part("a", "where = \"unts > 3\"")), 10, "no column `unts`", "`units`"),
  "an unknown column for all" = list(c("eggcrate = 1", "where = \"regon == 'x'\"", study_head[-1], simple_part()), 2, "no column `regon`", "`region`"),
  "an unknown date" = list(c(study_head[-4], "date = \"day\"", simple_part()), 4, "no column `day`", ""),
  "an unknown function" = list(c(study_head, simple_part("a", "having = \"summ(net_sales) > 3\"")), 10, "summ", "sum"),
  "an unknown selection" = list(c(study_head, simple_part("a", "only = \"topp(3)\"")), 10, "topp", "top"),
  "a tier of no tiers" = list(c(study_head, simple_part("a", "only = \"in_tier('A')\"")), 10, "no tiers", ""),
  "a scheme out of order" = list(c(study_head, sub("standings", "tiers", simple_part("a")), "scheme = \"tiers_by_rank(c(A = 20, B = 10))\""), 10, "would be empty", ""),
  "a part of more than all" = list(c(study_head, sub("standings", "pareto", simple_part("a")), "reach = 80"), 10, "reach", "80%"),
  "a table of what does not add up" = list(c(study_head, sub("sum\\(net_sales\\)", "mean(units)", simple_part("a")), "tables = [\"thresholds\"]"), 10,
    "mean(units)", ""),
  "a period that is none" = list(c(study_head, sub("standings", "changes", simple_part("a")), "over = \"month(order_date)\"", "to = \"latest(mnth)\""), 11, "needs a period", ""),
  "code of R" = list(c(study_head, simple_part("a", "where = \"system('touch hacked') == 0\"")), 10, "system", ""),
  "code of R in a measure" = list(c(study_head, "[measures]", "m = \"{ writeLines('x', 'hacked') }\"", sub("sum\\(net_sales\\)", "m", simple_part("a"))), 10, "", ""),
  "for each of no column" = list(c("eggcrate = 1", "for_each = \"salesman\"", study_head[-1], simple_part()), 2, "no column `salesman`", "salesperson"),
  "for each of no part" = list(c("eggcrate = 1", "for_each = { column = \"region\", part = \"x\", only = \"top(1)\" }", study_head[-1], simple_part()), 2, "part \"x\"", "customers")
)

test_that("each broken study names its line and a way out, and none runs anything", {
  folder <- study_folder()
  expect_gte(length(broken), 40)
  for (name in names(broken)) {
    one <- broken[[name]]
    path <- write_study(one[[1]], folder)
    problems <- check_study(path)$problems
    at <- which(problems$line == one[[2]])
    expect_gte(length(at), 1)
    expect_match(paste(problems$problem[at], collapse = " "), one[[3]], fixed = TRUE, info = name)
    expect_match(paste(problems$hint[at], collapse = " "), one[[4]], fixed = TRUE, info = name)
    error <- tryCatch(run_study(path, file.path(folder, "out"), quiet = TRUE), error = identity)
    expect_s3_class(error, "eggcrate_error_study")
    expect_match(conditionMessage(error), sprintf("Line %d:", one[[2]]), info = name)
    expect_lt(nchar(conditionMessage(error)), 1200)
  }
  expect_false(any(file.exists(file.path(folder, c("out", "hacked")))))
})

test_that("errors in tables of targets and of items, and in `whole`, are reported before anything runs", {
  folder <- study_folder()
  targets <- read.csv(test_path("..", "..", "inst", "extdata", "targets.csv"))
  write <- function(x, file) write.csv(x, file.path(folder, file), row.names = FALSE)
  write(setNames(targets, c("region", "monat", "target")), "monat.csv")
  write(setNames(targets, c("area", "month", "target")), "area.csv")
  write(transform(targets, month = "May 26"), "may.csv")
  write(transform(targets, target = "much"), "much.csv")
  write(data.frame(region = c("Midmark", "Midmark")), "regions.csv")
  write(data.frame(month = "soon"), "soon.csv")
  of_targets <- function(file) c("[[part]]", "name = \"t\"", "command = \"targets\"", "of = \"sum(net_sales)\"", "by = \"region\"", "over = \"month(order_date)\"",
    sprintf("target = \"%s\"", file))
  of_items <- function(by, file) c("[[part]]", "name = \"t\"", "command = \"standings\"", "of = \"sum(net_sales)\"", sprintf("by = \"%s\"", by),
    sprintf("all_items = \"%s\"", file))
  found <- function(part, ...) {
    path <- write_study(c("eggcrate = 1", ..., study_head[-1], part), folder)
    problems <- check_study(path)$problems
    expect_identical(nrow(problems), 1L)
    expect_error(run_study(path, file.path(folder, "out"), quiet = TRUE), class = "eggcrate_error_study")
    paste(sub("=.*", "=", readLines(path)[problems$line]), problems$problem, problems$hint)
  }
  expect_match(found(of_targets("monat.csv")), "^target = .*more than one target.*no column `month`")
  expect_match(found(of_targets("area.csv")), "^target = .*no column `region` in the table of targets")
  expect_match(found(of_targets("may.csv")), "^target = .*\"May 26\" in `month`")
  expect_match(found(of_targets("much.csv")), "^target = .*one column of numbers")
  expect_match(found(of_items("month(order_date)", "soon.csv")), "^all_items = .*\"soon\" in `month`")
  expect_match(found(simple_part("a", "whole = true"), "for_each = \"region\""), "^whole = .*needs the column `region`.*`show = \"region\"`")
  expect_false(file.exists(file.path(folder, "out")))
})

test_that("a name that is not quite one of the study's is pointed at, and brings no other complaint", {
  folder <- study_folder()
  path <- write_study(c(study_head, "[values]", "key_acount = 30000", "[measures]", "margin = \"sum(profit) / sum(net_sales)\"",
    sub("standings", "tiers", simple_part("a")), "scheme = \"tiers_by_value(c(A = key_account))\"", "also = \"margin\"",
    "[[part]]", "name = \"b\"", "command = \"quadrants\"", "of = \"sum(units)\"", "by = \"product\"", "against = \"magin\""), folder)
  problems <- check_study(path)$problems
  expect_identical(problems$line, c(14L, 21L))
  expect_match(problems$hint[1], "Did you mean `key_acount` of the study?", fixed = TRUE)
  expect_match(problems$hint[2], "`margin` of the study", fixed = TRUE)
})

test_that("what the study says for all is pointed at where it stands, and a wrong lookup hides nothing", {
  folder <- study_folder()
  path <- write_study(c("eggcrate = 1", "as_of = \"2026-01-31\"", "[source]", "file = \"orders.csv\"", "[[lookup]]", "file = \"customers.csv\"", "by = \"client\"",
    simple_part("a"), simple_part("b", "within = \"regon\"", "over = \"month(order_date)\"")), folder)
  problems <- check_study(path)$problems
  expect_identical(problems$line, c(2L, 5L, 18L))
  expect_match(problems$problem[1], "`as_of` needs a date")
  expect_match(problems$problem[2], "no column `client`")
})

test_that("everything that is wrong is told at once", {
  folder <- study_folder()
  path <- write_study(c(study_head, "currency = \"x\"", simple_part("a", "within = \"regon\"", "where = \"unts > 3\"", "only = \"topp(3)\""),
    "[[part]]", "name = \"b\"", "command = \"pareto\"", "of = \"sum(net)\"", "by = \"custmer\"", "reach = 80"), folder)
  problems <- check_study(path)$problems
  expect_identical(problems$line, c(5L, 11L, 12L, 13L, 17L, 18L, 19L))
  got <- run_here(c("check", path))
  expect_equal(got$status, 2)
  expect_match(got$out[1], "review.toml: 7 things are wrong")
  for (line in problems$line) expect_match(got$out, sprintf("^Line %d: ", line), all = FALSE)
  expect_match(run_here(c("check", path, "--format", "csv"))$out[1], "line,problem,hint")
  run <- run_here(c("run", path, "--out", file.path(folder, "out")))
  expect_equal(run$status, 2)
  expect_match(run$err, "eggcrate check review.toml", all = FALSE)
  expect_false(file.exists(file.path(folder, "out")))
})

test_that("the example of every command is without fault, and is said in words", {
  x <- check_study(system.file("studies", "review.toml", package = "eggcrate"))
  expect_equal(nrow(x$problems), 0)
  expect_setequal(unique(x$parts$command), names(eggcrate:::grammar_commands))
  expect_match(format(x)[1], "15 parts, nothing is wrong")
  expect_match(format(x), "sum\\(net_sales\\) by customer over quarter", all = FALSE)
  # Against another file it is checked by that file's columns.
  other <- check_study(system.file("studies", "review.toml", package = "eggcrate"),
    source = system.file("extdata", "orders-untidy.csv", package = "eggcrate"))
  expect_gt(nrow(other$problems), 5)
})

test_that("a study has no option of a file, and a file that is no study is said to be none", {
  folder <- study_folder()
  path <- write_study(c(study_head, simple_part()), folder)
  wrong <- run_here(c("check", path, "--decimal", ","))
  expect_equal(wrong$status, 2)
  expect_match(wrong$err, "--decimal", all = FALSE)
  writeBin(as.raw(c(1, 0, 2)), file.path(folder, "b.toml"))
  expect_error(check_study(file.path(folder, "b.toml")), class = "eggcrate_error_format")
  expect_error(check_study(file.path(folder, "none.toml")), class = "eggcrate_error_file")
})

test_that("what would take for ever is refused at once, with its line and code 2", {
  folder <- study_folder()
  doubled <- c("[measures]", "m0 = \"sum(net_sales)\"", sprintf("m%d = \"m%d + m%d\"", 1:60, 0:59, 0:59))
  studies <- list("`m[0-9]+` is longer than 10,000 characters" = c(study_head, doubled, quick_part("a")),
    "has more than 100 nested levels" = c(study_head, paste0("x = ", strrep("[", 5000), strrep("]", 5000)), quick_part("a")),
    "more than 50 nested brackets" = c(study_head, quick_part("a", sprintf("where = \"%sunits > 1%s\"", strrep("(", 3000), strrep(")", 3000)))),
    "is too deep: more than 100 levels" = c(study_head, quick_part("a", sprintf("where = \"%s\"", paste(rep("units == 1", 2000), collapse = " | ")))))
  for (i in seq_along(studies)) {
    path <- write_study(studies[[i]], folder)
    took <- system.time(got <- run_here(c("check", path)))[["elapsed"]]
    expect_equal(got$status, 2, info = names(studies)[i])
    expect_match(gsub(" +", " ", paste(got$out, collapse = " ")), names(studies)[i])
    expect_lt(took, 15)
  }
  # A long text is no fault, and takes no longer than it is long.
  long <- sprintf("title = '%s'", strrep("a word ", 20000))
  path <- write_study(c(study_head, quick_part("a", long)), folder)
  expect_lt(system.time(got <- run_here(c("check", path)))[["elapsed"]], 15)
  expect_equal(got$status, 0)
})

test_that("what must be a number is a number, or a name of one", {
  folder <- study_folder()
  grid <- function(floor) {
    path <- write_study(c("eggcrate = 1", "[source]", "file = \"orders.csv\"", "[values]", "least = 5000", "[[part]]", "name = \"a\"", "command = \"grid\"", "of = \"sum(net_sales)\"",
      "by = \"region\"", "across = \"year(order_date)\"", "shade = \"value\"", sprintf("floor = %s", floor)), folder)
    run_here(c("check", path))
  }
  expect_equal(grid("5000")$status, 0)
  expect_equal(grid("\"least\"")$status, 0)
  for (wrong in c("true", "[5000]", "2026-01-01")) {
    got <- grid(wrong)
    expect_equal(got$status, 2, info = wrong)
    expect_match(got$out, "must be a number, or a name of \\[values\\]", all = FALSE)
  }
})
