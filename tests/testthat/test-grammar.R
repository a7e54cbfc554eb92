test_that("each command has functions that take the same arguments", {
  commands <- eggcrate:::grammar_commands
  functions <- list(standings = "standings", pareto = "pareto",
    tiers = c("standings", "assign_tiers"), why = c("standings", "assign_tiers", "why"),
    quadrants = "quadrants", changes = "compare_periods", targets = "against_target",
    extremes = c("standings", "extremes"), grid = "heat_grid", movement = "movement",
    concentration = c("standings", "concentration"), findings = c("of", "findings"),
    firmness = c("standings", "firmness"))
  expect_setequal(names(commands), names(functions))
  for (command in names(commands)) {
    described <- commands[[command]]$arguments
    selects <- "only" %in% described
    taken <- unlist(lapply(setdiff(functions[[command]], "of"),
      function(f) names(formals(getExportedValue("eggcrate", f)))))
    # The question behind standings that are asked for on the way.
    if ("of" %in% functions[[command]]) {
      taken <- c(taken, "of", "by", "where", "scheme", "best", "ties", "as_of")
    }
    if (selects) taken <- c(taken, "only", "highlight", names(formals(only)))
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
    help <- run_process(c(command, "--help"))
    expect_equal(help$status, 0)
    example <- sub("^ *eggcrate ", "", help$out[grep("^Example", help$out) + 1])
    args <- scan(text = example, what = "", quiet = TRUE)
    expect_equal(run_process(args)$status, 0, info = example)
    for (argument in eggcrate:::grammar_commands[[command]]$arguments) {
      expect_true(any(grepl(paste0("--", gsub("_", "-", argument), "(=|$| )"), help$out)),
        info = argument)
    }
  }
  expect_gt(file.size("pareto.png"), 10000)
})
