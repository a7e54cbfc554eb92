# The shape of the package: which layer a file belongs to, and what each may reach for.
# A file is of the layer whose name it begins with, the longest that fits. Calls go down, or
# stay in the layer; printing and charts do not know each other, and no verb calls another. What is
# bound of the kernel reaches for nothing.
layers <- c(words = 0, conditions = 0, watch = 0, grammar = 0, "eggcrate-package" = 0, RcppExports = 0,
  "language-" = 2, "plan-" = 3, "core-" = 4, "source-" = 5, display = 6, format = 6,
  "print-" = 7, "chart-" = 7, "html-" = 8, files = 8, "page-" = 9, "sheet-" = 9, ask = 9, "verb-" = 10, demo = 11, "study-" = 11, desk = 11, "cli-" = 12)
apart <- c(7, 10)

layer_of <- function(file) {
  fits <- names(layers)[startsWith(file, names(layers))]
  if (length(fits)) layers[[fits[which.max(nchar(fits))]]] else NA
}

# Which file each name of the package is defined in.
definitions <- function() {
  files <- list.files(file.path(checkout(), "R"), "\\.R$", full.names = TRUE)
  found <- lapply(files, function(file) {
    names <- vapply(Filter(function(e) is.call(e) && as.character(e[[1L]])[1L] == "<-" &&
      is.name(e[[2L]]), as.list(parse(file, keep.source = FALSE))),
      function(e) as.character(e[[2L]]), "")
    stats::setNames(rep(sub("\\.R$", "", basename(file)), length(names)), names)
  })
  unlist(found)
}

# The names that a definition takes from outside itself; a signature is for its reader.
names_used <- function(object) {
  if (is.function(object)) {
    formals(object) <- lapply(formals(object), function(default) NULL)
    codetools::findGlobals(object)
  } else if (is.list(object)) {
    unlist(lapply(object, names_used))
  }
}

# All names in it, its own ones too.
names_in <- function(object) unlist(rapply(list(if (is.function(object)) body(object) else object), all.names, classes = "ANY", how = "list"))

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

test_that("calls go down the layers, never up, and not between those that stand apart", {
  defined <- definitions()
  expect_identical(unique(defined[is.na(vapply(defined, layer_of, 0))]), character())
  expect_gt(length(defined), 1000)
  namespace <- asNamespace("eggcrate")
  layer <- vapply(unique(defined), layer_of, 0)
  wrong <- unlist(lapply(names(defined), function(name) {
    file <- defined[[name]]
    object <- get(name, namespace)
    used <- setdiff(intersect(names_in(object), names(defined)), name)
    other <- unname(defined[used])
    up <- layer[other] > layer[[file]]
    family <- function(file) ifelse(layer[file] == 7, sub("-.*$", "", file), file)
    sideways <- layer[[file]] %in% apart & layer[other] == layer[[file]] & family(other) != family(file)
    # A local name may look like one of the package.
    wrong <- (up | sideways) & used %in% if (any(up | sideways)) names_used(object)
    sprintf("%s in %s reaches for %s in %s", name, file, used, other)[wrong]
  }))
  expect_identical(as.character(wrong), character())
})

test_that("what is below the sources knows no file, no output, no package of a shell", {
  files <- list.files(file.path(checkout(), "R"), "^(language|plan|core)-", full.names = TRUE)
  expect_gt(length(files), 15)
  forbidden <- c("ggplot2", "scales", "cli", "pillar", "shiny", "htmltools", "jsonlite",
    "data.table", "DBI", "ragg", "svglite", "print", "cat", "writeLines", "message",
    "file", "readLines", "writeBin", "readBin", "unlink", "tempfile", "readRDS", "evalq",
    "Sys.getenv", "commandArgs", "quit", "system", "system2", "getOption", "options", "display")
  for (file in files) {
    expect_identical(intersect(package_functions(file), forbidden), character(),
      info = basename(file))
  }
})

test_that("messages and receipts are worded without display settings", {
  files <- file.path(checkout(), "R", c("words.R", "conditions.R", "core-receipt.R"))
  for (file in files) {
    expect_identical(intersect(package_functions(file), c("getOption", "display", "format_count")),
      character(), info = basename(file))
  }
})

test_that("no chain of questions decides what kind an answer is", {
  files <- list.files(file.path(checkout(), "R"), "\\.R$", full.names = TRUE)
  for (file in files) {
    lines <- sub("#.*$", "", readLines(file))
    expect_identical(grep("is\\.null\\((set|ans)\\$facets\\$[a-z]+\\)", lines, value = TRUE),
      character(), info = basename(file))
    expect_lt(length(lines), 501)
  }
})

test_that("the kernel includes the standard library and itself only", {
  files <- list.files(file.path(checkout(), "src", "kernel"), full.names = TRUE)
  expect_gt(length(files), 5)
  allowed <- c("system_error", "utility", "sys/mman.h", "algorithm", "atomic", "cmath", "cstddef",
    "cstdint", "cstdlib",
    "cstring", "emmintrin.h", "fstream", "functional", "limits", "memory", "mutex", "new", "string", "thread", "unordered_map", "unordered_set", "vector")
  for (file in files) {
    lines <- grep("^#include", readLines(file), value = TRUE)
    system <- sub("^#include <(.*)>$", "\\1", grep("<", lines, value = TRUE))
    own <- sub("^#include \"(.*)\"$", "\\1", grep("\"", lines, value = TRUE))
    expect_identical(setdiff(system, allowed), character(), info = basename(file))
    expect_identical(setdiff(own, basename(files)), character(), info = basename(file))
  }
})

test_that("no name of the package is defined twice", {
  names <- names(definitions())
  expect_identical(names[duplicated(names)], character())
})

test_that("no line of R is longer than 100 characters, and no file than 500 lines", {
  files <- setdiff(list.files(file.path(checkout_folder(), "R"), "[.]R$"), "RcppExports.R")
  lines <- lapply(file.path(checkout_folder(), "R", files), readLines, encoding = "UTF-8")
  expect_identical(files[vapply(lines, function(x) any(nchar(x) > 100), NA)], character())
  expect_identical(files[lengths(lines) > 500L], character())
})

test_that("every test file is named after a file of the package", {
  tests <- sub("^test-(.*)\\.R$", "\\1",
    list.files(file.path(checkout(), "tests", "testthat"), "^test-"))
  files <- sub("\\.R$", "", list.files(file.path(checkout(), "R")))
  expect_identical(setdiff(tests, c(files, "layers", "refusals", "from-code", "measure-kinds", "guide")), character())
})

test_that("charts and printing do no sums", {
  shown <- list.files(file.path(checkout(), "R"), "^(chart|print|html|format)", full.names = TRUE)
  for (file in shown) {
    used <- intersect(package_functions(file),
      c("cumsum", "tapply", "aggregate", "rowsum", "standings", "rank"))
    expect_identical(used, character(), info = basename(file))
  }
})

test_that("files and functions that the walk through the code names are there", {
  text <- paste(readLines(file.path(checkout_folder(), "docs", "architecture.md"), encoding = "UTF-8"), collapse = "\n")
  named <- function(pattern) unique(unlist(regmatches(text, gregexpr(pattern, text, perl = TRUE))))
  files <- named("(?<=`)(R|src|tests|exec|inst)/[A-Za-z0-9_./-]+(?=`)")
  expect_gt(length(files), 40L)
  expect_identical(files[!file.exists(file.path(checkout_folder(), files))], character())
  functions <- named("(?<=`)[a-z_0-9.]+(?=\\(\\)`)")
  expect_gt(length(functions), 40L)
  expect_identical(setdiff(functions, c(ls(asNamespace("eggcrate"), all.names = TRUE), c("ggplot", "structure"))), character())
})
