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
