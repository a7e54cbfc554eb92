test_that("each command has a function of its name that takes the same arguments", {
  expect_setequal(names(eggcrate:::grammar_commands), c("standings", "pareto"))
  for (command in names(eggcrate:::grammar_commands)) {
    described <- eggcrate:::grammar_commands[[command]]$arguments
    taken <- setdiff(names(formals(getExportedValue("eggcrate", command))), c("data", "..."))
    expect_setequal(described, taken)
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
      expect_true(any(grepl(paste0("--", gsub("_", "-", argument), "="), help$out, fixed = TRUE)), info = argument)
    }
  }
  expect_gt(file.size("pareto.png"), 10000)
})
