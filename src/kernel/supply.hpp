// Where rows come from, stretch by stretch, for each of several threads.
#pragma once

#include <algorithm>
#include <atomic>
#include <vector>

#include "base.hpp"

namespace eggcrate {

// Rows `from` up to `to` of the columns at hand, which have `before` others before them.
struct Stretch {
  std::size_t from = 0, to = 0, before = 0;
  double part = 0;  // of all rows, that is done
};

class Supply {
 public:
  virtual ~Supply() = default;
  virtual std::size_t rows() const = 0;
  virtual int threads() const = 0;  // how many are worth while
  // Starts from the first row, for so many threads.
  virtual void begin(int threads) = 0;
  // The columns that a thread's stretches are of; they stay where they are.
  virtual const Column* columns(int thread) const = 0;
  // The thread's next stretch, later ones after earlier ones. False: there is none, or it failed.
  virtual bool next(int thread, Stretch& out) = 0;
  virtual bool failed() const { return false; }
};

// Rows a thread takes at a time; also how often a stop is asked for.
constexpr std::size_t kStretch = 64 * kChunk;
// Fewer rows than this are done before a second thread has started.
constexpr std::size_t kWorthThreads = 200000;

// Columns as they lie in memory.
class InMemory final : public Supply {
 public:
  InMemory(std::vector<Column> columns, std::size_t n, int threads = 1)
      : columns_(std::move(columns)), n_(n), threads_(n < kWorthThreads ? 1 : threads) {}

  std::size_t rows() const override { return n_; }
  int threads() const override { return threads_; }
  void begin(int) override { next_ = 0; }
  const Column* columns(int) const override { return columns_.data(); }
  bool next(int, Stretch& out) override {
    out.from = std::min(n_, next_.fetch_add(kStretch));
    out.to = std::min(n_, out.from + kStretch);
    out.part = n_ ? static_cast<double>(out.from) / static_cast<double>(n_) : 1;
    return out.from < n_;
  }

 private:
  std::vector<Column> columns_;
  std::size_t n_;
  int threads_;
  std::atomic<std::size_t> next_{0};
};

}  // namespace eggcrate
