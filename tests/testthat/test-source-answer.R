keeping <- function(data, ...) eggcrate:::keep_tallies(eggcrate:::open_source(data), ...)
asked <- function(source, command, ...) eggcrate:::ask(command, list(...), source)
same_answer <- function(a, b) {
  expect_identical(lapply(as.list(a), unclass), lapply(as.list(b), unclass))
  expect_identical(receipt(a), receipt(b))
}

test_that("what was counted once is not counted again, and every answer is as from a source that keeps nothing", {
  lines <- random_lines(2000)
  source <- keeping(lines)
  questions <- list(list("pareto", of = "sum(amount)", by = "item", reach = "80%"), list("pareto", of = "sum(amount)", by = "item", reach = "30%"),
    list("tiers", of = "sum(amount)", by = "item", scheme = "tiers_by_rank(c(A = 3), rest = \"B\")"),
    list("standings", of = "sum(amount)", by = "item", where = "amount > 10"), list("standings", of = "mean(amount)", by = "item"))
  kept <- integer()
  for (q in questions) {
    same_answer(do.call(asked, c(list(source), q)), do.call(asked, c(list(eggcrate:::open_source(lines, "the data")), q)))
    kept <- c(kept, length(source$tallies))
  }
  # The first three are of one tally.
  expect_identical(kept, c(1L, 1L, 1L, 2L, 3L))
  # The answers come from what is kept: when that is another, so are they.
  for (i in seq_along(source$tallies)) source$tallies[[i]]$tally <- source$tallies[[2L]]$tally
  expect_identical(asked(source, "standings", of = "sum(amount)", by = "item")$amount, asked(keeping(lines), "standings", of = "sum(amount)", by = "item",
    where = "amount > 10")$amount)
})

test_that("only so many cells are kept, the newest always", {
  source <- keeping(random_lines(500), most = 60)
  for (by in c("item", "grp", "item")) asked(source, "standings", of = "sum(amount)", by = by)
  expect_length(source$tallies, 1L)
  expect_identical(names(source$tallies[[1L]]$tally$keys), "item")
})

test_that("a question sends all of its requests to the source together, and drops the tallies at its end", {
  sent <- list()
  registerS3method("source_answer", "recorded", function(s, requests, call = NULL) {
    sent <<- c(sent, list(length(requests)))
    NextMethod()
  }, envir = asNamespace("eggcrate"))
  orders <- demo_orders()
  sent_by <- function(command, ...) {
    sent <<- list()
    source <- eggcrate:::open_source(orders, "orders")
    class(source) <- c("recorded", class(source))
    asked(source, command, ...)
    expect_null(source$tallies)
    unlist(sent)
  }
  by <- "customer"
  expect_identical(sent_by("standings", of = "sum(net_sales)", by = by), 1L)
  # The median of all, and two columns to show.
  expect_identical(sent_by("standings", of = "median(net_sales)", by = by, show = "c(region, town)"), 4L)
  expect_identical(sent_by("tiers", of = "sum(net_sales)", by = by, scheme = "tiers_by_rank(c(A = 3), rest = \"B\")",
    where = "order_date >= '2026-01-01'", compare_with = "order_date < '2026-01-01'"), 2L)
  expect_identical(sent_by("targets", of = "sum(net_sales)", by = "region", over = "month(order_date)", target = quote(year_ago()),
    where = "order_date >= '2026-01-01'"), 2L)
})

test_that("several requests of one call of the kernel have the tallies of each alone, and each its own error", {
  lines <- random_lines(3000)
  lines$amount[7] <- 2^62
  source <- eggcrate:::open_source(lines, "lines")
  request_of <- function(of, ...) eggcrate:::plan_request(eggcrate:::prepare("standings", list(of = of, by = "item", ...),
    function(use) eggcrate:::source_schema(source, use))$plan)
  requests <- list(request_of("sum(amount)"), request_of("median(amount)", where = "grp == \"g1\""), request_of("distinct(grp)", within = "grp"))
  alone <- lapply(requests, function(one) eggcrate:::source_answer(source, list(one))[[1L]])
  expect_identical(eggcrate:::source_answer(source, requests), alone)
  wrong <- request_of("sum(amount * amount * amount)")
  expect_identical(eggcrate:::source_answer(source, c(requests, list(wrong))), c(alone, list(NULL)))
  expect_error(eggcrate:::source_tally(source, wrong), class = "eggcrate_error_too_large")
})
