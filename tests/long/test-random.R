# Random files and questions, by every way to read them.

test_that("random files and questions are answered to the byte as by the general way, by any number of threads", {
  path <- withr::local_tempfile(fileext = ".csv")
  answered <- 0L
  passes <- passes_in(for (seed in seq_len(as.integer(Sys.getenv("EGGCRATE_FILES", "60")))) {
    odd_file(seed, path)
    one <- odd_questions(seed, path)[[1L + seed %% 5L]]
    general <- in_general(one[[1L]], one[[2L]], path)
    answered <- answered + !startsWith(general[1L], "error:")
    for (threads in 1:3) {
      found <- by_pass(one[[1L]], one[[2L]], path, eggcrate.threads = threads, eggcrate.block = c(1, 40, 1000)[1L + (seed + threads) %% 3])
      expect_identical(found, general, info = sprintf("file %d, %d threads", seed, threads))
    }
  })
  # Neither all of them errors, nor none of them passed.
  expect_gt(answered, 20L)
  expect_gt(passes$whole, 40L)
  expect_gt(passes$all, passes$whole)
})

test_that("random packed files are answered to the byte as unpacked ones", {
  path <- withr::local_tempfile(fileext = ".csv")
  packed <- withr::local_tempfile(fileext = ".csv.gz")
  passes <- passes_in(for (seed in 1000L + seq_len(as.integer(Sys.getenv("EGGCRATE_FILES", "60")) %/% 2L)) {
    odd_file(seed, path)
    one <- odd_questions(seed, path)[[1L + seed %% 5L]]
    general <- in_general(one[[1L]], one[[2L]], path)
    pack_lines(readBin(path, "raw", 1e7), packed, 1L + seed %% 3L)
    found <- by_pass(one[[1L]], one[[2L]], packed, eggcrate.threads = 1L + seed %% 3L, eggcrate.block = c(1, 40, 1000)[1L + seed %% 3L])
    expect_identical(gsub(basename(packed), basename(path), found, fixed = TRUE), general, info = seed)
  })
  expect_gt(passes$whole, 10L)
})

test_that("random questions are answered to the byte as of a data frame, and in the database", {
  orders <- odd_orders(300L)
  source <- sales_table(sqlite_with(orders, customer = "TEXT COLLATE NOCASE", region = "TEXT COLLATE RTRIM"), "orders")
  answered <- 0L
  fetched <- fetched_in(source, for (seed in seq_len(as.integer(Sys.getenv("EGGCRATE_FILES", "60")) %/% 2L)) {
    args <- Filter(Negate(is.null), random_question(seed))
    frame <- said_of("standings", args, eggcrate:::source_frame(orders, "orders"))
    expect_identical(said_of("standings", args, source), frame, info = paste(seed, paste(unlist(args), collapse = " ; ")))
    answered <- answered + !startsWith(frame[1L], "error:")
  })
  expect_identical(fetched, 0L)
  expect_gt(answered, 20L)
})

test_that("files of every kind give the same figures to the same questions", {
  orders <- odd_orders()
  # As files have it: what is blank is not there.
  orders$customer[orders$customer %in% c("", " ")] <- NA
  folder <- withr::local_tempdir()
  whole <- file.path(folder, "orders.csv")
  data.table::fwrite(orders, whole)
  months <- file.path(folder, "months")
  dir.create(months)
  for (i in 1:3) data.table::fwrite(orders[(i - 1L) * 200L + 1:200, if (i == 2L) rev(names(orders)) else names(orders)], file.path(months, sprintf("part-%d.csv", i)))
  nanoparquet::write_parquet(orders, file.path(folder, "orders.parquet"))
  # A number that files have as a key is its text.
  questions <- Filter(function(one) !any(grepl("code", unlist(one))), asked_of_database)
  expect_gt(length(questions), 20L)
  figures <- function(source, one) tryCatch(eggcrate:::answer_csv(eggcrate:::ask(one[[1L]], one[[2L]], source)), eggcrate_error = conditionMessage)
  ways <- list("one pass" = list(whole, list(eggcrate.pass = 0, eggcrate.held = 0)), "by columns" = list(whole, list(eggcrate.quick = FALSE, eggcrate.pass = Inf)),
    "several files" = list(months, list()), "several in one pass" = list(months, list(eggcrate.pass = 0, eggcrate.held = 0)), Parquet = list(file.path(folder, "orders.parquet"), list()))
  for (way in names(ways)) {
    withr::with_options(ways[[way]][[2L]], {
      source <- eggcrate:::open_source(ways[[way]][[1L]])
      for (one in questions) {
        expect_identical(figures(source, one), figures(eggcrate:::source_frame(orders, "orders"), one), info = paste(way, paste(unlist(one), collapse = " ; ")))
      }
      eggcrate:::source_close(source)
    })
  }
})

test_that("random text is answered or refused with a clear message, never run", {
  data <- random_lines(30)
  trap <- tempfile()
  data$`odd name` <- data$amount
  data$day <- as.Date("2026-01-01") + 3 * seq_len(nrow(data))
  set.seed(20)
  pieces <- c("amount", "units", "item", "grp", "`odd name`", "sum(", "count(", ")", "(", "==",
    "!=", "<", "&", "|", "!", "%in%", "c(", ",", "\"north\"", "'", "3", "-1e9", "NA", "NULL",
    "TRUE", "is_missing(", "between(", "function(x)", "{", "}", ";", "\n", "$", "[[", "@", "::",
    "<-", "=", "when", "if", sprintf("file.create('%s')", trap), "\\", "\u00e9", "80%", "~", "^",
    "-", "+", "*", "/", "0x10", "1L", "mean(", "median(", "distinct(", "per_day(",
    "day", "quarter(", "month(day)", "in_period(", "latest(month)", "year_ago(", "last(",
    "\"2026-03\"")
  for (i in 1:2500) {
    text <- paste(sample(pieces, sample(1:9, 1), TRUE), collapse = sample(c("", " "), 1))
    word <- sample(c("of", "by", "where", "over", "also", "having", "show"), 1)
    words <- list(of = "amount", by = "item")
    words[[word]] <- if (word == "also") list(text) else text
    outcome <- tryCatch(
      eggcrate:::ask("standings", words, eggcrate:::open_source(data)),
      eggcrate_error = function(e) e
    )
    expect_true(inherits(outcome, c("eggcrate_standings", "eggcrate_error")), info = text)
    if (inherits(outcome, "eggcrate_error")) expect_true(nzchar(conditionMessage(outcome)))
  }
  expect_false(file.exists(trap))
})

test_that("every figure that a kind of answer has can be chosen, and is drawn", {
  desk <- new_demo_desk()
  drawn <- character()
  for (kind in names(eggcrate:::desk_kinds)) {
    needs <- eggcrate:::kind_needs(kind, desk$columns, "sum(net_sales)")$args
    for (chart in eggcrate:::kind_charts(kind)) {
      step <- eggcrate:::new_step(kind, c(list(of = "sum(net_sales)", by = "region"), needs), chart = chart)
      expect_identical(step$chart, chart)
      expect_named(eggcrate:::step_result(desk, step)$charts, chart)
      expect_match(eggcrate:::figure_message(desk, step, "here", 800)$svg, "<svg", fixed = TRUE)
      drawn <- c(drawn, chart)
    }
  }
  expect_setequal(drawn, setdiff(names(eggcrate:::charts()), "tiles"))
})

test_that("what is packed is passed through from points on its way, and never unpacked as a whole", {
  path <- withr::local_tempfile(fileext = ".csv.gz")
  bytes <- readBin(orders_path(), "raw", 1e8)
  asked <- list(list("standings", list(of = "sum(net_sales)", by = "customer", also = "m = median(units)", where = "region != 'Midmark'")),
    list("movement", list(of = "sum(profit)", by = "c(product, order_no)", over = "year(order_date)")))
  general <- lapply(asked, function(one) in_general(one[[1L]], one[[2L]], orders_path()))
  for (packing in list(c(1, 6), c(3, 1), c(2, 9), c(40, 6))) {
    pack_lines(bytes, path, packing[1L], packing[2L])
    for (i in seq_along(asked)) for (threads in 1:3) {
      before <- list.files(tempdir(), "^eggcrate-")
      passes <- passes_in(found <- by_pass(asked[[i]][[1L]], asked[[i]][[2L]], path, eggcrate.threads = threads, eggcrate.block = c(3e4, 1e5, 4e5)[threads]))
      # Its name is the one thing that is another.
      expect_identical(gsub(basename(path), "orders.csv", found, fixed = TRUE), general[[i]], info = paste(c(packing, threads), collapse = " "))
      # Standings are printed with the median of all others, for which the rows are counted again.
      expect_identical(passes, list(all = 3L - i, whole = 3L - i))
      expect_identical(list.files(tempdir(), "^eggcrate-"), before)
    }
  }
})

test_that("the earlier and the later period stay or leave together", {
  x <- compare_periods(demo_orders(), net_sales, customer, over = quarter(order_date), also = c(orders = distinct(order_no)))
  for (width in 40:140) {
    lines <- format(x, width = width)
    for (head in grep("^(customer|class) ", lines, value = TRUE)) {
      named <- vapply(c("2025-Q4", "2026-Q1"), grepl, NA, head, fixed = TRUE)
      expect_true(all(named) || !any(named), info = paste(width, head))
    }
  }
})

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
  for (one in asked) {
    general <- in_general(one[[1L]], one[[2L]], orders_path())
    expect_false(startsWith(general[1L], "error:"))
    passes <- passes_in({
      for (threads in 1:3) expect_identical(by_pass(one[[1L]], one[[2L]], orders_path(), eggcrate.threads = threads, eggcrate.block = 5e4), general)
    })
    expect_gte(passes$whole, 3L)
    several <- in_general(one[[1L]], one[[2L]], months)
    passes <- passes_in(expect_identical(by_pass(one[[1L]], one[[2L]], months, eggcrate.block = 5e4), several))
    expect_gte(passes$whole, 1L)
  }
})
