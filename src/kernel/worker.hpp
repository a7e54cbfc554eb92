// The question to be answered, and what one thread does for it: gates, items and sums of
// chunks of rows.
#pragma once

#include "adder.hpp"
#include "evaluate.hpp"
#include "groups.hpp"

namespace eggcrate {

// A condition that a row must meet to be used; a row is counted at the first
// gate that it fails.
struct Gate {
  Program program;
  std::uint64_t refused = 0;  // false
  std::uint64_t unsure = 0;   // unknown
  std::size_t first = kNoRow;  // the first row that did not pass
};

struct Question {
  std::vector<Gate> gates;
  std::vector<Key> keys;
  std::vector<Program> key_programs;
  Program program;  // the values and conditions of all sums: what several need is there once
  std::vector<Sum> sums;
  bool apart = false;  // each row is an item; in the order of the rows, so by one thread
  int places_of(const Sum& s) const noexcept {
    return program.places[static_cast<std::size_t>(s.value)];
  }
  // A constant is as often in its sum as there are rows, which are counted anyway.
  bool is_count(const Sum& s) const noexcept {
    return s.measure == Measure::sum && places_of(s) != kNotDecimal &&
           program.code[static_cast<std::size_t>(s.value)].op == Op::number;
  }
};

struct Tally {
  std::size_t items = 0;
  std::vector<std::uint64_t> words;  // items x keys
  std::vector<std::uint64_t> rows;   // per item
  std::vector<SumResult> sums;
  std::uint64_t used = 0;            // rows past all gates
};

namespace detail {

// A column's word at a row, whether it is finite or not.
inline std::uint64_t word_at(const Column& c, std::size_t row) noexcept {
  if (c.kind == Kind::text) return static_cast<const std::uint64_t*>(c.data)[row];
  if (c.kind == Kind::whole)
    return static_cast<std::uint64_t>(
        static_cast<std::int64_t>(static_cast<const std::int32_t*>(c.data)[row]));
  const double x = static_cast<const double*>(c.data)[row];
  // One pattern for all missing values, one for both zeros.
  return is_missing(x) ? kMissingReal : bits_of(x == 0 ? 0.0 : x);
}

// Is it the word of a number that is finite, or missing?
inline bool finite_word(std::uint64_t word) noexcept {
  constexpr std::uint64_t exponent = 0x7FF0000000000000ull;
  return (word & exponent) != exponent || word == kMissingReal;
}

class Worker {
 public:
  Worker(const Question& q, const Column* columns)
      : q_(q),
        columns_(columns),
        groups_(make_groups(q.keys, q.apart)),
        values_(q.program, columns),
        condition_of_(q.sums.size(), -1),
        adders_(q.sums.size()),
        refused_(q.gates.size()),
        unsure_(q.gates.size()),
        first_out_(q.gates.size(), kNoRow),
        ids_(kChunk),
        words_(kChunk * q.keys.size()),
        selected_(kChunk),
        every_(kChunk) {
    for (std::size_t i = 0; i < kChunk; ++i) every_[i] = static_cast<std::uint16_t>(i);
    for (const Gate& g : q.gates) gates_.emplace_back(g.program, columns);
    for (std::size_t s = 0; s < q.sums.size(); ++s)
      if (q.sums[s].when >= 0) condition_of_[s] = condition_at(q.sums[s].when);
    for (const Program& p : q.key_programs) key_values_.emplace_back(p, columns);
    for (std::size_t s = 0; s < q.sums.size(); ++s)
      if (q.sums[s].measure == Measure::distinct) adders_[s].use_pairs();
    int lane = 0;
    for (std::size_t s = 0; s < q.sums.size() && lane < groups_->lanes(); ++s)
      if (q.sums[s].measure == Measure::sum && !q.is_count(q.sums[s]))
        adders_[s].use_lane(*groups_, lane++);
  }

  // One chunk of rows from `base` on, with `before` others before the columns at hand. False: stop,
  // `status` or `surprised_program` says why.
  bool chunk(std::size_t base, std::size_t n, std::size_t before) {
    Rows rows{base, n, nullptr, before};
    for (std::size_t g = 0; g < gates_.size(); ++g) {
      if (!ran(gates_[g], rows, static_cast<int>(g), 0)) return false;
      narrow(gates_[g].result().truth.data(), rows, g);
      if (rows.n == 0) return true;
    }
    const std::uint64_t* words = key_words(rows);
    if (!words || !ran(values_, rows, 0, 1)) return false;
    for (Condition& c : conditions_) c.judge(values_.result(c.at()).truth.data(), rows.n);
    const Lanes lanes = fill_lanes(rows);
    groups_->locate(words, rows.n, ids_.data(), lanes);
    for (Condition& c : conditions_) c.count(ids_.data(), groups_->size());
    for (std::size_t s = 0; s < adders_.size(); ++s) {
      if (q_.is_count(q_.sums[s])) continue;
      if (adders_[s].lane() >= 0 && lanes.values[adders_[s].lane()]) continue;
      if (q_.sums[s].measure == Measure::distinct) {
        if (!tell_apart(s, rows)) return false;
        continue;
      }
      adders_[s].add(values_.values(q_.sums[s].value), met(s, rows), ids_.data(), rows,
                     groups_->size(), q_.sums[s]);
    }
    used += rows.n;
    return true;
  }

  // Rows of each item that meet the condition of a sum; none where it has none.
  const std::vector<std::uint32_t>* rows_that_meet(std::size_t sum) const noexcept {
    const int at = condition_of_[sum];
    return at < 0 ? nullptr : &conditions_[static_cast<std::size_t>(at)].counts();
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

  Lanes fill_lanes(const Rows& rows) {
    Lanes lanes;
    for (std::size_t s = 0; s < adders_.size(); ++s)
      if (adders_[s].lane() >= 0)
        lanes.values[adders_[s].lane()] = adders_[s].whole_values(
            values_.values(q_.sums[s].value), met(s, rows), rows.n);
    return lanes;
  }

  int condition_at(int when) {
    for (std::size_t c = 0; c < conditions_.size(); ++c)
      if (conditions_[c].at() == when) return static_cast<int>(c);
    conditions_.emplace_back(when);
    return static_cast<int>(conditions_.size()) - 1;
  }

  Met met(std::size_t sum, const Rows& rows) const noexcept {
    const int at = condition_of_[sum];
    return at < 0 ? Met{every_.data(), rows.n} : conditions_[static_cast<std::size_t>(at)].met();
  }

  void narrow(const std::uint8_t* truth, Rows& rows, std::size_t gate) {
    std::size_t met = 0, kept = 0, unsure = 0;
    for (std::size_t i = 0; i < rows.n; ++i) met += truth[i] == yes;
    if (met == rows.n) return;  // the quick way for whole chunks
    for (std::size_t i = 0; i < rows.n && first_out_[gate] == kNoRow; ++i)
      if (truth[i] != yes) first_out_[gate] = rows.number(i);
    for (std::size_t i = 0; i < rows.n; ++i) {
      const std::uint16_t at = rows.selected ? rows.selected[i] : static_cast<std::uint16_t>(i);
      selected_[kept] = at;
      kept += truth[i] == yes;
      unsure += truth[i] == unknown;
    }
    refused_[gate] += rows.n - kept - unsure;
    unsure_[gate] += unsure;
    rows.selected = selected_.data();
    rows.n = kept;
  }

  const std::uint64_t* key_words(const Rows& rows) {
    const std::size_t width = q_.keys.size();
    for (std::size_t p = 0; p < key_values_.size(); ++p)
      if (!ran(key_values_[p], rows, static_cast<int>(p), 2)) return nullptr;
    if (width == 1 && q_.keys[0].program < 0 && column(q_.keys[0]).kind == Kind::text && !rows.selected)
      return static_cast<const std::uint64_t*>(column(q_.keys[0]).data) + rows.base;
    for (std::size_t k = 0; k < width; ++k)
      if (!fill_words(q_.keys[k], rows, words_.data() + k, width, -2 - static_cast<int>(k)))
        return nullptr;
    return words_.data();
  }

  const Column& column(const Key& key) const noexcept { return columns_[key.column]; }

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
    const Column& c = column(key);
    for (std::size_t i = 0; i < rows.n; ++i) {
      const std::size_t row = rows.row(i);
      const std::uint64_t word = out[i * stride] = word_at(c, row);
      if (c.kind == Kind::real && !finite_word(word)) {
        status = Status{Code::not_finite, rows.number(i), name};
        return false;
      }
    }
    return true;
  }

  // Which words of a distinct count are missing: the text test of `value`, or the
  // word itself.
  bool tell_apart(std::size_t s, const Rows& rows) {
    const Sum& sum = q_.sums[s];
    apart_.resize(kChunk);
    missing_.assign(kChunk, 0);
    if (!fill_words(sum.of, rows, apart_.data(), 1, -2 - static_cast<int>(q_.keys.size() + s)))
      return false;
    if (column(sum.of).kind == Kind::text) {
      const auto& truth = values_.result(sum.value).truth;
      for (std::size_t i = 0; i < rows.n; ++i) missing_[i] = truth[i] == yes;
    } else {
      const std::uint64_t none =
          column(sum.of).kind == Kind::whole
              ? static_cast<std::uint64_t>(static_cast<std::int64_t>(kMissingWhole))
              : kMissingReal;
      for (std::size_t i = 0; i < rows.n; ++i) missing_[i] = apart_[i] == none;
    }
    adders_[s].add_words(apart_.data(), missing_.data(), met(s, rows), ids_.data(), rows,
                         groups_->size());
    return true;
  }

  const Question& q_;
  const Column* columns_;
  std::unique_ptr<Groups> groups_;
  Evaluator values_;
  std::vector<Evaluator> gates_, key_values_;
  std::vector<Condition> conditions_;
  std::vector<int> condition_of_;  // of each sum, among those; -1 for none
  std::vector<Adder> adders_;
  std::vector<std::uint64_t> refused_, unsure_;
  std::vector<std::size_t> first_out_;
  std::vector<std::uint32_t> ids_;
  std::vector<std::uint64_t> words_, apart_;
  std::vector<std::uint16_t> selected_, every_;
  std::vector<std::uint8_t> missing_;
};

}  // namespace detail

}  // namespace eggcrate
