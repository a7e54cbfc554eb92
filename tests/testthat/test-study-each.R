each_study <- function(folder, each = "for_each = \"salesperson\"", ...) {
  write_study(c("eggcrate = 1", each, study_head[-1], ..., simple_part("customers", "charts = [\"bars\"]", "rows = 3"),
    "[[part]]", "name = \"place\"", "command = \"standings\"", "of = \"sum(net_sales)\"", "by = \"salesperson\"", "whole = true"), folder)
}

test_that("each has a page of its own rows, and its place among all", {
  folder <- study_folder()
  path <- each_study(folder)
  out <- file.path(folder, "out")
  got <- run_here(c("run", path, "--out", out))
  expect_equal(got$status, 0)
  expect_match(got$err, "For each salesperson: 9 pages", all = FALSE)
  orders <- read.csv(file.path(folder, "orders.csv"), na.strings = "")
  sellers <- unique(na.omit(orders$salesperson))
  pages <- list.files(file.path(out, "each"))
  expect_setequal(pages, paste0(gsub(" ", "-", tolower(sellers)), ".html"))
  index <- whole_text(file.path(out, "index.html"))
  for (page in pages) expect_says(index, sprintf("href=\"each/%s\"", page))
  one <- whole_text(file.path(out, "each", "bo-larkin.html"))
  own <- tapply(orders$net_sales, list(orders$customer, orders$salesperson), sum, na.rm = TRUE)[, "Bo Larkin"]
  expect_says(one, sprintf("total (%d)", sum(!is.na(own)) + 1))
  expect_says(one, "Bo Larkin: no. 5 of 10 salespeople, 11.0% of net sales")
  # Nothing of the others: neither their names nor their customers.
  expect_false(grepl("Dagny Holt", one, fixed = TRUE))
  others <- names(own)[is.na(own)]
  expect_false(any(vapply(others, grepl, NA, x = one, fixed = TRUE)))
  # One scale: the longest bar is that of the customer who is the greatest of any.
  all <- tapply(orders$net_sales, list(orders$customer, orders$salesperson), sum, na.rm = TRUE)
  part <- max(own, na.rm = TRUE) / max(all, na.rm = TRUE)
  expect_says(one, sprintf("%s %.1f%%", eggcrate:::palette_eggcrate[["shell"]], 55 * part))
})

test_that("pages for a list, for the members of a tier, with workbooks, named safely", {
  folder <- study_folder()
  path <- each_study(folder, c("for_each = { column = \"region\", values = [\"Midmark\", \"Skerry Isles\"] }", "workbook = true"))
  run_study(path, file.path(folder, "a"), quiet = TRUE, only = "customers")
  expect_setequal(list.files(file.path(folder, "a", "each")), c("midmark.html", "midmark.xlsx", "skerry-isles.html", "skerry-isles.xlsx"))
  path <- each_study(folder, "for_each = { column = \"customer\", part = \"customers\", only = \"top(2)\" }")
  writeLines(sub("whole = true", "show = \"region\"", readLines(path)), path)
  run_study(path, file.path(folder, "b"), quiet = TRUE, only = "customers")
  expect_setequal(list.files(file.path(folder, "b", "each")), c("sorrelby-boatyard.html", "kestlow-fishing-co-op.html"))
  # The part that says who has a page need not be run.
  run_study(path, file.path(folder, "c"), quiet = TRUE, only = "place")
  expect_setequal(list.files(file.path(folder, "c", "each")), c("sorrelby-boatyard.html", "kestlow-fishing-co-op.html"))
  expect_identical(eggcrate:::safe_files(c("../../etc", "A/B", "a b", "\u00c9t\u00e9", "<b>", "...")),
    c("etc", "a-b", "a-b-2", "ete", "b", "page"))
})

test_that("with `whole`, a page names the share of its own items, and what changed since the earlier run", {
  folder <- withr::local_tempdir()
  rows <- data.frame(seller = c("ada", "ada", "bo", "bo", "bo"), item = c("a", "b", "c", "d", "e"), amount = c(100, 60, 50, 30, 10), day = "2026-05-31")
  write_rows <- function() write.csv(rows, file.path(folder, "small.csv"), row.names = FALSE)
  write_rows()
  part <- function(name, command, ...) c("[[part]]", sprintf("name = \"%s\"", name), sprintf("command = \"%s\"", command), "of = \"sum(amount)\"", "by = \"item\"", "charts = []", ...)
  path <- write_study(c("eggcrate = 1", "for_each = \"seller\"", "[source]", "file = \"small.csv\"",
    part("tiers", "tiers", "show = \"seller\"", "scheme = \"tiers_by_value(c(A = 50), rest = 'B')\"", "whole = true"),
    part("half", "pareto", "show = \"seller\"", "reach = \"80%\"", "whole = true"),
    part("own", "standings", "over = \"month(day)\"", "rows = 1")), folder)
  out <- file.path(folder, "out")
  run_study(path, out, quiet = TRUE)
  page <- function(name) whole_text(file.path(out, "each", paste0(name, ".html")))
  # 250 in all: A is a, b, c; 80% is 200, which a, b and c make (210).
  expect_says(page("ada"), "ada: 2 of 5 items, 64.0% of amount; 2 of the 3 in tier A")
  expect_says(page("ada"), "ada: 2 of 5 items, 64.0% of amount; 2 of the 3 that account for 80%")
  expect_says(page("bo"), "bo: 3 of 5 items, 36.0% of amount; 1 of the 3 in tier A")
  expect_says(page("bo"), "All 3 rows")
  tiers <- xml2::xml_find_all(xml2::read_html(page("bo")), "//section[1]//table[1]//tr")
  cells <- lapply(tiers, function(row) xml2::xml_text(xml2::xml_find_all(row, "th|td")))
  expect_identical(vapply(cells[1:3], function(row) row[length(row)], ""), c("bo", "1", "2"))
  expect_setequal(list.files(file.path(out, "tables", "each")), sprintf("%s-%s-items.csv", rep(c("ada", "bo"), each = 3), c("tiers", "half", "own")))
  expect_false(grepl("Since", page("ada")))
  rows$amount <- c(100, 60, 70, 20, 55)
  write_rows()
  run_study(path, out, overwrite = TRUE, quiet = TRUE)
  expect_says(page("bo"), "1 entered a group, 1 left one") # e: from B to A
  expect_says(page("ada"), "nobody changed group")
  expect_says(page("bo"), "the total went from 90 to 145 (+61.1%)")
  expect_identical(run_here(c("run", path, "--verify", out))$status, 0L)
})
