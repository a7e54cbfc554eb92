# ClickHouse.

# Integer overflow is silent, so sums stay far below 2^63. Tables may be spread over servers, each
# of which counts its own rows only if a statement has no subquery (`flat`). Its driver cannot
# read decimals.
clickhouse_engine <- structure(class = "eggcrate_engine", list(
  class = "ClickhouseConnection", scheme = "clickhouse", package = "RClickhouse",
  open = function(at) connect(RClickhouse::clickhouse(), at, c(database = "db")),
  name = "ClickHouse", answers = TRUE, most = 2^62, decimals = FALSE,
  flat = TRUE,
  forms = function(s, columns, call) clickhouse_forms(s, call)[columns],
  columns = function(con, path) {
    known <- dplyr::filter(dplyr::tbl(con, dbplyr::in_schema("system", "columns")),
      !!call("==", quote(table), quoted_texts(path[length(path)], con)),
      !!call("==", quote(database),
        if (length(path) > 1L) quoted_texts(path[1L], con) else dbplyr::sql("currentDatabase()")))
    DBI::dbGetQuery(con, dbplyr::sql_render(dplyr::transmute(known, !!quote(name))))$name
  },
  column = function(x, form) switch(form, word = call("toString", x), moment = call("toDate", x),
    x),
  filled = function(x) filled_text(x, call("match", x, beyond_blanks)),
  bytes = function(x) x, whole = function(x) call("toInt64", call("round", x)),
  wide = function(x) call("toInt64", x), missing = quote(toInt64OrNull("")),
  text = function(x) call("toString", x), day = "toDate(%s)",
  endless = function(x) call("!=", inside("-", x, x), 0),
  adds = 1e32, cents = 2L, distinct = "uniqExact",
  median = function(x) inside("-", call("quantileExact", x),
    call("quantileExact", inside("-", x))),
  magnitude = function(x) call("multiIf", inside("<", x, 0), inside("-", x), x), levels = TRUE,
  zone = "the day as the server has it",
  # Second tables are not joined, because they would be searched row by row. A statement has at most
  # 256 kB.
  concat = "concat", longest = 250000, last_day = as.numeric(as.Date("2105-12-31")),
  mapped = function(keys, from, to, none) {
    key <- if (length(keys) == 1L) keys[[1L]] else
      as.call(c(as.name("concat"),
        unlist(lapply(keys, function(x) list(call("toString", call("length", x)), ":", x)),
          recursive = FALSE)))
    call("nullIf", call("transform", key, from, to, none), none)
  },
  # ClickHouse returns FALSE for NULL in `IN`; return NULL instead.
  among = function(x, test) call("case_when", call("~", call("!", call("is.na", x)), test)),
  read = function(x, form) if (form == "decimal") call("toString", x) else x))

# By the engine's own words, as its driver cannot read all types; no cell travels.
clickhouse_forms <- function(s, call = NULL) {
  once(s, "clickhouse forms", {
    names <- source_names(s)
    types <- ask_cells(s,
      lapply(with_names(names, names),
        function(name) list(type = call("toTypeName", call("anyLast", as.name(name))))), call,
      tbl = dplyr::filter(s$tbl, 0L == 1L))
    types <- vapply(types, `[[`, "", "type")
    given <- !grepl("Nullable(", types, fixed = TRUE)
    wrapped <- "^(Nullable|LowCardinality)\\((.*)\\)$"
    while (any(grepl(wrapped, types))) types <- sub(wrapped, "\\2", types)
    kinds <- sub("\\(.*$", "", types)
    small <- c("Int8", "Int16", "Int32", "UInt8", "UInt16", "UInt32")
    forms <- column_forms(kinds,
      c(with_names(rep("whole", 6L), small), Int64 = "long", UInt64 = "long", Decimal = "decimal",
        Float64 = "real", Float32 = "single",
        Date = "date", DateTime = "moment", String = "text", Enum8 = "word", Enum16 = "word",
        UUID = "word"))
    with_names(Map(function(form, type, given) {
      digits <- as.numeric(regmatches(type, gregexpr("[0-9]+", type))[[1L]])
      c(if (form$form == "decimal") decimal_form(form$word, digits[1L], digits[2L]) else form,
        given = given)
    }, forms, types, given), names)
  })
}
