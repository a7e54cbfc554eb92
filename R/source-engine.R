# What a database can: the little that differs between engines and that a request depends on. All
# SQL is written by dbplyr, from expressions.

#' @return `name`, and whether requests are answered there (`answers`). Then, of an engine whose
#'   columns have types, `forms`: a function from the source and columns to what each is (see
#'   `column_forms()`); of one whose cells have types of their own, `kinds`: a function from the
#'   expression of a column to expressions, named, of what kind a cell is, and `date`: is a text a
#'   date? Functions from expressions to expressions: `column` (the cell of a form as it is fetched
#'   and compared), `filled` (is a text more than blanks?), `bytes` (a text compared by its bytes),
#'   `whole` (a number that is near to a whole one as that), `wide` (a whole number so that sums and
#'   products of it are exact up to `most`), `text` (a number written out). `moment`: what is said
#'   at the begin of a transaction, NULL without such; `state`: statements whose answers are others
#'   after anything was written; `day`: how a date is written, where not as its text; `text_of_day`:
#'   a date as its text, where settings change what `text` makes of it; `doubtful`: a form that is
#'   declared and may yet hold what is no number; `most`: up to where numbers are exact; `decimals`:
#'   are decimals exact as they are? Where an engine does it otherwise than most: `flat`, `levels`
#'   (does nothing follow from what is missing?), `distinct`, `median` (twice the exact one), `adds`
#'   (up to where sums of decimals are exact, where `decimals` are not), `cents` (as it tries all
#'   cases of a row, more places than these are looked for only where there are some), `magnitude`,
#'   `endless` (is a number none that is finite?), `among` (a test of texts), `dated` (is a
#'   day one that there is?), `read` (a cell as its driver can read it), `written`: what values that
#'   are written into a statement are cast to, by their class in R, `names_rows` (can such rows be a
#'   table with names of its columns, of which it knows how many there are?), `keyed` (does it find
#'   rows of a table beside by their key only if that is made first?), `mapped` (of an engine that
#'   joins no second table: what
#'   stands for keys among those of a lookup, or nothing where it is `none`; its days end with
#'   `last_day`), `concat` (texts as one, if not as dbplyr has it), `longest` (bytes that a
#'   statement may have), `zone`: which day a moment has, if not that of UTC, and `columns`: a
#'   function from a connection and a table's name to the names of its columns.
#' @noRd
engine_of <- function(con) {
  found <- intersect(class(con), names(engines))
  if (length(found)) {
    return(engines[[found[1L]]])
  }
  info <- tryCatch(DBI::dbGetInfo(con)$dbms.name, error = function(e) NULL)
  list(name = if (is.character(info) && length(info) == 1L && nzchar(info)) info else
    class(con)[1L], answers = FALSE)
}

# An expression that is part of another: SQL is written as it stands, without the parentheses that R
# does not need.
inside <- function(op, ...) call("(", as.call(list(as.name(op), ...)))

sql_cast <- function(x, type) call("CAST", call("%AS%", x, dbplyr::sql(type)))

itself <- function(x) x

# What begins with another letter is no blank text: that is seen sooner than by trimming. Blanks are
# those of S29.
filled_text <- function(x, more) inside("|",
  inside("&", call(">=", x, "!"), call("<", x, "\u00a0")), more)

blanks <- " \t\n\v\f\r\u00a0"
# A letter that is none of them, where an engine matches patterns.
beyond_blanks <- "[^ \\t\\n\\x0b\\f\\r\\x{A0}]"

# Each cell has a type of its own there, dates are texts, and text is compared by a column's
# collation.
sqlite_bytes <- function(x) call("%COLLATE%", x, dbplyr::sql("BINARY"))
sqlite_engine <- list(name = "SQLite", answers = TRUE, moment = character(),
  state = c("PRAGMA data_version", "SELECT total_changes()"), most = 2^62, decimals = FALSE,
  kinds = function(x) {
    is <- function(kind) call("==", call("typeof", x), kind)
    list(whole = is("integer"), real = is("real"), text = is("text"), blob = is("blob"))
  },
  filled = function(x) filled_text(sqlite_bytes(x),
    call("!=", call("trim", sqlite_bytes(x), blanks), "")),
  # Only by way of its number a day that there is not becomes another.
  date = function(x) inside("&", call("%GLOB%", x, "[0-9][0-9][0-9][0-9]-[0-9][0-9]-[0-9][0-9]"),
    call("==", call("strftime", "%Y-%m-%d", call("julianday", x)), x)),
  bytes = sqlite_bytes, whole = function(x) sql_cast(call("ROUND", x), "INTEGER"), wide = itself,
    text = function(x) sql_cast(x, "TEXT"),
  column = function(x, form) x, keyed = TRUE, written = c(numeric = "REAL"))

# Decimals of any length, exact. A time with its zone is a moment: its day is that of UTC.
postgres_bytes <- function(x) call("%COLLATE%", x, dbplyr::sql("\"C\""))
postgres_engine <- list(name = "PostgreSQL", answers = TRUE,
  moment = "SET TRANSACTION ISOLATION LEVEL REPEATABLE READ, READ ONLY",
  state = "SELECT CAST(txid_current_snapshot() AS TEXT)",
  most = 1e60, decimals = TRUE,
  forms = function(s, columns, call) {
    driver_forms(s, columns, ".typname",
      c(int2 = "whole", int4 = "whole", int8 = "long", numeric = "decimal", float8 = "real",
      float4 = "single", date = "date",
      timestamp = "time", timestamptz = "moment", text = "text", varchar = "text", bpchar = "word",
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
    written = c(Date = "DATE", integer = "INTEGER", numeric = "NUMERIC", logical = "BOOLEAN"))

# Decimals of 65 digits. Its driver tells decimals and doubles apart by the catalogue only.
mariadb_bytes <- function(x) call("%COLLATE%",
  call("CONVERT", call("%USING%", x, dbplyr::sql("utf8mb4"))), dbplyr::sql("utf8mb4_nopad_bin"))
mariadb_engine <- list(name = "MariaDB", answers = TRUE, moment = character(), most = 1e40,
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
  text = function(x) sql_cast(x, "CHAR"))

# Whole numbers wrap around in silence: none comes near to the end of 64 bits. Tables may be spread
# over servers, each of which counts its own rows only where a statement has no part within parts
# (`flat`). Its driver cannot read decimals.
clickhouse_engine <- list(name = "ClickHouse", answers = TRUE, most = 2^62, decimals = FALSE,
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
  bytes = itself, whole = function(x) call("toInt64", call("round", x)),
    wide = function(x) call("toInt64", x),
  text = function(x) call("toString", x), day = "toDate(%s)",
    endless = function(x) call("!=", inside("-", x, x), 0),
  adds = 1e32, cents = 2L, distinct = "uniqExact",
    median = function(x) inside("-", call("quantileExact", x),
    call("quantileExact", inside("-", x))),
    magnitude = function(x) call("multiIf", inside("<", x, 0), inside("-", x), x), levels = TRUE,
    zone = "the day as the server has it",
  # A table beside is asked row by row. Of statements it reads 256 kB.
  concat = "concat", longest = 250000, last_day = as.numeric(as.Date("2105-12-31")),
  mapped = function(keys, from, to, none) {
    key <- if (length(keys) == 1L) keys[[1L]] else
      as.call(c(as.name("concat"),
      unlist(lapply(keys, function(x) list(call("toString", call("length", x)), ":", x)),
      recursive = FALSE)))
    call("nullIf", call("transform", key, from, to, none), none)
  },
  # Of what is missing it says that it is none of them: it is not known.
  among = function(x, test) call("case_when", call("~", call("!", call("is.na", x)), test)),
  read = function(x, form) if (form == "decimal") call("toString", x) else x)

engines <- list(SQLiteConnection = sqlite_engine, PqConnection = postgres_engine,
  MariaDBConnection = mariadb_engine, ClickhouseConnection = clickhouse_engine)

# Columns that have types --------------------------------------------------------

#' @param types What the engine calls them.
#' @param known Forms, by that: "whole" (up to 32 bits), "long" (64), "decimal" (with so many
#'   places), "real" (doubles), "single" (narrower ones), "date", "time" and "moment" (of which the
#'   day counts), "text", "word" (text once it is cast), "flag".
#' @return A list by column: `form` ("other" where none is known) and `word`, what the engine calls
#'   it; of some engines `given`: does each row have a value?
#' @noRd
column_forms <- function(types, known) {
  forms <- unname(known[types])
  Map(function(form, word) list(form = if (is.na(form)) "other" else form, word = word), forms,
    types)
}

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

#' Forms by what the driver knows, and of decimals by what is declared.
#' @param field Where the driver says the type.
#' @noRd
driver_forms <- function(s, columns, field, known, call = NULL) {
  found <- driver_columns(s, call)
  with_declared(s, columns, column_forms(found[[field]][match(columns, found$name)], known), call)
}

# What the driver knows of the columns of a query that gives no rows.
driver_columns <- function(s, call = NULL) {
  once(s, "driver columns", {
    sql <- as.character(dbplyr::sql_render(dplyr::filter(s$tbl, 0L == 1L)))
    note_asked(s, sql)
    asked <- function() {
      sent <- DBI::dbSendQuery(s$con, sql)
      on.exit(DBI::dbClearResult(sent))
      DBI::dbColumnInfo(sent)
    }
    tryCatch(asked(), error = function(e) stop_engine(s, e, call))
  })
}

#' How many places decimal columns were declared with, by the catalogue that the standard has for
#' it; where a table is asked by its own name only, and there is one of that name.
#' @return A data frame of decimal columns: `column_name`, `numeric_precision`, `numeric_scale`;
#'   NULL where it cannot be known.
#' @noRd
declared_decimals <- function(s, call = NULL) {
  once(s, "declared decimals", {
    if (is.null(s$path)) return(NULL)
    catalogue <- dplyr::tbl(s$con, dbplyr::in_schema("information_schema", "columns"))
    name <- s$path[length(s$path)]
    # Some engines write its columns in capitals.
    columns <- lapply(with_names(c("table_name", decimal_facts), c("table_name", decimal_facts)),
      function(column) {
      as.name(colnames(catalogue)[match(column, tolower(colnames(catalogue)))])
    })
    found <- ask_engine(s,
      dplyr::transmute(dplyr::filter(catalogue,
      !!call("==", columns$table_name, quoted_texts(name, s$con))), !!!columns[decimal_facts]),
      call)
    names(found) <- decimal_facts
    # The same name in another schema may be the one that is asked.
    if (length(s$path) > 1L) found <- found[found$table_schema == s$path[1L], ]
    if (length(unique(found$table_schema)) > 1L) return(NULL)
    found[tolower(found$data_type) %in% c("numeric", "decimal") & !is.na(found$numeric_scale), ]
  })
}

with_declared <- function(s, columns, forms, call = NULL) {
  open <- vapply(forms, function(form) form$form %in% c("decimal", "real"), NA)
  if (!any(open)) return(forms)
  declared <- declared_decimals(s, call)
  Map(function(form, name, open) {
    at <- match(name, declared$column_name)
    if (!open || is.na(at)) form else
      decimal_form(form$word, as.numeric(declared$numeric_precision[at]),
      as.numeric(declared$numeric_scale[at]))
  }, forms, columns, open)
}

decimal_facts <- c("table_schema", "column_name", "data_type", "numeric_precision", "numeric_scale")
