# Runs the tests, in as many processes as there are cores.
#   tools/test short            the tests of `make test`, then a sample of the long ones
#   tools/test long [STAGE ...] the long ones, all or these: `tests/long/test-STAGE.R`, `sanitizers`, `newest`
#   tools/test package          the tests of `make test` that need no build of their own (for another library)
# The last line counts what passed and failed. A warning or a skipped test counts as failed, and so does a process that ended
# before it had its results.
Sys.setenv(NOT_CRAN = "true", EGGCRATE_CHECKOUT = getwd())
suppressPackageStartupMessages(library(testthat))
results_folder <- Sys.getenv("EGGCRATE_RESULTS", "build/test-results")

# Budgets in seconds, on a machine with two cores that runs the yardstick in `yardstick_seconds` while both are busy. On a slower
# one they are longer: it is the code that has a budget, not the machine.
time_limits <- c(all = 360, test = 10, sample = 60)
yardstick_seconds <- 0.25
# Beyond a budget by this factor a run fails: processors that share a core are slower by turns than the yardstick shows.
room <- 1.5

yardstick <- function() {
  set.seed(1)
  system.time(sort(stats::runif(1e6)))[["elapsed"]]
}

# What the yardstick took at each look.
speed <- new.env()
speed$looks <- numeric()
look_at_speed <- function() speed$looks <- c(speed$looks, yardstick())

# How many times slower this machine was than the other one, at least 1.
slowness <- function(of = mean) max(1, of(speed$looks) / yardstick_seconds)

# Jobs ---------------------------------------------------------------------

#' @param titles Which tests of the file; all if NULL.
#' @param command A shell command in the place of a file of tests.
#' @param full Are all cases tried where `make test` tries few (`in_full()`)?
new_job <- function(name, folder = NULL, titles = NULL, command = NULL, id = name, full = FALSE) {
  list(id = id, name = name, folder = folder, titles = titles, command = command, full = full)
}

files_of <- function(folder) sub("^test-(.*)[.]R$", "\\1", list.files(folder, "^test-.*[.]R$"))

# What took longest the last time begins, so that no process has it left when the others are done.
in_order <- function(jobs) {
  path <- "build/test-times.rds"
  known <- if (file.exists(path)) readRDS(path)
  took <- vapply(jobs, function(job) if (job$id %in% names(known)) known[[job$id]] else Inf, 0)
  jobs[order(-took)]
}

remember_times <- function(results) {
  path <- "build/test-times.rds"
  known <- if (file.exists(path)) readRDS(path) else list()
  for (result in results) known[[result$id]] <- result$took
  saveRDS(known, path)
}

short_jobs <- function() {
  # The example study is run once for all tests that look at what it makes.
  study <- "Rscript -e 'library(eggcrate); sys.source(\"tests/testthat/helper-study.R\", e <- new.env()); e$demo_run()'"
  built <- list(new_job("example study", command = study, id = "example"), new_job("kernel", command = "tools/kernel-test --reporter compact"), new_job("check", command = "tools/check"))
  c(built, in_order(package_jobs()))
}

package_jobs <- function() lapply(files_of("tests/testthat"), new_job, folder = "tests/testthat")

# Stages without a file of tests.
other_stages <- list(articles = "tools/vignettes .lib", codetools = "tools/check --codetools", sanitizers = "tools/sanitize 120", newest = "tools/test-newest")

long_jobs <- function(stages) {
  files <- files_of("tests/long")
  known <- c("full", files, names(other_stages))
  if (!length(stages)) stages <- known
  unknown <- setdiff(stages, known)
  if (length(unknown)) stop("There is no stage ", unknown[1L], ". The stages are ", paste(known, collapse = ", "), ".", call. = FALSE)
  c(in_order(c(if ("full" %in% stages) full_jobs(), lapply(intersect(stages, files), new_job, folder = "tests/long"))),
    lapply(intersect(stages, names(other_stages)), function(name) new_job(name, command = other_stages[[name]])))
}

# A sample of the long tests -----------------------------------------------

times_path <- "tests/long/times.csv"

tests_in <- function(path) {
  tests <- Filter(function(e) is.call(e) && identical(e[[1L]], quote(test_that)), as.list(parse(path, keep.source = FALSE)))
  stats::setNames(tests, vapply(tests, `[[`, "", 2L))
}

tests_of <- function(name, folder) tests_in(file.path(folder, sprintf("test-%s.R", name)))

# The tests of `make test` that have more cases than it tries.
tests_in_full <- function() {
  tests <- lapply(stats::setNames(nm = files_of("tests/testthat")), function(name) {
    names(Filter(function(test) "in_full" %in% all.names(test), tests_of(name, "tests/testthat")))
  })
  Filter(length, tests)
}

full_jobs <- function() {
  tests <- tests_in_full()
  lapply(names(tests), function(name) new_job(name, "tests/testthat", tests[[name]], id = paste0("full-", name), full = TRUE))
}

long_tests <- function() {
  of <- function(titles, stage, folder) do.call(rbind, lapply(names(titles), function(name) {
    if (length(titles[[name]])) data.frame(stage = if (is.null(stage)) name else stage, file = name, test = titles[[name]], folder = folder)
  }))
  tests <- rbind(of(tests_in_full(), "full", "tests/testthat"),
    of(lapply(stats::setNames(nm = files_of("tests/long")), function(name) names(tests_of(name, "tests/long"))), NULL, "tests/long"))
  known <- utils::read.csv(times_path)
  tests$seconds <- known$seconds[match(paste(tests$stage, tests$test), paste(known$stage, known$test))]
  tests
}

# What a stage needs that `make test` does not install.
has_needs <- function(stage) {
  switch(stage, mariadb = nzchar(Sys.which("mariadb-install-db")) && nzchar(system.file(package = "RMariaDB")),
    cluster = nzchar(Sys.which("clickhouse-server")) && dir.exists(".lib-cluster/RClickhouse"),
    axe = file.exists("build/axe/node_modules/axe-core/axe.min.js"), TRUE)
}

# The commit is the seed, so that each commit has another sample, and the same one again.
commit_seed <- function() {
  commit <- suppressWarnings(tryCatch(system2("git", c("rev-parse", "HEAD"), stdout = TRUE, stderr = FALSE), error = function(e) character()))
  if (length(commit) != 1L) commit <- unname(tools::md5sum("DESCRIPTION"))
  strtoi(substr(commit, 1L, 7L), 16L)
}

sample_jobs <- function(seconds, slower) {
  tests <- long_tests()
  tests <- tests[vapply(tests$stage, has_needs, NA), ]
  cost <- ifelse(is.na(tests$seconds), 30, tests$seconds) * slower
  seed <- commit_seed()
  set.seed(seed)
  # Two processes, and some room.
  drawn <- integer()
  for (i in sample(nrow(tests))) if (cost[i] <= seconds && sum(cost[c(drawn, i)]) <= 1.5 * seconds) drawn <- c(drawn, i)
  cat(sprintf("== A sample of the long tests: %d of %d, seed %d ==\n", length(drawn), nrow(tests), seed))
  cat(sprintf("  %s: %s\n", tests$stage[drawn], tests$test[drawn]), sep = "")
  drawn <- drawn[order(-cost[drawn])]
  lapply(drawn, function(i) {
    new_job(tests$file[i], tests$folder[i], tests$test[i], id = sprintf("sample-%d", i), full = tests$stage[i] == "full")
  })
}

# In a process of tests ----------------------------------------------------

# Making a folder either works or shows that somebody has made it: so no job is done twice.
work <- function() {
  suppressPackageStartupMessages(library(eggcrate))
  for (job in readRDS(file.path(results_folder, "jobs.rds"))) {
    claim <- file.path(results_folder, job$id)
    if (!dir.create(claim, showWarnings = FALSE)) next
    result <- if (is.null(job$command)) run_file(job) else run_command_line(job, claim)
    saveRDS(result, file.path(claim, "results.rds"))
    cat(line_of(result), "\n", sep = "")
  }
}

copy_of <- function(folder) {
  to <- tempfile("tests")
  dir.create(to)
  file.copy(folder, to, recursive = TRUE)
  file.path(to, basename(folder))
}

run_file <- function(job) {
  times <- list()
  env <- new.env(parent = asNamespace("eggcrate"))
  env$test_that <- function(desc, code) {
    if (!is.null(job$titles) && !desc %in% job$titles) return(invisible())
    # What is beneath may say which test it serves.
    Sys.setenv(EGGCRATE_TEST = desc)
    before <- proc.time()
    on.exit(times[[desc]] <<- as.list(proc.time() - before))
    call <- match.call()
    call[[1L]] <- quote(testthat::test_that)
    eval(call, parent.frame())
  }
  Sys.setenv(EGGCRATE_IN_FULL = tolower(job$full))
  # Of a part of its tests the snapshots of the others would be taken for old ones, and deleted.
  folder <- if (is.null(job$titles)) job$folder else copy_of(job$folder)
  took <- system.time(gcFirst = FALSE, tests <- test_dir(folder, filter = paste0("^", job$name, "$"), package = "eggcrate",
    load_package = "installed", reporter = "silent", stop_on_failure = FALSE, env = env))[["elapsed"]]
  table <- as.data.frame(tests)
  bad <- table$failed > 0 | table$error | table$warning > 0 | table$skipped | table$nb == 0
  open <- grDevices::dev.cur() != 1L
  # The next file begins as the first did: titles are broken into lines for the device that is open.
  grDevices::graphics.off()
  # Of this process alone: a desk that a test starts is a server, and ends when it may.
  cpu <- vapply(times, function(t) t$user.self + t$sys.self, 0)
  list(id = job$id, name = job$name, took = took, passed = sum(!bad), failed = sum(bad),
    tests = data.frame(file = rep(job$name, length(cpu)), test = names(cpu), cpu = unname(cpu), elapsed = vapply(times, function(t) t$elapsed, 0, USE.NAMES = FALSE)),
    problems = c(if (any(bad)) problem_lines(table[bad, ], tests[bad]), if (open) paste(job$name, "left a device open")))
}

problem_lines <- function(table, tests) {
  texts <- unlist(lapply(tests, function(test) {
    for_all <- Filter(function(e) !inherits(e, "expectation_success"), test$results)
    paste0("* ", test$test, ": ", vapply(for_all, conditionMessage, ""))
  }))
  c(utils::capture.output(print(table[c("file", "test", "nb", "failed", "error", "warning", "skipped")])), texts)
}

# A script has its own log; kernel tests and whole runs of tests are counted by what it prints.
run_command_line <- function(job, claim) {
  log <- file.path(claim, "log")
  took <- system.time(status <- system2("sh", c("-c", shQuote(job$command)), stdout = log, stderr = log))[["elapsed"]]
  lines <- readLines(log, warn = FALSE)
  counted <- as.integer(sub("^([0-9]+) passed, [0-9]+ failed$", "\\1", grep("^[0-9]+ passed, [0-9]+ failed$", lines, value = TRUE)))
  cases <- as.integer(sub("^Passed.* ([0-9]+) test case.*$", "\\1", grep("^Passed.* test case", lines, value = TRUE)))
  list(id = job$id, name = job$name, took = took, passed = if (status == 0L) max(1L, counted, cases) else 0L, failed = as.integer(status != 0L),
    problems = if (status != 0L) utils::tail(lines, 60L))
}

line_of <- function(result) {
  sprintf("%-30s %4d passed %7.1f s%s", sub("^full-", "in full: ", sub("^sample-.*", paste("sample:", result$name), result$id)), result$passed, result$took, if (result$failed > 0L) sprintf("  %d FAILED", result$failed) else "")
}

# The run ------------------------------------------------------------------

# Servers that all processes share; watchers end them when this process is gone.
start_shared <- function(names) {
  env <- new.env()
  for (helper in c("desk", "servers")) sys.source(sprintf("tests/testthat/helper-%s.R", helper), env)
  started <- lapply(names, function(name) env$start_by_name(name))
  path <- file.path(getwd(), results_folder, "servers.rds")
  dir.create(results_folder, recursive = TRUE, showWarnings = FALSE)
  saveRDS(stats::setNames(started, names), path)
  Sys.setenv(EGGCRATE_SERVERS = path)
}

#' @param seconds After this time, what is not done is broken off.
#' @return The results of the jobs that were done.
run_jobs <- function(jobs, seconds = Inf) {
  unlink(file.path(results_folder, vapply(jobs, `[[`, "", "id")), recursive = TRUE)
  saveRDS(jobs, file.path(results_folder, "jobs.rds"))
  processes <- lapply(seq_len(max(1L, parallel::detectCores(), na.rm = TRUE)), function(i) {
    processx::process$new("tools/test", "work", stdout = "", stderr = "")
  })
  on.exit(for (process in processes) process$kill_tree())
  end <- Sys.time() + seconds
  looked <- Sys.time()
  while (any(vapply(processes, function(process) process$is_alive(), NA)) && Sys.time() < end) {
    Sys.sleep(0.2)
    if (Sys.time() > looked + 15) {
      look_at_speed()
      looked <- Sys.time()
    }
  }
  results <- lapply(jobs, function(job) {
    path <- file.path(results_folder, job$id, "results.rds")
    if (file.exists(path)) readRDS(path)
  })
  undone <- vapply(results, is.null, NA)
  if (is.finite(seconds) && any(undone)) cat("Not done in time:", vapply(jobs[undone], `[[`, "", "name"), "\n")
  if (!is.finite(seconds)) {
    results[undone] <- lapply(jobs[undone], function(job) list(id = job$id, name = job$name, took = 0, passed = 0L, failed = 1L, problems = paste(job$name, "has no results")))
  }
  Filter(Negate(is.null), results)
}

slowest <- function(results, n = 15L) {
  tests <- do.call(rbind, lapply(results, `[[`, "tests"))
  if (is.null(tests)) return(invisible())
  tests <- utils::head(tests[order(-tests$cpu), ], n)
  cat("\nThe slowest tests, in seconds of processor time (and elapsed):\n")
  cat(sprintf("%6.1f (%5.1f)  %s: %s\n", tests$cpu, tests$elapsed, tests$file, substr(tests$test, 1L, 100L)), sep = "")
}

# Tests that took more than their budget are failures.
too_slow <- function(results, slower) {
  tests <- do.call(rbind, lapply(results, `[[`, "tests"))
  over <- tests[tests$cpu > time_limits[["test"]] * slower * room, ]
  if (nrow(over)) cat(sprintf("Over the budget of %.1f s: %s: %s (%.1f s)\n", time_limits[["test"]] * slower * room, over$file, over$test, over$cpu), sep = "")
  nrow(over)
}

finish <- function(results, more_failed = 0L) {
  for (result in results) if (length(result$problems)) cat("\n", paste0(result$problems, "\n"), sep = "")
  sums <- vapply(c("passed", "failed"), function(what) sum(vapply(results, `[[`, 0L, what)), 0)
  failed <- sums[["failed"]] + more_failed
  cat(sprintf("\n%d passed, %d failed\n", sums[["passed"]], failed))
  quit(status = failed > 0)
}

run_short <- function() {
  began <- proc.time()[["elapsed"]]
  start_shared(c("postgresql", "chromium"))
  results <- run_jobs(short_jobs())
  remember_times(results)
  tested <- proc.time()[["elapsed"]] - began
  sampled <- run_jobs(sample_jobs(time_limits[["sample"]] - 5, slowness()), time_limits[["sample"]])
  all <- proc.time()[["elapsed"]] - began
  slowest(results)
  slow <- too_slow(results, slowness(max))
  cat("\n", sprintf("%-28s %6.1f s\n", c("kernel, check, tests", "sample of the long tests", "make test"), c(tested, all - tested, all)), sep = "")
  limit <- time_limits[["all"]] * slowness()
  cat(sprintf("That is %.2f of the budget of %.0f s (%.0f s on a machine with a yardstick of %.2f s; here it took %.2f s).\n", all / limit, limit,
    time_limits[["all"]], yardstick_seconds, mean(speed$looks)))
  late <- all > limit * room
  if (late) cat("Over the budget.\n")
  finish(c(results, sampled), slow + late)
}

run_long <- function(stages) {
  jobs <- long_jobs(stages)
  own <- vapply(jobs, function(job) is.null(job$command), NA)
  began <- proc.time()[["elapsed"]]
  if (any(own)) start_shared(c("postgresql", "chromium"))
  # What compiles has the machine for itself.
  results <- c(if (any(own)) run_jobs(jobs[own]), unlist(lapply(jobs[!own], function(job) run_jobs(list(job))), recursive = FALSE))
  remember_times(results)
  record_times(results)
  slowest(results)
  cat("\nThe stages:\n", paste0(vapply(results, line_of, ""), "\n"), sep = "")
  cat(sprintf("%-30s             %7.1f s\n", "all", proc.time()[["elapsed"]] - began))
  finish(results)
}

# What each long test takes, for the sample: written again if one is new, or is far from what is recorded.
record_times <- function(results) {
  measured <- do.call(rbind, lapply(results, function(result) if (!is.null(result$tests)) transform(result$tests, full = startsWith(result$id, "full-"))))
  if (is.null(measured)) return()
  tests <- long_tests()
  now <- measured$elapsed[match(paste(tests$stage == "full", tests$file, tests$test), paste(measured$full, measured$file, measured$test))]
  changed <- !is.na(now) & (is.na(tests$seconds) | abs(log(pmax(now, 1) / pmax(tests$seconds, 1))) > log(2))
  if (!any(changed)) return()
  tests$seconds <- round(ifelse(changed, now, tests$seconds), 1)
  utils::write.csv(tests[c("stage", "test", "seconds")], times_path, row.names = FALSE)
  cat("Recorded what the long tests take in ", times_path, ".\n", sep = "")
}

main <- function(arguments) {
  mode <- arguments[1L]
  if (mode == "work") {
    return(work())
  }
  unlink(results_folder, recursive = TRUE)
  fixtures <- file.path(getwd(), results_folder, "fixtures")
  dir.create(fixtures, recursive = TRUE)
  Sys.setenv(EGGCRATE_FIXTURES = fixtures)
  switch(mode, short = run_short(), long = run_long(arguments[-1L]), package = {
    start_shared(c("postgresql", "chromium"))
    finish(run_jobs(in_order(package_jobs())))
  })
}
