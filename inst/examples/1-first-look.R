# A first look: what is in the file, who ranks where, and which items account for most of the total.

library(eggcrate)

# Look through the file before anything is asked of it.
path <- system.file("extdata", "orders-untidy.csv", package = "eggcrate")
print(check_sales(path))

orders <- demo_orders()
customers <- standings(orders, of = sum(net_sales), by = customer)
print(customers)
print(receipt(customers))

# Filters come before ranks; groups rank apart; ratios are sums over sums.
print(standings(orders, of = sum(net_sales), by = customer, where = category != "Rope" & in_period(order_date, year_to_date)))
print(standings(orders, of = sum(net_sales), by = product, within = category), n = 2)
print(standings(orders, of = c(margin = sum(profit) / sum(net_sales)), by = customer, also = c(orders = distinct(order_no)),
  having = sum(net_sales) > 80000, best = "lowest"))

# The items that account for 80% of the total, and how many they are.
print(pareto(orders, of = sum(net_sales), by = product))
print(threshold_table(customers))
print(why(customers, "Merrisk Ferries"))
