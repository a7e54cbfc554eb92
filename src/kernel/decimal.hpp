// Doubles that stand for decimals, as integers, and back.
#pragma once

#include <cmath>
#include <cstring>

#include "base.hpp"

namespace eggcrate {

// More places than money and unit prices ever have; keeps m below 2^51 for
// amounts up to two thousand million.
constexpr int kMaxPlaces = 6;
constexpr int kNotDecimal = -1;
constexpr double kLimit = 2251799813685248.0;  // 2^51
// Adding and subtracting 1.5 * 2^52 rounds to the nearest integer; the sum's
// low bits are that integer.
constexpr double kRounder = 6755399441055744.0;

inline double power_of_ten(int k) noexcept {
  static const double table[] = {1e0,  1e1,  1e2,  1e3,  1e4,  1e5,  1e6,
                                 1e7,  1e8,  1e9,  1e10, 1e11, 1e12, 1e13,
                                 1e14, 1e15, 1e16, 1e17, 1e18, 1e19, 1e20,
                                 1e21, 1e22};
  return table[k];
}

inline i128 power_of_ten_exact(int k) noexcept {
  i128 p = 1;
  for (int i = 0; i < k; ++i) p *= 10;
  return p;
}

inline std::uint64_t bits_of(double x) noexcept {
  std::uint64_t u;
  std::memcpy(&u, &x, sizeof u);
  return u;
}

inline bool is_missing(double x) noexcept {
  return x != x && static_cast<std::uint32_t>(bits_of(x)) == kMissingWord;
}

inline double ulp(double x) noexcept {
  const double a = std::fabs(x);
  return std::nextafter(a, std::numeric_limits<double>::infinity()) - a;
}

// Is x within 4 ulp of m / 10^k for an integer m below 2^51? Sets m if so. If 4 ulp reach
// half a cent, many decimals are equally near. Then only exact whole numbers count as decimals.
inline bool as_decimal(double x, int k, std::int64_t& m) noexcept {
  const double p = power_of_ten(k);
  const double y = x * p;
  if (!(std::fabs(y) < kLimit)) return false;
  const double r = (y + kRounder) - kRounder;
  if (!(std::fabs(r) < kLimit)) return false;
  m = static_cast<std::int64_t>(r);
  const double near = 4 * ulp(x);
  return near < 0.005 ? std::fabs(x - r / p) <= near : k == 0 && x == r;
}

// The smallest k in [from, 6] that makes x a decimal, or kNotDecimal.
inline int places_of(double x, int from = 0) noexcept {
  std::int64_t m;
  for (int k = from; k <= kMaxPlaces; ++k)
    if (as_decimal(x, k, m)) return k;
  return kNotDecimal;
}

// Nearest double to an integer; ties to even.
inline double nearest(i128 v) noexcept {
  const bool minus = v < 0;
  u128 u = minus ? u128(0) - static_cast<u128>(v) : static_cast<u128>(v);
  int shift = 0;
  bool sticky = false;
  while (u >> 64) {  // keep 64 bits, remember whether anything was cut
    sticky |= static_cast<bool>(u & 1);
    u >>= 1;
    ++shift;
  }
  std::uint64_t top = static_cast<std::uint64_t>(u);
  if (shift && sticky) top |= 1;  // below the bits that decide rounding
  const double d = std::ldexp(static_cast<double>(top), shift);
  return minus ? -d : d;
}

// Nearest double to num / den (den != 0); ties to even. Exact operands below
// 2^53 need one IEEE division, which is correctly rounded; longer ones are
// divided bit by bit with the remainder kept.
inline double ratio(i128 num, i128 den) noexcept {
  constexpr i128 small = i128(1) << 53;
  if (num < small && num > -small && den < small && den > -small) {
    const double q = static_cast<double>(static_cast<std::int64_t>(num)) /
                     static_cast<double>(static_cast<std::int64_t>(den));
    return q == 0 ? 0.0 : q;
  }
  if (num == 0) return 0.0;
  const bool minus = (num < 0) != (den < 0);
  const u128 d = den < 0 ? u128(0) - static_cast<u128>(den) : static_cast<u128>(den);
  const u128 a = num < 0 ? u128(0) - static_cast<u128>(num) : static_cast<u128>(num);
  u128 quotient = a / d;
  u128 rest = a % d;
  int shift = 0;
  while (!(quotient >> 62)) {  // at least 63 significant bits, then a sticky one
    // rest < d <= 2^127, so doubling never leaves 128 bits
    rest <<= 1;
    quotient <<= 1;
    if (rest >= d) {
      rest -= d;
      quotient |= 1;
    }
    --shift;
  }
  bool sticky = rest != 0;
  while (quotient >> 63) {
    sticky |= static_cast<bool>(quotient & 1);
    quotient >>= 1;
    ++shift;
  }
  std::uint64_t top = static_cast<std::uint64_t>(quotient) << 1;
  if (sticky) top |= 1;
  const double q = std::ldexp(static_cast<double>(top), shift - 1);
  return minus ? -q : q;
}

}  // namespace eggcrate
