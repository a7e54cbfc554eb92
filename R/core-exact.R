# Exact numbers of R: 128-bit integers in the 16 bytes of complex elements, with
# the decimal places (or, for doubles, the binary unit) that all share.

new_exact <- function(value, places, lowest = 0L) {
  list(value = value, places = places, lowest = lowest)
}

exact_real <- function(x) doubles_of(x$value, x$places, x$lowest)

# The nearest doubles.
doubles_of <- function(value, places, lowest) {
  exact_real_(value, places, lowest) %||%
    stop_data("too_large", "A total is too large: it is beyond 1.8e308.",
      i = "Divide the amounts by a power of ten.")
}

exact_at <- function(x, i) {
  x$value <- x$value[i]
  x
}

exact_running <- function(x, cell = NULL) {
  x$value <- exact_running_(x$value, cell) %||% stop_too_large()
  x
}

exact_sum_by <- function(x, group, n) {
  x$value <- sum_exact(x$value, group, n)
  x
}

# Totals by group, numbered from 1.
sum_exact <- function(value, group, n) exact_sum_by_(value, group, n) %||% stop_too_large()

stop_too_large <- function() {
  stop_data("too_large", "A total has more than 37 digits.",
    i = "Divide the amounts by a power of ten.")
}

# Both have the same unit, so a share is one division of integers.
exact_share <- function(part, whole) exact_ratio_(part$value, whole$value)

exact_less <- function(a, b) replace(a, "value", list(exact_combine_(a$value, 1, b$value, -1)))
