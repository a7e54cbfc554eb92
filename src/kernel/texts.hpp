// Different texts, each kept once: for columns that come as bytes.
//
// A text is known by its address, which stays. Threads share one list and ask it for what they have
// not met; what they have met, each finds in a table of its own, without waiting for others.
#pragma once

#include <algorithm>
#include <atomic>
#include <cstring>
#include <memory>
#include <mutex>
#include <vector>

#include "base.hpp"
#include "pages.hpp"

namespace eggcrate {

struct Text {
  std::uint32_t length;
  std::int32_t number;  // among those of the list, from 0; -1: only asked for, no row has it

  const char* data() const noexcept { return reinterpret_cast<const char*>(this + 1); }
  bool is(const char* text, std::size_t n) const noexcept { return length == n && std::memcmp(data(), text, n) == 0; }
  std::uint64_t handle() const noexcept { return reinterpret_cast<std::uint64_t>(this); }
  static const Text* of(std::uint64_t handle) noexcept { return reinterpret_cast<const Text*>(handle); }
};

// A cell as it stands.
struct Bytes {
  const char* data;
  std::size_t length;
};

// Nothing but blanks, which counts as missing.
inline bool is_blank(const char* text, std::size_t n) noexcept {
  for (const auto *c = reinterpret_cast<const unsigned char*>(text), *end = c + n; c < end; ++c) {
    if (*c == ' ' || (*c >= '\t' && *c <= '\r')) continue;
    if (end - c > 1 && c[0] == 0xC2 && c[1] == 0xA0) { ++c; continue; }  // no-break space
    return false;
  }
  return true;
}

namespace detail {

// Finds texts by their bytes.
class TextTable {
 public:
  explicit TextTable(std::size_t slots = 1024) : slots_(slots) {}

  static std::uint64_t hash(const char* text, std::size_t n) noexcept {
    std::uint64_t h = n * 0x9E3779B97F4A7C15ull;
    const auto mix = [&h](std::uint64_t word) {
      h = (h ^ word) * 0x9E3779B97F4A7C15ull;
      h ^= h >> 29;
    };
    for (; n >= 8; text += 8, n -= 8) {
      std::uint64_t word;
      std::memcpy(&word, text, 8);
      mix(word);
    }
    std::uint64_t rest = 0;
    std::memcpy(&rest, text, n);
    mix(rest);
    return h ^ h >> 32;
  }

  // What will be found soon is asked for ahead: first where it stands, then itself.
  void ask_for_place(std::uint64_t h) const noexcept { prefetch(&slots_[h & (slots_.size() - 1)]); }
  void ask_for_text(std::uint64_t h) const noexcept { prefetch(slots_[h & (slots_.size() - 1)].text); }

  // `h`: its hash; `make` gives the text where there is none here, or nothing.
  template <class Make>
  Text* find(const char* text, std::size_t n, std::uint64_t h, Make make) {
    std::size_t i = h & (slots_.size() - 1);
    for (; slots_[i].text; i = (i + 1) & (slots_.size() - 1))
      if (slots_[i].hash == h && slots_[i].text->is(text, n)) return slots_[i].text;
    Text* made = make();
    if (!made) return nullptr;
    slots_[i] = Slot{h, made};
    if (++used_ * 2 > slots_.size()) grow();
    return made;
  }

 private:
  struct Slot {
    std::uint64_t hash = 0;
    Text* text = nullptr;
  };

  void grow() {
    std::vector<Slot> old(slots_.size() * 4);
    old.swap(slots_);
    for (const Slot& s : old) {
      if (!s.text) continue;
      std::size_t i = s.hash & (slots_.size() - 1);
      while (slots_[i].text) i = (i + 1) & (slots_.size() - 1);
      slots_[i] = s;
    }
  }

  std::vector<Slot> slots_;
  std::size_t used_ = 0;
};

}  // namespace detail

// All texts of a column.
class Texts {
 public:
  // `trim`: blanks at the ends are left out, also within quotes.
  explicit Texts(bool trim = false) : trim_(trim), parts_(kParts) {}

  bool trims() const noexcept { return trim_; }

  // Those that rows have, in the order of their numbers; when nobody reads any more.
  std::vector<const Text*> all() const {
    std::vector<const Text*> out(static_cast<std::size_t>(count_));
    for (const Part& part : parts_)
      for (const Text* text : part.seen) out[static_cast<std::size_t>(text->number)] = text;
    return out;
  }

  // The text of a row, with its hash.
  Text* of_row(const char* text, std::size_t n, std::uint64_t h) {
    Part& part = part_of(h);
    const std::lock_guard<std::mutex> lock(part.mutex);
    Text* found = part.find(text, n, h);
    if (found->number < 0) {
      part.seen.push_back(found);
      found->number = count_++;
    }
    return found;
  }

  // One that is asked for, whether a row has it or not.
  std::uint64_t asked(const char* text, std::size_t n) {
    const std::uint64_t h = detail::TextTable::hash(text, n);
    Part& part = part_of(h);
    const std::lock_guard<std::mutex> lock(part.mutex);
    return part.find(text, n, h)->handle();
  }

 private:
  // Threads that meet new texts seldom wait for each other.
  static constexpr std::size_t kParts = 32;

  struct Part {
    std::mutex mutex;
    detail::TextTable table{64};
    std::vector<const Text*> seen;
    std::vector<std::unique_ptr<char[]>> blocks;
    char* next = nullptr;
    std::size_t left = 0;

    Text* find(const char* text, std::size_t n, std::uint64_t h) {
      return table.find(text, n, h, [&] { return make(text, n); });
    }
    Text* make(const char* text, std::size_t n) {
      const std::size_t bytes = (sizeof(Text) + n + 7) / 8 * 8;
      if (bytes > left) {
        // Few texts take little, many come in large blocks.
        left = std::max(bytes, std::min<std::size_t>(std::size_t(1) << 16, 256 << std::min<std::size_t>(blocks.size(), 8)));
        blocks.emplace_back(new char[left]);
        next = blocks.back().get();
      }
      auto* made = new (next) Text{static_cast<std::uint32_t>(n), -1};
      std::memcpy(next + sizeof(Text), text, n);
      next += bytes;
      left -= bytes;
      return made;
    }
  };

  Part& part_of(std::uint64_t h) noexcept { return parts_[h >> 59]; }

  bool trim_;
  std::vector<Part> parts_;
  std::atomic<std::int32_t> count_{0};
};

// What a thread has met of them.
class MetTexts {
 public:
  explicit MetTexts(Texts* texts) : texts_(texts) {}

  // The texts of the cells, along them. False where it is not to be told how one is meant.
  bool find(const std::vector<Bytes>& cells, std::vector<const Text*>& out) {
    const std::size_t n = cells.size();
    constexpr std::size_t ahead = 16;
    hashes_.resize(n);
    out.resize(n);
    for (std::size_t i = 0; i < n; ++i) {
      hashes_[i] = met_.hash(cells[i].data, cells[i].length);
      met_.ask_for_place(hashes_[i]);
    }
    for (std::size_t i = 0; i < n; ++i) {
      if (i + ahead < n) met_.ask_for_text(hashes_[i + ahead]);
      if (!(out[i] = find(cells[i].data, cells[i].length, hashes_[i]))) return false;
    }
    return true;
  }

 private:
  static std::size_t blank_at(const char* p, const char* end) noexcept {
    if (*p == ' ' || *p == '\t' || *p == '\n') return 1;
    return end - p > 1 && p[0] == '\xC2' && p[1] == '\xA0' ? 2 : 0;  // no-break space
  }
  static void trim(const char*& from, const char*& to) noexcept {
    while (from < to && blank_at(from, to)) from += blank_at(from, to);
    for (;;) {
      if (to > from && blank_at(to - 1, to)) --to;
      else if (to - from > 1 && blank_at(to - 2, to) == 2) to -= 2;
      else return;
    }
  }

  const Text* find(const char* text, std::size_t n, std::uint64_t hash) {
    const char *from = text, *to = text + n;
    Text* found = met_.find(text, n, hash, [&]() -> Text* {
      // A lone carriage return is no letter to some, a line's end to others.
      if (std::memchr(text, '\r', n)) return nullptr;
      if (texts_->trims()) trim(from, to);
      return to - from == static_cast<std::ptrdiff_t>(n) ? texts_->of_row(text, n, hash) : nullptr;
    });
    const auto left = static_cast<std::size_t>(to - from);
    if (left < n) {
      const std::uint64_t h = met_.hash(from, left);
      found = met_.find(from, left, h, [&] { return texts_->of_row(from, left, h); });
    }
    return found;
  }

  Texts* texts_;
  detail::TextTable met_;
  std::vector<std::uint64_t> hashes_;
};

// Renumbers texts from 0 in the order of the rows, and returns them in this order.
inline std::vector<const Text*> in_row_order(const Texts& texts, std::int32_t* code, std::size_t n) {
  const std::vector<const Text*> all = texts.all();
  std::vector<std::int32_t> place(all.size(), -1);
  std::vector<const Text*> out;
  for (std::size_t i = 0; i < n; ++i) {
    if (code[i] == kMissingWhole) continue;
    const auto was = static_cast<std::size_t>(code[i]);
    if (place[was] < 0) {
      place[was] = static_cast<std::int32_t>(out.size());
      out.push_back(all[was]);
    }
    code[i] = place[was];
  }
  return out;
}

}  // namespace eggcrate
