# Files and frames at their edges: what is cut, damaged, large or of an unusual class.

test_that("a whole number beyond 2^31 is one wherever it stands", {
  values <- as.character(rep(1:100, 3000))
  values[153217] <- "3000000001" # between the rows that a reader looks at first
  path <- write_text(paste(c("k,id,v", sprintf("a%d,%s,%s", seq_along(values) %% 7, values, values)),
    collapse = "\n"), "\n")
  x <- read_sales(path)
  expect_identical(vapply(x, class, "", USE.NAMES = FALSE), c("character", "numeric", "numeric"))
  expect_equal(sum(x$v), sum(as.numeric(values)))
  expect_equal(standings(path, of = sum(v), by = id)$id[1], "3000000001")
  expect_equal(check_sales(path)$columns$type, c("text", "number", "number"))
})

test_that("a gzipped file is read to its end and its checksum, or not at all", {
  plain <- paste(c("k,v", sprintf("item %d,%d", 1:4000, (1:4000 * 7919) %% 1000)), collapse = "\n")
  path <- withr::local_tempfile(fileext = ".csv.gz")
  con <- gzfile(path, "wb")
  writeLines(plain, con)
  close(con)
  bytes <- readBin(path, "raw", 1e6)
  # Unpacked at once, and as a stream of which the first block only is kept.
  ask <- function(bytes) {
    writeBin(bytes, path)
    rows <- function() tryCatch(nrow(read_sales(path)), eggcrate_error_format = function(e) "refused")
    at_once <- rows()
    expect_identical(withr::with_options(list(eggcrate.block = 1000), rows()), at_once)
    at_once
  }
  expect_equal(ask(bytes), 4000)
  set.seed(1)
  for (cut in c(length(bytes) - 1:12, sample.int(length(bytes) - 1, 40))) {
    expect_equal(ask(bytes[seq_len(cut)]), "refused", info = cut)
  }
  for (at in sample(11:length(bytes), 40)) {
    expect_equal(ask(replace(bytes, at, xor(bytes[at], as.raw(4)))), "refused", info = at)
  }
  # One file after the other is one file, as the format says; what else follows is none.
  more <- withr::local_tempfile()
  con <- gzfile(more, "wb")
  writeLines("last,5", con)
  close(con)
  expect_equal(ask(c(bytes, readBin(more, "raw", 1e6))), 4001)
  expect_equal(ask(c(bytes, charToRaw("more"))), "refused")
})

test_that("what unpacks to far more than a table would is refused, up to a limit that can be raised", {
  path <- withr::local_tempfile(fileext = ".csv.gz")
  con <- gzfile(path, "wb")
  writeLines(c("k,v", rep("aaaaaaaaaaaaaaaaaaaa,1", 60000)), con)
  close(con)
  withr::local_options(eggcrate.limit = 1e6)
  e <- expect_error(read_sales(path), class = "eggcrate_error_too_large")
  expect_match(conditionMessage(e), "more than 1 MB.*eggcrate.limit")
  withr::local_options(eggcrate.limit = 1e7)
  expect_equal(nrow(read_sales(path)), 60000)
  expect_equal(run_process(c("standings", path, "--of", "v", "--by", "k"),
    env = c(EGGCRATE_LIMIT = "1e6"))$status, 1)
})

test_that("a comma that may be either is refused, also beside one that is sure", {
  ask <- function(..., decimal = NULL) {
    path <- write_text(paste(c("k;v", paste0("a;", c(...))), collapse = "\n"), "\n")
    tryCatch(sum(read_sales(path, decimal = decimal)$v), error = function(e) "text")
  }
  expect_equal(ask("1,234", "12,5"), "text")
  expect_equal(ask("1.234,50", "1,234"), "text")
  expect_equal(ask("1,234", "12,5", decimal = ","), 13.734)
  expect_equal(ask("1,234", "12.5"), 1246.5)
  expect_equal(ask("0,125", "12,5"), 12.625) # no thousands begin with 0
  path <- write_text("k;v\na;12,5\na;1,234\n")
  e <- expect_error(standings(path, of = v, by = k), class = "eggcrate_error_value")
  expect_match(conditionMessage(e), "Row 3.*1,234.*decimal")
})

# The nearest double to the exact sum, by expansions without overlap (Shewchuk 1997).
exact_sum <- function(x) {
  parts <- numeric()
  for (a in x) {
    kept <- numeric()
    for (b in parts) {
      if (abs(a) < abs(b)) { t <- a; a <- b; b <- t }
      high <- a + b
      low <- b - (high - a)
      if (low != 0) kept <- c(kept, low)
      a <- high
    }
    parts <- c(kept, a)
  }
  Reduce(`+`, rev(parts), 0)
}

test_that("doubles that are no decimals add up to the double nearest to their exact sum", {
  x <- standings(data.frame(k = c("a", "b"), v = c(0.01, 100000000000000.25)), of = sum(v), by = k)
  expect_identical(x$v, c(100000000000000.25, 0.01))
  set.seed(2)
  v <- stats::rnorm(4000) * 10^stats::runif(4000, -8, 8)
  k <- sample(20, 4000, TRUE)
  x <- standings(data.frame(k, v), of = sum(v), by = k)
  expect_identical(x$v, as.vector(tapply(v, k, exact_sum)[as.character(x$k)]))
  large <- data.frame(k = c("a", "b"), v = 1.7e308)
  expect_error(standings(large, of = sum(v), by = k), class = "eggcrate_error_too_large")
  expect_identical(standings(large[1, ], of = sum(v), by = k)$v, 1.7e308)
})

test_that("doubles too far apart to be added are refused where a digit would be lost", {
  far <- data.frame(k = c("a", "b", "c"), v = c(1.7e308, 1e-300, 0))
  expect_error(standings(far, of = sum(v), by = k), "`sum\\(v\\)` are too far apart",
    class = "eggcrate_error_too_large")
  expect_identical(standings(far, of = sum(v), by = k, where = v < 1)$v, c(1e-300, 0))
  # What is left of a large one after its opposite is as small.
  left <- data.frame(k = c("a", "a", "a", "b"), v = c(1e300, -1e300, 0.1, 2e300))
  expect_error(standings(left, of = sum(v), by = k), class = "eggcrate_error_too_large")
  # A noise that no double beside it could show does not matter.
  set.seed(3)
  k <- rep(c("a", "b", "c"), each = 500)
  v <- stats::runif(1500) * rep(c(1e30, 1e12, 0), each = 500)
  v[1:50] <- stats::runif(50) * 1e-9
  x <- standings(data.frame(k, v), of = sum(v), by = k)
  expect_identical(x$v, as.vector(tapply(v, k, exact_sum)[as.character(x$k)]))
})

test_that("groups of a grouped data frame are groups", {
  lines <- data.frame(g = c("p", "p", "q"), k = c("a", "b", "a"), r = "n", v = 1:3)
  grouped <- dplyr::group_by(lines, g)
  plain <- function(x) as.data.frame(unclass(x)[names(x)])
  expect_equal(plain(standings(grouped, of = sum(v), by = k)),
    plain(standings(lines, of = sum(v), by = k, within = g)))
  expect_equal(names(standings(grouped, of = sum(v), by = k, within = r))[1:2], c("g", "r"))
  expect_equal(names(standings(grouped, of = sum(v), by = k, within = g))[1:2], c("g", "rank"))
  expect_equal(plain(heat_grid(grouped, of = sum(v), by = k, across = r)),
    plain(heat_grid(lines, of = sum(v), by = k, across = r, within = g)))
  expect_error(eggcrate:::ask("findings", list(of = quote(sum(v)), by = quote(k)),
    eggcrate:::open_source(grouped)), "grouped by `g`", class = "eggcrate_error_unknown_value")
})

test_that("labelled columns are their labels, 64-bit integers are whole numbers", {
  labelled <- function(x, labels) {
    structure(x, labels = labels, class = c("haven_labelled", "vctrs_vctr", typeof(x)))
  }
  lines <- data.frame(k = c("a", "b", "c", "d"), v = c(1, 2, 4, 8))
  lines$area <- labelled(c(1, 2, 9, NA), c(North = 1, South = 2))
  lines$amount <- labelled(c(10, 20, 30, 40), c(refused = -9))
  # Bits of 5, 7, 2^53 + 1 and a missing value.
  bits <- function(...) readBin(as.raw(c(...)), "double", 1L, endian = "little")
  lines$large <- structure(c(bits(5, 0, 0, 0, 0, 0, 0, 0), bits(7, 0, 0, 0, 0, 0, 0, 0),
    bits(1, 0, 0, 0, 0, 0, 32, 0), bits(0, 0, 0, 0, 0, 0, 0, 128)), class = "integer64")
  lines$small <- structure(unclass(lines$large)[c(1, 2, 2, 4)], class = "integer64")
  expect_equal(standings(lines, of = sum(v), by = area)$area, c(NA, "9", "South", "North"))
  expect_equal(standings(lines, of = sum(amount), by = k, where = area == "North")$amount, 10)
  expect_equal(standings(lines, of = sum(small), by = k)$small, c(7, 7, 5))
  expect_equal(standings(lines, of = sum(v), by = large)$large, c(NA, "9007199254740993", "7", "5"))
  expect_error(standings(lines, of = sum(large), by = k), class = "eggcrate_error_type")
  lines$wait <- as.difftime(1:4, units = "days")
  lines$list <- list(1, 2, 3, 4)
  expect_error(standings(lines, of = sum(wait), by = k), "difftime.*as.numeric\\(wait",
    class = "eggcrate_error_type")
  expect_error(standings(lines, of = sum(v), by = list), "class list", class = "eggcrate_error_type")
})

test_that("where none of the columns is there, that is said", {
  path <- write_text("a,b\n1,2\n")
  expect_error(standings(path, of = count(), by = zz), "no column `zz`",
    class = "eggcrate_error_unknown_column")
  expect_error(standings(path, of = sum(yy), by = zz), class = "eggcrate_error_unknown_column")
})

test_that("of a column without any value nothing is counted or summed, whatever is asked of it", {
  path <- write_text("item,none,note\na,,x\nb,  ,y\n")
  for (op in c("sum", "mean", "min", "max", "median", "distinct")) {
    of <- sprintf("%s(none)", op)
    x <- standings(path, of = count(), by = item, also = !!sprintf("n = %s", of))
    expect_identical(as.data.frame(x)$n, c(NA_real_, NA_real_), info = op)
    expect_identical(nrow(standings(path, of = !!of, by = note)), 0L, info = op)
    expect_identical(nrow(standings(path, of = !!sprintf("%s(none, when = none == 'a' | is_missing(none))", op), by = note)), 0L, info = op)
  }
})

# The one way is our own pass over the bytes, the other data.table's.
test_that("files are read the same by the quick way and by the general one, in any number of blocks and threads", {
  path <- withr::local_tempfile(fileext = ".csv")
  read <- function(quick, block, threads, texts) {
    withr::local_options(eggcrate.quick = quick, eggcrate.block = block, eggcrate.threads = threads)
    tryCatch({
      file <- eggcrate:::open_file(path)
      # The quick way has texts as factors.
      lapply(eggcrate:::read_typed(file, file$header, seq_along(file$header) %% 3 == texts),
        function(one) replace(one, "values", list(eggcrate:::plain_cells(one$values))))
    }, eggcrate_error = conditionMessage)
  }
  quick <- 0L
  suppressMessages(base::trace("read_fields_", where = asNamespace("eggcrate"), print = FALSE, exit = quote(if (returnValue()$outcome == 0L) options(eggcrate.met = TRUE))))
  withr::defer(suppressMessages(untrace("read_fields_", where = asNamespace("eggcrate"))))
  files <- as.integer(Sys.getenv("EGGCRATE_FILES", "60"))
  for (seed in seq_len(files)) {
    odd_file(seed, path)
    general <- read(FALSE, 2^22, 2L, seed %% 3)
    for (threads in 1:3) {
      withr::local_options(eggcrate.met = NULL)
      found <- read(TRUE, c(1, 40, 1000)[1L + (seed + threads) %% 3], threads, seed %% 3)
      expect_true(identical(found, general), info = sprintf("file %d, %d threads", seed, threads))
      quick <- quick + isTRUE(getOption("eggcrate.met"))
    }
  }
  # Both ways were gone.
  expect_gt(quick, files)
  expect_lt(quick, 2.9 * files)
})

test_that("a question of a file is answered to the byte as by the general way", {
  asked <- list(list("standings", list(of = "sum(net_sales)", by = "customer", where = "region != 'Midmark'", also = "p = sum(profit) / sum(net_sales)")),
    list("pareto", list(of = "distinct(order_no)", by = "c(product, region)")), list("standings", list(of = "median(net_sales)", by = "order_date")),
    list("movement", list(of = "sum(net_sales)", by = "salesperson", over = "quarter(order_date)")), list("standings", list(of = "mean(units)", by = "order_no")))
  lines <- function(quick, block, threads) {
    withr::local_options(eggcrate.quick = quick, eggcrate.block = block, eggcrate.threads = threads)
    source <- eggcrate:::open_source(orders_path())
    withr::defer(eggcrate:::source_close(source))
    lapply(asked, function(one) {
      x <- eggcrate:::ask(one[[1L]], one[[2L]], source)
      c(eggcrate:::answer_csv(x), format(x))
    })
  }
  general <- lines(FALSE, 2^22, 2L)
  for (threads in 1:3) expect_identical(lines(TRUE, 5e4, threads), general)
})

test_that("a file that another is put in place of while it is read is told of", {
  path <- withr::local_tempfile(fileext = ".csv")
  writeLines(c("item,sales", sprintf("i%d,%d", 1:5000, 1:5000)), path)
  other <- withr::local_tempfile()
  writeLines(c("item,sales", "x"), other)
  for (content in list(readLines(path)[1:3000], readLines(other), c(readLines(path), "more,1"), rep(strrep("x", 50), 400))) {
    writeLines(c("item,sales", sprintf("i%d,%d", 1:5000, 1:5000)), path)
    source <- eggcrate:::open_source(path)
    suppressMessages(base::trace("read_fields_", where = asNamespace("eggcrate"), print = FALSE,
      tracer = bquote(writeLines(.(content), .(path)))))
    expect_error(eggcrate:::ask("standings", list(of = "sum(sales)", by = "item"), source), "has changed while it was read", class = "eggcrate_error_gone")
    suppressMessages(untrace("read_fields_", where = asNamespace("eggcrate")))
  }
})

test_that("our own pass is for questions; a table that is asked for is as data.table reads it", {
  suppressMessages(base::trace("read_fields_", where = asNamespace("eggcrate"), print = FALSE, tracer = quote(options(eggcrate.met = TRUE))))
  withr::defer(suppressMessages(untrace("read_fields_", where = asNamespace("eggcrate"))))
  withr::local_options(eggcrate.met = NULL)
  orders <- read_sales(orders_path())
  expect_null(getOption("eggcrate.met"))
  x <- standings(orders_path(), of = sum(net_sales), by = customer)
  expect_true(getOption("eggcrate.met"))
  expect_identical(x$net_sales, standings(orders, of = sum(net_sales), by = customer)$net_sales)
})

test_that("a column of percentages is refused as a measure, with its first cell", {
  path <- write_text("rate,who\n12.5%,a\n13%,b\n")
  expect_error(standings(path, of = sum(rate), by = who), "contains percentages.*Row 2 has \"12.5%\"", class = "eggcrate_error_value")
  expect_error(standings(write_text("rate,who\n1,a\n12.5%,b\n"), of = sum(rate), by = who), "Row 3 has \"12.5%\"", class = "eggcrate_error_value")
  expect_equal(run_here(c("standings", path, "--of", "sum(rate)", "--by", "who"))$status, 1)
  expect_equal(standings(path, of = count(), by = rate)$rate, c("12.5%", "13%"))
})

test_that("years are those of four digits, in files and frames", {
  ask <- function(data) standings(data, of = sum(v), by = who, over = year(day))
  for (day in c("0000-01-01", "12026-01-01")) {
    path <- write_text(sprintf("who,v,day\na,1,2026-01-01\nb,2,%s\n", day))
    expect_error(ask(path), class = "eggcrate_error")
    withr::with_options(list(eggcrate.quick = FALSE, eggcrate.pass = Inf), expect_error(ask(path), class = "eggcrate_error"))
  }
  for (day in c(-719163, 2932897, Inf)) {
    d <- data.frame(who = c("a", "b"), v = 1, day = structure(c(20000, day), class = "Date"))
    expect_error(ask(d), "`day` has a date outside the years 1 to 9999 in row 2", class = "eggcrate_error_value")
  }
  d$day[2] <- as.Date("0001-01-01")
  expect_equal(ask(d)$v, c(1, 1))
})

test_that("what a file shows beside the items has the type that it is read with", {
  path <- write_text("who;day;sales;credit;code\nada;18.10.2025;1.900,00;2.000,00;007\nbob;01.02.2026;200,50;100,00;01\ncy;03.03.2024;1.000,00;9,00;5\n")
  for (source in list(path, read_sales(path))) {
    x <- standings(source, of = sum(sales), by = who, show = c(credit, day, code))
    expect_identical(x$credit, c(2000, 9, 100))
    expect_identical(x$day, as.Date(c("2025-10-18", "2024-03-03", "2026-02-01")))
    expect_identical(x$code, c("007", "5", "01"))
    expect_identical(only(x, sales > credit)$who, c("cy", "bob"))
  }
  extra <- write_text("who,limit\nada,10\nbob,9\n")
  y <- standings(lookup(path, extra, by = who), of = sum(sales), by = who, show = limit)
  expect_equal(y$limit, c(10, NA, 9))
})

test_that("a column without any value is what the question needs, from every source", {
  ask <- function(d) {
    list(standings(d, of = sum(l), by = k), standings(d, of = sum(v), by = k, where = l == "x"), standings(d, of = sum(v), by = k, where = l > 3),
      standings(d, of = sum(v), by = l), standings(d, of = sum(v), by = k, over = month(l)), standings(d, of = distinct(l), by = k))
  }
  file <- ask(write_text("k,v,l\na,1,\nb,2,\n"))
  for (missing in list(NA, NA_character_, factor(NA))) {
    frame <- ask(data.frame(k = c("a", "b"), v = 1:2, l = missing))
    for (i in seq_along(file)) expect_identical(eggcrate:::answer_csv(frame[[i]]), eggcrate:::answer_csv(file[[i]]), info = paste(class(missing), i))
  }
})

test_that("a column of true and false is a condition, from a file as from a frame", {
  path <- write_text("k,v,sold\na,1,TRUE\nb,2,FALSE\nc,4,\n")
  for (source in list(path, read_sales(path), data.frame(k = c("a", "b", "c"), v = c(1, 2, 4), sold = c(TRUE, FALSE, NA)))) {
    expect_equal(standings(source, of = sum(v), by = k, where = sold)$v, 1)
    expect_equal(standings(source, of = sum(v), by = k, where = !sold)$v, 2)
    expect_equal(standings(source, of = count(when = sold), by = k)$k[1], "a")
  }
})
