# Random questions, options, files and calls, by a seed: whatever they are, they are answered or
# refused with an error of our own.

one_of <- function(x) x[[sample.int(length(x), 1L)]]

odd_texts <- c("", " ", "NA", "a", "k", "v", "\u00e9\u6771", "`", "\"", "'", "(", "c(", "%", "$", "\\", "k v",
  "1e999", "-0", "0x1F", "TRUE", "NULL", "if", "function(x) x", "\033[31m", "a\nb", strrep("x", 3000),
  "2026-02-30", "9999-12-31", "80%", "-5", "k == 'a'", "sum(v)", "month(day)", "v > 1 &", "..1", "@")

odd_values <- function() {
  list(NULL, NA, NaN, Inf, -1, 0, 1, 1.5, 1e300, 2L, TRUE, character(), numeric(), c(1, NA), letters,
    list(), list(1, "a"), as.raw(1), 1i, as.Date("2026-01-01"), as.Date(NA), Sys.time(), factor("a"),
    quote(v), quote(sum(v)), quote(f(x)), mean, new.env(), data.frame(), data.frame(k = "a", v = 1),
    matrix(1:4, 2), one_of(odd_texts), as.difftime(1, units = "days"), y ~ x, NA_character_)
}

fuzz_data <- function() {
  n <- one_of(c(0L, 1L, 2L, 12L))
  x <- data.frame(k = sample(c("a", "b", "\u00e9", NA, ""), n, TRUE), g = sample(c("p", "q"), n, TRUE),
    v = sample(c(-1, 0, 0.1, 2.5, NA, 1e15), n, TRUE), w = sample(c(1L, 2L, NA), n, TRUE),
    day = as.Date("2026-01-15") + sample(c(0, 40, 400, NA), n, TRUE), f = sample(c(TRUE, NA), n, TRUE),
    iso = sample(c("2026-01-15", "2025-12-31", "15/01/2026", NA), n, TRUE),
    size = factor(sample(c("s", "m", "l", NA), n, TRUE), c("s", "m", "l"), ordered = TRUE))
  switch(one_of(1:6), x, x, x, replace(x, "k", list(factor(x$k))),
    stats::setNames(x, sample(c(names(x)[-1L], "k"))), replace(x, "v", list(I(as.list(x$v)))))
}

# An expression as text, of what the language has and what it has not.
fuzz_code <- function(depth = sample(0:4, 1L)) {
  if (depth == 0L) {
    return(one_of(c("k", "g", "v", "w", "day", "f", "iso", "size", "zz", "starts", "1", "0.5", "-2", "'a'", "NA", "TRUE",
      "\"2026-01-15\"", "NULL", "Inf", one_of(odd_texts))))
  }
  sub <- function() fuzz_code(depth - 1L)
  call <- one_of(c("sum", "count", "mean", "min", "max", "median", "distinct", "per_day", "month", "year",
    "quarter", "week", "day", "in_period", "top", "bottom", "items", "reaching", "above", "between",
    "latest", "last", "date", "weekday", "month_of_year", "year_to_date", "quarter_to_date", "c", "is.na", "system", "paste", "top_items", "sort"))
  switch(one_of(1:6), sprintf("%s(%s)", call, sub()), sprintf("%s(%s, %s)", call, sub(), sub()),
    sprintf("%s %s %s", sub(), one_of(c("+", "-", "*", "/", "==", "!=", "<", ">=", "&", "|", "%in%", "^",
      ":", "$", "=", "~")), sub()), sprintf("!%s", sub()), sprintf("(%s)", sub()),
    sprintf("%s = %s", one_of(c("a", "m", "when", "starts")), sub()))
}

fuzz_language <- function() {
  maybe <- function(p, x) if (stats::runif(1) < p) x
  args <- list(of = maybe(0.9, fuzz_code()), by = maybe(0.9, one_of(c("k", "g", "w", "day", fuzz_code()))),
    where = maybe(0.4, fuzz_code()), over = maybe(0.2, one_of(c("month(day)", fuzz_code()))),
    having = maybe(0.2, fuzz_code()), also = maybe(0.2, fuzz_code()), within = maybe(0.2, fuzz_code(1)))
  x <- do.call(standings, c(list(fuzz_data()), Filter(Negate(is.null), args)))
  format(only(x, !!fuzz_code(2)))
}

fuzz_options <- function() {
  commands <- c(names(eggcrate:::grammar_commands), "check", "demo", "zz", "--version")
  options <- c(eggcrate:::option_name(c(names(eggcrate:::grammar_arguments),
    names(eggcrate:::shell_arguments))), "--zz", "-x", "--", "-", "--of=", "--by=k")
  options <- setdiff(options, c("--out", "--chart"))
  path <- tempfile(fileext = ".csv")
  on.exit(unlink(path))
  utils::write.csv(fuzz_data()[1:3], path, row.names = FALSE)
  args <- c(one_of(commands), if (stats::runif(1) < 0.9) path, "--of", "sum(v)", "--by", "k",
    unlist(lapply(seq_len(sample(0:4, 1L)), function(i) {
      c(one_of(options), if (stats::runif(1) < 0.8) one_of(list(one_of(odd_texts), fuzz_code(2))))
    })))
  utils::capture.output(utils::capture.output(eggcrate:::dispatch(args), type = "message"))
}

fuzz_reader <- function() {
  text <- one_of(c("k,d,v\na,2026-01-05,\"1,234.50\"\nb,2026-02-05,12\n\"c \"\"d\"\"\",2026-03-31,-0.5\n",
    "k,d,v\na,2026-01-05,1234.50\nb,2026-02-05,12\n\"c, d\",2026-03-31,-0.5\n a ,,\n"))
  bytes <- rep(charToRaw(text), one_of(c(1L, 1L, 40L)))
  for (i in seq_len(sample(0:6, 1L))) {
    at <- sample.int(length(bytes), 1L)
    piece <- one_of(list(as.raw(sample(0:255, 3L)), charToRaw(one_of(c("\"", ",", "\n", ";", "\r", "\t",
      "99999999999", "(1)", "$", "%", "e5", "\u00e9", "25/12/2025")))))
    bytes <- switch(one_of(1:3), replace(bytes, at, piece[1L]), append(bytes, piece, at), bytes[-at])
  }
  if (stats::runif(1) < 0.2) bytes <- bytes[seq_len(sample.int(length(bytes), 1L))]
  path <- tempfile(fileext = ".csv")
  on.exit(unlink(path))
  if (stats::runif(1) < 0.3) bytes <- memCompress(bytes, one_of(c("gzip", "bzip2")))
  writeBin(bytes, path)
  x <- read_sales(path, decimal = one_of(list(NULL, ".", ",")), dates = one_of(list(NULL, "dmy")),
    encoding = one_of(c("UTF-8", "latin1")))
  check_sales(path)
  one <- one_of(c("sum(v)", "count()", "max(v)", "distinct(d)"))
  by <- names(x)[sample.int(ncol(x), 1L)]
  ways <- lapply(c(pass = 0, general = Inf), function(from) {
    withr::local_options(eggcrate.pass = from, eggcrate.quick = from == 0, eggcrate.block = one_of(c(1, 30, 2^22)), eggcrate.threads = 2L)
    tryCatch(format(standings(path, of = !!one, by = !!by)), eggcrate_error = conditionMessage)
  })
  if (!identical(ways$pass, ways$general)) stop("the pass from the bytes and the general way differ")
  format(standings(x, of = !!one_of(c("sum(v)", "count()")), by = !!names(x)[1L]))
}

fuzz_calls <- function() {
  verb <- one_of(setdiff(getNamespaceExports("eggcrate"), c("run_command", "demo_orders", "desk")))
  f <- get(verb, asNamespace("eggcrate"))
  named <- setdiff(names(formals(f)), "...")
  known <- list(data = fuzz_data(), of = "sum(v)", by = "k", over = "month(day)", across = "g",
    against = "sum(w)", target = 5, x = try(standings(data.frame(k = c("a", "b"), v = 2:1),
      of = sum(v), by = k), TRUE))
  args <- lapply(named, function(name) {
    if (!is.null(known[[name]]) && stats::runif(1) < 0.7) known[[name]] else one_of(odd_values())
  })
  keep <- stats::runif(length(named)) < ifelse(named %in% names(known), 0.9, 0.3)
  got <- do.call(f, stats::setNames(args, named)[keep])
  utils::capture.output(print(got))
}

# The example study with a few lines excluded, doubled, moved, or with other things in them.
fuzz_studies <- function() {
  if (!requireNamespace("RcppTOML", quietly = TRUE)) return()
  folder <- tempfile("fuzz-")
  dir.create(folder)
  on.exit(unlink(folder, recursive = TRUE))
  data <- system.file("extdata", package = "eggcrate")
  file.copy(file.path(data, c("targets.csv", "region-tiles.csv", "customers.csv")), folder)
  writeLines(readLines(file.path(data, "orders.csv"), 300), file.path(folder, "orders.csv"))
  lines <- readLines(system.file("studies", "review.toml", package = "eggcrate"), encoding = "UTF-8")
  lines <- gsub("../extdata/", "", lines[!startsWith(lines, "#")], fixed = TRUE)
  odd <- c("\"", "'", "[", "]", "{", "}", "=", "#", "true", "-1", "1e400", "\"\"", "[[part]]", "[part]", "[x.y]", "nan", "inf", "2026-01-01",
    "\"\\u0007\"", "\"sum(\"", "[1, 2]", "{ a = 1 }", "1_000", "\"\"\"", strrep("'", 3), "\"../x\"", "\"top(\"")
  for (i in seq_len(sample(1:3, 1))) {
    k <- sample(length(lines), 1)
    line <- lines[k]
    at <- sample(nchar(line) + 1, 1)
    lines <- switch(sample(5, 1), lines[-k], append(lines, line, sample(length(lines), 1)),
      replace(lines, k, sub("=.*", paste("=", one_of(odd)), line)), append(lines, one_of(odd), k),
      replace(lines, k, paste0(substr(line, 1, at - 1), one_of(odd), substring(line, at))))
  }
  path <- file.path(folder, "s.toml")
  writeLines(enc2utf8(lines), path, useBytes = TRUE)
  got <- check_study(path)
  stopifnot(all(got$problems$line >= 1, got$problems$line <= length(lines) + 1, nzchar(got$problems$problem)))
}

# What a page might send to a desk, in any order, right and wrong.
fuzz_desk <- function() {
  desk <- eggcrate:::new_desk(eggcrate:::keep_tallies(eggcrate:::open_source(fuzz_data())))
  text <- function() one_of(list(one_of(odd_texts), fuzz_code(), "sum(v)", "k", "month(day)", "c(k, g)", "top(2)", "80%"))
  fields <- names(eggcrate:::grammar_arguments)
  for (i in 1:6) {
    args <- stats::setNames(lapply(1:4, function(i) text()), c("of", "by", sample(fields, 2L)))
    question <- list(kind = one_of(names(eggcrate:::desk_kinds)), args = args, conditions = list(list(text = text(), on = one_of(list(TRUE, FALSE)))), rows = "10")
    sent <- list(what = one_of(names(eggcrate:::desk_acts)), question = if (stats::runif(1) < 0.9) question else one_of(odd_values()),
      id = one_of(list("reach", "top", "tier 1", "split_of", one_of(odd_texts))), value = one_of(list(0, 3, 50, -1e9, one_of(odd_values()))), final = one_of(list(TRUE, FALSE)),
      rows = one_of(list(list(1), list(1, 2), one_of(odd_values()))), how = one_of(c("these", "also", "toggle", "drill", "only", "without", "mark")), by = one_of(c("k", "g", "size")),
      to = one_of(list(1, 2, one_of(odd_values()))), at = one_of(list(1, one_of(odd_values()))), name = text(), selection = text(),
      form = one_of(c("csv", "r", "sh", "toml", "html")), chosen = list(1))
    done <- eggcrate:::desk_act(desk, sent)
    desk <- done$desk
    eggcrate:::views_message(done)
  }
}

# Every kind of measure in every answer, selected and marked, in all that shows it.
fuzz_outputs <- function() {
  measures <- c("sum(v)", "count()", "mean(v)", "median(v)", "max(w)", "distinct(g)", "sum(v) / sum(w)", "sum(v) - sum(w)", "per_day(sum(v), day)", "min(v) / count()")
  keys <- c("k", "g", "w", "size", "month(day)", "weekday(day)", "c(k, g)")
  selections <- c("top(1)", "bottom(2)", "top(\"50%\")", "rank > 1", "k == 'a'", "items('a')")
  command <- one_of(c("standings", "pareto", "tiers", "quadrants", "changes", "targets", "grid", "movement", "extremes", "concentration", "findings"))
  maybe <- function(p, x) if (stats::runif(1) < p) x
  args <- list(of = one_of(measures), by = one_of(keys), within = maybe(0.3, one_of(c("g", "k"))), over = maybe(0.4, one_of(c("month(day)", "year(day)", "quarter(day)"))),
    also = maybe(0.3, list(sprintf("m = %s", one_of(measures)))), against = one_of(measures), target = one_of(c("previous()", "year_ago()", "5", "w")),
    across = one_of(c("g", "month(day)")), scheme = maybe(0.5, one_of(c("tiers_equal(2)", "tiers_by_rank(c(A = 1), rest = 'B')", "tiers_by_value(c(A = 1), rest = 'B')"))),
    best = maybe(0.2, "lowest"), ties = maybe(0.3, one_of(c("max", "dense", "average", "first"))), share_base = maybe(0.2, "positive"),
    only = maybe(0.3, one_of(selections)), highlight = maybe(0.3, list(sprintf("m1 = %s", one_of(selections)))))
  args <- Filter(Negate(is.null), args[names(args) %in% names(eggcrate:::arguments_of(command))])
  x <- eggcrate:::ask(command, args, eggcrate:::open_source(fuzz_data()))
  shown <- list(function() utils::capture.output(print(x)), function() eggcrate:::answer_csv(x), function() eggcrate:::json_lines(x),
    function() eggcrate:::html_lines(eggcrate:::html_of(x)), function() eggcrate:::receipt(x),
    function() answer_sheet(x, path <- withr::local_tempfile(fileext = ".xlsx")),
    function() for (name in eggcrate:::part_charts(list(command = command, shown = list()), x)) ggplot2::ggplot_build(eggcrate:::answer_chart(x, name)))
  for (one in shown[c(1:5, sample(6:7, 1L))]) one()
}

# A Parquet file with a few other bytes: answered, or refused, and R goes on.
fuzz_parquet <- function() {
  path <- tempfile(fileext = ".parquet")
  on.exit(unlink(path))
  data <- data.frame(k = sample(c("a", "b", "\u00e9", NA), 60, TRUE), v = round(stats::rnorm(60), 2), w = sample(9L, 60, TRUE), day = as.Date("2026-01-01") + 0:59,
    f = sample(c(TRUE, FALSE, NA), 60, TRUE))
  nanoparquet::write_parquet(data, path, compression = one_of(c("snappy", "gzip", "zstd", "uncompressed")))
  bytes <- readBin(path, "raw", file.size(path))
  at <- sample(length(bytes), one_of(1:4))
  bytes[at] <- as.raw(sample(0:255, length(at), TRUE))
  if (stats::runif(1) < 0.1) bytes <- bytes[seq_len(sample(length(bytes), 1L))]
  writeBin(bytes, path)
  format(standings(path, of = !!one_of(c("sum(v)", "count()", "max(w)", "distinct(day)")), by = !!one_of(c("k", "f", "month(day)"))))
}

# What anybody might send to a desk's socket.
fuzz_messages <- function() {
  text <- one_of(c("{\"what\": \"ask\", \"n\": 1, \"question\": {\"kind\": \"pareto\", \"args\": {\"of\": \"sum(v)\", \"by\": \"k\"}, \"conditions\": [], \"rows\": \"10\"}}",
    "{\"what\": \"hello\", \"n\": 2, \"tab\": \"a\"}", "{\"what\": \"pick\", \"n\": 3, \"rows\": [1, 2], \"how\": \"toggle\"}"))
  bytes <- charToRaw(text)
  for (i in seq_len(sample(0:4, 1L))) {
    at <- sample.int(length(bytes), 1L)
    piece <- charToRaw(one_of(c("\"", "{", "}", "[", "]", ",", "null", "1e999", "\\u0000", "true", "\\", odd_texts)))
    bytes <- switch(sample(3L, 1L), append(bytes, piece, at), bytes[-at], replace(bytes, at, as.raw(sample(1:255, 1L))))
  }
  sent <- eggcrate:::read_message(rawToChar(bytes[bytes != as.raw(0)]))
  if (is.null(sent)) return()
  app <- list2env(list(desk = eggcrate:::new_desk(eggcrate:::keep_tallies(eggcrate:::open_source(fuzz_data()))), tabs = list(), files = list(), stopped = FALSE))
  page <- list2env(list(n = 0, tab = one_of(list(NULL, "a")), closed = FALSE, send = eggcrate:::message_json))
  eggcrate:::take_turn(app, page, sent)
}

fuzz_kinds <- list(language = fuzz_language, options = fuzz_options, reader = fuzz_reader,
  calls = fuzz_calls, studies = fuzz_studies, desk = fuzz_desk,
  outputs = fuzz_outputs, parquet = fuzz_parquet, messages = fuzz_messages)

#' One random case of a kind. NULL where it was answered or refused, else what went wrong.
fuzz_once <- function(kind, seed) {
  set.seed(seed)
  # What is set in one case must not hold in the next.
  before <- options(eggcrate.display = NULL)
  on.exit(options(before))
  tryCatch({
    suppressMessages(fuzz_kinds[[kind]]())
    NULL
  }, error = function(e) {
    ours <- inherits(e, "eggcrate_error") ||
      grepl("unused argument|formal argument|argument .* matched by multiple|^object .* not found$", conditionMessage(e))
    if (!ours) sprintf("%s %d: %s", kind, seed, conditionMessage(e))
  }, warning = function(w) sprintf("%s %d: warning: %s", kind, seed, conditionMessage(w)))
}
