# Moving a threshold at the desk, as the browser sees it: 1 million lines, 50,000 customers, the median of
# 20 moves. Needs Chromium and chromote; the bench says so where they are not there.
#
#   Rscript bench/desk.R        1 million lines

if (!requireNamespace("chromote", quietly = TRUE) || !nzchar(Sys.which("chromium"))) {
  cat("The desk was not measured: chromote or Chromium is not installed.\n")
  quit()
}
suppressMessages({
  library(testthat)
  library(eggcrate)
})
for (helper in c("command", "desk")) source(file.path("tests", "testthat", sprintf("helper-%s.R", helper)))

n <- as.numeric(c(commandArgs(TRUE), 1)[1]) * 1e6
set.seed(1)
path <- tempfile(fileext = ".csv")
data.table::fwrite(data.frame(customer = sample(sprintf("customer %05d", 1:5e4), n, TRUE), sales = round(rlnorm(n, 3, 1), 2)), path)

measure <- function() {
  skip_without_browser()
  desk <- start_desk(path)
  page <- open_page(desk$address)
  page$choose("#sentence [data-field=kind]", "pareto")
  mark <- function(name) as.numeric(page$js(sprintf("document.documentElement.getAttribute('data-%s')", name)))
  moves <- vapply(40 + (1:20 * 7) %% 50, function(value) {
    page$js(sprintf("(function(){var s=document.querySelector('.slide');s.value=%d;s.dispatchEvent(new Event('input',{bubbles:true}))})()", value))
    page$rest()
    c(answer = mark("took"), figure = mark("drew"))
  }, c(answer = 0, figure = 0))
  apply(moves, 1L, stats::median)
}
found <- measure()
unlink(path)
cat(sprintf("%s lines, 50,000 customers, median of 20 moves\n", format(n, big.mark = ",")))
cat(sprintf("%-40s %6.0f ms   (limit 200)\n", "the answer is on the page", found[["answer"]]))
cat(sprintf("%-40s %6.0f ms   (limit 600)\n", "its figure is", found[["figure"]]))
if (found[["answer"]] > 200 || found[["figure"]] > 600) quit(status = 1)
