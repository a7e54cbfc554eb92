# Lookups of tables of databases, joined there, against the same lookups of data frames.

skip_if_not_installed("dbplyr")
skip_if_not_installed("RSQLite")

# Keys that differ by case and accents only, blank and missing ones, one without order lines, and cells of every kind.
segments <- function() {
  data.frame(customer = c("Orvind", "orvind", "\u00c9strid", "Estrid", "O'Hask; --", "\"Quoted\"", "z", NA, "nobody", " "),
    segment = c("big", "Big", "sm\u00e5ll", "b\\g'", NA, "", "big", "none", "none", "none"), factor = c(0.5, 1.25, NA, 2, -1, 0, 0.1, 9, 9, 9),
    seats = c(1, 5, 2, NA, 3e9, 0, 12, 1, 1, 1), since = as.Date("2024-06-01") + c(0, 300, NA, 210, 5, 6, 7, 8, 9, 10))
}
classes <- function() data.frame(code = c(7, 12, 3e9), class = c("A", "B", "C"), weight = c(2L, NA, 3L))

asked_of_lookups <- list(
  list("standings", list(of = "sum(sales)", by = "segment")),
  list("standings", list(of = "sum(sales)", by = "c(segment, class)", where = "segment != 'big' & sales > 0.3")),
  list("standings", list(of = "sum(sales * factor)", by = "segment", also = "c(s = sum(seats), d = distinct(segment), w = mean(weight))")),
  list("standings", list(of = "sum(factor - weight)", by = "customer", where = "!is_missing(segment) | factor > 0")),
  list("standings", list(of = "sum(sales)", by = "since", where = "since < sold & since >= '2024-06-02'")),
  list("standings", list(of = "max(seats)", by = "class", also = "n = count(when = segment == 'Big')", within = "quarter(sold)")),
  list("standings", list(of = "sum(sales)", by = "factor", show = "segment")),
  list("standings", list(of = "sum(units)", by = "seats", over = "month(sold)")),
  list("pareto", list(of = "sum(sales)", by = "segment", within = "class", reach = "0.8")),
  list("tiers", list(of = "sum(sales)", by = "segment", compare_with = "weight > 2")),
  list("quadrants", list(of = "sum(sales)", by = "segment", against = "sum(seats)")),
  list("changes", list(of = "sum(sales)", by = "segment", over = "month(sold)", from = "2024-12", to = "2025-01")),
  list("grid", list(of = "sum(sales)", by = "segment", across = "class")))

# A join has no first row.
without_first <- function(said) gsub("(first|such as) (\\\\.|[^\"\\\\\n])*", "one", said, perl = TRUE)

with_both <- function(base, first, second) {
  eggcrate:::source_lookup(eggcrate:::source_lookup(base, first, c(customer = "customer")), second, c(code = "code"))
}

# What is said of the same data frames.
said_of_frames <- local({
  known <- NULL
  function() {
    if (is.null(known)) {
      frame <- with_both(eggcrate:::source_frame(odd_orders(), "orders"), eggcrate:::source_frame(segments(), "segments"), eggcrate:::source_frame(classes(), "classes"))
      known <<- lapply(asked_of_lookups, function(one) without_first(said_of(one[[1L]], one[[2L]], frame)))
    }
    known
  }
})

expect_joined <- function(base, first, second, info) {
  s <- with_both(base, first, second)
  for (i in seq_along(asked_of_lookups)) {
    one <- asked_of_lookups[[i]]
    said <- NULL
    fetched <- fetched_in(base, said <- said_of(one[[1L]], one[[2L]], s))
    expect_identical(without_first(said), said_of_frames()[[i]], info = paste(info, paste(unlist(one), collapse = " ; ")))
    expect_identical(fetched, 0L, info = paste(info, paste(unlist(one), collapse = " ; ")))
  }
  expect_gte(sum(grepl("LEFT JOIN.*GROUP BY", base$asked)), length(asked_of_lookups))
}

expect_joined_of_all_kinds <- function(con, types, of_segments, of_classes) {
  table_in(con, segments(), of_segments, "segments")
  table_in(con, classes(), of_classes, "classes")
  here <- function(data, name) eggcrate:::source_frame(data, name)
  expect_joined(sales_table(con, "orders"), here(segments(), "segments"), here(classes(), "classes"), "from elsewhere")
  expect_joined(sales_table(con, "orders"), sales_table(con, "segments"), sales_table(con, "classes"), "in the database")
}

# A lookup by a column of another, one by dates, flags, and a column that is blank.
linked <- function() {
  days <- as.Date(c("2024-12-30", "2025-01-05", NA, "2025-03-01")) + 0
  sold <- odd_orders()$sold
  list(segments = data.frame(customer = c("Orvind", "orvind", "z", "Estrid"), part = c("1", "b", " ", "none")),
    parts = data.frame(part = c("1", "b", NA), head = c("Ada", NA, "Bo"), size = c(1.5, 2, 3)),
    days = data.frame(sold = unique(stats::na.omit(c(sold[c(1, 5, 9)], days))), holiday = NA, nothing = NA_real_))
}
with_flags <- function(days) transform(days, holiday = replace(rep_len(c(TRUE, FALSE, NA), length(sold)), 1L, TRUE))

asked_of_linked <- list(
  list(of = "sum(sales)", by = "head"),
  list(of = "sum(sales * size)", by = "c(region, head)", where = "size > 1 | is_missing(head)"),
  list(of = "count()", by = "part", show = "head"))
asked_of_flags <- list(
  list(of = "sum(sales)", by = "holiday"),
  list(of = "sum(sales)", by = "region", where = "!holiday", also = "m = sum(nothing)"),
  list(of = "count(when = holiday)", by = "head"))

with_linked <- function(base, segments, parts, days) {
  s <- eggcrate:::source_lookup(eggcrate:::source_lookup(base, segments, c(customer = "customer")), parts, c(part = "part"))
  eggcrate:::source_lookup(s, days, c(sold = "sold"))
}

expect_linked <- function(base, tables, questions, info) {
  frames <- linked()
  frames$days <- with_flags(frames$days)
  here <- lapply(with_names(names(frames), names(frames)), function(name) eggcrate:::source_frame(frames[[name]], name))
  s <- do.call(with_linked, c(list(base), replace(here, names(tables), tables)))
  of_frames <- do.call(with_linked, c(list(eggcrate:::source_frame(odd_orders(), "orders")), here))
  for (one in questions) {
    said <- NULL
    fetched <- fetched_in(base, said <- said_of("standings", one, s))
    expect_identical(without_first(said), without_first(said_of("standings", one, of_frames)), info = paste(info, paste(unlist(one), collapse = " ; ")))
    expect_identical(fetched, 0L, info = paste(info, paste(unlist(one), collapse = " ; ")))
  }
}

expect_linked_of_all_kinds <- function(con, dates = identity) {
  expect_linked(sales_table(con, "orders"), list(), c(asked_of_linked, asked_of_flags), "linked, from elsewhere")
  tables <- linked()
  tables$days <- dates(tables$days["sold"])
  for (name in names(tables)) DBI::dbWriteTable(con, name, tables[[name]], overwrite = TRUE)
  there <- lapply(with_names(names(tables), names(tables)), function(name) sales_table(con, name))
  expect_linked(sales_table(con, "orders"), there, asked_of_linked, "linked, in the database")
  expect_linked(sales_table(con, "orders"), there["parts"], c(asked_of_linked, asked_of_flags), "linked, one of each")
}

# How an engine would go about the joins of a question, of tables in it and from elsewhere.
plans_of_joins <- function(con, explain) {
  many <- data.frame(customer = sprintf("c%d", 1:3000), segment = "s")
  DBI::dbWriteTable(con, "many", many, overwrite = TRUE)
  unlist(lapply(list(many, sales_table(con, "many")), function(table) {
    base <- sales_table(con, "orders")
    s <- lookup(base, table, by = customer)
    standings(s, of = count(), by = segment)
    joins <- grep("LEFT JOIN", base$asked, value = TRUE)
    expect_identical(length(joins), 1L)
    lapply(joins, function(sql) do.call(paste, c(DBI::dbGetQuery(con, paste(explain, sql)), list(collapse = "\n"))))
  }))
}

test_that("SQLite joins lookups, whatever the collation", {
  con <- sqlite_with(odd_orders(), customer = "TEXT COLLATE NOCASE")
  here <- function(data, name) eggcrate:::source_frame(data, name)
  table <- segments()
  DBI::dbWriteTable(con, "segments", transform(table, since = as.character(since)), field.types = c(customer = "TEXT COLLATE NOCASE"))
  DBI::dbWriteTable(con, "classes", classes())
  expect_joined(sales_table(con, "orders"), here(table, "segments"), here(classes(), "classes"), "from elsewhere")
  expect_joined(sales_table(con, "orders"), sales_table(con, "segments"), sales_table(con, "classes"), "in the database")
  expect_joined(sales_table(con, "orders"), sales_table(con, "segments"), here(classes(), "classes"), "one of each")
  expect_linked_of_all_kinds(con, function(days) transform(days, sold = as.character(sold)))
  expect_match(plans_of_joins(con, "EXPLAIN QUERY PLAN"), "SEARCH [^\n]* USING AUTOMATIC COVERING INDEX")
})

test_that("rows from elsewhere are written into the statement, in each engine's own words", {
  rows <- data.frame(k = c("a'b", NA), day = as.Date(c("2026-01-02", NA)), x = c(0.5, 2), n = c(1L, NA))
  written <- function(engine) {
    con <- dbplyr::simulate_dbi(engine)
    gsub("\"", "`", as.character(dbplyr::sql_render(eggcrate:::written_rows(rows, list(con = con, engine = eggcrate:::engine_of(con))))), fixed = TRUE)
  }
  expect_identical(written("PqConnection"), "SELECT `k`, CAST(`day` AS DATE) AS `day`, CAST(`x` AS NUMERIC) AS `x`, CAST(`n` AS INTEGER) AS `n`
FROM (VALUES
  ('a''b', '2026-01-02', 0.5, 1),
  (NULL, NULL, 2.0, NULL)
) AS given (`k`, `day`, `x`, `n`)")
  expect_identical(written("MariaDBConnection"), "WITH given (`k`, `day`, `x`, `n`) AS (VALUES
  ('a''b', '2026-01-02', 0.5, 1),
  (NULL, NULL, 2.0, NULL)
)
SELECT `k`, CAST(`day` AS DATE) AS `day`, `x`, `n`
FROM given")
  # Shown are the first of them, whichever way they are written.
  rows <- data.frame(k = sprintf("c%d", 1:10))
  expect_match(eggcrate:::few_values(written("PqConnection")), "  \\('c3'\\)\\,\n-- and 7 more rows\n\\) AS given")
  expect_match(eggcrate:::few_values(written("MariaDBConnection")), "  \\('c3'\\)\\,\n-- and 7 more rows\n\\)\nSELECT")
  listed <- eggcrate:::mapped_side(list(con = dbplyr::simulate_dbi("ClickhouseConnection"), engine = eggcrate:::clickhouse_engine),
    list(by = list(rows$k), columns = list(eggcrate:::copied_column(1:10, eggcrate:::clickhouse_engine))), list(quote(customer)), "e_a1_1", c("e_f1_1", "e_f1_2"))
  con <- dbplyr::simulate_dbi("ClickhouseConnection")
  sql <- eggcrate:::in_sql(list(listed$cells[[1L]]$expr), con)[[1L]]
  # How such a connection quotes names differs by version.
  quoted <- function(sql) gsub("\"", "`", as.character(sql), fixed = TRUE)
  expect_identical(quoted(sql), "nullIf(transform(`customer`, `e_f1_1`, `e_f1_2`, 11), 11)")
  shown <- eggcrate:::few_values(as.character(eggcrate:::with_lists(list(lists = listed$lists, con = con), dbplyr::sql(paste("SELECT", sql)))))
  expect_identical(quoted(shown), paste0("WITH\n[\n  'c1',\n  'c2',\n  'c3',\n-- and 7 more rows\n] AS `e_f1_1`,\n[\n  1,\n  2,\n  3,\n-- and 7 more rows\n] AS `e_f1_2`\nSELECT ", quoted(sql)))
  rows <- data.frame(k = c("a'b", NA), day = as.Date(c("2026-01-02", NA)), x = c(0.5, 2), n = c(1L, NA))
  expect_match(written("SQLiteConnection"), "SELECT `k`, `day`, CAST(`x` AS REAL) AS `x`, `n`", fixed = TRUE)
})

# Where columns of a lookup are grouped by only.
by_lookups_only <- list(
  list("standings", list(of = "sum(sales)", by = "segment")),
  list("standings", list(of = "sum(sales * rate)", by = "c(class, customer, segment)", where = "units > 2", also = "c(n = count(), m = mean(units))")),
  list("standings", list(of = "min(units)", by = "since", within = "class")),
  list("pareto", list(of = "sum(sales)", by = "segment", within = "quarter(sold)", reach = "0.8")),
  list("grid", list(of = "sum(sales)", by = "factor", across = "class")))

# A lookup by two keys, which are told apart though their texts together are the same.
pairs <- function() data.frame(customer = c("z", "z1", "Orvind", "orvind"), code = c(12, 2, 7, NA), kind = c("p", "q", "r", "s"))
of_pairs <- list(list("standings", list(of = "sum(sales)", by = "kind")), list("standings", list(of = "count()", by = "customer", where = "kind != 'r' | is_missing(kind)")))

# As long as a lookup may be that is written into a statement, where each of its columns stands several times.
long <- function() {
  data.frame(customer = c("Orvind", "z", "Estrid", sprintf("customer %d", 1:4990)), part = c("one", NA, "two", sprintf("part %d", 1:4990)), weight = c(0.5, 3, NA, rep(1.25, 4990)))
}
of_long <- list(list("standings", list(of = "sum(sales * weight)", by = "c(part, weight)", where = "weight > 1 & part != 'two' | weight < 1", also = "c(m = mean(weight), n = distinct(part))")),
  list("firmness", list(of = "sum(sales * weight) - sum(weight)", by = "part", orders = "code", times = 100)))

expect_said <- function(found, questions, frame) {
  for (i in seq_along(questions)) {
    one <- questions[[i]]
    expect_identical(without_first(found[[i]]$said), without_first(said_of(one[[1L]], one[[2L]], frame)), info = paste(unlist(one), collapse = " ; "))
    expect_identical(found[[i]]$fetched, 0L, info = paste(unlist(one), collapse = " ; "))
  }
}

test_that("a longer lookup is found after the rows are counted, where no more is wanted of it than groups", {
  source <- sales_table(sqlite_with(odd_orders(), customer = "TEXT COLLATE NOCASE"), "orders")
  withr::local_options(eggcrate.copy = 0)
  tables <- list(eggcrate:::source_frame(segments(), "segments"), eggcrate:::source_frame(classes(), "classes"))
  s <- do.call(with_both, c(list(source), tables))
  frame <- do.call(with_both, c(list(eggcrate:::source_frame(odd_orders(), "orders")), tables))
  expect_said(lapply(by_lookups_only, function(one) {
    said <- NULL
    fetched <- fetched_in(source, said <- said_of(one[[1L]], one[[2L]], s))
    list(said = said, fetched = fetched)
  }), by_lookups_only, frame)
  expect_linked(sales_table(source$con, "orders"), list(), c(asked_of_linked[c(1L, 3L)], asked_of_flags[1L]), "linked, after the tally")
  # More than groups is wanted: columns are fetched.
  for (one in list(list(of = "sum(sales)", by = "month(since)"), list(of = "sum(factor)", by = "segment"), list(of = "distinct(units)", by = "segment"),
    list(of = "sum(sales)", by = "customer", where = "segment == 'big'"))) {
    expect_identical(without_first(said_of("standings", one, s)), without_first(said_of("standings", one, frame)), info = paste(unlist(one), collapse = " ; "))
  }
})

test_that("PostgreSQL joins lookups", {
  skip_if_not_installed("RPostgres")
  con <- postgresql_connection()
  withr::defer(DBI::dbDisconnect(con))
  table_in(con, with_times(odd_orders()), declared_orders$postgresql)
  expect_joined_of_all_kinds(con, declared_orders$postgresql, c(seats = "bigint", factor = "numeric(6,2)", since = "date"), c(code = "bigint", class = "varchar(3)"))
  DBI::dbExecute(con, "set datestyle to 'SQL, DMY'")
  expect_linked_of_all_kinds(con)
})

test_that("MariaDB joins lookups, whatever the collation", {
  skip_if_not_installed("RMariaDB")
  con <- mariadb_connection()
  withr::defer(DBI::dbDisconnect(con))
  table_in(con, with_times(odd_orders()), declared_orders$mariadb)
  expect_joined_of_all_kinds(con, declared_orders$mariadb, c(customer = "varchar(30) collate utf8mb4_general_ci", seats = "bigint", since = "date"), c(code = "bigint"))
  expect_linked_of_all_kinds(con)
  plans <- plans_of_joins(con, "EXPLAIN")
  expect_match(plans, "<derived[0-9]+>.* ref key0")
  expect_false(any(grepl("BNL", plans)))
})

test_that("a cluster asks lookups row by row, and groups by longer ones after the rows are counted", {
  skip_if(!nzchar(Sys.which("clickhouse-server")), "no clickhouse-server")
  tables <- linked()
  tables$days <- with_flags(tables$days)
  as_asked <- function(questions) lapply(questions, function(one) list("standings", one))
  by_linked <- as_asked(c(asked_of_linked, asked_of_flags))
  after <- as_asked(c(asked_of_linked[c(1L, 3L)], asked_of_flags[1L]))
  found <- on_cluster(quote({
    spread_table(con, others, with_times(orders), types)
    base <- sales_table(con, "orders")
    with <- function(s, data, name, by) source_lookup(s, source_frame(data, name), by)
    both <- function() with(with(base, first, "segments", c(customer = "customer")), second, "classes", c(code = "code"))
    linked <- function() with(with(with(base, tables$segments, "segments", c(customer = "customer")), tables$parts, "parts", c(part = "part")), tables$days, "days", c(sold = "sold"))
    by_long <- with(base, long, "long", c(customer = "customer"))
    by_two <- with(base, pairs, "pairs", c(customer = "customer", code = "code"))
    answers <- function(s, questions) {
      lapply(questions, function(one) {
        said <- NULL
        fetched <- fetched_in(base, said <- said_of(one[[1L]], one[[2L]], s))
        list(said = said, fetched = fetched)
      })
    }
    here <- list(both = answers(both(), by_both), linked = answers(linked(), by_linked), pairs = answers(by_two, of_pairs), long = answers(by_long, of_long))
    options(eggcrate.copy = 0)
    c(here, list(both_after = answers(both(), both_after), linked_after = answers(linked(), after)))
  }), list(orders = odd_orders(), types = declared_orders$cluster, first = segments(), second = classes(), tables = tables, pairs = pairs(), long = long(), by_both = asked_of_lookups, by_linked = by_linked,
    of_pairs = of_pairs, of_long = of_long, both_after = by_lookups_only, after = after))
  here <- lapply(with_names(names(tables), names(tables)), function(name) eggcrate:::source_frame(tables[[name]], name))
  orders <- eggcrate:::source_frame(odd_orders(), "orders")
  both <- with_both(orders, eggcrate:::source_frame(segments(), "segments"), eggcrate:::source_frame(classes(), "classes"))
  linked <- do.call(with_linked, c(list(orders), here))
  expect_said(found$both, asked_of_lookups, both)
  expect_said(found$linked, by_linked, linked)
  expect_said(found$pairs, of_pairs, eggcrate:::source_lookup(orders, eggcrate:::source_frame(pairs(), "pairs"), c(customer = "customer", code = "code")))
  expect_said(found$long, of_long, eggcrate:::source_lookup(orders, eggcrate:::source_frame(long(), "long"), c(customer = "customer")))
  expect_said(found$both_after, by_lookups_only, both)
  expect_said(found$linked_after, after, linked)
})

test_that("rows without a match are counted there, and a key that stands twice is found there", {
  lines <- data.frame(id = c(1, 2, 2, 3, NA), amount = c(1, 2, 4, 8, 16))
  con <- sqlite_with(lines)
  table <- data.frame(id = c(1, 2, 4), name = c("one", "two", "four"))
  x <- standings(lookup(sales_table(con, "orders"), table), of = sum(amount), by = name)
  expect_identical(x$amount, c(24, 6, 1))
  rows <- receipt(x)
  expect_identical(rows$n[rows$step == "lookup"], 2)
  expect_identical(rows$note[rows$step == "lookup"], "such as 3")
  # In the statement of the sums, whatever is filtered; each lookup has its own, and of a key of two columns both are told.
  codes <- data.frame(amount = c(1, 4), id = c(1, 2), size = c("small", "large"))
  orders <- sales_table(con, "orders")
  both <- lookup(lookup(orders, table, by = id), codes, by = c(id, amount))
  rows <- receipt(standings(both, of = sum(amount), by = c(name, size), where = amount < 8))
  expect_identical(rows$n[rows$step == "lookup"], c(2, 3))
  expect_identical(rows$note[rows$step == "lookup"], c("such as 3", "such as 2, 2"))
  expect_identical(sum(grepl("LEFT JOIN", orders$asked)), 1L)
  # Counted by its key, a large one from elsewhere too.
  withr::local_options(eggcrate.copy = 2)
  orders <- sales_table(con, "orders")
  rows <- receipt(standings(lookup(orders, table), of = sum(amount), by = name))
  expect_identical(rows[rows$step == "lookup", c("n", "note")], data.frame(n = 2, note = "such as 3"), ignore_attr = TRUE)
  expect_identical(sum(grepl("GROUP BY", orders$asked)), 1L)
  DBI::dbWriteTable(con, "many", data.frame(id = c(seq_len(6000), 17, NA, NA)))
  many <- sales_table(con, "many")
  expect_error(lookup(sales_table(con, "orders"), many, by = id), "`id` \"17\" twice", class = "eggcrate_error_value")
  expect_identical(sum(grepl("GROUP BY", many$asked)), 1L)
})

test_that("a blank key matches nothing, also not another blank one", {
  for (first in c("2026-01-01", "one", "7")) {
    lines <- data.frame(key = c(first, "", " ", NA), amount = c(1, 2, 4, 8))
    table <- data.frame(key = c(first, ""), name = c("found", "blank"))
    con <- sqlite_with(lines)
    DBI::dbWriteTable(con, "names", table)
    for (beside in list(table, sales_table(con, "names"))) {
      base <- sales_table(con, "orders")
      x <- standings(lookup(base, beside, by = key), of = sum(amount), by = name)
      expect_identical(x$name, c(NA, "found"))
      expect_identical(x$amount, c(14, 1))
      found <- receipt(x)
      expect_identical(found$n[found$step == "lookup"], 3)
      expect_match(base$asked, "LEFT JOIN", all = FALSE)
    }
  }
})

test_that("what cannot be joined is fetched, or refused with the reason", {
  lines <- data.frame(customer = c("a", "b"), amount = c(1, 2))
  con <- sqlite_with(lines)
  base <- sales_table(con, "orders")
  large <- data.frame(customer = c("a", "b", sprintf("c%d", 1:6000)), segment = "s")
  x <- standings(lookup(base, large), of = sum(amount), by = segment)
  expect_identical(x$amount, 3)
  expect_identical(names(show_sql(x))[1L], "What is counted")
  ask <- function() standings(lookup(sales_table(con, "orders"), large), of = sum(amount), by = customer, where = segment == "s")
  x <- ask()
  expect_identical(x$amount, c(2, 1))
  expect_match(names(show_sql(x))[1L], "fetched because large is not in the same database and has more than 5,000 rows")
  withr::local_options(eggcrate.fetch = 1)
  expect_error(ask(), "more than 5,000 rows", class = "eggcrate_error_database")
  withr::local_options(eggcrate.fetch = NULL, eggcrate.copy = 10000)
  sql <- show_sql(standings(lookup(sales_table(con, "orders"), large), of = sum(amount), by = segment))
  expect_match(sql[[1L]], "LEFT JOIN")
  expect_match(sql[[1L]], "'c6000'")
  # Shown are the first of them.
  expect_match(format(sql)[1L], "VALUES\n *\\('a', 's', 1\\),\n *\\('b', 's', 1\\),\n *\\('c1', 's', 1\\),\n-- and 5,999 more rows\n *\\)")
  expect_match(format(sql)[1L], "GROUP BY")
  # A date as text, flags, and a key of the lookup's own.
  odd <- data.frame(customer = c("a", "b"), sold = c("01/02/2026", "02/02/2026"), new = c(TRUE, FALSE), boss = c("x", "y"))
  s <- lookup(sales_table(con, "orders"), odd)
  expect_identical(standings(s, of = sum(amount), by = customer, where = new)$amount, 1)
  expect_identical(as.data.frame(standings(s, of = sum(amount), by = boss, over = month(date(sold, "dmy"))))$amount, c(2, 1))
  twice <- lookup(s, data.frame(boss = c("x", "y"), name = c("Ada", "Bo")))
  expect_identical(standings(twice, of = sum(amount), by = name)$name, c("Bo", "Ada"))
})

test_that("addresses of one database are joined in it", {
  folder <- withr::local_tempdir()
  path <- file.path(folder, "shop.db")
  con <- DBI::dbConnect(RSQLite::SQLite(), path)
  DBI::dbWriteTable(con, "orders", data.frame(customer = c("a", "b", "a"), amount = 1:3))
  DBI::dbWriteTable(con, "customers", data.frame(customer = c("a", "b"), segment = c("big", "small")))
  DBI::dbDisconnect(con)
  address <- function(table) sprintf("sqlite:%s#%s", path, table)
  x <- standings(lookup(address("orders"), address("customers")), of = sum(amount), by = segment)
  expect_identical(x$segment, c("big", "small"))
  expect_match(show_sql(x)[[1L]], "LEFT JOIN .*FROM `customers`")
  writeLines(c("customer,segment", "a,big", "b,small"), file.path(folder, "customers.csv"))
  run <- run_process(c("standings", address("orders"), "--of", "sum(amount)", "--by", "segment", "--lookup", file.path(folder, "customers.csv"), "--show-sql"))
  expect_equal(run$status, 0)
  expect_match(run$out, "big +4", all = FALSE)
  expect_match(c(run$out, run$err), "LEFT JOIN", all = FALSE)
})
