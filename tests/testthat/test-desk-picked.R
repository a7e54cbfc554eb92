picks <- function(desk, names, how = "these") {
  x <- answer_on(desk)$x
  eggcrate:::desk_act(desk, list(what = "pick", rows = as.list(eggcrate:::rows_of_names(x, names)), how = how))$desk
}
follows <- function(desk, how, by = NULL) eggcrate:::desk_act(desk, list(what = "follow", how = how, by = by))

test_that("what is selected gives its reasons, its total and its course", {
  desk <- picks(new_demo_desk(), "Varlow Boatyard")
  facts <- eggcrate:::picked_facts(desk)
  expect_identical(facts$why$text, as.data.frame(why(standings(demo_orders(), of = sum(net_sales), by = customer), item = "Varlow Boatyard"))$text)
  own <- subset(demo_orders(), customer == "Varlow Boatyard" & !is.na(net_sales))
  by_quarter <- tapply(own$net_sales, paste0(format(own$order_date, "%Y-"), quarters(own$order_date)), sum)
  expect_identical(facts$course$label, names(by_quarter))
  expect_equal(facts$course$value, as.numeric(by_quarter))
  desk <- picks(desk, c("Estrid Marina", "Varlow Boatyard"))
  facts <- eggcrate:::picked_facts(desk)
  expect_null(facts$why)
  both <- subset(demo_orders(), customer %in% c("Varlow Boatyard", "Estrid Marina"))
  share <- sum(both$net_sales, na.rm = TRUE) / sum(demo_orders()$net_sales, na.rm = TRUE)
  expect_match(facts$together, sprintf("2 of 241 customers, %.1f%% of net sales: ", 100 * share), fixed = TRUE)
})

test_that("picking adds, takes away, and lets go, by names that survive another order of the rows", {
  desk <- picks(new_demo_desk(), c("Varlow Boatyard", "Estrid Marina"))
  desk <- picks(desk, "Estrid Marina", "toggle")
  expect_identical(desk$picked, "Varlow Boatyard")
  desk <- picks(desk, "Jorrin Chandlers", "also")
  desk <- asks(desk, "standings", of = "sum(net_sales)", by = "customer", best = "lowest")$desk
  expect_setequal(eggcrate:::names_of_rows(answer_on(desk)$x, eggcrate:::picked_rows(desk, eggcrate:::desk_step(desk))), c("Varlow Boatyard", "Jorrin Chandlers"))
  expect_identical(picks(desk, character(), "none")$picked, character())
  for (rows in list(list("x"), list(-1, 1e9), list(NULL), "1; drop")) expect_type(eggcrate:::desk_act(desk, list(what = "pick", rows = rows, how = "these"))$desk$picked, "character")
})

test_that("the same one level below, only these, without these: filter first, then rank", {
  desk <- picks(new_demo_desk(), c("Varlow Boatyard", "Estrid Marina"))
  orders <- demo_orders()
  below <- follows(desk, "drill", "category")$desk
  expected <- drill(standings(orders, of = sum(net_sales), by = customer), c("Varlow Boatyard", "Estrid Marina"), by = category)
  expect_identical(answer_on(below)$x$net_sales, expected$net_sales)
  expect_identical(answer_on(below)$x$category, expected$category)
  without <- answer_on(follows(desk, "without")$desk)$x
  expect_equal(without$net_sales, standings(orders[!orders$customer %in% desk$picked, ], of = sum(net_sales), by = customer)$net_sales)
  only <- answer_on(follows(desk, "only")$desk)$x
  expect_identical(sort(only$customer), sort(desk$picked))
  marked <- answer_on(follows(desk, "mark")$desk)$x
  expect_setequal(marked$customer[marked$highlighted], desk$picked)
  for (bad in list(list("drill", "net_sales"), list("drill", "nothing"), list("evil", NULL))) {
    expect_identical(length(do.call(follows, c(list(desk), bad))$desk$trail), if (bad[[1L]] == "evil") 2L else 1L)
  }
})

test_that("keys of several columns, of periods, of numbers and missing ones are said as conditions that hold for their rows", {
  orders <- demo_orders()
  orders$year <- as.integer(format(orders$order_date, "%Y"))
  orders$town[1:50] <- NA
  desk <- new_demo_desk(orders)
  for (by in c("c(town, region)", "month(order_date)", "year", "order_date", "town", "c(year, town)")) {
    at <- asks(desk, "standings", of = "sum(net_sales)", by = by)$desk
    x <- answer_on(at)$x
    rows <- c(1L, 3L, which(rowSums(is.na(as.data.frame(x)[setdiff(names(x), c("share", "cum_share", "percentile", "running"))])) > 0L)[1L])
    rows <- unique(rows[!is.na(rows)])
    at$picked <- eggcrate:::names_of_rows(x, rows)
    only <- answer_on(follows(at, "only")$desk)$x
    expect_equal(only$net_sales, x$net_sales[rows][order(-x$net_sales[rows])], info = by)
  }
})

test_that("names with quotes, markup and marks of code are picked and followed as they are", {
  odd <- c("a \"quoted\" one", "it's", "<b>bold</b>", "back`tick", "per % cent", "c(1)", "back\\slash", "TRUE", "")
  data <- data.frame(name = rep(odd, 3), kind = rep(c("x", "y", "z"), each = length(odd)), sales = seq_len(3 * length(odd)))
  desk <- asks(new_demo_desk(data), "standings", of = "sum(sales)", by = "name")$desk
  for (one in setdiff(odd, "")) {
    at <- picks(desk, one)
    below <- answer_on(follows(at, "drill", "kind")$desk)
    expect_equal(sum(below$x$sales), sum(data$sales[data$name == one]), info = one)
    expect_false(grepl("<b>bold", eggcrate:::views_message(eggcrate:::after_act(at, "picked"))$html$picked, fixed = TRUE))
  }
})

test_that("items of movement, of best and worst and of a curve are picked as those of standings; in a grid its cells are", {
  desk <- new_demo_desk()
  orders <- demo_orders()
  quarter <- paste0(format(orders$order_date, "%Y-"), quarters(orders$order_date))
  of <- function(kind, ...) eggcrate:::add_step(desk, eggcrate:::new_step(kind, list(of = "sum(net_sales)", ...)))
  for (kind in c("movement", "extremes", "concentration")) {
    at <- if (kind == "concentration") of(kind, by = "region") else of(kind, by = "region", over = "quarter(order_date)")
    at <- picks(at, c("Ambermouth", "Saltmarsh"))
    expect_setequal(at$picked, c("Ambermouth", "Saltmarsh"))
    facts <- eggcrate:::picked_facts(at)
    own <- orders$region %in% at$picked
    expect_match(facts$together, sprintf("2 (of 8 )?regions, %.1f%% of net sales", 100 * sum(orders$net_sales[own], na.rm = TRUE) / sum(orders$net_sales, na.rm = TRUE)))
    expect_equal(sum(facts$course$value), sum(orders$net_sales[own], na.rm = TRUE))
    expect_identical(follows(at, "only")$desk$trail[[3L]]$conditions[[1L]]$text, "region %in% c(\"Ambermouth\", \"Saltmarsh\")")
    counted <- sum(eggcrate:::quantity_real(answer_of(answer_on(follows(at, "without")$desk)$x)$ranked$quantity))
    expect_equal(counted, sum(orders$net_sales[!own], na.rm = TRUE))
    expect_identical(names(answer_on(follows(at, "drill", "category")$desk)$x)[names(answer_on(follows(at, "drill", "category")$desk)$x) == "region"], character())
  }
  # Why: in the last complete period.
  at <- picks(of("movement", by = "region", over = "quarter(order_date)"), "Saltmarsh")
  facts <- eggcrate:::picked_facts(at)
  expect_identical(unique(facts$why$group), "2026-Q1")
  expect_true(sprintf("sum(net_sales): %s", format(sum(orders$net_sales[orders$region == "Saltmarsh" & quarter == "2026-Q1"], na.rm = TRUE), nsmall = 2, big.mark = ",")) %in% facts$why$text)

  for (turned in c(FALSE, TRUE)) {
    grid <- if (turned) of("grid", by = "quarter(order_date)", across = "region") else of("grid", by = "region", across = "quarter(order_date)")
    cell <- function(region, quarter) if (turned) paste(quarter, region, sep = ", ") else paste(region, quarter, sep = ", ")
    at <- picks(grid, c(cell("Ambermouth", "2024-Q1"), cell("Saltmarsh", "2025-Q3")))
    expect_length(at$picked, 2L)
    own <- orders$region == "Ambermouth" & quarter == "2024-Q1" | orders$region == "Saltmarsh" & quarter == "2025-Q3"
    expect_match(eggcrate:::picked_facts(at)$together, sprintf("2 cells, %.1f%%", 100 * sum(orders$net_sales[own], na.rm = TRUE) / sum(orders$net_sales, na.rm = TRUE)))
    only <- answer_on(follows(at, "only")$desk)$x
    expect_equal(sum(only$net_sales, na.rm = TRUE), sum(orders$net_sales[own], na.rm = TRUE))
    without <- answer_on(follows(at, "without")$desk)$x
    expect_equal(sum(without$net_sales, na.rm = TRUE), sum(orders$net_sales[!own], na.rm = TRUE))
    marked <- answer_on(follows(at, "mark")$desk)$x
    expect_setequal(unique(if (turned) marked$quarter[marked$highlighted] else marked$region[marked$highlighted]), if (turned) c("2024-Q1", "2025-Q3") else c("Ambermouth", "Saltmarsh"))
    one <- eggcrate:::picked_facts(picks(grid, cell("Ambermouth", "2024-Q1")))
    expect_true("no. 1 of 8 regions" %in% one$why$text || turned)
    # The table says which cell is which.
    body <- eggcrate:::views_message(eggcrate:::after_act(grid, c("finding", "table")))$html$table
    rows <- eggcrate:::rows_of_names(answer_on(grid)$x, at$picked)
    for (row in rows) expect_match(body, sprintf("<td [^>]*data-item=\"%d\">", row))
  }
  # Findings are of answers, not items.
  expect_null(eggcrate:::picked_facts(picks(of("findings", by = "region"), character())))
})
