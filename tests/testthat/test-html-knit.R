test_that("a document shows a result as its HTML table, or in letters", {
  x <- standings(demo_orders(), sum(net_sales), region)
  source <- withr::local_tempfile(fileext = ".Rmd", lines = c("```{r, echo = FALSE}", "x", "why(x, \"Midmark\")",
    "heat_grid(demo_orders(), sum(net_sales), region, year(order_date))", "tiers_equal(3)",
    "check_sales(orders_path)", "```"))
  knit <- function(to) {
    before <- knitr::opts_knit$get("rmarkdown.pandoc.to")
    on.exit(knitr::opts_knit$set(rmarkdown.pandoc.to = before))
    knitr::opts_knit$set(rmarkdown.pandoc.to = to)
    env <- list2env(list(x = x, orders_path = orders_path()), parent = asNamespace("eggcrate"))
    out <- withr::local_tempfile(fileext = ".md")
    knitr::knit(source, out, quiet = TRUE, envir = env)
    paste(readLines(out, encoding = "UTF-8"), collapse = "\n")
  }
  html <- knit("html")
  expect_equal(lengths(regmatches(html, gregexpr("<section class=\"eggcrate\">", html))), 4)
  expect_match(html, "<table>.*Ambermouth")
  letters <- knit("latex")
  expect_false(grepl("<table", letters))
  for (lines in list(format(x), format(why(x, "Midmark")), format(tiers_equal(3)))) {
    expect_true(grepl(paste(c("```", lines, "```"), collapse = "\n"), letters, fixed = TRUE))
  }
})
