# Through time and across the map: the pattern of regions and months, who moves between
# tiers, where it happens, and on how few it all rests.

library(eggcrate)
orders <- demo_orders()

# Months against each other in each region; then per day, so that short months are fair.
print(heat_grid(orders, of = sum(net_sales), by = region, across = month(order_date), along = "rows"))
rates <- heat_grid(orders, of = per_day(sum(net_sales)), by = category, across = quarter(order_date), shade = "value", along = "rows")
print(rates)

# Ranks and tiers of each quarter, and who moved.
moves <- movement(orders, of = sum(net_sales), by = customer, over = quarter(order_date), scheme = tiers_by_share(c(A = "50%", B = "80%"), rest = "C"))
print(moves)
print(transitions(moves, from = "2025-Q1", to = "2026-Q1"))
print(period_table(moves))

# The regions at their places, with their first customers.
customers <- standings(orders, of = sum(net_sales), by = customer, within = region)
print(tile_table(customers, demo_tiles()))

# On how few it rests, this year and the last.
now <- standings(orders, of = sum(net_sales), by = customer, where = in_period(order_date, year_to_date))
before <- standings(orders, of = sum(net_sales), by = customer, where = in_period(order_date, year_ago(year_to_date)))
print(concentration(now, compare_with = before))
print(concentration(customers))

# And how sure the ranks are, by drawing whole orders anew.
print(rank_intervals(standings(orders, of = sum(net_sales), by = salesperson), orders = order_no))
