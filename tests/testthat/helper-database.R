# The same rows in a database: SQLite, in memory, where dates are texts.

#' @param ... Declarations of columns that are not as they would be by themselves, such as `customer = "TEXT COLLATE NOCASE"`.
sqlite_with <- function(data, ..., name = "orders", env = parent.frame()) {
  con <- DBI::dbConnect(RSQLite::SQLite(), ":memory:")
  withr::defer(DBI::dbDisconnect(con), env)
  dates <- vapply(data, inherits, NA, "Date")
  data[dates] <- lapply(data[dates], as.character)
  types <- c(list(...), list())
  DBI::dbWriteTable(con, name, data, field.types = if (length(types)) unlist(types))
  con
}

# What an answer says, to the byte, but for rows that a database does not number.
without_rows <- function(bytes) without_times(sub("\"note\": \"\"", "\"note\": null", gsub("(; )?first in row [0-9,]+", "", bytes)))

# Nor a line of the receipt on how times are read, which is an object of seven lines.
without_times <- function(lines) {
  at <- grep("\"fact\": \"times read as days\"", lines, fixed = TRUE)
  if (length(at)) lines[-c(outer(-2:4, at, `+`))] else lines
}

said_of <- function(command, args, source, ...) without_rows(bytes_of(command, args, function() source, ...))

# Was anything but components fetched while `code` ran?
fetched_in <- function(source, code) {
  before <- length(source$asked)
  force(code)
  sql <- utils::tail(source$asked, length(source$asked) - before)
  sum(!grepl("COUNT\\(\\*\\)|AS .e+_(c1_|p1)|0 = 1|information_schema", sql))
}

# Keys and values of every awkward kind: missing and blank ones, case and accents, ties, cents, negative totals, zeros, values with fewer
# places than others, whole numbers, dates at the edges of periods.
odd_orders <- function(n = 600L) {
  set.seed(3)
  one_of <- function(x) sample(x, n, TRUE)
  data.frame(customer = one_of(c("Orvind", "orvind", "ORVIND", "\u00c9strid", "Estrid", "O'Hask; --", "\"Quoted\"", " ", "", NA, "a_b%", "z")),
    region = one_of(c("north", "North", NA, "s\u00fcd")), sales = one_of(c(10.05, 0.1, 0.3, -7.25, 0, 1234.5, NA, 99999.99)),
    units = one_of(c(1:9, NA, 0L, -2L)), rate = one_of(c(0.125, 0.5, 1, 0.375)), code = one_of(c(7, 12, 3e9, NA)),
    sold = as.Date("2024-12-28") + one_of(c(0:60, 365, NA)), shipped = as.Date("2025-01-01") + one_of(c(0:40, NA)), ticket = one_of(1:150))
}

asked_of_database <- list(
  list("standings", list(of = "sum(sales)", by = "customer")),
  list("standings", list(of = "sum(sales)", by = "c(customer, region)", where = "region != 'north' & sales > 0.3", also = "c(n = count(), u = sum(units), d = distinct(customer))")),
  list("standings", list(of = "sum(sales * rate)", by = "region", also = "m = mean(units)", where = "!is_missing(customer)")),
  list("standings", list(of = "sum(sales * rate - units)", by = "customer", where = "customer %in% c('Orvind', 'z', 'a_b%')")),
  list("standings", list(of = "sum((sales - rate) * (units + 2) - -(units - (rate - 1)))", by = "customer",
    where = "(units > 3 | rate == 1) & !(region == 'north' & units < 5) & (units - (rate - 2)) * 2 > -(units - 9)")),
  list("standings", list(of = "min(sales)", by = "customer", also = "top = max(units)", best = "lowest")),
  list("standings", list(of = "sum(sales) / sum(units)", by = "region", having = "count() > 10")),
  list("standings", list(of = "sum(sales, when = units > 3)", by = "customer", also = "k = count(when = region == 'north')")),
  list("standings", list(of = "sum(rate)", by = "code", where = "rate == 0.5 | rate == 1")),
  list("standings", list(of = "count()", by = "sold", where = "sold >= '2025-01-01' & sold < shipped")),
  list("standings", list(of = "sum(sales)", by = "region", over = "week(sold)")),
  list("standings", list(of = "sum(sales)", by = "customer", where = "in_period(sold, last(1, month))", date = "sold")),
  list("standings", list(of = "sum(units)", by = "region", where = "year(sold) == '2025' & month(sold) >= '2025-02'")),
  list("standings", list(of = "distinct(code)", by = "region", also = "c(x = distinct(customer), y = distinct(sold))")),
  list("standings", list(of = "sum(sales)", by = "customer", show = "c(code, shipped)", within = "region")),
  list("pareto", list(of = "sum(sales)", by = "customer", within = "quarter(sold)", reach = "0.8")),
  list("tiers", list(of = "sum(sales)", by = "customer", compare_with = "units > 2", where = "units > 0")),
  list("quadrants", list(of = "sum(sales)", by = "customer", against = "sum(units)")),
  list("changes", list(of = "sum(sales)", by = "customer", over = "month(sold)", from = "2024-12", to = "2025-01")),
  list("targets", list(of = "sum(sales)", by = "region", target = "5000")),
  list("grid", list(of = "sum(sales)", by = "customer", across = "weekday(sold)")),
  list("grid", list(of = "count()", by = "region", across = "month_of_year(shipped)", totals = TRUE)),
  list("movement", list(of = "sum(sales)", by = "customer", over = "month(sold)")),
  list("extremes", list(of = "sum(sales)", by = "customer")),
  list("concentration", list(of = "sum(units)", by = "customer")),
  list("standings", list(of = "median(sales)", by = "customer", also = "c(u = median(units), r = median(sales * rate - units))", top = "3")),
  list("standings", list(of = "median(sales, when = units > 3)", by = "region", where = "region != 'north' & sales > 0.3", also = "c(d = median(code, when = rate == 0.5), sum(units))", within = "month(sold)")),
  list("quadrants", list(of = "sum(sales)", by = "customer", against = "median(units)")),
  list("changes", list(of = "median(sales)", by = "region", over = "month(sold)", from = "2024-12", to = "2025-01")),
  list("intervals", list(of = "sum(sales)", by = "customer", orders = "ticket", times = 100)),
  list("intervals", list(of = "count(when = units > 2)", by = "customer", orders = "ticket", times = 100, where = "region != 'north'", within = "region")),
  list("intervals", list(of = "sum(sales)", by = "region", orders = "customer", times = 100)),
  list("intervals", list(of = "sum(sales) - sum(units)", by = "region", orders = "ticket", times = 100, where = "rate < 1")),
  list("intervals", list(of = "sum(sales * rate) + sum(units)", by = "c(customer, region)", orders = "code", times = 100)),
  list("intervals", list(of = "count(when = units > 2)", by = "customer", orders = "sold", times = 100, within = "region")),
  list("intervals", list(of = "sum(sales - 2 * rate)", by = "region", orders = "sold", times = 100, where = "!is_missing(sold)")))

# Questions of any shape that a database can answer.
random_question <- function(seed) {
  set.seed(seed)
  leaf <- c("sales > 0.3", "units <= 4", "rate == 0.5", "region == 'north'", "customer %in% c('z', 'Orvind', 'a_b%')", "is_missing(region)", "sold >= '2025-01-05'",
    "sold == shipped", "customer == region", "code > units", "month(sold) == '2025-01'", "!is_missing(units)", "sales * 2 - units < rate", "week(shipped) > '2025-W02'")
  condition <- function(depth) {
    if (depth == 0L) return(sample(leaf, 1L))
    switch(sample(4L, 1L), sample(leaf, 1L), sprintf("(%s & %s)", condition(depth - 1L), condition(depth - 1L)),
      sprintf("(%s | %s)", condition(depth - 1L), condition(depth - 1L)), sprintf("!(%s)", condition(depth - 1L)))
  }
  value <- function(depth) {
    if (depth == 0L) return(sample(c("sales", "units", "rate", "2", "0.25"), 1L))
    sprintf(sample(c("%s + %s", "(%s - %s)", "(%s) * (%s)", "-(%s) - (%s)"), 1L), value(depth - 1L), value(depth - 1L))
  }
  aggregate <- function() {
    when <- if (stats::runif(1) < 0.4) paste(", when =", condition(1L)) else ""
    switch(sample(3L, 1L), sprintf("%s(%s%s)", sample(c("sum", "mean", "min", "max", "median"), 1L), value(sample(0:2, 1L)), when), sprintf("count(%s)", sub("^, ", "", when)),
      sprintf("distinct(%s%s)", sample(c("customer", "region", "sold", "units", "code"), 1L), when))
  }
  list(of = aggregate(), also = sprintf("c(second = %s, third = %s)", aggregate(), aggregate()), where = if (stats::runif(1) < 0.7) condition(2L),
    by = sample(c("customer", "region", "code", "sold", "c(region, customer)", "month(sold)", "weekday(shipped)", "units"), 1L),
    within = if (stats::runif(1) < 0.2) "quarter(shipped)")
}

# Columns of `odd_orders()` as databases declare them.
declared_orders <- list(
  postgresql = c(customer = "text", region = "varchar(20)", sales = "numeric(12,2)", units = "integer", rate = "double precision", code = "bigint", sold = "date", shipped = "timestamp", ticket = "integer"),
  # Without regard to case or to blanks at the end, and in another encoding.
  mariadb = c(customer = "varchar(30) collate utf8mb4_general_ci", region = "varchar(20) character set latin1", sales = "decimal(12,2)", units = "int", rate = "double",
    code = "bigint", sold = "date", shipped = "datetime", ticket = "int"),
  cluster = c(customer = "Nullable(String)", region = "Nullable(String)", sales = "Nullable(Decimal(12, 2))", units = "Nullable(Int32)", rate = "Nullable(Float64)",
    code = "Nullable(Int64)", sold = "Nullable(Date)", shipped = "Nullable(DateTime)", ticket = "Int32"))

table_in <- function(con, data, types, name = "orders") {
  if (DBI::dbExistsTable(con, name)) DBI::dbRemoveTable(con, name)
  DBI::dbWriteTable(con, name, data, field.types = types)
}

# Late on its day: the day counts.
with_times <- function(orders) {
  orders$shipped <- as.POSIXct(paste(orders$shipped, ifelse(is.na(orders$shipped), "", "23:30:00")), format = "%Y-%m-%d %H:%M:%S", tz = "UTC")
  orders
}

# What is said to each question, and whether anything but components was fetched.
answers_of <- function(source, questions) {
  lapply(questions, function(one) {
    said <- NULL
    fetched <- fetched_in(source, said <- said_of(one[[1L]], one[[2L]], source))
    list(said = said, fetched = fetched)
  })
}

random_questions <- function(n) lapply(seq_len(n), function(seed) list("standings", Filter(Negate(is.null), random_question(seed))))

# A table that is spread over two servers, written through one of them; its driver cannot write all types.
spread_table <- function(con, others, data, types, name = "orders") {
  quoted <- function(x) DBI::dbQuoteIdentifier(con, x)
  columns <- paste(quoted(names(types)), types, collapse = ", ")
  here <- quoted(paste0(name, "_here"))
  for (each in c(list(con), others)) {
    for (old in c(quoted(name), here)) DBI::dbExecute(each, paste("DROP TABLE IF EXISTS", old))
    DBI::dbExecute(each, sprintf("CREATE TABLE %s (%s) ENGINE = MergeTree() ORDER BY tuple()", here, columns))
    DBI::dbExecute(each, sprintf("CREATE TABLE %s AS %s ENGINE = Distributed(shop, default, %s, rand())", quoted(name), here, here))
  }
  written <- function(x) if (is.numeric(x)) format(x, digits = 15, scientific = FALSE, trim = TRUE) else if (inherits(x, "POSIXt")) format(x, "%Y-%m-%d %H:%M:%S") else as.character(x)
  texts <- as.data.frame(lapply(data, function(x) replace(written(x), is.na(x), NA)), check.names = FALSE)
  DBI::dbExecute(con, sprintf("CREATE TABLE told (%s) ENGINE = Memory", paste(quoted(names(types)), "Nullable(String)", collapse = ", ")))
  DBI::dbWriteTable(con, "told", texts, append = TRUE)
  DBI::dbExecute(con, sprintf("INSERT INTO %s SELECT %s FROM told", quoted(name), paste(sprintf("CAST(%s AS %s)", quoted(names(types)), types), collapse = ", ")))
  DBI::dbExecute(con, "DROP TABLE told")
  for (i in 1:100) {
    if (as.numeric(DBI::dbGetQuery(con, sprintf("SELECT count(*) AS n FROM %s", quoted(name)))$n) == nrow(data)) return(invisible())
    Sys.sleep(0.1)
  }
  stop("the rows are not there")
}

expect_same_answers <- function(found, data, questions, info) {
  for (i in seq_along(questions)) {
    one <- questions[[i]]
    said <- paste(info, i, paste(unlist(one), collapse = " ; "))
    expect_identical(found[[i]]$said, said_of(one[[1L]], one[[2L]], eggcrate:::source_frame(data, "orders")), info = said)
    expect_identical(found[[i]]$fetched, 0L, info = said)
  }
}

# Missing keys and rows that are excluded are no blank texts: only these are asked for a second time, and once.
expect_asked_once <- function(con) {
  counted <- function(x, with = identity, of = quote(sum(units))) {
    DBI::dbWriteTable(con, "few", data.frame(customer = c("a", x, NA), units = c(1, 2, 4)), overwrite = TRUE)
    source <- sales_table(con, "few")
    for (i in 1:2) expect_identical(sum(eval(bquote(standings(with(source), of = .(of), by = customer, where = units > 1)))[[3L]]), 6)
    sum(grepl("GROUP BY", source$asked))
  }
  expect_identical(counted("b"), 2L)
  expect_identical(counted(" "), 3L)
  # Also where something is joined to them, anew for each question.
  weighed <- function(x) counted(x, function(source) lookup(source, data.frame(units = c(1, 2, 4), weight = 1), by = units), quote(sum(units * weight)))
  expect_identical(weighed("b"), 2L)
  expect_identical(weighed(" "), 3L)
}

# More of them where time is given.
some_random <- function() random_questions(as.integer(Sys.getenv("EGGCRATE_FILES", "60")) %/% 8L)

# What a backslash is differs between engines.
slashed <- data.frame(item = c("a\\", "\\' or 1 = 1; -- ", "a\\' or 'b' = 'b", "x"), amount = c(1.5, 2.25, 4, 8))
of_slashed <- c(lapply(c("item == 'a\\\\'", "item %in% c('a\\\\', 'x')", "item != '\\\\\\' or 1 = 1; -- '", "item == 'a\\\\\\' or \\'b\\' = \\'b'"),
  function(where) list("standings", list(of = "sum(amount)", by = "item", where = where))), list(list("standings", list(of = "count()", by = "item", show = "amount"))))
