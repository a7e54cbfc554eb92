test_that("the columns are offered with their types and values, and a first question", {
  desk <- new_demo_desk()
  types <- vapply(desk$columns, `[[`, "", "type")
  names(types) <- vapply(desk$columns, `[[`, "", "name")
  expect_identical(types[c("order_date", "customer", "net_sales")], c(order_date = "date", customer = "text", net_sales = "number"))
  region <- desk$columns[[match("region", names(types))]]
  expect_true(all(region$values %in% demo_orders()$region))
  expect_identical(region$different, length(unique(demo_orders()$region)))
  expect_identical(desk$trail[[1L]]$args, list(of = "sum(net_sales)", by = "customer"))
  offers <- eggcrate:::desk_offers("measure", desk$columns)
  expect_true(all(c("sum(net_sales)", "count()") %in% offers))
  expect_true("month(order_date)" %in% eggcrate:::desk_offers("keys", desk$columns))
})

test_that("every offer can be asked", {
  desk <- new_demo_desk()
  for (of in eggcrate:::desk_offers("measure", desk$columns)) expect_length(eggcrate:::step_complaints(eggcrate:::new_step("standings", list(of = of, by = "region")), desk$source), 0L)
  for (by in eggcrate:::desk_offers("keys", desk$columns)) expect_length(eggcrate:::step_complaints(eggcrate:::new_step("standings", list(of = "count()", by = by)), desk$source), 0L)
  for (scheme in eggcrate:::desk_offers("scheme", desk$columns)) expect_length(eggcrate:::step_complaints(eggcrate:::new_step("tiers", list(of = "count()", by = "region", scheme = scheme)), desk$source), 0L)
  for (span in eggcrate:::desk_offers("span", desk$columns)) expect_length(eggcrate:::step_complaints(eggcrate:::new_step("changes", list(of = "count()", by = "region", over = "month(order_date)", to = span)), desk$source), 0L)
})

test_that("odd data have a desk too: no dates, no text, no rows, one column, names that are words of ours or markup", {
  odd <- list(data.frame(x = 1:3), data.frame(a = c("x", "y"), b = c(1, 2)), data.frame(a = character(), b = numeric()),
    data.frame(customer = NA_character_, sales = NA_real_), stats::setNames(data.frame(c("a", "b"), c(3, 4)), c("sum", "<b>of</b>")),
    stats::setNames(data.frame(c("a", "b"), c(3, 4)), c("standings", "a`b")), as.data.frame(matrix(1:600, 2)))
  for (data in odd) {
    desk <- new_demo_desk(data)
    result <- answer_on(desk)
    expect_type(result$headline, "character")
    message <- eggcrate:::views_message(eggcrate:::desk_act(desk, list(what = "hello")))
    expect_setequal(names(message$html), eggcrate:::all_views)
    expect_false(grepl("<b>of</b>", paste(unlist(message$html), collapse = ""), fixed = TRUE))
  }
})
