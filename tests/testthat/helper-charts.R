# The drawn data of one layer of a chart: the `which`-th of those with this geom.
layer <- function(chart, geom, which = 1) {
  at <- base::which(vapply(chart$layers, function(l) inherits(l$geom, geom), NA))
  ggplot2::layer_data(chart, at[which])
}

# Draws a chart into a file that is thrown away.
draw <- function(chart) {
  path <- withr::local_tempfile(fileext = ".png")
  eggcrate:::write_chart(chart, path)
  expect_gt(file.size(path), 5000)
}
