# Makes the demo world in inst/extdata/ from a fixed seed. Run from the root of
# the repository: Rscript data-raw/make-demo.R
#
# A chandlery wholesaler on an invented coast. Nobody and nothing here is real.

RNGkind("Mersenne-Twister", "Inversion", "Rejection")
set.seed(2606)

first_day <- as.Date("2023-10-01")
last_day <- as.Date("2026-06-17") # the 33rd month stops in its middle
days <- seq(first_day, last_day, by = "day")

# Regions and towns --------------------------------------------------------

regions <- data.frame(
  region = c("Northfirth", "Skerry Isles", "Gannet Bay", "Midmark", "Ambermouth", "Long Strand",
    "Saltmarsh", "Southhook"),
  row = c(1, 1, 2, 2, 2, 3, 3, 4), column = c(2, 3, 1, 2, 3, 2, 3, 2),
  weight = c(10, 5, 17, 9, 24, 14, 8, 13)
)
starts <- c("Ankra", "Brambel", "Cobbra", "Driva", "Eidra", "Fensel", "Gulla", "Haldra", "Iskar",
  "Kelva", "Lantra", "Mastrel", "Nessel", "Ostrel", "Pellar", "Quilla", "Redra", "Sanvar", "Tersel",
  "Whinna")
ends <- c("haven", "ness", "wick", "mouth", "staithe", "holm")
towns <- as.vector(outer(starts, 1:3,
  function(start, i) paste0(start, ends[(match(start, starts) + 2 * i) %% 6 + 1])))
stopifnot(!anyDuplicated(towns))
town <- data.frame(town = towns, region = rep(regions$region, length.out = 60))
# Three towns have a namesake on another stretch of the coast.
town <- rbind(town,
  data.frame(town = town$town[c(3, 21, 38)], region = c("Southhook", "Northfirth", "Midmark")))

# Customers ----------------------------------------------------------------

n_customers <- 240
owners <- c("Albrek", "Berrowin", "Carrisk", "Dunmarr", "Estrid", "Farrend", "Garlow", "Heskel",
  "Ivarsk", "Jorrin", "Kestlow", "Lornet", "Merrisk", "Norrick", "Orvind", "Penharrow", "Ruskell",
  "Sorrelby", "Tarnek", "Ulvar", "Varlow", "Wyrick", "Yarrol", "Zennick")
kinds <- c("Boatyard", "Marina", "Ferries", "Harbour Shop", "Yacht Club", "Chandlers",
  "Fishing Co-op", "Slipway", "Sailmakers", "Pilot Station")
pairs <- expand.grid(owner = owners, kind = kinds, stringsAsFactors = FALSE)
pairs <- pairs[sample(nrow(pairs), n_customers), ]
customers <- data.frame(customer = paste(pairs$owner, pairs$kind), kind = pairs$kind)
home <- sample(nrow(town), n_customers, TRUE,
  prob = regions$weight[match(town$region, regions$region)])
customers$town <- town$town[home]
customers$region <- town$region[home]
# A long tail: sizes fall off as a power of the place.
size <- 1 / (seq_len(n_customers) + 6)^0.95
customers$weight <- size
customers$discount <- pmin(0.22, round(0.24 * size / max(size), 3))
# One big customer has talked its prices down to cost.
customers$discount[3] <- 0.385

# When each of them buys: most always, some come, go, or go and come back.
state <- sample(c("always", "came", "went", "back"), n_customers, TRUE,
  prob = c(0.72, 0.11, 0.11, 0.06))
state[1:8] <- "always"
state[c(12, 31)] <- "went"
state[c(17, 26)] <- "came"
state[c(22, 40)] <- "back"
span <- length(days)
turn <- round(runif(n_customers, 0.3, 0.85) * span)
buys <- function(i, day) {
  switch(state[i], always = TRUE, came = day >= turn[i], went = day < turn[i],
    back = day < turn[i] - 150 | day > turn[i] + 60)
}

# Salespeople --------------------------------------------------------------

people <- c("Ada Winter", "Bo Larkin", "Cato Mears", "Dagny Holt", "Edda Pryce", "Finn Tolley",
  "Greta Voss", "Hugo Lamb", "Ines Quay")
rep_of <- setNames(people[c(1, 1, 2, 3, 4, 5, 6, 7)], regions$region)
customers$salesperson <- rep_of[customers$region]
# Two look after chosen customers wherever they are.
customers$salesperson[sample(n_customers, 34)] <- "Hugo Lamb"
customers$salesperson[c(1, 3, 7, 11)] <- "Ines Quay"

# Products and their price lists -------------------------------------------

product_names <- list(
  Rope = c("Braid 8 mm", "Braid 10 mm", "Braid 12 mm", "Mooring Line 14 mm", "Mooring Line 18 mm",
    "Towing Hawser", "Shock Cord 6 mm", "Halyard Set", "Whipping Twine", "Splicing Kit",
    "Heaving Line"),
  Anchors = c("Plough Anchor 6 kg", "Plough Anchor 10 kg", "Plough Anchor 16 kg",
    "Folding Anchor 3 kg", "Stream Anchor 25 kg", "Chain 8 mm", "Chain 10 mm", "Swivel Shackle",
    "Bow Roller", "Windlass"),
  Lamps = c("Masthead Lamp", "Side Lamp Pair", "Stern Lamp", "Cabin Lamp", "Deck Flood",
    "Chart Lamp", "Signal Torch", "Lamp Oil 5 l", "Spare Wicks", "Riding Lamp"),
  Paint = c("Antifouling Red 2.5 l", "Antifouling Blue 2.5 l", "Hull White 5 l", "Deck Grey 5 l",
    "Varnish 1 l", "Primer 2.5 l", "Thinner 1 l", "Filler 500 g", "Brush Set", "Masking Tape",
    "Bilge Paint 2.5 l"),
  Instruments = c("Steering Compass", "Hand-bearing Compass", "Barometer", "Ship's Clock",
    "Echo Sounder", "Log Impeller", "Wind Vane", "Sextant", "Parallel Rule", "Tide Tables",
    "Binoculars 7x50"),
  Deckware = c("Fender 20 cm", "Fender 30 cm", "Boat Hook", "Cleat 200 mm", "Fairlead",
    "Winch Handle", "Ladder 4 Steps", "Bucket 10 l", "Deck Brush", "Cowl Vent", "Lifebuoy")
)
products <- data.frame(category = rep(names(product_names), lengths(product_names)),
  product = unlist(product_names, use.names = FALSE))
stopifnot(nrow(products) == 64)
base <- list(Rope = c(1.45, 1.95, 2.6, 3.4, 4.8, 9.9, 1.1, 84, 3.2, 24.5, 31),
  Anchors = c(48, 79, 124, 29.5, 236, 7.4, 10.9, 18.6, 64, 489),
  Lamps = c(42, 58, 39.5, 27, 71, 33, 19.9, 16.5, 2.4, 45),
  Paint = c(79, 79, 62, 58.5, 21.5, 44, 8.9, 11.4, 13.5, 3.3, 38),
  Instruments = c(189, 96, 74, 82, 265, 37, 49, 415, 12.5, 9.9, 148),
  Deckware = c(17.9, 31.5, 22, 14.8, 11.6, 27.5, 92, 6.4, 9.2, 34, 57))
products$price <- unlist(base, use.names = FALSE)
products$cost_part <- c(Rope = 0.62, Anchors = 0.68, Lamps = 0.57, Paint = 0.66, Instruments = 0.6,
  Deckware = 0.55)[products$category]
products$pack <- ifelse(products$price < 5, 40,
  ifelse(products$price < 30, 10, ifelse(products$price < 120, 4, 1)))
products$weight <- rgamma(64, 1.1) / sqrt(products$price * products$pack)
products$weight[products$product %in%
  c("Steering Compass", "Chain 10 mm", "Antifouling Red 2.5 l")] <- 0.09
# Some sold nothing lately; two are new.
ends_on <- rep(last_day + 1, 64)
ends_on[products$product %in%
  c("Lamp Oil 5 l", "Spare Wicks", "Sextant",
    "Masking Tape")] <- as.Date(c("2025-02-20", "2025-07-31", "2025-11-15", "2026-01-10"))
starts_on <- rep(first_day, 64)
starts_on[products$product %in%
  c("Deck Flood", "Ladder 4 Steps")] <- as.Date(c("2024-06-01", "2025-04-01"))

# A new price list each January, rounded to 5 cents.
list_price <- function(i, day) {
  year <- as.integer(format(day, "%Y"))
  round(products$price[i] *
    c("2023" = 1, "2024" = 1.03, "2025" = 1.055, "2026" = 1.09)[as.character(year)] * 20) / 20
}

# Order lines --------------------------------------------------------------

# Paint sells in spring, lamps in autumn, everything else in early summer.
season <- function(category, month) {
  peak <- c(Rope = 5, Anchors = 5, Lamps = 10, Paint = 3, Instruments = 11, Deckware = 6)[category]
  depth <- c(Rope = 0.45, Anchors = 0.5, Lamps = 0.5, Paint = 0.85, Instruments = 0.3,
    Deckware = 0.55)[category]
  1 + depth * cos((month - peak) * pi / 6)
}
weekday <- as.integer(format(days, "%u"))
month <- as.integer(format(days, "%m"))
busy <- (1 + 0.35 * cos((month - 4.5) * pi / 6)) * c(1.15, 1.05, 1, 1, 1.1, 0.25, 0)[weekday] *
  (1 + 0.08 * as.numeric(days - first_day) / 365)

n_orders <- 7600
order_day <- sort(sample(span, n_orders, TRUE, prob = busy))
lines <- vector("list", n_orders)
for (k in seq_len(n_orders)) {
  day <- order_day[k]
  repeat {
    who <- sample(n_customers, 1, prob = customers$weight)
    if (buys(who, day)) break
  }
  on_sale <- products$weight * (days[day] < ends_on) * (days[day] >= starts_on) *
    season(products$category, month[day])
  what <- sample(64, min(64, 1 + rpois(1, 1.66)), prob = on_sale)
  units <- pmax(1,
    round(products$pack[what] * rlnorm(length(what), 0.1, 0.7) *
      (0.75 + 0.5 * customers$weight[who] / customers$weight[1])))
  price <- list_price(what, days[day])
  # Promotion prices end in the same round figures for everybody.
  net <- round(units * price * (1 - customers$discount[who]), 2)
  profit <- round(net - units * price * products$cost_part[what] * runif(length(what), 0.97, 1.03),
    2)
  lines[[k]] <- data.frame(order = k, day = day, who = who, what = what, units = units, net = net,
    profit = profit)
}
orders <- do.call(rbind, lines)

# Returns: some goods come back a few days later on a credit note.
back <- orders[sample(nrow(orders), 330), ]
share_back <- sample(c(1, 1, 0.5), nrow(back), TRUE)
back$units <- -pmax(1, round(back$units * share_back))
part <- -back$units / orders$units[match(rownames(back), rownames(orders))]
back$net <- -round(back$net * part, 2)
back$profit <- -round(back$profit * part, 2)
back$day <- pmin(span, back$day + sample(3:25, nrow(back), TRUE))
back$order <- n_orders + seq_len(nrow(back))
orders <- rbind(orders, back)

# A customer that sent back more than it bought this side of the books.
heavy <- data.frame(order = n_orders + 400, day = span - 40, who = 233, what = 32, units = -16,
  net = -1102.4, profit = -214.6)
# Ties to the cent: small shops that order the starter box and nothing else.
tied <- data.frame(order = n_orders + 500 + 1:6, day = sample(400:900, 6),
  who = c(236, 236, 237, 238, 239, 240), what = 62, units = c(7, 13, 20, 20, 5, 5),
  net = c(44.8, 83.2, 128, 128, 32, 32), profit = c(20.16, 37.44, 57.6, 57.6, 14.4, 14.4))
orders <- rbind(orders[!orders$who %in% 233 & orders$who < 236, ], heavy, tied,
  data.frame(order = n_orders + 600, day = 310, who = 233, what = 32, units = 9, net = 620.1,
    profit = 121.3))

orders <- orders[order(orders$day, orders$order, orders$what), ]
number <- match(orders$order, unique(orders$order))
table <- data.frame(
  order_no = sprintf("%06d", 4100 + number), order_date = days[orders$day],
  region = customers$region[orders$who], town = customers$town[orders$who],
  customer = customers$customer[orders$who], salesperson = customers$salesperson[orders$who],
  category = products$category[orders$what], product = products$product[orders$what],
  units = as.integer(orders$units), net_sales = orders$net, profit = orders$profit
)

# What books are like: some cells were never filled in.
table$customer[sample(nrow(table), 14)] <- NA
table$salesperson[sample(nrow(table), 40)] <- NA
table$net_sales[sample(nrow(table), 21)] <- NA
table$profit[sample(nrow(table), 60)] <- NA
table$profit[is.na(table$net_sales)] <- NA

# Files --------------------------------------------------------------------

write <- function(x, name) {
  out <- x
  for (column in c("net_sales", "profit", "target")) if (column %in% names(out)) {
    out[[column]] <- ifelse(is.na(out[[column]]), NA, sprintf("%.2f", out[[column]]))
  }
  write.csv(out, file.path("inst", "extdata", name), row.names = FALSE, quote = FALSE, na = "")
}
write(table, "orders.csv")
write(products[, c("category", "product")], "products.csv")
write(regions[, c("region", "row", "column")], "region-tiles.csv")

# Targets: last year's month and six per cent, in round hundreds.
months <- format(seq(as.Date("2024-10-01"), as.Date("2026-06-01"), by = "month"), "%Y-%m")
sales <- tapply(table$net_sales, list(table$region, format(table$order_date, "%Y-%m")), sum,
  na.rm = TRUE)
before <- format(seq(as.Date("2023-10-01"), as.Date("2025-06-01"), by = "month"), "%Y-%m")
targets <- expand.grid(region = regions$region, month = months, stringsAsFactors = FALSE)
targets$target <- round(sales[cbind(targets$region, before[match(targets$month, months)])] * 1.06,
  -2)
targets$target[is.na(targets$target)] <- 2000
write(targets, "targets.csv")

# What is known of customers besides: the trade of each, and since when; two are not in the list.
trades <- c(Boatyard = "yards", Slipway = "yards", Sailmakers = "yards", Chandlers = "shops", Shop = "shops", Marina = "leisure",
  Club = "leisure", Ferries = "carriers", Station = "carriers", "Co-op" = "fishing")
known <- sort(unique(na.omit(table$customer)))
customers <- data.frame(customer = known, trade = unname(trades[sub("^.* ", "", known)]), since = 1990L + (seq_along(known) * 7L) %% 33L)
write(customers[-c(17, 101), ], "customers.csv")

# The same orders as a till would export them: marks, brackets, blanks.
some <- table[table$order_date >= as.Date("2026-05-20") & !is.na(table$net_sales) &
  !is.na(table$customer), ]
usual <- some[some$net_sales > 0 & some$net_sales < 1000, ]
some <- rbind(head(some[some$net_sales < 0, ], 4), head(some[some$net_sales >= 1000, ], 12),
  head(usual, 42))
some <- some[order(some$order_no), ]
marked <- function(x) {
  text <- formatC(abs(x), format = "f", digits = 2, big.mark = ",")
  ifelse(x < 0, paste0("(", text, ")"), text)
}
untidy <- data.frame(order_no = sub("^00", "00", some$order_no),
  order_date = paste0(some$order_date, "T08:", sprintf("%02d", seq_len(nrow(some))), ":00"),
  customer = some$customer, product = some$product, units = some$units,
  net_sales = marked(some$net_sales), profit = marked(some$profit))
untidy$customer[c(4, 19, 33)] <- paste0(" ", untidy$customer[c(4, 19, 33)], "  ")
untidy$customer[11] <- "NA"
untidy$profit[c(7, 28)] <- c("N/A", "-")
untidy$net_sales[45] <- ""
untidy$customer[50] <- ""
write.csv(untidy, file.path("inst", "extdata", "orders-untidy.csv"), row.names = FALSE, na = "")
