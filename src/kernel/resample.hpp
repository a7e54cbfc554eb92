// How sure a rank is: whole orders are drawn anew, with replacement, and items ranked
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
#include <thread>
#include <vector>

#include "base.hpp"

namespace eggcrate {

// Random numbers that depend on the seed and the number of the resample only, not on who
// draws them: xoshiro256** (Blackman and Vigna 2021), seeded by splitmix64.
class Random {
 public:
  Random(std::uint64_t seed, std::uint64_t stream) noexcept {
    std::uint64_t z = seed ^ (stream * 0xD1342543DE82EF95u);
    for (std::uint64_t& s : state_) s = splitmix(z);
  }

  std::uint64_t next() noexcept {
    const std::uint64_t result = rotate(state_[1] * 5, 7) * 9;
    const std::uint64_t t = state_[1] << 17;
    state_[2] ^= state_[0];
    state_[3] ^= state_[1];
    state_[1] ^= state_[2];
    state_[0] ^= state_[3];
    state_[2] ^= t;
    state_[3] = rotate(state_[3], 45);
    return result;
  }

  // One of 0 … n - 1, each as likely (Lemire 2019): the top of a product, those that would
  // come too often drawn again. A number of 64 bits makes two draws.
  std::uint32_t below(std::uint32_t n) noexcept {
    std::uint64_t m = static_cast<std::uint64_t>(half()) * n;
    if (static_cast<std::uint32_t>(m) < n) {
      const std::uint32_t least = static_cast<std::uint32_t>(-n) % n;
      while (static_cast<std::uint32_t>(m) < least) m = static_cast<std::uint64_t>(half()) * n;
    }
    return static_cast<std::uint32_t>(m >> 32);
  }

 private:
  std::uint32_t half() noexcept {
    if (spare_) {
      spare_ = false;
      return static_cast<std::uint32_t>(last_);
    }
    last_ = next();
    spare_ = true;
    return static_cast<std::uint32_t>(last_ >> 32);
  }

  static std::uint64_t rotate(std::uint64_t x, int k) noexcept { return (x << k) | (x >> (64 - k)); }
  static std::uint64_t splitmix(std::uint64_t& z) noexcept {
    z += 0x9E3779B97F4A7C15u;
    std::uint64_t x = z;
    x = (x ^ (x >> 30)) * 0xBF58476D1CE4E5B9u;
    x = (x ^ (x >> 27)) * 0x94D049BB133111EBu;
    return x ^ (x >> 31);
  }
  std::uint64_t state_[4];
  std::uint64_t last_ = 0;
  bool spare_ = false;
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
  bool (*stop)(void*) = nullptr;         // polled by the calling thread only
  void* stop_with = nullptr;
};

namespace detail {

// Resamples that are added up in one pass over the entries.
constexpr std::uint32_t kBatch = 8;

// What one thread needs; it takes resamples in batches.
class Resampler {
 public:
  Resampler(const Resampling& r, const std::vector<std::uint16_t>& bin, std::size_t bins)
      : r_(r), bin_(bin), bins_(bins), weight_(r.orders * kBatch), total_(r.items * kBatch), order_(r.items), spare_(r.items), count_(r.items * bins) {}

  void batch(std::uint32_t first, std::uint32_t size) {
    std::fill(weight_.begin(), weight_.end(), 0);
    for (std::uint32_t b = 0; b < size; ++b) draw(first + b, weight_.data() + b * r_.orders);
    add();
    for (std::uint32_t b = 0; b < size; ++b) {
      for (std::size_t from = 0; from < r_.items;) {
        std::size_t to = from + 1;
        while (to < r_.items && r_.group[to] == r_.group[from]) ++to;
        rank(b, from, to);
        from = to;
      }
    }
  }

  const std::vector<std::uint16_t>& counts() const noexcept { return count_; }

 private:
  struct Place {
    std::uint64_t key;
    std::uint32_t item;
  };

  // How often each order is drawn; that one is drawn 256 times is out of the question
  // (1 / 256! for each).
  void draw(std::uint32_t number, std::uint8_t* weight) {
    Random random(r_.seed, number + 1u);
    const std::uint32_t n = static_cast<std::uint32_t>(r_.orders);
    for (std::uint32_t i = 0; i < n; ++i) ++weight[random.below(n)];
  }

  void add() {
    std::fill(total_.begin(), total_.end(), 0.0);
    for (std::size_t o = 0; o < r_.orders; ++o) {
      double w[kBatch];
      for (std::uint32_t b = 0; b < kBatch; ++b) w[b] = weight_[b * r_.orders + o];
      for (std::int32_t e = r_.start[o]; e < r_.start[o + 1]; ++e) {
        double* total = total_.data() + static_cast<std::size_t>(r_.item[e]) * kBatch;
        const double value = r_.value[e];
        for (std::uint32_t b = 0; b < kBatch; ++b) total[b] += w[b] * value;
      }
    }
  }

  // Equal totals share the best rank.
  void rank(std::uint32_t b, std::size_t from, std::size_t to) {
    for (std::size_t i = from; i < to; ++i) {
      const double total = total_[i * kBatch + b];
      order_[i] = {ordered(r_.highest ? -total : total), static_cast<std::uint32_t>(i)};
    }
    sort(from, to);
    std::uint32_t rank = 1;
    for (std::size_t i = from; i < to; ++i) {
      if (i > from && order_[i].key != order_[i - 1].key) rank = static_cast<std::uint32_t>(i - from + 1);
      ++count_[order_[i].item * bins_ + bin_[rank]];
    }
  }

  // Whole numbers that stand in the order of doubles; both zeros are one.
  static std::uint64_t ordered(double x) noexcept {
    if (x == 0) x = 0;
    std::uint64_t bits;
    std::memcpy(&bits, &x, sizeof bits);
    return bits >> 63 ? ~bits : bits | (std::uint64_t{1} << 63);
  }

  // By digits of a byte, the last first; those that all share are passed over. Whole
  // numbers of a few digits have few that differ.
  void sort(std::size_t from, std::size_t to) {
    const auto begin = order_.begin() + static_cast<std::ptrdiff_t>(from);
    if (to - from < 256) {
      std::sort(begin, order_.begin() + static_cast<std::ptrdiff_t>(to), [](const Place& a, const Place& b) { return a.key < b.key; });
      return;
    }
    std::uint64_t all = ~std::uint64_t{0}, any = 0;
    for (std::size_t i = from; i < to; ++i) {
      all &= order_[i].key;
      any |= order_[i].key;
    }
    for (int shift = 0; shift < 64; shift += 8) {
      if (!(((all ^ any) >> shift) & 255)) continue;
      std::uint32_t at[257] = {0};
      for (std::size_t i = from; i < to; ++i) ++at[((order_[i].key >> shift) & 255) + 1];
      for (int k = 0; k < 256; ++k) at[k + 1] += at[k];
      for (std::size_t i = from; i < to; ++i) spare_[at[(order_[i].key >> shift) & 255]++] = order_[i];
      std::copy(spare_.begin(), spare_.begin() + static_cast<std::ptrdiff_t>(to - from), begin);
    }
  }

  const Resampling& r_;
  const std::vector<std::uint16_t>& bin_;
  std::size_t bins_;
  std::vector<std::uint8_t> weight_;
  std::vector<double> total_;
  std::vector<Place> order_, spare_;
  std::vector<std::uint16_t> count_;
};

}  // namespace detail

// For each item the lowest and the highest rank that remain when `outside` of the resamples
// are left out at either end; a bin of several ranks counts with its outer one.
inline Status resample_ranks(const Resampling& r, std::int32_t* low, std::int32_t* high) noexcept {
  try {
    std::size_t most = 0;
    for (std::size_t from = 0; from < r.items;) {
      std::size_t to = from + 1;
      while (to < r.items && r.group[to] == r.group[from]) ++to;
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
    for (int t = 0; t < threads; ++t) workers.emplace_back(new detail::Resampler(r, bin, bins));

    std::atomic<std::uint32_t> next{0};
    std::atomic<bool> stopped{false};
    const auto work = [&](int t) {
      for (std::uint32_t i = next.fetch_add(detail::kBatch); i < r.times && !stopped; i = next.fetch_add(detail::kBatch)) {
        workers[static_cast<std::size_t>(t)]->batch(i, std::min(detail::kBatch, r.times - i));
        if (t == 0 && r.stop && r.stop(r.stop_with)) stopped = true;
      }
    };
    std::vector<std::thread> others;
    for (int t = 1; t < threads; ++t) others.emplace_back(work, t);
    work(0);
    for (std::thread& other : others) other.join();
    if (stopped) return Status{Code::stopped, 0, -1};

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
  }
}

}  // namespace eggcrate
