// How sure a rank is: whole orders are resampled, with replacement, and items ranked
// again, many times (the cluster bootstrap: Davison and Hinkley 1997, Bootstrap Methods
// and their Application, section 3.8; for ranks: Goldstein and Spiegelhalter 1996, Journal
// of the Royal Statistical Society A 159, 385-443).
#pragma once

#include <algorithm>
#include <atomic>
#include <cmath>
#include <cstddef>
#include <cstdint>
#include <cstring>
#include <memory>
#include <new>
#include <unordered_set>
#include <vector>

#include "base.hpp"
#include "pages.hpp"
#include "threads.hpp"

namespace eggcrate {

// Random numbers of a stream, by place: the number at a place is known without those
// before it (wyrand, of Wang Yi's wyhash: a counter, multiplied by itself and folded).
class Random {
 public:
  Random(std::uint64_t seed, std::uint64_t stream) noexcept
      : start_(fold(seed ^ fold(stream ^ kMix, kStep), kMix)) {}

  std::uint64_t at(std::uint64_t place) const noexcept {
    const std::uint64_t x = start_ + place * kStep;
    return fold(x, x ^ kMix);
  }
  std::uint64_t next() noexcept { return at(next_++); }

  // One of 0 … n - 1, each as likely (Lemire 2019): the top of a product, those that would
  // come too often drawn again.
  std::uint32_t below(std::uint32_t n) noexcept {
    std::uint64_t m = (next() >> 32) * n;
    if (static_cast<std::uint32_t>(m) < n) {
      const std::uint32_t least = static_cast<std::uint32_t>(-n) % n;
      while (static_cast<std::uint32_t>(m) < least) m = (next() >> 32) * n;
    }
    return static_cast<std::uint32_t>(m >> 32);
  }

 private:
  static constexpr std::uint64_t kStep = 0xA0761D6478BD642Fu, kMix = 0xE7037ED1A0B428DBu;

  static std::uint64_t fold(std::uint64_t a, std::uint64_t b) noexcept {
    const u128 m = static_cast<u128>(a) * b;
    return static_cast<std::uint64_t>(m >> 64) ^ static_cast<std::uint64_t>(m);
  }
  std::uint64_t start_;
  std::uint64_t next_ = 0;
};

// Ranks are counted in bins: each of the first 64 has its own, further ones share a bin
// with those up to a tenth away. So memory does not grow with the number of resamples.
struct RankBins {
  static constexpr std::uint32_t kSingle = 64;

  static std::uint32_t of(std::uint32_t rank) noexcept {
    if (rank <= kSingle) return rank - 1;
    return kSingle + static_cast<std::uint32_t>(8 * std::log2(static_cast<double>(rank) / kSingle));
  }
};

struct Resampling {
  std::size_t orders = 0;                // entries of order o: start[o] … start[o + 1] - 1
  const std::int32_t* start = nullptr;
  const std::int32_t* item = nullptr;    // of each entry, counted from 0
  const double* value = nullptr;         // what the entry adds to its item
  std::size_t items = 0;                 // those of a group stand together
  const std::int32_t* group = nullptr;   // of each item, growing
  bool highest = true;                   // the highest value ranks first
  std::uint32_t times = 1000;            // at most 65,535
  std::uint64_t seed = 1;
  int threads = 1;
  double outside = 0.05;                 // part of the resamples left out at either end
  Poll poll;
};

// Resamples that are added up in one pass over the entries.
constexpr std::uint32_t kBatch = 8;

// How often each of n orders is drawn in n draws with replacement, for a batch of
// resamples. As many draws as a Poisson number of mean n says give each order a
// Poisson number of mean 1, whatever the others have; so these are made one by one,
// and the few draws (some root of n) that are too many or too few are then taken away or
// added at random, which leaves n draws, each order as likely in each.
class Draws {
 public:
  // One number for each resample of the batch.
  typedef std::int16_t Weights __attribute__((vector_size(2 * kBatch)));

  Draws(std::uint64_t seed, std::uint32_t batch) noexcept
      : batch_(batch), seed_(seed), random_(seed, 2 * std::uint64_t(batch)) {}

  // Of one order, before the correction.
  Weights of(std::size_t order) const noexcept {
    const Weights u =
        reinterpret_cast<Weights>(Pair{random_.at(2 * order), random_.at(2 * order + 1)});
    // A comparison that holds is -1.
    Weights n = -((u > kCuts[0]) + (u > kCuts[1]) + (u > kCuts[2]) + (u > kCuts[3]) +
                  (u > kCuts[4]) + (u > kCuts[5]) + (u > kCuts[6]));
    const Weights over = u > kCuts[7];
    const Pair some = reinterpret_cast<Pair>(over);
    if (some[0] | some[1]) settle(order, over, n);
    return n;
  }

  // The orders of which a draw is missing (`by` is 1) or is one too many (-1).
  struct Correction {
    std::vector<std::uint32_t> orders;
    int by = 1;
  };
  const Correction& correction(std::uint32_t lane, std::uint32_t orders, std::int64_t drawn) {
    Random random(seed_, 2 * (std::uint64_t(batch_) * kBatch + lane) + 1);
    correction_.by = drawn < orders ? 1 : -1;
    correction_.orders.clear();
    for (; drawn < orders; ++drawn) correction_.orders.push_back(random.below(orders));
    // A draw is one of the copies of an order; it can be taken away once.
    gone_.clear();
    while (drawn > orders) {
      const std::uint32_t order = random.below(orders), copy = random.below(kMost);
      if (static_cast<std::int32_t>(copy) >= of(order)[lane] ||
          !gone_.insert(std::uint64_t(order) * kMost + copy).second)
        continue;
      correction_.orders.push_back(order);
      --drawn;
    }
    return correction_;
  }

  // That one order is drawn 16 times is out of the question (1 / 16! for each).
  static constexpr std::uint32_t kMost = 16;

 private:
  typedef std::uint64_t Pair __attribute__((vector_size(2 * kBatch)));

  // Of the 65536 numbers of 16 bits (here from -32768) as many whole ones as the chance of
  // each weight has; the last cut is where they end, and what lies over it stands for the
  // fractions.
  static constexpr std::int16_t kCuts[8] = {-8660, 15449, 27503, 31521, 32525, 32725, 32758, 32762};

  void settle(std::size_t order, const Weights& over, Weights& weights) const noexcept {
    for (std::uint32_t lane = 0; lane < kBatch; ++lane) {
      if (!over[lane]) continue;
      double left = static_cast<double>(random_.at(~(order * kBatch + lane)) >> 11) * 0x1p-53 *
                    (32767 - kCuts[7]);
      double cells = 65536 * std::exp(-1.0);
      std::int16_t n = 0;
      for (; n + 1u < kMost && (left -= cells - std::floor(cells)) >= 0; cells /= ++n) {}
      weights[lane] = n;
    }
  }

  std::uint32_t batch_;
  std::uint64_t seed_;
  Random random_;
  Correction correction_;
  std::unordered_set<std::uint64_t> gone_;
};

// The orders by their number of entries, those of one number as they stood: the loop over an
// order's entries then ends where the last one ended, which the processor foresees.
class ByLength {
 public:
  explicit ByLength(const Resampling& r)
      : number_(r.orders), place_(r.orders), start_(r.orders + 1), item_(entries(r)), value_(entries(r)) {
    std::vector<std::size_t> first(1);
    for (std::size_t o = 0; o < r.orders; ++o) {
      const std::size_t n = length(r, o);
      if (first.size() < n + 2) first.resize(n + 2);
      ++first[n + 1];
    }
    for (std::size_t n = 1; n < first.size(); ++n) first[n] += first[n - 1];
    for (std::size_t o = 0; o < r.orders; ++o) {
      place_[o] = static_cast<std::uint32_t>(first[length(r, o)]++);
      number_[place_[o]] = static_cast<std::uint32_t>(o);
    }
    std::size_t to = 0;
    for (std::size_t i = 0; i < r.orders; ++i) {
      start_[i] = static_cast<std::int32_t>(to);
      for (std::int32_t e = r.start[number_[i]]; e < r.start[number_[i] + 1]; ++e, ++to) {
        item_[to] = r.item[e];
        value_[to] = r.value[e];
      }
    }
    start_[r.orders] = static_cast<std::int32_t>(to);
  }

  Resampling of(Resampling r) const noexcept {
    r.start = start_.data();
    r.item = item_.data();
    r.value = value_.data();
    return r;
  }
  // Orders are drawn by the numbers that they had, however many entries they have: what is drawn
  // is the same whether entries of one order and item were put together before or not.
  std::uint32_t number(std::size_t place) const noexcept { return number_[place]; }
  std::uint32_t place(std::uint32_t number) const noexcept { return place_[number]; }

 private:
  static std::size_t entries(const Resampling& r) noexcept {
    return static_cast<std::size_t>(r.start[r.orders]);
  }
  static std::size_t length(const Resampling& r, std::size_t o) noexcept {
    return static_cast<std::size_t>(r.start[o + 1] - r.start[o]);
  }

  std::vector<std::uint32_t> number_, place_;
  std::vector<std::int32_t> start_, item_;
  std::vector<double> value_;
};

namespace detail {

// What one thread needs; it takes resamples in batches.
class Resampler {
 public:
  // `r` as `orders` has it.
  Resampler(const Resampling& r, const ByLength& orders, const std::vector<std::uint16_t>& bin, std::size_t bins)
      : r_(r),
        orders_(orders),
        bin_(bin),
        bins_(bins),
        total_(r.items),
        bin_of_(r.items * kBatch),
        order_(r.items),
        spare_(r.items),
        count_(r.items * bins) {}

  void batch(std::uint32_t number, std::uint32_t size) {
    add(number, size);
    for (std::uint32_t b = 0; b < size; ++b) {
      for (std::size_t from = 0; from < r_.items;) {
        const std::size_t to = end_of_group(r_, from);
        rank(b, from, to);
        from = to;
      }
    }
    for (std::size_t i = 0; i < r_.items; ++i) {
      const std::size_t soon = std::min(i + kAheadOfCounts, r_.items - 1);
      prefetch(&count_[soon * bins_ + bin_of_[soon * kBatch]]);
      for (std::uint32_t b = 0; b < size; ++b) ++count_[i * bins_ + bin_of_[i * kBatch + b]];
    }
  }

  const std::vector<std::uint16_t>& counts() const noexcept { return count_; }

  static std::size_t end_of_group(const Resampling& r, std::size_t from) noexcept {
    std::size_t to = from + 1;
    while (to < r.items && r.group[to] == r.group[from]) ++to;
    return to;
  }

 private:
  // The counts of all items do not fit the second-level cache.
  static constexpr std::size_t kAheadOfCounts = 8;

  // The totals of an item in the resamples of a batch: a line of memory.
  typedef double Reals __attribute__((vector_size(8 * kBatch)));
  typedef std::int32_t Wholes __attribute__((vector_size(4 * kBatch)));
  struct Totals {
    Reals in;
  };
  struct Place {
    std::uint64_t key;
    std::uint32_t item;
  };

  void add(std::uint32_t number, std::uint32_t size) {
    std::fill(total_.begin(), total_.end(), Totals{});
    Draws draws(r_.seed, number);
    std::int64_t drawn[kBatch] = {0};
    for (std::size_t from = 0; from < r_.orders; from += kStretchOfOrders) {
      const Draws::Weights sum =
          add_stretch(draws, from, std::min(r_.orders, from + kStretchOfOrders));
      for (std::uint32_t b = 0; b < kBatch; ++b) drawn[b] += sum[b];
    }
    for (std::uint32_t b = 0; b < size; ++b)
      correct(b, draws.correction(b, static_cast<std::uint32_t>(r_.orders), drawn[b]));
  }

  // These orders lie anywhere, and so do their entries: both are asked for ahead of time.
  void correct(std::uint32_t b, const Draws::Correction& c) {
    const std::size_t n = c.orders.size();
    const auto at = [&](std::size_t i) { return r_.start + orders_.place(c.orders[std::min(i, n - 1)]); };
    for (std::size_t i = 0; i < n; ++i) {
      prefetch(at(i + 16));
      const std::int32_t soon = *at(i + 8);
      prefetch(r_.item + soon);
      prefetch(r_.value + soon);
      for (std::int32_t e = at(i)[0]; e < at(i)[1]; ++e) total(e).in[b] += c.by * r_.value[e];
    }
  }

  // How many draws there were; of so many orders 16 bits hold them.
  Draws::Weights add_stretch(const Draws& draws, std::size_t from, std::size_t to) {
    Draws::Weights sum = {};
    for (std::size_t o = from; o < to; ++o) {
      const Draws::Weights w = draws.of(orders_.number(o));
      sum += w;
      // By way of 32 bits, which is a few instructions for all.
      const Reals times = __builtin_convertvector(__builtin_convertvector(w, Wholes), Reals);
      for (std::int32_t e = r_.start[o]; e < r_.start[o + 1]; ++e)
        total(e).in += times * r_.value[e];
    }
    return sum;
  }
  static constexpr std::size_t kStretchOfOrders = 32767 / Draws::kMost;

  Totals& total(std::int32_t entry) noexcept {
    return total_[static_cast<std::size_t>(r_.item[entry])];
  }

  // Equal totals share the best rank.
  void rank(std::uint32_t b, std::size_t from, std::size_t to) {
    const std::size_t n = to - from;
    for (std::size_t i = 0; i < n; ++i) {
      const double total = total_[from + i].in[b];
      order_[i] = {ordered(r_.highest ? -total : total), static_cast<std::uint32_t>(from + i)};
    }
    sort(n);
    std::uint32_t rank = 1;
    for (std::size_t i = 0; i < n; ++i) {
      if (i > 0 && order_[i].key != order_[i - 1].key) rank = static_cast<std::uint32_t>(i + 1);
      bin_of_[order_[i].item * kBatch + b] = bin_[rank];
    }
  }

  // Whole numbers that stand in the order of doubles; both zeros are one.
  static std::uint64_t ordered(double x) noexcept {
    if (x == 0) x = 0;
    std::uint64_t bits;
    std::memcpy(&bits, &x, sizeof bits);
    return bits >> 63 ? ~bits : bits | (std::uint64_t{1} << 63);
  }

  // By digits of 13 bits, the last first, of the bits in which keys differ: whole numbers
  // of a few digits have few.
  void sort(std::size_t n) {
    if (n < 256) {
      std::sort(order_.begin(), order_.begin() + static_cast<std::ptrdiff_t>(n),
                [](const Place& a, const Place& b) { return a.key < b.key; });
      return;
    }
    std::uint64_t all = ~std::uint64_t{0}, any = 0;
    for (std::size_t i = 0; i < n; ++i) {
      all &= order_[i].key;
      any |= order_[i].key;
    }
    const std::uint64_t differ = all ^ any;
    int shift = 0;
    while (shift < 63 && !(differ >> shift & 1)) ++shift;
    for (; shift < 64 && differ >> shift; shift += kDigit) {
      std::uint32_t at[kDigits + 1] = {0};
      for (std::size_t i = 0; i < n; ++i) ++at[digit(order_[i], shift) + 1];
      for (std::uint32_t k = 0; k < kDigits; ++k) at[k + 1] += at[k];
      for (std::size_t i = 0; i < n; ++i) spare_[at[digit(order_[i], shift)]++] = order_[i];
      order_.swap(spare_);
    }
  }
  static constexpr int kDigit = 13;
  static constexpr std::uint32_t kDigits = 1u << kDigit;
  static std::uint32_t digit(const Place& p, int shift) noexcept {
    return static_cast<std::uint32_t>(p.key >> shift) & (kDigits - 1);
  }

  const Resampling& r_;
  const ByLength& orders_;
  const std::vector<std::uint16_t>& bin_;
  std::size_t bins_;
  std::vector<Totals> total_;
  std::vector<std::uint16_t> bin_of_;
  std::vector<Place> order_, spare_;
  std::vector<std::uint16_t> count_;
};

}  // namespace detail

// The standard deviation of the total of each item over all resamples: that of a sum of
// `orders` draws of what an order adds to the item.
inline Status order_spread(const Resampling& r, double* spread) noexcept {
  try {
    // Squares are of what a whole order adds, so that nothing depends on how its entries came.
    struct Sums {
      std::size_t order = 0;  // counted from 1; what it has added so far
      double of_order = 0, sum = 0, squares = 0;
      void close() noexcept { squares += of_order * of_order; }
    };
    std::vector<Sums> sums(r.items);
    for (std::size_t o = 0; o < r.orders; ++o) {
      for (std::int32_t e = r.start[o]; e < r.start[o + 1]; ++e) {
        Sums& s = sums[static_cast<std::size_t>(r.item[e])];
        if (s.order != o + 1) {
          s.close();
          s.order = o + 1;
          s.of_order = 0;
        }
        s.of_order += r.value[e];
        s.sum += r.value[e];
      }
    }
    for (Sums& s : sums) s.close();
    for (std::size_t i = 0; i < r.items; ++i)
      spread[i] = std::sqrt(std::max(
          0.0, sums[i].squares - sums[i].sum * sums[i].sum / static_cast<double>(r.orders)));
    return Status{};
  } catch (const std::bad_alloc&) {
    return Status{Code::no_memory, 0, -1};
  } catch (...) {
    return Status{Code::failed, 0, -1};
  }
}

// For each item the lowest and the highest rank that remain when `outside` of the resamples
// are left out at either end; a bin of several ranks counts with its outer one.
inline Status resample_ranks(const Resampling& asked, std::int32_t* low,
                             std::int32_t* high) noexcept {
  try {
    const ByLength sorted(asked);
    const Resampling r = sorted.of(asked);
    std::size_t most = 0;
    for (std::size_t from = 0; from < r.items;) {
      const std::size_t to = detail::Resampler::end_of_group(r, from);
      most = std::max(most, to - from);
      from = to;
    }
    std::vector<std::uint16_t> bin(most + 1);
    std::vector<std::int32_t> first, last;  // ranks of each bin
    for (std::size_t rank = 1; rank <= most; ++rank) {
      bin[rank] = static_cast<std::uint16_t>(RankBins::of(static_cast<std::uint32_t>(rank)));
      if (first.size() <= bin[rank]) {
        first.resize(bin[rank] + 1u, static_cast<std::int32_t>(rank));
        last.resize(bin[rank] + 1u);
      }
      last[bin[rank]] = static_cast<std::int32_t>(rank);
    }
    const std::size_t bins = first.size();
    const int threads = std::max(1, std::min<int>(r.threads, static_cast<int>(r.times)));
    std::vector<std::unique_ptr<detail::Resampler>> workers;
    for (int t = 0; t < threads; ++t) workers.emplace_back(new detail::Resampler(r, sorted, bin, bins));

    std::atomic<std::uint32_t> next{0};
    std::atomic<Code> end{Code::ok};
    const auto work = [&](int t) {
      try {
        for (std::uint32_t i = next++; i * kBatch < r.times && end == Code::ok; i = next++) {
          workers[static_cast<std::size_t>(t)]->batch(i, std::min(kBatch, r.times - i * kBatch));
          if (t == 0 && r.poll.stops(double(i) * kBatch / r.times)) end = Code::stopped;
        }
      } catch (const std::bad_alloc&) {
        end = Code::no_memory;
      } catch (...) {
        end = Code::failed;
      }
    };
    run_with_threads(threads, work);
    if (end != Code::ok) return Status{end, 0, -1};

    const double edge = r.outside * r.times;
    for (std::size_t i = 0; i < r.items; ++i) {
      const auto count = [&](std::size_t b) {
        std::uint32_t n = 0;
        for (const auto& worker : workers) n += worker->counts()[i * bins + b];
        return n;
      };
      double seen = 0;
      std::size_t b = 0;
      while (b + 1 < bins && (seen += count(b)) <= edge) ++b;
      low[i] = first[b];
      seen = 0;
      b = bins - 1;
      while (b > 0 && (seen += count(b)) <= edge) --b;
      high[i] = last[b];
    }
    return Status{};
  } catch (const std::bad_alloc&) {
    return Status{Code::no_memory, 0, -1};
  } catch (...) {
    return Status{Code::failed, 0, -1};
  }
}

}  // namespace eggcrate
