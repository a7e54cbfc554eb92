# What a database can: the little that differs between engines and that a request depends on. All SQL is written
# by dbplyr, from expressions.

#' @return `name`, and whether requests are answered there (`answers`); functions from the expression of a column to
#'   expressions: `kinds` (named: of what kind a cell is), `filled` (is a text more than blanks?), `date` (is the text
#'   a date?), `bytes` (a text compared by its bytes); and `day`, from days to values to compare with.
#' @noRd
engine_of <- function(con) {
  found <- intersect(class(con), names(engines))
  if (length(found)) {
    return(engines[[found[1L]]])
  }
  info <- tryCatch(DBI::dbGetInfo(con)$dbms.name, error = function(e) NULL)
  list(name = if (is.character(info) && length(info) == 1L && nzchar(info)) info else class(con)[1L], answers = FALSE)
}

# An expression that is part of another: SQL is written as it stands, without the parentheses that R does not need.
inside <- function(op, ...) call("(", as.call(list(as.name(op), ...)))

sqlite_bytes <- function(x) call("%COLLATE%", x, dbplyr::sql("BINARY"))

# Each cell has a type of its own there, dates are texts, and text is compared by a column's collation.
sqlite_engine <- list(name = "SQLite", answers = TRUE,
  kinds = function(x) {
    is <- function(kind) call("==", call("typeof", x), kind)
    list(whole = is("integer"), real = is("real"), text = is("text"), blob = is("blob"))
  },
  # Blanks are those of S29. What begins with another letter is no blank text: that is seen sooner than by trimming.
  filled = function(x) {
    x <- sqlite_bytes(x)
    inside("|", inside("&", call(">=", x, "!"), call("<", x, "\u00a0")), call("!=", call("trim", x, " \t\n\v\f\r\u00a0"), ""))
  },
  # Only by way of its number a day that there is not becomes another.
  date = function(x) inside("&", call("%GLOB%", x, "[0-9][0-9][0-9][0-9]-[0-9][0-9]-[0-9][0-9]"), call("==", call("strftime", "%Y-%m-%d", call("julianday", x)), x)),
  bytes = sqlite_bytes,
  day = function(days) day_text(days))

engines <- list(SQLiteConnection = sqlite_engine)

# What is to be known of columns -------------------------------------------------

# A decimal column has no more places than these (S6).
most_places <- 6L

#' What the cells of columns hold. One statement asks it of several; a second one asks how many decimals there are, and
#' whether texts are dates, where the first one leaves that open.
#' @return For each: `type` (as in a schema), `places` (NA where it is not decimal for sure), `largest` (the greatest
#'   magnitude), `real`, `text` and `blank` cells, `range` of dates, `mixed`: are there numbers and texts, and `names`: are
#'   its whole numbers too large to be numbers?
#' @noRd
known_cells <- function(s, columns, call = NULL) {
  known <- function(name) s$known[[paste0("cells of ", name)]]
  new <- columns[vapply(columns, function(name) is.null(known(name)), NA)]
  if (length(new)) {
    found <- ask_cells(s, lapply(with_names(new, new), first_look, s$engine), call)
    more <- Filter(length, Map(function(name, cells) second_look(name, cells, s$engine), new, found))
    if (length(more)) {
      seen <- ask_cells(s, more, call)
      found[names(seen)] <- Map(c, found[names(seen)], seen)
    }
    list2env(with_names(lapply(found, read_cells), paste0("cells of ", new)), s$known)
  }
  lapply(with_names(columns, columns), known)
}

#' @param looks Lists of expressions, by column.
#' @return Lists of what came of them.
#' @noRd
ask_cells <- function(s, looks, call = NULL) {
  row <- ask_engine(s, cells_query(s, looks), call)
  lapply(with_names(seq_along(looks), names(looks)), function(i) {
    mine <- sprintf("c%d_%s", i, names(looks[[i]]))
    with_names(lapply(mine, function(name) plain_column(row[[name]])), names(looks[[i]]))
  })
}

cells_query <- function(s, looks) {
  questions <- lapply(seq_along(looks), function(i) with_names(looks[[i]], sprintf("c%d_%s", i, names(looks[[i]]))))
  # Put into SQL one by one: of many expressions together `summarise()` takes seconds.
  sql <- dbplyr::translate_sql_(lapply(unlist(questions), rlang::new_quosure, baseenv()), con = s$con, window = FALSE)
  dplyr::transmute(s$tbl, !!!lapply(sql, dbplyr::sql))
}

count_where <- function(condition) call("sum", call("case_when", call("~", condition, 1L), call("~", TRUE, 0L)), na.rm = TRUE)

first_look <- function(name, engine) {
  x <- as.name(name)
  kinds <- engine$kinds(x)
  text <- call("case_when", call("~", inside("&", kinds$text, engine$filled(x)), x))
  number <- call("case_when", call("~", inside("|", kinds$whole, kinds$real), x))
  c(lapply(kinds, count_where), list(given = call("sum", call("case_when", call("~", call("is.na", text), 0L), call("~", TRUE, 1L)), na.rm = TRUE),
    least = call("min", text, na.rm = TRUE), most = call("max", text, na.rm = TRUE), largest = call("max", call("abs", number), na.rm = TRUE)))
}

# Nothing where the first look has told all.
second_look <- function(name, cells, engine) {
  x <- as.name(name)
  ends <- c(cells$least, cells$most)
  list_of <- list()
  if (isTRUE(cells$real > 0)) list_of$places <- call("max", places_of_cell(x, engine), na.rm = TRUE)
  if (isTRUE(cells$given > 0) && all(grepl("^[0-9]{4}-[0-9]{2}-[0-9]{2}$", ends))) {
    list_of$dates <- count_where(inside("&", engine$kinds(x)$text, engine$date(x)))
  }
  list_of
}

#' The least places with which a cell is decimal for sure: four units in the last place are at least 2^-51 of a number.
#' @noRd
places_of_cell <- function(x, engine) {
  arms <- lapply(0:most_places, function(k) {
    near <- if (k > 0) inside("/", call("round", inside("*", x, 10^k)), 10^k) else call("round", x)
    call("~", call("<=", call("abs", inside("-", x, near)), inside("*", call("abs", x), 4.4e-16)), k)
  })
  whole <- call("~", call("!", engine$kinds(x)$real), 0L)
  as.call(c(as.name("case_when"), whole, arms, call("~", TRUE, most_places + 1L)))
}

read_cells <- function(found) {
  number <- function(name) if (length(found[[name]]) && !is.na(found[[name]])) as.numeric(found[[name]]) else 0
  texts <- number("given")
  numbers <- number("whole") + number("real")
  # Beyond 2^53 a whole number is a name (S40).
  names <- number("real") == 0 && is.character(found$largest)
  type <- if (number("blob") > 0 || texts > 0 && numbers > 0) {
    "other"
  } else if (numbers > 0) {
    if (names) "text" else "number"
  } else if (texts == 0) {
    "blank"
  } else if (number("dates") == texts) {
    "date"
  } else {
    "text"
  }
  list(type = type, places = if (type == "number") certain_places(number("places"), number("largest")), largest = number("largest"),
    real = number("real") > 0, text = number("text"), blank = number("text") - texts, mixed = type == "other" && number("blob") == 0, names = names,
    range = if (type == "date") as.numeric(parse_iso_date(c(found$least, found$most))))
}

# NA where a cell has more, or where four units in its last place could reach from one decimal to the next.
certain_places <- function(places, largest) if (places > most_places || largest * 10^places >= 2^49) NA_integer_ else as.integer(places)
