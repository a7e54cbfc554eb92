# Results in documents: tables in HTML, otherwise text.

#' Results in a document
#'
#' In a document that becomes HTML a result is shown as its [html_table()], elsewhere as it is
#' printed.
#'
#' @param x A result of eggcrate.
#' @param ... Ignored.
#' @returns What knitr takes as it is.
#' @name knit_print.eggcrate_answer
#' @exportS3Method knitr::knit_print
#' @examplesIf requireNamespace("knitr", quietly = TRUE)
#' knitr::knit_print(standings(demo_orders(), of = sum(net_sales), by = region))
knit_print.eggcrate_answer <- function(x, ...) {
  tabled <- inherits(x, c("eggcrate_standings", html_results))
  if (tabled && knitr::is_html_output() && requireNamespace("htmltools", quietly = TRUE)) {
    knitr::asis_output(paste0("\n\n", as.character(html_table(x)), "\n\n"))
  } else {
    knit_letters(x)
  }
}

#' @exportS3Method knitr::knit_print
knit_print.eggcrate_why <- function(x, ...) knit_print.eggcrate_answer(x, ...)

#' @exportS3Method knitr::knit_print
knit_print.eggcrate_check <- function(x, ...) knit_print.eggcrate_answer(x, ...)

#' @exportS3Method knitr::knit_print
knit_print.eggcrate_scheme <- function(x, ...) knit_letters(x)

knit_letters <- function(x) {
  knitr::asis_output(paste(c("\n\n```", cli::ansi_strip(format(x)), "```\n\n"), collapse = "\n"))
}
