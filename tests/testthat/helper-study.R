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

the_run <- new.env()

# The example, run once: `folder`, `table`.
demo_run <- function() {
  if (is.null(the_run$folder)) {
    the_run$folder <- file.path(tempfile("run-"), "review")
    dir.create(dirname(the_run$folder))
    the_run$table <- run_study(system.file("studies", "review.toml", package = "eggcrate"), the_run$folder, quiet = TRUE)
  }
  the_run
}

expect_same_bytes <- function(a, b) {
  expect_identical(unname(tools::md5sum(a)), unname(tools::md5sum(b)), label = basename(a))
}

whole_text <- function(path) paste0(paste(readLines(path, encoding = "UTF-8", warn = FALSE), collapse = "\n"), "\n")

# Pages are long: what is not in one is told without it.
expect_says <- function(page, text) expect_true(grepl(text, page, fixed = TRUE), label = sprintf("the page says '%s'", text))

# What a run needs that may not be installed.
skip_without_run <- function() {
  for (package in c("RcppTOML", "htmltools", "ggplot2", "svglite", "openxlsx")) skip_if_not_installed(package)
}
