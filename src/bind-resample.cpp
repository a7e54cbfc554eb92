#include "bind.h"
#include "kernel/resample.hpp"

// Rank intervals by resampling orders, and the spread of each item's total. `start`, `item`
// and `group` count from 0.
[[cpp11::register]] cpp11::writable::list resample_ranks_(
    cpp11::integers start, cpp11::integers item, cpp11::doubles value, cpp11::integers group,
    bool highest, int times, double seed, int threads, double outside) {
  using namespace cpp11::literals;
  eggcrate::Resampling r;
  r.orders = static_cast<std::size_t>(start.size() - 1);
  r.start = INTEGER_RO(start);
  r.item = INTEGER_RO(item);
  r.value = REAL_RO(value);
  r.items = static_cast<std::size_t>(group.size());
  r.group = INTEGER_RO(group);
  r.highest = highest;
  r.times = static_cast<std::uint32_t>(times);
  r.seed = static_cast<std::uint64_t>(seed);
  r.threads = threads;
  r.outside = outside;
  r.stop = bind::interrupted;
  cpp11::sexp low(Rf_allocVector(INTSXP, group.size())), high(Rf_allocVector(INTSXP, group.size()));
  cpp11::sexp spread(Rf_allocVector(REALSXP, group.size()));
  eggcrate::Status status = eggcrate::order_spread(r, REAL(spread));
  if (status.ok()) status = eggcrate::resample_ranks(r, INTEGER(low), INTEGER(high));
  return cpp11::writable::list(
      {"status"_nm = bind::status(status), "low"_nm = low, "high"_nm = high, "spread"_nm = spread});
}
