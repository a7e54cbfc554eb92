test_that("help fits the window, and says every option once, in a group", {
  for (command in names(eggcrate:::grammar_commands)) {
    options <- eggcrate:::command_options(command)
    for (width in c(50, 80, 120)) {
      lines <- eggcrate:::help_lines(command, width)
      plain <- lines[!grepl("^  eggcrate |^Usage", lines)]
      expect_lte(max(nchar(plain)), width)
    }
    said <- regmatches(lines, regexpr("^  --[a-z-]+", lines))
    expect_setequal(trimws(said), eggcrate:::option_name(names(options)))
    expect_equal(length(said), length(options))
    expect_lt(match("The question:", lines), match("Writing the answer:", lines))
    expect_lt(match("Example:", lines), match("The question:", lines))
  }
  got <- run_here(c("pareto", "--help"), env = c(COLUMNS = "60"))
  expect_lte(max(nchar(got$out[!grepl("^  eggcrate |^Usage", got$out)])), 60)
  expect_equal(run_here(c("help", "pareto"), env = c(COLUMNS = "60"))$out, got$out)
  table <- run_here(c("standings", orders_path(), "--of", "net_sales", "--by", "customer"), env = c(COLUMNS = "50"))
  expect_lte(max(nchar(table$out)), 50)
})

test_that("the page of the language has the compiler's words, and no others", {
  words <- unlist(lapply(eggcrate:::language_sections, names))
  calls <- regmatches(words, regexpr("^[a-z_]+(?=[(])|^[a-z_]+_to_date$", words, perl = TRUE))
  known <- c(names(eggcrate:::row_language()), eggcrate:::measure_language, names(eggcrate:::selections),
    eggcrate:::relative_periods)
  expect_setequal(calls, grep("^[a-z]", known, value = TRUE))
  signs <- unlist(strsplit(words, "[ (),]+"))
  for (sign in grep("^[^a-z]", setdiff(known, c("(", "%in%")), value = TRUE)) expect_true(sign %in% signs, info = sign)
  expect_true("%in%" %in% signs)
  page <- run_here(c("help", "language"))
  expect_equal(page$status, 0)
  for (word in words) expect_true(any(startsWith(page$out, paste0("  ", word))), info = word)
})

test_that("help on what there is not is refused, and the exit codes are told", {
  wrong <- run_here(c("help", "grd"))
  expect_equal(wrong$status, 2)
  expect_match(wrong$err, "Did you mean `grid`", all = FALSE)
  codes <- run_here(c("help", "messages"))$out
  for (code in c("0", "1", "2", "130")) expect_match(codes, paste0("^  ", code, " "), all = FALSE)
  expect_match(run_here("help")$out, "eggcrate help language", all = FALSE)
  expect_equal(run_here(c("help", "demo"))$out, run_here(c("demo", "--help"))$out)
})
