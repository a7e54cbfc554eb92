// One pass over the rows: gates, items, sums.
//
// Threads take stretches of rows from one counter; each keeps its own items and
// sums, which are integers, so that joining them gives the same bits whoever
// counted what and in whatever order.
#pragma once

#include <algorithm>
#include <atomic>
#include <new>

#include "groups.hpp"
#include "program.hpp"
#include "threads.hpp"

namespace eggcrate {

constexpr std::size_t kNoRow = std::numeric_limits<std::size_t>::max();

// A condition that a row must meet to be used; a row is counted at the first
// gate that it fails.
struct Gate {
  Program program;
  std::uint64_t refused = 0;  // false
  std::uint64_t unsure = 0;   // unknown
  std::size_t first = kNoRow;  // the first row that did not pass
};

// What is counted of a column's values.
enum class Measure : int { sum = 0, least = 1, most = 2, median = 3, distinct = 4 };

// A measure of `value` over the rows where `when` holds (all rows if there is none).
struct Sum {
  Measure measure = Measure::sum;
  Program value;
  Key of;  // distinct: whose values are told apart, instead of `value`
  bool has_when = false;
  Program when;
  // Doubles that are not decimal are added as multiples of 2^lowest: integer
  // sums do not depend on the order. Found by a pass of its own.
  bool scanned = false;
  double largest = 0;
  int lowest = 0;
};

// 2^40 rows of the largest value stay below 2^126.
constexpr int kHeadroomBits = 86;

struct Question {
  const Column* columns = nullptr;
  std::size_t n = 0;
  std::vector<Gate> gates;
  std::vector<Key> keys;
  std::vector<Program> key_programs;
  std::vector<Sum> sums;
  bool apart = false;  // each row is an item; in the order of the rows, so by one thread
  int threads = 1;
  bool (*stop)(void*) = nullptr;  // polled by the calling thread only
  void* stop_with = nullptr;
};

// `total` holds integers in units of 10^-places, or of 2^lowest for sums of doubles.
// Of other measures of doubles it holds `ordered()` doubles; of a median twice its
// value in decimals, for it may lie between two.
struct SumResult {
  std::vector<i128> total;
  std::vector<std::uint32_t> missing;  // rows without a value, per item; empty: none
  std::vector<std::uint32_t> skipped;  // rows that `when` passed over; empty: none
  std::vector<std::uint32_t> met;      // on the way: rows that meet `when`
  std::uint64_t all_missing = 0;
  std::size_t first_missing = kNoRow;
};

struct Tally {
  std::size_t items = 0;
  std::vector<std::uint64_t> words;  // items x keys
  std::vector<std::uint64_t> rows;   // per item
  std::vector<SumResult> sums;
  std::uint64_t used = 0;            // rows past all gates
};

// Rows a thread takes at a time; also how often a stop is asked for.
constexpr std::size_t kStretch = 64 * kChunk;
// Fewer rows than this are done before a second thread has started.
constexpr std::size_t kWorthThreads = 200000;

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

// What a thread has gathered for one Sum.
class Adder {
 public:
  // The sum is kept in a lane of the thread's items where it can be.
  void use_lane(Groups& groups, int lane) noexcept {
    groups_ = &groups;
    lane_ = lane;
  }
  int lane() const noexcept { return groups_ ? lane_ : -1; }

  // A chunk's values, if each row has one and they can be added as they are.
  const std::int64_t* whole_values(const Evaluator& e, std::size_t n) {
    const Register& r = e.result();
    return !r.any_missing && reserve(e, n) ? r.z.data() : nullptr;
  }

  void add(const Evaluator& e, const Evaluator* when, const std::uint32_t* ids, const Rows& rows,
           std::size_t items, const Sum& sum) {
    if (sum.measure != Measure::sum) return gather(e, when, ids, rows, items, sum.measure);
    const std::size_t n = rows.n;
    const Register& r = e.result();
    const bool plain = reserve(e, n);
    if (plain) {
      if (low_.size() < items) low_.resize(items);
      if (!r.any_missing && !when) {
        for (std::size_t i = 0; i < n; ++i) low_[ids[i]] += r.z[i];
        return;
      }
    } else if (high_.size() < items) {
      high_.resize(items);
    }
    const std::size_t met = meet(when, ids, n, items);
    if (plain && !r.any_missing) {
      for (std::size_t j = 0; j < met; ++j) low_[ids[met_[j]]] += r.z[met_[j]];
      return;
    }
    for (std::size_t j = 0; j < met; ++j) {
      const std::size_t i = met_[j];
      if (r.is_missing_at(i)) { miss(ids[i], rows.row(i), items); continue; }
      if (plain) low_[ids[i]] += r.z[i];
      else if (e.exact()) high_[ids[i]] += r.at(i);
      else if (sum.scanned) high_[ids[i]] += fixed_point(e.real_at(i), sum.lowest);
      else note(e.real_at(i));
    }
  }

  // Different values: pairs of item and word.
  void add_words(const std::uint64_t* words, const std::uint8_t* missing, const Evaluator* when,
                 const std::uint32_t* ids, const Rows& rows, std::size_t items) {
    const std::size_t n = rows.n;
    for (auto& words : pair_words_) words.clear();
    const std::size_t met = meet(when, ids, n, items);
    for (std::size_t j = 0; j < met; ++j) {
      const std::size_t i = met_[j];
      if (missing[i]) { miss(ids[i], rows.row(i), items); continue; }
      auto& words_here = pair_words_[shard_of(words[i])];
      words_here.push_back(ids[i]);
      words_here.push_back(words[i]);
    }
    pair_ids_.resize(n);
    for (std::size_t s = 0; s < kShards; ++s) {
      if (pair_words_[s].empty()) continue;
      shard(s).locate(pair_words_[s].data(), pair_words_[s].size() / 2, pair_ids_.data());
    }
  }

  double largest() const noexcept { return largest_; }

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
    join(out.missing, missing_, ids, items);
    join(out.met, counts_, ids, items);
    out.all_missing += all_missing_;
    out.first_missing = std::min(out.first_missing, first_missing_);
  }

  // Pairs of all threads come together in the first one's adder, each shard by itself, so
  // that the shards can be joined side by side.
  void take_pairs(std::size_t s, const Adder& other, const std::vector<std::uint32_t>& ids) {
    if (!other.pairs_[s]) return;
    const auto& theirs = other.pairs_[s]->words();
    std::vector<std::uint64_t> words(2 * kChunk);
    std::vector<std::uint32_t> found(kChunk);
    for (std::size_t from = 0; from < theirs.size(); from += 2 * kChunk) {
      const std::size_t n = std::min(2 * kChunk, theirs.size() - from);
      for (std::size_t i = 0; i < n; i += 2) {
        words[i] = ids[static_cast<std::size_t>(theirs[from + i])];
        words[i + 1] = theirs[from + i + 1];
      }
      shard(s).locate(words.data(), n / 2, found.data());
    }
  }
  void count_pairs(SumResult& out) const {
    for (const auto& pairs : pairs_) {
      if (!pairs) continue;
      const auto& all = pairs->words();
      for (std::size_t i = 0; i < all.size(); i += 2) ++out.total[static_cast<std::size_t>(all[i])];
    }
  }
  static constexpr std::size_t kShards = 4;
  const std::vector<std::uint32_t>& value_ids() const noexcept { return value_ids_; }
  const std::vector<std::int64_t>& kept_values() const noexcept { return kept_values_; }

  static constexpr i128 kNothingLess = (i128(1) << 126);
  static constexpr i128 kNothingMore = -(i128(1) << 126);

 private:
  // A word is in the same shard in every thread.
  static std::size_t shard_of(std::uint64_t word) noexcept {
    return static_cast<std::size_t>((word * 0x9E3779B97F4A7C15ull) >> 62);
  }
  Groups& shard(std::size_t s) {
    if (!pairs_[s]) pairs_[s] = std::make_unique<TupleGroups>(2);
    return *pairs_[s];
  }

  // Least and most of each item; all values of a median.
  void gather(const Evaluator& e, const Evaluator* when, const std::uint32_t* ids, const Rows& rows,
              std::size_t items, Measure measure) {
    const std::size_t n = rows.n;
    const Register& r = e.result();
    const bool least = measure == Measure::least;
    if (high_.size() < items)
      high_.resize(items, least ? kNothingLess : measure == Measure::most ? kNothingMore : i128(0));
    const std::size_t met = meet(when, ids, n, items);
    for (std::size_t j = 0; j < met; ++j) {
      const std::size_t i = met_[j];
      if (r.is_missing_at(i)) { miss(ids[i], rows.row(i), items); continue; }
      const i128 v = e.exact() ? r.at(i) : i128(ordered(e.real_at(i)));
      if (measure == Measure::median) {
        value_ids_.push_back(ids[i]);
        kept_values_.push_back(static_cast<std::int64_t>(v));
        too_wide_ |= v != kept_values_.back();
      } else if (least ? v < high_[ids[i]] : v > high_[ids[i]]) {
        high_[ids[i]] = v;
      }
    }
  }

  // Which rows of the chunk meet `when`: found without a branch, and counted for their items.
  // Nothing is written for the others, which may be most.
  std::size_t meet(const Evaluator* when, const std::uint32_t* ids, std::size_t n,
                   std::size_t items) {
    met_.resize(kChunk);
    if (!when) {
      for (std::size_t i = 0; i < n; ++i) met_[i] = static_cast<std::uint16_t>(i);
      return n;
    }
    const std::uint8_t* truth = when->result().truth.data();
    std::size_t met = 0;
    for (std::size_t i = 0; i < n; ++i) {
      met_[met] = static_cast<std::uint16_t>(i);
      met += truth[i] == yes;
    }
    if (counts_.size() < items) counts_.resize(items);
    for (std::size_t j = 0; j < met; ++j) ++counts_[ids[met_[j]]];
    return met;
  }

  void miss(std::uint32_t id, std::size_t row, std::size_t items) {
    ++at(missing_, id, items);
    if (all_missing_++ == 0) first_missing_ = row;  // a thread's rows only grow
  }
  static std::uint32_t& at(std::vector<std::uint32_t>& v, std::uint32_t id, std::size_t items) {
    if (v.size() < items) v.resize(items);
    return v[id];
  }
  static void join(std::vector<std::uint32_t>& out, const std::vector<std::uint32_t>& mine,
                   const std::vector<std::uint32_t>& ids, std::size_t items) {
    if (mine.empty()) return;
    if (out.size() < items) out.resize(items);
    for (std::size_t i = 0; i < mine.size(); ++i) out[ids[i]] += mine[i];
  }
  void note(double x) noexcept {
    const double a = std::fabs(x);
    if (a > largest_) largest_ = a;
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
  bool reserve(const Evaluator& e, std::size_t n) {
    const double more = e.result().bound * static_cast<double>(n);
    if (!e.exact() || e.result().wide || more > 9e18) return false;
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
  std::vector<std::uint32_t> missing_, counts_;  // `counts_`: rows that meet `when`
  std::vector<std::uint16_t> met_;
  std::uint64_t all_missing_ = 0;
  std::size_t first_missing_ = kNoRow;
  std::unique_ptr<Groups> pairs_[kShards];
  std::vector<std::uint64_t> pair_words_[kShards];
  std::vector<std::uint32_t> pair_ids_;
  std::vector<std::uint32_t> value_ids_;   // median: one entry a row, in no order
  std::vector<std::int64_t> kept_values_;

 public:
  bool too_wide_ = false;  // a median of values beyond 64 bits
};

class Worker {
 public:
  explicit Worker(const Question& q)
      : q_(q),
        groups_(make_groups(q.keys, q.apart)),
        adders_(q.sums.size()),
        refused_(q.gates.size()),
        unsure_(q.gates.size()),
        first_out_(q.gates.size(), kNoRow),
        ids_(kChunk),
        words_(kChunk * q.keys.size()),
        selected_(kChunk) {
    for (const Gate& g : q.gates) gates_.emplace_back(g.program, q.columns);
    for (const Sum& s : q.sums) {
      values_.emplace_back(s.value, q.columns);
      whens_.emplace_back(s.when, q.columns);
    }
    for (const Program& p : q.key_programs) key_values_.emplace_back(p, q.columns);
    int lane = 0;
    for (std::size_t s = 0; s < q.sums.size() && lane < groups_->lanes(); ++s)
      if (q.sums[s].measure == Measure::sum && !q.sums[s].has_when)
        adders_[s].use_lane(*groups_, lane++);
  }

  // One chunk. False: stop, `status` or `surprised_program` says why.
  bool chunk(std::size_t base, std::size_t n) {
    Rows rows{base, n, nullptr};
    for (std::size_t g = 0; g < gates_.size(); ++g) {
      if (!ran(gates_[g], rows, static_cast<int>(g), 0)) return false;
      narrow(gates_[g].result().truth.data(), rows, g);
      if (rows.n == 0) return true;
    }
    const std::uint64_t* words = key_words(rows);
    if (!words) return false;
    Lanes lanes;
    if (!fill_lanes(rows, lanes)) return false;
    groups_->locate(words, rows.n, ids_.data(), lanes);
    for (std::size_t s = 0; s < values_.size(); ++s) {
      if (adders_[s].lane() >= 0 && lanes.values[adders_[s].lane()]) continue;
      const bool when = q_.sums[s].has_when;
      if (when && !ran(whens_[s], rows, static_cast<int>(s), 2)) return false;
      if (q_.sums[s].measure == Measure::distinct) {
        if (!tell_apart(s, rows, when ? &whens_[s] : nullptr)) return false;
        continue;
      }
      if (adders_[s].lane() < 0 && !ran(values_[s], rows, static_cast<int>(s), 1)) return false;
      adders_[s].add(values_[s], when ? &whens_[s] : nullptr, ids_.data(), rows, groups_->size(),
                     q_.sums[s]);
    }
    used += rows.n;
    return true;
  }

  // Puts what was gathered into vectors by item; each thread does so for itself.
  void finish() {
    gathered = groups_->gather();
    for (Adder& a : adders_) a.finish(gathered);
  }

  Groups& groups() noexcept { return *groups_; }
  std::vector<Adder>& adders() noexcept { return adders_; }
  const std::vector<std::uint64_t>& refused() const noexcept { return refused_; }
  const std::vector<std::uint64_t>& unsure() const noexcept { return unsure_; }
  const std::vector<std::size_t>& first_out() const noexcept { return first_out_; }

  Status status;
  std::uint64_t used = 0;
  Gathered gathered;
  Surprise surprise;
  int surprised_at = -1, surprised_role = -1;

 private:
  bool ran(Evaluator& e, const Rows& rows, int at, int role) {
    status = e.run(rows);
    if (!status.ok()) return false;
    if (e.surprise().instr < 0) return true;
    surprise = e.surprise();
    surprised_at = at;
    surprised_role = role;
    return false;
  }

  bool fill_lanes(const Rows& rows, Lanes& lanes) {
    for (std::size_t s = 0; s < adders_.size(); ++s) {
      if (adders_[s].lane() < 0) continue;
      if (!ran(values_[s], rows, static_cast<int>(s), 1)) return false;
      lanes.values[adders_[s].lane()] = adders_[s].whole_values(values_[s], rows.n);
    }
    return true;
  }

  void narrow(const std::uint8_t* truth, Rows& rows, std::size_t gate) {
    std::size_t kept = 0, unsure = 0;
    for (std::size_t i = 0; i < rows.n && first_out_[gate] == kNoRow; ++i)
      if (truth[i] != yes) first_out_[gate] = rows.row(i);
    for (std::size_t i = 0; i < rows.n; ++i) {
      const std::uint16_t at = rows.selected ? rows.selected[i] : static_cast<std::uint16_t>(i);
      selected_[kept] = at;
      kept += truth[i] == yes;
      unsure += truth[i] == unknown;
    }
    refused_[gate] += rows.n - kept - unsure;
    unsure_[gate] += unsure;
    if (kept == rows.n) return;  // keep the quick way for whole chunks
    rows.selected = selected_.data();
    rows.n = kept;
  }

  const std::uint64_t* key_words(const Rows& rows) {
    const std::size_t width = q_.keys.size();
    for (std::size_t p = 0; p < key_values_.size(); ++p)
      if (!ran(key_values_[p], rows, static_cast<int>(p), 3)) return nullptr;
    if (width == 1 && q_.keys[0].program < 0 && q_.keys[0].column.kind == Kind::text &&
        !rows.selected)
      return static_cast<const std::uint64_t*>(q_.keys[0].column.data) + rows.base;
    for (std::size_t k = 0; k < width; ++k)
      if (!fill_words(q_.keys[k], rows, words_.data() + k, width, -2 - static_cast<int>(k)))
        return nullptr;
    return words_.data();
  }

  // The words of one key, `stride` apart; `name` stands for it in an error.
  bool fill_words(const Key& key, const Rows& rows, std::uint64_t* out, std::size_t stride,
                  int name) {
    if (key.program >= 0) {
      const Register& r = key_values_[static_cast<std::size_t>(key.program)].result();
      for (std::size_t i = 0; i < rows.n; ++i)
        out[i * stride] =
            static_cast<std::uint64_t>(r.is_missing_at(i) ? std::int64_t(kMissingWhole) : r.z[i]);
      return true;
    }
    const Column& c = key.column;
    for (std::size_t i = 0; i < rows.n; ++i) {
      std::uint64_t& word = out[i * stride];
      const std::size_t row = rows.row(i);
      if (c.kind == Kind::text) {
        word = static_cast<const std::uint64_t*>(c.data)[row];
      } else if (c.kind == Kind::whole) {
        word = static_cast<std::uint64_t>(
            static_cast<std::int64_t>(static_cast<const std::int32_t*>(c.data)[row]));
      } else if (!real_word(static_cast<const double*>(c.data)[row], word)) {
        status = Status{Code::not_finite, row, name};
        return false;
      }
    }
    return true;
  }

  // Which words of a distinct count are missing: the text test of `value`, or the
  // word itself.
  bool tell_apart(std::size_t s, const Rows& rows, const Evaluator* when) {
    const Sum& sum = q_.sums[s];
    apart_.resize(kChunk);
    missing_.assign(kChunk, 0);
    if (!fill_words(sum.of, rows, apart_.data(), 1, -2 - static_cast<int>(q_.keys.size() + s)))
      return false;
    if (sum.of.column.kind == Kind::text) {
      if (!ran(values_[s], rows, static_cast<int>(s), 1)) return false;
      const auto& truth = values_[s].result().truth;
      for (std::size_t i = 0; i < rows.n; ++i) missing_[i] = truth[i] == yes;
    } else {
      const std::uint64_t none =
          sum.of.column.kind == Kind::whole
              ? static_cast<std::uint64_t>(static_cast<std::int64_t>(kMissingWhole))
              : kMissingReal;
      for (std::size_t i = 0; i < rows.n; ++i) missing_[i] = apart_[i] == none;
    }
    adders_[s].add_words(apart_.data(), missing_.data(), when, ids_.data(), rows, groups_->size());
    return true;
  }

  static constexpr std::uint64_t kMissingReal = 0x7FF00000000007A2ull;

  static bool real_word(double x, std::uint64_t& word) noexcept {
    if (is_missing(x)) {
      word = kMissingReal;  // one pattern for all missing values
      return true;
    }
    if (!std::isfinite(x)) return false;
    word = bits_of(x == 0 ? 0.0 : x);
    return true;
  }

  const Question& q_;
  std::unique_ptr<Groups> groups_;
  std::vector<Evaluator> gates_, values_, whens_, key_values_;
  std::vector<Adder> adders_;
  std::vector<std::uint64_t> refused_, unsure_;
  std::vector<std::size_t> first_out_;
  std::vector<std::uint32_t> ids_;
  std::vector<std::uint64_t> words_, apart_;
  std::vector<std::uint16_t> selected_;
  std::vector<std::uint8_t> missing_;
};

class Pass {
 public:
  explicit Pass(const Question& q) : q_(q) {}

  void run() {
    const int threads = q_.apart || q_.n < kWorthThreads || q_.threads < 1 ? 1 : q_.threads;
    for (int t = 0; t < threads; ++t) workers_.emplace_back(std::make_unique<Worker>(q_));
    const int ran = run_with_threads(
        threads, [this](int t) { work(*workers_[static_cast<std::size_t>(t)], t == 0); });
    workers_.resize(static_cast<std::size_t>(ran));  // those that never ran know nothing
  }
  std::vector<std::unique_ptr<Worker>>& workers() noexcept { return workers_; }

 private:
  void work(Worker& w, bool polls) noexcept {
    try {
      for (;;) {
        const std::size_t from = next_.fetch_add(kStretch);
        if (from >= q_.n) return w.finish();
        if (halt_.load(std::memory_order_relaxed)) return;
        if (polls && q_.stop && q_.stop(q_.stop_with)) {
          w.status = Status{Code::stopped, 0, -1};
          break;
        }
        const std::size_t to = q_.n - from < kStretch ? q_.n : from + kStretch;
        for (std::size_t base = from; base < to; base += kChunk)
          if (!w.chunk(base, to - base < kChunk ? to - base : kChunk)) { halt_ = true; return; }
      }
    } catch (const std::bad_alloc&) {
      w.status = Status{Code::no_memory, 0, -1};
    } catch (...) {
      w.status = Status{Code::failed, 0, -1};
    }
    halt_ = true;
  }

  const Question& q_;
  std::vector<std::unique_ptr<Worker>> workers_;
  std::atomic<std::size_t> next_{0};
  std::atomic<bool> halt_{false};
};

inline void settle_all(Question& q) {
  for (Gate& g : q.gates) g.program.settle();
  for (Program& p : q.key_programs) p.settle();
  for (Sum& s : q.sums) {
    s.value.settle();
    s.when.settle();
  }
}

// Takes what the workers learned into the question. True: count again.
inline bool learned(Question& q, std::vector<std::unique_ptr<Worker>>& workers) {
  bool again = false;
  for (auto& w : workers) {
    if (w->surprise.instr < 0) continue;
    const std::size_t at = static_cast<std::size_t>(w->surprised_at);
    Program& p = w->surprised_role == 0   ? q.gates[at].program
                 : w->surprised_role == 1 ? q.sums[at].value
                 : w->surprised_role == 2 ? q.sums[at].when
                                          : q.key_programs[at];
    int& places = p.places[w->surprise.instr];
    if (places != kNotDecimal && (w->surprise.places == kNotDecimal || w->surprise.places > places))
      places = w->surprise.places;
    again = true;
  }
  return again;
}

// After a whole pass: are there sums of doubles whose range was not known yet?
inline bool ranged(Question& q, std::vector<std::unique_ptr<Worker>>& workers) {
  bool again = false;
  for (std::size_t s = 0; s < q.sums.size(); ++s) {
    Sum& sum = q.sums[s];
    if (sum.measure != Measure::sum || sum.value.places.back() != kNotDecimal || sum.scanned)
      continue;
    for (auto& w : workers) sum.largest = std::max(sum.largest, w->adders()[s].largest());
    int e = 0;
    std::frexp(sum.largest, &e);
    sum.lowest = e - kHeadroomBits;
    sum.scanned = again = true;
  }
  return again;
}

// The values of an item lie together after one counting sort of all of them; the
// middle is then found without sorting each item.
inline void find_medians(std::vector<std::unique_ptr<Worker>>& workers, std::size_t sum,
                         const std::vector<std::vector<std::uint32_t>>& ids, bool decimal,
                         Tally& out) {
  std::vector<std::size_t> start(out.items + 1);
  for (std::size_t t = 0; t < workers.size(); ++t)
    for (const std::uint32_t id : workers[t]->adders()[sum].value_ids()) ++start[ids[t][id] + 1];
  for (std::size_t i = 0; i < out.items; ++i) start[i + 1] += start[i];
  std::vector<std::int64_t> values(start[out.items]);
  std::vector<std::size_t> next(start.begin(), start.end() - 1);
  for (std::size_t t = 0; t < workers.size(); ++t) {
    const Adder& a = workers[t]->adders()[sum];
    for (std::size_t i = 0; i < a.value_ids().size(); ++i)
      values[next[ids[t][a.value_ids()[i]]]++] = a.kept_values()[i];
  }
  for (std::size_t i = 0; i < out.items; ++i) {
    const std::size_t n = start[i + 1] - start[i];
    if (n == 0) continue;
    const auto from = values.begin() + static_cast<std::ptrdiff_t>(start[i]),
               to = from + static_cast<std::ptrdiff_t>(n);
    const auto middle = from + static_cast<std::ptrdiff_t>(n / 2);
    std::nth_element(from, middle, to);
    const std::int64_t high = *middle, low = n % 2 ? high : *std::max_element(from, middle);
    out.sums[sum].total[i] =
        decimal ? i128(low) + high : i128(ordered((from_ordered(low) + from_ordered(high)) / 2));
  }
}

// Codes that no row has are no items.
inline void drop_empty(Tally& t, std::size_t width) {
  std::size_t to = 0;
  for (std::size_t i = 0; i < t.items; ++i) {
    if (t.rows[i] == 0) continue;
    if (to != i) {
      t.rows[to] = t.rows[i];
      for (std::size_t k = 0; k < width; ++k) t.words[to * width + k] = t.words[i * width + k];
      for (SumResult& s : t.sums) {
        s.total[to] = s.total[i];
        if (!s.missing.empty()) s.missing[to] = s.missing[i];
        if (!s.skipped.empty()) s.skipped[to] = s.skipped[i];
      }
    }
    ++to;
  }
  t.items = to;
  t.rows.resize(to);
  t.words.resize(to * width);
  for (SumResult& s : t.sums) {
    s.total.resize(to);
    if (!s.missing.empty()) s.missing.resize(to);
    if (!s.skipped.empty()) s.skipped.resize(to);
  }
}

// Finds or makes the items of a worker in `all`; the answer says which became which.
inline std::vector<std::uint32_t> take_items(Groups& all, Worker& worker) {
  Groups& mine = worker.groups();
  std::vector<std::uint32_t> ids(mine.size());
  const std::size_t width = mine.width();
  std::vector<std::uint64_t> words(kChunk * width);
  std::vector<std::uint32_t> found(kChunk);
  for (std::size_t from = 0; from < ids.size(); from += kChunk) {
    const std::size_t n = std::min(kChunk, ids.size() - from);
    for (std::size_t i = 0; i < n; ++i)
      for (std::size_t k = 0; k < width; ++k)
        words[i * width + k] = mine.words()[worker.gathered.walk[from + i] * width + k];
    all.locate(words.data(), n, found.data());
    for (std::size_t i = 0; i < n; ++i) ids[worker.gathered.walk[from + i]] = found[i];
  }
  return ids;
}

inline void join_pairs(std::vector<std::unique_ptr<Worker>>& workers, std::size_t sum,
                       const std::vector<std::vector<std::uint32_t>>& ids) {
  std::atomic<std::size_t> next{0};
  std::atomic<bool> full{false};
  run_with_threads(static_cast<int>(workers.size()), [&](int) {
    try {
      for (std::size_t s = next++; s < Adder::kShards; s = next++)
        for (std::size_t t = 1; t < workers.size(); ++t)
          workers[0]->adders()[sum].take_pairs(s, workers[t]->adders()[sum], ids[t]);
    } catch (...) {
      full = true;
    }
  });
  if (full) throw std::bad_alloc();
}

// The rows of each item that do not meet `when`.
inline void passed_over(const Tally& t, SumResult& s) {
  s.met.resize(t.items);
  s.skipped.resize(t.items);
  std::uint32_t any = 0;
  for (std::size_t i = 0; i < t.items; ++i) any |= s.skipped[i] = t.rows[i] - s.met[i];
  if (!any) s.skipped.clear();
  s.met.clear();
}

inline void join(Question& q, std::vector<std::unique_ptr<Worker>>& workers, Tally& out) {
  Groups& all = workers[0]->groups();
  std::vector<std::vector<std::uint32_t>> ids(workers.size());
  for (std::uint32_t i = 0; i < all.size(); ++i) ids[0].push_back(i);
  for (std::size_t t = 1; t < workers.size(); ++t) ids[t] = take_items(all, *workers[t]);
  out.items = all.size();
  out.words = all.words();
  out.rows = workers[0]->gathered.rows;
  out.rows.resize(out.items);
  for (std::size_t t = 1; t < workers.size(); ++t)
    for (std::size_t i = 0; i < ids[t].size(); ++i)
      out.rows[ids[t][i]] += workers[t]->gathered.rows[i];
  out.sums.resize(q.sums.size());
  for (std::size_t t = 0; t < workers.size(); ++t) {
    out.used += workers[t]->used;
    for (std::size_t g = 0; g < q.gates.size(); ++g) {
      q.gates[g].refused += workers[t]->refused()[g];
      q.gates[g].unsure += workers[t]->unsure()[g];
      q.gates[g].first = std::min(q.gates[g].first, workers[t]->first_out()[g]);
    }
    for (std::size_t s = 0; s < q.sums.size(); ++s) {
      workers[t]->adders()[s].into(out.sums[s], q.sums[s].measure, ids[t], out.items);
    }
  }
  for (std::size_t s = 0; s < q.sums.size(); ++s) {
    if (q.sums[s].measure == Measure::distinct) {
      join_pairs(workers, s, ids);
      workers[0]->adders()[s].count_pairs(out.sums[s]);
    }
    if (q.sums[s].measure == Measure::median)
      find_medians(workers, s, ids, q.sums[s].value.places.back() != kNotDecimal, out);
  }
  for (std::size_t s = 0; s < q.sums.size(); ++s) {
    out.sums[s].total.resize(out.items);
    if (q.sums[s].has_when) passed_over(out, out.sums[s]);
  }
  drop_empty(out, q.keys.size());
}

}  // namespace detail

// Answers the question. Afterwards its programs say how many places each
// column has, and its gates how many rows they refused.
inline Status tally(Question& q, Tally& out) noexcept {
  try {
    for (;;) {
      detail::settle_all(q);
      detail::Pass pass(q);
      pass.run();
      for (auto& w : pass.workers())
        if (!w->status.ok()) return w->status;
      for (auto& w : pass.workers())
        for (detail::Adder& a : w->adders())
          if (a.too_wide_) return Status{Code::too_large, 0, -1};
      if (detail::learned(q, pass.workers()) || detail::ranged(q, pass.workers())) continue;
      detail::join(q, pass.workers(), out);
      return Status();
    }
  } catch (const std::bad_alloc&) {
    return Status{Code::no_memory, 0, -1};
  } catch (...) {
    return Status{Code::failed, 0, -1};
  }
}

}  // namespace eggcrate
