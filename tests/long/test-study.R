# The whole example study, run again.

test_that("a second run gives the same bytes of everything, and a check of it says so", {
  run <- demo_run()
  path <- system.file("studies", "review.toml", package = "eggcrate")
  got <- run_here(c("run", path, "--verify", run$folder, "--quiet"))
  expect_equal(got$status, 0)
  expect_match(got$out, "gives the same bytes")
})

test_that("a figure is the one that the command draws", {
  run <- demo_run()
  study <- eggcrate:::load_study(system.file("studies", "review.toml", package = "eggcrate"))
  withr::local_dir(dirname(study$path))
  out <- withr::local_tempdir()
  for (name in c("products", "month", "margins")) {
    part <- Find(function(part) part$name == name, study$parts)
    chart <- c(products = "pareto", month = "changes", margins = "quadrants")[[name]]
    line <- eggcrate:::shell_code(part$command, eggcrate:::part_args(study, part), study$source$file, study$lookup)
    for (ending in c("svg", "png")) {
      file <- file.path(out, sprintf("%s-%s.%s", name, chart, ending))
      more <- paste(shQuote(c("--chart", file, "--currency", "\u20ac", "--money", "net_sales", "--money", "profit", "--percent", "margin",
        "--label", "net_sales=net sales")), collapse = " ")
      expect_equal(run_here(shell_args(paste(sub("^eggcrate ", "", line), more)))$status, 0)
      expect_same_bytes(file, file.path(run$folder, "figures", basename(file)))
    }
  }
})

test_that("next month the same study runs unchanged, and its periods move", {
  folder <- study_folder()
  path <- file.path(folder, "review.toml")
  lines <- readLines(system.file("studies", "review.toml", package = "eggcrate"), encoding = "UTF-8")
  writeLines(gsub("../extdata/", "", lines, fixed = TRUE), path, useBytes = TRUE)
  out <- file.path(folder, "review")
  only <- c("month", "regions", "accounts", "margins")
  run_study(path, out, only = only, quiet = TRUE)
  orders <- read.csv(file.path(folder, "orders.csv"), check.names = FALSE, colClasses = "character")
  # The lines of May come again in June, of another size, and some in July.
  later <- orders[startsWith(orders$order_date, "2026-05"), ]
  later$order_date <- sub("2026-05", "2026-06", sub("-31$", "-30", later$order_date))
  later$net_sales <- sprintf("%.2f", 1.5 * as.numeric(later$net_sales))
  july <- transform(later[1:5, ], order_date = "2026-07-03")
  kept <- orders[!startsWith(orders$order_date, "2026-06"), ]
  write.csv(rbind(kept, later, july), file.path(folder, "orders.csv"), row.names = FALSE, na = "", quote = FALSE)
  got <- run_here(c("run", path, "--out", out, "--overwrite", "--only", "month", "--only", "regions", "--only", "accounts", "--only", "margins"))
  expect_equal(got$status, 0)
  page <- whole_text(file.path(out, "index.html"))
  expect_says(page, "from 2026-05 to 2026-06")
  expect_says(page, "Since the earlier run (data to 2026-06-17)")
  expect_says(page, "entered a group")
  expect_equal(run_here(c("run", path, "--verify", out, "--quiet"))$status, 0)
})
