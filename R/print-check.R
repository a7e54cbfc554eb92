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
    bold(check_title(x)), "",
    cells_lines(frame_cells(x$columns, check_counts), width), "",
    if (NROW(found)) {
      c(bold(odd_title),
        cells_lines(frame_cells(found, check_counts), width))
    } else {
      nothing_odd
    }
  )
}

check_title <- function(x) {
  sprintf("%s: %s, %s", x$name, count_of(x$rows, "row"), count_of(nrow(x$columns), "column"))
}
odd_title <- "What is odd, or was converted"
nothing_odd <- "Nothing odd was found."

# Columns of a look through that count.
check_counts <- c("values", "blank", "different", "n", "row")
