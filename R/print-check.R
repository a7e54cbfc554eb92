# What a look through a file found, as text.

#' @rdname check_sales
#' @param x What `check_sales()` returned.
#' @param width How many letters a line may have.
#' @export
print.eggcrate_check <- function(x, width = getOption("width"), ...) {
  print_lines(format(x, width = width))
  invisible(x)
}

#' @rdname check_sales
#' @export
format.eggcrate_check <- function(x, width = getOption("width"), ...) {
  check_shown(width = width)
  found <- x$findings
  c(
    bold(sprintf("%s: %s, %s", x$name, count_of(x$rows, "row"),
      count_of(nrow(x$columns), "column"))), "",
    text_table(x$columns, c(values = "count", blank = "count", different = "count"), width), "",
    if (NROW(found)) {
      c(bold("What is odd, or was converted"),
        text_table(found, c(n = "count", row = "count"), width))
    } else {
      "Nothing odd was found."
    }
  )
}

text_table <- function(table, formats, width) {
  cells <- Map(function(column, name) {
    number <- is.numeric(column) || identical(unname(formats[name]), "figure")
    text <- if (identical(unname(formats[name]), "count")) {
      format_count(column)
    } else {
      as.character(column)
    }
    text[is.na(column)] <- ""
    align(c(name, cut_text(text, 44L)), if (number) "right" else "left")
  }, table, names(table))
  lines <- strtrim(trimws(do.call(paste, c(unname(cells), list(sep = "  "))), "right"),
    max(40L, width))
  c(muted(lines[1L]), lines[-1L])
}
