put <- function(text, type, ...) {
  given <- list(...)
  names <- lapply(given, function(one) list(kind = one[1], text = one[2], line = 1L))
  argument <- eggcrate:::grammar_arguments[[type]]
  eggcrate:::named_value(text, argument, names)
}

test_that("names are put in as what they stand for, and keep the name of a measure", {
  margin <- c("measures", "sum(profit) / sum(net_sales)")
  limit <- c("values", "160000")
  expect_identical(put("margin", "of", margin = margin), "margin = sum(profit) / sum(net_sales)")
  expect_identical(put("margin * 100", "of", margin = margin), "(sum(profit) / sum(net_sales)) * 100")
  expect_identical(put("margin > 0.2 & sum(net_sales) > limit", "having", margin = margin, limit = limit),
    "(sum(profit) / sum(net_sales)) > 0.2 & sum(net_sales) > 160000")
  expect_identical(put("tiers_by_value(c(A = limit), rest = \"limit\")", "scheme", limit = limit),
    "tiers_by_value(c(A = 160000), rest = \"limit\")")
  expect_identical(put("abc", "scheme", abc = c("schemes", "tiers_equal(3)")), "tiers_equal(3)")
  expect_identical(put("key | top(3)", "only", key = c("selections", "in_tier(\"A\")")), "in_tier(\"A\") | top(3)")
  expect_identical(put("!key", "only", key = c("selections", "top(3) & above(5)")), "!(top(3) & above(5))")
  # In quotes, as a function, as the name of an argument, as another kind: never.
  expect_identical(put("town == \"limit\" & `limit` > limit", "where", limit = limit), "town == \"limit\" & `limit` > 160000")
  expect_identical(put("when(limit = 1)", "where", limit = limit), "when(limit = 1)")
  expect_identical(put("limit(x)", "where", limit = limit), "limit(x)")
  expect_identical(put("margin < 0.1", "only", margin = margin), "margin < 0.1")
  expect_identical(put(list("c(orders, margin)"), "also", margin = margin, orders = c("measures", "count()")),
    list("orders = count()", "margin = sum(profit) / sum(net_sales)"))
})

test_that("circles and names of the language are told with their lines", {
  folder <- study_folder()
  path <- write_study(c(study_head, "[measures]", "a = \"b + 1\"", "b = \"c / 2\"", "c = \"a\"", "month = \"sum(units)\"",
    "[values]", "rank = 3", "odd-name = 4", quick_part()), folder)
  problems <- check_study(path)$problems
  expect_match(problems$problem[problems$line == 6], "circle: a -> b -> c -> a")
  expect_match(problems$problem[problems$line == 9], "`month` is a word of the language")
  expect_match(problems$problem[problems$line == 11], "`rank` is a word")
  expect_match(problems$problem[problems$line == 12], "`odd-name` cannot be a name")
})

test_that("a threshold stands in one place, and can be another for one run", {
  folder <- study_folder()
  path <- write_study(c(study_head, "[values]", "limit = 160_000", "[schemes]", "abc = \"tiers_by_value(c(A = limit), rest = 'B')\"",
    "[selections]", "big = \"above(limit)\"", "[[part]]", "name = \"t\"", "command = \"tiers\"", "of = \"sum(net_sales)\"", "by = \"customer\"",
    "scheme = \"abc\"", "only = \"big\""), folder)
  alone <- function(limit) {
    x <- standings(file.path(folder, "orders.csv"), of = sum(net_sales), by = customer, date = order_date)
    only(assign_tiers(x, tiers_by_value(c(A = limit), rest = "B")), above(!!limit))
  }
  run <- function(out, ...) as.data.frame(run_study(path, file.path(folder, out), quiet = TRUE, ...)$answer[[1]])
  expect_identical(run("a"), as.data.frame(alone(160000)))
  expect_identical(run("b", set = list(limit = 100000)), as.data.frame(alone(100000)))
  expect_gt(nrow(run("c", set = c(limit = "50000"))), nrow(alone(100000)))
  expect_error(run("d", set = list(limt = 1)), "no value `limt`.*`limit`", class = "eggcrate_error_unknown_value")
  expect_error(run("d", set = list(limit = "much")), "is a number in the study")
  expect_false(file.exists(file.path(folder, "d")))
})
