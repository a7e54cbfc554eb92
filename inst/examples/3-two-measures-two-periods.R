# Two measures, two periods, targets: who is big and earns little, who came and went, and
# who reached the target.

library(eggcrate)
orders <- demo_orders()

# Sales against margin. The median parts customers, the overall margin parts margins.
margins <- quadrants(orders, of = sum(net_sales), against = c(margin = sum(profit) / sum(net_sales)), by = customer, show = salesperson,
  groups = c("keep", "mend the price", "grow", "leave"))
print(margins)
print(quadrant_table(margins))
print(only(margins, quadrant == "mend the price" & margin < 0.2))

# From quarter to quarter: classes, the bridge, and the lost ones that mattered.
changes <- compare_periods(orders, of = sum(net_sales), by = customer, over = quarter(order_date), tolerance = "5%", show = region)
print(changes)
print(bridge_table(changes))
print(class_table(changes, by = "region"))
print(only(changes, class == "lost" & rank_from <= 50))

# Against the targets of the regions, for the last complete month and the one that runs.
may <- against_target(orders, of = sum(net_sales), by = region, over = month(order_date), where = in_period(order_date, latest(month)), target = demo_targets())
print(may)
june <- against_target(orders, of = sum(net_sales), by = region, over = month(order_date), where = in_period(order_date, current(month)), target = demo_targets())
print(june)

# The best and the worst of each quarter.
print(extremes(standings(orders, of = sum(net_sales), by = salesperson, over = quarter(order_date))))
