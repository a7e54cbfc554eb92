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

label_layers <- function(chart) {
  built <- ggplot2::ggplot_build(chart)
  Filter(function(layer) inherits(layer$geom, c("GeomText", "GeomLabel", "GeomTextRepel")), built$plot$layers)
}

test_that("a theme reaches the labels that are layers, in size and face", {
  x <- standings(demo_orders(), net_sales, region)
  for (chart in list(chart_bars(x), chart_tiles(x, demo_tiles()),
    chart_heat(heat_grid(demo_orders(), net_sales, region, across = year(order_date))),
    chart_bridge(compare_periods(demo_orders(), net_sales, region, over = quarter(order_date))))) {
    own <- vapply(label_layers(chart), function(layer) layer$aes_params$size, 0)
    larger <- label_layers(chart + ggplot2::theme(text = ggplot2::element_text(size = 26, family = "mono")))
    expect_equal(vapply(larger, function(layer) layer$aes_params$size, 0), own * 2)
    expect_identical(unique(vapply(larger, function(layer) layer$aes_params$family, "")), "mono")
    # The chart itself is as it was.
    expect_equal(vapply(label_layers(chart), function(layer) layer$aes_params$size, 0), own)
  }
  before <- display_settings(font = "serif", base_size = 6.5)
  withr::defer(options(eggcrate.display = before))
  set <- label_layers(chart_bars(x))[[1]]
  expect_identical(set$aes_params$family, "serif")
  expect_equal(chart_bars(x)$theme$text$size, 6.5)
  expect_error(display_settings(font = 3), class = "eggcrate_error_unknown_value")
  expect_error(display_settings(base_size = 1), class = "eggcrate_error_unknown_value")
})

test_that("smaller charts have smaller text and shorter lines", {
  chart <- chart_bars(standings(demo_orders(), net_sales, customer, within = region))
  title_in <- function(width, height) {
    path <- withr::local_tempfile(fileext = ".png")
    grDevices::png(path, width, height, res = 110)
    on.exit(grDevices::dev.off())
    built <- ggplot2::ggplot_build(chart)
    list(title = built$plot$labels$title, size = built$plot$theme$text$size)
  }
  usual <- title_in(1280, 800)
  expect_identical(usual, list(title = chart$labels$title, size = 13))
  small <- title_in(800, 600)
  expect_lt(small$size, 13)
  expect_gte(small$size, 0.7 * 13)
  expect_lt(max(nchar(strsplit(small$title, "\n")[[1]])), 72)
  expect_identical(gsub("\n", " ", small$title), gsub("\n", " ", usual$title))
})

test_that("the data of a chart keeps the columns of the result, so that it can be parted by them", {
  o <- demo_orders()
  x <- only(standings(o, net_sales, customer, show = c(region, category)), top(12))
  charts <- list(chart_bars(x), chart_pareto(standings(o, net_sales, customer, show = region)),
    chart_changes(compare_periods(o, net_sales, customer, over = quarter(order_date), show = region)),
    chart_quadrants(quadrants(o, net_sales, c(margin = sum(profit) / sum(net_sales)), customer, show = region)),
    chart_heat(heat_grid(o, net_sales, region, across = year(order_date))))
  for (chart in charts) {
    expect_true("region" %in% names(chart$data))
    parted <- chart + ggplot2::facet_wrap(~region, scales = "free_y")
    expect_no_error(suppressMessages(in_full(draw, ggplot2::ggplot_build)(parted)))
  }
  bars <- chart_bars(x)$data
  expect_identical(bars$category[match(x$customer, bars$customer)], x$category)
})

test_that("the face of figures is found by name, or set", {
  expect_true(eggcrate:::chart_font() %in% c("", eggcrate:::chart_faces))
  path <- withr::local_tempfile(fileext = ".svg")
  run <- run_here(c("standings", orders_path(), "--of", "net_sales", "--by", "region", "--chart", path, "--font", "DejaVu Serif"))
  expect_equal(run$status, 0)
  expect_match(paste(readLines(path), collapse = ""), "DejaVu Serif")
})

test_that("marked items are drawn in the charts whose colours say something else", {
  o <- demo_orders()
  marked <- function(x) highlight(x, best = top(2), worst = bottom(1))
  answers <- list(changes = compare_periods(o, net_sales, customer, over = year(order_date)),
    targets = against_target(o, net_sales, customer, target = 20000),
    quadrants = quadrants(o, net_sales, c(margin = sum(profit) / sum(net_sales)), customer),
    tiers = assign_tiers(standings(o, net_sales, customer), tiers_equal(3)))
  for (name in names(answers)) {
    x <- marked(answers[[name]])
    chart <- eggcrate:::answer_chart(x, name)
    names <- x$customer[which(x$highlighted %in% c("best", "worst"))]
    expect_length(names, 3L)
    data <- chart$data
    if (name %in% c("changes", "targets")) {
      signs <- sub("^([^[:alnum:]]) .*$", "\\1", data$label[grepl("^[^[:alnum:]] ", data$label)])
      expect_setequal(sub("^. ", "", data$label[grepl("^[^[:alnum:]] ", data$label)]), names)
      expect_length(unique(signs), 2L)
    } else {
      expect_setequal(sub(", (best|worst)$", "", data$label[data$mark > 0L]), names)
    }
    expect_match(paste(chart$labels$subtitle, collapse = " "), "best, .*worst", info = name)
    expect_no_match(paste(eggcrate:::answer_chart(answers[[name]], name)$labels$subtitle, collapse = " "), "worst,|circled|best,")
  }
})
