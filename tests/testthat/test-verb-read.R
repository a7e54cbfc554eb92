test_that("columns are typed as a whole", {
  path <- write_text(
    "code,day,time,plain,amount,minus,bracket,money,name,long\n",
    "007,2026-01-31,2026-01-31T23:30:00+02:00,5,\"1,234.50\",12.00-,(12.00),\"$1,234.50\",NA,1234567890123456\n",
    "7,2026-02-01,2026-02-01T00:10:00+02:00,6.25,2.25,3,4,$7,b,1\n"
  )
  x <- read_sales(path)
  expect_identical(as.list(x)[-3], list(
    code = c("007", "7"), day = as.Date(c("2026-01-31", "2026-02-01")), plain = c(5, 6.25),
    amount = c(1234.5, 2.25), minus = c(-12, 3), bracket = c(-12, 4), money = c(1234.5, 7),
    name = c("NA", "b"), long = c("1234567890123456", "1")
  ))
  expect_identical(x$time, as.Date(c("2026-01-31", "2026-02-01")))
  r <- receipt(x)
  expect_equal(r$n[grepl("amounts", r$fact)], c(1, 1, 1, 2))
})

test_that("empty cells and words for missing are missing in numbers, names in text", {
  path <- write_text("k,v,d\nNA,NA,2026-01-01\n, - ,N/A\n a ,3,\n\nNULL,\"4\",2026-01-02\n")
  x <- read_sales(path)
  expect_identical(x$k, c("NA", NA, "a", "NULL"))
  expect_identical(as.numeric(x$v), c(NA, NA, 3, 4))
  expect_identical(x$d, as.Date(c("2026-01-01", NA, NA, "2026-01-02")))
  r <- receipt(x)
  fact <- function(name, column) r$n[r$fact == name & r$value == column]
  expect_equal(fact("cells trimmed", "k"), 1)
  expect_equal(fact("empty cells", "k"), 1)
  expect_equal(fact("empty cells", "d"), 1)
  expect_equal(fact("cells with a word for missing", "d"), 1)
  expect_equal(r$n[r$fact == "blank lines skipped"], 1)
})

test_that("keys stay the text as written when a file is asked", {
  path <- write_text("code,v\n007,1\n7,2\n1.50,4\n1.5,8\nTRUE,16\nTrue,32\n1e3,64\n 7 ,128\n")
  x <- standings(path, of = v, by = code)
  expect_identical(x$code, c("7", "1e3", "True", "TRUE", "1.5", "1.50", "007"))
  expect_identical(x$v, c(130, 64, 32, 16, 8, 4, 1))
  expect_identical(read_sales(path, text = "code")$code[8], "7")
})

test_that("a decimal comma is found, and what nothing decides is refused as a measure", {
  comma <- read_sales(write_text("k;v\na;1.234,50\nb;2,25\n"))
  expect_identical(comma$v, c(1234.5, 2.25))
  path <- write_text("k;v\na;1,234\nb;5,678\n")
  e <- expect_error(standings(path, of = v, by = k), class = "eggcrate_error_value")
  expect_match(conditionMessage(e), "decimal = ", fixed = TRUE)
  expect_identical(read_sales(path, decimal = ".")$v, c(1234, 5678))
  expect_identical(read_sales(path, decimal = ",")$v, c(1.234, 5.678))
  expect_error(standings(write_text("k,v\na,$5\nb,\u20ac6\n"), of = v, by = k), "currency",
    class = "eggcrate_error_value")
})

test_that("a word in a column of numbers is an error with its row, when measured", {
  path <- write_text("k,v,w\na,1,1\nb,two,2\nc,3,3\n")
  e <- expect_error(standings(path, of = v, by = k), class = "eggcrate_error_value")
  expect_equal(e$row, 3)
  expect_match(conditionMessage(e), "\"two\"")
  expect_error(standings(path, of = sum(v * w), by = k), class = "eggcrate_error_value")
  expect_error(standings(path, of = w, by = k, where = v > 1), class = "eggcrate_error_value")
  expect_identical(standings(path, of = w, by = v)$v, c("3", "two", "1"))
})

test_that("a file that is not whole is refused with the row, and nothing is lost in silence", {
  rows <- paste0(rep("a,1\n", 3000), collapse = "")
  refused <- list(
    short = c("k,v\na,1\nb\nc,3\n", 3), late_short = c(paste0("k,v\n", rows, "b\n"), 3002),
    long = c("k,v\na,1,2\n", 2), quote = c("k,v\n\"a,1\nb,2\n", 2), stray = c("k,v\n\"a\"b,1\n", 2),
    utf8 = c("k,v\na,1\nb\xE9,2\n", 3)
  )
  for (name in names(refused)) {
    path <- write_text(refused[[name]][1])
    e <- expect_error(read_sales(path), class = "eggcrate_error_format")
    expect_equal(e$row, as.numeric(refused[[name]][2]), info = name)
    expect_error(standings(path, of = count(), by = k), class = "eggcrate_error_format")
  }
  expect_error(read_sales(write_text("")), "empty", class = "eggcrate_error_format")
  expect_error(read_sales(write_text("\n\n")), "empty", class = "eggcrate_error_format")
  expect_error(read_sales("nowhere.csv"), class = "eggcrate_error_file")
  expect_error(read_sales(tempdir()), "folder", class = "eggcrate_error_file")
})

test_that("files come in several shapes", {
  tab <- read_sales(write_text("k\tv\r\na\t1\r\n\"b\tc\"\t2", file = "lines.tsv"))
  expect_identical(tab$k, c("a", "b\tc"))
  bom <- read_sales(write_text("\xEF\xBB\xBFk,v\na,1\n"))
  expect_identical(names(bom), c("k", "v"))
  latin1 <- write_text("k,v\ncaf\xE9,1\n")
  expect_identical(read_sales(latin1, encoding = "latin1")$k, "caf\u00e9")
  quotes <- read_sales(write_text("k,v\n\"a \"\"b\"\" c\",1\n5\" pipe,2\n\"line\nbreak\",3\n"))
  expect_identical(quotes$k, c("a \"b\" c", "5\" pipe", "line\nbreak"))
  pipe <- read_sales(write_text("k;x|v\na;1|2\n"), separator = "|")
  expect_identical(names(pipe), c("k;x", "v"))
  one <- read_sales(write_text("v\n1\n\n2\n"))
  expect_equal(one$v, 1:2)
  empty <- read_sales(write_text("k,v\n"))
  expect_equal(dim(empty), c(0, 2))
})

test_that("gzip is unpacked, and a torn one refused", {
  folder <- withr::local_tempdir()
  packed <- file.path(folder, "orders.csv.gz")
  con <- gzfile(packed, "wb")
  writeBin(readBin(orders_path(), "raw", file.size(orders_path())), con)
  close(con)
  expect_identical(as.list(read_sales(packed)), as.list(read_sales(orders_path())),
    ignore_attr = TRUE)
  torn <- file.path(folder, "torn.csv.gz")
  writeBin(readBin(packed, "raw", 50000), torn)
  expect_error(read_sales(torn), class = "eggcrate_error_format")
  expect_identical(list.files(tempdir(), "^eggcrate-.*txt$"), character())
})

test_that("only the columns of a question are read, and a doubled name only matters when used", {
  path <- write_text("k,v,v,w\na,1,2,3\n")
  expect_identical(standings(path, of = w, by = k)$w, 3)
  expect_error(standings(path, of = v, by = k), "more than once", class = "eggcrate_error_format")
  expect_identical(names(read_sales(path, columns = c("w", "k"))), c("w", "k"))
  e <- expect_error(read_sales(path, columns = "kk"), class = "eggcrate_error_unknown_column")
  expect_identical(e$close, "k")
  expect_error(standings(path, of = x, by = k), "lines.csv",
    class = "eggcrate_error_unknown_column")
})

test_that("a column without any value is missing, whatever is asked of it", {
  path <- write_text("k,v,b\na,1,\nb,2,\n")
  for (where in c("b == \"x\"", "b > 3", "b >= \"2026-01-01\"", "b", "b %in% c(1, 2)", "!b",
    "b * 2 < v")) {
    x <- standings(path, of = v, by = k, where = !!where)
    expect_equal(receipt_n(x, "filtered out", "missing value"), 2, info = where)
  }
  expect_equal(nrow(standings(path, of = v, by = k, where = is_missing(b))), 2)
  expect_equal(nrow(standings(path, of = b, by = k)), 0)
  expect_identical(standings(path, of = v, by = b)$b, NA_character_)
  header <- write_text("k,v,b\n")
  expect_equal(nrow(standings(header, of = sum(v * 2), by = k, where = b == "x" & v > 3)), 0)
})

test_that("the untidy demo file reads as it should", {
  x <- read_sales(system.file("extdata", "orders-untidy.csv", package = "eggcrate"))
  expect_type(x$net_sales, "double")
  expect_s3_class(x$order_date, "Date")
  expect_true("NA" %in% x$customer)
  expect_lt(min(x$net_sales, na.rm = TRUE), 0)
  expect_gt(max(x$net_sales, na.rm = TRUE), 1000)
  expect_match(x$order_no[1], "^0")
})

test_that("damaged files are read or refused, and never hang or crash", {
  original <- readBin(orders_path(), "raw", 20000)
  folder <- withr::local_tempdir()
  set.seed(9)
  for (i in 1:150) {
    bytes <- original[seq_len(sample(200:20000, 1))]
    at <- sample(length(bytes), sample(1:4, 1))
    bytes[at] <- as.raw(sample(c(0, 10, 13, 34, 44, 59, 9, 255, 195, 65, 45), length(at), TRUE))
    path <- file.path(folder, "damaged.csv")
    writeBin(bytes, path)
    outcome <- tryCatch(standings(path, of = units, by = customer), eggcrate_error = identity)
    expect_true(inherits(outcome, c("eggcrate_standings", "eggcrate_error")), info = i)
    if (inherits(outcome, "eggcrate_standings")) expect_account(outcome)
  }
})

test_that("dates are read where a row proves their order, and never guessed", {
  read <- function(...) read_sales(write_text("d\n", paste0(c(...), "\n")))$d
  expect_identical(read("03/04/2026", "25/12/2025"), as.Date(c("2026-04-03", "2025-12-25")))
  expect_identical(read("03/04/2026", "12/25/2025"), as.Date(c("2026-03-04", "2025-12-25")))
  expect_identical(read("2026/03/04", "2025/12/25"), as.Date(c("2026-03-04", "2025-12-25")))
  expect_identical(read("4.3.2026", "25.12.2025 08:30"), as.Date(c("2026-03-04", "2025-12-25")))
  expect_identical(read("05/05/2026", "06/06/2026"), as.Date(c("2026-05-05", "2026-06-06")))
  undecided <- write_text("k,d,v\na,03/04/2026,1\nb,05/04/2026,2\n")
  expect_type(read_sales(undecided)$d, "character")
  e <- expect_error(standings(undecided, of = v, by = k, where = d >= "2026-01-01"), "dmy",
    class = "eggcrate_error_value")
  expect_equal(e$row, 2)
  expect_error(standings(undecided, of = v, by = k, over = month(d)), "dmy",
    class = "eggcrate_error_value")
  expect_identical(read_sales(undecided, dates = "dmy")$d, as.Date(c("2026-04-03", "2026-04-05")))
  expect_identical(read_sales(undecided, dates = "mdy")$d, as.Date(c("2026-03-04", "2026-05-04")))
  for (bad in c("a,30/02/2026,1\nb,25/12/2025,2\n", "a,2026/02/03,1\nb,25/12/2025,2\n",
    "a,03/04/2026,1\nb,25.12.2025,2\n")) {
    expect_error(standings(write_text("k,d,v\n", bad), of = v, by = k, over = year(d)),
      class = "eggcrate_error_value")
  }
})

test_that("Parquet and workbooks answer as the CSV does", {
  orders <- plain_orders()
  folder <- withr::local_tempdir()
  parquet <- file.path(folder, "orders.parquet")
  nanoparquet::write_parquet(orders, parquet)
  workbook <- file.path(folder, "orders.xlsx")
  openxlsx::write.xlsx(list(first = data.frame(a = 1), orders = orders[1:3000, ]), workbook)
  expected <- standings(orders, of = net_sales, by = customer, over = year(order_date),
    where = units > 2)
  got <- standings(parquet, of = net_sales, by = customer, over = year(order_date),
    where = units > 2)
  expect_identical(as.list(got), as.list(expected), ignore_attr = TRUE)
  expect_account(got)
  sheet <- read_sales(workbook, sheet = "orders", text = "order_no")
  expect_identical(sheet$order_no, orders$order_no[1:3000])
  expect_identical(sheet$order_date, orders$order_date[1:3000])
  want <- standings(orders[1:3000, ], of = net_sales, by = product)
  expect_equal(as.list(standings(sheet, of = net_sales, by = product)), as.list(want),
    ignore_attr = TRUE)
  run <- run_here(c("standings", workbook, "--sheet", "orders", "--of", "net_sales", "--by",
    "product", "--format", "csv"))
  expect_equal(utils::read.csv(text = run$out)$net_sales, want$net_sales)
  expect_error(read_sales(workbook, sheet = "order"), class = "eggcrate_error_unknown_value")
  expect_error(read_sales(workbook, sheet = 7), class = "eggcrate_error_unknown_value")
  torn <- file.path(folder, "torn.parquet")
  writeBin(readBin(parquet, "raw", 3000), torn)
  expect_error(read_sales(torn), class = "eggcrate_error_format")
})

test_that("standard input is read as a file", {
  run <- run_process(c("standings", "-", "--of", "units", "--by", "region", "--format", "csv"),
    input = orders_path())
  expect_equal(run$status, 0)
  expect_identical(utils::read.csv(text = run$out)$region,
    standings(orders_path(), of = units, by = region)$region)
  expect_match(run$err, "standard input", all = FALSE)
})

test_that("a long file says how far it has been read, a short one nothing", {
  said <- list()
  withr::local_options(
    eggcrate.progress = function(text, part) said[[length(said) + 1L]] <<- list(text, part))
  standings(orders_path(), of = sum(net_sales), by = customer)
  expect_length(said, 0)
  line <- paste0("a,1,", strrep("x", 2000), "\n")
  path <- write_text("k,v,note\n", strrep(line, 40000))
  # Long is what takes longer than one is patient.
  withr::local_options(eggcrate.patience = 0)
  works <- c("Checking lines.csv", "Reading lines.csv", "Counting")
  for (from in c(0, Inf)) {
    said <- list()
    withr::local_options(eggcrate.pass = from)
    x <- standings(path, of = sum(v), by = k)
    expect_equal(x$v, 40000)
    # What is read and counted in one pass is one work.
    expect_identical(unique(vapply(said, `[[`, "", 1L)), if (from == 0) works[1:2] else works)
    for (work in works) {
      parts <- vapply(Filter(function(one) one[[1L]] == work, said), `[[`, 0, 2L)
      expect_identical(parts, sort(parts))
      if (length(parts)) expect_true(parts[1L] >= 0 && parts[1L] < 1 && utils::tail(parts, 1L) == 1)
    }
  }
  # The general way does not know how far it is.
  said <- list()
  withr::local_options(eggcrate.quick = FALSE)
  standings(path, of = sum(v), by = k)
  expect_true(any(vapply(said, identical, NA, list("Reading lines.csv", NA))))
})

test_that("a Parquet file or workbook that was cut short is refused", {
  data <- data.frame(k = sprintf("c%d", 1:200), v = 1:200)
  for (write in list(nanoparquet::write_parquet, openxlsx::write.xlsx)) {
    whole <- withr::local_tempfile()
    write(data, whole)
    expect_equal(sum(standings(whole, of = sum(v), by = k)$v), sum(data$v))
    bytes <- readBin(whole, "raw", 1e6)
    for (n in round(seq(5, length(bytes) - 40, length.out = 25))) {
      cut <- withr::local_tempfile()
      writeBin(bytes[seq_len(n)], cut)
      expect_error(standings(cut, of = sum(v), by = k), class = "eggcrate_error_format")
    }
  }
})
