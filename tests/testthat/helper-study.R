# A study of the demo world in a folder of its own, and the example run once for all tests.

study_folder <- function(env = parent.frame()) {
  folder <- withr::local_tempdir(.local_envir = env)
  file.copy(list.files(system.file("extdata", package = "eggcrate"), full.names = TRUE), folder)
  folder
}

write_study <- function(lines, folder, name = "review.toml") {
  path <- file.path(folder, name)
  writeLines(enc2utf8(lines), path, useBytes = TRUE)
  path
}

study_head <- c("eggcrate = 1", "[source]", "file = \"orders.csv\"", "date = \"order_date\"")

simple_part <- function(name = "customers", ...) {
  c("[[part]]", sprintf("name = \"%s\"", name), "command = \"standings\"", "of = \"sum(net_sales)\"", "by = \"customer\"", ...)
}

# Without charts, which take most of the time of a run.
quick_part <- function(...) simple_part(..., "charts = []")

the_run <- new.env()

# The example, run once for all processes of a run of tests: `folder`, and `table` without the answers.
demo_run <- function() {
  if (is.null(the_run$folder)) {
    place <- file.path(Sys.getenv("EGGCRATE_FIXTURES", tempdir()), "demo-run")
    table <- file.path(place, "table.rds")
    if (dir.create(place, showWarnings = FALSE)) {
      made <- run_study(system.file("studies", "review.toml", package = "eggcrate"), file.path(place, "review"), quiet = TRUE)
      saveRDS(made[setdiff(names(made), "answer")], paste0(table, ".new"))
      file.rename(paste0(table, ".new"), table)
    }
    for (i in 1:3000) if (file.exists(table)) break else Sys.sleep(0.1)
    the_run$table <- readRDS(table)
    the_run$folder <- normalizePath(file.path(place, "review"))
  }
  the_run
}

expect_same_bytes <- function(a, b) {
  expect_identical(unname(tools::md5sum(a)), unname(tools::md5sum(b)), label = basename(a))
}

whole_text <- function(path) paste0(paste(readLines(path, encoding = "UTF-8", warn = FALSE), collapse = "\n"), "\n")

# Pages are long: what is not in one is told without it.
expect_says <- function(page, text) expect_true(grepl(text, page, fixed = TRUE), label = sprintf("the page says '%s'", text))
