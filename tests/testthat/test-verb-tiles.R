test_that("a layout that does not fit is refused", {
  x <- standings(demo_orders(), of = sum(net_sales), by = region)
  tiles <- as.data.frame(as.list(demo_tiles()))
  expect_snapshot(refusals(
    tile_table(x, tiles[-1, ]), tile_table(x, tiles[c("region", "row")]),
    tile_table(x, rbind(tiles, tiles[1, ])), tile_table(x, transform(tiles, row = row + 0.5)),
    tile_table(x, 5),
    tile_table(standings(demo_orders(), of = sum(net_sales), by = c(town, region)), tiles),
    tile_table(standings(demo_orders(), of = sum(net_sales), by = region, over = year(order_date)),
      tiles)
  ))
})

test_that("the printed form names the first items of each region", {
  x <- standings(demo_orders(), of = sum(net_sales), by = customer, within = region)
  lines <- eggcrate:::tile_lines(x, demo_tiles(), 90)
  expect_match(lines[1], "^Ambermouth is first with 1,052,200.76")
  at <- which(lines == "Northfirth, no. 5 of 8, 10.0%")
  expect_match(lines[at + 1], "1  Orvind Harbour Shop +76,008.41")
  expect_match(lines[at + 2], "2  Norrick Pilot Station")
  expect_match(lines[length(lines)], "20,340 of 20,361 rows used")
})

test_that("a missing region is missing in the table", {
  x <- standings(data.frame(region = c(NA, "North"), v = 1:2), of = sum(v), by = region)
  layout <- data.frame(region = c("North", NA), row = 1, column = 1:2)
  expect_identical(tile_table(x, layout)$region, c("North", NA))
  expect_identical(eggcrate:::answer_table(x, "tiles", layout = layout)$region, c("North", NA))
})
