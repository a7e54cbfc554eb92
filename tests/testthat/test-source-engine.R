# The same questions of servers of databases, each started by these tests, against the same rows in a data frame.

skip_if_not_installed("dbplyr")

expect_same_answers <- function(found, data, questions, info) {
  for (i in seq_along(questions)) {
    one <- questions[[i]]
    said <- paste(info, i, paste(unlist(one), collapse = " ; "))
    expect_identical(found[[i]]$said, said_of(one[[1L]], one[[2L]], eggcrate:::source_frame(data, "orders")), info = said)
    expect_identical(found[[i]]$fetched, 0L, info = said)
  }
}

# More of them where time is given.
some_random <- function() random_questions(as.integer(Sys.getenv("EGGCRATE_FILES", "60")) %/% 8L)

test_that("PostgreSQL answers to the byte as a data frame does", {
  skip_if_not_installed("RPostgres")
  con <- postgresql_connection()
  withr::defer(DBI::dbDisconnect(con))
  orders <- odd_orders()
  table_in(con, with_times(orders), declared_orders$postgresql)
  questions <- c(asked_of_database, some_random())
  expect_same_answers(answers_of(sales_table(con, "orders"), questions), orders, questions, "PostgreSQL")
})

test_that("MariaDB answers to the byte as a data frame does", {
  skip_if_not_installed("RMariaDB")
  con <- mariadb_connection()
  withr::defer(DBI::dbDisconnect(con))
  orders <- odd_orders()
  table_in(con, with_times(orders), declared_orders$mariadb)
  questions <- c(asked_of_database, some_random())
  expect_same_answers(answers_of(sales_table(con, "orders"), questions), orders, questions, "MariaDB")
})

#' Runs code in an R of its own, with the library in which the cluster's driver is.
#' @param code Expression; it may use what the helpers define, and `con` and `others`, connections to the two servers.
#' @return Its value.
#' @noRd
on_cluster <- function(code, given = list()) {
  ports <- c(server("shard1")$port, server("shard2")$port)
  folder <- withr::local_tempdir()
  saveRDS(list(code = code, given = given, ports = ports, helpers = test_path()), file.path(folder, "asked.rds"))
  writeLines(c("library(testthat)", "library(eggcrate)", sprintf("asked <- readRDS(%s)", deparse(file.path(folder, "asked.rds"))),
    "options(cli.unicode = FALSE, cli.num_colors = 1L, width = 80L)", "env <- new.env(parent = asNamespace(\"eggcrate\"))",
    "for (file in list.files(asked$helpers, \"^helper-(database|pass)\", full.names = TRUE)) sys.source(file, env)",
    "list2env(asked$given, env)",
    "connections <- lapply(asked$ports, function(port) DBI::dbConnect(RClickhouse::clickhouse(), host = \"127.0.0.1\", port = port))",
    "env$con <- connections[[1L]]; env$others <- connections[-1L]; env$port <- asked$ports[1L]",
    sprintf("saveRDS(eval(asked$code, env), %s)", deparse(file.path(folder, "said.rds"))),
    "for (con in connections) DBI::dbDisconnect(con)"), file.path(folder, "ask.R"))
  library <- file.path(checkout_of_tests(), ".lib-cluster")
  libs <- paste(c(if (dir.exists(library)) library, .libPaths()), collapse = .Platform$path.sep)
  said <- withr::with_envvar(c(R_LIBS = libs, R_TESTS = ""), suppressWarnings(system2(file.path(R.home("bin"), "Rscript"), c("--vanilla", shQuote(file.path(folder, "ask.R"))),
    stdout = TRUE, stderr = TRUE, timeout = 600)))
  if (!file.exists(file.path(folder, "said.rds"))) stop(paste(utils::tail(said, 20L), collapse = "\n"))
  readRDS(file.path(folder, "said.rds"))
}

checkout_of_tests <- function() normalizePath(Sys.getenv("EGGCRATE_CHECKOUT", test_path("..", "..")))

test_that("a table that is spread over two servers answers to the byte as a data frame does", {
  skip_if(!nzchar(Sys.which("clickhouse-server")), "no clickhouse-server")
  orders <- odd_orders()
  questions <- c(asked_of_database, some_random())
  found <- on_cluster(quote({
    spread_table(con, others, with_times(orders), declared_orders$cluster)
    parts <- vapply(c(list(con), others), function(each) as.numeric(DBI::dbGetQuery(each, "SELECT count(*) AS n FROM orders_here")$n), 0)
    list(answers = answers_of(sales_table(con, "orders"), questions), parts = parts)
  }), list(orders = orders, questions = questions))
  expect_true(all(found$parts > 100))
  expect_same_answers(found$answers, orders, questions, "the cluster")
})
