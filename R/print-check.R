# What a look through a file found, as text.

#' @rdname check_sales
#' @param x What `check_sales()` returned.
#' @param width Width of a line in characters.
#' @param n How many findings of one kind are shown for each column, 5 by default. `x$findings` has
#'   all.
#' @export
print.eggcrate_check <- function(x, width = getOption("width"), n = shown_of_kind, ...) {
  print_lines(format(x, width = width, n = n))
  invisible(x)
}

#' @rdname check_sales
#' @export
format.eggcrate_check <- function(x, width = getOption("width"), n = shown_of_kind, ...) {
  check_shown(width = width)
  found <- shown_findings(x$findings, n)
  c(
    bold(check_title(x)), "",
    cells_lines(frame_cells(x$columns, check_counts), width), "",
    if (NROW(found$table)) {
      c(bold(odd_title),
        cells_lines(frame_cells(found$table, check_counts), width),
        if (length(found$notes)) c("", found$notes))
    } else {
      nothing_odd
    }
  )
}

shown_of_kind <- 5L

# The first findings of each kind by column, and a note on how many others there are.
shown_findings <- function(findings, n) {
  kind <- paste(findings$column, findings$finding, sep = "\r")
  place <- stats::ave(seq_along(kind), kind, FUN = seq_along)
  of <- unique(kind[place > n])
  if (!length(of)) return(list(table = findings, notes = character()))
  at <- match(of, kind)
  notes <- sprintf("%s: %s of %s findings \u201c%s\u201d shown. The table `findings` lists all.",
    findings$column[at], count_text(n),
    count_text(tabulate(match(kind, of), length(of))), findings$finding[at])
  list(table = findings[place <= n, ], notes = notes)
}

check_title <- function(x) {
  sprintf("%s: %s, %s", x$name, count_of(x$rows, "row"), count_of(nrow(x$columns), "column"))
}
odd_title <- "Unusual or converted"
nothing_odd <- "Nothing odd was found."

# Columns of a look through that count.
check_counts <- c("values", "blank", "different", "n", "row")
