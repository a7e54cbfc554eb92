test_that("a step asks what its fields say, each kind of answer with the arguments that it has", {
  desk <- new_demo_desk()
  by_hand <- list(
    standings = list(list(highlight = "top(3)\nworst = bottom(2)"), highlight(standings(demo_orders(), of = sum(net_sales), by = region), top(3), worst = bottom(2))),
    pareto = list(list(reach = "60%"), pareto(demo_orders(), of = sum(net_sales), by = region, reach = "60%")),
    tiers = list(list(scheme = "tiers_by_rank(c(A = 2), rest = \"B\")"),
      assign_tiers(standings(demo_orders(), of = sum(net_sales), by = region), tiers_by_rank(c(A = 2), rest = "B"))),
    quadrants = list(list(against = "margin = sum(profit) / sum(net_sales)", split_of = "mean"),
      quadrants(demo_orders(), of = sum(net_sales), against = c(margin = sum(profit) / sum(net_sales)), by = region, split_of = "mean")),
    changes = list(list(over = "month(order_date)", tolerance = "5%"),
      compare_periods(demo_orders(), of = sum(net_sales), by = region, over = month(order_date), tolerance = "5%")),
    targets = list(list(over = "quarter(order_date)", target = "previous()", exceed_at = "1.1"),
      against_target(demo_orders(), of = sum(net_sales), by = region, over = quarter(order_date), target = previous(), exceed_at = 1.1)),
    extremes = list(list(over = "year(order_date)"), extremes(standings(demo_orders(), of = sum(net_sales), by = region, over = year(order_date)))))
  for (kind in names(by_hand)) {
    args <- c(list(of = "sum(net_sales)", by = "region"), by_hand[[kind]][[1L]])
    result <- eggcrate:::step_result(desk, eggcrate:::new_step(kind, args))
    expect_null(result$problem, info = kind)
    expect_identical(lapply(as.list(result$x), as.vector), lapply(as.list(by_hand[[kind]][[2L]]), as.vector), info = kind)
  }
})

test_that("conditions that are switched off do not count, and several all hold", {
  desk <- new_demo_desk()
  step <- eggcrate:::new_step("standings", list(of = "sum(net_sales)", by = "customer"),
    list(list(text = "region == \"Midmark\"", on = TRUE), list(text = "category == \"Rope\"", on = FALSE), list(text = "units > 5", on = TRUE)))
  x <- eggcrate:::step_result(desk, step)$x
  orders <- subset(demo_orders(), region == "Midmark" & units > 5)
  expect_equal(sum(x$net_sales, na.rm = TRUE), sum(orders$net_sales, na.rm = TRUE))
})

test_that("what cannot be asked is told beside its field, all of it at once", {
  desk <- new_demo_desk()
  wrong <- function(kind, args, conditions = list()) eggcrate:::step_complaints(eggcrate:::new_step(kind, args, conditions), desk$source)
  found <- wrong("pareto", list(of = "sum(net_sale)", by = "customr", reach = "180%"), list(list(text = "regoin == \"x\"", on = TRUE)))
  expect_setequal(names(found), c("of", "by", "reach", "condition 1"))
  expect_match(found$of, "net_sales", fixed = TRUE)
  expect_match(found$by, "customer", fixed = TRUE)
  expect_named(wrong("standings", list(by = "region")), "of")
  expect_named(wrong("changes", list(of = "count()", by = "region")), "over")
  expect_named(wrong("targets", list(of = "count()", by = "region", target = "1", exceed_at = "much")), "question")
  expect_length(wrong("standings", list(of = "count()", by = "region"), list(list(text = "nonsense(", on = FALSE))), 0L)
})

test_that("whatever a page sends, a step is all text, or is none", {
  of_page <- eggcrate:::step_of_page
  odd <- list(NULL, list(), list(kind = 7), list(kind = "why"), list(kind = c("pareto", "tiers")), list(kind = "pareto", args = list(of = list(1), by = NA, evil = "x", reach = 3)),
    list(kind = "standings", conditions = list(list(), list(text = NULL, on = "yes"), "x")), list(kind = "standings", args = "x", rows = "1e9"),
    list(kind = "standings", args = list(of = strrep("a", 1e5))))
  for (given in odd) {
    step <- of_page(given)
    expect_true(step$kind %in% names(eggcrate:::desk_kinds))
    expect_true(all(vapply(step$args, function(value) isTRUE(value) || is.character(value) && nchar(value) <= 5000, NA)))
    expect_true(step$rows %in% c("10", "25", "100", "1000"))
    expect_false("evil" %in% names(step$args))
  }
})

test_that("no field reads a file", {
  desk <- new_demo_desk()
  targets <- system.file("extdata", "targets.csv", package = "eggcrate")
  for (path in c(targets, "/etc/passwd", "secret.csv", "~/x.parquet", sprintf("'%s'", targets), " \"/etc/passwd\"", "r\"(/etc/passwd)\"")) {
    at <- asks(desk, "targets", of = "sum(net_sales)", by = "region", over = "month(order_date)", target = path)
    expect_match(paste(at$wrong, collapse = " "), "reads no additional files", fixed = TRUE)
  }
})

test_that("marks of items by name go when other items are ranked, others stay", {
  desk <- new_demo_desk()
  desk <- asks(desk, "standings", of = "sum(net_sales)", by = "customer", highlight = "items(\"Varlow Boatyard\")\ntop(3)")$desk
  after <- asks(desk, "standings", of = "sum(net_sales)", by = "product", highlight = "items(\"Varlow Boatyard\")\ntop(3)")
  expect_identical(eggcrate:::desk_step(after$desk)$args$highlight, "top(3)")
  expect_true("sentence" %in% after$views)
  expect_identical(sum(answer_on(after$desk)$x$highlighted), 3L)
})

test_that("no field runs code", {
  desk <- new_demo_desk()
  file <- tempfile()
  code <- sprintf("file.create(\"%s\")", file)
  for (name in setdiff(eggcrate:::step_fields("standings"), character())) {
    args <- list(of = "sum(net_sales)", by = "region")
    args[[name]] <- code
    eggcrate:::step_result(desk, eggcrate:::new_step("standings", args))
    eggcrate:::step_complaints(eggcrate:::new_step("standings", args), desk$source)
  }
  expect_false(file.exists(file))
})

test_that("the sentence has a field for every argument of its kind, and says back what a step has in it", {
  desk <- new_demo_desk()
  for (kind in names(eggcrate:::desk_kinds)) {
    desk$draft <- eggcrate:::new_step(kind, list(of = "sum(net_sales)", by = "c(town, region)", within = "category"))
    html <- as.character(htmltools::tagList(eggcrate:::view_sentence(desk)))
    fields <- regmatches(html, gregexpr("(?<=data-field=\")[^\"]+", html, perl = TRUE))[[1L]]
    expect_setequal(fields, c("kind", eggcrate:::step_fields(kind)))
    expect_says(html, "value=\"c(town, region)\"")
  }
})

test_that("what is wrong stays said while other things are done, until the fields are looked at again", {
  desk <- asks(new_demo_desk(), "standings", of = "sum(nothing)", by = "region")
  expect_true(eggcrate:::views_message(desk)$wronged)
  picked <- eggcrate:::desk_act(desk$desk, list(what = "pick", rows = list(1), how = "these"))
  expect_false(eggcrate:::views_message(picked)$wronged)
  again <- eggcrate:::views_message(asks(picked$desk, "standings", of = "sum(units)", by = "region"))
  expect_true(again$wronged)
  expect_length(again$wrong, 0L)
})
