# Top, bottom and other groups; tiers; and one level below.

library(eggcrate)
customers <- standings(demo_orders(), of = sum(net_sales), by = customer, show = region)

# Kept or marked, with the ranks and shares of the whole.
print(only(customers, top(5), others = TRUE))
print(only(customers, top(50) & region == "Northfirth"))
print(highlight(customers, bottom(3) | items("Wyrick Slipway")), n = 5)

# Tiers by cumulative share, by size and by rank; what each lacks for the next.
by_share <- assign_tiers(customers, tiers_by_share(c(A = "80%", B = "95%"), rest = "C"))
print(by_share, n = 5)
print(tier_table(by_share, by = "region"))
print(tier_table(assign_tiers(customers, tiers_by_percentile(c(A = "5%", B = "15%", C = "60%", D = "20%")))))

# The same question one level below, and what stands out.
print(drill(by_share, in_tier("C"), by = category))
print(findings(assign_tiers(customers, tiers_by_rank(c(A = 20, B = 60), rest = "C")), over = quarter(order_date),
  against = c(margin = sum(profit) / sum(net_sales))))
