# Differences between database engines that a request depends on. All SQL is written by dbplyr, from
# expressions.

#' An engine is one value in a file `R/source-engine-<name>.R`. It is found by the class of a
#' connection.
#' @return A list. The first fields are needed; the others only if the engine differs from the rest.
#'   Fields that are not described as something else are functions from expressions to expressions.
#'   * `class`: class of its connections
#'   * `scheme, package, open`: the beginning of its addresses, the package that opens them, and a
#'     function of an address from `read_url()`
#'   * `name, answers`: its name; are requests answered in it?
#'   * `forms`: function of the source and columns that returns the forms of typed columns
#'     (`column_forms()`)
#'   * `kinds, date`: if each cell has its own type: function of the expression of a column that
#'     returns expressions, named, for the type of a cell; is a text a date?
#'   * `column`: a cell of a form as it is fetched and compared
#'   * `filled`: is a text not blank?
#'   * `bytes`: a text that compares by its bytes
#'   * `whole`: a number near a whole one as that whole number
#'   * `wide`: a whole number whose sums and products are exact up to `most`
#'   * `missing`: the expression of a missing number, if `wide` of NULL has no type
#'   * `text`: a number as text
#'   * `moment`: statements at the beginning of a transaction; NULL without transactions
#'   * `state`: statements whose results differ after a write
#'   * `day`: form of a date literal, if not its text
#'   * `text_of_day`: a date as text, if settings change the result of `text`
#'   * `doubtful`: a form that may hold values that are not numbers
#'   * `most`: limit of exact numbers
#'   * `decimals`: are decimals exact without a cast?
#'   * `flat`: does it need statements without subqueries?
#'   * `levels`: does NULL not propagate?
#'   * `distinct`: name of the exact count of different values
#'   * `median`: twice the exact median
#'   * `adds`: limit of exact sums of decimals, if `decimals` is FALSE
#'   * `cents`: number of places that are tested first, in an engine that evaluates all branches of
#'     a case
#'   * `magnitude`: absolute value
#'   * `endless`: is a number not finite?
#'   * `among`: a test of texts
#'   * `dated`: is it a valid day?
#'   * `read`: a cell in a form that the driver can read
#'   * `written`: types for values in a statement, by their class in R
#'   * `names_rows`: can VALUES have column names and a known number of rows?
#'   * `keyed`: does it find rows of a second table by key only if it is materialized?
#'   * `mapped`: for an engine without joins: the value of each key of a lookup, or NULL if it is
#'     `none`; its days end with `last_day`
#'   * `concat`: texts as one, if not as in dbplyr
#'   * `longest`: bytes of a statement, at most
#'   * `dialect`: function that returns dbplyr's simulation of a connection, if its class is not
#'     sufficient
#'   * `zone`: day of a moment, if not the day in UTC
#'   * `columns`: function of a connection and the name of a table that returns the names of its
#'     columns
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
  if (is.null(known_engines$all)) {
    found <- mget(ls(topenv(), pattern = "_engine$"), topenv())
    found <- Filter(function(x) inherits(x, "eggcrate_engine"), unname(found))
    known_engines$all <- with_names(found, vapply(found, `[[`, "", "scheme"))
  }
  known_engines$all
}

known_engines <- new.env()

# An expression inside another one. dbplyr writes expressions without the parentheses that R does
# not need, so they are added here.
inside <- function(op, ...) call("(", as.call(list(as.name(op), ...)))

sql_cast <- function(x, type) call("CAST", call("%AS%", x, dbplyr::sql(type)))

# A text that begins with a visible ASCII character is not blank; this test is faster than trimming.
# S29 defines blanks.
filled_text <- function(x, more) inside("|",
  inside("&", call(">=", x, "!"), call("<", x, "\u00a0")), more)

blanks <- " \t\n\v\f\r\u00a0"
# A character that is not blank, for engines with regular expressions.
beyond_blanks <- "[^ \\t\\n\\x0b\\f\\r\\x{A0}]"

# Columns that have types --------------------------------------------------------

#' @param types What the engine calls them.
#' @param known Forms by name of the type: "whole" (up to 32 bits), "long" (64), "decimal", "real"
#'   (doubles), "single" (narrower ones), "date", "time" and "moment" (their day counts), "text",
#'   "word" (text after a cast), "flag".
#' @return A list by column: `form` ("other" if unknown), `word`, the type in the words of the
#'   engine, and, in some engines, `given` (is it declared NOT NULL?).
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
    # Some engines have these names in capitals.
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
