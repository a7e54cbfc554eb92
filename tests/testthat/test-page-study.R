test_that("a figure in a page has names of its own, and is cut below its title", {
  svg <- c("<?xml version='1.0' encoding='UTF-8' ?>", "<svg xmlns='http://www.w3.org/2000/svg' class='svglite' width='10pt' height='100pt' viewBox='0 0 800.00 500.00'>",
    "<defs><clipPath id='cpA='><rect/></clipPath></defs>", "<g clip-path='url(#cpA=)'>", "<text x='5' y='20.5' style='s'>A &amp; B</text>",
    "<text x='5' y='36.5' style='s'>two</text>", "<text x='5' y='60' style='s'>below</text>", "</g>", "</svg>")
  cut <- eggcrate:::without_title(svg, "A & B\ntwo")
  expect_false(any(grepl("A &amp; B|>two<", cut)))
  expect_match(cut, "viewBox='0 40.5 800 459.5'", all = FALSE)
  expect_identical(eggcrate:::without_title(svg, "another"), svg)
  one <- eggcrate:::inline_svg(svg, "p-1", "It says \"x\" & <y>")
  expect_match(one, "id='p-1-cpA='", fixed = TRUE)
  expect_match(one, "url(#p-1-cpA=)", fixed = TRUE)
  expect_match(one, "role=\"img\" aria-label=\"It says &quot;x&quot; &amp; &lt;y&gt;\"", fixed = TRUE)
  expect_no_match(one, "<?xml", fixed = TRUE)
})

test_that("the page has what each part found, its figures, tables, receipts, and how it was asked", {
  run <- demo_run()
  page <- xml2::read_html(file.path(run$folder, "index.html"))
  text <- function(path) trimws(xml2::xml_text(xml2::xml_find_all(page, path)))
  expect_identical(xml2::xml_attr(xml2::xml_find_first(page, "/html"), "lang"), "en")
  expect_identical(gsub("\u00a0", " ", text("//main/section//h2")), run$table$finding)
  expect_identical(text("//nav//a/span[@class='short']"), run$table$finding)
  expect_equal(length(text("//main//figure")), length(list.files(file.path(run$folder, "charts"), "[.]svg$")))
  alt <- xml2::xml_attr(xml2::xml_find_all(page, "//main//svg"), "aria-label")
  expect_true(all(nchar(alt) > 20))
  ids <- xml2::xml_attr(xml2::xml_find_all(page, "//*[@id]"), "id")
  expect_identical(anyDuplicated(ids), 0L)
  expect_equal(length(text("//script")), 0)
  heads <- xml2::xml_find_all(page, "//main//thead//th")
  expect_true(all(xml2::xml_attr(heads, "scope") == "col"))
  # A long tail is folded, with all of it in it.
  tail <- xml2::xml_find_all(page, "//section[@id='products']//details[@class='tail']")
  expect_match(xml2::xml_text(tail), "All 64 products")
  expect_equal(length(xml2::xml_find_all(tail, ".//tbody/tr")), 65) # and the total
  asked <- text("//section[@id='accounts']//details[@class='asked']//code")
  expect_match(asked[1], "assign_tiers(scheme = tiers_by_value(c(A = 30000, B = 10000)", fixed = TRUE)
  expect_match(asked[2], "^eggcrate tiers ../extdata/orders.csv --lookup .*customers.csv: customer. --of 'sum\\(net_sales\\)' --by customer")
  # The map has the first ten of each region, the others and the total.
  rows <- text("//section[@id='map']//tbody/tr")
  expect_equal(sum(grepl("^total|total \\(", rows)), 8)
  expect_match(rows, "^Ambermouth, no. 1 of 8", all = FALSE)
})

test_that("what is in names and texts is shown, and does not act", {
  folder <- withr::local_tempdir()
  odd <- c("<script>alert(1)</script>", "\" onload=\"x", "a\u202eb", "=1+1", "]]>", "{{x}}")
  write.csv(data.frame(item = odd, amount = 6:1), file.path(folder, "odd.csv"), row.names = FALSE)
  path <- write_study(c("eggcrate = 1", "title = \"<i>T</i>\"", "[source]", "file = \"odd.csv\"", "[[part]]", "name = \"a\"", "command = \"standings\"",
    "of = \"sum(amount)\"", "by = \"item\"", "text = \"</section><script>x</script>\""), folder)
  run_study(path, file.path(folder, "out"), quiet = TRUE)
  raw <- whole_text(file.path(folder, "out", "index.html"))
  expect_false(grepl("<script|onload=\"x\"|<i>T|\u202e", raw))
  page <- xml2::read_html(raw)
  expect_equal(length(xml2::xml_find_all(page, "//script|//*[@onload]")), 0)
  names <- trimws(xml2::xml_text(xml2::xml_find_all(page, "//main//td[contains(@class, 'name')]")))
  expect_true(all(odd[c(1, 2, 4, 5, 6)] %in% names))
})
