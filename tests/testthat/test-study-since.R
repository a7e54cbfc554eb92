# Two months of a small book of orders, worked by hand.
small_study <- function(folder) {
  write_study(c("eggcrate = 1", "[source]", "file = \"small.csv\"", "date = \"day\"",
    "[[part]]", "name = \"tiers\"", "command = \"tiers\"", "of = \"sum(amount)\"", "by = \"item\"",
    "scheme = \"tiers_by_value(c(A = 100), rest = 'B')\"",
    "[[part]]", "name = \"top\"", "command = \"standings\"", "of = \"sum(amount)\"", "by = \"item\"", "rows = 2"), folder)
}

write_small <- function(folder, amounts) {
  write.csv(data.frame(day = "2026-05-31", item = names(amounts), amount = unname(amounts)), file.path(folder, "small.csv"), row.names = FALSE)
}

test_that("who entered and left, how the first moved, and what became of the total", {
  folder <- withr::local_tempdir()
  path <- small_study(folder)
  out <- file.path(folder, "out")
  write_small(folder, c(a = 300, b = 200, c = 50, d = 20))
  run_study(path, out, quiet = TRUE)
  expect_false(grepl("Since", whole_text(file.path(out, "index.html"))))
  write_small(folder, c(a = 150, b = 90, c = 160, e = 30))
  run_study(path, out, overwrite = TRUE, quiet = TRUE)
  page <- whole_text(file.path(out, "index.html"))
  # 570 before, 430 now: -140, -24.6%. c entered A, b left it; b and e entered B, c and d left it.
  expect_says(page, "Since the earlier run (data to 2026-05-31): the total went from 570 to 430 (-24.6%); 3 entered a group, 3 left one.")
  expect_says(page, "Among the first: c now 1 (was 3), a now 2 (was 1), b now 3 (was 2) and e now 4 (new).")
  rows <- regmatches(page, gregexpr("<tr><td class=\"left\">(A|B|the first 2)</td>.*?</tr>", page, perl = TRUE))[[1]]
  cells <- lapply(rows, function(row) sub("<td[^>]*>", "", strsplit(row, "</td>")[[1]]))
  moves <- lapply(cells, function(x) sub(".*>", "", x[1:3]))
  expect_setequal(moves, list(c("A", "c", "b"), c("B", "b and e", "c and d"), c("the first 2", "c", "b")))
  # Again on the same data: the same bytes, compared with the same earlier run.
  before <- tools::md5sum(list.files(out, recursive = TRUE, full.names = TRUE))
  run_study(path, out, overwrite = TRUE, quiet = TRUE)
  expect_identical(tools::md5sum(list.files(out, recursive = TRUE, full.names = TRUE)), before)
  # A folder that is named.
  run_study(path, file.path(folder, "third"), since = file.path(out, "since"), quiet = TRUE)
  expect_says(whole_text(file.path(folder, "third", "index.html")), "from 570 to 430")
  expect_error(run_study(path, file.path(folder, "fourth"), since = folder, quiet = TRUE), "not the folder of a run")
})

test_that("what was asked otherwise is not compared, and rows that were not kept are said", {
  folder <- withr::local_tempdir()
  path <- small_study(folder)
  writeLines(c(readLines(path)[1], "embed = \"shown\"", readLines(path)[-1]), path)
  write_small(folder, c(a = 300, b = 200, c = 50, d = 20))
  run_study(path, file.path(folder, "one"), quiet = TRUE)
  expect_equal(nrow(read.csv(file.path(folder, "one", "tables", "top-items.csv"))), 2)
  write_small(folder, c(a = 150, b = 90, c = 160, e = 30))
  writeLines(sub("name = \"tiers\"", "name = \"other\"", readLines(path)), path)
  run_study(path, file.path(folder, "two"), since = file.path(folder, "one"), quiet = TRUE)
  page <- whole_text(file.path(folder, "two", "index.html"))
  expect_says(page, "This was not in the earlier run")
  expect_says(page, "only the rows that were shown are known")
  writeLines(sub("of = \"sum(amount)\"", "of = \"count()\"", readLines(path), fixed = TRUE), path)
  run_study(path, file.path(folder, "three"), since = file.path(folder, "one"), only = "top", quiet = TRUE)
  expect_says(whole_text(file.path(folder, "three", "index.html")), "asked otherwise")
})

test_that("a group is listed if items only entered it or only left it", {
  moves <- eggcrate:::group_moves(list(k = c("a", "b"), tier = c("A", "B")), list(k = c("a", "b", "c"), tier = c("A", "B", "B")), "k", "tier")
  expect_identical(moves, list(group = "B", entered = list("c"), left = list(character())))
  moves <- eggcrate:::group_moves(list(k = c("a", "b"), tier = c("A", "A")), list(k = "a", tier = "A"), "k", "tier")
  expect_identical(moves, list(group = "A", entered = list(character()), left = list("b")))
})
