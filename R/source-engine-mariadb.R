# MariaDB.

# Decimals of 65 digits. Its driver tells decimals and doubles apart by the catalogue only.
mariadb_bytes <- function(x) call("%COLLATE%",
  call("CONVERT", call("%USING%", x, dbplyr::sql("utf8mb4"))), dbplyr::sql("utf8mb4_nopad_bin"))
mariadb_engine <- structure(class = "eggcrate_engine", list(
  class = "MariaDBConnection", scheme = "mariadb", package = "RMariaDB", open = function(at) {
    # Defaults of a client are in the group of that name in the engine's own files.
    con <- connect(RMariaDB::MariaDB(), at, c(database = "dbname", user = "username"),
      group = "client", timezone_out = "UTC")
    DBI::dbExecute(con, "SET SESSION TRANSACTION READ ONLY")
    con
  },
  name = "MariaDB", answers = TRUE, moment = character(), most = 1e40,
  decimals = TRUE,
  forms = function(s, columns, call) {
    driver_forms(s, columns, "type",
      c(integer = "whole", integer64 = "long", double = "real", Date = "date", POSIXct = "time",
        string = "text"), call)
  },
  column = function(x, form) if (form == "time") sql_cast(x, "DATE") else x,
  dated = function(x) call("!", call("is.na", call("TO_DAYS", x))),
  filled = function(x) filled_text(mariadb_bytes(x),
    call("%REGEXP%", mariadb_bytes(x), beyond_blanks)),
  keyed = TRUE, written = c(Date = "DATE"), bytes = mariadb_bytes,
  whole = function(x) sql_cast(call("ROUND", x), "SIGNED"),
  wide = function(x) sql_cast(x, "DECIMAL(20, 0)"),
  text = function(x) sql_cast(x, "CHAR")))
