# The long tests use the helpers of the others.
for (path in list.files(file.path(Sys.getenv("EGGCRATE_CHECKOUT", "../.."), "tests", "testthat"), "^helper-", full.names = TRUE)) {
  sys.source(path, environment())
}
