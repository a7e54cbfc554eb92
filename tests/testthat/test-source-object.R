# One set of rows behind several sources.

lines_of <- function() {
  data.frame(key = c("a", "b", "a", "c", NA, "b"), amount = c(1.25, 2, 0.5, -1, 4, NA),
    day = as.Date("2026-03-01") + 0:5)
}

file_of <- function(data, env = parent.frame()) {
  path <- withr::local_tempfile(fileext = ".csv", .local_envir = env)
  utils::write.csv(data, path, row.names = FALSE, na = "")
  path
}

test_that("sources answer the same questions of themselves", {
  data <- lines_of()
  for (s in list(eggcrate:::open_source(data, "lines"), eggcrate:::open_source(file_of(data)))) {
    schema <- eggcrate:::source_schema(s)
    expect_equal(unname(schema$types), c("text", "number", "date"))
    expect_equal(eggcrate:::source_range(s, "day"), as.numeric(range(data$day)))
    expect_equal(eggcrate:::source_places(s, "amount"), c(amount = 2L))
    expect_identical(eggcrate:::open_source(s), s)
    eggcrate:::source_close(s)
  }
  expect_null(eggcrate:::source_range(eggcrate:::open_source(
    data.frame(day = as.Date(c(NA, NA)))), "day"))
})

test_that("a frame and its file answer alike, to the last bit", {
  data <- plain_orders()
  path <- file_of(data)
  from_frame <- standings(data, of = sum(net_sales), by = customer, within = region, show = town)
  from_file <- standings(path, of = sum(net_sales), by = customer, within = region, show = town)
  expect_identical(columns_of(from_frame, names(from_frame)),
    columns_of(from_file, names(from_frame)))
})

test_that("halves of the rows joined are the whole", {
  data <- random_lines(n = 500, items = 30)
  names(data)[1] <- "item"
  data$amount <- round(stats::rnorm(500, 10, 20), 2)
  data$weight <- stats::runif(500)
  words <- list(of = "sum(amount)", by = "item",
    also = list("mean(amount)", "least = min(amount)", "most = max(amount)", "count()",
      "w = sum(weight, when = amount > 0)", "lightest = min(weight)", "heaviest = max(weight)"),
    where = "amount < 1000")
  # The first row that is filtered out is one of the second half.
  data$amount[301] <- 1000
  tally <- function(rows) {
    source <- eggcrate:::open_source(data[rows, ], "lines")
    plan <- eggcrate:::check_asked("standings", words,
      function(use) eggcrate:::source_schema(source, use))
    list(plan = plan, tally = eggcrate:::source_tally(source, eggcrate:::plan_request(plan)))
  }
  whole <- tally(1:500)
  joined <- eggcrate:::join_tallies(tally(1:200)$tally, tally(201:500)$tally)
  columns <- function(t) {
    x <- eggcrate:::rank_tally(t, whole$plan)$columns
    x[c("item", "sum(amount)", "mean(amount)", "least", "most", "count()", "lightest", "heaviest")]
  }
  expect_identical(columns(joined), columns(whole$tally))
  counted <- c("read", "refused", "unsure", "first", "passed")
  expect_identical(joined$counts[counted], whole$tally$counts[counted])
  # Doubles have another unit in each half; what they make is the same.
  expect_equal(eggcrate:::rank_tally(joined, whole$plan)$columns$w,
    eggcrate:::rank_tally(whole$tally, whole$plan)$columns$w, tolerance = 1e-12)
})

test_that("parts of unequal length make no tally", {
  part <- list(total = complex(2))
  expect_error(eggcrate:::new_tally(list(k = 1:3), c(1, 1, 1), list(p = part)), "one length")
  expect_error(eggcrate:::new_request(list(), stats::setNames(list(), character()),
    list()))
  ranked <- answer_of(standings(lines_of(), of = sum(amount), by = key, also = c(n = count())))$ranked
  again <- function(quantities) do.call(eggcrate:::new_ranked,
    c(unclass(ranked)[setdiff(names(ranked), c("quantity", "additional"))], list(quantities = quantities)))
  expect_identical(again(c(list(ranked$quantity), ranked$additional)), ranked)
  expect_error(again(list(ranked$quantity, list(missing = FALSE))))
})

test_that("a file that changed between its opening and its reading is refused", {
  path <- file_of(lines_of())
  s <- eggcrate:::open_source(path)
  cat("d,9,2026-03-09\n", file = path, append = TRUE)
  expect_error(eggcrate:::source_schema(s), "has changed", class = "eggcrate_error_gone")
})

test_that("time stamps have the day of their own zone, however many there are", {
  at <- as.POSIXct("2026-03-28 20:00:00", tz = "UTC") + seq(0, 3 * 86400, length.out = 20000)
  for (zone in c("UTC", "Asia/Kathmandu", "America/St_Johns", "Australia/Lord_Howe")) {
    attr(at, "tzone") <- zone
    expect_identical(eggcrate:::day_of_time(at), as.integer(as.Date(as.POSIXlt(at))))
  }
})
