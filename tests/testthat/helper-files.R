# Files as people and programs write them, with every kind of cell that a column may have.

odd_cells <- list(
  text = function(n) sample(c("a", "Bc d", "caf\u00e9", "x;y", "long text with words", "NA", "-", "0012", "12", "1.5", "TRUE", "it's", "a\"b", "tab\tin",
    "12345678", "123456789"), n, TRUE),
  name = function(n) sprintf("customer %05d", sample(50, n, TRUE)),
  whole = function(n) sample(c(-5:99, 2147483647), n, TRUE),
  big = function(n) sample(c(1:9, 2147483648, 9999999999), n, TRUE),
  real = function(n) format(round(stats::rnorm(n, 0, 1000), sample(0:6, 1L)), scientific = FALSE, trim = TRUE),
  mixed = function(n) c(sample(1:9, n - 1L, TRUE), sample(c("1.25", "x", "1e5", "007", "1,000", "Inf", "+4", ".5", "5.", "-0", "-0.0", "-", "1 000"), 1L)),
  long = function(n) paste0(sample(9, n, TRUE), ".", vapply(seq_len(n), function(i) paste(sample(0:9, sample(18L, 1L), TRUE), collapse = ""), "")),
  date = function(n) format(as.Date("2020-01-01") + sample(2000, n, TRUE)),
  odd_date = function(n) c(format(as.Date("2020-01-01") + sample(2000, n - 1L, TRUE)),
    sample(c("2023-02-29", "2024-02-29", "2023-13-01", "31.12.2024", "2024-1-1", "2024-01-01T10:00:00", "0000-01-01", "9999-12-31"), 1L)),
  time = function(n) paste0(format(as.Date("2020-01-01") + sample(20, n, TRUE)), "T10:00:00Z"),
  flag = function(n) sample(c("TRUE", "FALSE", "true"), n, TRUE))

odd_column <- function(n, separator) {
  chance <- function(part) stats::runif(1L) < part
  x <- sample(as.character(sample(odd_cells, 1L)[[1L]](n)))
  if (chance(0.4)) x[stats::runif(n) < 0.2] <- ""
  if (chance(0.2)) {
    wide <- stats::runif(n) < 0.3
    x[wide] <- paste0(sample(c(" ", "  ", "\t"), 1L), x[wide], sample(c(" ", "\t", ""), 1L))
  }
  quoted <- grepl(separator, x, fixed = TRUE) | (if (chance(0.3)) stats::runif(n) < stats::runif(1L) else FALSE)
  if (chance(0.1)) {
    x[sample(n, 1L)] <- "two\nlines"
    quoted <- quoted | grepl("\n", x)
  }
  x[quoted] <- gsub("\"", "\"\"", x[quoted])
  ifelse(quoted, paste0("\"", x, "\""), x)
}

# Writes one to `path`; the same for the same seed.
odd_file <- function(seed, path) {
  set.seed(seed)
  chance <- function(part) stats::runif(1L) < part
  n <- sample(c(1L, 2L, 5L, 40L, 1500L), 1L, prob = c(0.1, 0.1, 0.3, 0.4, 0.1))
  k <- sample(6L, 1L)
  separator <- sample(c(",", ";", "\t", "|"), 1L, prob = c(0.6, 0.2, 0.1, 0.1))
  lines <- do.call(paste, c(lapply(seq_len(k), function(i) odd_column(n, separator)), sep = separator))
  if (k == 1L) lines[!nzchar(trimws(lines))] <- "\"\""
  end <- if (chance(0.2)) "\r\n" else "\n"
  text <- paste(c(paste0("c", seq_len(k), collapse = separator), lines), collapse = end)
  text <- paste0(if (chance(0.1)) "\ufeff", text, if (chance(0.8)) end, if (chance(0.05)) "  ")
  if (chance(0.05)) text <- gsub(end, paste0(end, end), text)
  writeBin(charToRaw(enc2utf8(text)), path)
}

monthly_files <- function(folder, write = function(x, path) write.csv(x, path, row.names = FALSE, na = "", quote = TRUE)) {
  orders <- read.csv(orders_path(), check.names = FALSE, colClasses = "character", na.strings = character())
  months <- substr(orders$order_date, 1, 7)
  dir.create(folder)
  for (month in unique(months)) {
    rows <- orders[months == month, ]
    # Columns in another order in some of them.
    if (month > "2025") rows <- rows[rev(names(rows))]
    write(rows, file.path(folder, sprintf("orders-%s.csv", month)))
  }
  folder
}

# `make test` tries few of a promise's cases, `make test-all` all of them.
in_full <- function(all, few) if (identical(Sys.getenv("EGGCRATE_IN_FULL"), "true")) all else few
