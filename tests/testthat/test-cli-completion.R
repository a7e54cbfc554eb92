completion_of <- function(shell) {
  run <- run_here(c("completion", shell))
  expect_equal(run$status, 0)
  run$out
}

# A folder with the order book and the script, the command in the path.
shell_folder <- function(shell, env = parent.frame()) {
  folder <- withr::local_tempdir(.local_envir = env)
  file.copy(orders_path(), folder)
  writeLines(completion_of(shell), file.path(folder, "complete"))
  withr::local_dir(folder, .local_envir = env)
  withr::local_path(system.file("exec", package = "eggcrate"), .local_envir = env)
  libraries <- paste(.libPaths(), collapse = .Platform$path.sep)
  withr::local_envvar(R_LIBS = libraries, .local_envir = env)
}

asked_shell <- function(command, args) suppressWarnings(system2(command, args, stdout = TRUE, stderr = FALSE))

test_that("every command, option and choice is offered", {
  for (shell in c("bash", "fish")) {
    lines <- completion_of(shell)
    for (command in names(eggcrate:::grammar_commands)) {
      option <- gsub("_", "-", names(eggcrate:::command_options(command)))
      own <- grep(if (shell == "bash") sprintf("^    %s[):]", command) else sprintf("from %s'", command), lines, value = TRUE)
      shown <- paste0(if (shell == "bash") "--" else "-l ", option, "( |'|\\))")
      expect_identical(option[!vapply(shown, function(x) any(grepl(x, own)), NA)], character(), info = paste(shell, command))
    }
  }
  expect_equal(run_here(c("completion", "tcsh"))$status, 2)
  expect_match(run_here(c("completion", "--help"))$out, "eval", all = FALSE)
})

test_that("columns are those of the file, and a file that cannot be read has none", {
  path <- write_text("region,Net sales,\"odd`one\"\na,1,2\n")
  expect_identical(run_here(c("completion", "columns", path))$out, c("region", "`Net sales`"))
  none <- run_here(c("completion", "columns", "nowhere.csv"))
  expect_identical(list(none$status, length(none$out)), list(0L, 0L))
})

test_that("bash completes commands, files, options, their values and columns", {
  skip_if(!nzchar(Sys.which("bash")))
  shell_folder("bash")
  offered <- function(...) {
    words <- paste(shQuote(c(...)), collapse = " ")
    script <- c("source ./complete", sprintf("COMP_WORDS=(%s)", words), "COMP_CWORD=$(( ${#COMP_WORDS[@]} - 1 ))",
      "_eggcrate", "printf '%s\\n' \"${COMPREPLY[@]}\"")
    writeLines(script, "ask.sh")
    trimws(asked_shell("bash", "ask.sh"))
  }
  expect_identical(offered("eggcrate", "stan"), "standings")
  expect_identical(offered("eggcrate", "standings", "ord"), "orders.csv")
  expect_setequal(offered("eggcrate", "standings", "orders.csv", "--b"), c("--by", "--best", "--bars"))
  expect_identical(offered("eggcrate", "standings", "orders.csv", "--by", "re"), "region")
  expect_identical(offered("eggcrate", "standings", "orders.csv", "--of", "'sum(profit) / sum(net"), "sum(profit) / sum(net_sales")
  expect_setequal(offered("eggcrate", "grid", "orders.csv", "--totals", ""), c("yes", "no"))
  expect_setequal(offered("eggcrate", "changes", "orders.csv", "--table", ""),
    eggcrate:::grammar_commands$changes$tables)
  expect_identical(offered("eggcrate", "help", "lang"), "language")
})

test_that("fish does, with a word on each", {
  skip_if(!nzchar(Sys.which("fish")), "fish is not installed")
  shell_folder("fish")
  offered <- function(line) asked_shell("fish", c("-c", shQuote(sprintf("source ./complete; complete -C %s", dQuote(line, FALSE)))))
  expect_match(offered("eggcrate stan"), "^standings\trank items")
  expect_identical(offered("eggcrate standings orders.csv --by re"), "region\twhat to rank")
  expect_match(offered("eggcrate standings orders.csv --of 'sum(net"), "^sum\\(net_sales")
  expect_match(offered("eggcrate standings orders.csv --best "), "^(highest|lowest)\t")
  expect_match(offered("eggcrate standings orders.csv --of dist"), "^distinct\\(", all = FALSE)
})

test_that("zsh does, at a terminal", {
  skip_if(!nzchar(Sys.which("zsh")), "zsh is not installed")
  shell_folder("zsh")
  writeLines(c("zmodload zsh/zpty", "zpty shell zsh -f -i", "typed() {",
    "  zpty -w -n shell \"$1\"$'\\t'", "  local out all=''", "  for i in {1..60}; do",
    "    while zpty -r -t shell out; do all+=\"$out\"; done",
    "    [[ \"$all\" == *\"$2\"* ]] && break; sleep 0.25", "  done",
    "  zpty -w -n shell $'\\x15'; print -r -- \"${all[-80,-1]}\"", "}",
    "zpty -w shell 'PS1=; source ./complete; echo re''ady'",
    "for i in {1..60}; do zpty -r -t shell out && [[ \"$out\" == *ready* ]] && break; sleep 0.25; done",
    "typed 'eggcrate stan' 'standings '", "typed 'eggcrate standings orders.csv --by reg' region"), "ask.zsh")
  said <- paste(asked_shell("zsh", c("-f", "ask.zsh")), collapse = "\n")
  expect_match(said, "eggcrate standings ")
  expect_match(said, "--by region")
})
