#' How figures and names are shown
#'
#' Sets once, for tables and figures alike, how columns are called and how numbers are
#' written. Files of data (CSV, JSON) are not touched: they carry full precision.
#'
#' @param labels Names to show for columns and measures: `c(net_sales = "Net sales")`. After `|`
#'   follows the plural of an item: `c(salesperson = "rep | reps")`; by default the plural is made
#'   by the rules for English nouns.
#' @param currency A sign for amounts of money, such as `"€"`.
#' @param money Names of the columns that are money: `c("net_sales", "profit")`; by default those
#'   of the ranking measure that have decimals. A measure is money when it is a sum, mean, extreme,
#'   median or difference of such columns, times or by a number or a count; money by money is not.
#' @param unit `"one"`, `"thousand"` or `"million"`: what amounts of money are counted in.
#' @param decimals How many decimals money has; by default 2, and 1 in thousands or
#'   millions.
#' @param percent Names of measures that are parts of a whole and read as percentages:
#'   `"margin"`.
#' @param bars Columns of numbers with bars next to them: `"units"`, or `c(units = 12000)` for bars
#'   that end at that value; by default the ranking measure, up to its greatest.
#' @param muted Columns to show in grey: `"units"`.
#' @param columns Columns that tables show, in this order, by their names in the result:
#'   `c("net_sales", "to_next")`. The items are always shown. The setting has no effect on results
#'   that have none of these columns.
#' @param lines Reference lines in charts of ranked bars, one for a measure:
#'   `c(net_sales = 100000)`.
#' @param colours Colours of marks, by the name of the mark: `c(best = "#2E7D5B")`. A mark without a
#'   name has its selection as name, such as `"top(3)"`.
#' @param signs Columns whose cells are coloured by their sign, below and above zero: `"change"`.
#' @param font The face that figures are set in, by its name; by default the first of Inter, Source
#'   Sans 3, Lato and Open Sans that is installed, else what R draws with.
#' @param base_size Text size of charts in points, 13 by default.
#' @param locale How numbers are marked: `"en"` 1,234.5; `"de"`, `"es"`, `"it"`, `"nl"`
#'   1.234,5; `"fr"`, `"sv"` 1 234,5; `"ch"` 1'234.5. Words stay English.
#' @param ... Must be empty.
#' @returns The settings that were in force before, invisibly: a list that
#'   `options(eggcrate.display = )` takes back. Without arguments the settings return to
#'   what they are by default.
#' @section Errors: `eggcrate_error_unknown_value` for a setting that cannot be.
#' @export
#' @examples
#' before <- display_settings(labels = c(net_sales = "Net sales"), currency = "€",
#'   unit = "thousand")
#' standings(demo_orders(), of = sum(net_sales), by = category)
#' display_settings(bars = c(units = 50000), muted = "profit", money = c("net_sales", "profit"))
#' standings(demo_orders(), of = sum(net_sales), by = category,
#'   also = c(units = sum(units), profit = sum(profit)))
#' options(eggcrate.display = before)
display_settings <- function(..., labels = NULL, currency = NULL, money = NULL, unit = "one",
  decimals = NULL, percent = NULL, bars = NULL, muted = NULL, font = NULL, base_size = NULL,
  locale = "en", columns = NULL, lines = NULL, colours = NULL, signs = NULL) {
  call <- sys.call()[1L]
  check_no_dots(..., call = call)
  settings <- new_display(labels, currency, unit, decimals, percent, locale, money, bars, muted,
    font,
    base_size, columns, lines, colours, signs, call)
  invisible(options(eggcrate.display = settings)[[1L]])
}

# One table of all settings: `kind`, how a value is read in a study and on the command line ("text",
# "number"; "texts", a list; "columns", names separated by commas; "names", "values" and "bars",
# texts, numbers, or numbers that may be missing, by name); `columns`: is it about columns? And, if
# the command line has it, `value`, `help`, `example`, and `option`, if that has another name.
display_keys <- list(
  labels = list(kind = "names", option = "label", value = "NAME=TEXT", columns = TRUE,
    example = "net_sales=Net sales",
    help = paste("what to call a column or measure, such as 'net_sales=Net sales', or with a",
      "plural, 'salesperson=rep | reps'")),
  currency = list(kind = "text", value = "SIGN", help = "a sign for amounts of money"),
  money = list(kind = "texts", value = "COLUMN", columns = TRUE,
    help = paste("a column that is money, such as net_sales [those of the ranking measure that",
      "have decimals]")),
  unit = list(kind = "text", value = "UNIT",
    help = "one, thousand or million: what amounts are counted in [one]"),
  decimals = list(kind = "number", value = "N",
    help = "decimals of amounts [2, or 1 in thousands and millions]"),
  percent = list(kind = "texts", value = "NAME", columns = TRUE,
    help = "a measure that reads as a percentage, such as margin"),
  bars = list(kind = "bars", value = "COLUMN", columns = TRUE, example = "units=12000",
    help = "a column to draw bars in, such as units, or 'units=12000' for bars that end there"),
  muted = list(kind = "texts", value = "COLUMN", columns = TRUE, help = "show this column in grey"),
  lines = list(kind = "values", value = "MEASURE=VALUE", columns = TRUE,
    example = "net_sales=100000",
    help = "reference line in charts of ranked bars, such as 'net_sales=100000'"),
  colours = list(kind = "names", value = "MARK=COLOUR", example = "best=#2E7D5B",
    help = "colour of a mark, such as 'best=#2E7D5B'"),
  signs = list(kind = "texts", value = "COLUMN", columns = TRUE,
    help = "colour the cells of this column by their sign, below and above zero"),
  columns = list(kind = "columns", value = "COLUMNS", columns = TRUE,
    commands = c("standings", "pareto", "tiers", "quadrants", "changes", "targets"),
    help = paste("columns to show in tables and workbooks, in this order, such as 'net_sales,",
      "to_next' [all that fit]")),
  locale = list(kind = "text", value = "CODE",
    help = "how numbers are marked: en, de, es, fr, it, nl, sv or ch [en]"),
  font = list(kind = "text"), base_size = list(kind = "number"))

# Kinds that the command line accepts several times.
repeated_kinds <- c("names", "texts", "values", "bars")

# Settings about columns or measures.
column_settings <- function() names(Filter(function(key) isTRUE(key$columns), display_keys))

# The option of a setting.
display_option <- function(name) {
  option <- display_keys[[name]]$option
  if (is.null(option)) name else option
}

#' Options of the command line for the settings.
#' @noRd
display_options <- function() {
  shown <- Filter(function(key) !is.null(key$help), display_keys)
  options <- lapply(shown, function(key) {
    several <- key$kind %in% repeated_kinds
    Filter(Negate(is.null), list(value = key$value, commands = key$commands,
      help = paste0(key$help, if (several) "; may be repeated"), repeated = if (several) TRUE))
  })
  stats::setNames(options, vapply(names(shown), display_option, ""))
}

#' Display settings as a value.
#' @noRd
new_display <- function(labels = NULL, currency = NULL, unit = "one", decimals = NULL,
  percent = NULL, locale = "en", money = NULL, bars = NULL, muted = NULL, font = NULL,
  base_size = NULL,
  columns = NULL, lines = NULL, colours = NULL, signs = NULL, call = NULL) {
  check_choice(unit, names(money_units), "unit", call)
  check_choice(locale, names(number_marks), "locale", call)
  if (is.list(labels)) labels <- unlist(labels)
  if (!is.null(labels) &&
    (!is.character(labels) || is.null(names(labels)) || any(!nzchar(names(labels))))) {
    stop_eggcrate("call", "unknown_value",
      "`labels` must be names to show, such as c(net_sales = \"Net sales\").", call = call)
  }
  if (!is.null(decimals) &&
    (!is.numeric(decimals) || length(decimals) != 1L || !decimals %in% 0:6)) {
    stop_eggcrate("call", "unknown_value",
      sprintf("`decimals` must be a whole number from 0 to 6, not %s.", describe(decimals)),
      call = call)
  }
  check_display_names(percent, "percent", "measures", call)
  check_display_names(money, "money", "columns", call)
  check_display_names(muted, "muted", "columns", call)
  check_display_names(columns, "columns", "columns", call)
  check_display_names(signs, "signs", "columns", call)
  check_lines(lines, call)
  check_colours(colours, call)
  if (!is.null(font) && (!is.character(font) || length(font) != 1L || is.na(font))) {
    stop_eggcrate("call", "unknown_value",
      sprintf("`font` must be the name of a face, not %s.", describe(font)),
      call = call)
  }
  if (!is.null(base_size)) check_how_many(base_size, "base_size", 4, call)
  plurals <- NULL
  for (i in grep("^[^|]*[^| ][^|]*[|][^|]*[^| ][^|]*$", labels)) {
    parts <- trimws(strsplit(labels[[i]], "|", fixed = TRUE)[[1L]])
    labels[i] <- parts[1L]
    plurals[parts[1L]] <- parts[2L]
  }
  list(font = font, base_size = base_size, labels = labels, plurals = plurals, currency = currency,
    unit = unit, decimals = decimals, percent = percent, locale = locale, money = money,
    bars = read_bars(bars, call), muted = muted, columns = columns, lines = lines,
    colours = colours, signs = signs)
}

check_display_names <- function(x, arg, what, call = NULL) {
  if (!is.null(x) && (!is.character(x) || anyNA(x))) {
    stop_eggcrate("call", "unknown_value",
      sprintf("`%s` must be names of %s, not %s.", arg, what, describe(x)), call = call)
  }
}

check_lines <- function(x, call = NULL) {
  if (!is.null(x) &&
    !(is.numeric(x) && length(names(x)) && all(nzchar(names(x))) && all(is.finite(x)))) {
    stop_eggcrate("call", "unknown_value",
      sprintf("`lines` must be values by measure, not %s.", describe(x)),
      i = "Write `lines = c(net_sales = 100000)`.", call = call)
  }
}

check_colours <- function(x, call = NULL) {
  known <- function(colour) tryCatch(is.matrix(grDevices::col2rgb(colour)),
    error = function(e) FALSE)
  named <- is.null(x) || is.character(x) && !anyNA(x) && length(names(x)) && all(nzchar(names(x)))
  if (!named || !all(vapply(unname(x), known, NA))) {
    stop_eggcrate("call", "unknown_value",
      sprintf("`colours` must be colours by the name of a mark, not %s.", describe(x)),
      i = "A colour has six hexadecimal digits, such as #2E7D5B, or a name that R knows.",
      call = call)
  }
}

# Where bars end, by column: missing for the greatest value.
read_bars <- function(bars, call = NULL) {
  if (is.character(bars) && !anyNA(bars)) {
    return(with_names(rep(NA_real_, length(bars)), bars))
  }
  named <- is.numeric(bars) && !is.null(names(bars)) && all(nzchar(names(bars)))
  if (!is.null(bars) && !(named && all(is.na(bars) | is.finite(bars) & bars > 0))) {
    stop_eggcrate("call", "unknown_value",
      sprintf("`bars` must be names of columns, or where their bars end, not %s.", describe(bars)),
      i = "Write `bars = \"units\"` or `bars = c(units = 12000)`.", call = call)
  }
  bars
}

# What is in force while something is shown.
the <- new.env(parent = emptyenv())

#' Shows with settings of its own: what is asked, printed and drawn in `code` has these,
#' whatever the session's are.
#' @param settings From `new_display()`.
#' @noRd
with_display <- function(settings, code) {
  before <- the$display
  on.exit(the$display <- before)
  the$display <- settings
  force(code)
}

# Evaluates code with these columns; the other settings stay.
with_display_columns <- function(columns, code) {
  settings <- the$display %||% getOption("eggcrate.display") %||% new_display()
  with_display(replace(settings, "columns", list(columns)), code)
}

money_units <- c(one = 1, thousand = 1e3, million = 1e6)

number_marks <- list(
  en = c(",", ".", "%"), de = c(".", ",", " %"), es = c(".", ",", " %"), it = c(".", ",", "%"),
  nl = c(".", ",", "%"),
  fr = c("\u00a0", ",", "\u00a0%"), sv = c("\u00a0", ",", "\u00a0%"), ch = c("'", ".", "%")
)

# One setting: of those given with `with_display()`, else of the session's.
display <- function(setting) (the$display %||% getOption("eggcrate.display"))[[setting]]

marks <- function() number_marks[[display("locale") %||% "en"]]

# The name of a column or measure as it was asked to be shown, else `otherwise`.
shown_name <- function(name, otherwise = name) {
  known <- names(display("labels"))
  ifelse(name %in% known, unname(display("labels")[match(name, known)]), otherwise)
}

# What is handed over does not depend on what the terminal can show.
with_all_signs <- function(code) {
  before <- options(cli.unicode = TRUE, cli.num_colors = 1L)
  on.exit(options(before))
  force(code)
}
