// Different values of items: pairs of an item and a word, each kept once.
//
// Pairs are put aside in many parts by their word, and told apart part by part: a part fits
// the second-level cache where one table of all pairs would not. A word's part is the same in
// every thread, so that the parts can be joined side by side.
#pragma once

#include <algorithm>
#include <vector>

#include "base.hpp"

namespace eggcrate {

class Pairs {
 public:
  static constexpr std::size_t kParts = 256;

  Pairs() : parts_(kParts) {}

  void add(std::uint32_t id, std::uint64_t word) {
    Part& part = parts_[static_cast<std::size_t>((word * kMix) >> 56)];
    part.pairs.push_back(Pair{word, id});
    if (part.pairs.size() >= part.limit) tidy(part, table_);
  }

  // Takes another thread's pairs of a part, whose items are called `ids[id]` here.
  void take(std::size_t at, const Pairs& other, const std::vector<std::uint32_t>& ids) {
    for (const Pair& p : other.parts_[at].pairs)
      parts_[at].pairs.push_back(Pair{p.word, ids[p.id]});
  }
  // Keeps one of each pair of a part; `table` is memory to work in.
  void tidy(std::size_t at, std::vector<std::uint32_t>& table) { tidy(parts_[at], table); }

  // Adds the number of pairs to each item.
  void count(std::vector<i128>& total) const {
    for (const Part& part : parts_)
      for (const Pair& p : part.pairs) ++total[p.id];
  }

 private:
  static constexpr std::uint64_t kMix = 0x9E3779B97F4A7C15ull;
  static constexpr std::uint32_t kFree = 0xFFFFFFFFu;

  struct Pair {
    std::uint64_t word;
    std::uint32_t id;
  };
  // Of many equal pairs few are kept for long: a part is gone through when it has doubled.
  struct Part {
    std::vector<Pair> pairs;
    std::size_t limit = 8192;
  };

  static void tidy(Part& part, std::vector<std::uint32_t>& table) {
    std::vector<Pair>& v = part.pairs;
    int bits = 4;
    while ((std::size_t(1) << bits) < 2 * v.size()) ++bits;
    table.assign(std::size_t(1) << bits, kFree);
    const std::size_t mask = table.size() - 1;
    std::uint32_t kept = 0;
    for (std::size_t at = 0; at < v.size(); ++at) {
      const Pair p = v[at];  // a copy: its place may be taken
      std::uint64_t h = p.word * kMix;
      h = (h ^ h >> 32 ^ p.id) * kMix;
      std::size_t i = static_cast<std::size_t>(h >> (64 - bits));
      while (table[i] != kFree && (v[table[i]].word != p.word || v[table[i]].id != p.id))
        i = (i + 1) & mask;
      if (table[i] != kFree) continue;
      table[i] = kept;
      v[kept++] = p;
    }
    v.erase(v.begin() + kept, v.end());
    part.limit = std::max(part.limit, 2 * v.size());
  }

  std::vector<Part> parts_;
  std::vector<std::uint32_t> table_;
};

}  // namespace eggcrate
