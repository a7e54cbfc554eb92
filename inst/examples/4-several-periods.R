# Several periods side by side: this month, last month, the same month of last year, and
# the year to date with that of last year. Each is a measure with `when`, and the periods
# are relative: next month the same lines run unchanged.

library(eggcrate)
orders <- demo_orders()

side_by_side <- standings(orders,
  of = c(this_month = sum(net_sales, when = in_period(order_date, latest(month)))),
  also = c(
    last_month = sum(net_sales, when = in_period(order_date, previous(month))),
    year_ago = sum(net_sales, when = in_period(order_date, year_ago(latest(month)))),
    to_date = sum(net_sales, when = in_period(order_date, year_to_date)),
    to_date_year_ago = sum(net_sales, when = in_period(order_date, year_ago(year_to_date)))
  ),
  by = region
)
print(side_by_side)

# Two of them in detail: the change, and who made it.
changes <- compare_periods(orders, of = sum(net_sales), by = region, over = month(order_date), from = year_ago(latest(month)))
print(changes)
