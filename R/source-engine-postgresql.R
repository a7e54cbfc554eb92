# PostgreSQL.

# Decimals of any length, exact. A time with its zone is a moment: its day is that of UTC.
postgres_bytes <- function(x) call("%COLLATE%", x, dbplyr::sql("\"C\""))
postgres_engine <- structure(class = "eggcrate_engine", list(
  class = "PqConnection", scheme = "postgresql", package = "RPostgres", open = function(at) {
    con <- connect(RPostgres::Postgres(), at, c(database = "dbname"), timezone_out = "UTC")
    DBI::dbExecute(con, "SET SESSION CHARACTERISTICS AS TRANSACTION READ ONLY")
    con
  },
  name = "PostgreSQL", answers = TRUE,
  moment = "SET TRANSACTION ISOLATION LEVEL REPEATABLE READ, READ ONLY",
  state = "SELECT CAST(txid_current_snapshot() AS TEXT)",
  most = 1e60, decimals = TRUE,
  forms = function(s, columns, call) {
    driver_forms(s, columns, ".typname",
      c(int2 = "whole", int4 = "whole", int8 = "long", numeric = "decimal", float8 = "real",
        float4 = "single", date = "date",
        timestamp = "time", timestamptz = "moment", text = "text", varchar = "text",
        bpchar = "word",
        name = "word", citext = "word", uuid = "word", bool = "flag"), call)
  },
  column = function(x, form) {
    switch(form, word = sql_cast(x, "TEXT"), time = sql_cast(x, "DATE"),
      moment = sql_cast(call("%AT TIME ZONE%", x, "UTC"), "DATE"), x)
  },
  filled = function(x) filled_text(postgres_bytes(x), call("!=", call("BTRIM", x, blanks), "")),
  bytes = postgres_bytes, whole = function(x) sql_cast(call("ROUND", x), "BIGINT"),
  wide = function(x) sql_cast(x, "NUMERIC"), text = function(x) sql_cast(x, "TEXT"),
  text_of_day = function(x) call("to_char", x, "YYYY-MM-DD"), doubtful = "decimal",
  names_rows = TRUE,
  written = c(Date = "DATE", integer = "INTEGER", numeric = "NUMERIC", logical = "BOOLEAN")))
