# The grounds and letters of figures in a terminal of 256 colours, as their codes say.
codes_of <- function(text) {
  found <- regmatches(text, regexec("48;5;([0-9]+);38;5;([0-9]+)m", text))
  data.frame(ground = vapply(found, function(f) as.integer(f[2]), 0L),
    letters = vapply(found, function(f) as.integer(f[3]), 0L))
}

# Levels of red, green and blue of a terminal's colour, by the common standard.
levels_of <- function(number) {
  if (number >= 232) return(rep(8 + (number - 232) * 10, 3))
  cube <- number - 16
  c(0, 95, 135, 175, 215, 255)[c(cube %/% 36, cube %/% 6 %% 6, cube %% 6) + 1]
}

light <- function(number) {
  channel <- levels_of(number) / 255
  sum(c(0.2126, 0.7152, 0.0722) *
    ifelse(channel <= 0.03928, channel / 12.92, ((channel + 0.055) / 1.055)^2.4))
}

test_that("shades of a terminal darken evenly to both sides, and letters stand out on each", {
  for (signed in c(FALSE, TRUE)) {
    shade <- seq(if (signed) -1 else 0, 1, length.out = 101)
    codes <- codes_of(eggcrate:::on_shade("1.0", shade, signed, exact = FALSE))
    expect_false(anyNA(codes))
    ground <- vapply(codes$ground, light, 0)
    expect_true(all(diff(ground[shade >= 0]) <= 0))
    expect_true(all(diff(rev(ground[shade <= 0])) <= 0))
    contrast <- (pmax(ground, vapply(codes$letters, light, 0)) + 0.05) /
      (pmin(ground, vapply(codes$letters, light, 0)) + 0.05)
    expect_gte(min(contrast), 4.5)
  }
})

test_that("with colours a blank cell has none, and figures stand in their columns", {
  lines <- data.frame(k = c("a", "b", "b"),
    day = as.Date(c("2026-01-05", "2026-01-06", "2026-02-28")), v = c(1, 5, 3))
  x <- heat_grid(lines, of = sum(v), by = k, across = month(day))
  withr::local_options(cli.num_colors = 256L)
  withr::local_envvar(NO_COLOR = NA)
  coloured <- format(x, width = 60)
  expect_match(coloured, "\\[48;5;", all = FALSE)
  row <- grep("^a ", coloured, value = TRUE)
  expect_equal(lengths(regmatches(row, gregexpr("48;5;", row))), 1)
  expect_no_match(grep("total", coloured, value = TRUE), "48;5;")
  # Without its signs of colour a line is as wide as the one below it.
  plain <- cli::ansi_strip(coloured)
  expect_equal(length(unique(nchar(plain[grepl("total$|^[ab] ", plain)]))), 1)
})
