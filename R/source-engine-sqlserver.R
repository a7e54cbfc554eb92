# SQL Server.

# Texts that differ in blanks at their ends are equal there, but not their bytes.
sqlserver_bytes <- function(x) sql_cast(sql_cast(x, "NVARCHAR(4000)"), "VARBINARY(8000)")
sqlserver_engine <- structure(class = "eggcrate_engine", list(
  class = "Microsoft SQL Server", scheme = "sqlserver", package = "odbc", open = function(at) {
    connect(odbc::odbc(), at, c(host = "server", user = "uid", password = "pwd"))
  },
  name = "SQL Server", answers = TRUE,
  moment = "SET TRANSACTION ISOLATION LEVEL SNAPSHOT", most = 1e37, decimals = TRUE,
  forms = function(s, columns, call) {
    driver_forms(s, columns, "type",
      c("4" = "whole", "-5" = "long", "3" = "decimal", "2" = "decimal", "8" = "real", "91" = "date",
        "93" = "time", "12" = "text", "-9" = "text", "-7" = "flag"), call)
  },
  column = function(x, form) if (form == "time") sql_cast(x, "DATE") else x,
  filled = function(x) filled_text(sqlserver_bytes(x), call("!=", call("TRIM", x), "")),
  bytes = sqlserver_bytes, whole = function(x) sql_cast(call("ROUND", x, 0L), "BIGINT"),
  wide = function(x) sql_cast(x, "DECIMAL(38, 0)"),
  text = function(x) sql_cast(x, "NVARCHAR(60)"),
  text_of_day = function(x) call("CONVERT", dbplyr::sql("CHAR(10)"), x, 23L),
  written = c(Date = "DATE", numeric = "DECIMAL(38, 10)")))
