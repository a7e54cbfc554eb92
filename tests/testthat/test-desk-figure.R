# The areas of a chart, checked against the picture itself: the colour in the middle of a bar is that of bars.
test_that("areas lie where the items are drawn, whatever the chart and its size", {
  desk <- new_demo_desk()
  for (width in c(420, 900)) {
    desk <- asks(desk, "standings", of = "sum(net_sales)", by = "region")$desk
    result <- answer_on(desk)
    size <- eggcrate:::desk_size(width)
    found <- eggcrate:::step_figure(result$x, result$charts[[1L]], size)
    areas <- found$areas
    expect_identical(sort(areas$row), 1:8)
    # Bars of ranked standings: as long as the values, from one line, each below the other.
    expect_equal(areas$width[order(areas$row)] / areas$width[areas$row == 1L], result$x$net_sales / result$x$net_sales[1L], tolerance = 0.01)
    expect_true(all(diff(areas$top[order(areas$row)]) > 0))
    expect_lt(diff(range(areas$left)), 0.001)
    rects <- grep("<rect", found$svg, value = TRUE)
    rects <- grep(" x='[0-9.]+' .*width='[0-9.]+'", rects, value = TRUE)
    number <- function(name) as.numeric(sub(sprintf(".* %s='([0-9.]+)'.*", name), "\\1", rects))
    points <- size$width / size$dpi * 72
    for (i in seq_len(nrow(areas))) {
      near <- abs(number("x") - areas$left[i] * points) < 1 & abs(number("width") - areas$width[i] * points) < 1
      expect_true(any(near, na.rm = TRUE))
    }
  }
})

test_that("each kind of figure knows its items, also in panels", {
  desk <- new_demo_desk()
  cases <- list(list("pareto", by = "customer"), list("quadrants", by = "customer"), list("changes", by = "customer"), list("targets", by = "region"),
    list("standings", by = "product", within = "region"), list("tiles", by = "region"))
  for (case in cases) {
    at <- asks(desk, case[[1L]], of = "sum(net_sales)", by = case$by, within = case$within)
    if (length(at$wrong)) at <- asks(at$desk, case[[1L]], of = "sum(net_sales)", by = case$by)
    result <- answer_on(at$desk)
    areas <- eggcrate:::step_figure(result$x, result$charts[[1L]], eggcrate:::desk_size(800))$areas
    expect_gt(NROW(areas), 5, label = case[[1L]])
    expect_true(all(areas$row %in% seq_along(answer_of(result$x)$ranked$cell)))
    expect_true(all(areas$left > -0.02 & areas$left + areas$width < 1.02 & areas$top > -0.02 & areas$top + areas$height < 1.02))
    hints <- eggcrate:::item_hints(result$x, areas$row[1L])[[1L]]
    expect_identical(hints[1L], eggcrate:::names_of_rows(result$x, areas$row[1L]))
  }
})

test_that("a curve has its items where they come in, best and worst where they are written, tiers through time tile by tile", {
  desk <- new_demo_desk()
  orders <- subset(demo_orders(), !is.na(net_sales))
  drawn <- function(...) {
    step <- eggcrate:::new_step(...)
    result <- eggcrate:::step_result(desk, step)
    c(eggcrate:::step_figure(result$x, result$charts[[1L]], eggcrate:::desk_size(800)), list(x = result$x))
  }
  found <- drawn("concentration", list(of = "sum(net_sales)", by = "customer"))
  sums <- sort(tapply(orders$net_sales, ifelse(is.na(orders$customer), "(missing)", orders$customer), sum), decreasing = TRUE)
  sums <- sums[sums > 0]
  areas <- found$areas[order(found$areas$row), ]
  expect_identical(eggcrate:::names_of_rows(found$x, areas$row), names(sums))
  middle <- function(at, size) areas[[at]] + areas[[size]] / 2
  straight <- function(a, b) expect_gt(abs(stats::cor(a, b)), 0.999999)
  straight(middle("left", "width"), seq_along(sums))
  straight(middle("top", "height"), cumsum(sums))
  # Letters of a name stand within its own area.
  found <- drawn("extremes", list(of = "sum(net_sales)", by = "customer", over = "quarter(order_date)"))
  size <- eggcrate:::desk_size(800)
  text <- grep("<text", found$svg, value = TRUE)
  number <- function(name) as.numeric(sub(sprintf(".* %s='([-0-9.]+)'.*", name), "\\1", text)) * size$dpi / 72
  said <- sub(".*>([^<]*)</text>.*", "\\1", text)
  names <- eggcrate:::picked_labels(answer_of(found$x), found$areas$row)
  for (i in seq_along(names)) {
    area <- as.list(found$areas[i, ])
    within <- number("x") >= area$left * size$width - 1 & number("x") <= (area$left + area$width) * size$width &
      number("y") >= area$top * size$height & number("y") <= (area$top + area$height) * size$height
    expect_identical(said[within][1L], names[i])
  }
  expect_length(names, 22L)
  found <- drawn("movement", list(of = "sum(net_sales)", by = "region", over = "quarter(order_date)"))
  expect_identical(nrow(found$areas), nrow(unique(data.frame(orders$region, format(orders$order_date, "%Y"), quarters(orders$order_date)))))
  # Tiles of one item stand in one line, from the first period on.
  lines <- split(found$areas, eggcrate:::picked_labels(answer_of(found$x), found$areas$row))
  for (line in lines) expect_lt(diff(range(line$top)), 1e-6)
  expect_true(all(diff(lines[[1L]]$left[order(lines[[1L]]$row)]) > 0))
})

test_that("a tile of a region says its first items, the others and its total, with all measures", {
  desk <- asks(new_demo_desk(), "tiles", of = "sum(net_sales)", by = "customer", within = "region", also = "orders = distinct(order_no)\nprofit = sum(profit)")
  result <- answer_on(asks(desk$desk, "tiles", of = "sum(net_sales)", by = "customer", within = "region", also = "orders = distinct(order_no)\nprofit = sum(profit)")$desk)
  found <- eggcrate:::step_figure(result$x, result$charts[[1L]], eggcrate:::desk_size(800))
  expect_true(found$of_groups)
  expect_identical(nrow(found$areas), 8L)
  orders <- demo_orders()
  for (lines in eggcrate:::group_hints(result$x, found$areas$row)) {
    all_own <- orders[orders$region == lines[1L], ]
    own <- all_own[!is.na(all_own$net_sales), ]
    number <- function(x, places = 2) format(x, nsmall = places, big.mark = ",", trim = TRUE)
    # A name, ten items, the others unless there is one only, the total.
    items <- length(unique(own$customer))
    expect_length(lines, if (items > 11L) 13L else items + 2L)
    expect_match(lines[length(lines)], sprintf("^total .%d. %s share 100.0%% orders %s profit", items, number(round(sum(own$net_sales), 2)),
      number(nrow(unique(all_own[c("customer", "order_no")])), 0)))
    first <- sort(tapply(own$net_sales, own$customer, sum), decreasing = TRUE)[1L]
    expect_match(lines[2L], sprintf("1 %s %s ", names(first), number(round(first[[1L]], 2))), fixed = TRUE)
  }
})

test_that("of very many points the first are drawn, which is said, and all are counted", {
  n <- 5000
  data <- data.frame(item = sprintf("item %04d", seq_len(n)), sales = rev(seq_len(n)), profit = rep(1:5, n / 5))
  desk <- asks(new_demo_desk(data), "quadrants", of = "sum(sales)", by = "item", against = "sum(profit)")
  result <- answer_on(asks(desk$desk, "quadrants", of = "sum(sales)", by = "item", against = "sum(profit)")$desk)
  expect_identical(nrow(result$x), 5000L)
  found <- eggcrate:::step_figure(result$x, result$charts[[1L]], eggcrate:::desk_size(700))
  expect_setequal(found$areas$row, 1:2000)
  expect_match(result$charts[[1L]]$labels$subtitle, "only top(2000)", fixed = TRUE)
})

test_that("a figure that cannot be drawn is said in its place", {
  desk <- new_demo_desk()
  step <- eggcrate:::desk_step(desk)
  eggcrate:::step_result(desk, step)
  key <- names(desk$answers$kept)
  desk$answers$kept[[key]]$charts <- list(bars = ggplot2::ggplot(data.frame(a = 1), ggplot2::aes(nothing)) + ggplot2::geom_point())
  message <- eggcrate:::figure_message(desk, step, "here", 700)
  expect_identical(message$svg, "")
  expect_match(message$note, "cannot be drawn: .*nothing")
})

test_that("another figure of an answer can be chosen, if it has it", {
  desk <- new_demo_desk()
  desk <- asks(desk, "standings", of = "sum(net_sales)", by = "region")$desk
  tiers <- asks(desk, "tiers", of = "sum(net_sales)", by = "region", chart = "tier_table")$desk
  expect_identical(eggcrate:::step_line(tiers, 3L), "Tiers, drawn as tier table")
  expect_identical(eggcrate:::new_step("pareto", list(), chart = "tier_table")$chart, "")
})

test_that("what is pointed at has its own figures, in every kind of answer", {
  desk <- new_demo_desk()
  orders <- demo_orders()
  orders$quarter <- paste0(format(orders$order_date, "%Y-"), quarters(orders$order_date))
  number <- function(x) format(round(x, 2), nsmall = 2, big.mark = ",", trim = TRUE)
  total <- function(...) number(sum(orders$net_sales[...], na.rm = TRUE))
  step <- eggcrate:::new_step("grid", list(of = "sum(net_sales)", by = "region", across = "quarter(order_date)"))
  message <- eggcrate:::figure_message(desk, step, "here", 800)
  expect_true(message$picks)
  expect_length(message$hints, length(unique(orders$region)) * length(unique(orders$quarter)))
  for (lines in message$hints) {
    cell <- strsplit(lines[1L], ", ", fixed = TRUE)[[1L]]
    expect_true(paste("net_sales", total(orders$region == cell[1L] & orders$quarter == cell[2L])) %in% lines, label = lines[1L])
  }
  for (kind in c("movement", "extremes")) {
    message <- eggcrate:::figure_message(desk, eggcrate:::new_step(kind, list(of = "sum(net_sales)", by = "region", over = "quarter(order_date)")), "here", 800)
    expect_gt(length(message$hints), 20L)
    for (lines in message$hints) {
      expect_true(paste("net_sales", total(orders$region == lines[1L] & orders$quarter == lines[2L])) %in% lines, label = paste(lines[1:2], collapse = " "))
    }
  }
  message <- eggcrate:::figure_message(desk, eggcrate:::new_step("pareto", list(of = "sum(net_sales)", by = "product", best = "lowest", order_by = "-net_sales")), "here", 800)
  for (lines in message$hints) expect_true(paste("net_sales", total(orders$product == lines[1L])) %in% lines, label = lines[1L])
  message <- eggcrate:::figure_message(desk, eggcrate:::new_step("standings", list(of = "sum(net_sales)", by = "product", within = "region", only = "bottom(2)")), "here", 800)
  expect_length(message$hints, 16L)
})
