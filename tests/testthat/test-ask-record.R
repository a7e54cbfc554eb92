test_that("an answer knows how it was asked, whatever it went through", {
  orders <- orders_path()
  asked <- function(x) eggcrate:::asked_of(x)
  x <- standings(orders, of = c(total = sum(net_sales)), by = c(region, town), where = units > 2, ties = "dense")
  expect_identical(asked(x)[c("command", "args")], list(command = "standings", args = list(of = "c(total = sum(net_sales))",
    by = "c(region, town)", where = "units > 2", ties = "dense")))
  y <- only(highlight(assign_tiers(x, tiers_equal(2)), best = top(1)), top(5), at_cut = "drop")
  expect_identical(asked(y)$command, "tiers")
  expect_identical(asked(y)$args[c("scheme", "highlight", "only", "at_cut")],
    list(scheme = "tiers_equal(2)", highlight = list("best = top(1)"), only = "top(5)", at_cut = "drop"))
  limit <- 3
  expect_identical(asked(standings(orders, of = sum(net_sales), by = customer, where = units > !!limit))$args$where, "units > 3")
  expect_null(asked(as.data.frame(y)))
  expect_identical(asked(standings(orders, of = sum(net_sales), by = customer, all_items = demo_tiles()[1] |> stats::setNames("customer")))$untold,
    "all_items")
})

test_that("a scheme written as text is the same scheme", {
  for (scheme in list(tiers_by_value(c(A = 1000, "B b" = 10.5), rest = "C"), tiers_by_value(c(A = "30%", B = "10%")),
    tiers_by_share(c(A = "80%", B = 0.95), boundary = "within"), tiers_by_percentile(c(A = "12.5%", B = 0.3, C = "57.5%")),
    tiers_by_rank(c(A = 10, B = 50), colours = c(A = "#112233", rest = "#445566")), tiers_equal(4), tiers_equal(2, labels = c("high", "low")),
    tiers_by_value(c(A = 5), of = sum(profit) / sum(net_sales)))) {
    expect_equal(eggcrate:::read_scheme(eggcrate:::scheme_text(scheme)), scheme)
  }
})
