# Exact numbers of R: 128-bit integers in the 16 bytes of complex elements, with
# the decimal places (or, for doubles, the binary unit) that all share.

new_exact <- function(value, places, lowest = 0L) {
  list(value = value, places = places, lowest = lowest)
}

exact_real <- function(x) exact_real_(x$value, x$places, x$lowest)

exact_at <- function(x, i) {
  x$value <- x$value[i]
  x
}

exact_running <- function(x, cell = NULL) {
  x$value <- exact_running_(x$value, cell)
  x
}

exact_sum_by <- function(x, group, n) {
  x$value <- exact_sum_by_(x$value, group, n)
  x
}

# Both have the same unit, so a share is one division of integers.
exact_share <- function(part, whole) exact_ratio_(part$value, whole$value)

exact_less <- function(a, b) replace(a, "value", list(exact_combine_(a$value, 1, b$value, -1)))
