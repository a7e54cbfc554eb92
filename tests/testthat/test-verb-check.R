test_that("a look through a file names what is odd", {
  future <- format(Sys.Date() + 400)
  path <- write_text(
    "shop,day,amount,when,x,x\n",
    "Albrek,2026-01-05,\"1,200.50\",03/04/2026,1,2\nalbrek,2026-01-06,12,05/04/2026,1,2\n",
    "Albrek  Yard,", future,
    ",none,05/04/2026,1,2\nalbrek yard,2026-01-06,7,05/04/2026,1,2\nalbrek yard,2026-01-06,7,05/04/2026,1,2\n"
  )
  x <- check_sales(path)
  expect_identical(x$columns$column, c("shop", "day", "amount", "when"))
  expect_identical(x$columns$type, c("text", "date", "text", "text"))
  expect_identical(x$columns$different, c(4L, 3L, 4L, 2L))
  f <- x$findings
  row <- function(pattern) f[grepl(pattern, f$finding), ]
  expect_equal(row("duplicate column name")$column, "x")
  expect_equal(nrow(row("differ in case")), 2)
  expect_equal(row("not a number")[c("example", "row")], data.frame(example = "none", row = 4),
    ignore_attr = TRUE)
  expect_equal(row("day and month")$column, "when")
  expect_equal(row("in the future")$row, 4)
  expect_equal(row("duplicate lines")[c("n", "row")], data.frame(n = 1, row = 6),
    ignore_attr = TRUE)
})

test_that("a clean file has nothing odd, and the command prints it", {
  path <- write_text("k,v\na,1\nb,2\n")
  expect_equal(nrow(check_sales(path)$findings), 0)
  run <- run_here(c("check", path))
  expect_equal(run$status, 0)
  expect_match(run$out[1], "lines.csv: 2 rows, 2 columns")
  expect_match(run$out, "Nothing odd", all = FALSE)
  untidy <- run_here(c("check",
    system.file("extdata", "orders-untidy.csv", package = "eggcrate")))
  expect_match(untidy$out, "customer +cells trimmed +3 +5$", all = FALSE)
  json <- run_here(c("check", orders_path(), "--format", "json"))
  expect_identical(jsonlite::fromJSON(json$out)$columns$column, names(demo_orders()))
  expect_equal(run_here(c("check", "nowhere.csv"))$status, 1)
  expect_equal(run_here(c("check", path, "--by", "k"))$status, 2)
})

test_that("a data frame is looked through too, and text in it that reads as something else is named", {
  d <- data.frame(sold = c("31/03/2025", "01/04/2025", NA), iso = c("2025-03-31", "", "2024-01-07"),
    part = c("3%", "5.5%", NA), amount = c("1,234.50", "(3.00)", "12"), name = c("Albrek", "Holt", "holt"),
    size = factor(c("s", "m", "s")))
  d$odd <- list(1, 2, 3)
  x <- check_sales(d)
  expect_identical(x$columns$column, setdiff(names(d), "odd"))
  expect_identical(x$columns$blank, c(1L, 1L, 1L, 0L, 0L, 0L))
  said <- function(column) x$findings$finding[x$findings$column == column]
  expect_identical(said("sold"), "dates as text: date(sold, \"dmy\")")
  expect_identical(said("iso"), "dates as text: date(iso)")
  expect_identical(said("part"), "percentages as text")
  expect_identical(said("amount"), "numbers as text")
  expect_match(said("name"), "differ in case")
  expect_match(said("odd"), "list")
  expect_identical(x$findings$row[x$findings$column == "name"], 3)
  expect_match(format(x)[1], "d: 3 rows")
  expect_error(check_sales(), "`data` is missing", class = "eggcrate_error_call")
  percent <- write_text("k,p\na,3%\nb,4%\n")
  expect_identical(check_sales(percent)$findings$finding, "percentages as text")
})

test_that("several files are looked through as one, and one that is there twice is pointed at", {
  folder <- withr::local_tempdir()
  dir.create(file.path(folder, "old"))
  lines <- c("k,v", "a,1", "b,2")
  writeLines(lines, file.path(folder, "may.csv"))
  writeLines(lines, file.path(folder, "copy.csv"))
  writeLines(c("v,k", "7,c"), file.path(folder, "june.csv"))
  writeLines(c("k,v", "a,9", "b,8"), file.path(folder, "old", "may.csv"))
  twice <- function(paths) {
    found <- check_sales(file.path(folder, paths))$findings
    found <- found[found$finding == "duplicate file", ]
    sprintf("%s %d, as %s", found$column, found$n, basename(found$example))
  }
  expect_identical(twice(c("may.csv", "june.csv")), character())
  expect_identical(twice(c("june.csv", "may.csv", "copy.csv")), "copy.csv 2, as may.csv") # the same bytes
  expect_identical(twice(c("may.csv", "june.csv", "old/may.csv")), "may.csv 2, as may.csv") # the same name, and as many rows
  x <- check_sales(folder)
  expect_identical(x$rows, 5)
  expect_identical(x$columns$type, c("text", "number"))
  rows <- x$findings[x$findings$finding == "rows of a file", ]
  expect_identical(stats::setNames(rows$n, rows$column), c(copy.csv = 2, june.csv = 1, may.csv = 2))
  run <- run_here(c("check", folder))
  expect_identical(run$status, 0L)
  expect_match(run$out, "^may.csv +duplicate file", all = FALSE)
})

test_that("every group of variant names is a finding, and the printed table counts the findings that it omits", {
  names <- sprintf("Boatyard %02d", 1:12)
  d <- data.frame(shop = c(names, toupper(names), "Boatyard  01"), v = 1)
  found <- check_sales(d)$findings
  expect_identical(nrow(found), 12L)
  expect_identical(found$n, c(3, rep(2, 11)))
  expect_identical(found$example[1], "Boatyard 01 | BOATYARD 01 | Boatyard  01")
  expect_identical(found$row, 13:24 + 0)
  printed <- utils::capture.output(print(check_sales(d)))
  expect_length(grep("^shop +names that differ", printed), 5L)
  expect_match(printed, "5 of 12 findings", all = FALSE)
  expect_length(grep("^shop +names that differ", utils::capture.output(print(check_sales(d), n = Inf))), 12L)
  path <- withr::local_tempfile(fileext = ".csv")
  utils::write.csv(d, path, row.names = FALSE)
  csv <- run_here(c("check", path, "--format", "csv", "--table", "findings"))$out
  expect_length(grep("differ in case", csv), 12L)
  expect_identical(nrow(jsonlite::fromJSON(run_here(c("check", path, "--format", "json"))$out)$findings), 12L)
})

test_that("amounts far above the others are findings, and skewed amounts are not", {
  set.seed(4)
  amounts <- round(rlnorm(5000, 4, 1.2), 2)
  found <- function(x) {
    found <- check_sales(data.frame(v = x))$findings
    found[found$finding != "duplicate lines", ]
  }
  expect_identical(nrow(found(amounts)), 0L)
  odd <- found(c(amounts, 100 * max(amounts), -200 * max(amounts), 100 * max(amounts)))
  expect_match(odd$finding, "far above the others (median 54.6)", fixed = TRUE)
  expect_equal(odd[c("n", "row")], data.frame(n = c(2, 1), row = c(5001, 5002)), ignore_attr = TRUE)
  # By hand: median 10, every other value within 1.4; modified z of log10(100) is far beyond 3.5.
  expect_identical(found(c(8:12, 8:12, 1000))$example, "1000")
  expect_identical(nrow(found(c(8:12, 8:12, 90))), 0L) # less than ten times the median
  expect_identical(nrow(found(rep(c(0, 5), 20))), 0L)
  # Most are equal: the mean distance serves.
  expect_identical(found(c(rep(1, 30), 2, 500))$example, "500")
})

test_that("dates far from all others are findings with their rows", {
  days <- as.Date("2026-01-01") + 0:99
  found <- function(x) check_sales(data.frame(day = x))$findings
  late <- found(c(days, as.Date(c("2206-03-01", "1926-01-02"))))
  late <- late[grepl("more than a year", late$finding), ]
  expect_identical(late$finding, paste("more than a year", c("before", "after"), "all other dates"))
  expect_identical(late$example, c("1926-01-02", "2206-03-01"))
  expect_identical(late$row, c(102, 101))
  expect_identical(nrow(found(c(days - 4000, days))), 0L) # two years apart, but not few
})

test_that("duplicate lines are counted if the columns are read one after the other", {
  set.seed(8)
  d <- data.frame(a = sample(3, 500, TRUE), b = sample(c("x", "y", NA), 500, TRUE), c = sample(8, 500, TRUE))
  again <- which(duplicated(d))
  found <- check_sales(d)$findings
  found <- found[found$finding == "duplicate lines", ]
  expect_identical(c(found$n, found$row), c(length(again), again[1]) + 0)
  in_turns <- eggcrate:::look_at_columns(names(d), 500, 0L, function(names) list(values = d[names], types = c(a = "number", b = "text", c = "number")[names]), at_once = 1)
  expect_identical(in_turns$repeated, list(n = length(again), row = again[1]))
})

test_that("a column that some files do not have is a finding, and the others are checked", {
  folder <- withr::local_tempdir()
  write <- function(name, ...) {
    path <- file.path(folder, name)
    writeLines(c(...), path)
    path
  }
  paths <- c(write("a.csv", "k,v", "a,1", "b,2"), write("b.csv", "k,w", "c,3"), write("c.csv", "v,k", "4,d"))
  x <- check_sales(paths)
  expect_identical(x$columns$column, "k")
  expect_identical(x$rows, 4)
  found <- x$findings[x$findings$finding == "column missing in some files", ]
  expect_identical(found$column, c("v", "w"))
  expect_identical(found$n, c(1, 2))
  expect_identical(found$example, c("b.csv", "a.csv and c.csv"))
  expect_identical(run_here(c("check", paths))$status, 0L)
})

test_that("rows that are equal to an earlier one are found in any order of columns, with missing values too", {
  set.seed(4)
  d <- data.frame(a = sample(c("x", "y", NA), 400, TRUE), b = sample(c(1, 2.5, NA), 400, TRUE), c = sample(letters, 400, TRUE), d = sample(9L, 400, TRUE))
  path <- withr::local_tempfile(fileext = ".csv")
  data.table::fwrite(d, path)
  again <- which(duplicated(d))
  for (data in list(d, d[4:1], path)) {
    found <- check_sales(data)$findings
    found <- found[found$finding == "duplicate lines", ]
    expect_identical(found$n, as.numeric(length(again)))
    expect_identical(found$row, as.numeric(again[1L] + is.character(data)))
  }
})

test_that("a finding names the first row of its value, whichever thread of the reader met it first", {
  n <- 60000
  d <- data.frame(code = sprintf("%06d", seq_len(n) %/% 2), name = rep_len(c("Tarnek Harbour Shop", "Kestlow Fishing Co-op", "tarnek  harbour shop"), n))
  d$name[1:50000] <- "Kestlow Fishing Co-op"
  path <- withr::local_tempfile(fileext = ".csv")
  data.table::fwrite(d, path)
  expected <- which(d$name == "tarnek  harbour shop")[1L] + 1
  withr::local_options(eggcrate.block = 1e5)
  for (threads in 1:2) {
    withr::local_options(eggcrate.threads = threads)
    found <- check_sales(path)$findings
    variants <- found[found$finding == "names that differ in case or spaces only", ]
    expect_identical(nrow(variants), 1L)
    second <- max(which(d$name == "Tarnek Harbour Shop")[1L] + 1, expected)
    expect_identical(variants$row, second)
  }
})
