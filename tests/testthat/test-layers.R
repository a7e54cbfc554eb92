# The shape of the package: what each layer may reach for.

package_functions <- function(file) {
  code <- parse(file, keep.source = FALSE)
  found <- character()
  walk <- function(x) {
    if (is.call(x)) {
      if (is.name(x[[1L]]) && as.character(x[[1L]]) %in% c("::", ":::")) {
        found <<- c(found, as.character(x[[2L]]))
      }
      if (is.name(x[[1L]])) found <<- c(found, as.character(x[[1L]]))
      for (part in as.list(x)) if (!missing(part)) walk(part)
    } else if (is.pairlist(x)) {
      for (part in as.list(x)) if (!missing(part)) walk(part)
    }
  }
  for (expr in as.list(code)) walk(expr)
  unique(found)
}

checkout <- function() {
  top <- Sys.getenv("EGGCRATE_CHECKOUT", testthat::test_path("..", ".."))
  normalizePath(top)
}

test_that("the core reaches for no package of a shell, no file and no output", {
  core <- list.files(file.path(checkout(), "R"), "^core-", full.names = TRUE)
  expect_gt(length(core), 5)
  forbidden <- c("ggplot2", "scales", "cli", "pillar", "shiny", "htmltools", "jsonlite",
    "data.table", "optparse", "DBI", "ragg", "svglite", "print", "cat", "writeLines", "message",
    "file", "readLines", "writeBin", "readBin", "unlink", "tempfile", "readRDS", "eval", "evalq",
    "Sys.getenv", "commandArgs", "quit", "system", "system2", "format_count", "number_formatter")
  for (file in core) {
    used <- intersect(package_functions(file), forbidden)
    expect_identical(used, character(), info = basename(file))
  }
})

test_that("the kernel includes the standard library and itself only", {
  files <- list.files(file.path(checkout(), "src", "kernel"), full.names = TRUE)
  expect_gt(length(files), 5)
  allowed <- c("sys/mman.h", "algorithm", "atomic", "cmath", "cstddef", "cstdint", "cstdlib",
    "cstring", "limits", "memory", "new", "string", "thread", "unordered_set", "vector")
  for (file in files) {
    lines <- grep("^#include", readLines(file), value = TRUE)
    system <- sub("^#include <(.*)>$", "\\1", grep("<", lines, value = TRUE))
    own <- sub("^#include \"(.*)\"$", "\\1", grep("\"", lines, value = TRUE))
    expect_identical(setdiff(system, allowed), character(), info = basename(file))
    expect_identical(setdiff(own, basename(files)), character(), info = basename(file))
  }
})

test_that("every test file is named after a file of the package", {
  tests <- sub("^test-(.*)\\.R$", "\\1",
    list.files(file.path(checkout(), "tests", "testthat"), "^test-"))
  files <- sub("\\.R$", "", list.files(file.path(checkout(), "R")))
  expect_identical(setdiff(tests, c(files, "layers")), character())
})

test_that("charts and printing do no sums", {
  shown <- list.files(file.path(checkout(), "R"), "^(chart|print)-", full.names = TRUE)
  for (file in shown) {
    used <- intersect(package_functions(file),
      c("cumsum", "tapply", "aggregate", "rowsum", "standings", "rank"))
    expect_identical(used, character(), info = basename(file))
  }
})

test_that("no name is defined twice", {
  files <- list.files(file.path(checkout(), "R"), "\\.R$", full.names = TRUE)
  defined <- unlist(lapply(files, function(file) {
    vapply(Filter(function(e) is.call(e) && as.character(e[[1L]])[1L] == "<-" && is.name(e[[2L]]),
      as.list(parse(file, keep.source = FALSE))),
      function(e) as.character(e[[2L]]), "")
  }))
  expect_gt(length(defined), 500)
  expect_identical(unique(defined[duplicated(defined)]), character())
})
