test_that("each command has functions that take the same arguments", {
  commands <- eggcrate:::grammar_commands
  functions <- list(standings = "standings", pareto = "pareto",
    tiers = c("standings", "assign_tiers"), why = c("standings", "assign_tiers", "why"),
    quadrants = "quadrants", changes = "compare_periods", targets = "against_target",
    extremes = c("standings", "extremes"), grid = "heat_grid", movement = "movement",
    concentration = c("standings", "concentration"), findings = c("of", "findings"),
    intervals = c("standings", "rank_intervals"))
  expect_setequal(names(commands), names(functions))
  for (command in names(commands)) {
    described <- commands[[command]]$arguments
    selects <- "only" %in% described
    taken <- unlist(lapply(setdiff(functions[[command]], "of"),
      function(f) names(formals(getExportedValue("eggcrate", f)))))
    # The question behind standings that are asked for on the way.
    if ("of" %in% functions[[command]]) {
      taken <- c(taken, "of", "by", "where", "scheme", "best", "ties", "as_of", "date")
    }
    if (selects) {
      # Rows of a grid and items of a movement are chosen, not put in order.
      chosen <- switch(command, grid = c("only", "highlight", "at_cut"), movement = c("only", "at_cut"),
        c("only", "highlight", "order_by", names(formals(only))))
      taken <- c(taken, chosen)
    }
    if (command == "why") taken <- setdiff(taken, "compare_with") # of now alone
    expect_setequal(described,
      setdiff(taken, c("data", "x", "which", "...", "width", "n", "figures")))
    expect_true(all(described %in% names(eggcrate:::grammar_arguments)))
  }
})

test_that("the example in the help of each command runs", {
  folder <- withr::local_tempdir()
  file.copy(orders_path(), folder)
  withr::local_dir(folder)
  for (command in names(eggcrate:::grammar_commands)) {
    help <- run_here(c(command, "--help"))
    expect_equal(help$status, 0)
    example <- sub("^ *eggcrate ", "", help$out[grep("^Example", help$out) + 1])
    args <- scan(text = example, what = "", quiet = TRUE)
    expect_equal(run_here(args)$status, 0, info = example)
    for (argument in eggcrate:::grammar_commands[[command]]$arguments) {
      expect_true(any(grepl(paste0("--", gsub("_", "-", argument), "(=|$| )"), help$out)),
        info = argument)
    }
  }
  expect_gt(file.size("pareto.png"), 10000)
})

test_that("signatures have the defaults of the one table", {
  verbs <- c(standings = "standings", pareto = "pareto", quadrants = "quadrants",
    changes = "compare_periods", targets = "against_target", grid = "heat_grid",
    movement = "movement", intervals = "rank_intervals", findings = "findings", only = "only")
  for (command in names(verbs)) {
    signature <- formals(getExportedValue("eggcrate", verbs[[command]]))
    names <- intersect(names(signature), names(eggcrate:::grammar_arguments))
    expect_gt(length(names), 1)
    for (name in names) {
      if (identical(signature[[name]], quote(expr = ))) next
      known <- if (command %in% names(eggcrate:::grammar_commands)) {
        eggcrate:::argument_of(command, name)$default
      } else {
        eggcrate:::grammar_arguments[[name]]$default
      }
      written <- if (is.call(signature[[name]])) deparse(signature[[name]]) else signature[[name]]
      expect_identical(as.character(written), as.character(known), info = paste(command, name))
    }
  }
})

test_that("the table names tables, charts and rules that there are", {
  commands <- eggcrate:::grammar_commands
  expect_setequal(names(commands), names(eggcrate:::answers))
  charts <- names(eggcrate:::charts())
  for (command in names(commands)) {
    expect_true(commands[[command]]$verb %in% getNamespaceExports("eggcrate"))
    expect_identical(as.character(setdiff(commands[[command]]$charts, charts)), character())
  }
  expect_identical(eggcrate:::grammar_arguments$ties$choices, names(eggcrate:::tie_rules))
})

test_that("every table and every chart of the table can be had by its name", {
  ask <- function(command, ...) {
    eggcrate:::ask(command, list(of = "sum(net_sales)", by = "region", ...),
      eggcrate:::open_source(demo_orders()))
  }
  over <- "quarter(order_date)"
  results <- list(standings = ask("standings"), pareto = ask("pareto"), tiers = ask("tiers"),
    quadrants = ask("quadrants", against = "sum(profit)"), changes = ask("changes", over = over),
    targets = ask("targets", target = "500000"), extremes = ask("extremes"),
    grid = ask("grid", across = over), movement = ask("movement", over = over),
    concentration = ask("concentration"), intervals = ask("intervals", orders = "order_no",
      times = 20))
  for (command in names(results)) {
    x <- results[[command]]
    for (table in eggcrate:::grammar_commands[[command]]$tables) {
      found <- eggcrate:::answer_table(x, table, layout = demo_tiles())
      expect_gt(length(found[[1]]), 0)
      expect_type(eggcrate:::answer_lines(x, table, layout = demo_tiles()), "character")
    }
    for (chart in eggcrate:::grammar_commands[[command]]$charts) {
      drawn <- if (chart == "tiles") {
        eggcrate:::answer_chart(x, chart, layout = demo_tiles())
      } else {
        eggcrate:::answer_chart(x, chart)
      }
      expect_s3_class(drawn, "ggplot")
    }
  }
  expect_error(eggcrate:::answer_table(results$standings, "bridge"),
    class = "eggcrate_error_unknown_value")
})
