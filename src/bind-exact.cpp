#include "bind.h"
#include "kernel/exact.hpp"

using namespace cpp11::literals;
using eggcrate::i128;
using eggcrate::stored_i128;

namespace {

const int* cells(SEXP cell) { return cell == R_NilValue ? nullptr : INTEGER_RO(cell); }
cpp11::sexp exact_vector(R_xlen_t n) { return cpp11::sexp(Rf_allocVector(CPLXSXP, n)); }

}  // namespace

[[cpp11::register]] SEXP exact_order_(SEXP value, SEXP cell, bool decreasing) {
  const R_xlen_t n = Rf_xlength(value);
  cpp11::sexp order(Rf_allocVector(INTSXP, n)), block(Rf_allocVector(INTSXP, n));
  cpp11::sexp first(Rf_allocVector(INTSXP, n)), last(Rf_allocVector(INTSXP, n));
  const eggcrate::Status s = eggcrate::order_items(bind::exact(value), cells(cell), decreasing, static_cast<std::size_t>(n),
                                                   INTEGER(order), INTEGER(block), INTEGER(first), INTEGER(last));
  if (!s.ok()) cpp11::stop("not enough memory to order %d items", static_cast<int>(n));
  int* o = INTEGER(order);
  for (R_xlen_t i = 0; i < n; ++i) ++o[i];
  return cpp11::writable::list({"order"_nm = order, "block"_nm = block, "first"_nm = first, "last"_nm = last});
}

[[cpp11::register]] SEXP exact_running_(SEXP value, SEXP cell) {
  cpp11::sexp out = exact_vector(Rf_xlength(value));
  eggcrate::running(bind::exact(value), cells(cell), static_cast<std::size_t>(Rf_xlength(value)), bind::exact_to_fill(out));
  return out;
}

[[cpp11::register]] SEXP exact_sum_by_(SEXP value, SEXP group, int groups) {
  cpp11::sexp out = exact_vector(groups);
  stored_i128* o = bind::exact_to_fill(out);
  for (int i = 0; i < groups; ++i) o[i] = 0;
  eggcrate::sum_by(bind::exact(value), INTEGER_RO(group), static_cast<std::size_t>(Rf_xlength(value)), o);
  return out;
}

// num / den, element by element; den may be one for all. Missing where den is 0.
[[cpp11::register]] SEXP exact_ratio_(SEXP num, SEXP den) {
  const R_xlen_t n = Rf_xlength(num), m = Rf_xlength(den);
  cpp11::sexp out(Rf_allocVector(REALSXP, n));
  const stored_i128 *a = bind::exact(num), *b = bind::exact(den);
  for (R_xlen_t i = 0; i < n; ++i) {
    const i128 d = b[m == 1 ? 0 : i];
    REAL(out)[i] = d == 0 ? NA_REAL : eggcrate::ratio(a[i], d);
  }
  return out;
}

// The nearest doubles: value / 10^places, or value * 2^lowest if places is NA.
[[cpp11::register]] SEXP exact_real_(SEXP value, int places, int lowest) {
  const R_xlen_t n = Rf_xlength(value);
  cpp11::sexp out(Rf_allocVector(REALSXP, n));
  const stored_i128* v = bind::exact(value);
  const i128 unit = places == NA_INTEGER ? i128(1) : eggcrate::power_of_ten_exact(places);
  for (R_xlen_t i = 0; i < n; ++i)
    REAL(out)[i] = places == NA_INTEGER ? std::ldexp(eggcrate::nearest(v[i]), lowest) : eggcrate::ratio(v[i], unit);
  return out;
}

// -1, 0 or 1: each part against share / 10^places of its base (one, or one each).
[[cpp11::register]] SEXP exact_against_share_(SEXP part, SEXP base, double share, int places) {
  const R_xlen_t n = Rf_xlength(part), m = Rf_xlength(base);
  cpp11::sexp out(Rf_allocVector(INTSXP, n));
  const stored_i128 *a = bind::exact(part), *b = bind::exact(base);
  for (R_xlen_t i = 0; i < n; ++i) {
    int order = 0;
    if (!eggcrate::against_share(a[i], b[m == 1 ? 0 : i], static_cast<std::int64_t>(share), places, order))
      cpp11::stop("totals beyond 128 bits");
    INTEGER(out)[i] = order;
  }
  return out;
}

// Places of the smallest decimal that each number is, NA if none.
[[cpp11::register]] SEXP decimal_places_(SEXP x) {
  const R_xlen_t n = Rf_xlength(x);
  cpp11::sexp out(Rf_allocVector(INTSXP, n));
  for (R_xlen_t i = 0; i < n; ++i) {
    const int k = eggcrate::places_of(REAL_RO(x)[i]);
    INTEGER(out)[i] = k == eggcrate::kNotDecimal ? NA_INTEGER : k;
  }
  return out;
}
