# From a cold shell: `standings` on the demo file against the bare start of R, in
# turns, so that both meet the same noise.
orders <- system.file("extdata", "orders.csv", package = "eggcrate")
seconds <- function(command, args) {
  system.time(system2(command, args, stdout = FALSE, stderr = FALSE))[["elapsed"]]
}
times <- replicate(15, c(
  seconds("bin/eggcrate",
    c("standings", orders, "--of", shQuote("sum(net_sales)"), "--by", "customer")),
  seconds("Rscript", c("-e", "0"))
))
least <- apply(times, 1, min)
cat(sprintf("\nCold shell: standings on the demo file %.3f s, bare start of R %.3f s, ratio %.2f\n",
  least[1], least[2], least[1] / least[2]))
