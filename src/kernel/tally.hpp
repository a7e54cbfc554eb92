// One pass over the rows: gates, items, sums, for one question or several.
//
// Threads take stretches of rows; each keeps its own items and sums, which are integers, so that
// joining them gives the same bits whoever counted what and in whatever order.
#pragma once

#include <algorithm>
#include <atomic>
#include <new>

#include "supply.hpp"
#include "threads.hpp"
#include "worker.hpp"

namespace eggcrate {
namespace detail {

typedef std::vector<std::unique_ptr<Worker>> Workers;

class Pass {
 public:
  Pass(const std::vector<Question*>& questions, Supply& supply, Poll poll)
      : questions_(questions), supply_(supply), poll_(poll), workers_(questions.size()) {}

  Status run() {
    int threads = std::max(1, supply_.threads());
    for (const Question* q : questions_)
      if (q->apart) threads = 1;
    supply_.begin(threads);
    status_.resize(static_cast<std::size_t>(threads));
    for (std::size_t i = 0; i < questions_.size(); ++i)
      for (int t = 0; t < threads; ++t)
        workers_[i].emplace_back(std::make_unique<Worker>(*questions_[i], supply_.columns(t)));
    const int ran = run_with_threads(threads, [this](int t) { work(t); });
    for (Workers& w : workers_) w.resize(static_cast<std::size_t>(ran));  // those that never ran know nothing
    for (const Status& s : status_)
      if (!s.ok()) return s;
    return Status();
  }
  Workers& workers(std::size_t question) noexcept { return workers_[question]; }

 private:
  void work(int t) noexcept {
    const auto at = static_cast<std::size_t>(t);
    try {
      for (Stretch s; !halt_.load(std::memory_order_relaxed);) {
        const bool more = supply_.next(t, s);
        if (t == 0 && poll_.stops(s.part)) {
          status_[at] = Status{Code::stopped, 0, -1};
          break;
        }
        if (!more) {
          if (supply_.failed()) status_[at] = Status{Code::no_rows, 0, -1};
          else for (Workers& w : workers_) w[at]->finish();
          if (status_[at].ok()) return;
          break;
        }
        for (std::size_t base = s.from; base < s.to; base += kChunk)
          for (Workers& w : workers_)
            if (!w[at]->chunk(base, std::min(kChunk, s.to - base), s.before)) {
              status_[at] = w[at]->status;
              halt_ = true;
              return;
            }
      }
    } catch (const std::bad_alloc&) {
      status_[at] = Status{Code::no_memory, 0, -1};
    } catch (...) {
      status_[at] = Status{Code::failed, 0, -1};
    }
    halt_ = true;
  }

  const std::vector<Question*>& questions_;
  Supply& supply_;
  Poll poll_;
  std::vector<Workers> workers_;  // of each question, by thread
  std::vector<Status> status_;    // by thread
  std::atomic<bool> halt_{false};
};

inline void settle_all(Question& q) {
  for (Gate& g : q.gates) g.program.settle();
  for (Program& p : q.key_programs) p.settle();
  q.program.settle();
}

// Takes what the workers learned into the question. True: count again.
inline bool learned(Question& q, Workers& workers) {
  bool again = false;
  for (auto& w : workers) {
    if (w->surprise.instr < 0) continue;
    const std::size_t at = static_cast<std::size_t>(w->surprised_at);
    Program& p = w->surprised_role == 0   ? q.gates[at].program
                 : w->surprised_role == 1 ? q.program
                                          : q.key_programs[at];
    int& places = p.places[w->surprise.instr];
    if (places != kNotDecimal && (w->surprise.places == kNotDecimal || w->surprise.places > places))
      places = w->surprise.places;
    again = true;
  }
  return again;
}

// After a whole pass: are there sums of doubles whose range was not known yet?
inline bool ranged(Question& q, Workers& workers, std::size_t n) {
  bool again = false;
  for (std::size_t s = 0; s < q.sums.size(); ++s) {
    Sum& sum = q.sums[s];
    if (sum.measure != Measure::sum || q.places_of(sum) != kNotDecimal || sum.scanned)
      continue;
    for (auto& w : workers) {
      sum.largest = std::max(sum.largest, w->adders()[s].largest());
      sum.lowest_bit = std::min(sum.lowest_bit, w->adders()[s].lowest_bit());
    }
    int largest = 0, rows = 0;
    std::frexp(sum.largest, &largest);
    std::frexp(static_cast<double>(n), &rows);
    // As far down as there are bits, if there is room for them: then nothing is rounded.
    sum.lowest = largest + rows - kSumBits;
    if (sum.lowest_bit != kNoBit) sum.lowest = std::max(sum.lowest, sum.lowest_bit);
    sum.scanned = again = true;
  }
  return again;
}

// The values of an item lie together after one counting sort of all of them; the
// middle is then found without sorting each item.
inline void find_medians(Workers& workers, std::size_t sum,
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
        if (!s.rounded.empty()) s.rounded[to] = s.rounded[i];
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
    if (!s.rounded.empty()) s.rounded.resize(to);
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

// Pairs of all threads come together in the first one's.
inline void join_pairs(Workers& workers, std::size_t sum,
                       const std::vector<std::vector<std::uint32_t>>& ids) {
  Pairs& all = workers[0]->adders()[sum].pairs();
  std::atomic<std::size_t> next{0};
  std::atomic<bool> full{false};
  run_with_threads(static_cast<int>(workers.size()), [&](int) {
    try {
      std::vector<std::uint32_t> table;
      for (std::size_t at = next++; at < Pairs::kParts; at = next++) {
        for (std::size_t t = 1; t < workers.size(); ++t)
          all.take(at, workers[t]->adders()[sum].pairs(), ids[t]);
        all.tidy(at, table);
      }
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

// The sum of a constant, from the rows that count.
inline void add_counted(const Question& q, const Sum& sum, const Tally& t, SumResult& s) {
  std::int64_t each = 0;
  as_decimal(q.program.code[static_cast<std::size_t>(sum.value)].number, q.places_of(sum), each);
  for (std::size_t i = 0; i < t.items; ++i) {
    const std::uint64_t rows = sum.when < 0 ? t.rows[i] : i < s.met.size() ? s.met[i] : 0;
    s.total[i] = i128(each) * rows;
  }
}

inline void join(Question& q, Workers& workers, Tally& out) {
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
      if (const auto* met = workers[t]->rows_that_meet(s))
        join_counts(out.sums[s].met, *met, ids[t], out.items);
    }
  }
  for (std::size_t s = 0; s < q.sums.size(); ++s) {
    if (q.sums[s].measure == Measure::distinct) {
      join_pairs(workers, s, ids);
      workers[0]->adders()[s].pairs().count(out.sums[s].total);
    }
    if (q.sums[s].measure == Measure::median)
      find_medians(workers, s, ids, q.places_of(q.sums[s]) != kNotDecimal, out);
  }
  for (std::size_t s = 0; s < q.sums.size(); ++s) {
    out.sums[s].total.resize(out.items);
    if (q.is_count(q.sums[s])) add_counted(q, q.sums[s], out, out.sums[s]);
    if (q.sums[s].when >= 0) passed_over(out, out.sums[s]);
  }
  drop_empty(out, q.keys.size());
}

}  // namespace detail

// Answers the questions, `out` is along them. Afterwards their programs say how many places each
// column has, and their gates how many rows they refused.
inline Status tally(std::vector<Question>& questions, Supply& supply, std::vector<Tally>& out, Poll poll = Poll()) noexcept {
  try {
    out.resize(questions.size());
    std::vector<Question*> open;
    for (Question& q : questions) open.push_back(&q);
    while (!open.empty()) {
      for (Question* q : open) detail::settle_all(*q);
      detail::Pass pass(open, supply, poll);
      const Status status = pass.run();
      if (!status.ok()) return status;
      bool again = false;
      for (std::size_t i = 0; i < open.size(); ++i) {
        for (auto& w : pass.workers(i))
          for (detail::Adder& a : w->adders())
            if (a.too_wide_) return Status{Code::too_large, 0, -1};
        again |= detail::learned(*open[i], pass.workers(i));
      }
      if (again) continue;  // the pass ended with the first surprise
      std::vector<Question*> rest;
      for (std::size_t i = 0; i < open.size(); ++i) {
        if (detail::ranged(*open[i], pass.workers(i), supply.rows())) rest.push_back(open[i]);
        else detail::join(*open[i], pass.workers(i), out[static_cast<std::size_t>(open[i] - questions.data())]);
      }
      open.swap(rest);
    }
    return Status();
  } catch (const std::bad_alloc&) {
    return Status{Code::no_memory, 0, -1};
  } catch (...) {
    return Status{Code::failed, 0, -1};
  }
}

}  // namespace eggcrate
