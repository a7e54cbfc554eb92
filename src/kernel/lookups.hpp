// Further columns for rows, from tables that are found by a key of texts. No column is ever in memory
// for all rows: of a key that a thread has met before it knows the row of the table.
#pragma once

#include <memory>
#include <string>
#include <unordered_map>

#include "groups.hpp"
#include "supply.hpp"
#include "texts.hpp"

namespace eggcrate {

// A table that is found by a key, which stands in it once.
class Table {
 public:
  static constexpr std::int32_t kNone = -1;

  // `keys`: columns of the rows, all of them texts of `Texts`; also those that a table before added.
  // `columns`: what the table adds. Texts have handles of `Text`; `blank` is that of a missing one.
  Table(std::vector<std::size_t> keys, std::vector<Column> columns, std::uint64_t blank)
      : keys_(std::move(keys)), columns_(std::move(columns)), blank_(blank) {}

  void add(const std::vector<std::string>& key, std::int32_t row) {
    std::string all;
    for (const std::string& part : key) join(all, part.data(), part.size());
    rows_.emplace(std::move(all), row);
  }

  const std::vector<std::size_t>& keys() const noexcept { return keys_; }
  const std::vector<Column>& columns() const noexcept { return columns_; }
  std::uint64_t blank() const noexcept { return blank_; }

  // The row with a key of so many handles. A blank is no key.
  std::int32_t find(const std::uint64_t* key, std::string& buffer) const {
    buffer.clear();
    for (std::size_t k = 0; k < keys_.size(); ++k) {
      const Text* t = Text::of(key[k]);
      if (is_blank(t->data(), t->length)) return kNone;
      join(buffer, t->data(), t->length);
    }
    const auto found = rows_.find(buffer);
    return found == rows_.end() ? kNone : found->second;
  }

 private:
  // With its length, so that "a", "bc" is not "ab", "c".
  static void join(std::string& to, const char* text, std::size_t n) {
    to += std::to_string(n);
    to += ':';
    to.append(text, n);
  }

  std::vector<std::size_t> keys_;
  std::vector<Column> columns_;
  std::uint64_t blank_;
  std::unordered_map<std::string, std::int32_t> rows_;
};

// Rows whose key the table does not have.
struct Unmatched {
  std::size_t rows = 0, first = ~std::size_t(0);
  std::vector<std::uint64_t> key;  // of the first, as handles
};

// The rows of another supply, with columns of tables behind its own.
class WithTables final : public Supply {
 public:
  // `own`: how many columns `base` has; `most`: of how many rows its longest stretch may be.
  WithTables(Supply& base, std::size_t own, std::size_t most, const std::vector<Table>& tables)
      : base_(base), own_(own), most_(most), tables_(tables) {}

  std::size_t rows() const override { return base_.rows(); }
  int threads() const override { return base_.threads(); }
  bool failed() const override { return base_.failed(); }
  const Column* columns(int thread) const override { return hands_[static_cast<std::size_t>(thread)]->columns.data(); }

  void begin(int threads) override {
    base_.begin(threads);
    hands_.clear();
    for (int t = 0; t < threads; ++t) hands_.emplace_back(new Hand(base_.columns(t), own_, most_, tables_));
  }

  bool next(int thread, Stretch& out) override {
    if (!base_.next(thread, out)) return false;
    Hand& hand = *hands_[static_cast<std::size_t>(thread)];
    for (std::size_t i = 0; i < tables_.size(); ++i) hand.look_up(i, tables_[i], out);
    return true;
  }

  // Of a table, when nobody counts any more.
  Unmatched unmatched(std::size_t table) const {
    Unmatched out;
    for (const auto& hand : hands_) {
      const Unmatched& one = hand->parts[table].unmatched;
      if (one.first < out.first) {
        out.first = one.first;
        out.key = one.key;
      }
      out.rows += one.rows;
    }
    return out;
  }

 private:
  // What a thread knows of a table.
  struct Part {
    std::unique_ptr<Groups> met;     // its keys,
    std::vector<std::int32_t> rows;  // where they are in the table,
    std::size_t at;                  // and where its columns begin
    Unmatched unmatched;
  };

  struct Hand {
    Hand(const Column* base, std::size_t own, std::size_t most, const std::vector<Table>& tables) : columns(base, base + own), ids(kChunk) {
      for (const Table& t : tables) {
        parts.push_back(Part{make_groups(std::vector<Key>(t.keys().size()), false), {}, columns.size(), {}});
        for (const Column& c : t.columns()) {
          cells.emplace_back(new char[most * (c.kind == Kind::whole ? 4 : 8)]);
          columns.push_back(Column{c.kind, cells.back().get()});
        }
      }
    }

    void look_up(std::size_t i, const Table& table, const Stretch& s) {
      Part& part = parts[i];
      const std::size_t width = table.keys().size();
      words.resize(kChunk * width);
      for (std::size_t from = s.from; from < s.to; from += kChunk) {
        const std::size_t n = std::min(kChunk, s.to - from);
        for (std::size_t k = 0; k < width; ++k) {
          const auto* text = static_cast<const std::uint64_t*>(columns[table.keys()[k]].data) + from;
          for (std::size_t r = 0; r < n; ++r) words[r * width + k] = text[r];
        }
        part.met->locate(words.data(), n, ids.data());
        for (std::size_t id = part.rows.size(); id < part.met->size(); ++id)
          part.rows.push_back(table.find(part.met->words().data() + id * width, buffer));
        count(part, width, s.before + (from - s.from), n);
        for (std::size_t c = 0; c < table.columns().size(); ++c) fill(table, c, part, from, n);
      }
    }

    // Stretches come in the order of the rows.
    void count(Part& part, std::size_t width, std::size_t before, std::size_t n) {
      for (std::size_t r = 0; r < n; ++r) {
        if (part.rows[ids[r]] != Table::kNone) continue;
        if (part.unmatched.rows++ == 0) {
          part.unmatched.first = before + r;
          part.unmatched.key.assign(words.begin() + static_cast<std::ptrdiff_t>(r * width), words.begin() + static_cast<std::ptrdiff_t>((r + 1) * width));
        }
      }
    }

    void fill(const Table& table, std::size_t c, const Part& part, std::size_t from, std::size_t n) {
      const Column& column = table.columns()[c];
      void* to = const_cast<void*>(columns[part.at + c].data);  // a vector of `cells`
      switch (column.kind) {
        case Kind::whole: gather(column, part, kMissingWhole, static_cast<std::int32_t*>(to) + from, n); break;
        case Kind::real: gather(column, part, missing_real(), static_cast<double*>(to) + from, n); break;
        case Kind::text: gather(column, part, table.blank(), static_cast<std::uint64_t*>(to) + from, n); break;
      }
    }

    template <class Word>
    void gather(const Column& column, const Part& part, Word missing, Word* to, std::size_t n) const {
      const auto* cell = static_cast<const Word*>(column.data);
      for (std::size_t r = 0; r < n; ++r) {
        const std::int32_t row = part.rows[ids[r]];
        to[r] = row == Table::kNone ? missing : cell[row];
      }
    }

    std::vector<Column> columns;
    std::vector<std::unique_ptr<char[]>> cells;
    std::vector<Part> parts;
    std::vector<std::uint64_t> words;
    std::vector<std::uint32_t> ids;
    std::string buffer;
  };

  Supply& base_;
  std::size_t own_, most_;
  const std::vector<Table>& tables_;
  std::vector<std::unique_ptr<Hand>> hands_;
};

}  // namespace eggcrate
