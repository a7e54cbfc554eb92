test_that("many files are one table: by a pattern, as a folder, as paths", {
  folder <- monthly_files(file.path(withr::local_tempdir(), "exports"))
  ask <- function(data) list(
    standings(data, of = sum(net_sales), by = customer, also = c(orders = distinct(order_no), mid = median(units))),
    compare_periods(data, of = sum(net_sales), by = region, over = month(order_date)),
    standings(data, of = sum(net_sales), by = order_no, where = in_period(order_date, latest(month))))
  whole <- lapply(ask(orders_path()), as.data.frame)
  expect_identical(lapply(ask(file.path(folder, "*.csv")), as.data.frame), whole)
  expect_identical(lapply(ask(folder), as.data.frame), whole)
  expect_identical(lapply(ask(list.files(folder, full.names = TRUE)), as.data.frame), whole)
  facts <- receipt(ask(folder)[[1]])
  per_file <- facts[facts$fact == "rows of a file", ]
  expect_identical(per_file$note, sort(list.files(folder)))
  expect_identical(sum(per_file$n), facts$n[facts$step == "read"])
  got <- run_here(c("standings", file.path(folder, "*.csv"), "--of", "sum(net_sales)", "--by", "customer", "--format", "csv"))
  expect_equal(got$status, 0)
  expect_identical(got$out, run_here(c("standings", orders_path(), "--of", "sum(net_sales)", "--by", "customer", "--format", "csv"))$out)
})

test_that("types are those of a column over all files, whatever each alone would be", {
  folder <- withr::local_tempdir()
  one <- function(name, ...) writeLines(c(...), file.path(folder, name))
  one("a.csv", "id,amount,day,note", "7,1,2026-01-02,", "8,2.5,2026-01-03,")
  one("b.csv", "id,amount,day,note", "A7,\"1,000\",2026-02-02,x", "007,,2026-02-03,")
  x <- standings(folder, of = sum(amount), by = id, over = month(day))
  expect_identical(x$id, c("8", "7", "A7"))
  expect_equal(x$amount[1:3], c(2.5, 1, 1000))
  expect_identical(standings(folder, of = count(), by = note)$note, c(NA, "x"))
  # Rows are named with their file.
  expect_match(receipt(x)$note[receipt(x)$fact == "rows without sum(amount)"], "row 3 of b.csv")
  expect_match(receipt(x)$note[grepl("^cells read as", receipt(x)$fact)], "row 2 of b.csv")
  one("b.csv", "id,amount,day,note", "A7,many,2026-02-02,x")
  expect_error(standings(folder, of = sum(amount), by = id), "Row 2 of b.csv has \"many\"", class = "eggcrate_error_value")
})

test_that("a column that a file lacks is refused with the file; what one alone has is no hindrance", {
  folder <- withr::local_tempdir()
  writeLines(c("id,amount,more", "a,1,x"), file.path(folder, "a.csv"))
  writeLines(c("id,amuont", "b,2"), file.path(folder, "b.csv"))
  expect_error(standings(folder, of = sum(amount), by = id), "no column `amount` in b.csv.*`amuont`", class = "eggcrate_error_format")
  expect_error(standings(folder, of = count(), by = more), "`more` in b.csv")
  expect_equal(nrow(standings(folder, of = count(), by = id)), 2)
  expect_error(standings(folder, of = count(), by = idd), "Did you mean `id`", class = "eggcrate_error_unknown_column")
  expect_error(standings(file.path(folder, c("a.csv", "a.csv")), of = count(), by = id), "given twice", class = "eggcrate_error_call")
  expect_error(standings(file.path(folder, "x*.csv"), of = count(), by = id), "no file", class = "eggcrate_error_file")
  dir.create(file.path(folder, "empty"))
  expect_error(standings(file.path(folder, "empty"), of = count(), by = id), "no file of order lines")
})

test_that("text, packed text, Parquet and sheets are mixed", {
  folder <- withr::local_tempdir()
  part <- function(i) data.frame(id = letters[i], day = as.Date("2026-01-01") + i, amount = i / 4)
  write.csv(part(1:3), file.path(folder, "1.csv"), row.names = FALSE)
  con <- gzfile(file.path(folder, "2.csv.gz"), "w")
  write.csv(part(4:6), con, row.names = FALSE)
  close(con)
  nanoparquet::write_parquet(part(7:9), file.path(folder, "3.parquet"))
  openxlsx::write.xlsx(part(10:12), file.path(folder, "4.xlsx"))
  whole <- part(1:12)
  expect_identical(as.data.frame(standings(folder, of = sum(amount), by = id, over = day(day))),
    as.data.frame(standings(whole, of = sum(amount), by = id, over = day(day))))
})

test_that("a study may have many files", {
  folder <- study_folder()
  monthly_files(file.path(folder, "exports"))
  path <- write_study(c("eggcrate = 1", "[source]", "files = [\"exports/*.csv\"]", "date = \"order_date\"", simple_part("a", "charts = []")), folder)
  run <- run_study(path, file.path(folder, "out"), quiet = TRUE)
  expect_identical(as.data.frame(run$answer[[1]]),
    as.data.frame(standings(orders_path(), of = sum(net_sales), by = customer, date = order_date)))
  new <- file.path(folder, "new.toml")
  add_part(standings(file.path(folder, "exports", "*.csv"), of = sum(net_sales), by = customer), new)
  expect_match(readLines(new), "^files = \\[\"exports/orders-2023-10.csv\", ", all = FALSE)
  expect_equal(nrow(check_study(new)$problems), 0)
  inputs <- jsonlite::read_json(file.path(folder, "out", "receipts.json"))$inputs
  expect_equal(length(inputs), 33)
})

test_that("a file that holds the rows of another is told of, or refused", {
  folder <- withr::local_tempdir()
  lines <- c("who,v", sprintf("k%d,%d", seq_len(2500) %% 7, seq_len(2500)))
  writeLines(lines, file.path(folder, "a.csv"))
  writeLines(lines, file.path(folder, "b.csv"))
  # The same, with one line of the middle changed, and with other line ends.
  writeLines(replace(lines, 1200, "k1,0"), file.path(folder, "c.csv"), sep = "\r\n")
  writeLines(rev(lines[-1])[1:2500] |> append("who,v", 0), file.path(folder, "d.csv"))
  x <- standings(folder, of = sum(v), by = who)
  told <- receipt(x)[receipt(x)$fact == "duplicate file", ]
  expect_identical(told$note, c("b.csv has the same bytes as a.csv: its rows are counted twice", "c.csv has the same first and last thousand lines as a.csv: its rows are counted twice"))
  got <- run_here(c("standings", folder, "--of", "sum(v)", "--by", "who"))
  expect_equal(got$status, 0)
  expect_match(got$err, "^eggcrate: b.csv has the same bytes as a.csv: its rows are counted twice.$", all = FALSE)
  refused <- run_here(c("standings", folder, "--of", "sum(v)", "--by", "who", "--twice", "refuse"))
  expect_equal(refused$status, 1)
  expect_match(refused$err, "Two files contain the same rows: b.csv has the same bytes as a.csv", all = FALSE)
  found <- check_sales(folder)$findings
  expect_identical(found$column[found$finding == "duplicate file"], c("b.csv", "c.csv"))
  # A study refuses unless it says otherwise.
  study <- function(...) {
    path <- file.path(folder, "s.toml")
    writeLines(c("eggcrate = 1", "[source]", "files = [\"a.csv\", \"b.csv\"]", ..., "[[part]]", "name = \"p\"", "command = \"standings\"", "of = \"sum(v)\"", "by = \"who\""), path)
    run_here(c("check", path))
  }
  expect_equal(study()$status, 2)
  expect_equal(study("twice = \"count\"")$status, 0)
  # Files without a row in common are not told of.
  expect_false("duplicate file" %in% receipt(standings(file.path(folder, c("a.csv", "d.csv")), of = sum(v), by = who))$fact)
})
