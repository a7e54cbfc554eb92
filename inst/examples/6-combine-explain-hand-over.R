# Combined questions, one level below, why one is where it is, and files to hand over.

library(eggcrate)
orders <- demo_orders()
year <- standings(orders, of = sum(net_sales), by = customer, where = in_period(order_date, last(4, quarter)), show = region,
  also = c(margin = sum(profit) / sum(net_sales), orders = distinct(order_no)))
tiers <- assign_tiers(year, tiers_by_share(c(A = "50%", B = "80%"), rest = "C"))

# Tier by region; then what the best tier buys, month by month.
print(tier_table(tiers, by = "region"))
best <- drill(tiers, in_tier("A"), by = category)
print(best)
print(heat_grid(orders, of = sum(net_sales), by = category, across = month(order_date), where = in_period(order_date, last(4, quarter)),
  along = "rows"))

# Class of change by region, and who of the best tier earns little.
changes <- compare_periods(orders, of = sum(net_sales), by = customer, over = quarter(order_date), show = region)
print(class_table(changes, by = "region"))
print(only(tiers, in_tier("A") & margin < 0.3))

# Both readings of orders: of each category its own, and different ones in all.
print(standings(orders, of = distinct(order_no), by = category))

# Why is one here, and what would lift it?
print(why(tiers, "Heskel Ferries"))
print(receipt(tiers))

# Names, currency and percentages are set once, for tables and figures alike.
before <- display_settings(labels = c(net_sales = "Net sales"), currency = "\u20ac", percent = "margin")
print(tiers, n = 5)

# To hand over: a figure and a page.
folder <- tempfile()
dir.create(folder)
if (requireNamespace("ggplot2", quietly = TRUE)) {
  ggplot2::ggsave(file.path(folder, "bridge.png"), chart_bridge(changes), width = 11.6, height = 7.3, dpi = 110)
}
if (requireNamespace("htmltools", quietly = TRUE)) htmltools::save_html(html_table(tiers), file.path(folder, "tiers.html"))
print(list.files(folder))
options(eggcrate.display = before)
