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
