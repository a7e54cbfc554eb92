# What a study adds to its questions: 1 million lines, 50,000 customers, in one run. Of each part one
# figure as SVG and PNG and three tables, the page, and the workbook apart; then a page for each
# region, with one figure and three tables. The rows are read once, which is counted.
#
#   Rscript bench/study.R        1 million lines

suppressMessages(library(eggcrate))
n <- as.numeric(c(commandArgs(TRUE), 1)[1]) * 1e6
set.seed(1)
folder <- tempfile("study-")
dir.create(folder)
keys <- sprintf("customer %05d", 1:5e4)
lines <- data.frame(customer = sample(keys, n, TRUE), region = sprintf("region %02d", sample.int(10, n, TRUE)),
  order_date = as.Date("2024-01-01") + sample(0:730, n, TRUE), sales = round(rlnorm(n, 3, 1), 2))
data.table::fwrite(lines, file.path(folder, "orders.csv"))
rm(lines)

part <- function(name, command, ...) c("[[part]]", sprintf("name = \"%s\"", name), sprintf("command = \"%s\"", command), "of = \"sum(sales)\"", ...)
head <- c("eggcrate = 1", "[source]", "file = \"orders.csv\"", "date = \"order_date\"")
parts <- c(
  part("few", "pareto", "by = \"customer\"", "tables = [\"items\", \"totals\", \"thresholds\"]"),
  part("tiers", "tiers", "by = \"customer\"", "tables = [\"items\", \"tiers\", \"totals\"]"),
  part("regions", "standings", "by = \"region\"", "tables = [\"items\", \"totals\", \"thresholds\"]"),
  part("year", "pareto", "by = \"customer\"", "where = \"in_period(order_date, latest(year))\"", "tables = [\"items\", \"totals\", \"thresholds\"]"))
writeLines(c(head, parts), file.path(folder, "all.toml"))
writeLines(c("eggcrate = 1", "for_each = \"region\"", head[-1], parts[1:6]), file.path(folder, "each.toml"))
writeLines(c(head, parts[1:6]), file.path(folder, "one.toml"))

now <- function() proc.time()[["elapsed"]]
clock <- new.env()
timed <- function(name) {
  own <- getFromNamespace(name, "eggcrate")
  clock[[name]] <- 0
  assignInNamespace(name, function(...) {
    start <- now()
    on.exit(clock[[name]] <- clock[[name]] + now() - start)
    own(...)
  }, "eggcrate")
}
reads <- 0
read_typed <- getFromNamespace("read_typed", "eggcrate")
assignInNamespace("read_typed", function(...) {
  reads <<- reads + 1
  read_typed(...)
}, "eggcrate")
for (name in c("write_workbook", "study_book", "run_parts", "check_parts", "source_file", "run_each", "write_each")) timed(name)

run <- function(name, out) {
  for (step in ls(clock)) clock[[step]] <- 0
  reads <<- 0
  start <- now()
  run_study(file.path(folder, name), file.path(folder, out), quiet = TRUE)
  c(all = now() - start, mget(ls(clock), clock), reads = reads)
}
invisible(run("one.toml", "warm"))
all <- run("all.toml", "all")
page <- all$all - all$write_workbook - all$study_book - all$run_parts - all$check_parts - all$source_file
each <- run("each.toml", "each")
pages <- length(list.files(file.path(folder, "each", "each")))
cat(sprintf("%s lines, 4 parts\n", format(n, big.mark = ",")))
row <- function(what, value, limit = NA) cat(sprintf("%-52s %7.2f%s\n", what, value, if (is.na(limit)) "" else sprintf("   (limit %s)", limit)))
row("opening the file, reading and checking, s", all$source_file + all$check_parts)
row("the questions, s a part", all$run_parts / 4)
row("page, figures and tables, s a part", page / 4, 0.8)
row("workbook, s a part", (all$write_workbook + all$study_book) / 4)
row("a page for each, its questions besides, s a page", each$write_each / pages, 0.5)
row("the questions of a page for each, s a page", each$run_each / pages)
row("times that rows were read", all$reads, 1)
unlink(folder, recursive = TRUE)
if (page / 4 > 0.8 || each$write_each / pages > 0.5 || all$reads != 1) quit(status = 1)
