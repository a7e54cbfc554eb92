#' The demo order book
#'
#' Order lines of a made-up chandlery wholesaler on an invented coast: 33 months,
#' the last one not complete, with returns, ties, some blanks, and customers who
#' come, go and come back. Every name and figure is made up.
#'
#' @returns A tibble as [read_sales()] returns it, one row per order line:
#'   `order_no` (character), `order_date` (Date), `region`, `town`, `customer`,
#'   `salesperson`, `category`, `product` (character), `units` (pieces, negative
#'   for returns), `net_sales` and `profit` (euros, two decimals).
#' @export
#' @examples
#' demo_orders()
demo_orders <- function() {
  if (is.null(known_demo$orders)) {
    known_demo$orders <- read_sales(demo_file("orders.csv"), text = "order_no")
  }
  # A copy, which may be changed in place.
  data.table::copy(known_demo$orders)
}

known_demo <- new.env()

#' Targets of the demo
#'
#' Targets of net sales for each region and month of the last 21 months of [demo_orders()].
#'
#' @returns A tibble: `region` (character), `month` (character, such as `2026-05`) and
#'   `target` (double, euros).
#' @export
#' @examples
#' demo_targets()
demo_targets <- function() read_sales(demo_file("targets.csv"))

#' Tile layout of the demo
#'
#' Where the regions of [demo_orders()] lie, for [chart_tiles()].
#'
#' @returns A tibble: `region` (character), `row` and `column` (from the top left).
#' @export
#' @examples
#' demo_tiles()
demo_tiles <- function() read_sales(demo_file("region-tiles.csv"))

demo_file <- function(name) system.file("extdata", name, package = "eggcrate", mustWork = TRUE)

# The study of the demo, for a folder that has its files.
demo_study <- function() {
  path <- system.file("studies", "review.toml", package = "eggcrate", mustWork = TRUE)
  beside <- file.path(tempdir(), basename(path))
  lines <- gsub("../extdata/", "", readLines(path, encoding = "UTF-8"), fixed = TRUE)
  writeLines(enc2utf8(lines), beside, useBytes = TRUE)
  beside
}

# The demo orders as a database too, if the driver is installed.
has_demo_database <- function() requireNamespace("DBI", quietly = TRUE) &&
  requireNamespace("RSQLite", quietly = TRUE)

# Nothing went wrong, says the empty text.
write_demo_database <- function(path) {
  con <- DBI::dbConnect(RSQLite::SQLite(), path)
  on.exit(DBI::dbDisconnect(con))
  orders <- as.data.frame(demo_orders())
  # It knows no dates: they are texts there.
  orders$order_date <- as.character(orders$order_date)
  DBI::dbWriteTable(con, "orders", orders)
  DBI::dbWriteTable(con, "customers",
    as.data.frame(read_sales(system.file("extdata", "customers.csv", package = "eggcrate"))))
  ""
}
