// From key words to dense item numbers: 0, 1, 2, … in the order of first sight.
#pragma once

#include <memory>
#include <vector>

#include "base.hpp"
#include "pages.hpp"

namespace eggcrate {

// How many keys ahead a slot is asked for. Slots of large tables lie beyond the
// second-level cache; some thirty lookups cover the way (bench/ranking.R).
constexpr std::size_t kAhead = 32;
// How many values ahead a column that is read from end to end is asked for: the
// lookups keep the processor from running ahead by itself.
constexpr std::size_t kStreamAhead = 512;
constexpr std::uint32_t kNobody = 0xFFFFFFFFu;

// A hash table stays emptier than a quarter while it is small: neighbours in a
// slot's way cost more than the memory. Large ones fill to a half.
constexpr std::size_t kRoomySlots = std::size_t(1) << 20;

// Sums that can be kept beside the keys, in the line of memory that the lookup
// has fetched anyway: one value a row for each lane in use.
constexpr int kLanes = 2;
struct Lanes {
  const std::int64_t* values[kLanes] = {nullptr, nullptr};
};

// What a thread has gathered of its items.
struct Gathered {
  std::vector<std::uint64_t> rows;         // by item
  std::vector<std::int64_t> sums[kLanes];  // by item, where there are lanes
  // The items in the order in which they lie in memory, so that joining two tables
  // of one kind walks through both from end to end.
  std::vector<std::uint32_t> walk;
};

// Items of a thread: their words and how many rows each has.
class Groups {
 public:
  explicit Groups(std::size_t width) : width_(width) {}
  virtual ~Groups() = default;

  // Numbers the items of n rows, `width` words each, and counts the rows. Where there
  // are `lanes()`, their values are added to the items' sums.
  virtual void locate(const std::uint64_t* words, std::size_t n, std::uint32_t* ids,
                      const Lanes& lanes = Lanes()) = 0;
  virtual int lanes() const { return 0; }
  // Hands over the sums of a lane, by item, and starts again from 0.
  virtual void drain(int, std::vector<i128>&) {}
  virtual Gathered gather() const = 0;
  std::size_t size() const noexcept { return words_.size() / width_; }
  std::size_t width() const noexcept { return width_; }
  const std::vector<std::uint64_t>& words() const noexcept { return words_; }

 protected:
  template <class Count>
  static Gathered in_order(const std::vector<Count>& rows) {
    Gathered out;
    out.rows.assign(rows.begin(), rows.end());
    for (std::uint32_t i = 0; i < rows.size(); ++i) out.walk.push_back(i);
    return out;
  }

  std::size_t width_;
  std::vector<std::uint64_t> words_;
};

// Open addressing on one word or two, which lie in the slot with the row count and the
// first sums: half a line of memory in either case.
template <int Width>
class SlotGroups final : public Groups {
 public:
  SlotGroups() : Groups(Width) { reset(10); }

  void locate(const std::uint64_t* words, std::size_t n, std::uint32_t* ids,
              const Lanes& lanes) override {
    if (crowded(n, slots_.size())) grow(n);
    if (kSums > 1 && lanes.values[kSums - 1])
      visit(words, n, ids, [&](Slot& s, std::size_t i) { add(s, i, lanes, kSums); });
    else if (lanes.values[0])
      visit(words, n, ids, [&](Slot& s, std::size_t i) { add(s, i, lanes, 1); });
    else visit(words, n, ids, [&](Slot& s, std::size_t) { ++s.rows; });
  }

  int lanes() const override { return kSums; }
  void drain(int lane, std::vector<i128>& to) override {
    for (Slot& s : slots_) {
      if (s.id == kNobody) continue;
      to[s.id] += s.sum[lane];
      s.sum[lane] = 0;
    }
  }

  Gathered gather() const override {
    Gathered out;
    out.rows.resize(size());
    for (int lane = 0; lane < kSums; ++lane) out.sums[lane].resize(size());
    out.walk.reserve(size());
    for (const Slot& s : slots_) {
      if (s.id == kNobody) continue;
      out.walk.push_back(s.id);
      out.rows[s.id] = s.rows;
      for (int lane = 0; lane < kSums; ++lane) out.sums[lane][s.id] = s.sum[lane];
    }
    return out;
  }

 private:
  static_assert(Width == 1 || Width == 2, "one word or two");
  static constexpr int kSums = kLanes + 1 - Width;  // what is left of the 32 bytes

  struct Slot {
    std::uint64_t word[Width];
    std::uint32_t id = kNobody;
    std::uint32_t rows = 0;
    std::int64_t sum[kSums];
    Slot() : word(), sum() {}
  };
  static_assert(sizeof(Slot) == 32, "two slots fill a line of memory");

  static void add(Slot& s, std::size_t i, const Lanes& lanes, int used) noexcept {
    ++s.rows;
    for (int lane = 0; lane < used; ++lane)
      if (lanes.values[lane]) s.sum[lane] += lanes.values[lane][i];
  }

  // Finds or makes the slot of each row and hands it to `count`.
  template <class Count>
  void visit(const std::uint64_t* words, std::size_t n, std::uint32_t* ids, Count count) {
    const std::size_t first = n < kAhead ? n : kAhead;
    for (std::size_t i = 0; i < first; ++i) prefetch(&slots_[place(words + i * Width)]);
    for (std::size_t i = 0; i < n; ++i) {
      const std::uint64_t* w = words + i * Width;
      if (i + kAhead < n) prefetch(&slots_[place(w + kAhead * Width)]);
      if ((i & 7) == 0) prefetch(w + kStreamAhead);
      Slot& s = find(w);
      if (s.id == kNobody) {
        s.id = static_cast<std::uint32_t>(words_.size() / Width);
        for (int k = 0; k < Width; ++k) s.word[k] = w[k];
        words_.insert(words_.end(), w, w + Width);
      }
      count(s, i);
      ids[i] = s.id;
    }
  }

  std::size_t place(const std::uint64_t* w) const noexcept {
    std::uint64_t h = w[0];
    if (Width == 2) {
      h *= 0x9E3779B97F4A7C15ull;
      h ^= h >> 32 ^ w[Width - 1];
    }
    return static_cast<std::size_t>((h * 0x9E3779B97F4A7C15ull) >> shift_);
  }
  bool here(std::size_t i, const std::uint64_t* w) const noexcept {
    const Slot& s = slots_[i];
    return (s.word[0] == w[0] && s.word[Width - 1] == w[Width - 1]) || s.id == kNobody;
  }
  Slot& find(const std::uint64_t* w) noexcept {
    std::size_t i = place(w);
    if (here(i, w)) return slots_[i];
    // Then the other slot of the same line of memory, then line by line.
    for (i ^= 1; !here(i, w); i = i & 1 ? (i + 1) & (slots_.size() - 1) : i + 1) {}
    return slots_[i];
  }
  void reset(int bits) {
    shift_ = 64 - bits;
    slots_.assign(std::size_t(1) << bits, Slot());
  }
  bool crowded(std::size_t n, std::size_t slots) const noexcept {
    return (size() + n) * (slots <= kRoomySlots ? 4 : 2) > slots;
  }
  void grow(std::size_t n) {
    std::vector<Slot, LargePages<Slot>> old;
    old.swap(slots_);
    int bits = 64 - shift_;
    while (crowded(n, std::size_t(1) << bits)) ++bits;
    reset(bits);
    for (const Slot& s : old)
      if (s.id != kNobody) find(s.word) = s;
  }

  std::vector<Slot, LargePages<Slot>> slots_;
  int shift_ = 54;
};

// Open addressing on several words.
class TupleGroups final : public Groups {
 public:
  explicit TupleGroups(std::size_t width) : Groups(width) { slots_.assign(1024, Slot{0, kNobody}); }

  void locate(const std::uint64_t* words, std::size_t n, std::uint32_t* ids,
              const Lanes&) override {
    if ((size() + n) * 2 > slots_.size()) grow(n);
    hashes_.resize(n);
    for (std::size_t i = 0; i < n; ++i) {
      hashes_[i] = hash(words + i * width_);
      prefetch(&slots_[place(hashes_[i])]);
    }
    for (std::size_t i = 0; i < n; ++i) {
      const std::uint64_t* w = words + i * width_;
      Slot& s = find(hashes_[i], w);
      if (s.id == kNobody) {
        s = Slot{static_cast<std::uint32_t>(hashes_[i]), static_cast<std::uint32_t>(size())};
        words_.insert(words_.end(), w, w + width_);
        rows_.push_back(0);
      }
      ++rows_[s.id];
      ids[i] = s.id;
    }
  }
  Gathered gather() const override { return in_order(rows_); }

 private:
  struct Slot {
    std::uint32_t tag;
    std::uint32_t id;
  };

  std::uint64_t hash(const std::uint64_t* w) const noexcept {
    std::uint64_t h = 0;
    for (std::size_t j = 0; j < width_; ++j) {
      h = (h ^ w[j]) * 0x9E3779B97F4A7C15ull;
      h ^= h >> 32;
    }
    return h;
  }
  std::size_t place(std::uint64_t h) const noexcept { return h & (slots_.size() - 1); }
  bool same(std::uint32_t id, const std::uint64_t* w) const noexcept {
    const std::uint64_t* mine = words_.data() + std::size_t(id) * width_;
    for (std::size_t j = 0; j < width_; ++j)
      if (mine[j] != w[j]) return false;
    return true;
  }
  Slot& find(std::uint64_t h, const std::uint64_t* w) noexcept {
    std::size_t i = place(h);
    while (slots_[i].id != kNobody &&
           !(slots_[i].tag == static_cast<std::uint32_t>(h) && same(slots_[i].id, w)))
      i = (i + 1) & (slots_.size() - 1);
    return slots_[i];
  }
  void grow(std::size_t n) {
    std::size_t wanted = slots_.size();
    while ((size() + n) * 2 > wanted) wanted *= 4;
    slots_.assign(wanted, Slot{0, kNobody});
    for (std::size_t id = 0; id < size(); ++id) {
      const std::uint64_t* w = words_.data() + id * width_;
      const std::uint64_t h = hash(w);
      find(h, w) = Slot{static_cast<std::uint32_t>(h), static_cast<std::uint32_t>(id)};
    }
  }

  std::vector<Slot, LargePages<Slot>> slots_;
  std::vector<std::uint64_t> hashes_;
  std::vector<std::uint64_t> rows_;
};

// Codes from 1 to `most`, and kMissingWhole: the code is the item's number, so
// codes that no row has are items without rows.
class CodeGroups final : public Groups {
 public:
  explicit CodeGroups(std::size_t most) : Groups(1), rows_(most + 1) {
    words_.resize(most + 1);
    for (std::size_t i = 0; i <= most; ++i)
      words_[i] = i ? i : static_cast<std::uint64_t>(static_cast<std::int64_t>(kMissingWhole));
  }

  void locate(const std::uint64_t* words, std::size_t n, std::uint32_t* ids,
              const Lanes&) override {
    for (std::size_t i = 0; i < n; ++i) {
      const auto code = static_cast<std::int64_t>(words[i]);
      ids[i] = code < 0 ? 0 : static_cast<std::uint32_t>(code);
      ++rows_[ids[i]];
    }
  }
  Gathered gather() const override { return in_order(rows_); }

 private:
  std::vector<std::uint32_t> rows_;
};

// Each row an item of its own.
class RowGroups final : public Groups {
 public:
  explicit RowGroups(std::size_t width) : Groups(width) {}

  void locate(const std::uint64_t* words, std::size_t n, std::uint32_t* ids,
              const Lanes&) override {
    const auto first = static_cast<std::uint32_t>(size());
    for (std::size_t i = 0; i < n; ++i) ids[i] = first + static_cast<std::uint32_t>(i);
    words_.insert(words_.end(), words, words + n * width_);
  }
  Gathered gather() const override { return in_order(std::vector<std::uint8_t>(size(), 1)); }
};

// A key: a column, by its place, or what a program makes of the row (a period, say). `codes` > 0
// promises whole numbers from 1 to `codes`.
struct Key {
  std::size_t column = 0;
  std::size_t codes = 0;
  int program = -1;
};

// Beyond this many codes a table by code is larger than a hash of those in use.
constexpr std::size_t kMostCodes = std::size_t(1) << 22;

// `apart`: each row is an item.
inline std::unique_ptr<Groups> make_groups(const std::vector<Key>& keys, bool apart) {
  if (apart) return std::make_unique<RowGroups>(keys.size());
  if (keys.size() > 2) return std::make_unique<TupleGroups>(keys.size());
  if (keys.size() == 2) return std::make_unique<SlotGroups<2>>();
  if (keys[0].codes > 0 && keys[0].codes <= kMostCodes)
    return std::make_unique<CodeGroups>(keys[0].codes);
  return std::make_unique<SlotGroups<1>>();
}

}  // namespace eggcrate
