# Lookups of every kind, and questions of them.

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

expect_joined <- function(base, first, second, info, which = seq_along(asked_of_lookups)) {
  s <- with_both(base, first, second)
  for (i in which) {
    one <- asked_of_lookups[[i]]
    said <- NULL
    fetched <- fetched_in(base, said <- said_of(one[[1L]], one[[2L]], s))
    expect_identical(without_first(said), said_of_frames()[[i]], info = paste(info, paste(unlist(one), collapse = " ; ")))
    expect_identical(fetched, 0L, info = paste(info, paste(unlist(one), collapse = " ; ")))
  }
  expect_gte(sum(grepl("LEFT JOIN.*GROUP BY", base$asked)), length(which))
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
  list("intervals", list(of = "sum(sales * weight) - sum(weight)", by = "part", orders = "code", times = 100)))

expect_said <- function(found, questions, frame) {
  for (i in seq_along(questions)) {
    one <- questions[[i]]
    expect_identical(without_first(found[[i]]$said), without_first(said_of(one[[1L]], one[[2L]], frame)), info = paste(unlist(one), collapse = " ; "))
    expect_identical(found[[i]]$fetched, 0L, info = paste(unlist(one), collapse = " ; "))
  }
}
