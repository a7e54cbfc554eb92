test_that("every part of the example is answered, and says what was found", {
  run <- demo_run()
  expect_identical(run$table$problem, rep(NA_character_, 15))
  expect_true(all(nchar(run$table$finding) > 15))
  files <- list.files(run$folder, recursive = TRUE)
  receipts <- jsonlite::read_json(file.path(run$folder, "receipts.json"))
  expect_setequal(files, c(names(receipts$files), "receipts.json"))
  expect_true(all(c("index.html", "review.xlsx", "messages.csv", "review.toml", "tables/accounts-items.csv",
    "charts/month-bridge.svg", "charts/month-bridge.png") %in% files))
  expect_identical(unname(tools::md5sum(file.path(run$folder, "review.toml"))),
    unname(tools::md5sum(system.file("studies", "review.toml", package = "eggcrate"))))
  expect_identical(receipts$version, as.character(packageVersion("eggcrate")))
  named <- vapply(receipts$inputs, `[[`, "", "name")
  expect_setequal(named, c("orders.csv", "targets.csv", "region-tiles.csv", "customers.csv"))
  expect_identical(receipts$inputs[[1]]$fingerprint, paste0("xxh128:", rlang::hash_file(orders_path())))
  expect_lt(file.size(file.path(run$folder, "index.html")), 2e6)
  expect_equal(nrow(utils::read.csv(file.path(run$folder, "messages.csv"))), 0)
})

test_that("a part is the same question asked alone, to the byte: by the command and by the code that the page gives", {
  run <- demo_run()
  study <- eggcrate:::load_study(system.file("studies", "review.toml", package = "eggcrate"))
  withr::local_dir(dirname(study$path))
  display <- c("--currency", "\u20ac", "--money", "net_sales", "--money", "profit", "--percent", "margin", "--label", "net_sales=net sales")
  out <- withr::local_tempdir()
  for (part in study$parts) {
    args <- eggcrate:::part_args(study, part)
    line <- eggcrate:::shell_code(part$command, args, study$source$file, study$lookup)
    layout <- if (!is.null(part$shown$layout)) c("--layout", part$shown$layout)
    for (table in eggcrate:::part_tables(part)) {
      csv <- file.path(out, sprintf("%s-%s.csv", part$name, table))
      chosen <- if (part$command %in% eggcrate:::charting) c("--table", table, layout)
      more <- paste(shQuote(c("--out", csv, chosen, display[if (part$command %in% c("findings", "why")) 1:8 else seq_along(display)])), collapse = " ")
      got <- run_here(shell_args(paste(sub("^eggcrate ", "", line), more)))
      expect_equal(got$status, 0, info = paste(part$name, paste(got$err, collapse = " ")))
      expect_same_bytes(csv, file.path(run$folder, "tables", basename(csv)))
    }
    if (!"items" %in% eggcrate:::part_tables(part)) next
    code <- eggcrate:::r_code(part$command, args, study$source$file, study$lookup)
    answer <- withr::with_options(list(eggcrate.display = study$display), eval(parse(text = code), new.env()))
    text <- eggcrate:::answer_csv(answer)
    expect_identical(paste0(text, "\n"), whole_text(file.path(run$folder, "tables", sprintf("%s-items.csv", part$name))), info = part$name)
  }
})

test_that("a figure of a part is the one that the command draws", {
  run <- demo_run()
  study <- eggcrate:::load_study(system.file("studies", "review.toml", package = "eggcrate"))
  withr::local_dir(dirname(study$path))
  out <- withr::local_tempdir()
  for (name in in_full(c("products", "month", "margins"), "products")) {
    part <- Find(function(part) part$name == name, study$parts)
    chart <- c(products = "pareto", month = "changes", margins = "quadrants")[[name]]
    line <- eggcrate:::shell_code(part$command, eggcrate:::part_args(study, part), study$source$file, study$lookup)
    for (ending in c("svg", "png")) {
      file <- file.path(out, sprintf("%s-%s.%s", name, chart, ending))
      more <- paste(shQuote(c("--chart", file, "--currency", "\u20ac", "--money", "net_sales", "--money", "profit", "--percent", "margin",
        "--label", "net_sales=net sales")), collapse = " ")
      expect_equal(run_here(shell_args(paste(sub("^eggcrate ", "", line), more)))$status, 0)
      expect_same_bytes(file, file.path(run$folder, "charts", basename(file)))
    }
  }
})

test_that("a second run gives the same bytes, and a check of it names what has changed", {
  folder <- study_folder()
  path <- write_study(c(study_head, simple_part("a", "charts = [\"bars\"]"), quick_part("regions", "within = \"region\"")), folder)
  out <- file.path(folder, "out")
  run_study(path, out, quiet = TRUE)
  got <- run_here(c("run", path, "--verify", out, "--quiet"))
  expect_equal(got$status, 0)
  expect_match(got$out, "gives the same bytes")
  write("x", file.path(out, "tables", "regions-items.csv"), append = TRUE)
  unlink(file.path(out, "charts", "a-bars.png"))
  changed <- run_here(c("run", path, "--verify", out, "--quiet"))
  expect_equal(changed$status, 1)
  expect_setequal(trimws(changed$out[-1]), c("charts/a-bars.png", "tables/regions-items.csv"))
})

test_that("next month the same study runs unchanged, and its periods move", {
  folder <- study_folder()
  path <- file.path(folder, "review.toml")
  lines <- readLines(system.file("studies", "review.toml", package = "eggcrate"), encoding = "UTF-8")
  lines <- gsub("../extdata/", "", lines, fixed = TRUE)
  if (!in_full(TRUE, FALSE)) lines <- sub("^charts = .*$", "charts = []", lines)
  writeLines(lines, path, useBytes = TRUE)
  out <- file.path(folder, "review")
  only <- in_full(c("month", "regions", "accounts", "margins"), c("month", "accounts"))
  run_study(path, out, only = only, quiet = TRUE)
  orders <- read.csv(file.path(folder, "orders.csv"), check.names = FALSE, colClasses = "character")
  # The lines of May come again in June, of another size, and some in July.
  later <- orders[startsWith(orders$order_date, "2026-05"), ]
  later$order_date <- sub("2026-05", "2026-06", sub("-31$", "-30", later$order_date))
  later$net_sales <- sprintf("%.2f", 1.5 * as.numeric(later$net_sales))
  july <- transform(later[1:5, ], order_date = "2026-07-03")
  kept <- orders[!startsWith(orders$order_date, "2026-06"), ]
  write.csv(rbind(kept, later, july), file.path(folder, "orders.csv"), row.names = FALSE, na = "", quote = FALSE)
  got <- run_here(c("run", path, "--out", out, "--overwrite", rbind("--only", only)))
  expect_equal(got$status, 0)
  page <- whole_text(file.path(out, "index.html"))
  expect_says(page, "from 2026-05 to 2026-06")
  expect_says(page, "Since the earlier run (data to 2026-06-17)")
  expect_says(page, "entered a group")
  expect_equal(run_here(c("run", path, "--verify", out, "--quiet"))$status, 0)
})

test_that("a part that fails is said on the page, in the messages and in the exit code, and stops no other", {
  folder <- study_folder()
  path <- write_study(c(study_head, "[display]", "currency = \"\u20ac\"", quick_part("good"),
    quick_part("bad", "only = \"items('Nobody & <b>')\""), quick_part("also-good", "rows = 3")), folder)
  out <- file.path(folder, "out")
  got <- run_here(c("run", path, "--out", out))
  expect_equal(got$status, 1)
  expect_match(got$err, "^2/3  bad", all = FALSE)
  expect_match(got$err, "1 part could not be answered", all = FALSE)
  messages <- read.csv(file.path(out, "messages.csv"))
  expect_identical(messages$part, "bad")
  expect_match(messages$message, "no customer \"Nobody & <b>\"")
  page <- whole_text(file.path(out, "index.html"))
  expect_says(page, "Nobody &amp; &lt;b&gt;")
  expect_true(file.exists(file.path(out, "tables", "also-good-items.csv")))
  table <- run_study(path, file.path(folder, "out2"), quiet = TRUE)
  expect_identical(is.na(table$problem), c(TRUE, FALSE, TRUE))
})

test_that("as_of, source, only and set hold for one run", {
  folder <- study_folder()
  path <- write_study(c(study_head, quick_part("a"), quick_part("b", "over = \"month(order_date)\"")), folder)
  early <- run_study(path, file.path(folder, "o1"), as_of = "2025-06-30", only = "b", quiet = TRUE)
  expect_identical(early$name, "b")
  expect_identical(max(early$answer[[1]]$month), "2025-06")
  expect_says(whole_text(file.path(folder, "o1", "index.html")), "as of 2025-06-30")
  orders <- read.csv(file.path(folder, "orders.csv"), check.names = FALSE)
  write.csv(orders[1:200, ], file.path(folder, "few.csv"), row.names = FALSE, na = "")
  few <- run_study(path, file.path(folder, "o2"), source = file.path(folder, "few.csv"), only = "a", quiet = TRUE)
  expect_equal(sum(few$answer[[1]]$net_sales), sum(orders$net_sales[1:200], na.rm = TRUE))
  # How it was asked is how it was asked this time.
  expect_says(whole_text(file.path(folder, "o2", "index.html")), "few.csv --of ")
  expect_error(run_study(path, file.path(folder, "o3"), only = "c", quiet = TRUE), "no part \"c\"")
  expect_error(run_study(path, file.path(folder, "o3"), as_of = "June", quiet = TRUE), class = "eggcrate_error_call")
  expect_equal(run_here(c("run", path, "--out", file.path(folder, "o3"), "--set", "x"))$status, 2)
  expect_match(run_here(c("run", path))$err[1], "--out FOLDER")
})

test_that("rows are read once for all parts", {
  folder <- study_folder()
  path <- write_study(c(study_head, quick_part("a"), quick_part("b", "within = \"region\"", "where = \"category != 'Rope'\""),
    quick_part("c", "over = \"month(order_date)\"", "also = \"orders = distinct(order_no)\"")), folder)
  withr::local_options(eggcrate.test_reads = 0L)
  count <- quote(options(eggcrate.test_reads = getOption("eggcrate.test_reads") + 1L))
  suppressMessages(trace("read_typed", count, print = FALSE, where = asNamespace("eggcrate")))
  on.exit(suppressMessages(untrace("read_typed", where = asNamespace("eggcrate"))))
  run_study(path, file.path(folder, "out"), quiet = TRUE)
  expect_equal(getOption("eggcrate.test_reads"), 1L)
})
