// Sums of whole items: put in order, cumulated, joined, divided.
#pragma once

#include <algorithm>
#include <vector>

#include "decimal.hpp"

namespace eggcrate {

namespace detail {

// Stable sort by the low `bits` bits of the keys, eleven at a time: a few passes
// over whole numbers, whatever the number of ties.
inline void sort_by_digits(std::vector<std::uint64_t>& key, std::vector<std::int32_t>& at,
                           int bits) {
  constexpr int kDigit = 11;
  std::vector<std::uint64_t> key2(key.size());
  std::vector<std::int32_t> at2(at.size());
  for (int shift = 0; shift < bits; shift += kDigit) {
    std::size_t start[(1 << kDigit) + 1] = {0};
    for (const std::uint64_t k : key) ++start[((k >> shift) & ((1 << kDigit) - 1)) + 1];
    for (int d = 0; d < (1 << kDigit); ++d) start[d + 1] += start[d];
    for (std::size_t i = 0; i < key.size(); ++i) {
      const std::size_t to = start[(key[i] >> shift) & ((1 << kDigit) - 1)]++;
      key2[to] = key[i];
      at2[to] = at[i];
    }
    key.swap(key2);
    at.swap(at2);
  }
}

inline int bits_in(std::uint64_t x) noexcept {
  int bits = 0;
  for (; x; x >>= 1) ++bits;
  return bits;
}

// Indices by value alone, where all values lie within 2^63 of each other.
inline void sort_near(const stored_i128* value, bool decreasing, std::size_t n, i128 least,
                      i128 most, std::vector<std::int32_t>& at) {
  std::vector<std::uint64_t> key(n);
  for (std::size_t i = 0; i < n; ++i)
    key[i] = static_cast<std::uint64_t>(decreasing ? most - value[i] : value[i] - least);
  sort_by_digits(key, at, bits_in(static_cast<std::uint64_t>(most - least)));
}

// The pointer's type is spelt out: a template would forget that the values may
// lie unaligned.
inline void sort_far(const stored_i128* value, bool decreasing, std::vector<std::int32_t>& at) {
  std::stable_sort(at.begin(), at.end(), [value, decreasing](std::int32_t a, std::int32_t b) {
    const i128 x = value[a], y = value[b];
    return decreasing ? x > y : x < y;
  });
}

inline void sort_cells(const std::int32_t* cell, std::vector<std::int32_t>& at) {
  std::int32_t most = 0;
  std::vector<std::uint64_t> key(at.size());
  for (std::size_t i = 0; i < at.size(); ++i) {
    key[i] = static_cast<std::uint64_t>(cell[at[i]]);
    most = std::max(most, cell[at[i]]);
  }
  if (most > 1) sort_by_digits(key, at, bits_in(static_cast<std::uint64_t>(most)));
}

}  // namespace detail

// Order of items by cell (numbered from 1), then by value. Along that order:
// `block` numbers the ties from 1 (equal neighbours of one cell share a number),
// `first` and `last` are the places, counted from 1 in each cell, that the
// block of a row spans.
inline Status order_items(const stored_i128* value, const std::int32_t* cell, bool decreasing,
                          std::size_t n, std::int32_t* order, std::int32_t* block,
                          std::int32_t* first, std::int32_t* last) noexcept {
  try {
    std::vector<std::int32_t> at(n);
    i128 least = n ? value[0] : i128(0), most = least;
    for (std::size_t i = 0; i < n; ++i) {
      at[i] = static_cast<std::int32_t>(i);
      const i128 v = value[i];
      if (v < least) least = v;
      if (v > most) most = v;
    }
    // Totals stay below 2^126, so their difference does not overflow.
    if (static_cast<u128>(most - least) >> 63) detail::sort_far(value, decreasing, at);
    else detail::sort_near(value, decreasing, n, least, most, at);
    if (cell) detail::sort_cells(cell, at);
    std::copy(at.begin(), at.end(), order);
  } catch (const std::bad_alloc&) {
    return Status{Code::no_memory, 0, -1};
  }
  std::int32_t number = 0, place = 0;
  std::size_t start = 0;
  for (std::size_t i = 0; i < n; ++i) {
    const bool same_cell = i > 0 && (!cell || cell[order[i]] == cell[order[i - 1]]);
    place = same_cell ? place + 1 : 1;
    if (!same_cell || value[order[i]] != value[order[i - 1]]) {
      ++number;
      start = i;
    }
    block[i] = number;
    first[i] = place - static_cast<std::int32_t>(i - start);
    last[i] = place;
  }
  for (std::size_t i = n; i-- > 1;)
    if (block[i - 1] == block[i]) last[i - 1] = last[i];
  return Status();
}

// Puts the items of each tie block into the order that `before` says; it must not
// leave two items undecided. `soon` is told which items will be compared.
template <class Before, class Soon>
void settle_blocks(std::int32_t* order, const std::int32_t* block, std::size_t n, Before before,
                   Soon soon) {
  constexpr std::size_t ahead = 64;
  for (std::size_t from = 0, to; from < n; from = to) {
    to = from + 1;
    while (to < n && block[to] == block[from]) ++to;
    for (std::size_t i = from + ahead; i < to + ahead && i < n; ++i)
      if (block[i] == block[i - 1] || (i + 1 < n && block[i] == block[i + 1])) soon(order[i]);
    if (to - from > 1) std::sort(order + from, order + to, before);
  }
}

// Where each row stands among the ranked ones of its cell, along rows that lie by cell
// and then by block: its place from 1, the place of its block's first row, how
// many are ranked. `missing` rows have no place (`none`).
inline void block_places(const std::int32_t* cell, const std::int32_t* block,
                         const std::int32_t* missing, std::size_t n, std::int32_t none,
                         std::int32_t* place, std::int32_t* first, std::int32_t* size) noexcept {
  for (std::size_t from = 0, to; from < n; from = to) {
    std::int32_t ranked = 0;
    for (to = from; to < n && cell[to] == cell[from]; ++to) ranked += missing[to] == 0;
    for (std::size_t i = from; i < to; ++i) {
      place[i] = missing[i] ? none : static_cast<std::int32_t>(i - from) + 1;
      first[i] = i > from && block[i] == block[i - 1] ? first[i - 1] : place[i];
      size[i] = ranked;
    }
  }
}

// For rows that lie by block: is any row of the block in, or are all?
inline void spread_blocks(const std::int32_t* in, const std::int32_t* block, std::size_t n,
                          bool all, std::int32_t none, std::int32_t* out) noexcept {
  for (std::size_t from = 0, to; from < n; from = to) {
    std::size_t count = 0;
    for (to = from; to < n && block[to] == block[from]; ++to) count += in[to] == 1;
    const bool whole = all ? count == to - from : count > 0;
    for (std::size_t i = from; i < to; ++i) out[i] = in[i] == none ? none : whole;
  }
}

// Running totals that restart where the cell changes. False: more than 128 bits.
inline bool running(const stored_i128* value, const std::int32_t* cell, std::size_t n,
                    stored_i128* out) noexcept {
  i128 sum = 0;
  bool fits = true;
  for (std::size_t i = 0; i < n; ++i) {
    if (i > 0 && cell && cell[i] != cell[i - 1]) sum = 0;
    if (__builtin_add_overflow(sum, i128(value[i]), &sum)) fits = false;
    out[i] = sum;
  }
  return fits;
}

// Totals by group, numbered from 1. False: more than 128 bits.
inline bool sum_by(const stored_i128* value, const std::int32_t* group, std::size_t n,
                   stored_i128* out) noexcept {
  bool fits = true;
  for (std::size_t i = 0; i < n; ++i) {
    i128 sum;
    if (__builtin_add_overflow(i128(out[group[i] - 1]), i128(value[i]), &sum)) fits = false;
    out[group[i] - 1] = sum;
  }
  return fits;
}

// The least (or most) of each group; `out` starts as the first value that it can be.
inline void extreme_by(const stored_i128* value, const std::int32_t* group, std::size_t n,
                       bool least, stored_i128* out, std::uint8_t* seen) noexcept {
  for (std::size_t i = 0; i < n; ++i) {
    const std::int32_t g = group[i] - 1;
    const i128 v = value[i];
    if (!seen[g] || (least ? v < out[g] : v > out[g])) out[g] = v;
    seen[g] = 1;
  }
}

// The sign of a * d - c * b for b, d > 0: how a / b stands to c / d. 256 bits.
inline int compare_fractions(i128 a, i128 b, i128 c, i128 d) noexcept {
  if ((a < 0) != (c < 0)) return a < 0 ? -1 : 1;
  const auto magnitude = [](i128 x) {
    return x < 0 ? u128(0) - static_cast<u128>(x) : static_cast<u128>(x);
  };
  struct Wide { u128 high, low; };
  const auto product = [](u128 x, u128 y) {
    constexpr u128 mask = ~std::uint64_t(0);
    const u128 ll = (x & mask) * (y & mask), lh = (x & mask) * (y >> 64),
               hl = (x >> 64) * (y & mask), hh = (x >> 64) * (y >> 64);
    const u128 middle = (ll >> 64) + (lh & mask) + (hl & mask);
    return Wide{hh + (lh >> 64) + (hl >> 64) + (middle >> 64), (middle << 64) | (ll & mask)};
  };
  const Wide x = product(magnitude(a), magnitude(d)), y = product(magnitude(c), magnitude(b));
  const int order = x.high != y.high ? (x.high < y.high ? -1 : 1)
                    : x.low != y.low ? (x.low < y.low ? -1 : 1)
                                     : 0;
  return a < 0 ? -order : order;
}

// Numbers fractions num / den (den > 0) so that equal ones have one number and the
// numbers are ordered as the fractions. The nearest doubles are in the same
// order, so they decide all but those that round alike.
inline Status number_fractions(const stored_i128* num, const stored_i128* den, std::size_t n,
                               stored_i128* out) noexcept {
  try {
    std::vector<double> near(n);
    std::vector<std::int32_t> at(n);
    for (std::size_t i = 0; i < n; ++i) {
      near[i] = ratio(num[i], den[i]);
      at[i] = static_cast<std::int32_t>(i);
    }
    const auto order = [&](std::int32_t a, std::int32_t b) {
      if (near[a] != near[b]) return near[a] < near[b] ? -1 : 1;
      return compare_fractions(num[a], den[a], num[b], den[b]);
    };
    std::sort(at.begin(), at.end(),
              [&](std::int32_t a, std::int32_t b) { return order(a, b) < 0; });
    std::int64_t number = 0;
    for (std::size_t i = 0; i < n; ++i) {
      if (i > 0 && order(at[i - 1], at[i]) != 0) ++number;
      out[at[i]] = number;
    }
  } catch (const std::bad_alloc&) {
    return Status{Code::no_memory, 0, -1};
  }
  return Status();
}

// -1, 0, 1 for part * 10^places against share * base: is part of the base below,
// at or above a share written as decimals? False: more than 128 bits.
inline bool against_share(i128 part, i128 base, std::int64_t share, int places,
                          int& order) noexcept {
  i128 a, b;
  if (__builtin_mul_overflow(part, power_of_ten_exact(places), &a)) return false;
  if (__builtin_mul_overflow(base, i128(share), &b)) return false;
  order = a < b ? -1 : a > b;
  return true;
}

// How many rows of each cell, in order, until the running total reaches a share of its
// base (`passes`: goes beyond it), the row that does so included; `none` where it
// never does. False: more than 128 bits.
inline bool reach_counts(const stored_i128* running, const std::int32_t* cell, std::size_t n,
                         const stored_i128* base, std::int64_t share, int places, bool passes,
                         std::int32_t* count) noexcept {
  for (std::size_t i = 0, start = 0; i < n; ++i) {
    if (i > 0 && cell[i] != cell[i - 1]) start = i;
    std::int32_t& reached = count[cell[i] - 1];
    if (reached >= 0) continue;
    int order = 0;
    if (!against_share(running[i], base[cell[i] - 1], share, places, order)) return false;
    if (passes ? order > 0 : order >= 0) reached = static_cast<std::int32_t>(i - start) + 1;
  }
  return true;
}

}  // namespace eggcrate
