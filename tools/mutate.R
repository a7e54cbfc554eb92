# Would the tests notice? Swaps one operator at a time in the core, the plan, the language, the sources with their SQL, the study
# and the C++ kernel, builds the package with it, runs the tests that reach the place to the first failure, and counts.
#   tools/mutate [HOW MANY] [SEED] [GROUP …], with the groups core, kernel, sources and study
# Swaps that change nothing are listed in tests/mutants-equal.txt, a line each as printed.
runner <- new.env()
sys.source("tools/run-tests.R", runner)
work <- file.path(getwd(), "build", "mutate")
# A swap has so many seconds of tests; what takes longer is reported as not noticed.
most_seconds <- 150

# Text ---------------------------------------------------------------------

#' @param at Line and column of the first letter, and how many letters are replaced.
replace_at <- function(lines, line, column, length, with) {
  text <- lines[line]
  lines[line] <- paste0(substr(text, 1L, column - 1L), with, substr(text, column + length, nchar(text)))
  lines
}

# Places in R --------------------------------------------------------------

swaps_r <- c("<" = "<=", "<=" = "<", ">" = ">=", ">=" = ">", "+" = "-", "-" = "+", "*" = "/", "&&" = "||", "||" = "&&", "&" = "|",
  "|" = "&", "==" = "!=", "!=" = "==", any = "all", all = "any", min = "max", max = "min", pmin = "pmax", pmax = "pmin", which.max = "which.min")

parse_data <- function(path) {
  data <- utils::getParseData(parse(path, keep.source = TRUE), includeText = NA)
  data$outer <- outer_functions(data)
  data
}

# The outermost function that each piece is in, named by the line it begins in.
outer_functions <- function(data) {
  up <- match(data$parent, data$id)
  is_function <- seq_len(nrow(data)) %in% up[data$token %in% c("FUNCTION", "'\\\\'")]
  vapply(seq_len(nrow(data)), function(i) {
    found <- NA_integer_
    while (!is.na(i)) {
      if (is_function[i]) found <- data$line1[i]
      i <- up[i]
    }
    found
  }, 1L)
}

group_of <- function(file) {
  switch(sub("-.*", "", basename(file)), core = , plan = , language = "core", source = "sources", study = "study")
}

sites_r <- function(path) {
  data <- parse_data(path)
  binary <- table(data$parent[data$token == "expr"])
  names_called <- data$token == "SYMBOL_FUNCTION_CALL"
  signs <- data$terminal & grepl("^('|[A-Z]+[0-9]?$)", data$token) & !data$token %in% c("STR_CONST", "SYMBOL", "SYMBOL_SUB", "SYMBOL_FORMALS", "SYMBOL_PACKAGE")
  two_sided <- binary[as.character(data$parent)] == 2L
  keep <- data$text %in% names(swaps_r) & (names_called | signs & !is.na(two_sided) & two_sided)
  if (!any(keep)) return(NULL)
  found <- data[keep, ]
  data.frame(group = group_of(path), file = path, line = found$line1, column = found$col1, from = found$text, to = unname(swaps_r[found$text]),
    place = ifelse(is.na(found$outer), "", paste0(basename(path), ":", found$outer)))
}

# Places in the kernel -----------------------------------------------------

swaps_c <- c("<" = "<=", "<=" = "<", ">" = ">=", ">=" = ">", "+" = "-", "-" = "+", "*" = "/", "&&" = "||", "||" = "&&", "==" = "!=", "!=" = "==",
  "+=" = "-=", "-=" = "+=")

# Operators stand between blanks; what is within angle brackets does not.
sites_c <- function(path) {
  lines <- readLines(path)
  blank_out <- function(lines, pattern) {
    at <- gregexpr(pattern, lines, perl = TRUE)
    regmatches(lines, at) <- lapply(regmatches(lines, at), function(x) strrep("_", nchar(x)))
    lines
  }
  bare <- blank_out(blank_out(blank_out(lines, "\"(\\\\.|[^\"\\\\])*\""), "'(\\\\.|[^'\\\\])'"), "//.*$")
  bare[grepl("^\\s*(#|template|static_assert)|operator", bare)] <- ""
  at <- gregexpr("(?<= )(<=|>=|==|!=|&&|\\|\\||\\+=|-=|<|>|\\+|-|\\*)(?= )", bare, perl = TRUE)
  do.call(rbind, lapply(which(vapply(at, `[`, 1L, 1L) > 0L), function(i) {
    from <- regmatches(bare[i], at[i])[[1L]]
    data.frame(group = "kernel", file = path, line = i, column = as.integer(at[[i]]), from = from, to = unname(swaps_c[from]), place = basename(path))
  }))
}

all_sites <- function() {
  r <- sort(list.files("R", "^(core|plan|language|source|study)-.*[.]R$", full.names = TRUE))
  rbind(do.call(rbind, lapply(r, sites_r)), do.call(rbind, lapply(sort(list.files("src/kernel", full.names = TRUE)), sites_c)))
}

# As many of each group as its part of all places, but a fifth of the swaps at least.
draw <- function(sites, times, seed) {
  set.seed(seed)
  part <- pmax(prop.table(table(sites$group)), 0.2)
  part <- round(times * part / sum(part))
  drawn <- unlist(lapply(names(part), function(group) {
    of <- which(sites$group == group)
    of[sample.int(length(of), min(length(of), part[[group]]))]
  }))
  sites[drawn, ]
}

line_of_site <- function(site) {
  line <- readLines(site$file)[site$line]
  swapped <- replace_at(line, 1L, site$column, nchar(site$from), site$to)
  sprintf("%s: %s  ->  %s", basename(site$file), trimws(line), trimws(swapped))
}

# Building -----------------------------------------------------------------

copy_package <- function(to) {
  unlink(to, recursive = TRUE)
  dir.create(to, recursive = TRUE)
  file.copy(c("DESCRIPTION", "NAMESPACE", "LICENSE", "NEWS.md", "R", "src", "exec", "inst", "man"), to, recursive = TRUE, copy.date = TRUE)
}

# Installs the R code of a copy, with compiled code that is there already.
install <- function(copy, library, object = "src/eggcrate.so") {
  dir.create(library, showWarnings = FALSE, recursive = TRUE)
  status <- system2("R", c("CMD", "INSTALL", "--no-libs", "--no-docs", "--no-byte-compile", "--no-test-load", paste0("--library=", library), copy),
    stdout = FALSE, stderr = FALSE)
  if (status == 0L) {
    dir.create(file.path(library, "eggcrate", "libs"), showWarnings = FALSE)
    file.copy(object, file.path(library, "eggcrate", "libs"), overwrite = TRUE)
  }
  status == 0L
}

# What each test reaches ---------------------------------------------------

recorder <- c("reached_places <- new.env()", "reach_place <- function(place) {",
  "  key <- paste(Sys.getenv(\"EGGCRATE_TEST\"), place, sep = \"\\t\")", "  if (!is.null(reached_places[[key]])) return(invisible())",
  "  reached_places[[key]] <- TRUE", "  folder <- Sys.getenv(\"EGGCRATE_REACH\")",
  "  if (nzchar(folder)) cat(key, \"\\n\", sep = \"\", file = file.path(folder, Sys.getpid()), append = TRUE)", "}")

# Each outermost function first says that it was reached.
with_recorder <- function(path) {
  data <- parse_data(path)
  lines <- readLines(path)
  heads <- data[data$token %in% c("FUNCTION", "'\\\\'"), ]
  heads <- heads[heads$line1 == heads$outer & !duplicated(heads$line1), ]
  for (i in rev(seq_len(nrow(heads)))) {
    of <- data[data$parent == heads$parent[i] & data$token == "expr", ]
    body <- of[nrow(of), ]
    lines <- replace_at(lines, body$line2, body$col2 + 1L, 0L, " }")
    lines <- replace_at(lines, body$line1, body$col1, 0L, sprintf("{ reach_place(\"%s:%d\"); ", basename(path), heads$line1[i]))
  }
  writeLines(lines, path)
}

test_files <- function() runner$files_of("tests/testthat")

# A file of tests in a process of its own, which has the package from another library.
in_fork <- function(library, code, seconds) {
  job <- parallel::mcparallel({
    .libPaths(c(library, .libPaths()))
    Sys.setenv(R_LIBS = paste(.libPaths(), collapse = ":"), EGGCRATE_FIXTURES = tempfile("fixtures"))
    dir.create(Sys.getenv("EGGCRATE_FIXTURES"))
    suppressWarnings(suppressMessages(library(eggcrate)))
    utils::capture.output(value <- suppressWarnings(suppressMessages(force(code))))
    value
  }, mc.set.seed = FALSE, silent = TRUE)
  value <- parallel::mccollect(job, wait = FALSE, timeout = seconds)
  if (is.null(value)) {
    tools::pskill(job$pid, tools::SIGKILL)
    parallel::mccollect(job)
    return("too long")
  }
  parallel::mccollect(job)
  value[[1L]]
}

reach_of_file <- function(file, library) {
  folder <- tempfile("reach")
  dir.create(folder)
  Sys.setenv(EGGCRATE_REACH = folder, EGGCRATE_TEST = "")
  result <- in_fork(library, {
    # What tests share is reached by each of them.
    if (any(grepl("demo_run()", readLines(sprintf("tests/testthat/test-%s.R", file)), fixed = TRUE))) {
      sys.source("tests/testthat/helper-study.R", helper <- new.env())
      helper$demo_run()
    }
    runner$run_file(runner$new_job(file, "tests/testthat"))
  }, 900)
  if (!is.list(result)) return(NULL)
  seen <- unlist(lapply(list.files(folder, full.names = TRUE), readLines, warn = FALSE))
  seen <- unique(do.call(rbind, strsplit(seen, "\t", fixed = TRUE)))
  tests <- result$tests
  bad <- vapply(tests$test, function(title) any(startsWith(as.character(result$problems), paste0("* ", title, ":"))), NA)
  message(sprintf("%-24s %3d tests, %d of no use here", file, nrow(tests), sum(bad)))
  tests <- tests[!bad, ]
  shared <- seen[seen[, 1L] == "", 2L]
  tests$places <- lapply(tests$test, function(title) unique(c(shared, seen[seen[, 1L] == title, 2L])))
  tests
}

# Recorded again only if the code or the tests have changed.
reach <- function() {
  of <- c(list.files("R", full.names = TRUE), list.files("tests/testthat", recursive = TRUE, full.names = TRUE))
  key <- unname(tools::md5sum(of))
  path <- file.path(work, "reach.rds")
  known <- if (file.exists(path)) readRDS(path)
  if (identical(known$key, key)) return(known$tests)
  cat("Recording what each test reaches ...\n")
  copy <- file.path(work, "recorder")
  copy_package(copy)
  for (file in list.files(file.path(copy, "R"), full.names = TRUE)) with_recorder(file)
  writeLines(recorder, file.path(copy, "R", "A-recorder.R"))
  library <- file.path(work, "recorder-library")
  if (!install(copy, library)) stop("The package with the recorder cannot be installed.")
  found <- parallel::mclapply(test_files(), reach_of_file, library = library, mc.cores = 2L, mc.preschedule = FALSE)
  lost <- !vapply(found, is.data.frame, NA)
  if (any(lost)) stop("Not recorded: ", paste(test_files()[lost], collapse = ", "))
  tests <- do.call(rbind, found)
  saveRDS(list(key = key, tests = tests), path)
  tests
}

# The functions bound in each file that needs a header of the kernel.
bound_by <- function(header) {
  files <- list.files("src", "^bind-.*[.]cpp$", full.names = TRUE)
  needs <- vapply(files, function(file) header %in% basename(headers_of(file)), NA)
  text <- unlist(lapply(files[needs], readLines))
  after <- text[which(grepl("Rcpp::export", text)) + 1L]
  sub("^.*[ *&]([A-Za-z0-9_]+)\\(.*$", "\\1", after)
}

headers_of <- function(file, seen = character()) {
  found <- sub("^#include \"(.*)\"$", "\\1", grep("^#include \"", readLines(file), value = TRUE))
  found <- c(file.path(dirname(file), found), file.path("src/kernel", basename(found)))
  found <- setdiff(found[file.exists(found)], seen)
  for (file in found) seen <- union(seen, c(file, headers_of(file, c(seen, file))))
  seen
}

tests_for <- function(site, tests) {
  if (site$group == "kernel") {
    exports <- parse("R/RcppExports.R", keep.source = TRUE)
    lines <- vapply(attr(exports, "srcref"), `[`, 1L, 1L)
    names <- vapply(exports, function(e) as.character(e[[2L]]), "")
    places <- paste0("RcppExports.R:", lines[names %in% bound_by(site$place)])
    tests[vapply(tests$places, function(p) any(p %in% places), NA), ]
  } else if (nzchar(site$place)) {
    tests[vapply(tests$places, function(p) site$place %in% p, NA), ]
  } else {
    tests
  }
}

# A swap -------------------------------------------------------------------

# Files of tests, its own first, then what is quick.
in_turn <- function(tests, site) {
  cost <- tapply(tests$elapsed, tests$file, sum)
  own <- names(cost) %in% c(sub("[.](R|hpp)$", "", basename(site$file)), sub("^core-(.*)[.]R$", "verb-\\1", basename(site$file)))
  names(cost)[order(!own, cost)]
}

noticed_by_tests <- function(site, library, tests) {
  reaching <- tests_for(site, tests)
  ends <- Sys.time() + most_seconds
  for (file in in_turn(reaching, site)) {
    left <- as.numeric(difftime(ends, Sys.time(), units = "secs"))
    if (left < 1) return(NA_character_)
    titles <- reaching$test[reaching$file == file]
    usual <- sum(reaching$elapsed[reaching$file == file])
    result <- in_fork(library, runner$run_file(runner$new_job(file, "tests/testthat", titles)), 60 + 5 * usual)
    if (!is.list(result) || result$failed > 0L) return(file)
  }
  NA_character_
}

swap_file <- function(site, folder) {
  path <- file.path(folder, site$file)
  writeLines(replace_at(readLines(path), site$line, site$column, nchar(site$from), site$to), path)
}

try_r <- function(site, id, tests) {
  copy <- file.path(work, paste0("swap-", id))
  library <- paste0(copy, "-library")
  on.exit(unlink(c(copy, library), recursive = TRUE))
  copy_package(copy)
  swap_file(site, copy)
  if (!install(copy, library)) return("R CMD INSTALL")
  noticed_by_tests(site, library, tests)
}

quietly <- function(command, seconds = 300) suppressWarnings(system(sprintf("( %s ) >/dev/null 2>&1", command), timeout = seconds)) == 0L

# The kernel's own tests first: each file of them that needs the header. NULL if it does not compile.
noticed_by_kernel <- function(site, copy) {
  files <- list.files("tests/kernel", "^test-.*[.]cpp$", full.names = TRUE)
  needs <- files[vapply(files, function(file) site$place %in% basename(headers_of(file)), NA)]
  needs <- needs[order(basename(needs) != sub("hpp$", "cpp", paste0("test-", site$place)))]
  file.copy("tests/kernel", file.path(copy, "tests"), recursive = TRUE, copy.date = TRUE)
  out <- file.path(copy, "out")
  dir.create(out)
  file.symlink(file.path(getwd(), "build/kernel", c("framework.hpp.gch", "main.o")), out)
  catch <- system.file("include", package = "testthat")
  for (file in needs) {
    object <- file.path(out, sub("cpp$", "o", basename(file)))
    program <- file.path(out, "program")
    if (!quietly(sprintf("make -s -C %s/tests/kernel -o %s/framework.hpp.gch CATCH=%s OUT=%s %s && g++ -pthread -o %s %s %s/main.o", copy, out, catch, out, object, program, object, out))) return(NULL)
    if (!quietly(program, 60)) return(paste("kernel", basename(file)))
  }
  NA_character_
}

try_kernel <- function(site, id, tests) {
  copy <- file.path(work, paste0("swap-", id))
  library <- paste0(copy, "-library")
  on.exit(unlink(c(copy, library), recursive = TRUE))
  copy_package(copy)
  dir.create(file.path(copy, "tests"))
  swap_file(site, copy)
  found <- noticed_by_kernel(site, copy)
  if (is.null(found)) return("compiler")
  if (!is.na(found)) return(found)
  for (file in list.files(file.path(copy, "src"), "^bind.*[.]cpp$", full.names = TRUE)) {
    if (site$place %in% basename(headers_of(file))) unlink(sub("cpp$", "o", file))
  }
  if (any(file.exists(file.path(copy, "src", "bindings.cpp")))) unlink(file.path(copy, "src", "bindings.o"))
  built <- quietly(sprintf("cd %s/src && R_MAKEVARS_USER=%s/build/makevars CLINK_CPPFLAGS=-I%s R CMD SHLIB -o eggcrate.so bind-tally.cpp bindings.cpp RcppExports.cpp",
    copy, getwd(), system.file("include", package = "Rcpp")))
  if (!built || !install(copy, library, file.path(copy, "src/eggcrate.so"))) return("compiler")
  noticed_by_tests(site, library, tests)
}

main <- function(arguments) {
  numbers <- as.numeric(grep("^[0-9]+$", arguments, value = TRUE))
  times <- if (length(numbers)) numbers[1L] else 200
  seed <- if (length(numbers) > 1L) numbers[2L] else 1
  dir.create(work, recursive = TRUE, showWarnings = FALSE)
  for (name in c("dplyr", "dbplyr", "ggplot2", "RSQLite")) loadNamespace(name)
  quietly("tools/kernel-test")
  runner$start_shared(c("postgresql", "chromium"))
  tests <- reach()
  sites <- all_sites()
  groups <- intersect(arguments, sites$group)
  if (length(groups)) sites <- sites[sites$group %in% groups, ]
  chosen <- draw(sites, times, seed)
  lines <- vapply(seq_len(nrow(chosen)), function(i) line_of_site(chosen[i, ]), "")
  found <- parallel::mclapply(seq_len(nrow(chosen)), function(i) {
    site <- chosen[i, ]
    by <- if (site$group == "kernel") try_kernel(site, i, tests) else try_r(site, i, tests)
    message(i, " of ", nrow(chosen), ": ", lines[i], "  (", if (is.na(by)) "NOT NOTICED" else by, ")")
    by
  }, mc.cores = 2L, mc.preschedule = FALSE)
  report(chosen, lines, vapply(found, function(by) if (is.character(by) && length(by) == 1L) by else "process", ""), nrow(sites), seed)
}

report <- function(chosen, lines, by, of, seed) {
  built <- is.na(by) | by != "compiler"
  equal <- is.na(by) & lines %in% readLines("tests/mutants-equal.txt")
  missed <- is.na(by) & !equal
  if (any(missed)) cat("Not noticed:", lines[missed], sep = "\n  ")
  count <- function(x) tapply(x, chosen$group, sum)
  table <- data.frame(swaps = count(built), noticed = count(built & !is.na(by)), change_nothing = count(equal), not_noticed = count(missed))
  table["all", ] <- colSums(table)
  table$share <- sprintf("%.0f %%", 100 * table$noticed / (table$noticed + table$not_noticed))
  print(table)
  cat(sprintf("Drawn of %d places, seed %g\n", of, seed))
}
