library(testthat)
library(eggcrate)

test_check("eggcrate")
