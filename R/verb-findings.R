#' Findings: sentences with their figures
#'
#' Says in fixed kinds of sentences what stands out in standings. Each is read off a table
#' and names its items; where a table bears nothing out, there is no sentence.
#'
#' * `few`: at most half of the items make 80 % of the total;
#' * `poor`: the item that stands out as high in the measure and low in `against`, as in
#'   [quadrants()];
#' * `near`: the items within 5 % of a line between tiers, where `x` has tiers;
#' * `new at the top`, `lost from the top`: among the first of the last two complete periods of
#'   `over`, as in [compare_periods()];
#' * `concentration`: Gini of the last complete period against the one before, as in
#'   [concentration()], where it differs by 0.01 or more;
#' * `far`: a complete period whose total is far from the middle of all (a modified score
#'   above 3.5, Iglewicz and Hoaglin 1993, and at least a quarter of the middle away),
#'   among five or more.
#'
#' @param x Standings without groups, still in the session in which they were made.
#' @param over A period of a date, such as `month(order_date)`, for what needs an earlier time.
#' @param against A second measure, such as `c(margin = sum(profit) / sum(net_sales))`.
#' @param ... Must be empty.
#' @param top How many items count as the top.
#' @param width How many letters a line may have.
#' @returns A tibble of class `eggcrate_findings`: `kind`, `finding` (character), `value`
#'   (double, the figure that the finding rests on) and `items` (a list of names). [receipt()] is
#'   that of `x`.
#' @section Errors: `eggcrate_error_gone` when the rows behind `x` are no longer at hand.
#' @references Iglewicz, B. and Hoaglin, D. C. (1993) *How to Detect and Handle Outliers*. ASQC
#'   Quality Press.
#' @export
#' @examples
#' x <- standings(demo_orders(), of = sum(net_sales), by = customer)
#' findings(x, over = quarter(order_date), against = c(margin = sum(profit) / sum(net_sales)))
findings <- function(x, over, against, ..., top = 10) {
  call <- sys.call()[1L]
  check_no_dots(..., call = call)
  check_standings(x, call = call)
  over <- capture("over", environment())
  against <- capture("against", environment())
  record_further(at_rest(find_all(x, over, against, top, call)), x, "findings", list(over = over, against = against,
    top = if (top != 10) top))
}
