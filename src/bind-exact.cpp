#include <cstring>

#include "bind.h"
#include "kernel/exact.hpp"
#include "kernel/tally.hpp"

using eggcrate::i128;
using eggcrate::stored_i128;

namespace {

const int* cells(SEXP cell, R_xlen_t n) {
  if (cell == R_NilValue) return nullptr;
  bind::same_length(cell, n, "cell");
  return bind::whole(cell, "cell");
}

SEXP no_memory() { throw Rcpp::exception("not enough memory", false); }
SEXP too_large() { return R_NilValue; }  // 128 bits do not hold it: R words that

// How two values stand: -1, 0, 1. Missing ones are last.
template <class T>
int sign_of(T a, T b, bool no_a, bool no_b) {
  if (no_a || no_b) return int(no_a) - int(no_b);
  return a < b ? -1 : a > b;
}

// By the bytes of UTF-8. Of the encodings that R marks only Latin-1 is another, and its
// letters stand in the order of their code points in both.
int compare_texts(SEXP x, SEXP y) {
  if (x == y || x == NA_STRING || y == NA_STRING) return int(x == NA_STRING) - int(y == NA_STRING);
  const bool latin_x = Rf_getCharCE(x) == CE_LATIN1, latin_y = Rf_getCharCE(y) == CE_LATIN1;
  const auto *a = reinterpret_cast<const unsigned char*>(R_CHAR(x)),
             *b = reinterpret_cast<const unsigned char*>(R_CHAR(y));
  // One byte of UTF-8 after the other; `half` is the second byte of a letter of Latin-1.
  unsigned char half_a = 0, half_b = 0;
  const auto next = [](const unsigned char*& p, bool latin, unsigned char& half) -> unsigned char {
    if (half) { const unsigned char out = half; half = 0; ++p; return out; }
    if (latin && *p >= 0x80) { half = static_cast<unsigned char>(0x80 | (*p & 0x3F)); return static_cast<unsigned char>(0xC0 | (*p >> 6)); }
    const unsigned char out = *p;
    if (out) ++p;
    return out;
  };
  for (;;) {
    const unsigned char c = next(a, latin_x, half_a), d = next(b, latin_y, half_b);
    if (c != d) return c < d ? -1 : 1;
    if (!c) return 0;
  }
}

int compare_keys(SEXP key, R_xlen_t a, R_xlen_t b) {
  switch (TYPEOF(key)) {
    case STRSXP: return compare_texts(STRING_ELT(key, a), STRING_ELT(key, b));
    case REALSXP:
      return sign_of(REAL_RO(key)[a], REAL_RO(key)[b], ISNAN(REAL_RO(key)[a]),
                     ISNAN(REAL_RO(key)[b]));
    case INTSXP:
      return sign_of(INTEGER_RO(key)[a], INTEGER_RO(key)[b], INTEGER_RO(key)[a] == NA_INTEGER,
                     INTEGER_RO(key)[b] == NA_INTEGER);
    case LGLSXP:
      return sign_of(LOGICAL_RO(key)[a], LOGICAL_RO(key)[b], LOGICAL_RO(key)[a] == NA_LOGICAL,
                     LOGICAL_RO(key)[b] == NA_LOGICAL);
    default: throw Rcpp::exception("a key of another type", false);
  }
}

void check_keys(SEXP keys, R_xlen_t n) {
  bind::checked(keys, VECSXP, "keys");
  for (R_xlen_t k = 0; k < Rf_xlength(keys); ++k) {
    SEXP key = VECTOR_ELT(keys, k);
    bind::same_length(key, n, "keys");
    if (TYPEOF(key) != STRSXP && TYPEOF(key) != REALSXP && TYPEOF(key) != INTSXP &&
        TYPEOF(key) != LGLSXP)
      throw Rcpp::exception("a key of another type", false);
  }
}

}  // namespace

// [[Rcpp::export(rng = false)]]
SEXP exact_order_(SEXP value, SEXP cell, SEXP decreasing) {
  const R_xlen_t n = Rf_xlength(value);
  const stored_i128* v = bind::exact(value, "value");
  const int* c = cells(cell, n);
  const bool falling = bind::one_flag(decreasing, "decreasing");
  const bind::Held order(bind::allocate(INTSXP, n)), block(bind::allocate(INTSXP, n)),
      first(bind::allocate(INTSXP, n)), last(bind::allocate(INTSXP, n));
  const eggcrate::Status s =
      eggcrate::order_items(v, c, falling, static_cast<std::size_t>(n), INTEGER(order),
                            INTEGER(block), INTEGER(first), INTEGER(last));
  if (!s.ok()) return no_memory();
  int* o = INTEGER(order);
  for (R_xlen_t i = 0; i < n; ++i) ++o[i];
  return bind::named({{"order", order}, {"block", block}, {"first", first}, {"last", last}});
}

// Items of a tie stand by their keys, ascending, missing last: text by its UTF-8
// bytes, numbers by value. Changes nothing else of `order`.
// [[Rcpp::export(rng = false)]]
SEXP settle_ties_(SEXP order, SEXP block, SEXP keys) {
  const R_xlen_t n = Rf_xlength(order), columns = Rf_xlength(keys);
  bind::same_length(block, n, "block");
  const R_xlen_t items = columns ? Rf_xlength(VECTOR_ELT(bind::checked(keys, VECSXP, "keys"), 0)) : n;
  check_keys(keys, items);
  bind::groups(order, static_cast<int>(items), "order");
  const int* b = bind::whole(block, "block");
  const bind::Held out(Rcpp::unwindProtect([order] { return Rf_duplicate(order); }));
  eggcrate::settle_blocks(
      INTEGER(out), b, static_cast<std::size_t>(n),
      [&](int x, int y) {
        for (R_xlen_t k = 0; k < columns; ++k)
          if (const int sign = compare_keys(VECTOR_ELT(keys, k), x - 1, y - 1)) return sign < 0;
        return x < y;
      },
      [&](int x) {
        if (columns && TYPEOF(VECTOR_ELT(keys, 0)) == STRSXP)
          eggcrate::prefetch(R_CHAR(STRING_ELT(VECTOR_ELT(keys, 0), x - 1)));
      });
  return out;
}

// Do a key's values stand in this order, all different?
// [[Rcpp::export(rng = false)]]
SEXP ascending_(SEXP key) {
  for (R_xlen_t i = 1; i < Rf_xlength(key); ++i)
    if (compare_keys(key, i - 1, i) >= 0) return bind::one(false);
  return bind::one(true);
}

// [[Rcpp::export(rng = false)]]
SEXP exact_running_(SEXP value, SEXP cell) {
  const R_xlen_t n = Rf_xlength(value);
  const stored_i128* v = bind::exact(value, "value");
  const int* c = cells(cell, n);
  const bind::Held out(bind::new_exact(n));
  if (!eggcrate::running(v, c, static_cast<std::size_t>(n), bind::to_fill(out))) return too_large();
  return out;
}

// [[Rcpp::export(rng = false)]]
SEXP exact_sum_by_(SEXP value, SEXP group, SEXP groups) {
  const int m = bind::one_whole(groups, "groups");
  const R_xlen_t n = Rf_xlength(value);
  const stored_i128* v = bind::exact(value, "value");
  bind::same_length(group, n, "group");
  const int* g = bind::groups(group, m, "group");
  const bind::Held out(bind::new_exact(m));
  stored_i128* o = bind::to_fill(out);
  for (int i = 0; i < m; ++i) o[i] = 0;
  if (!eggcrate::sum_by(v, g, static_cast<std::size_t>(n), o)) return too_large();
  return out;
}

// [[Rcpp::export(rng = false)]]
SEXP exact_extreme_by_(SEXP value, SEXP group, SEXP groups, SEXP least) {
  const int m = bind::one_whole(groups, "groups");
  const R_xlen_t n = Rf_xlength(value);
  const stored_i128* v = bind::exact(value, "value");
  bind::same_length(group, n, "group");
  const int* g = bind::groups(group, m, "group");
  const bool low = bind::one_flag(least, "least");
  const bind::Held out(bind::new_exact(m));
  std::vector<std::uint8_t> seen(static_cast<std::size_t>(m));
  stored_i128* o = bind::to_fill(out);
  for (int i = 0; i < m; ++i) o[i] = 0;
  eggcrate::extreme_by(v, g, static_cast<std::size_t>(n), low, o, seen.data());
  return out;
}

// Numbers that order fractions as they are, equal ones alike.
// [[Rcpp::export(rng = false)]]
SEXP exact_number_fractions_(SEXP num, SEXP den) {
  const R_xlen_t n = Rf_xlength(num);
  const stored_i128 *a = bind::exact(num, "num"), *b = bind::exact(den, "den");
  bind::same_length(den, n, "den");
  const bind::Held out(bind::new_exact(n));
  if (!eggcrate::number_fractions(a, b, static_cast<std::size_t>(n), bind::to_fill(out)).ok())
    return no_memory();
  return out;
}

// How a / b stands to c / d, element by element, for b, d > 0: -1, 0, 1.
// [[Rcpp::export(rng = false)]]
SEXP exact_fraction_signs_(SEXP a, SEXP b, SEXP c, SEXP d) {
  const R_xlen_t n = Rf_xlength(a);
  const stored_i128 *va = bind::exact(a, "a"), *vb = bind::exact(b, "b"), *vc = bind::exact(c, "c"),
                    *vd = bind::exact(d, "d");
  for (SEXP x : {b, c, d}) bind::same_length(x, n, "a fraction");
  const bind::Held out(bind::allocate(INTSXP, n));
  int* o = INTEGER(out);
  for (R_xlen_t i = 0; i < n; ++i) o[i] = eggcrate::compare_fractions(va[i], vb[i], vc[i], vd[i]);
  return out;
}

// Doubles as integers of the same order, and back.
// [[Rcpp::export(rng = false)]]
SEXP exact_from_real_(SEXP x) {
  const R_xlen_t n = Rf_xlength(x);
  const double* v = bind::real(x, "x");
  const bind::Held out(bind::new_exact(n));
  for (R_xlen_t i = 0; i < n; ++i) bind::to_fill(out)[i] = eggcrate::detail::ordered(v[i]);
  return out;
}
// [[Rcpp::export(rng = false)]]
SEXP real_from_exact_(SEXP x) {
  const R_xlen_t n = Rf_xlength(x);
  const stored_i128* v = bind::exact(x, "x");
  const bind::Held out(bind::allocate(REALSXP, n));
  for (R_xlen_t i = 0; i < n; ++i)
    REAL(out)[i] = eggcrate::detail::from_ordered(static_cast<std::int64_t>(v[i]));
  return out;
}

// Whole numbers below 2^53 as exact ones; a missing one is 0, and whoever asks knows it.
// [[Rcpp::export(rng = false)]]
SEXP exact_from_whole_(SEXP x) {
  const R_xlen_t n = Rf_xlength(x);
  const double* v = bind::real(x, "x");
  const bind::Held out(bind::new_exact(n));
  for (R_xlen_t i = 0; i < n; ++i) {
    if (!ISNAN(v[i]) && !(std::fabs(v[i]) < 9223372036854775808.0))
      throw Rcpp::exception("a whole number is too large", false);
    bind::to_fill(out)[i] = ISNAN(v[i]) ? 0 : static_cast<std::int64_t>(v[i]);
  }
  return out;
}

// Sums of a database, written out as decimals, in units of 10^unit; what is wanted is in units of 10^wanted. A
// missing one is 0, and whoever asks knows it.
// [[Rcpp::export(rng = false)]]
SEXP exact_from_text_(SEXP x, SEXP unit, SEXP wanted) {
  const R_xlen_t n = Rf_xlength(bind::checked(x, STRSXP, "x"));
  const int shift = bind::one_whole(unit, "unit") - bind::one_whole(wanted, "wanted");
  const bind::Held out(bind::new_exact(n));
  stored_i128* o = bind::to_fill(out);
  for (R_xlen_t i = 0; i < n; ++i) {
    o[i] = 0;
    SEXP cell = STRING_ELT(x, i);
    if (cell == NA_STRING) continue;
    const char* at = R_CHAR(cell);
    const bool negative = *at == '-';
    if (negative) ++at;
    i128 value = 0;
    int places = 0;
    bool point = false, digits = false, fits = true;
    const auto push = [&](int digit) {
      fits = fits && !__builtin_mul_overflow(value, i128(10), &value) && !__builtin_sub_overflow(value, i128(digit), &value);
    };
    for (; *at; ++at) {
      if (*at == '.' && !point) { point = true; continue; }
      if (*at < '0' || *at > '9') throw Rcpp::exception("a sum that is no number", false);
      push(*at - '0');
      digits = true;
      places += point;
    }
    if (!digits) throw Rcpp::exception("a sum that is no number", false);
    int by = shift - places;
    for (; by > 0 && value != 0; --by) push(0);
    for (; by < 0 && value != 0; ++by) {
      if (value % 10) throw Rcpp::exception("a sum has more places than its values", false);
      value /= 10;
    }
    if (!negative) fits = fits && !__builtin_sub_overflow(i128(0), value, &value);
    if (!fits) return too_large();
    o[i] = value;
  }
  return out;
}

// As four whole numbers of R each, which every way of saving keeps bit by bit.
// [[Rcpp::export(rng = false)]]
SEXP exact_pack_(SEXP x) {
  const R_xlen_t n = Rf_xlength(x);
  const stored_i128* v = bind::exact(x, "x");
  const bind::Held out(bind::allocate(INTSXP, 4 * n));
  if (n) std::memcpy(INTEGER(out), v, static_cast<std::size_t>(n) * sizeof(i128));
  return out;
}
// [[Rcpp::export(rng = false)]]
SEXP exact_unpack_(SEXP x) {
  const R_xlen_t n = Rf_xlength(x) / 4;
  const int* v = bind::whole(x, "x");
  const bind::Held out(bind::new_exact(n));
  if (n) std::memcpy(bind::to_fill(out), v, static_cast<std::size_t>(n) * sizeof(i128));
  return out;
}

// a * fa + b * fb and a * b; a missing answer (NULL) where 128 bits do not hold it.
// [[Rcpp::export(rng = false)]]
SEXP exact_combine_(SEXP a, SEXP fa, SEXP b, SEXP fb) {
  const R_xlen_t n = Rf_xlength(a);
  const stored_i128 *x = bind::exact(a, "a"), *y = bind::exact(b, "b");
  bind::same_length(b, n, "b");
  const double ra = bind::one_real(fa, "fa"), rb = bind::one_real(fb, "fb");
  if (!(std::fabs(ra) < 1e38) || !(std::fabs(rb) < 1e38)) return R_NilValue;
  const i128 ka = static_cast<i128>(ra), kb = static_cast<i128>(rb);
  const bind::Held out(bind::new_exact(n));
  stored_i128* o = bind::to_fill(out);
  for (R_xlen_t i = 0; i < n; ++i) {
    i128 p, q, z;
    if (__builtin_mul_overflow(i128(x[i]), ka, &p) || __builtin_mul_overflow(i128(y[i]), kb, &q) ||
        __builtin_add_overflow(p, q, &z))
      return R_NilValue;
    o[i] = z;
  }
  return out;
}
// [[Rcpp::export(rng = false)]]
SEXP exact_multiply_(SEXP a, SEXP b) {
  const R_xlen_t n = Rf_xlength(a), m = Rf_xlength(b);
  const stored_i128 *x = bind::exact(a, "a"), *y = bind::exact(b, "b");
  if (m != 1) bind::same_length(b, n, "b");
  const bind::Held out(bind::new_exact(n));
  for (R_xlen_t i = 0; i < n; ++i) {
    i128 z;
    if (__builtin_mul_overflow(i128(x[i]), i128(y[m == 1 ? 0 : i]), &z)) return R_NilValue;
    bind::to_fill(out)[i] = z;
  }
  return out;
}
// [[Rcpp::export(rng = false)]]
SEXP exact_signs_(SEXP x) {
  const R_xlen_t n = Rf_xlength(x);
  const stored_i128* v = bind::exact(x, "x");
  const bind::Held out(bind::allocate(INTSXP, n));
  int* o = INTEGER(out);
  for (R_xlen_t i = 0; i < n; ++i) o[i] = v[i] < 0 ? -1 : v[i] > 0;
  return out;
}

// num / den, element by element; den may be one for all. Missing where den is 0.
// [[Rcpp::export(rng = false)]]
SEXP exact_ratio_(SEXP num, SEXP den) {
  const R_xlen_t n = Rf_xlength(num), m = Rf_xlength(den);
  const stored_i128 *a = bind::exact(num, "num"), *b = bind::exact(den, "den");
  if (m != 1) bind::same_length(den, n, "den");
  const bind::Held out(bind::allocate(REALSXP, n));
  double* o = REAL(out);
  for (R_xlen_t i = 0; i < n; ++i) {
    const i128 d = b[m == 1 ? 0 : i];
    o[i] = d == 0 ? NA_REAL : eggcrate::ratio(a[i], d);
  }
  return out;
}

// The nearest doubles: value / 10^places, or value * 2^lowest if places is NA; NULL where one is
// beyond all doubles.
// [[Rcpp::export(rng = false)]]
SEXP exact_real_(SEXP value, SEXP places, SEXP lowest) {
  const R_xlen_t n = Rf_xlength(value);
  const stored_i128* v = bind::exact(value, "value");
  const int p = bind::one_whole(places, "places"), low = bind::one_whole(lowest, "lowest");
  const bind::Held out(bind::allocate(REALSXP, n));
  const i128 unit = p == NA_INTEGER ? i128(1) : eggcrate::power_of_ten_exact(p);
  double* o = REAL(out);
  for (R_xlen_t i = 0; i < n; ++i)
    o[i] = p == NA_INTEGER ? std::ldexp(eggcrate::nearest(v[i]), low) : eggcrate::ratio(v[i], unit);
  if (p == NA_INTEGER && low > 0)
    for (R_xlen_t i = 0; i < n; ++i)
      if (!std::isfinite(o[i])) return R_NilValue;
  return out;
}

// Places of the smallest decimal that each number is, NA if none.
// [[Rcpp::export(rng = false)]]
SEXP decimal_places_(SEXP x) {
  const R_xlen_t n = Rf_xlength(x);
  const double* v = bind::real(x, "x");
  const bind::Held out(bind::allocate(INTSXP, n));
  for (R_xlen_t i = 0; i < n; ++i) {
    const int k = eggcrate::places_of(v[i]);
    INTEGER(out)[i] = k == eggcrate::kNotDecimal ? NA_INTEGER : k;
  }
  return out;
}

// Along rows by cell and block: list of `place`, `first`, `size`.
// [[Rcpp::export(rng = false)]]
SEXP block_places_(SEXP cell, SEXP block, SEXP missing) {
  const R_xlen_t n = Rf_xlength(cell);
  bind::same_length(block, n, "block");
  bind::same_length(missing, n, "missing");
  const int *c = bind::whole(cell, "cell"), *b = bind::whole(block, "block"),
            *m = bind::flags(missing, "missing");
  const bind::Held place(bind::allocate(INTSXP, n)), first(bind::allocate(INTSXP, n)),
      size(bind::allocate(INTSXP, n));
  eggcrate::block_places(c, b, m, static_cast<std::size_t>(n), NA_INTEGER, INTEGER(place),
                         INTEGER(first), INTEGER(size));
  return bind::named({{"place", place}, {"first", first}, {"size", size}});
}

// [[Rcpp::export(rng = false)]]
SEXP spread_blocks_(SEXP inside, SEXP block, SEXP all) {
  const R_xlen_t n = Rf_xlength(inside);
  bind::same_length(block, n, "block");
  const int *in = bind::flags(inside, "inside"), *b = bind::whole(block, "block");
  const bool whole = bind::one_flag(all, "all");
  const bind::Held out(bind::allocate(LGLSXP, n));
  eggcrate::spread_blocks(in, b, static_cast<std::size_t>(n), whole, NA_LOGICAL, LOGICAL(out));
  return out;
}

// Rows of each cell until a share of its base is reached or passed; NA: never.
// [[Rcpp::export(rng = false)]]
SEXP reach_counts_(SEXP running, SEXP cell, SEXP base, SEXP share, SEXP places, SEXP passes) {
  const R_xlen_t groups = Rf_xlength(base), n = Rf_xlength(cell);
  const stored_i128 *r = bind::exact(running, "running"), *b = bind::exact(base, "base");
  bind::same_length(running, n, "running");
  const int* c = bind::groups(cell, static_cast<int>(groups), "cell");
  const std::int64_t part = static_cast<std::int64_t>(bind::one_real(share, "share"));
  const int p = static_cast<int>(TYPEOF(places) == INTSXP ? bind::one_whole(places, "places")
                                                          : bind::one_real(places, "places"));
  const bool beyond = bind::one_flag(passes, "passes");
  const bind::Held out(bind::allocate(INTSXP, groups));
  for (R_xlen_t i = 0; i < groups; ++i) INTEGER(out)[i] = -1;
  if (!eggcrate::reach_counts(r, c, static_cast<std::size_t>(n), b, part, p, beyond, INTEGER(out)))
    return too_large();
  for (R_xlen_t i = 0; i < groups; ++i)
    if (INTEGER(out)[i] < 0) INTEGER(out)[i] = NA_INTEGER;
  return out;
}

// How value / 10^places stands to a decimal of the same places: -1, 0, 1.
// [[Rcpp::export(rng = false)]]
SEXP exact_against_one_(SEXP value, SEXP one) {
  const R_xlen_t n = Rf_xlength(value);
  const stored_i128* v = bind::exact(value, "value");
  bind::same_length(one, 1, "one");
  const i128 limit = bind::exact(one, "one")[0];
  const bind::Held out(bind::allocate(INTSXP, n));
  int* o = INTEGER(out);
  for (R_xlen_t i = 0; i < n; ++i) o[i] = v[i] < limit ? -1 : v[i] > limit;
  return out;
}

// (cut[slot] - value) * sign / 10^places; missing without a slot.
// [[Rcpp::export(rng = false)]]
SEXP exact_gaps_(SEXP value, SEXP slot, SEXP cut, SEXP places, SEXP minus) {
  const R_xlen_t n = Rf_xlength(value), cuts = Rf_xlength(cut);
  const stored_i128 *v = bind::exact(value, "value"), *c = bind::exact(cut, "cut");
  bind::same_length(slot, n, "slot");
  const int* at = bind::whole(slot, "slot");
  const bool turned = bind::one_flag(minus, "minus");
  const i128 unit = eggcrate::power_of_ten_exact(bind::one_whole(places, "places"));
  const bind::Held out(bind::allocate(REALSXP, n));
  double* o = REAL(out);
  for (R_xlen_t i = 0; i < n; ++i) {
    if (at[i] == NA_INTEGER) { o[i] = NA_REAL; continue; }
    if (at[i] < 1 || at[i] > cuts) throw Rcpp::exception("a slot is not there", false);
    const i128 gap = c[at[i] - 1] - v[i];
    o[i] = eggcrate::ratio(turned ? -gap : gap, unit);
  }
  return out;
}
