# The rows of the tables of a page, as text: cells joined by "|".
page_rows <- function(html) {
  rows <- regmatches(html, gregexpr("<tr[^>]*>(.|\n)*?</tr>", html, perl = TRUE))[[1]]
  cells <- gsub("</t[dh]>", "|", gsub("\\s+", " ", rows))
  trimws(gsub(" *\\| *", "|", gsub("<[^>]+>", "", cells)))
}

test_that("a grid as HTML has the figures of the printed one, each on its shade, and totals on none", {
  d <- data.frame(
    k = c("a & b", "a & b", "c", "c"), m = c("x", "y", "x", "y"), v = c(4, 3, 2, 1)
  )
  g <- heat_grid(d, of = sum(v), by = k, across = m)
  html <- as.character(html_table(g))
  expect_equal(page_rows(html),
    c("k|x|y|total|", "a &amp; b|4|3|7|", "c|2|1|3|", "total|6|4|10|"))
  colours <- regmatches(html, gregexpr("background:#[0-9A-F]{6}", html))[[1]]
  expect_equal(colours, paste0("background:", eggcrate:::heat_colour(c(1, 2 / 3, 1 / 3, 0))))
  expect_equal(page_rows(as.character(html_table(g, figures = FALSE))),
    c("k|x|y|total|", "a &amp; b|||7|", "c|||3|"))
  expect_match(html, "worst of all\\s*<span class=\"ramp\"", perl = TRUE)
})

test_that("incomplete periods are marked, whichever side they are on, and rows beyond n are named",
  {
  o <- demo_orders()
  g <- heat_grid(o, of = sum(net_sales), by = region, across = quarter(order_date))
  html <- as.character(html_table(g, n = 3))
  rows <- page_rows(html)
  expect_match(rows[1], "^region\\|2023-Q4\\|.*\\|2026-Q2\\*\\|total\\|$")
  expect_length(rows, 5)
  expect_match(html, "5 regions not shown.")
  turned <- heat_grid(o, of = sum(net_sales), by = quarter(order_date), across = region)
  expect_match(page_rows(as.character(html_table(turned)))[12], "^2026-Q2\\*\\|")
  expect_match(format(turned, width = 120), "^2026-Q2\\*", all = FALSE)
})

test_that("movement as HTML has the tier of each item in each period, and the transitions", {
  d <- data.frame(
    day = as.Date(c("2026-01-05", "2026-01-06", "2026-02-05", "2026-02-06", "2026-03-31")),
    k = c("a", "b", "b", "c", "b"), v = c(3, 2, 5, 1, 2)
  )
  m <- movement(d, of = sum(v), by = k, over = month(day),
    scheme = tiers_by_rank(c(A = 1), rest = "B"))
  html <- as.character(html_table(m))
  expect_equal(page_rows(html), c(
    "k|2026-01 *|2026-02|2026-03|", "b|B|A|A|", "a|A|||", "c||B||",
    "from 2026-02 to 2026-03|A|B|(absent)|total|", "A|1|0|0|1|", "B|0|0|1|1|",
    "(absent)|0|0|1|1|", "total|1|0|2|3|"
  ))
  # Where few periods have room, each has its name above its column.
  expect_equal(format(m, width = 100)[3:4], c("  2026-01 *  2026-02    2026-03", "b B          A          A"))
})

test_that("nothing left is said, and a page is written by the command", {
  none <- heat_grid(demo_orders(), of = sum(net_sales), by = region, across = month(order_date),
    where = units > 1e9)
  expect_match(as.character(html_table(none)), "Nothing is left")
  out <- withr::local_tempfile(fileext = ".html")
  run <- run_here(c("movement", orders_path(), "--of", "sum(net_sales)", "--by", "salesperson",
    "--over", "quarter(order_date)", "--out", out))
  expect_equal(run$status, 0)
  page <- paste(readLines(out, encoding = "UTF-8"), collapse = "\n")
  expect_match(page, "Dagny Holt")
  expect_match(page, "<meta charset=\"utf-8\"/>", fixed = TRUE)
})
