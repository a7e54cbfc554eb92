# Independent calculations to compare with: SQLite's window functions on whole
# cents, and plain R.

# Standings by SQLite. `data` needs `item`, `cents` (integer) and, if asked for,
# `grp`. Sums, ranks and running totals are integers there.
sqlite_standings <- function(data, group = FALSE) {
  con <- DBI::dbConnect(RSQLite::SQLite(), ":memory:")
  on.exit(DBI::dbDisconnect(con))
  if (!group) data$grp <- "all"
  DBI::dbWriteTable(con, "lines", data)
  DBI::dbGetQuery(con, "
    WITH items AS (
      SELECT grp, item, SUM(cents) AS cents FROM lines WHERE cents IS NOT NULL GROUP BY grp, item
    )
    SELECT grp, item, cents,
      RANK() OVER best AS rank,
      DENSE_RANK() OVER best AS dense,
      SUM(cents) OVER (PARTITION BY grp ORDER BY cents DESC, item ROWS UNBOUNDED PRECEDING) AS running,
      SUM(cents) OVER (PARTITION BY grp) AS total,
      COUNT(*) OVER (PARTITION BY grp) AS n,
      COUNT(*) OVER (PARTITION BY grp ORDER BY cents RANGE BETWEEN UNBOUNDED PRECEDING AND CURRENT ROW)
        - COUNT(*) OVER (PARTITION BY grp, cents) AS worse
    FROM items WINDOW best AS (PARTITION BY grp ORDER BY cents DESC)
    ORDER BY grp, cents DESC, item")
}

# The orders as a plain data frame read by base R.
plain_orders <- local({
  cache <- NULL
  function() {
    if (is.null(cache)) {
      cache <<- utils::read.csv(system.file("extdata", "orders.csv", package = "eggcrate"),
        na.strings = "", colClasses = c(order_no = "character", order_date = "Date"))
    }
    cache
  }
})

orders_path <- function() system.file("extdata", "orders.csv", package = "eggcrate")

random_lines <- function(n = 400, items = 40, seed = 1) {
  set.seed(seed)
  data.frame(
    item = paste0("item ", sample(items, n, TRUE)),
    grp = sample(c("north", "south", "west"), n, TRUE), amount = round(stats::rnorm(n, 40, 60), 2),
    units = sample(-2:30, n, TRUE)
  )
}

columns_of <- function(x, columns) as.list(x)[columns]

receipt_n <- function(x, step, fact = "^rows") {
  r <- receipt(x)
  sum(r$n[r$step == step & grepl(fact, r$fact)])
}

expect_account <- function(x) {
  expect_equal(receipt_n(x, "read"),
    receipt_n(x, "filtered out") + receipt_n(x, "excluded") + receipt_n(x, "used"))
}

write_text <- function(..., file = "lines.csv", env = parent.frame()) {
  path <- file.path(withr::local_tempdir(.local_envir = env), file)
  writeBin(charToRaw(paste(c(...), collapse = "")), path)
  path
}

# What a call is refused with: the narrowest class and the message, as they read in
# any version of the test package.
refusals <- function(...) {
  calls <- as.list(substitute(list(...)))[-1L]
  for (call in calls) {
    e <- tryCatch({
      eval(call, parent.frame())
      stop("not refused: ", deparse(call))
    }, eggcrate_error = identity)
    cat(c(paste(deparse(call), collapse = " "), class(e)[1L],
      strsplit(conditionMessage(e), "\n")[[1L]], ""), sep = "\n")
  }
}

# What belongs to a result but is no column of it.
answer_of <- function(x) eggcrate:::answer_of(x)
