# The language on one page: each word of the compiler's tables, with what it means.

language_sections <- list(
  "Measures, what to rank by" = c(
    "sum(x)" = "sum of a column; a column alone means its sum",
    "count()" = "the number of rows", "distinct(x)" = "number of different values",
    "mean(x)" = "the mean", "median(x)" = "the middle value",
    "min(x)" = "minimum", "max(x)" = "maximum",
    "sum(x, when = y)" = paste("sum over the rows that meet condition y; the functions above take",
      "`when` too"),
    "per_day(m)" = "a sum or a count per calendar day",
    "+ - * / ( )" = paste("arithmetic inside, sum(units * price), and between: sum(profit) /",
      "sum(net_sales)"),
    "name = m" = "gives it a name"),
  "Conditions, which rows to use" = c(
    "== !=" = "equal, or not; text is in quotes", "< <= > >=" = "of numbers, dates and periods",
    "x %in% c(a, b)" = "one of these", "between(x, a, b)" = "from a to b, both in",
    "is_missing(x)" = "without a value", "& | !" = "and, or, not",
    "in_period(d, p)" = "the date d is in a period"),
  "Periods of a date, for --over, --by, --across and in conditions" = c(
    "year(d)" = "reads 2026; year(d, starts = 4) is a business year and reads 2026/27",
    "quarter(d)" = "reads 2026-Q1; quarter(d, starts = 4) is one of a business year, 2026/27-Q1",
    "month(d)" = "reads 2026-03", "week(d)" = "ISO 8601, reads 2026-W05",
    "day(d)" = "reads 2026-03-31",
    "date(x)" = paste("a date from text that reads 2026-03-31; date(x, \"dmy\") from 31/03/2026,",
      "also \"mdy\", \"ymd\""),
    "year(x)" = "of a column of whole numbers: these are the years"),
  "Seasons, parts of the calendar, which come again" = c(
    "month_of_year(d)" = "reads 01 Jan; \"Jan\" and 1 are the same",
    "quarter_of_year(d)" = "reads Q1", "weekday(d)" = "reads 1 Mon, Monday first"),
  "Which period, for in_period(), --from and --to" = c(
    "latest(month)" = "the last complete one", "current(month)" = "the one of the latest date",
    "previous(month)" = "the one before the latest", "last(12, month)" = "the last complete ones",
    "year_to_date" = paste("from the first of January; year_to_date(starts = 4),",
      "latest(quarter(starts = 4)) of a business year"),
    "quarter_to_date" = "from the first day of the quarter",
    "month_to_date" = "from the first day of the month",
    "year_ago(p)" = "any of these a year before",
    "2026-03" = "one by its name, as in \"2026\", \"2026-Q1\", \"2026-W05\"",
    "\"2026-04-01/2026-06-30\"" = "from a day to a day"),
  "Selections, for --only and --highlight" = c(
    "top(10)" = "the first ten; top(10%) a tenth of them", "bottom(3)" = "the last three",
    "reaching(80%)" = "the items that account for 80% of the total", "above(x)" = "by the value",
    "at_least(x)" = "x or more", "below(x)" = "less than x", "at_most(x)" = "x or less",
    "in_tier(\"A\")" = "by tier", "items(\"...\")" = "by name; a name in quotes is enough",
    "first_shown(1)" = "the first of the items that --only selects",
    "last_shown(1)" = "the last of these",
    "region == \"...\"" = "by columns of the answer", "& | !" = "and, or, not")
)

language_page <- function(width) {
  wide <- max(nchar(unlist(lapply(language_sections, names))))
  c(fold(paste(
    "Expressions are made of these words; names are columns. A name with spaces is in",
    "backticks. A part of a whole is written 80% or 0.8."), width),
    unlist(lapply(names(language_sections), function(title) {
      words <- language_sections[[title]]
      c("", paste0(title, ":"), two_columns(names(words), words, width, wide))
    })))
}

# The same as a help page of R.
language_rd <- function() {
  # In text roxygen sees to signs of percent, in code it leaves them.
  code <- function(x) gsub("%", "\\%", x, fixed = TRUE)
  unlist(lapply(names(language_sections), function(title) {
    words <- language_sections[[title]]
    c(sprintf("@section %s:", title), "\\describe{",
      sprintf("\\item{\\code{%s}}{%s}", code(names(words)), words), "}")
  }))
}

#' The language of measures, conditions, periods and selections
#'
#' Expressions are R's syntax, read against the closed list below and never run as R code. A bare
#' name is a column, always; `!!x` puts in a value of yours. Each may be given as text as well, as
#' on the command line, where this page is `eggcrate help language`.
#'
#' @name eggcrate_language
#' @eval language_rd()
#' @examples
#' orders <- demo_orders()
#' standings(orders, of = c(margin = sum(profit) / sum(net_sales)), by = customer,
#'   where = in_period(order_date, last(12, month)) & category %in% c("Rope", "Paint"))
NULL
