# Colours as eyes with a deficiency see them: Machado, Oliveira and Fernandes (2009),
# full severity, on linear RGB; and grey as the relative luminance of WCAG.

linear <- function(colour) {
  x <- t(grDevices::col2rgb(colour)) / 255
  ifelse(x <= 0.04045, x / 12.92, ((x + 0.055) / 1.055)^2.4)
}
eyes <- list(
  protan = rbind(c(0.152286, 1.052583, -0.204868), c(0.114503, 0.786281, 0.099216),
    c(-0.003882, -0.048116, 1.051998)),
  deutan = rbind(c(0.367322, 0.860646, -0.227968), c(0.280085, 0.672501, 0.047413),
    c(-0.011820, 0.042940, 0.968881)),
  tritan = rbind(c(1.255528, -0.076749, -0.178779), c(-0.078411, 0.930809, 0.147602),
    c(0.004733, 0.691367, 0.303900))
)
luminance <- function(rgb) as.vector(rgb %*% c(0.2126, 0.7152, 0.0722))
contrast <- function(a, b) {
  (pmax(luminance(linear(a)), luminance(linear(b))) + 0.05) /
    (pmin(luminance(linear(a)), luminance(linear(b))) + 0.05)
}
lab_distance <- function(rgb) {
  lab <- grDevices::convertColor(pmin(pmax(rgb, 0), 1)^(1 / 2.2), "sRGB", "Lab")
  min(stats::dist(lab))
}

test_that("the colours of up to five tiers can be told apart by every eye and in grey", {
  for (k in 2:5) {
    labels <- LETTERS[seq_len(k)]
    colours <- eggcrate:::tier_colours(tiers_equal(k, labels = labels))[labels]
    rgb <- linear(colours)
    expect_gt(lab_distance(rgb), 10)
    for (eye in names(eyes)) {
      expect_gt(lab_distance(rgb %*% t(eyes[[eye]])), 10, label = paste(k, eye))
    }
    grey <- (luminance(rgb) + 0.05)
    expect_true(all(diff(grey) > 0)) # darker is better, in every print
    expect_gt(min(grey[-1] / grey[-k]), 1.2)
  }
  marked <- linear(eggcrate:::palette_eggcrate[c("yolk", "shell")])
  for (eye in eyes) expect_gt(lab_distance(marked %*% t(eye)), 20)
})

test_that("text has a contrast of 4.5 : 1 on white and on the grounds it stands on", {
  palette <- eggcrate:::palette_eggcrate
  for (text in c("ink", "clay", "stone")) expect_gt(contrast(palette[[text]], "#FFFFFF"), 4.5)
  for (ground in c("duck_egg", "shell")) {
    expect_gt(contrast(palette[["ink"]], palette[[ground]]), 4.5)
  }
  expect_gt(contrast(palette[["stone"]], "#FBF1D9"), 4.5) # secondary text in a marked row
})

test_that("a tier keeps its colour, and its maker's colours come first", {
  own <- tiers_by_rank(c(A = 1, B = 2), rest = "C", colours = c(B = "#123456"))
  expect_equal(eggcrate:::tier_colours(own)[["B"]], "#123456")
  expect_equal(eggcrate:::tier_colours(own)[["A"]],
    eggcrate:::tier_colours(tiers_equal(3, labels = c("A", "B", "C")))[["A"]])
  many <- eggcrate:::tier_colours(tiers_equal(9))
  expect_length(unique(many), 10)
})

test_that("axes read 1.2 k and 3.4 M", {
  expect_equal(eggcrate:::compact_number(c(0, 500)), c("0", "500"))
  expect_equal(eggcrate:::compact_number(c(0, 12500, 20000)), c("0", "12.5 k", "20 k"))
  expect_equal(eggcrate:::compact_number(3.4e6), "3.4 M")
})

test_that("a chart of no item is refused, and one of as many as there are is drawn", {
  o <- demo_orders()
  x <- standings(o, sum(net_sales), region)
  months <- movement(o, sum(net_sales), region, over = quarter(order_date))
  charts <- list(
    function(n) chart_bars(x, n = n), function(n) chart_extremes(x, n = n),
    function(n) chart_changes(compare_periods(o, sum(net_sales), region, month(order_date)), n = n),
    function(n) chart_targets(against_target(o, sum(net_sales), region, target = 5e5), n = n),
    function(n) chart_heat(heat_grid(o, sum(net_sales), region, quarter(order_date)), n = n),
    function(n) chart_movement(months, n = n), function(n) chart_movement(months, TRUE, n = n))
  for (chart in charts) {
    for (n in c(0, 0.5)) expect_error(chart(n), "`n` must be a number from 1", class = "eggcrate_error_call")
    expect_s3_class(ggplot2::ggplot_build(chart(Inf))$plot, "ggplot")
  }
  expect_s3_class(ggplot2::ggplot_build(chart_pareto(x, bars = Inf))$plot, "ggplot")
  expect_error(chart_bars(x, titel = "a"), "no argument `titel`", class = "eggcrate_error_call")
})
