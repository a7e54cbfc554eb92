// One pass over the rows: gates, items, sums.
//
// Threads take stretches of rows from one counter; each keeps its own items and
// sums, which are integers, so that joining them gives the same bits whoever
// counted what and in whatever order.
#pragma once

#include <atomic>
#include <new>
#include <thread>

#include "groups.hpp"
#include "program.hpp"

namespace eggcrate {

// A condition that a row must meet to be used; a row is counted at the first
// gate that it fails.
struct Gate {
  Program program;
  std::uint64_t refused = 0;  // false
  std::uint64_t unsure = 0;   // unknown
};

// sum of `value` over the rows where `when` holds (all rows if there is none).
struct Sum {
  Program value;
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
  std::vector<Sum> sums;
  int threads = 1;
  bool (*stop)(void*) = nullptr;  // polled by the calling thread only
  void* stop_with = nullptr;
};

struct SumResult {
  std::vector<i128> total;
  std::vector<std::uint32_t> missing;  // rows without a value, per item; empty: none
  std::vector<std::uint32_t> skipped;  // rows that `when` passed over; empty: none
  std::uint64_t all_missing = 0;
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

// What a thread has summed up for one Sum.
class Adder {
 public:
  void add(const Evaluator& e, const Evaluator* when, const std::uint32_t* ids, std::size_t n,
           std::size_t items, const Sum& sum) {
    const Register& r = e.result();
    const double more = r.bound * static_cast<double>(n);
    const bool plain = e.exact() && !r.wide && more <= 9e18;
    if (plain) {
      if (pending_ + more > 9e18) carry();
      pending_ += more;
      if (low_.size() < items) low_.resize(items);
      if (!r.any_missing && !when) {
        for (std::size_t i = 0; i < n; ++i) low_[ids[i]] += r.z[i];
        return;
      }
    } else if (high_.size() < items) {
      high_.resize(items);
    }
    for (std::size_t i = 0; i < n; ++i) {
      if (when && when->result().truth[i] != yes) { ++at(skipped_, ids[i], items); continue; }
      if (r.is_missing_at(i)) { ++at(missing_, ids[i], items); ++all_missing_; continue; }
      if (plain) low_[ids[i]] += r.z[i];
      else if (e.exact()) high_[ids[i]] += r.at(i);
      else if (sum.scanned) high_[ids[i]] += fixed_point(e.real_at(i), sum.lowest);
      else note(e.real_at(i));
    }
  }

  double largest() const noexcept { return largest_; }

  void into(SumResult& out, const std::vector<std::uint32_t>& ids, std::size_t items) {
    carry();
    out.total.resize(items);
    for (std::size_t i = 0; i < high_.size(); ++i) out.total[ids[i]] += high_[i];
    join(out.missing, missing_, ids, items);
    join(out.skipped, skipped_, ids, items);
    out.all_missing += all_missing_;
  }

 private:
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
  void carry() {
    if (high_.size() < low_.size()) high_.resize(low_.size());
    for (std::size_t i = 0; i < low_.size(); ++i) {
      high_[i] += low_[i];
      low_[i] = 0;
    }
    pending_ = 0;
  }

  std::vector<std::int64_t> low_;  // until they could overflow
  std::vector<i128> high_;
  double pending_ = 0;
  double largest_ = 0;
  std::vector<std::uint32_t> missing_, skipped_;
  std::uint64_t all_missing_ = 0;
};

class Worker {
 public:
  explicit Worker(const Question& q)
      : q_(q), groups_(make_groups(q.keys)), adders_(q.sums.size()), refused_(q.gates.size()),
        unsure_(q.gates.size()), ids_(kChunk), words_(kChunk * q.keys.size()), selected_(kChunk) {
    for (const Gate& g : q.gates) gates_.emplace_back(g.program, q.columns);
    for (const Sum& s : q.sums) {
      values_.emplace_back(s.value, q.columns);
      whens_.emplace_back(s.when, q.columns);
    }
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
    groups_->locate(words, rows.n, ids_.data(), nullptr);
    for (std::size_t s = 0; s < values_.size(); ++s) {
      if (!ran(values_[s], rows, static_cast<int>(s), 1)) return false;
      const bool when = q_.sums[s].has_when;
      if (when && !ran(whens_[s], rows, static_cast<int>(s), 2)) return false;
      adders_[s].add(values_[s], when ? &whens_[s] : nullptr, ids_.data(), rows.n, groups_->size(), q_.sums[s]);
    }
    used += rows.n;
    return true;
  }

  Groups& groups() noexcept { return *groups_; }
  std::vector<Adder>& adders() noexcept { return adders_; }
  const std::vector<std::uint64_t>& refused() const noexcept { return refused_; }
  const std::vector<std::uint64_t>& unsure() const noexcept { return unsure_; }

  Status status;
  std::uint64_t used = 0;
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

  void narrow(const std::uint8_t* truth, Rows& rows, std::size_t gate) {
    std::size_t kept = 0, unsure = 0;
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
    if (width == 1 && q_.keys[0].column.kind == Kind::text && !rows.selected)
      return static_cast<const std::uint64_t*>(q_.keys[0].column.data) + rows.base;
    for (std::size_t k = 0; k < width; ++k) {
      const Column& c = q_.keys[k].column;
      for (std::size_t i = 0; i < rows.n; ++i) {
        std::uint64_t& out = words_[i * width + k];
        const std::size_t row = rows.row(i);
        if (c.kind == Kind::text) {
          out = static_cast<const std::uint64_t*>(c.data)[row];
        } else if (c.kind == Kind::whole) {
          out = static_cast<std::uint64_t>(static_cast<std::int64_t>(static_cast<const std::int32_t*>(c.data)[row]));
        } else if (!real_word(static_cast<const double*>(c.data)[row], out)) {
          status = Status{Code::not_finite, row, -2 - static_cast<int>(k)};
          return nullptr;
        }
      }
    }
    return words_.data();
  }

  static bool real_word(double x, std::uint64_t& word) noexcept {
    if (is_missing(x)) {
      word = 0x7FF00000000007A2ull;  // one pattern for all missing values
      return true;
    }
    if (!std::isfinite(x)) return false;
    word = bits_of(x == 0 ? 0.0 : x);
    return true;
  }

  const Question& q_;
  std::unique_ptr<Groups> groups_;
  std::vector<Evaluator> gates_, values_, whens_;
  std::vector<Adder> adders_;
  std::vector<std::uint64_t> refused_, unsure_;
  std::vector<std::uint32_t> ids_;
  std::vector<std::uint64_t> words_;
  std::vector<std::uint16_t> selected_;
};

class Pass {
 public:
  explicit Pass(const Question& q) : q_(q) {}

  void run() {
    const int threads = q_.n < kWorthThreads || q_.threads < 1 ? 1 : q_.threads;
    for (int t = 0; t < threads; ++t) workers_.emplace_back(std::make_unique<Worker>(q_));
    std::vector<std::thread> others;
    for (int t = 1; t < threads; ++t) others.emplace_back([this, t] { work(*workers_[t], false); });
    work(*workers_[0], true);
    for (std::thread& t : others) t.join();
  }
  std::vector<std::unique_ptr<Worker>>& workers() noexcept { return workers_; }

 private:
  void work(Worker& w, bool polls) noexcept {
    try {
      for (;;) {
        const std::size_t from = next_.fetch_add(kStretch);
        if (from >= q_.n || halt_.load(std::memory_order_relaxed)) return;
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
    Program& p = w->surprised_role == 0 ? q.gates[at].program : w->surprised_role == 1 ? q.sums[at].value : q.sums[at].when;
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
    if (sum.value.places.back() != kNotDecimal || sum.scanned) continue;
    for (auto& w : workers) sum.largest = std::max(sum.largest, w->adders()[s].largest());
    int e = 0;
    std::frexp(sum.largest, &e);
    sum.lowest = e - kHeadroomBits;
    sum.scanned = again = true;
  }
  return again;
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

inline void join(Question& q, std::vector<std::unique_ptr<Worker>>& workers, Tally& out) {
  Groups& all = workers[0]->groups();
  std::vector<std::vector<std::uint32_t>> ids(workers.size());
  for (std::size_t t = 0; t < workers.size(); ++t) {
    Groups& mine = workers[t]->groups();
    ids[t].resize(mine.size());
    if (t == 0) {
      for (std::uint32_t i = 0; i < mine.size(); ++i) ids[t][i] = i;
      continue;
    }
    const std::vector<std::uint64_t> rows = mine.rows();
    for (std::size_t from = 0; from < mine.size(); from += kChunk) {
      const std::size_t n = std::min(kChunk, mine.size() - from);
      all.locate(mine.words().data() + from * mine.width(), n, ids[t].data() + from, rows.data() + from);
    }
  }
  out.items = all.size();
  out.words = all.words();
  out.rows = all.rows();
  out.sums.resize(q.sums.size());
  for (std::size_t t = 0; t < workers.size(); ++t) {
    out.used += workers[t]->used;
    for (std::size_t g = 0; g < q.gates.size(); ++g) {
      q.gates[g].refused += workers[t]->refused()[g];
      q.gates[g].unsure += workers[t]->unsure()[g];
    }
    for (std::size_t s = 0; s < q.sums.size(); ++s) workers[t]->adders()[s].into(out.sums[s], ids[t], out.items);
  }
  for (SumResult& s : out.sums) s.total.resize(out.items);
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
      if (detail::learned(q, pass.workers()) || detail::ranged(q, pass.workers())) continue;
      detail::join(q, pass.workers(), out);
      return Status();
    }
  } catch (const std::bad_alloc&) {
    return Status{Code::no_memory, 0, -1};
  } catch (...) {
    return Status{Code::no_memory, 0, -1};
  }
}

}  // namespace eggcrate
