# Facts about the columns of a table that a query depends on: types, number of decimals, size.

# A decimal column has no more places than these (S6).
most_places <- 6L

#' Contents of columns. One statement finds what the declarations of the columns do not give. If
#' each cell has its own type, a second statement finds the number of decimals, and whether texts
#' are dates, if the first one was not sufficient.
#' @return For each column: `type` (as in a schema); `form` (see `column_forms()`; "cell" if each
#'   cell has its own type); `places` (NA unless it is certainly decimal); `largest` (the greatest
#'   magnitude); `real` (has it doubles?); number of `text` and `blank` cells (NA if not counted);
#'   `range` of dates (if requested); `mixed` (numbers and texts?); `names` (are its whole numbers
#'   too large to be numbers?); `word`, the type in the words of the engine; `undated`, number of
#'   invalid dates (in engines that allow them); `given` (is it declared NOT NULL?); and `seen` (for
#'   a declared column: was its range queried?).
#' @noRd
known_cells <- function(s, columns, call = NULL) {
  known <- function(name) s$known[[paste0("cells of ", name)]]
  new <- columns[vapply(columns, function(name) is.null(known(name)), NA)]
  if (length(new)) {
    found <- if (is.null(s$engine$forms)) looked_cells(s, new, call) else
      declared_cells(s, new, call)
    had <- new %in% s$known[["had blanks"]] & is.na(vapply(found, `[[`, 0, "blank"))
    found[had] <- lapply(found[had], replace, "blank", 1)
    list2env(with_names(found, paste0("cells of ", new)), s$known)
  }
  lapply(with_names(columns, columns), known)
}

#' @param looks Lists of expressions, by column.
#' @return Lists of what came of them.
#' @noRd
ask_cells <- function(s, looks, call = NULL, tbl = s$tbl) {
  row <- ask_engine(s, cells_query(s, looks, tbl), call)
  end <- cumsum(lengths(looks))
  lapply(with_names(seq_along(looks), names(looks)), function(i) {
    with_names(lapply(row[seq(to = end[i], length.out = length(looks[[i]]))], plain_column),
      names(looks[[i]]))
  })
}

cells_query <- function(s, looks, tbl = s$tbl) {
  flat_query(s,
    unlist(lapply(seq_along(looks),
      function(i) with_names(looks[[i]], sprintf("c%d_%s", i, names(looks[[i]]))))), tbl)
}

count_where <- function(condition) call("sum",
  call("case_when", call("~", condition, 1L), call("~", TRUE, 0L)), na.rm = TRUE)

# NA where a cell has more, or where four units in its last place could reach from one decimal to
# the next.
certain_places <- function(places, largest) if (places > most_places ||
  largest * 10^places >= 2^49) NA_integer_ else as.integer(places)

#' Expression for the smallest number of places of a cell: `fits(k)` tests for k places; 0 if
#' `none` is true.
#' @param most From here on one more stands for all that do not fit.
#' @noRd
least_places <- function(fits, none, most = most_places) {
  arms <- lapply(0:most, function(k) call("~", fits(k), k))
  as.call(c(as.name("case_when"), call("~", none, 0L), arms,
    call("~", TRUE, as.integer(most) + 1L)))
}

#' The least places with which a double is decimal for sure: four units in the last place are at
#' least 2^-51 of a number.
#' @noRd
places_of_real <- function(x, none = call("is.na", x), magnitude = magnitude_of,
  most = most_places) {
  least_places(none = none, most = most, function(k) {
    near <- if (k > 0) inside("/", call("ROUND", inside("*", x, 10^k)), 10^k) else call("ROUND", x)
    call("<=", magnitude(inside("-", x, near)), inside("*", magnitude(x), 4.4e-16))
  })
}

magnitude_of <- function(x) call("abs", x)

places_of_decimal <- function(x) least_places(function(k) call("==", x, call("ROUND", x, k)),
  none = call("is.na", x))

# Columns that have types ---------------------------------------------------------

declared_cells <- function(s, columns, call = NULL) {
  forms <- s$engine$forms(s, columns, call)
  looks <- first_looks(s, columns, call)
  found <- if (length(looks)) ask_cells(s, looks, call)
  more <- Filter(function(name) forms[[match(name, columns)]]$form == "real" &&
    isTRUE(as.numeric(found[[name]]$places) > s$engine$cents), names(found))
  if (length(more)) {
    seen <- ask_cells(s,
      lapply(with_names(more, more),
        function(name) list(places = most_places_in(as.name(name), s$engine))), call)
    for (name in more) found[[name]]$places <- seen[[name]]$places
  }
  unname(Map(function(name, form) declared_cell(form, found[[name]], s, name, call), columns,
    forms))
}

# What is asked of columns before they are counted.
first_looks <- function(s, columns, call = NULL) {
  if (is.null(s$engine$forms)) return(lapply(with_names(columns, columns), first_look, s$engine))
  Filter(length,
    Map(function(name, form) declared_look(as.name(name), form, s$engine),
      with_names(columns, columns), s$engine$forms(s, columns, call)))
}

# A decimal column with so many digits, so many of them behind the point.
decimal_form <- function(word, precision, scale) {
  c(list(form = "decimal", word = word),
    if (scale <= most_places) list(places = scale, largest = 10^(precision - scale)))
}

#' Asks between which ends numbers lie of which only the declaration is known.
#' @return Was there any such column?
#' @noRd
look_closer <- function(s, columns, call = NULL) {
  cells <- known_cells(s, columns, call)
  open <- columns[vapply(cells, function(one) isFALSE(one$seen), NA)]
  if (!length(open)) return(FALSE)
  found <- ask_cells(s,
    lapply(with_names(open, open), function(name) ends_of(as.name(name), s$engine)), call)
  for (name in open) {
    if (is_endless(found[[name]])) stop_endless(sprintf("`%s` of %s", name, s$name), call)
    s$known[[paste0("cells of ", name)]] <- replace(cells[[name]], c("largest", "seen"),
      list(largest_of(found[[name]]), TRUE))
  }
  TRUE
}

ends_of <- function(x, engine) list(least = engine$text(call("min", x, na.rm = TRUE)),
  most = engine$text(call("max", x, na.rm = TRUE)))

largest_of <- function(found) max(0, abs(as.numeric(c(found$least, found$most))), na.rm = TRUE)

# What is to be asked of a column besides.
declared_look <- function(x, form, engine) {
  ends <- ends_of(x, engine)
  switch(form$form, long = ends, date = ,
    time = if (!is.null(engine$dated)) looked_days(engine$column(x, form$form), engine),
    decimal = if (is.null(form$places)) c(ends,
      list(places = call("max", places_of_decimal(x), na.rm = TRUE))),
    real = c(ends, list(places = most_places_in(x, engine, engine$cents %||% most_places)),
      if (!is.null(engine$endless)) list(endless = count_where(engine$endless(x)))))
}

most_places_in <- function(x, engine, most = most_places) {
  call("max", places_of_real(x, magnitude = engine$magnitude %||% magnitude_of, most = most),
    na.rm = TRUE)
}

looked_days <- function(x, engine) {
  c(ends_of(dated_cell(x, engine), engine),
    list(undated = count_where(inside("&", call("!", call("is.na", x)),
      call("!", engine$dated(x))))))
}

declared_cell <- function(form, found, s, name, call = NULL) {
  if (is_endless(found)) stop_endless(sprintf("`%s` of %s", name, s$name), call)
  kind <- switch(form$form, whole = , long = , decimal = , real = , single = "number", date = ,
    time = , moment = "date", text = , word = "text", form$form)
  seen <- kind == "number" && !is.null(found$most)
  largest <- if (seen) largest_of(found) else form$largest %||% 2^32
  names <- form$form == "long" && largest > 2^53
  places <- as.numeric(form$places %||% found$places %||% 0)
  if (is.na(places)) places <- 0
  list(type = if (names) "text" else kind, form = form$form, word = form$word, largest = largest,
    real = form$form == "real",
    places = switch(form$form, whole = , long = 0L, real = certain_places(places, largest),
      decimal = if (places > most_places) NA_integer_ else as.integer(places), NA_integer_),
    given = isTRUE(form$given), text = 0, blank = NA_real_, mixed = FALSE, names = names,
    undated = found$undated,
    range = if (kind == "date" &&
      !is.null(found$most)) as.numeric(read_day(c(found$least, found$most))),
    seen = if (form$form %in% c("whole", "decimal")) seen)
}

# Of numbers that are written out, the ends of a column or totals: is one none?
endless_words <- c("NaN", "nan", "Infinity", "-Infinity", "inf", "-inf")
is_endless <- function(found) any(c(found$least, found$most) %in% endless_words) ||
  isTRUE(found$endless > 0)

stop_endless <- function(what, call = NULL) stop_data("not_finite",
  sprintf("%s has a value that is not a finite number.", what), call = call)

# Cells that have types of their own -------------------------------------------------

looked_cells <- function(s, columns, call = NULL) {
  found <- ask_cells(s, first_looks(s, columns, call), call)
  more <- Filter(length,
    Map(function(name, cells) second_look(name, cells, s$engine), columns, found))
  if (length(more)) {
    seen <- ask_cells(s, more, call)
    found[names(seen)] <- Map(c, found[names(seen)], seen)
  }
  lapply(found, read_cells)
}

first_look <- function(name, engine) {
  x <- as.name(name)
  kinds <- engine$kinds(x)
  text <- call("case_when", call("~", inside("&", kinds$text, engine$filled(x)), x))
  number <- call("case_when", call("~", inside("|", kinds$whole, kinds$real), x))
  c(lapply(kinds, count_where),
    list(given = call("sum",
      call("case_when", call("~", call("is.na", text), 0L), call("~", TRUE, 1L)), na.rm = TRUE),
      least = call("min", text, na.rm = TRUE), most = call("max", text, na.rm = TRUE),
      largest = call("max", call("abs", number), na.rm = TRUE)))
}

# Second scan of the column; no expressions if the first scan was sufficient.
second_look <- function(name, cells, engine) {
  x <- as.name(name)
  ends <- c(cells$least, cells$most)
  list_of <- list()
  if (isTRUE(cells$real > 0)) {
    list_of$places <- call("max", places_of_real(x, call("!", engine$kinds(x)$real)), na.rm = TRUE)
  }
  if (isTRUE(cells$given > 0) && all(grepl("^[0-9]{4}-[0-9]{2}-[0-9]{2}$", ends))) {
    list_of$dates <- count_where(inside("&", engine$kinds(x)$text, engine$date(x)))
  }
  list_of
}

read_cells <- function(found) {
  number <- function(name) if (length(found[[name]]) &&
    !is.na(found[[name]])) as.numeric(found[[name]]) else 0
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
  mixed <- type == "other" && number("blob") == 0
  list(type = type, form = "cell", word = if (mixed) "both numbers and text" else "bytes",
    places = if (type == "number") certain_places(number("places"), number("largest")),
    largest = number("largest"), real = number("real") > 0, text = number("text"),
    blank = number("text") - texts, mixed = mixed, names = names,
    range = if (type == "date") as.numeric(parse_iso_date(c(found$least, found$most))))
}
