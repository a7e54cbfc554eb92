# A bounded part of what `make fuzz` does for as long as is asked.

test_that("whatever is asked is answered, or refused with an error of our own", {
  # Charts are printed, too.
  grDevices::pdf(NULL)
  withr::defer(grDevices::dev.off())
  for (kind in names(fuzz_kinds)) {
    seeds <- seq_len(switch(kind, options = , desk = , outputs = , parquet = 60, studies = 40, 150))
    expect_identical(unlist(lapply(seeds, fuzz_once, kind = kind)), NULL, info = kind)
  }
})
