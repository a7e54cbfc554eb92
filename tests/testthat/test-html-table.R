test_that("the HTML table says what the printed one says", {
  x <- standings(demo_orders(), of = sum(net_sales), by = customer)
  y <- highlight(assign_tiers(x, tiers_by_share(c(A = "80%", B = "95%"), rest = "C")), top(2))
  html <- as.character(html_table(y, n = 5))
  rows <- regmatches(html, gregexpr("<tr[^>]*>.*?</tr>", html, perl = TRUE))[[1]]
  rows <- strsplit(html, "</tr>", fixed = TRUE)[[1]]
  text <- trimws(gsub("\\s+", " ", gsub("<[^>]+>", " ", rows)))
  expect_match(text, "1 Sorrelby Boatyard 194,111.48 4.5% 4.5% A$", all = FALSE)
  expect_match(text, "all others \\(236\\) 3,578,243.11 83.0%$", all = FALSE)
  expect_match(text, "^A from 11,095.39 98 40.7% 3,452,164.64 80.0% 2$", all = FALSE)
  expect_length(grep("class=\"marked\"", rows), 2)
  # The longest bar leaves room for its figure.
  expect_match(html, "linear-gradient(to right,#D8CFC0 55.0%,transparent 0)", fixed = TRUE)
})

test_that("names are escaped, and a page of its own is whole", {
  x <- standings(data.frame(k = c("<b>Rope & Co</b>", "b"), v = 2:1), of = sum(v), by = k)
  page <- paste(eggcrate:::html_lines(eggcrate:::html_of(x, n = 10)), collapse = "\n")
  expect_match(page, "&lt;b&gt;Rope &amp; Co&lt;/b&gt;", fixed = TRUE)
  expect_match(page, "^<!DOCTYPE html>\n<html lang=\"en\">")
  none <- standings(data.frame(k = "a", v = 1), of = sum(v), by = k, where = v > 5)
  expect_match(as.character(html_table(none)), "Nothing is left")
})

test_that("every kind of result has an HTML page with its letters declared", {
  o <- demo_orders()
  results <- list(
    quadrants(o, of = sum(net_sales), against = c(margin = sum(profit) / sum(net_sales)),
      by = region),
    compare_periods(o, of = sum(net_sales), by = region, over = month(order_date)),
    against_target(o, of = sum(net_sales), by = region, over = month(order_date),
      target = demo_targets(), where = in_period(order_date, latest(month))),
    extremes(standings(o, of = sum(net_sales), by = region, within = category))
  )
  for (x in results) {
    page <- paste(eggcrate:::html_lines(eggcrate:::html_of(x)), collapse = "\n")
    expect_match(page, "<meta charset=\"utf-8\"/>", fixed = TRUE)
    expect_match(page, "Ambermouth")
    # The heading is the finding that is printed.
    expect_match(page, sprintf("<h1>%s</h1>", sub("\\n.*", "", format(x, width = 200)[1])),
      fixed = TRUE)
  }
})
