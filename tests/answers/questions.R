# A fixed set of questions asked of the demo data through the command: every command,
# many options. `tools/same-answers` asks them of two builds and compares the bytes.

base_questions <- list(
  c("standings", "--of", "sum(net_sales)", "--by", "customer"),
  c("standings", "--of", "net_sales", "--by", "customer", "--all", "--show", "region"),
  c("standings", "--of", "sum(net_sales)", "--by", "salesperson", "--within", "region"),
  c("standings", "--of", "sum(net_sales)", "--by", "region", "--over", "quarter(order_date)"),
  c("standings", "--of", "per_day(sum(net_sales))", "--by", "region", "--over",
    "month(order_date)", "--where", "in_period(order_date, last(3, month))"),
  c("standings", "--of", "per_day(sum(net_sales), order_date)", "--by", "category", "--where",
    "order_date >= \"2026-01-01\""),
  c("standings", "--of", "margin = sum(profit) / sum(net_sales)", "--by", "customer", "--also",
    "orders = distinct(order_no)", "--also", "sum(profit)", "--having", "sum(net_sales) > 10000"),
  c("standings", "--of", "distinct(order_no)", "--by", "customer", "--within", "region"),
  c("standings", "--of", "median(net_sales)", "--by", "product", "--within", "category"),
  c("standings", "--of", "median(units)", "--by", "town"),
  c("standings", "--of", "mean(net_sales)", "--by", "c(town, region)", "--best", "lowest"),
  c("standings", "--of", "count()", "--by", "category", "--ties", "dense"),
  c("standings", "--of", "max(net_sales)", "--by", "salesperson", "--ties", "average"),
  c("standings", "--of", "sum(units * net_sales)", "--by", "product", "--only", "top(5)"),
  c("standings", "--of", "sum(net_sales, when = category == \"Rope\")", "--by", "region"),
  c("standings", "--of", "sum(net_sales)", "--by", "customer", "--within", "region", "--share-of",
    "all", "--only", "top(2)", "--others"),
  c("standings", "--of", "sum(net_sales)", "--by", "salesperson", "--within", "category", "--over",
    "year(order_date)", "--share-of", "period"),
  c("standings", "--of", "sum(profit)", "--by", "customer", "--share-base", "positive"),
  c("standings", "--of", "sum(profit)", "--by", "customer", "--where",
    "region %in% c(\"Northfirth\", \"Long Strand\") & !is_missing(salesperson)"),
  c("standings", "--of", "sum(net_sales)", "--by", "month(order_date)", "--as-of", "2026-05-31"),
  c("standings", "--of", "sum(net_sales)", "--by", "customer", "--highlight",
    "reaching(\"50%\")", "--at-cut", "drop"),
  c("standings", "--of", "sum(net_sales)", "--by", "product", "--only",
    "top(\"10%\") | bottom(2)", "--highlight", "items(\"Windlass\")"),
  c("standings", "--of", "sum(net_sales)", "--by", "customer", "--where", "units > 1000000"),
  c("standings", "--of", "sum(net_sales)", "--by", "category", "--currency", "$", "--unit",
    "thousand", "--decimals", "2", "--locale", "de", "--label", "net_sales=Net sales"),
  c("pareto", "--of", "sum(net_sales)", "--by", "product"),
  c("pareto", "--of", "sum(net_sales)", "--by", "customer", "--reach", "0.5", "--all"),
  c("pareto", "--of", "sum(net_sales)", "--by", "customer", "--within", "region"),
  c("pareto", "--of", "sum(profit)", "--by", "customer", "--where", "region == \"Northfirth\""),
  c("tiers", "--of", "sum(net_sales)", "--by", "customer"),
  c("tiers", "--of", "sum(net_sales)", "--by", "customer", "--scheme",
    "tiers_by_value(c(A = 50000, B = 10000), rest = \"C\")", "--compare-with",
    "in_period(order_date, previous(year))"),
  c("tiers", "--of", "sum(net_sales)", "--by", "customer", "--within", "region", "--scheme",
    "tiers_by_percentile(c(A = \"5%\", B = \"15%\", C = \"60%\", D = \"20%\"))"),
  c("tiers", "--of", "sum(net_sales)", "--by", "customer", "--also",
    "margin = sum(profit) / sum(net_sales)", "--scheme", "tiers_equal(3, of = margin)"),
  c("tiers", "--of", "count()", "--by", "town", "--scheme",
    "tiers_by_rank(c(A = 10, B = 30), rest = \"C\")", "--only", "in_tier(\"B\")"),
  c("tiers", "--of", "sum(net_sales)", "--by", "customer", "--scheme",
    "tiers_by_share(c(A = \"50%\"), boundary = \"within\")", "--over", "year(order_date)"),
  c("quadrants", "--of", "sum(net_sales)", "--against", "margin = sum(profit) / sum(net_sales)",
    "--by", "customer"),
  c("quadrants", "--of", "sum(net_sales)", "--against", "sum(units)", "--by", "product",
    "--within", "category", "--split-of", "mean", "--split-against", "500", "--also", "count()"),
  c("quadrants", "--of", "sum(net_sales)", "--against", "mean(profit)", "--by", "customer",
    "--groups", "c(\"keep\", \"mend\", \"grow\", \"leave\")", "--only", "top(20)", "--near", "10%"),
  c("changes", "--of", "sum(net_sales)", "--by", "customer", "--over", "month(order_date)"),
  c("changes", "--of", "sum(net_sales)", "--by", "region", "--over", "month(order_date)", "--to",
    "current(month)"),
  c("changes", "--of", "mean(net_sales)", "--by", "salesperson", "--over", "quarter(order_date)",
    "--within", "region", "--from", "2025-Q1", "--to", "2026-Q1"),
  c("changes", "--of", "per_day(sum(net_sales))", "--by", "category", "--over",
    "month(order_date)", "--from", "year_ago(latest(month))", "--tolerance", "5%"),
  c("changes", "--of", "sum(net_sales)", "--by", "customer", "--over", "quarter(order_date)",
    "--show", "region", "--lost-after", "90", "--only", "class == \"lost\""),
  c("targets", "--of", "sum(net_sales)", "--by", "region", "--over", "month(order_date)",
    "--where", "in_period(order_date, latest(month))", "--target", "@targets.csv"),
  c("targets", "--of", "sum(net_sales)", "--by", "salesperson", "--over", "quarter(order_date)",
    "--target", "previous()", "--incomplete"),
  c("targets", "--of", "sum(net_sales)", "--by", "region", "--over", "month(order_date)",
    "--target", "year_ago()", "--exceed-at", "1.1"),
  c("targets", "--of", "sum(net_sales)", "--by", "customer", "--target", "50000", "--where",
    "region == \"Saltmarsh\""),
  c("targets", "--of", "sum(net_sales)", "--by", "region", "--over", "month(order_date)",
    "--target", "@targets.csv", "--incomplete", "--prorate", "--where",
    "in_period(order_date, current(month))"),
  c("extremes", "--of", "sum(net_sales)", "--by", "salesperson", "--over", "quarter(order_date)"),
  c("extremes", "--of", "margin = sum(profit) / sum(net_sales)", "--by", "customer", "--within",
    "region"),
  c("grid", "--of", "sum(net_sales)", "--by", "region", "--across", "quarter(order_date)",
    "--along", "rows"),
  c("grid", "--of", "per_day(sum(net_sales))", "--by", "category", "--across",
    "month(order_date)", "--where", "in_period(order_date, last(12, month))"),
  c("grid", "--of", "mean(net_sales)", "--by", "region", "--across", "category", "--shade",
    "value", "--figures", "yes"),
  c("grid", "--of", "sum(profit)", "--by", "month(order_date)", "--across", "region", "--shade",
    "value", "--centre", "0"),
  c("movement", "--of", "sum(net_sales)", "--by", "customer", "--over", "quarter(order_date)"),
  c("movement", "--of", "sum(net_sales)", "--by", "salesperson", "--over", "month(order_date)",
    "--scheme", "tiers_equal(3)", "--from", "2025-05", "--to", "2026-04"),
  c("concentration", "--of", "sum(net_sales)", "--by", "customer"),
  c("concentration", "--of", "sum(net_sales)", "--by", "customer", "--within", "region",
    "--compare-with", "in_period(order_date, year_ago(year_to_date))", "--where",
    "in_period(order_date, year_to_date)"),
  c("intervals", "--of", "sum(net_sales)", "--by", "salesperson", "--orders", "order_no",
    "--times", "200"),
  c("intervals", "--of", "sum(net_sales)", "--by", "customer", "--within", "region", "--orders",
    "order_no", "--times", "50", "--level", "80%", "--seed", "7"),
  c("findings", "--of", "sum(net_sales)", "--by", "customer", "--over", "quarter(order_date)",
    "--against", "margin = sum(profit) / sum(net_sales)", "--scheme",
    "tiers_by_rank(c(A = 10, B = 50))"),
  c("why", "--of", "sum(net_sales)", "--by", "customer", "--item", "Varlow Boatyard"),
  c("why", "--of", "sum(net_sales)", "--by", "customer", "--within", "region", "--scheme",
    "tiers_equal(4)", "--item", "Merrisk Ferries")
)

# Tables besides the main one, and wrong calls.
further_questions <- list(
  c(base_questions[[1L]], "--table", "totals"), c(base_questions[[1L]], "--table", "thresholds"),
  c(base_questions[[1L]], "--table", "receipt", "--format", "csv"),
  c("standings", "--of", "sum(net_sales)", "--by", "customer", "--within", "region", "--table",
    "tiles", "--layout", "@region-tiles.csv"),
  c("tiers", "--of", "sum(net_sales)", "--by", "region", "--table", "tiles", "--layout",
    "@region-tiles.csv", "--scheme", "tiers_equal(3)", "--format", "csv"),
  c("tiers", "--of", "sum(net_sales)", "--by", "customer", "--table", "tiers"),
  c("quadrants", "--of", "sum(net_sales)", "--against", "sum(profit)", "--by", "region",
    "--table", "quadrants"),
  c("changes", "--of", "sum(net_sales)", "--by", "customer", "--over", "month(order_date)",
    "--table", "bridge"),
  c("changes", "--of", "sum(net_sales)", "--by", "customer", "--over", "month(order_date)",
    "--table", "classes", "--format", "csv"),
  c("targets", "--of", "sum(net_sales)", "--by", "region", "--target", "100000", "--table",
    "statuses"),
  c("movement", "--of", "sum(net_sales)", "--by", "customer", "--over", "quarter(order_date)",
    "--table", "transitions"),
  c("movement", "--of", "sum(net_sales)", "--by", "customer", "--over", "quarter(order_date)",
    "--table", "totals", "--format", "csv"),
  c("grid", "--of", "sum(net_sales)", "--by", "region", "--across", "quarter(order_date)",
    "--table", "totals"),
  c("standings", "--of", "sum(net_sale)", "--by", "customer"),
  c("standings", "--of", "sum(region)", "--by", "customer"),
  c("standings", "--of", "avg(net_sales)", "--by", "customer"),
  c("standings", "--by", "customer"), c("standings", "--of", "sum(net_sales)"),
  c("standings", "--of", "budget / net_sales", "--by", "customer"),
  c("pareto", "--of", "mean(net_sales)", "--by", "customer"),
  c("pareto", "--of", "sum(net_sales)", "--by", "customer", "--reach", "80"),
  c("tiers", "--of", "sum(net_sales)", "--by", "customer", "--scheme",
    "tiers_by_value(c(A = 10, B = 50))"),
  c("changes", "--of", "sum(net_sales)", "--by", "customer", "--over", "month(order_date)",
    "--to", "2019-01"),
  c("standings", "--of", "sum(net_sales)", "--by", "customer", "--only", "items(\"Varlov\")"),
  c("grid", "--of", "sum(net_sales)", "--by", "region"),
  c("targets", "--of", "sum(net_sales)", "--by", "region"),
  c("why", "--of", "sum(net_sales)", "--by", "customer"),
  c("standings", "--of", "sum(net_sales)", "--by", "customer", "--where", "region = 1"),
  c("--help"), c("standings", "--help"), c("grid", "--help"), c("check", "--help"),
  c("check"), c("demo", "--help"), c("nothing")
)

forms <- list(
  standings = c("table", "csv", "json", "html"), why = c("table", "csv", "json"),
  findings = c("table", "csv", "json")
)

all_questions <- function() {
  every <- lapply(base_questions, function(question) {
    known <- forms[[question[1L]]]
    if (is.null(known)) known <- forms$standings
    lapply(known, function(form) c(question, "--format", form))
  })
  c(unlist(every, recursive = FALSE), further_questions)
}

# Asks all of them with the package that is on the path, in this process, and leaves
# what each wrote, to where and with which code.
answer_all <- function(folder) {
  data <- system.file("extdata", package = "eggcrate")
  dir.create(folder, recursive = TRUE, showWarnings = FALSE)
  questions <- all_questions()
  for (i in seq_along(questions)) {
    question <- questions[[i]]
    at <- startsWith(question, "@")
    question[at] <- file.path(data, substring(question[at], 2L))
    asked <- !startsWith(question[1L], "--") && !any(question == "--help") &&
      !question[1L] %in% c("demo", "nothing")
    if (asked) question <- append(question, file.path(data, "orders.csv"), after = 1L)
    path <- file.path(folder, sprintf("%03d", i))
    err <- file(paste0(path, ".err"), "w")
    sink(paste0(path, ".out"))
    sink(err, type = "message")
    status <- tryCatch(eggcrate::run_command(question),
      error = function(e) paste("error:", conditionMessage(e)))
    sink(type = "message")
    sink()
    close(err)
    writeLines(c(questions[[i]], "", status), paste0(path, ".asked"))
    # Where the data lies differs from library to library.
    for (end in c(".out", ".err")) {
      lines <- readLines(paste0(path, end), warn = FALSE)
      writeLines(gsub(data, "DATA", lines, fixed = TRUE), paste0(path, end), useBytes = TRUE)
    }
  }
  length(questions)
}
