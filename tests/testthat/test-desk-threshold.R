moved <- function(desk, id, value, final = TRUE) eggcrate:::desk_act(desk, list(what = "slide", id = id, value = value, final = final))
ids <- function(desk) vapply(eggcrate:::step_thresholds(eggcrate:::desk_step(desk), answer_on(desk)$x), `[[`, "", "id")

test_that("a threshold that moves asks the same question with another threshold, and is one step of the trail", {
  desk <- asks(new_demo_desk(), "pareto", of = "sum(net_sales)", by = "product")$desk
  expect_identical(ids(desk), "reach")
  for (value in c(55, 60, 65)) desk <- moved(desk, "reach", value)$desk
  expect_length(desk$trail, 3L)
  expect_identical(answer_on(desk)$x$reached, pareto(demo_orders(), of = sum(net_sales), by = product, reach = "65%")$reached)
  seen <- moved(desk, "reach", 20, final = FALSE)
  expect_identical(seen$desk$trail, desk$trail)
  expect_identical(seen$step$args$reach, "20%")
  expect_says(eggcrate:::views_message(seen)$html$finding, "account for 20% of net sales")
  expect_length(asks(desk, "pareto", of = "sum(net_sales)", by = "region", reach = "65%")$desk$trail, 4L)
  for (value in list("x", NULL, NA, c(1, 2), Inf)) expect_identical(moved(desk, "reach", value)$desk$trail, desk$trail)
  expect_identical(moved(desk, "nothing", 5)$desk$trail, desk$trail)
})

test_that("standings have a mark of the top, tiers their cut-offs, quadrants their splits, in their ends", {
  desk <- new_demo_desk()
  desk <- moved(desk, "top", 12)$desk
  expect_identical(sum(answer_on(desk)$x$highlighted), 12L)
  expect_identical(moved(desk, "top", 0)$desk$trail[[2L]]$args$highlight, NULL)
  desk <- asks(desk, "tiers", of = "sum(net_sales)", by = "customer", scheme = "tiers_by_share(c(A = \"80%\", B = \"95%\"), rest = \"C\")")$desk
  expect_identical(ids(desk), c("tier 1", "tier 2"))
  desk <- moved(desk, "tier 1", 70)$desk
  expected <- assign_tiers(standings(demo_orders(), of = sum(net_sales), by = customer), tiers_by_share(c(A = "70%", B = "95%"), rest = "C"))
  expect_identical(as.character(answer_on(desk)$x$tier), as.character(expected$tier))
  desk <- asks(desk, "quadrants", of = "sum(net_sales)", by = "customer", against = "margin = sum(profit) / sum(net_sales)")$desk
  at <- eggcrate:::step_thresholds(eggcrate:::desk_step(desk), answer_on(desk)$x)
  expect_equal(at[[1L]]$value, stats::median(standings(demo_orders(), of = sum(net_sales), by = customer)$net_sales, na.rm = TRUE))
  desk <- moved(desk, "split_of", 20000)$desk
  x <- answer_on(desk)$x
  expect_identical(grepl("^high net_sales", x$quadrant), x$net_sales >= 20000)
})

test_that("tiers do not pass each other, in every kind of scheme, and are read back as they were written", {
  schemes <- c("tiers_by_share(c(A = \"50%\", B = \"80%\"), rest = \"C\")", "tiers_by_rank(c(A = 5, B = 20), rest = \"C\")",
    "tiers_by_value(c(A = 50000, B = 10000), rest = \"C\")", "tiers_by_value(c(A = 1000, B = 5000), rest = \"C\")",
    "tiers_by_percentile(c(A = \"20%\", B = \"30%\", C = \"50%\"))", "tiers_equal(4)")
  desk <- new_demo_desk()
  for (scheme in schemes) {
    # Bounds that grow are those of the lowest.
    desk <- asks(desk, "tiers", of = "sum(net_sales)", by = "customer", scheme = scheme, best = if (grepl("A = 1000,", scheme)) "lowest" else "")$desk
    for (one in eggcrate:::step_thresholds(eggcrate:::desk_step(desk), answer_on(desk)$x)) {
      for (value in unique(c(one$least, one$value, one$most, one$value + one$by))) {
        after <- moved(desk, one$id, value)
        expect_length(after$wrong, 0L)
        expect_true(eggcrate:::is_answered(answer_on(after$desk)), info = paste(scheme, one$id, value))
      }
    }
  }
})

test_that("groups and their complement are one click, and together they are all", {
  desk <- asks(new_demo_desk(), "pareto", of = "sum(net_sales)", by = "customer")$desk
  shown <- function(desk, selection) nrow(answer_on(eggcrate:::desk_act(desk, list(what = "only", selection = selection))$desk)$x)
  for (kind in c("pareto", "tiers", "quadrants", "changes")) {
    desk <- asks(desk, kind, of = "sum(net_sales)", by = "customer")$desk
    groups <- eggcrate:::step_groups(answer_on(desk)$x)
    counts <- vapply(groups, function(selection) shown(desk, selection), 1L)
    unranked <- sum(is.na(.subset2(answer_on(desk)$x, "rank")))
    expect_identical(sum(counts) + unranked, nrow(answer_on(desk)$x), info = kind)
    expect_identical(shown(desk, eggcrate:::complement_of(groups[[1L]])) + counts[[1L]] + unranked, nrow(answer_on(desk)$x))
  }
})
