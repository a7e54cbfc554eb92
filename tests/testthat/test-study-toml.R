tree <- function(...) eggcrate:::toml_tree(paste(c(...), collapse = "\n"))
entry <- function(node, ...) {
  for (key in list(...)) node <- if (is.numeric(key)) node$items[[key]] else node$entries[[key]]
  node
}

test_that("keys keep their order, their line, and their value as written", {
  t <- tree("eggcrate = 1", "zeta = 3_000_000_000 # many", "alpha = [1, 2.5]", "[b.c]", "'odd key' = \"x\\u00e9\\\\\"",
    "[[part]]", "name = 'a \"b\"'", "[[part]]", "also = [", "  \"x\", # one", "  \"y\",", "]", "text = \"\"\"", "one", "two\"\"\"",
    "t = { u = true, v = 2026-03-31 }")
  expect_identical(names(t$entries), c("eggcrate", "zeta", "alpha", "b", "part"))
  expect_identical(entry(t, "zeta")[c("value", "text", "line")], list(value = 3e9, text = "3000000000", line = 2L))
  expect_identical(vapply(entry(t, "alpha")$items, `[[`, 0, "value"), c(1, 2.5))
  expect_identical(entry(t, "b", "c", "odd key")$value, "x\u00e9\\")
  expect_identical(entry(t, "part", 1, "name")$value, "a \"b\"")
  expect_identical(entry(t, "part", 2, "also")$items[[2]][c("value", "line")], list(value = "y", line = 11L))
  expect_identical(entry(t, "part", 2, "text")$value, "one\ntwo")
  expect_identical(entry(t, "part", 2, "t", "v")$kind, "date")
  expect_identical(entry(t, "part", 2, "t", "u")$value, TRUE)
  expect_identical(entry(tree("a = \"\"\"x \\", "   y\"\"\""), "a")$value, "x y")
  expect_identical(entry(tree("a = '''it''s\"'''"), "a")$value, "it''s\"")
})

test_that("what is no TOML names its line", {
  at <- function(...) {
    found <- tree(...)
    expect_s3_class(found, "eggcrate_toml_problem")
    found$line
  }
  expect_equal(at("a = 1", "b = ", "c = 3"), 2)
  expect_equal(at("a = 1", "a = 2"), 2)
  expect_equal(at("", "a = \"x"), 2)
  expect_equal(at("[p]", "x = 1", "[p]"), 3)
  expect_equal(at("a = 1 b = 2"), 1)
  expect_equal(at("x = 1", "a = \"\\q\""), 2)
  expect_equal(at("x = 1", "", "a = [1, \"b\"]"), 3)
  expect_equal(at("a = 1", "b = [1,", "2", "c = 1"), 4)
  expect_equal(at("a = word"), 1)
  expect_equal(at("x = 1", "[a", "b = 1"), 2)
  expect_equal(at("a = 1", "[a]"), 2)
  expect_equal(at("a = 01"), 1)
  expect_equal(at("", "", "a = 2026-13-40"), 3)
  expect_equal(at("a.b = 1", "a = 2"), 2)
})

test_that("the scanner reads what the parser reads, whatever is in a text", {
  set.seed(3)
  letters <- c("a", "\"", "\\", "'", "#", "[", "]", "=", "{", ",", "\u20ac", "\n", "\t", " ", "\u0007")
  for (i in 1:60) {
    text <- paste(sample(letters, sample(0:12, 1), TRUE), collapse = "")
    line <- sprintf("k = %s", eggcrate:::toml_text(text))
    found <- tree("first = 1", line)
    expect_identical(entry(found, "k")$value, enc2utf8(text), info = line)
  }
})
