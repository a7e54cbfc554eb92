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
    kept <- c(kept, length(source$kept))
  }
  # The first three are of one tally.
  expect_identical(kept, c(1L, 1L, 1L, 2L, 3L))
  # The answers come from what is kept: when that is another, so are they.
  source$kept[] <- source$kept[2L]
  expect_identical(asked(source, "standings", of = "sum(amount)", by = "item")$amount, asked(keeping(lines), "standings", of = "sum(amount)", by = "item",
    where = "amount > 10")$amount)
})

test_that("only so many cells are kept, the newest always", {
  source <- keeping(random_lines(500), most = 60)
  for (by in c("item", "grp", "item")) asked(source, "standings", of = "sum(amount)", by = by)
  expect_length(source$kept, 1L)
  expect_identical(names(source$kept[[1L]]$keys), "item")
})
