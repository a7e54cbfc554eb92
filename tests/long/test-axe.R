# Pages, looked through by axe-core.

test_that("a screen reader is told what each thing is: axe finds nothing serious", {
  desk <- start_desk(orders_path())
  page <- open_page(desk$address)
  page$click("#table tr[data-item='2'] .tick")
  page$choose("#sentence [data-field=kind]", "tiers")
  page$click("#trail li:first-child .beside")
  page$js("document.querySelectorAll('details').forEach(function(d){d.open=true}); 1")
  page$b$Page$setBypassCSP(enabled = TRUE)
  page$go(desk$address)
  page$js("document.querySelectorAll('details').forEach(function(d){d.open=true}); 1")
  expect_identical(axe_findings(page), character())
  page$choose("#sentence [data-field=kind]", "concentration")
  page$click("#table tr[data-item] .tick")
  expect_identical(axe_findings(page), character())
})

expect_none_of_axe <- function(path) {
  page <- open_page(paste0("file://", path), plain = TRUE)
  expect_identical(axe_findings(page, c("serious", "critical", "moderate")), character(), info = path)
}

test_that("axe finds nothing on the page of a study", expect_none_of_axe(file.path(demo_run()$folder, "index.html")))

test_that("axe finds nothing on the pages for each and their index", {
  folder <- study_folder()
  path <- write_study(c("eggcrate = 1", "for_each = \"region\"", "[source]", "file = \"orders.csv\"", simple_part("customers")), folder)
  run_study(path, file.path(folder, "out"), quiet = TRUE)
  expect_none_of_axe(file.path(folder, "out", "index.html"))
  expect_none_of_axe(list.files(file.path(folder, "out", "each"), "html$", full.names = TRUE)[1L])
})

test_that("the page is written as PDF where a browser is", {
  skip_if(!any(nzchar(Sys.which(eggcrate:::chromium_names))), "no Chromium")
  folder <- study_folder()
  path <- write_study(c(study_head, simple_part("a")), folder)
  out <- file.path(folder, "out")
  expect_equal(run_here(c("run", path, "--out", out, "--pdf", "--quiet"))$status, 0)
  expect_identical(readBin(file.path(out, "index.pdf"), "raw", 5), charToRaw("%PDF-"))
  # It is ours, and may be replaced.
  expect_equal(run_here(c("run", path, "--out", out, "--overwrite", "--quiet"))$status, 0)
})
