# SQLite.

# Each cell has its own type, dates are texts, and text is compared by the collation of its column.
sqlite_bytes <- function(x) call("%COLLATE%", x, dbplyr::sql("BINARY"))
sqlite_engine <- structure(class = "eggcrate_engine", list(
  class = "SQLiteConnection", scheme = "sqlite", package = "RSQLite", open = function(at) {
    DBI::dbConnect(RSQLite::SQLite(), path.expand(at$place), flags = RSQLite::SQLITE_RO,
      synchronous = NULL)
  },
  name = "SQLite", answers = TRUE, moment = character(),
  state = c("PRAGMA data_version", "SELECT total_changes()"), most = 2^62, decimals = FALSE,
  kinds = function(x) {
    is <- function(kind) call("==", call("typeof", x), kind)
    list(whole = is("integer"), real = is("real"), text = is("text"), blob = is("blob"))
  },
  filled = function(x) filled_text(sqlite_bytes(x),
    call("!=", call("trim", sqlite_bytes(x), blanks), "")),
  # Converting through the day number would turn an invalid date into a valid one.
  date = function(x) inside("&", call("%GLOB%", x, "[0-9][0-9][0-9][0-9]-[0-9][0-9]-[0-9][0-9]"),
    call("==", call("strftime", "%Y-%m-%d", call("julianday", x)), x)),
  bytes = sqlite_bytes, whole = function(x) sql_cast(call("ROUND", x), "INTEGER"),
  wide = function(x) x, text = function(x) sql_cast(x, "TEXT"),
  column = function(x, form) x, keyed = TRUE, written = c(numeric = "REAL")))
