// From the bytes of a checked file to columns: texts as codes of what there is, whole numbers,
// decimal numbers, dates. What is written in another way than these is not guessed at: the answer
// says in which column it stands, and the caller reads the file by its general way.
//
// The file is read block by block, never mapped, so that a file that is cut meanwhile is told of.
#pragma once

#include <algorithm>
#include <atomic>
#include <cstring>
#include <fstream>
#include <memory>
#include <string>
#include <vector>

#if defined(__SSE2__)
#include <emmintrin.h>
#endif

#include "decimal.hpp"
#include "scan.hpp"
#include "threads.hpp"

namespace eggcrate {

enum class Cell : int { text = 0, whole = 1, real = 2, date = 3 };

// A column that is wanted, and where its cells go; of texts their codes.
struct Field {
  std::size_t column = 0;
  Cell kind = Cell::text;
  std::int32_t* whole = nullptr;
  double* real = nullptr;
};

struct Reading {
  std::string path;
  char separator = ',';
  std::size_t columns = 0;
  std::vector<Field> fields;  // by column
  std::vector<Cut> cuts;      // where lines begin, and how many rows are before
  std::uint64_t size = 0, rows = 0;
  int threads = 1;
  bool (*stop)(void*, double) = nullptr;  // told the part done, by the calling thread only; true: stop
  void* stop_with = nullptr;
};

enum class Read : int { done = 0, other = 1, changed = 2, stopped = 3, no_memory = 4 };

// Texts and their codes, from 0 in the order of first sight.
class Words {
 public:
  Words() : slots_(1024, Slot{0, -1}) {}

  std::size_t size() const noexcept { return ends_.size(); }
  const char* data(std::size_t code) const noexcept { return bytes_.data() + begin(code); }
  std::size_t length(std::size_t code) const noexcept { return ends_[code] - begin(code); }

  std::int32_t code(const char* text, std::size_t n) {
    // Lines that belong together stand together.
    if (last_ >= 0 && same(last_, text, n)) return last_;
    const std::uint64_t h = hash(text, n);
    std::size_t i = h & (slots_.size() - 1);
    const auto tag = static_cast<std::uint32_t>(h >> 32);
    for (; slots_[i].code >= 0; i = (i + 1) & (slots_.size() - 1))
      if (slots_[i].tag == tag && same(slots_[i].code, text, n)) return last_ = slots_[i].code;
    last_ = static_cast<std::int32_t>(ends_.size());
    slots_[i] = Slot{tag, last_};
    bytes_.insert(bytes_.end(), text, text + n);
    ends_.push_back(bytes_.size());
    if (ends_.size() * 2 > slots_.size()) grow();
    return last_;
  }

 private:
  struct Slot {
    std::uint32_t tag;
    std::int32_t code;
  };

  std::size_t begin(std::size_t code) const noexcept { return code ? ends_[code - 1] : 0; }
  bool same(std::int32_t code, const char* text, std::size_t n) const noexcept {
    const auto at = static_cast<std::size_t>(code);
    return length(at) == n && std::memcmp(data(at), text, n) == 0;
  }
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
  void grow() {
    slots_.assign(slots_.size() * 4, Slot{0, -1});
    for (std::size_t code = 0; code < ends_.size(); ++code) {
      const std::uint64_t h = hash(data(code), length(code));
      std::size_t i = h & (slots_.size() - 1);
      while (slots_[i].code >= 0) i = (i + 1) & (slots_.size() - 1);
      slots_[i] = Slot{static_cast<std::uint32_t>(h >> 32), static_cast<std::int32_t>(code)};
    }
  }

  std::vector<Slot> slots_;
  std::vector<char> bytes_;
  std::vector<std::size_t> ends_;
  std::int32_t last_ = -1;
};

namespace detail {

// The decimals that every reader reads alike: digits with at most one point between them, no zero
// before others, and not more of them than a double keeps.
inline bool read_real(const char* p, const char* end, double& out) noexcept {
  const bool negative = p < end && *p == '-';
  p += negative;
  if (p == end || (*p == '0' && end - p > 1 && p[1] != '.')) return false;
  std::int64_t m = 0;
  int digits = 0, places = -1;
  for (; p < end; ++p) {
    if (*p == '.' && places < 0 && digits > 0) {
      places = 0;
      continue;
    }
    const auto d = static_cast<unsigned>(*p - '0');
    if (d > 9 || ++digits > 15) return false;
    m = m * 10 + d;
    places += places >= 0;
  }
  if (places == 0) return false;
  const double x = static_cast<double>(m) / power_of_ten(places < 0 ? 0 : places);
  out = negative ? -x : x;
  return true;
}

inline bool read_whole(const char* p, const char* end, std::int32_t& out) noexcept {
  const bool negative = p < end && *p == '-';
  p += negative;
  if (p == end || end - p > 10 || (*p == '0' && end - p > 1)) return false;
  std::int64_t m = 0;
  for (; p < end; ++p) {
    const auto d = static_cast<unsigned>(*p - '0');
    if (d > 9) return false;
    m = m * 10 + d;
  }
  if (m > 2147483647) return false;
  out = static_cast<std::int32_t>(negative ? -m : m);
  return true;
}

// `2025-12-31`, counted in days from 1970-01-01.
inline bool read_date(const char* p, const char* end, std::int32_t& out) noexcept {
  if (end - p != 10 || p[4] != '-' || p[7] != '-') return false;
  int part[3] = {0, 0, 0};
  for (int i = 0; i < 10; ++i) {
    if (i == 4 || i == 7) continue;
    const auto d = static_cast<unsigned>(p[i] - '0');
    if (d > 9) return false;
    int& to = part[i < 4 ? 0 : i < 7 ? 1 : 2];
    to = to * 10 + static_cast<int>(d);
  }
  const int y = part[0], m = part[1], d = part[2];
  static const int days[] = {31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31};
  if (y < 1 || m < 1 || m > 12 || d < 1) return false;
  const bool leap = (y % 4 == 0 && y % 100 != 0) || y % 400 == 0;
  if (d > days[m - 1] + (m == 2 && leap)) return false;
  // The inverse of what `period_of()` does: years from March, in eras of 400.
  const int years = y - (m <= 2), era = years / 400, yoe = years - era * 400;
  const int doy = (153 * (m + (m > 2 ? -3 : 9)) + 2) / 5 + d - 1;
  out = era * 146097 + yoe * 365 + yoe / 4 - yoe / 100 + doy - 719468;
  return true;
}

// One thread's part: its blocks, and the texts that it has met.
class BlockReader {
 public:
  explicit BlockReader(const Reading& r)
      : r_(r), file_(r.path, std::ios::binary), words_(r.fields.size()) {}

  std::vector<Words>& words() noexcept { return words_; }
  int odd_field() const noexcept { return odd_; }

  Read block(std::size_t at) {
    const Cut& cut = r_.cuts[at];
    const bool last = at + 1 == r_.cuts.size();
    const std::uint64_t end = last ? r_.size : r_.cuts[at + 1].offset, rows = last ? r_.rows : r_.cuts[at + 1].rows;
    const auto n = static_cast<std::size_t>(end - cut.offset);
    buffer_.resize(n + 1 + kSpan);  // whole spans are looked at
    if (!fetch(cut.offset, n)) return Read::changed;
    std::memset(buffer_.data() + n, '\n', 1 + kSpan);  // also the last line ends, and nothing is beyond
    quotes_ = std::memchr(buffer_.data(), '"', n) != nullptr;
    const char *p = buffer_.data(), *stop = p + n;
    for (std::uint64_t row = cut.rows; row < rows; ++row) {
      if (p >= stop) return Read::changed;
      odd_ = -1;
      p = line(p, stop, static_cast<std::size_t>(row));
      if (!p) return Read::other;
    }
    // Blanks without a line's end may follow the last one.
    for (; p < stop; ++p)
      if (*p != ' ' && *p != '\r') return Read::changed;
    return Read::done;
  }

 private:
  bool fetch(std::uint64_t from, std::size_t n) {
    file_.clear();
    file_.seekg(static_cast<std::streamoff>(from));
    file_.read(buffer_.data(), static_cast<std::streamsize>(n));
    return static_cast<std::size_t>(file_.gcount()) == n;
  }

  // One line; where the next one begins, or nothing where it is to be read by the general way.
  const char* line(const char* p, const char* stop, std::size_t row) {
    std::size_t column = 0;
    for (std::size_t f = 0; f < r_.fields.size(); ++f) {
      if (!quotes_ && column < r_.fields[f].column) {
        if (!(p = past_separators(p, stop, r_.fields[f].column - column))) return nullptr;
        column = r_.fields[f].column;
      }
      for (; column < r_.fields[f].column; ++column)
        if (!(p = past(p, stop, true))) return nullptr;
      const char *from, *to;
      bool quoted;
      p = cell(p, stop, from, to, quoted);
      ++column;
      if (!p || !keep(f, row, from, to, quoted)) return odd(f);
      if (column < r_.columns) {
        if (p >= stop || *p != r_.separator) return odd(f);
        ++p;
      }
    }
    for (; column < r_.columns; ++column) {
      if (!quotes_) {
        p = static_cast<const char*>(std::memchr(p, '\n', static_cast<std::size_t>(stop + 1 - p)));
        break;
      }
      if (!(p = past(p, stop, column + 1 < r_.columns))) return nullptr;
    }
    return *p == '\n' ? p + 1 : nullptr;
  }

  const char* odd(std::size_t field) noexcept {
    odd_ = static_cast<int>(field);
    return nullptr;
  }

  // Past a cell that is not wanted, and past its separator where one must follow.
  const char* past(const char* p, const char* stop, bool separated) const noexcept {
    const char *from, *to;
    bool quoted;
    p = cell(p, stop, from, to, quoted);
    if (!p || !separated) return p;
    return p < stop && *p == r_.separator ? p + 1 : nullptr;
  }

  bool is_blank(char c) const noexcept { return c == ' ' || (c == '\t' && r_.separator != '\t'); }

  // The bytes of a cell without quotes or the blanks around it, and where it ends.
  const char* cell(const char* p, const char* stop, const char*& from, const char*& to, bool& quoted) const noexcept {
    bool tab = false;
    for (; is_blank(*p); ++p) tab |= *p == '\t';
    from = p;
    quoted = *p == '"';
    if (quoted) {
      // A doubled quote, or one after a tab, is for the general way.
      if (tab) return nullptr;
      from = p + 1;
      to = static_cast<const char*>(std::memchr(from, '"', static_cast<std::size_t>(stop - from)));
      if (!to) return nullptr;
      for (p = to + 1; is_blank(*p) || *p == '\r'; ++p) {}
      return *p == r_.separator || *p == '\n' ? p : nullptr;
    }
    p = ending(p);
    to = p;
    if (*p == '\n' && to > from && to[-1] == '\r') --to;
    while (to > from && is_blank(to[-1])) --to;
    return p;
  }

  // Which of the next bytes are of the two: a bit for each.
#if defined(__SSE2__)
  static constexpr std::size_t kSpan = 16;
  static unsigned found(const char* p, char a, char b) noexcept {
    const __m128i x = _mm_loadu_si128(reinterpret_cast<const __m128i*>(p));
    return static_cast<unsigned>(_mm_movemask_epi8(_mm_or_si128(_mm_cmpeq_epi8(x, _mm_set1_epi8(a)), _mm_cmpeq_epi8(x, _mm_set1_epi8(b)))));
  }
#else
  static constexpr std::size_t kSpan = 8;
  static unsigned found(const char* p, char a, char b) noexcept {
    std::uint64_t x;
    std::memcpy(&x, p, 8);
    const std::uint64_t marks = equal_bytes(x, static_cast<unsigned char>(a)) | equal_bytes(x, static_cast<unsigned char>(b));
    return static_cast<unsigned>(((marks >> 7) * 0x0102040810204080ull) >> 56);
  }
#endif

  // The next separator or end of a line. There always is an end.
  const char* ending(const char* p) const noexcept {
    for (;; p += kSpan)
      if (const unsigned at = found(p, r_.separator, '\n')) return p + __builtin_ctz(at);
  }

  // Past `n` separators, where no quote is near; none where there are not so many.
  const char* past_separators(const char* p, const char* stop, std::size_t n) const noexcept {
    for (; p < stop; p += kSpan)
      for (unsigned at = found(p, r_.separator, r_.separator); at; at &= at - 1)
        if (--n == 0) return p + __builtin_ctz(at) + 1;
    return nullptr;
  }

  bool keep(std::size_t f, std::size_t row, const char* from, const char* to, bool quoted) {
    const Field& field = r_.fields[f];
    if (field.kind == Cell::text) {
      // A lone carriage return is no letter to some, a line's end to others.
      if (std::memchr(from, '\r', static_cast<std::size_t>(to - from))) return false;
      field.whole[row] = words_[f].code(from, static_cast<std::size_t>(to - from));
      return true;
    }
    if (quoted) return false;
    if (from == to) {
      if (field.kind == Cell::real) field.real[row] = missing_real();
      else field.whole[row] = kMissingWhole;
      return true;
    }
    switch (field.kind) {
      case Cell::real: return read_real(from, to, field.real[row]);
      case Cell::date: return read_date(from, to, field.whole[row]);
      default: return read_whole(from, to, field.whole[row]);
    }
  }

  static double missing_real() noexcept {
    double x;
    std::memcpy(&x, &kMissingReal, sizeof x);
    return x;
  }

  const Reading& r_;
  std::ifstream file_;
  std::vector<Words> words_;
  std::vector<char> buffer_;
  bool quotes_ = false;
  int odd_ = -1;
};

}  // namespace detail

// What was read: codes of texts are those of the one list of each field.
struct ReadResult {
  Read outcome = Read::done;
  int field = -1;  // where something is written in another way; -1 where it is the line
  std::vector<std::unique_ptr<detail::BlockReader>> readers;
  std::vector<int> reader_of;  // of each block
};

inline ReadResult read_fields(const Reading& r) {
  ReadResult out;
  out.reader_of.assign(r.cuts.size(), -1);
  const int threads = std::max(1, std::min(r.threads, static_cast<int>(std::min<std::size_t>(r.cuts.size(), 64))));
  for (int t = 0; t < threads; ++t) out.readers.emplace_back(new detail::BlockReader(r));
  std::atomic<std::size_t> next{0};
  std::atomic<int> end{static_cast<int>(Read::done)};
  std::atomic<int> field{-1};
  run_with_threads(threads, [&](int t) {
    detail::BlockReader& reader = *out.readers[static_cast<std::size_t>(t)];
    for (std::size_t at = next++; at < r.cuts.size() && end == 0; at = next++) {
      Read outcome = Read::done;
      try {
        if (t == 0 && r.stop && r.stop(r.stop_with, static_cast<double>(at) / static_cast<double>(r.cuts.size())))
          outcome = Read::stopped;
        else
          outcome = reader.block(at);
      } catch (...) {
        outcome = Read::no_memory;
      }
      out.reader_of[at] = t;
      if (outcome == Read::other && reader.odd_field() >= 0) field = reader.odd_field();
      if (outcome != Read::done) end = static_cast<int>(outcome);
    }
  });
  out.outcome = static_cast<Read>(end.load());
  out.field = field;
  return out;
}

}  // namespace eggcrate
