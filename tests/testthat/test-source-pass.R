# The pass from a file's bytes to the tally, against the general way by data.table.

test_that("questions of order lines are answered to the byte as by the general way, from one file and from twelve", {
  months <- withr::local_tempdir()
  lines <- readLines(orders_path())
  part <- sort(rep_len(1:12, length(lines) - 1L))
  for (i in 1:12) writeLines(c(lines[1L], lines[-1L][part == i]), file.path(months, sprintf("part-%02d.csv", i)))
  asked <- list(
    list("standings", list(of = "sum(net_sales)", by = "customer", where = "region != 'Midmark'", also = "p = sum(profit) / sum(net_sales)")),
    list("pareto", list(of = "distinct(order_no)", by = "c(product, region)")),
    list("standings", list(of = "median(net_sales)", by = "order_date")),
    list("movement", list(of = "sum(net_sales)", by = "salesperson", over = "quarter(order_date)")),
    list("standings", list(of = "sum(net_sales) / distinct(order_no)", by = "region", where = "units > 1")),
    list("standings", list(of = "sum(net_sales)", by = "customer", where = "in_period(order_date, last(3, month))")),
    list("tiers", list(of = "sum(net_sales)", by = "product", within = "region", show = "category")),
    list("standings", list(of = "mean(units)", by = "order_no")))
  some_threads <- in_full(1:3, 2L)
  for (one in asked) {
    general <- in_general(one[[1L]], one[[2L]], orders_path())
    expect_false(startsWith(general[1L], "error:"))
    passes <- passes_in({
      for (threads in some_threads) expect_identical(by_pass(one[[1L]], one[[2L]], orders_path(), eggcrate.threads = threads, eggcrate.block = 5e4), general)
    })
    expect_gte(passes$whole, length(some_threads))
    several <- in_general(one[[1L]], one[[2L]], months)
    passes <- passes_in(expect_identical(by_pass(one[[1L]], one[[2L]], months, eggcrate.block = 5e4), several))
    expect_gte(passes$whole, 1L)
  }
})

test_that("what one answer needs is counted in one pass", {
  withr::local_options(eggcrate.pass = 0, eggcrate.held = 0)
  for (one in list(
    list("standings", list(of = "median(net_sales)", by = "customer", within = "region")),
    list("standings", list(of = "sum(net_sales)", by = "customer", show = "c(town, salesperson)")),
    list("standings", list(of = "sum(net_sales)", by = "customer", over = "quarter(order_date)", date = "order_date")),
    list("movement", list(of = "sum(net_sales)", by = "customer", over = "quarter(order_date)")),
    list("grid", list(of = "sum(net_sales)", by = "region", across = "month(order_date)")),
    list("concentration", list(of = "sum(net_sales)", by = "customer", where = "region == 'Midmark'", compare_with = "region != 'Midmark'")),
    list("tiers", list(of = "sum(net_sales)", by = "customer", where = "units > 1", compare_with = "units > 2")))) {
    source <- eggcrate:::open_source(orders_path())
    expect_identical(passes_in(eggcrate:::ask(one[[1L]], one[[2L]], source))$all, 1L, info = one[[1L]])
    found <- by_pass(one[[1L]], one[[2L]], orders_path())
    expect_identical(found, in_general(one[[1L]], one[[2L]], orders_path()), info = one[[1L]])
    expect_false(startsWith(found[1L], "error:"), info = found[1L])
  }
})

# Files whose first thousand rows say one thing, and a later one another.
late_file <- function(first, late, path) {
  writeLines(c("item,sales,note", sprintf("i%d,%s,%s", rep_len(1:7, 2000), rep_len(first$sales, 2000), rep_len(first$note, 2000)), late), path)
}

test_that("what a later row says is found, and the answer is that of the general way", {
  path <- withr::local_tempfile(fileext = ".csv")
  first <- list(sales = c("1.50", "2.25"), note = c("a", "b"))
  by_sales <- list(of = "sum(sales)", by = "item", where = "note != 'zz'")
  cases <- list(
    list(late = "i1,3.125,a", passes = c(1L, 1L)), # more decimals
    list(late = "i1,1e5,a", passes = c(1L, 0L)), # a number, written in another way
    list(late = c("i1,\"1,000.50\",a"), passes = c(1L, 0L)), # and the receipt says so
    list(late = "i1,NA,a", passes = c(1L, 0L)),
    list(late = "i1,about 5,a", passes = c(1L, 0L)), # no number: an error
    list(late = " i1 ,1.00,  zz ", passes = c(1L, 1L)), # blanks around texts
    list(late = "\" i1\",1.00,\"zz \"", passes = c(1L, 1L)),
    list(late = "\" i1\u00a0\",1.00,\"zz\u00a0\"", passes = c(1L, 1L)),
    list(late = "i1,1.00,\u00a0", passes = c(1L, 1L)),
    list(late = "i1,,", passes = c(1L, 1L)),
    list(late = "i1,1.00,caf\u00e9", passes = c(1L, 1L)))
  for (case in cases) {
    late_file(first, enc2utf8(case$late), path)
    general <- in_general("standings", by_sales, path)
    passes <- passes_in(expect_identical(by_pass("standings", by_sales, path), general, info = case$late))
    expect_identical(unlist(passes, use.names = FALSE), case$passes, info = case$late)
  }
  # Whole at first; codes at first, that are numbers all of them or not; dates at first.
  for (case in list(list("1", "2.5"), list("1", "3000000000"), list("2024-01-31", "31.01.2024"), list("2024-01-31", "2024-02-01T10:00"), list("007", "12"))) {
    late_file(list(sales = case[[1L]], note = "a"), sprintf("i1,%s,b", case[[2L]]), path)
    for (args in list(list(of = "max(sales)", by = "item"), list(of = "count()", by = "sales"), list(of = "count()", by = "item", over = "month(sales)"))) {
      expect_identical(by_pass("standings", args, path), in_general("standings", args, path), info = paste(unlist(c(case, args)), collapse = " "))
    }
  }
})

test_that("texts that are told apart by the pass are one where they are one text, also beside a median", {
  path <- withr::local_tempfile(fileext = ".csv")
  writeLines(enc2utf8(c("item,sales", "a,1", "a ,2", "\" a\",3", "\"  \",4", ",5", "\u00a0,6", "caf\u00e9,7", "cafe\u0301,8")), path)
  for (of in c("sum(sales)", "median(sales)", "distinct(sales)")) {
    args <- list(of = of, by = "item", missing = "keep")
    expect_identical(by_pass("standings", args, path), in_general("standings", args, path))
  }
})

test_that("a source that keeps columns is read twice in passes, then they are in memory, if there is room", {
  withr::local_options(eggcrate.pass = 0)
  asked <- function(source) eggcrate:::ask("standings", list(of = "sum(net_sales)", by = "customer"), source)
  opened <- function() {
    source <- eggcrate:::open_source(orders_path())
    eggcrate:::keep_columns(source)
    source
  }
  source <- opened()
  for (wanted in c(1L, 1L, 0L)) expect_identical(passes_in(asked(source))$all, wanted)
  withr::local_options(eggcrate.held = 1e5)
  source <- opened()
  for (wanted in c(1L, 1L, 1L)) expect_identical(passes_in(asked(source))$all, wanted)
  # What is smaller than the pass is worth while for is held at once.
  withr::local_options(eggcrate.pass = NULL)
  source <- eggcrate:::open_source(orders_path())
  expect_identical(passes_in(asked(source))$all, 0L)
})

test_that("a lookup on a file that is passed through knows its columns as they are", {
  path <- withr::local_tempfile(fileext = ".csv")
  late_file(list(sales = "1", note = "a"), "i1,about 5,b", path)
  table <- data.frame(item = paste0("i", 1:7), kind = rep_len(c("x", "y"), 7))
  withr::local_options(eggcrate.pass = 0)
  expect_error(standings(lookup(path, table), of = sum(sales), by = kind), class = "eggcrate_error")
  late_file(list(sales = "1", note = "a"), "i1,2.5,b", path)
  found <- as.data.frame(standings(lookup(path, table), of = sum(sales), by = kind))
  expect_equal(found$sales, c(sum(rep_len(1:7, 2000) %% 2 == 1) + 2.5, sum(rep_len(1:7, 2000) %% 2 == 0)))
})

test_that("a file that is cut or replaced while it is passed through is told of", {
  withr::local_options(eggcrate.pass = 0, eggcrate.held = 0)
  path <- withr::local_tempfile(fileext = ".csv")
  whole <- c("item,sales", sprintf("i%d,%d", 1:5000, 1:5000))
  for (content in list(whole[1:3000], c("item,sales", "x"), c(whole, "more,1"), rep(strrep("x", 50), 400))) {
    writeLines(whole, path)
    source <- eggcrate:::open_source(path)
    schema <- eggcrate:::source_schema(source, list(all = c("item", "sales"), values = "sales", keys = "item"))
    # As if it were changed after the last look at it and before the pass.
    suppressMessages(base::trace("pass_once", where = asNamespace("eggcrate"), print = FALSE, tracer = bquote(writeLines(.(content), .(path)))))
    expect_error(eggcrate:::ask("standings", list(of = "sum(sales)", by = "item"), source), class = "eggcrate_error_gone")
    suppressMessages(untrace("pass_once", where = asNamespace("eggcrate")))
  }
})

test_that("before an error is believed all cells are seen, and nothing is held for that", {
  path <- withr::local_tempfile(fileext = ".csv")
  late_file(list(sales = "1", note = "a"), "i1,2,b", path)
  withr::local_options(eggcrate.pass = 0)
  source <- eggcrate:::open_source(path)
  passes <- passes_in(expect_error(eggcrate:::ask("standings", list(of = "sum(note)", by = "item"), source), class = "eggcrate_error_type"))
  expect_identical(passes, list(all = 1L, whole = 1L))
  expect_identical(eggcrate:::held_slots(source), character())
  # What is known by then is not looked at again.
  expect_identical(passes_in(expect_error(eggcrate:::ask("standings", list(of = "sum(note)", by = "item"), source)))$all, 0L)
})

test_that("files with other columns, separators and kinds of cells are one table to the pass too", {
  folder <- withr::local_tempdir()
  at <- function(name, lines) writeLines(enc2utf8(lines), file.path(folder, name))
  at("a.csv", c("item,sales,day", sprintf("i%d,%d,2026-01-%02d", 1:9, 1:9, 1:9)))
  at("b.csv", c("day;extra;sales;item", sprintf("2026-02-%02d;x;%d.5;\"i%d\"", 1:9, 1:9, 1:9)))
  at("c.tsv", c("sales\titem\tday", "7\ti1\t2026-03-01", "\ti2\t2026-03-02", "8\t\t"))
  con <- gzfile(file.path(folder, "d.csv.gz"), "w")
  writeLines(c("item,sales,day", "i3,0.25,2026-04-01"), con)
  close(con)
  args <- list(of = "sum(sales)", by = "item", over = "month(day)", also = "n = count()", missing = "keep")
  general <- in_general("standings", args, folder)
  expect_false(startsWith(general[1L], "error:"))
  for (threads in 1:3) {
    passes <- passes_in(expect_identical(by_pass("standings", args, folder, eggcrate.threads = threads, eggcrate.block = 50), general))
    expect_identical(passes$whole, passes$all)
    expect_gt(passes$whole, 0L)
  }
  # A fifth one, in which a sale is none.
  at("e.csv", c("item,sales,day", "i1,about 5,2026-05-01"))
  expect_identical(by_pass("standings", args, folder), in_general("standings", args, folder))
})

test_that("what is packed is passed through from points on its way, and never unpacked as a whole", {
  path <- withr::local_tempfile(fileext = ".csv.gz")
  bytes <- readBin(orders_path(), "raw", 1e8)
  asked <- list(list("standings", list(of = "sum(net_sales)", by = "customer", also = "m = median(units)", where = "region != 'Midmark'")),
    list("movement", list(of = "sum(profit)", by = "c(product, order_no)", over = "year(order_date)")))
  general <- lapply(asked, function(one) in_general(one[[1L]], one[[2L]], orders_path()))
  for (packing in in_full(list(c(1, 6), c(3, 1), c(2, 9), c(40, 6)), list(c(1, 6), c(3, 1)))) {
    pack_lines(bytes, path, packing[1L], packing[2L])
    for (i in seq_along(asked)) for (threads in in_full(1:3, 2L)) {
      before <- list.files(tempdir(), "^eggcrate-")
      passes <- passes_in(found <- by_pass(asked[[i]][[1L]], asked[[i]][[2L]], path, eggcrate.threads = threads, eggcrate.block = c(3e4, 1e5, 4e5)[threads]))
      # Its name is the one thing that is another.
      expect_identical(gsub(basename(path), "orders.csv", found, fixed = TRUE), general[[i]], info = paste(c(packing, threads), collapse = " "))
      # Standings are printed with the median of all others, for which the rows are counted again.
      expect_identical(passes, list(all = 3L - i, whole = 3L - i))
      expect_identical(list.files(tempdir(), "^eggcrate-"), before)
    }
  }
  withr::local_options(eggcrate.pass = 0, eggcrate.held = 0, eggcrate.block = 1e5)
  source <- eggcrate:::open_source(path)
  withr::defer(eggcrate:::source_close(source))
  eggcrate:::ask("standings", asked[[1L]][[2L]], source)
  expect_lt(file.size(source$file$path), 2e5)
  expect_false(file.exists(source$file$packed$plain))
  # Whoever wants the table has all of it.
  expect_identical(read_sales(path)[["net_sales"]], read_sales(orders_path())[["net_sales"]])
})

test_that("a packed file that is another one meanwhile is told of", {
  path <- withr::local_tempfile(fileext = ".csv.gz")
  bytes <- readBin(orders_path(), "raw", 1e8)
  pack_lines(bytes, path)
  withr::local_options(eggcrate.pass = 0, eggcrate.held = 0, eggcrate.block = 5e4)
  source <- eggcrate:::open_source(path)
  withr::defer(eggcrate:::source_close(source))
  pack_lines(bytes[seq_len(2e5)], path)
  expect_error(standings(source, of = sum(net_sales), by = customer), class = "eggcrate_error_gone")
})

test_that("findings take two passes, and a study of many questions two", {
  withr::local_options(eggcrate.pass = 0, eggcrate.held = 0)
  args <- list(of = "sum(net_sales)", by = "customer", over = "month(order_date)", against = "sum(profit) / sum(net_sales)")
  passes <- passes_in(found <- format(eggcrate:::ask("findings", args, eggcrate:::open_source(orders_path()))))
  expect_identical(passes, list(all = 2L, whole = 2L))
  expect_match(found, "^concentration", all = FALSE)
  expect_identical(found, withr::with_options(list(eggcrate.quick = FALSE, eggcrate.pass = Inf),
    format(eggcrate:::ask("findings", args, eggcrate:::open_source(orders_path())))))
  folder <- study_folder()
  part <- function(name, command, ...) {
    keys <- c(name = name, command = command, ...)
    c("[[part]]", sprintf("%s = \"%s\"", names(keys), keys), "charts = []")
  }
  study <- write_study(c(study_head, "[[lookup]]", "file = \"customers.csv\"",
    part("accounts", "standings", of = "sum(net_sales)", by = "customer", show = "trade"),
    part("classes", "tiers", of = "sum(profit)", by = "product", where = "trade != 'yards'"),
    part("moves", "movement", of = "sum(net_sales)", by = "salesperson", over = "quarter(order_date)"),
    part("trades", "changes", of = "sum(net_sales)", by = "trade", over = "month(order_date)"),
    part("months", "grid", of = "sum(units)", by = "region", across = "month_of_year(order_date)")), folder)
  run <- function(out) {
    run_study(study, file.path(folder, out), quiet = TRUE)
    tables <- list.files(file.path(folder, out), "[.]csv$", recursive = TRUE)
    lapply(stats::setNames(tables, tables), function(table) readLines(file.path(folder, out, table)))
  }
  passes <- passes_in(by_passes <- run("passed"))
  expect_identical(passes, list(all = 2L, whole = 2L))
  withr::local_options(eggcrate.quick = FALSE, eggcrate.pass = Inf)
  expect_gte(length(by_passes), 5L)
  expect_identical(by_passes, run("general"))
})
