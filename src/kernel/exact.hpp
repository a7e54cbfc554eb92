// Sums of whole items: put in order, cumulated, joined, divided.
#pragma once

#include <algorithm>
#include <vector>

#include "decimal.hpp"

namespace eggcrate {

namespace detail {

// Sorts indices by (cell, value); equal ones stay in the order they came in.
// `T` holds every value; the pointer's type is spelt out, for a template would
// forget that the values may lie unaligned.
template <class T>
void sort_indices(const stored_i128* value, const std::int32_t* cell, bool decreasing, std::size_t n,
                  std::int32_t* order) {
  struct Entry {
    T value;
    std::int32_t cell, at;
  };
  std::vector<Entry> e(n);
  for (std::size_t i = 0; i < n; ++i) e[i] = {static_cast<T>(value[i]), cell ? cell[i] : 0, static_cast<std::int32_t>(i)};
  std::sort(e.begin(), e.end(), [decreasing](const Entry& a, const Entry& b) {
    if (a.cell != b.cell) return a.cell < b.cell;
    if (a.value != b.value) return (a.value < b.value) != decreasing;
    return a.at < b.at;
  });
  for (std::size_t i = 0; i < n; ++i) order[i] = e[i].at;
}

}  // namespace detail

// Order of items by cell, then by value; `block` numbers the ties along that
// order from 1: equal neighbours of one cell share a number.
inline Status order_items(const stored_i128* value, const std::int32_t* cell, bool decreasing, std::size_t n,
                          std::int32_t* order, std::int32_t* block) noexcept {
  try {
    bool narrow = true;  // 64-bit values sort in half the time
    for (std::size_t i = 0; i < n && narrow; ++i) narrow = value[i] == static_cast<std::int64_t>(value[i]);
    if (narrow) {
      detail::sort_indices<std::int64_t>(value, cell, decreasing, n, order);
    } else {
      detail::sort_indices<i128>(value, cell, decreasing, n, order);
    }
  } catch (const std::bad_alloc&) {
    return Status{Code::no_memory, 0, -1};
  }
  std::int32_t number = 0;
  for (std::size_t i = 0; i < n; ++i) {
    const bool same = i > 0 && value[order[i]] == value[order[i - 1]] &&
                      (!cell || cell[order[i]] == cell[order[i - 1]]);
    if (!same) ++number;
    block[i] = number;
  }
  return Status();
}

// Running totals that restart where the cell changes.
inline void running(const stored_i128* value, const std::int32_t* cell, std::size_t n, stored_i128* out) noexcept {
  i128 sum = 0;
  for (std::size_t i = 0; i < n; ++i) {
    if (i > 0 && cell && cell[i] != cell[i - 1]) sum = 0;
    sum += value[i];
    out[i] = sum;
  }
}

// Totals by group, numbered from 1.
inline void sum_by(const stored_i128* value, const std::int32_t* group, std::size_t n, stored_i128* out) noexcept {
  for (std::size_t i = 0; i < n; ++i) out[group[i] - 1] += value[i];
}

// -1, 0, 1 for part * 10^places against share * base: is part of the base below,
// at or above a share written as decimals? False: more than 128 bits.
inline bool against_share(i128 part, i128 base, std::int64_t share, int places, int& order) noexcept {
  i128 a, b;
  if (__builtin_mul_overflow(part, power_of_ten_exact(places), &a)) return false;
  if (__builtin_mul_overflow(base, i128(share), &b)) return false;
  order = a < b ? -1 : a > b;
  return true;
}

}  // namespace eggcrate
