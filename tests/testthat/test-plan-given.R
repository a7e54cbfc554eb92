# Tables that a caller gives: targets, items, layouts.

test_that("an empty cell of a given table is the missing key, in each of them", {
  lines <- data.frame(k = c("a", "", NA), v = c(5, 1, 2))
  for (blank in list("", " ", NA)) {
    x <- against_target(lines, of = sum(v), by = k,
      target = data.frame(k = c("a", blank), target = c(5, 4)))
    expect_equal(x$k, c("a", NA))
    expect_equal(x$attainment, c(1, 0.75))
    x <- standings(lines[1, ], of = sum(v), by = k, all_items = data.frame(k = c("a", blank)))
    expect_equal(x$k, c("a", NA))
    layout <- data.frame(k = c(blank, "a"), row = 1:2, column = 1)
    tiles <- tile_table(standings(lines, of = sum(v), by = k), layout = layout)
    expect_equal(tiles$v, c(3, 5))
  }
  path <- write_text("k,target\na,5\n,4\n")
  expect_equal(against_target(lines, of = sum(v), by = k, target = !!path)$attainment, c(1, 0.75))
})

test_that("items that must appear may be periods, numbers and dates, and say what they are not", {
  lines <- data.frame(day = as.Date(c("2026-01-05", "2026-02-01")), units = c(1, 2), v = c(3, 4))
  x <- standings(lines, of = sum(v), by = month(day), all_items = data.frame(month = c("2026-04", "")))
  expect_equal(x$month, c("2026-02", "2026-01", "2026-04", NA))
  x <- standings(lines, of = sum(v), by = units, all_items = data.frame(units = c("7", "1")))
  expect_equal(x$units, c(2, 1, 7))
  x <- standings(lines, of = sum(v), by = day, all_items = data.frame(day = "2026-03-01"))
  expect_equal(x$day, as.Date(c("2026-02-01", "2026-01-05", "2026-03-01")))
  expect_error(standings(lines, of = sum(v), by = month(day), all_items = data.frame(month = "soon")),
    "which is not a month", class = "eggcrate_error_value")
  expect_error(standings(lines, of = sum(v), by = units, all_items = data.frame(units = "many")),
    "which is not a number", class = "eggcrate_error_value")
})

test_that("a median is shown where all of some groups are, and none is left over", {
  lines <- data.frame(g = rep(c("p", "q"), c(2, 30)), k = c(1, 2, 1:30), v = c(1, 3, 1:30))
  x <- standings(lines, of = median(v), by = k, within = g)
  shown <- format(x, n = 5)
  expect_match(shown, "all others \\(25\\) +13", all = FALSE)
  expect_length(grep("all others", shown), 1)
  expect_length(grep("all others", format(standings(lines, of = median(v), by = g))), 0)
  expect_match(paste(as.character(html_table(x, n = 5)), collapse = ""), "all others")
})
