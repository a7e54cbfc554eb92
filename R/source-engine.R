# What a database can: the little that differs between engines and that a request depends on. All
# SQL is written by dbplyr, from expressions.

#' An engine is one value in a file of its own, `R/source-engine-<name>.R`, and found by its class.
#' @return `class` of its connections, `name`, and whether requests are answered there (`answers`).
#'   `scheme` of its addresses, the `package` that opens them, and `open`, a function of an address
#'   from `read_url()`. Then, of an engine whose
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
#'   statement may have), `dialect` (a function that gives dbplyr's simulation of a connection, if
#'   its class is not enough), `zone`: which day a moment has, if not that of UTC, and `columns`: a
#'   function from a connection and a table's name to the names of its columns.
#' @noRd
engine_of <- function(con) {
  known <- Filter(function(engine) engine$class %in% class(con), engines())
  if (length(known)) {
    return(known[[1L]])
  }
  info <- tryCatch(DBI::dbGetInfo(con)$dbms.name, error = function(e) NULL)
  list(name = if (is.character(info) && length(info) == 1L && nzchar(info)) info else
    class(con)[1L], answers = FALSE)
}

# All engines, by the scheme of their addresses: values whose names end in `_engine`.
engines <- function() {
  found <- mget(ls(topenv(), pattern = "_engine$"), topenv())
  found <- Filter(function(x) inherits(x, "eggcrate_engine"), unname(found))
  with_names(found, vapply(found, `[[`, "", "scheme"))
}

# An expression that is part of another: SQL is written as it stands, without the parentheses that R
# does not need.
inside <- function(op, ...) call("(", as.call(list(as.name(op), ...)))

sql_cast <- function(x, type) call("CAST", call("%AS%", x, dbplyr::sql(type)))

# What begins with another letter is no blank text: that is seen sooner than by trimming. Blanks are
# those of S29.
filled_text <- function(x, more) inside("|",
  inside("&", call(">=", x, "!"), call("<", x, "\u00a0")), more)

blanks <- " \t\n\v\f\r\u00a0"
# A letter that is none of them, where an engine matches patterns.
beyond_blanks <- "[^ \\t\\n\\x0b\\f\\r\\x{A0}]"

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
