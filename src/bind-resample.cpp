#include "bind.h"
#include "kernel/resample.hpp"

// Rank intervals by resampling orders, and the spread of each item's total. `start`, `item`
// and `group` count from 0.
// [[Rcpp::export(rng = false)]]
SEXP resample_ranks_(SEXP start, SEXP item, SEXP value, SEXP group, SEXP highest, SEXP times,
                     SEXP seed, SEXP threads, SEXP outside, SEXP progress) {
  const R_xlen_t items = Rf_xlength(group);
  bind::same_length(value, Rf_xlength(item), "value");
  eggcrate::Resampling r;
  r.orders = static_cast<std::size_t>(Rf_xlength(start) - 1);
  r.start = bind::whole(start, "start");
  r.item = bind::whole(item, "item");
  for (R_xlen_t i = 0; i < Rf_xlength(item); ++i)
    if (r.item[i] < 0 || r.item[i] >= items) throw Rcpp::exception("an item is not there", false);
  r.value = bind::real(value, "value");
  r.items = static_cast<std::size_t>(items);
  r.group = bind::whole(group, "group");
  r.highest = bind::one_flag(highest, "highest");
  r.times = static_cast<std::uint32_t>(bind::one_whole(times, "times"));
  r.seed = static_cast<std::uint64_t>(bind::one_real(seed, "seed"));
  r.threads = bind::one_whole(threads, "threads");
  r.outside = bind::one_real(outside, "outside");
  bind::Watch watch(progress);
  r.poll = watch.poll();
  const bind::Held low(bind::allocate(INTSXP, items)), high(bind::allocate(INTSXP, items)),
      spread(bind::allocate(REALSXP, items));
  eggcrate::Status done = eggcrate::order_spread(r, REAL(spread));
  if (done.ok()) done = eggcrate::resample_ranks(r, INTEGER(low), INTEGER(high));
  const bind::Held status(bind::status(done));
  return bind::named({{"status", status}, {"low", low}, {"high", high}, {"spread", spread}});
}
