#include <cstring>

#include "bind.h"
#include "kernel/exact.hpp"
#include "kernel/tally.hpp"

using namespace cpp11::literals;
using eggcrate::i128;
using eggcrate::stored_i128;

namespace {

const int* cells(SEXP cell) { return cell == R_NilValue ? nullptr : INTEGER_RO(cell); }
cpp11::sexp exact_vector(R_xlen_t n) { return cpp11::sexp(Rf_allocVector(CPLXSXP, n)); }

// How two values stand: -1, 0, 1. Missing ones are last.
template <class T>
int sign_of(T a, T b, bool no_a, bool no_b) {
  if (no_a || no_b) return int(no_a) - int(no_b);
  return a < b ? -1 : a > b;
}
int compare_keys(SEXP key, R_xlen_t a, R_xlen_t b) {
  switch (TYPEOF(key)) {
    case STRSXP: {
      SEXP x = STRING_ELT(key, a), y = STRING_ELT(key, b);
      if (x == y || x == NA_STRING || y == NA_STRING)
        return int(x == NA_STRING) - int(y == NA_STRING);
      return sign_of(std::strcmp(Rf_translateCharUTF8(x), Rf_translateCharUTF8(y)), 0, false,
                     false);
    }
    case REALSXP:
      return sign_of(REAL_RO(key)[a], REAL_RO(key)[b], ISNAN(REAL_RO(key)[a]),
                     ISNAN(REAL_RO(key)[b]));
    case INTSXP:
      return sign_of(INTEGER_RO(key)[a], INTEGER_RO(key)[b], INTEGER_RO(key)[a] == NA_INTEGER,
                     INTEGER_RO(key)[b] == NA_INTEGER);
    case LGLSXP:
      return sign_of(LOGICAL_RO(key)[a], LOGICAL_RO(key)[b], LOGICAL_RO(key)[a] == NA_LOGICAL,
                     LOGICAL_RO(key)[b] == NA_LOGICAL);
    default: cpp11::stop("a key of type %s", Rf_type2char(TYPEOF(key)));
  }
}

}  // namespace

[[cpp11::register]] SEXP exact_order_(SEXP value, SEXP cell, bool decreasing) {
  const R_xlen_t n = Rf_xlength(value);
  cpp11::sexp order(Rf_allocVector(INTSXP, n)), block(Rf_allocVector(INTSXP, n));
  cpp11::sexp first(Rf_allocVector(INTSXP, n)), last(Rf_allocVector(INTSXP, n));
  const eggcrate::Status s = eggcrate::order_items(bind::exact(value), cells(cell), decreasing,
                                                   static_cast<std::size_t>(n), INTEGER(order),
                                                   INTEGER(block), INTEGER(first), INTEGER(last));
  if (!s.ok()) cpp11::stop("not enough memory to order %d items", static_cast<int>(n));
  int* o = INTEGER(order);
  for (R_xlen_t i = 0; i < n; ++i) ++o[i];
  return cpp11::writable::list(
      {"order"_nm = order, "block"_nm = block, "first"_nm = first, "last"_nm = last});
}

// Items of a tie stand by their keys, ascending, missing last: text by its UTF-8
// bytes, numbers by value. Changes nothing else of `order`.
[[cpp11::register]] SEXP settle_ties_(SEXP order, SEXP block, cpp11::list keys) {
  cpp11::sexp out(Rf_duplicate(order));
  const R_xlen_t columns = keys.size();
  eggcrate::settle_blocks(
      INTEGER(out), INTEGER_RO(block), static_cast<std::size_t>(Rf_xlength(order)),
      [&](int a, int b) {
        for (R_xlen_t k = 0; k < columns; ++k)
          if (const int sign = compare_keys(VECTOR_ELT(keys, k), a - 1, b - 1)) return sign < 0;
        return a < b;
      },
      [&](int a) {
        if (columns && TYPEOF(VECTOR_ELT(keys, 0)) == STRSXP)
          eggcrate::prefetch(R_CHAR(STRING_ELT(VECTOR_ELT(keys, 0), a - 1)));
      });
  return out;
}

// Do a key's values stand in this order, all different?
[[cpp11::register]] bool ascending_(SEXP key) {
  for (R_xlen_t i = 1; i < Rf_xlength(key); ++i)
    if (compare_keys(key, i - 1, i) >= 0) return false;
  return true;
}

[[cpp11::register]] SEXP exact_running_(SEXP value, SEXP cell) {
  cpp11::sexp out = exact_vector(Rf_xlength(value));
  eggcrate::running(bind::exact(value), cells(cell), static_cast<std::size_t>(Rf_xlength(value)),
                    bind::exact_to_fill(out));
  return out;
}

[[cpp11::register]] SEXP exact_sum_by_(SEXP value, SEXP group, int groups) {
  cpp11::sexp out = exact_vector(groups);
  stored_i128* o = bind::exact_to_fill(out);
  for (int i = 0; i < groups; ++i) o[i] = 0;
  eggcrate::sum_by(bind::exact(value), INTEGER_RO(group),
                   static_cast<std::size_t>(Rf_xlength(value)), o);
  return out;
}

[[cpp11::register]] SEXP exact_extreme_by_(SEXP value, SEXP group, int groups, bool least) {
  cpp11::sexp out = exact_vector(groups);
  std::vector<std::uint8_t> seen(static_cast<std::size_t>(groups));
  stored_i128* o = bind::exact_to_fill(out);
  for (int i = 0; i < groups; ++i) o[i] = 0;
  eggcrate::extreme_by(bind::exact(value), INTEGER_RO(group),
                       static_cast<std::size_t>(Rf_xlength(value)), least, o, seen.data());
  return out;
}

// Numbers that order fractions as they are, equal ones alike.
[[cpp11::register]] SEXP exact_number_fractions_(SEXP num, SEXP den) {
  cpp11::sexp out = exact_vector(Rf_xlength(num));
  const eggcrate::Status s = eggcrate::number_fractions(bind::exact(num), bind::exact(den),
                                                        static_cast<std::size_t>(Rf_xlength(num)),
                                                        bind::exact_to_fill(out));
  if (!s.ok()) cpp11::stop("not enough memory");
  return out;
}

// Doubles as integers of the same order, and back.
[[cpp11::register]] SEXP exact_from_real_(SEXP x) {
  const R_xlen_t n = Rf_xlength(x);
  cpp11::sexp out = exact_vector(n);
  for (R_xlen_t i = 0; i < n; ++i)
    bind::exact_to_fill(out)[i] = eggcrate::detail::ordered(REAL_RO(x)[i]);
  return out;
}
[[cpp11::register]] SEXP real_from_exact_(SEXP x) {
  const R_xlen_t n = Rf_xlength(x);
  cpp11::sexp out(Rf_allocVector(REALSXP, n));
  for (R_xlen_t i = 0; i < n; ++i)
    REAL(out)[i] = eggcrate::detail::from_ordered(static_cast<std::int64_t>(bind::exact(x)[i]));
  return out;
}

// Whole numbers below 2^53 as exact ones.
[[cpp11::register]] SEXP exact_from_whole_(SEXP x) {
  const R_xlen_t n = Rf_xlength(x);
  cpp11::sexp out = exact_vector(n);
  for (R_xlen_t i = 0; i < n; ++i)
    bind::exact_to_fill(out)[i] = static_cast<std::int64_t>(REAL_RO(x)[i]);
  return out;
}

// a * fa + b * fb and a * b; a missing answer (NULL) where 128 bits do not hold it.
[[cpp11::register]] SEXP exact_combine_(SEXP a, double fa, SEXP b, double fb) {
  const R_xlen_t n = Rf_xlength(a);
  cpp11::sexp out = exact_vector(n);
  for (R_xlen_t i = 0; i < n; ++i) {
    i128 x, y, z;
    if (__builtin_mul_overflow(i128(bind::exact(a)[i]), i128(fa), &x) ||
        __builtin_mul_overflow(i128(bind::exact(b)[i]), i128(fb), &y) ||
        __builtin_add_overflow(x, y, &z))
      return R_NilValue;
    bind::exact_to_fill(out)[i] = z;
  }
  return out;
}
[[cpp11::register]] SEXP exact_multiply_(SEXP a, SEXP b) {
  const R_xlen_t n = Rf_xlength(a), m = Rf_xlength(b);
  cpp11::sexp out = exact_vector(n);
  for (R_xlen_t i = 0; i < n; ++i) {
    i128 x;
    if (__builtin_mul_overflow(i128(bind::exact(a)[i]), i128(bind::exact(b)[m == 1 ? 0 : i]), &x))
      return R_NilValue;
    bind::exact_to_fill(out)[i] = x;
  }
  return out;
}
[[cpp11::register]] SEXP exact_signs_(SEXP x) {
  const R_xlen_t n = Rf_xlength(x);
  cpp11::sexp out(Rf_allocVector(INTSXP, n));
  for (R_xlen_t i = 0; i < n; ++i) {
    const i128 v = bind::exact(x)[i];
    INTEGER(out)[i] = v < 0 ? -1 : v > 0;
  }
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
    REAL(out)[i] = places == NA_INTEGER ? std::ldexp(eggcrate::nearest(v[i]), lowest)
                                        : eggcrate::ratio(v[i], unit);
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

// Along rows by cell and block: list of `place`, `first`, `size`.
[[cpp11::register]] SEXP block_places_(SEXP cell, SEXP block, SEXP missing) {
  const R_xlen_t n = Rf_xlength(cell);
  cpp11::sexp place(Rf_allocVector(INTSXP, n)), first(Rf_allocVector(INTSXP, n)),
      size(Rf_allocVector(INTSXP, n));
  eggcrate::block_places(INTEGER_RO(cell), INTEGER_RO(block), LOGICAL_RO(missing),
                         static_cast<std::size_t>(n), NA_INTEGER, INTEGER(place), INTEGER(first),
                         INTEGER(size));
  return cpp11::writable::list({"place"_nm = place, "first"_nm = first, "size"_nm = size});
}

[[cpp11::register]] SEXP spread_blocks_(SEXP inside, SEXP block, bool all) {
  cpp11::sexp out(Rf_allocVector(LGLSXP, Rf_xlength(inside)));
  eggcrate::spread_blocks(LOGICAL_RO(inside), INTEGER_RO(block),
                          static_cast<std::size_t>(Rf_xlength(inside)), all, NA_LOGICAL,
                          LOGICAL(out));
  return out;
}

// Rows of each cell until a share of its base is reached or passed; NA: never.
[[cpp11::register]] SEXP reach_counts_(SEXP running, SEXP cell, SEXP base, double share, int places,
                                       bool passes) {
  const R_xlen_t groups = Rf_xlength(base);
  cpp11::sexp out(Rf_allocVector(INTSXP, groups));
  for (R_xlen_t i = 0; i < groups; ++i) INTEGER(out)[i] = -1;
  if (!eggcrate::reach_counts(bind::exact(running), INTEGER_RO(cell),
                              static_cast<std::size_t>(Rf_xlength(cell)), bind::exact(base),
                              static_cast<std::int64_t>(share), places, passes, INTEGER(out)))
    cpp11::stop("totals beyond 128 bits");
  for (R_xlen_t i = 0; i < groups; ++i)
    if (INTEGER(out)[i] < 0) INTEGER(out)[i] = NA_INTEGER;
  return out;
}

// How value / 10^places stands to a decimal of the same places: -1, 0, 1.
[[cpp11::register]] SEXP exact_against_one_(SEXP value, SEXP one) {
  const R_xlen_t n = Rf_xlength(value);
  cpp11::sexp out(Rf_allocVector(INTSXP, n));
  const i128 limit = bind::exact(one)[0];
  for (R_xlen_t i = 0; i < n; ++i) {
    const i128 v = bind::exact(value)[i];
    INTEGER(out)[i] = v < limit ? -1 : v > limit;
  }
  return out;
}

// (cut[slot] - value) * sign / 10^places; missing without a slot.
[[cpp11::register]] SEXP exact_gaps_(SEXP value, SEXP slot, SEXP cut, int places, bool minus) {
  const R_xlen_t n = Rf_xlength(value);
  cpp11::sexp out(Rf_allocVector(REALSXP, n));
  const stored_i128 *v = bind::exact(value), *c = bind::exact(cut);
  const i128 unit = eggcrate::power_of_ten_exact(places);
  for (R_xlen_t i = 0; i < n; ++i) {
    const int s = INTEGER_RO(slot)[i];
    if (s == NA_INTEGER) { REAL(out)[i] = NA_REAL; continue; }
    const i128 gap = c[s - 1] - v[i];
    REAL(out)[i] = eggcrate::ratio(minus ? -gap : gap, unit);
  }
  return out;
}
