test_that("errors have a family, a kind and facts", {
  e <- tryCatch(standings(demo_orders(), of = net_sales, by = custmer), error = identity)
  expect_s3_class(e,
    c("eggcrate_error_unknown_column", "eggcrate_error_call", "eggcrate_error", "error",
      "condition"), exact = TRUE)
  expect_identical(e$column, "custmer")
  expect_identical(e$close, "customer")
  expect_identical(deparse(e$call), "standings()")
})

test_that("close names are near, and far ones are not offered", {
  close <- eggcrate:::close_names
  expect_identical(close("custmer", c("customer", "town")), "customer")
  expect_identical(close("CUSTOMER", c("customer", "town")), "customer")
  expect_identical(close("net", c("net_sales", "town")), "net_sales")
  expect_identical(close("zzz", c("customer", "town")), character())
})

test_that("lists are enumerated and cut to a length one reads", {
  expect_identical(eggcrate:::enumerate(c("a", "b", "c")), "a, b and c")
  expect_identical(eggcrate:::enumerate("a"), "a")
  expect_match(eggcrate:::enumerate(as.character(1:40)), "12 and 28 more")
})

test_that("an error has its header, details and hints apart, whatever is set to be shown", {
  withr::defer(options(eggcrate.display = NULL))
  display_settings(locale = "de", labels = c(customer = "Kunde"))
  e <- tryCatch(standings(demo_orders(), of = sum(net_sale), by = customer), error = identity)
  expect_identical(e$header, "There is no column `net_sale` in orders.csv.")
  expect_identical(e$details, character())
  expect_match(e$hints[1], "Did you mean `net_sales`?", fixed = TRUE)
  expect_identical(conditionMessage(e), paste(c(e$header, paste("i", e$hints)), collapse = "\n"))
  e <- tryCatch(standings(data.frame(k = "a", v = c(rep(1, 1233), Inf)), of = v, by = k),
    error = identity)
  expect_match(e$header, "in row 1,234.")
})
