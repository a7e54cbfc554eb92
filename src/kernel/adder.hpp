// What a thread gathers for one measure: sums, least and most, values, different ones.
#pragma once

#include <algorithm>
#include <memory>

#include "evaluate.hpp"
#include "groups.hpp"
#include "pairs.hpp"

namespace eggcrate {

constexpr std::size_t kNoRow = std::numeric_limits<std::size_t>::max();

constexpr int kNoBit = std::numeric_limits<int>::max();

// What is counted of a column's values.
enum class Measure : int { sum = 0, least = 1, most = 2, median = 3, distinct = 4 };

// A measure of `value` over the rows where `when` holds: registers of the question's program;
// -1 stands for none, which is all rows.
struct Sum {
  Measure measure = Measure::sum;
  int value = -1;
  Key of;  // distinct: whose values are told apart, instead of `value`
  int when = -1;
  // Doubles that are not decimal are added as multiples of 2^lowest: integer
  // sums do not depend on the order. Found by a pass of its own.
  bool scanned = false;
  double largest = 0;
  int lowest_bit = kNoBit;  // of all values: none has a bit of less than 2^lowest_bit
  int lowest = 0;
};

// Sums of all rows stay below 2^126.
constexpr int kSumBits = 126;

// `total` holds integers in units of 10^-places, or of 2^lowest for sums of doubles.
// Of other measures of doubles it holds `ordered()` doubles; of a median twice its
// value in decimals, for it may lie between two.
struct SumResult {
  std::vector<i128> total;
  std::vector<std::uint32_t> missing;  // rows without a value, per item; empty: none
  std::vector<std::uint32_t> skipped;  // rows that `when` passed over; empty: none
  std::vector<std::uint32_t> met;      // on the way: rows that meet `when`, per item
  std::vector<std::uint32_t> rounded;  // rows whose double lost bits below `lowest`; empty: none
  std::uint64_t all_missing = 0;
  std::size_t first_missing = kNoRow;
};

namespace detail {

inline i128 fixed_point(double x, int lowest) noexcept {
  if (x == 0) return 0;
  int e;
  const double f = std::frexp(std::fabs(x), &e);
  const i128 m = static_cast<i128>(std::ldexp(f, 53));
  const int shift = e - 53 - lowest;
  i128 v;
  if (shift >= 0) v = m << shift;
  else if (shift < -60) v = 0;
  else v = (m + (i128(1) << (-shift - 1))) >> -shift;
  return x < 0 ? -v : v;
}

// The exponent of the lowest bit of a number that is not below zero.
inline int lowest_bit_of(double x) noexcept {
  if (x == 0) return kNoBit;
  int e;
  const auto m = static_cast<std::uint64_t>(std::ldexp(std::frexp(x, &e), 53));
  return e - 53 + __builtin_ctzll(m);
}

// Doubles as integers of the same order, and back.
inline std::int64_t ordered(double x) noexcept {
  const auto bits = static_cast<std::int64_t>(bits_of(x == 0 ? 0.0 : x));
  return bits < 0 ? std::numeric_limits<std::int64_t>::min() - bits : bits;
}
inline double from_ordered(std::int64_t v) noexcept {
  const std::int64_t bits = v < 0 ? std::numeric_limits<std::int64_t>::min() - v : v;
  double x;
  std::memcpy(&x, &bits, sizeof x);
  return x;
}

// Which rows of a chunk count, by their places in it.
struct Met {
  const std::uint16_t* at;
  std::size_t n;
};

inline void join_counts(std::vector<std::uint32_t>& out, const std::vector<std::uint32_t>& mine,
                        const std::vector<std::uint32_t>& ids, std::size_t items) {
  if (mine.empty()) return;
  if (out.size() < items) out.resize(items);
  for (std::size_t i = 0; i < mine.size(); ++i) out[ids[i]] += mine[i];
}

// A condition that sums share: which rows meet it, and how many of each item do.
class Condition {
 public:
  explicit Condition(int at) : at_(at), met_(kChunk) {}
  int at() const noexcept { return at_; }

  // Found without a branch; nothing is written for the others, which may be most.
  void judge(const std::uint8_t* truth, std::size_t n) noexcept {
    n_ = 0;
    for (std::size_t i = 0; i < n; ++i) {
      met_[n_] = static_cast<std::uint16_t>(i);
      n_ += truth[i] == yes;
    }
  }
  Met met() const noexcept { return Met{met_.data(), n_}; }

  void count(const std::uint32_t* ids, std::size_t items) {
    if (counts_.size() < items) counts_.resize(items);
    for (std::size_t j = 0; j < n_; ++j) ++counts_[ids[met_[j]]];
  }
  const std::vector<std::uint32_t>& counts() const noexcept { return counts_; }

 private:
  int at_;  // the register of its truth
  std::vector<std::uint16_t> met_;
  std::size_t n_ = 0;
  std::vector<std::uint32_t> counts_;
};

// What a thread has gathered for one Sum.
class Adder {
 public:
  // The sum is kept in a lane of the thread's items where it can be.
  void use_lane(Groups& groups, int lane) noexcept {
    groups_ = &groups;
    lane_ = lane;
  }
  int lane() const noexcept { return groups_ ? lane_ : -1; }

  // Different values are put aside as pairs.
  void use_pairs() { pairs_ = std::make_unique<Pairs>(); }

  // A chunk's values, nought where a row does not count, if they can be added as they are.
  const std::int64_t* whole_values(const Values& v, const Met& met, std::size_t n) {
    if (v.r.any_missing || !reserve(v, n)) return nullptr;
    const std::int64_t* z = v.r.z.data();
    if (met.n == n) return z;
    in_lane_.assign(n, 0);
    for (std::size_t j = 0; j < met.n; ++j) in_lane_[met.at[j]] = z[met.at[j]];
    return in_lane_.data();
  }

  void add(const Values& v, const Met& met, const std::uint32_t* ids, const Rows& rows,
           std::size_t items, const Sum& sum) {
    if (sum.measure != Measure::sum) return gather(v, met, ids, rows, items, sum.measure);
    const Register& r = v.r;
    const bool plain = reserve(v, rows.n);
    if (plain && low_.size() < items) low_.resize(items);
    if (!plain && high_.size() < items) high_.resize(items);
    if (plain && !r.any_missing) {
      for (std::size_t j = 0; j < met.n; ++j) low_[ids[met.at[j]]] += r.z[met.at[j]];
      return;
    }
    for (std::size_t j = 0; j < met.n; ++j) {
      const std::size_t i = met.at[j];
      if (r.is_missing_at(i)) { miss(ids[i], rows.number(i), items); continue; }
      if (plain) low_[ids[i]] += r.z[i];
      else if (v.exact()) high_[ids[i]] += r.at(i);
      else if (sum.scanned) add_double(v.real_at(i), ids[i], items, sum);
      else note(v.real_at(i));
    }
  }

  // Different values: pairs of item and word.
  void add_words(const std::uint64_t* words, const std::uint8_t* missing, const Met& met,
                 const std::uint32_t* ids, const Rows& rows, std::size_t items) {
    for (std::size_t j = 0; j < met.n; ++j) {
      const std::size_t i = met.at[j];
      if (missing[i]) miss(ids[i], rows.number(i), items);
      else pairs_->add(ids[i], words[i]);
    }
  }
  Pairs& pairs() noexcept { return *pairs_; }

  double largest() const noexcept { return largest_; }
  int lowest_bit() const noexcept { return lowest_bit_; }

  // What is still pending; `in_lane` are the sums that the items kept.
  void finish(const Gathered& in_lane) {
    if (groups_) add_up(in_lane.sums[lane_]);
    add_up(low_);
  }

  void into(SumResult& out, Measure measure, const std::vector<std::uint32_t>& ids,
            std::size_t items) {
    out.total.resize(items, measure == Measure::least  ? kNothingLess
                            : measure == Measure::most ? kNothingMore
                                                       : i128(0));
    for (std::size_t i = 0; i < high_.size(); ++i) {
      i128& t = out.total[ids[i]];
      if (measure == Measure::least) t = std::min(t, high_[i]);
      else if (measure == Measure::most) t = std::max(t, high_[i]);
      else t += high_[i];
    }
    join_counts(out.missing, missing_, ids, items);
    join_counts(out.rounded, rounded_, ids, items);
    out.all_missing += all_missing_;
    out.first_missing = std::min(out.first_missing, first_missing_);
  }

  const std::vector<std::uint32_t>& value_ids() const noexcept { return value_ids_; }
  const std::vector<std::int64_t>& kept_values() const noexcept { return kept_values_; }

  static constexpr i128 kNothingLess = (i128(1) << 126);
  static constexpr i128 kNothingMore = -(i128(1) << 126);

 private:
  // Least and most of each item; all values of a median.
  void gather(const Values& v, const Met& met, const std::uint32_t* ids, const Rows& rows,
              std::size_t items, Measure measure) {
    const bool least = measure == Measure::least;
    if (high_.size() < items)
      high_.resize(items, least ? kNothingLess : measure == Measure::most ? kNothingMore : i128(0));
    for (std::size_t j = 0; j < met.n; ++j) {
      const std::size_t i = met.at[j];
      if (v.r.is_missing_at(i)) { miss(ids[i], rows.number(i), items); continue; }
      const i128 x = v.exact() ? v.r.at(i) : i128(ordered(v.real_at(i)));
      if (measure == Measure::median) {
        value_ids_.push_back(ids[i]);
        kept_values_.push_back(static_cast<std::int64_t>(x));
        too_wide_ |= x != kept_values_.back();
      } else if (least ? x < high_[ids[i]] : x > high_[ids[i]]) {
        high_[ids[i]] = x;
      }
    }
  }

  void miss(std::uint32_t id, std::size_t row, std::size_t items) {
    ++at(missing_, id, items);
    if (all_missing_++ == 0) first_missing_ = row;  // a thread's rows only grow
  }
  static std::uint32_t& at(std::vector<std::uint32_t>& v, std::uint32_t id, std::size_t items) {
    if (v.size() < items) v.resize(items);
    return v[id];
  }
  void add_double(double x, std::uint32_t id, std::size_t items, const Sum& sum) {
    high_[id] += fixed_point(x, sum.lowest);
    if (sum.lowest > sum.lowest_bit && lowest_bit_of(std::fabs(x)) < sum.lowest)
      ++at(rounded_, id, items);
  }
  void note(double x) noexcept {
    const double a = std::fabs(x);
    if (a > largest_) largest_ = a;
    lowest_bit_ = std::min(lowest_bit_, lowest_bit_of(a));
  }
  void add_up(const std::vector<std::int64_t>& low) {
    if (high_.size() < low.size()) high_.resize(low.size());
    for (std::size_t i = 0; i < low.size(); ++i) high_[i] += low[i];
  }
  void carry() {
    if (groups_) {
      if (high_.size() < groups_->size()) high_.resize(groups_->size());
      groups_->drain(lane_, high_);
    }
    add_up(low_);
    std::fill(low_.begin(), low_.end(), 0);
    pending_ = 0;
  }
  // Are these 64-bit integers, of which no sum overflows before the next carry()?
  bool reserve(const Values& v, std::size_t n) {
    const double more = v.r.bound * static_cast<double>(n);
    if (!v.exact() || v.r.wide || more > 9e18) return false;
    if (pending_ + more > 9e18) carry();
    pending_ += more;
    return true;
  }

  Groups* groups_ = nullptr;
  int lane_ = 0;
  std::vector<std::int64_t> low_;  // until they could overflow
  std::vector<i128> high_;
  double pending_ = 0;
  double largest_ = 0;
  int lowest_bit_ = kNoBit;
  std::vector<std::uint32_t> missing_;
  std::vector<std::uint32_t> rounded_;
  std::vector<std::int64_t> in_lane_;
  std::uint64_t all_missing_ = 0;
  std::size_t first_missing_ = kNoRow;
  std::unique_ptr<Pairs> pairs_;
  std::vector<std::uint32_t> value_ids_;   // median: one entry a row, in no order
  std::vector<std::int64_t> kept_values_;

 public:
  bool too_wide_ = false;  // a median of values beyond 64 bits
};

}  // namespace detail

}  // namespace eggcrate
