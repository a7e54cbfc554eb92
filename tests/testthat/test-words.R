# Names that would act instead of being read.

acting <- c(paste0("red", "\033[31m"), "tab\there", paste0("turn", intToUtf8(0x202e)), "two\nlines",
  "bell\a", "plain")
odd <- data.frame(k = acting, g = "x\033[2J", v = 6:1)
# Any of them, but for the newline that ends a line.
acts <- paste0("[\001-\011\013-\037\177", intToUtf8(c(0x202e, 0x9b)), "]")

test_that("control characters and marks of direction are written in code", {
  expect_identical(eggcrate:::harmless(acting), c("red\\u001b[31m", "tab\\there", "turn\\u202e",
    "two\\nlines", "bell\\u0007", "plain"))
  expect_identical(eggcrate:::harmless(c("a\nb\033", NA), "\n"), c("a\nb\\u001b", NA))
})

test_that("nothing acts in what is printed or said, and files have names as they are", {
  x <- standings(odd, of = sum(v), by = k)
  grouped <- standings(odd, of = sum(v), by = k, within = g)
  shown <- c(format(x), format(grouped), format(heat_grid(odd, of = sum(v), by = k, across = g)),
    format(assign_tiers(x, tiers_by_rank(c(A = 2), rest = "\033B"))), format(pareto(odd, of = v, by = k)),
    format(why(x, "two\nlines")),
    conditionMessage(expect_error(standings(odd, of = sum(v), by = "`\033[2J`"))),
    conditionMessage(expect_error(only(x, items("\a")))))
  expect_identical(grep(acts, shown, value = TRUE), character())
  expect_match(shown, "turn\\\\u202e", all = FALSE)
  expect_identical(utils::read.csv(text = eggcrate:::csv_text(x, escape = FALSE))$k, acting)
  expect_identical(jsonlite::fromJSON(eggcrate:::json_lines(x))$items$k, acting)
  names(odd)[1] <- "=k"
  named <- utils::read.csv(text = eggcrate:::csv_text(standings(odd, of = sum(v), by = "`=k`"), TRUE),
    check.names = FALSE)
  expect_equal(names(named)[2], "'=k")
})

test_that("pictures of such names are well-formed", {
  path <- withr::local_tempfile(fileext = ".svg")
  x <- standings(odd, of = sum(v), by = k)
  charts <- list(chart_bars(standings(odd, of = sum(v), by = k, within = g)),
    chart_pareto(pareto(odd, of = sum(v), by = k)), chart_heat(heat_grid(odd, of = v, by = k, across = g)),
    chart_tiles(standings(odd, of = sum(v), by = k),
      layout = data.frame(k = acting, row = 1, column = 1:6)))
  for (chart in charts) {
    suppressWarnings(eggcrate:::write_chart(chart, path))
    text <- paste(readLines(path, encoding = "UTF-8", warn = FALSE), collapse = "")
    expect_false(grepl(acts, text))
    expect_match(text, "plain")
  }
})

test_that("what is echoed of a long text is cut, and deep expressions are refused", {
  long <- strrep("x", 50000)
  e <- expect_error(standings(odd, of = v, by = !!long), class = "eggcrate_error_call")
  expect_lt(nchar(conditionMessage(e)), 700)
  e <- expect_error(standings(odd, of = v, by = k, where = !!sprintf("k == '%s' & zz", long)),
    class = "eggcrate_error_unknown_column")
  expect_lt(nchar(conditionMessage(e)), 700)
  shapes <- list(function(n) paste0(strrep("!", n), "(v > 1)"),
    function(n) paste0(strrep("(", n), "v > 1", strrep(")", n)),
    function(n) paste(rep("v > 1", n), collapse = " | "),
    function(n) paste(c(rep("v", n), "1 > 2"), collapse = " + "),
    function(n) paste0("v > ", strrep("-", n), "1"))
  for (shape in shapes) {
    for (n in c(400, 5000)) {
      expect_error(standings(odd, of = v, by = k, where = !!shape(n)), class = "eggcrate_error_call")
    }
  }
  for (shape in shapes[c(1, 3, 4)]) {
    expect_true(nrow(standings(odd, of = v, by = k, where = !!shape(95))) >= 0)
  }
  many <- sprintf("k %%in%% c(%s)", paste(sprintf("'%d'", 1:3000), collapse = ", "))
  shown <- format(standings(odd, of = v, by = k, where = !!many))
  expect_lt(sum(nchar(shown)), 1000)
})

test_that("what is of something has the plural of its first noun", {
  expect_equal(eggcrate:::plural("month of year"), "months of year")
  expect_equal(eggcrate:::plural("box of rope"), "boxes of rope")
  expect_equal(eggcrate:::plural("customer"), "customers")
})
