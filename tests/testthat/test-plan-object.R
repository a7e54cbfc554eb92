plan_for <- function(data, of, by, ...) {
  source <- eggcrate:::open_source(data, "lines")
  eggcrate:::check_asked("standings", list(of = of, by = by, ...),
    function(use) eggcrate:::source_schema(source, use))
}

year_of_lines <- function() {
  data.frame(item = rep(c("a", "b"), 183), day = as.Date("2026-01-01") + 0:365, v = 1)
}

test_that("a plan's gates, its text and its days agree, whatever is added", {
  plan <- plan_for(year_of_lines(), "per_day(sum(v), day)", "item")
  days <- function(plan) eggcrate:::rate_days(plan, list(rows = 1))
  expect_equal(days(plan), 366)
  expect_null(eggcrate:::plan_text(plan))
  march <- plan_for(year_of_lines(), "sum(v)", "item", where = "day >= '2026-03-01'")$gates[[1]]
  narrower <- eggcrate:::plan_where(plan, march)
  expect_equal(days(narrower), 366 - 59)
  expect_equal(eggcrate:::plan_text(narrower), "day >= '2026-03-01'")
  april <- plan_for(year_of_lines(), "sum(v)", "item", where = "day <= '2026-04-30'")$gates[[1]]
  both <- eggcrate:::plan_where(narrower, april)
  expect_equal(days(both), 61)
  expect_equal(eggcrate:::plan_text(both), "(day >= '2026-03-01') & day <= '2026-04-30'")
  # The first one is what it was.
  expect_equal(days(plan), 366)
  expect_length(plan$gates, 0)
})

test_that("other keys and measures make another plan, and leave the old one", {
  plan <- plan_for(year_of_lines(), "sum(v)", "item", show = "day")
  other <- eggcrate:::plan_keys(plan, by = plan$by)
  expect_length(other$show, 0)
  expect_length(plan$show, 1)
  two <- eggcrate:::plan_measures(plan, c(plan$measures, plan$measures))
  expect_length(plan$measures, 1)
  expect_length(eggcrate:::plan_aggregates(two), 1) # one component serves both
})

test_that("what is no plan is not made", {
  plan <- plan_for(year_of_lines(), "sum(v)", "item")
  expect_error(eggcrate:::new_plan(list(), plan$by))
  expect_error(eggcrate:::new_gate(list(type = "number"), "filtered out", "x"))
  expect_error(eggcrate:::new_gate(list(type = "flag"), "thrown away", "x"))
  expect_error(eggcrate:::new_request(list(), list(), list()))
})

test_that("the dry run says what asking would say, and reads no row", {
  data <- year_of_lines()
  schema <- eggcrate:::source_schema(eggcrate:::open_source(data, "lines"))
  expect_s3_class(eggcrate:::check_asked("grid",
    list(of = "sum(v)", by = "item", across = "month(day)"), schema), "eggcrate_plan")
  for (wrong in list(
    list("standings", list(of = "sum(w)", by = "item")),
    list("changes", list(of = "sum(v)", by = "item")),
    list("changes", list(of = "sum(v)", by = "item", over = "month(day)", to = "2019-01")),
    list("targets", list(of = "sum(v)", by = "item")),
    list("quadrants", list(of = "sum(v)", by = "item", against = "sum(w)")),
    list("pareto", list(of = "sum(v)", by = "item", reach = 80)))) {
    asked <- tryCatch(
      eggcrate:::ask(wrong[[1]], wrong[[2]], eggcrate:::open_source(data, "lines")),
      eggcrate_error = conditionMessage)
    expect_identical(tryCatch(eggcrate:::check_asked(wrong[[1]], wrong[[2]], schema),
      eggcrate_error = conditionMessage), asked)
    expect_type(asked, "character")
  }
})

test_that("what is said of days goes by the dates that are asked for, not by gates of our own", {
  d <- data.frame(who = c("a", "b"), day = as.Date("2025-01-01") + 0:59, sales = 1)
  plan <- answer_of(compare_periods(d, of = sum(sales), by = who, over = month(day)))$plan
  steps <- vapply(plan$gates, `[[`, "", "step")
  expect_setequal(steps, c("excluded", "filtered out"))
  said <- function(step) plan_covered(with_plan(plan, gates = plan$gates[steps == step]))
  expect_equal(said("excluded"), "day 2025-01-01 to 2025-03-01")
  expect_length(said("filtered out"), 0)
})
