# The examples of all help pages, each in this session, which they must leave as it was.

session_state <- function() {
  list(seed = get0(".Random.seed", globalenv(), inherits = FALSE), options = options(),
    locale = Sys.getlocale(), folder = getwd(), devices = grDevices::dev.list(), connections = rownames(showConnections()),
    files = list.files(tempdir(), "^eggcrate"), variables = Sys.getenv(names = TRUE))
}

test_that("examples change no seed, option, locale, folder, device, connection, file or variable of the session", {
  # For charts that an example prints.
  grDevices::pdf(NULL)
  withr::defer(grDevices::dev.off())
  set.seed(20)
  pages <- tools::Rd_db("eggcrate")
  tried <- 0L
  for (page in names(pages)) {
    path <- withr::local_tempfile(fileext = ".R")
    tools::Rd2ex(pages[[page]], path)
    if (!file.exists(path)) next
    before <- session_state()
    utils::capture.output(source(path, local = new.env(parent = globalenv()), echo = FALSE))
    tried <- tried + 1L
    after <- session_state()
    # Other packages add options as they are loaded, dbplyr counts its subqueries in one, and tables are written to databases with
    # random names.
    compared <- setdiff(names(before$options), "dbplyr_subquery_name")
    after$options <- after$options[compared]
    before$options <- before$options[compared]
    if (any(grepl("dbWriteTable", readLines(path)))) after$seed <- before$seed
    for (what in names(before)) expect_identical(after[[what]], before[[what]], info = paste(page, what))
  }
  expect_gt(tried, 40L)
})
