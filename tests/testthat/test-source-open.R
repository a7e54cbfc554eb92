# Files that change, pipes, first lines without an end.

test_that("a pipe is read as standard input is", {
  withr::local_dir(withr::local_tempdir())
  system2("mkfifo", "pipe")
  asked <- c("--of", "sum(net_sales)", "--by", "region", "--format", "csv")
  plain <- run_here(c("standings", orders_path(), asked))
  piped <- run_process(c("standings", "pipe", asked),
    before = paste("cat", shQuote(orders_path()), "> pipe &"))
  expect_identical(piped$out, plain$out)
  expect_identical(sub("pipe", "orders.csv", piped$err), plain$err)
  input <- run_process(c("standings", "-", asked), input = orders_path())
  expect_identical(input$out, plain$out)
  expect_identical(run_process(c("standings", "/dev/stdin", asked), input = orders_path())$out,
    plain$out)
})

test_that("a file that changes while it is read is refused, whatever else was wrong with it", {
  path <- write_text("k,v\n", paste0("item ", 1:5000, ",1\n"))
  ask <- function(change) {
    origin <- eggcrate:::new_origin(path, list())
    eggcrate:::unchanged(origin, {
      file <- eggcrate:::open_file(path)
      change()
      eggcrate:::read_typed(file, "v", FALSE)
    })
  }
  bytes <- readBin(path, "raw", 1e6)
  changes <- list(function() cat("more", file = path, append = TRUE),
    function() writeBin(bytes[1:3000], path), function() unlink(path),
    function() {
      Sys.sleep(0.02)
      writeBin(rev(bytes), path)
    })
  for (change in changes) {
    writeBin(bytes, path)
    expect_error(ask(change), "has changed while it was read", class = "eggcrate_error_gone")
  }
  writeBin(bytes, path)
  expect_equal(sum(ask(function() NULL)[[1]]$values), 5000)
  # The signal of a page that is no longer there.
  cut <- run_process(c("standings", "-", "--of", "v", "--by", "k"), before = "sleep 3 |",
    after = "& sleep 1.5; kill -BUS $!; wait $!; exit $?")
  expect_equal(cut$status, 128 + 15) # as if it had been terminated
  expect_match(cut$err, "was cut while it was read", all = FALSE)
})

test_that("a first line without an end and a file of NULs are refused at once", {
  path <- withr::local_tempfile(fileext = ".csv")
  writeBin(raw(2e7), path)
  took <- system.time(expect_error(read_sales(path), "Row 1.*NUL", class = "eggcrate_error_format"))
  writeBin(rep(charToRaw("a,"), 2e7), path)
  expect_error(read_sales(path), "does not end within 1 MB", class = "eggcrate_error_format")
  writeBin(c(charToRaw("\"k"), rep(charToRaw("a\n"), 2e6)), path)
  expect_error(read_sales(path), "does not end within 1 MB", class = "eggcrate_error_format")
  expect_lt(took[["elapsed"]], 2)
})

test_that("tabs around quotes and in lines of their own are taken as the reader takes them", {
  ask <- function(...) {
    tryCatch(unlist(read_sales(write_text(paste(c("k,v", ...), collapse = "\n"), "\n")), FALSE, FALSE),
      eggcrate_error_format = function(e) "refused")
  }
  expect_equal(ask("a,\t\"1,2\"", "b,3"), "refused")
  expect_equal(ask("\t", "a,1"), "refused")
  expect_equal(ask("a,\t1\t", "\"b\"\t,3"), c("a", "b", "1", "3"))
  expect_equal(ask("a,\t", "b,1"), c("a", "b", NA, "1"))
  # What was wrong with one file is not told of the next.
  expect_equal(ask("a,1"), c("a", "1"))
})

test_that("what never ends is copied up to a limit, and no further than a NUL byte", {
  skip_if_not(file.exists("/dev/zero"))
  expect_error(read_sales("/dev/zero"), "'zero' contains a NUL byte", class = "eggcrate_error_format")
  got <- run_process(c("standings", "-", "--of", "count()", "--by", "a"), before = "yes a,b | EGGCRATE_LIMIT=1e6", input = "/dev/zero")
  expect_equal(got$status, 1)
  expect_match(got$err, "Standard input is larger than 1 MB", all = FALSE)
  # Tables that are packed have such bytes.
  packed <- run_process(c("standings", "-", "--of", "sum(net_sales)", "--by", "region", "--format", "csv"), before = paste("gzip -c", shQuote(orders_path()), "|"))
  expect_equal(packed$status, 0)
  expect_length(list.files(tempdir(), "^eggcrate-.*scratch"), 0L)
})

test_that("columns of Parquet files are read from the bytes as by the package, and unusual ones by it", {
  set.seed(11)
  n <- 3000
  d <- data.frame(few = sample(c("oar", "cleat", "\u00e9", ""), n, TRUE), many = sprintf("item %d", sample(1e5, n)), gaps = sample(c("a", NA, "b"), n, TRUE),
    none = NA_character_, whole = sample(-5:5, n, TRUE), sparse = sample(c(1:3, NA), n, TRUE), real = round(stats::rnorm(n), 2),
    odd = sample(c(0.5, NA, -1e300), n, TRUE), day = as.Date("2026-01-01") + sample(0:9, n, TRUE), flag = sample(c(TRUE, FALSE, NA), n, TRUE),
    moment = as.POSIXct("2026-01-01", tz = "UTC") + seq_len(n))
  path <- withr::local_tempfile(fileext = ".parquet")
  for (compression in c("snappy", "uncompressed", "gzip", "zstd")) {
    for (version in 1:2) {
      options <- nanoparquet::parquet_options(num_rows_per_row_group = 700, write_data_page_version = version)
      nanoparquet::write_parquet(d, path, compression = compression, options = options)
      footer <- eggcrate:::parquet_footer(path)
      facts <- eggcrate:::parquet_facts_(path, footer)
      expect_identical(facts[c("names", "rows", "nested")], list(names = names(d), rows = as.numeric(n), nested = FALSE))
      read <- eggcrate:::read_parquet_(path, footer, seq_along(d), 2L)
      own <- !vapply(read, is.null, NA)
      expect_identical(names(d)[own], if (compression %in% c("snappy", "uncompressed")) setdiff(names(d), c("flag", "moment")) else character())
      theirs <- as.data.frame(nanoparquet::read_parquet(path))
      texts <- vapply(read, is.factor, NA)
      read[texts] <- lapply(read[texts], as.character)
      for (i in which(own)) expect_identical(read[[i]], theirs[[i]], info = paste(compression, version, names(d)[i]))
    }
  }
})

test_that("texts of a Parquet file are read as those of a CSV file", {
  rows <- data.frame(customer = c("Oar", " Oar", "Oar ", NA, "", "Cleat"), amount = c("1.900,00", "2,50", NA, "3,00", "4,00", "5,00"),
    day = c("18.10.2025", "19.10.2025", "19.10.2025", NA, "20.10.2025", "20.10.2025"), code = c("A1", "A1", "B", "B", "", "C"))
  folder <- withr::local_tempdir()
  paths <- file.path(folder, c("rows.csv", "rows.parquet"))
  utils::write.csv(rows, paths[1L], row.names = FALSE, na = "")
  nanoparquet::write_parquet(rows, paths[2L])
  for (ask in list(function(path) standings(path, of = sum(amount), by = customer, show = day),
    function(path) standings(path, of = count(), by = c(code, customer), where = customer == "Oar" | code != "B"),
    function(path) standings(path, of = distinct(code), by = month(day)), function(path) check_sales(path)$columns)) {
    expect_identical(as.data.frame(ask(paths[2L])), as.data.frame(ask(paths[1L])))
  }
})

test_that("texts are texts in a table that is read, from a Parquet file and from CSV", {
  folder <- withr::local_tempdir()
  d <- data.frame(customer = c("Tarnek Harbour Shop", NA, " Kestlow Fishing Co-op", "Tarnek Harbour Shop"), units = c(1.5, 2, NA, 4))
  nanoparquet::write_parquet(d, file.path(folder, "lines.parquet"))
  data.table::fwrite(d, file.path(folder, "lines.csv"))
  for (file in c("lines.parquet", "lines.csv")) {
    read <- read_sales(file.path(folder, file))
    expect_identical(read$customer, trimws(d$customer), info = file)
    expect_identical(read$units, d$units, info = file)
  }
})

test_that("a damaged Parquet file gives the values it contains or an error, and never ends R", {
  folder <- withr::local_tempdir()
  d <- data.frame(customer = sprintf("Boatyard %02d", rep(1:40, 25)), sales = seq_len(1000) / 4, day = as.Date("2026-01-01") + rep(0:9, 100))
  whole <- file.path(folder, "whole.parquet")
  nanoparquet::write_parquet(d, whole)
  bytes <- readBin(whole, "raw", file.size(whole))
  path <- file.path(folder, "damaged.parquet")
  ask <- function() tryCatch(as.data.frame(standings(path, of = sum(sales), by = customer))[1:3], eggcrate_error = identity)
  writeBin(bytes, path)
  right <- ask()
  expect_identical(right$sales, sort(as.numeric(tapply(d$sales, d$customer, sum)), decreasing = TRUE))
  footer <- seq(eggcrate:::parquet_footer(whole)[1L] + 1, length(bytes))
  set.seed(16)
  outcomes <- vapply(seq_len(in_full(400, 60)), function(i) {
    damaged <- bytes
    at <- sample(length(bytes), sample(3, 1))
    damaged[at] <- as.raw(sample(0:255, length(at), TRUE))
    writeBin(damaged, path)
    found <- ask()
    if (inherits(found, "error")) {
      if (grepl("was cut", conditionMessage(found))) return(conditionMessage(found))
      return("refused")
    }
    if (identical(found, right)) return("right")
    # Bytes of values have no checksum: the answer is that of the values as they are read.
    # The other reader also refuses damage in parts of the footer that no value needs: it gets the whole footer then.
    other <- function() eggcrate:::in_processes(list(function() as.data.frame(nanoparquet::read_parquet(path, col_select = 1:2))))[[1L]]
    read <- tryCatch(other(), error = function(e) {
      writeBin(replace(damaged, footer, bytes[footer]), path)
      other()
    })
    sums <- tapply(read$sales, read$customer, sum)
    if (isTRUE(all.equal(sort(as.numeric(sums)), sort(found$sales)))) "as read" else sprintf("wrong with bytes %s", enumerate(at))
  }, "")
  expect_setequal(unique(outcomes), c("refused", "right", "as read"))
})

test_that("a function in a forked process returns its value, its error, or a crash as an error", {
  in_processes <- eggcrate:::in_processes
  expect_identical(in_processes(list(function() 1:3, function() list(a = NA_character_))), list(1:3, list(a = NA_character_)))
  expect_error(in_processes(list(function() 1, function() stop("no such thing"))), "no such thing")
  before <- tempdir()
  expect_error(in_processes(list(function() tools::pskill(Sys.getpid(), 11))), "damaged")
  expect_error(in_processes(list(function() tools::pskill(Sys.getpid(), 9))), "damaged")
  expect_true(dir.exists(before))
  expect_length(list.files(tempdir(), "^eggcrate-.*-part$"), 0L)
})
