#' Find what stands out, in sentences
#'
#' Lists what stands out in a ranking, each as a sentence with its number and its items. A kind
#' without a finding has no sentence.
#'
#' * `concentration`: at most half of the items account for 80% of the total;
#' * `exception`: the most extreme item with a high measure and a low `against`, as in
#'   [quadrants()];
#' * `near cut-off`: the items within 5% of a cut-off, if `x` has tiers;
#' * `new at the top`, `lost from the top`: among the top items of the last two complete periods of
#'   `over`, as in [compare_periods()];
#' * `concentration change`: the Gini coefficient of the last complete period compared with the
#'   period before, as in [concentration()], if it differs by 0.01 or more;
#' * `unusual period`: a complete period whose total is far from the median of at least five
#'   periods: a modified z-score above 3.5 (Iglewicz and Hoaglin 1993), and a distance of at least a
#'   quarter of the median.
#'
#' @param x A ranking without groups: of [standings()], [pareto()], [assign_tiers()], [quadrants()]
#'   or [against_target()]. A saved ranking of a file works, as long as the file is unchanged.
#' @param over A period of a date, such as `month(order_date)`; without it, there are no findings
#'   about earlier periods.
#' @param against A second measure, such as `c(margin = sum(profit) / sum(net_sales))`; without it,
#'   there is no finding `exception`.
#' @param ... Must be empty.
#' @param top How many items count as the top.
#' @param width Width of a line in characters.
#' @returns A tibble of class `eggcrate_findings`: `kind` (character), `finding` (character, the
#'   sentence), `value` (double, the number of the finding: a count, a share from 0 to 1, a
#'   coefficient or a total) and `items` (a list of character vectors). [receipt()] gives the
#'   receipt of `x`.
#' @section Errors: `eggcrate_error_gone` if the rows cannot be read again;
#'   `eggcrate_error_unknown_value` for a ranking with groups.
#' @seealso [why()], [quadrants()], [compare_periods()], [concentration()]
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
  record_follow_up(follow_up(x, find_all(x, over, against, top, call)), x, "findings",
    list(over = over, against = against,
      top = if (top != 10) top))
}
