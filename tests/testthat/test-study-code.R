test_that("a question reads as R code and as a command", {
  args <- list(of = "margin = sum(profit) / sum(net_sales)", by = c("region", "Net sales (all)"), where = "category != \"Rope\"", also = list("orders = count()"),
    scheme = "tiers_by_share(c(A = 80%))", only = "top(10%)", highlight = list("best = top(3)", "worst = bottom(3)"), order_by = "-orders",
    others = TRUE, at_cut = "drop", as_of = "2026-03-31", date = "order_date")
  code <- eggcrate:::r_code("tiers", args, "my orders.csv")
  expect_identical(code, c(
    paste0("standings(\"my orders.csv\", of = c(margin = sum(profit) / sum(net_sales)), by = c(region, `Net sales (all)`), where = category != \"Rope\", ",
      "also = c(orders = count()), as_of = \"2026-03-31\", date = order_date) |>"),
    "  assign_tiers(scheme = tiers_by_share(c(A = \"80%\"))) |>",
    "  highlight(best = top(3), worst = bottom(3), at_cut = \"drop\") |>",
    "  in_order(-orders) |>",
    "  only(top(\"10%\"), others = TRUE, at_cut = \"drop\")"))
  line <- eggcrate:::shell_code("tiers", args, "my orders.csv")
  expect_identical(line, paste0("eggcrate tiers 'my orders.csv' --of 'margin = sum(profit) / sum(net_sales)' --by 'c(region, `Net sales (all)`)' ",
    "--where 'category != \"Rope\"' --also 'orders = count()' --scheme 'tiers_by_share(c(A = 80%))' --only 'top(10%)' --highlight 'best = top(3)' ",
    "--highlight 'worst = bottom(3)' --order-by -orders --others --at-cut drop --as-of 2026-03-31 --date order_date"))
  expect_identical(eggcrate:::r_code("grid", list(of = "units", by = "region", across = "month(order_date)", totals = FALSE, floor = 3), "o.csv"),
    "heat_grid(\"o.csv\", of = units, by = region, across = month(order_date), totals = FALSE, floor = 3)")
  expect_match(eggcrate:::shell_code("grid", list(of = "units", by = "region", across = "month(order_date)", totals = FALSE), "o.csv"), "--totals no$")
  expect_identical(eggcrate:::r_code("changes", list(of = "units", by = "region", over = "month(d)", to = "2026-05", from = "year_ago(latest(month))"), "o.csv"),
    "compare_periods(\"o.csv\", of = units, by = region, over = month(d), to = \"2026-05\", from = year_ago(latest(month)))")
})
