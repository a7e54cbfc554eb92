// From the bytes of checked files to columns: texts, each kept once, whole numbers, decimal numbers,
// dates. What is written in another way than these is not guessed at: the answer says in which
// column it stands, and the caller reads the files by its general way.
//
// Files are read block by block, never mapped, so that a file that is cut meanwhile is told of.
#pragma once

#include <algorithm>
#include <atomic>
#include <cstring>
#include <fstream>
#include <functional>
#include <memory>
#include <string>
#include <vector>

#include "decimal.hpp"
#include "scan.hpp"
#include "spans.hpp"
#include "supply.hpp"
#include "texts.hpp"
#include "threads.hpp"

namespace eggcrate {

// The bytes of a file, from wherever they come.
class FileBytes {
 public:
  virtual ~FileBytes() = default;
  // So many from a place on; false where they are not there.
  virtual bool read(std::uint64_t from, char* to, std::size_t n) = 0;
};

class PlainBytes final : public FileBytes {
 public:
  explicit PlainBytes(const std::string& path) : in_(path, std::ios::binary) {}
  bool read(std::uint64_t from, char* to, std::size_t n) override {
    in_.clear();
    in_.seekg(static_cast<std::streamoff>(from));
    in_.read(to, static_cast<std::streamsize>(n));
    return static_cast<std::size_t>(in_.gcount()) == n;
  }

 private:
  std::ifstream in_;
};

enum class Cell : int { text = 0, whole = 1, real = 2, date = 3 };

// A column of a file, and which of the wanted ones it is.
struct Field {
  std::size_t column = 0, wanted = 0;
};

struct CheckedFile {
  std::string path;
  std::function<std::unique_ptr<FileBytes>()> packed;  // how to open it; none: as it lies there
  char separator = ',';
  std::size_t columns = 0;
  std::vector<Field> fields;  // by column
  std::vector<Cut> cuts;      // where lines begin, and how many rows are before
  std::uint64_t size = 0, rows = 0;
};

// One table of files, one after the other; of `texts` there is one for each wanted column, used
// where it is of that kind.
struct Reading {
  std::vector<CheckedFile> files;
  std::vector<Cell> kinds;
  std::vector<std::unique_ptr<Texts>>* texts = nullptr;
  int threads = 1;
};

// Where the cells of a wanted column go: texts as handles, or where there is no room for those as
// their numbers.
struct Place {
  std::int32_t* whole = nullptr;
  double* real = nullptr;
  std::uint64_t* text = nullptr;
};

enum class Read : int { done = 0, other = 1, changed = 2, stopped = 3, no_memory = 4 };

namespace detail {

// Which of eight bytes, the first the lowest, is the first point; 8: none.
inline int place_of_point(std::uint64_t x) noexcept {
  x ^= 0x2E2E2E2E2E2E2E2Eull;
  const std::uint64_t zeros = (x - 0x0101010101010101ull) & ~x & 0x8080808080808080ull;
  return zeros ? __builtin_ctzll(zeros) / 8 : 8;
}

// The decimals that every reader reads alike: digits with at most one point between them, no zero
// before others, and not more of them than a double keeps. Eight bytes from `p` on must be there.
inline bool read_real(const char* p, const char* end, double& out) noexcept {
  const bool negative = p < end && *p == '-';
  p += negative;
  if (p == end || (*p == '0' && end - p > 1 && p[1] != '.')) return false;
  std::int64_t m = 0;
  int places = 0;
  if (end - p <= 8) {
    const auto n = static_cast<int>(end - p);
    // The digits come to the end, the point is taken out from among them, and zeros stand before.
    std::uint64_t x = eight_bytes(p) << 8 * (8 - n);
    const int point = place_of_point(x);
    int digits = n;
    if (point < 8) {
      places = 7 - point;
      if (places == 0 || places == n - 1) return false;
      const std::uint64_t behind = places == 7 ? 0 : ~std::uint64_t(0) << 8 * (8 - places);
      x = (x & behind) | ((x << 8) & ~behind);
      --digits;
    }
    if (digits < 8) x = (x & ~std::uint64_t(0) << 8 * (8 - digits)) | (0x3030303030303030ull >> 8 * digits);
    m = eight_digits(x);
    if (m < 0) return false;
  } else {
    int digits = 0;
    places = -1;
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
    places = std::max(places, 0);
  }
  const double x = static_cast<double>(m) / power_of_ten(places);
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

// The digits of `2025-12-31` as one number, 20251231; -1 where it is not written so.
inline std::int32_t date_digits(const char* p, const char* end) noexcept {
  if (end - p != 10 || p[4] != '-' || p[7] != '-') return -1;
  const std::uint64_t behind = eight_bytes(p + 2);
  return static_cast<std::int32_t>(eight_digits((eight_bytes(p) & 0xFFFFFFFFull) | (behind >> 24 & 0xFFFFull) << 32 | behind >> 48 << 48));
}

// The day of such a number, counted from 1970-01-01. False where there is no such day.
inline bool day_of(std::int32_t digits, std::int32_t& out) noexcept {
  const int y = digits / 10000, m = digits / 100 % 100, d = digits % 100;
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

struct Dated {
  std::int32_t digits = -1, day = 0;
};
constexpr std::size_t kDates = 2048;

// The stretch between two cuts of a file.
struct Block {
  const CheckedFile* file = nullptr;
  std::uint64_t from = 0, to = 0;       // bytes
  std::size_t rows = 0, before = 0;     // `before`: rows of all files
};

inline std::vector<Block> blocks_of(const Reading& r) {
  std::vector<Block> out;
  std::size_t before = 0;
  for (const CheckedFile& f : r.files) {
    for (std::size_t i = 0; i < f.cuts.size(); ++i) {
      const bool last = i + 1 == f.cuts.size();
      const std::uint64_t rows = last ? f.rows : f.cuts[i + 1].rows;
      out.push_back(Block{&f, f.cuts[i].offset, last ? f.size : f.cuts[i + 1].offset,
                          static_cast<std::size_t>(rows - f.cuts[i].rows), before + static_cast<std::size_t>(f.cuts[i].rows)});
    }
    before += static_cast<std::size_t>(f.rows);
  }
  return out;
}

// One thread's part: a block at a time, and the texts that it has met.
class BlockReader {
 public:
  explicit BlockReader(const Reading& r) : kinds_(r.kinds), cells_(r.kinds.size()), dated_(kDates) {
    for (std::size_t i = 0; i < kinds_.size(); ++i) met_.emplace_back((*r.texts)[i].get());
  }

  int odd_column() const noexcept { return odd_; }  // of those wanted; -1: it is the line
  std::size_t left() const noexcept { return left_; }

  Read open(const Block& b) {
    if (file_ != b.file) {
      file_ = b.file;
      bytes_ = file_->packed ? file_->packed() : std::unique_ptr<FileBytes>(new PlainBytes(file_->path));
    }
    separator_ = b.file->separator;
    fields_ = &b.file->fields;
    columns_ = b.file->columns;
    const auto n = static_cast<std::size_t>(b.to - b.from);
    buffer_.resize(n + 1 + kWideSpan);  // whole spans are looked at
    if (!bytes_->read(b.from, buffer_.data(), n)) return Read::changed;
    std::memset(buffer_.data() + n, '\n', 1 + kWideSpan);  // also the last line ends, and nothing is beyond
    quotes_ = std::memchr(buffer_.data(), '"', n) != nullptr;
    p_ = span_ = buffer_.data();
    stop_ = p_ + n;
    marks_ = marks_of_64(span_, separator_, '\n');
    left_ = b.rows;
    return Read::done;
  }

  // The next `n` rows of the block, by and by: while their bytes are near at hand, their texts are found.
  Read rows(std::size_t n, const std::vector<Place>& to) {
    for (std::size_t from = 0; from < n; from += kChunk) {
      const std::size_t end = std::min(n, from + kChunk);
      for (std::vector<Bytes>& cells : cells_) cells.clear();
      for (std::size_t row = from; row < end; ++row) {
        if (p_ >= stop_) return Read::changed;
        odd_ = -1;
        p_ = line(p_, row, to);
        if (!p_) return Read::other;
      }
      if (!find_texts(from, to)) return Read::other;
    }
    left_ -= n;
    // Blanks without a line's end may follow the last one.
    for (; left_ == 0 && p_ < stop_; ++p_)
      if (*p_ != ' ' && *p_ != '\r') return Read::changed;
    return Read::done;
  }

 private:
  bool find_texts(std::size_t from, const std::vector<Place>& to) {
    for (std::size_t at = 0; at < cells_.size(); ++at) {
      if (cells_[at].empty()) continue;
      odd_ = static_cast<int>(at);
      if (!met_[at].find(cells_[at], found_)) return false;
      for (std::size_t i = 0; i < found_.size(); ++i) {
        if (to[at].text) to[at].text[from + i] = found_[i]->handle();
        else to[at].whole[from + i] = found_[i]->number;
      }
    }
    return true;
  }

  // One line; where the next one begins, or nothing where it is to be read by the general way.
  const char* line(const char* p, std::size_t row, const std::vector<Place>& places) {
    const std::vector<Field>& fields = *fields_;
    std::size_t column = 0;  // those that are behind
    Bytes bytes{p, 0};
    bool quoted = false;
    for (std::size_t f = 0; f < fields.size(); ++f) {
      const std::size_t wanted = fields[f].wanted;
      // A column may be wanted as its values and as its text.
      if (column <= fields[f].column) {
        for (; column < fields[f].column; ++column)
          if (!(p = past(p))) return nullptr;
        const char* end = quotes_ ? cell(p, bytes, quoted) : plain_cell(p, bytes);
        if (!end || !separated(end, column)) return odd(wanted);
        ++column;
        p = end + 1;
      }
      if (!keep(wanted, row, places, bytes.data, bytes.data + bytes.length, quoted)) return odd(wanted);
    }
    if (column == columns_) return p;
    if (!quotes_) return line_end() + 1;
    for (; column + 1 < columns_; ++column)
      if (!(p = past(p))) return nullptr;
    p = cell(p, bytes, quoted);
    return p && *p == '\n' ? p + 1 : nullptr;
  }

  // Does a cell end as one must of which so many are before it?
  bool separated(const char* end, std::size_t column) const noexcept {
    return *end == (column + 1 < columns_ ? separator_ : '\n');
  }

  // Past a cell that is not wanted and has others behind it, and past its separator.
  const char* past(const char* p) noexcept {
    Bytes bytes;
    bool quoted;
    p = quotes_ ? cell(p, bytes, quoted) : next_mark();
    return p && *p == separator_ ? p + 1 : nullptr;
  }

  const char* odd(std::size_t wanted) noexcept {
    odd_ = static_cast<int>(wanted);
    return nullptr;
  }

  bool is_blank(char c) const noexcept { return c == ' ' || (c == '\t' && separator_ != '\t'); }

  // The bytes of a cell without quotes or the blanks around it, and where it ends.
  const char* cell(const char* p, Bytes& out, bool& quoted) const noexcept {
    const char* from = p;
    while (is_blank(*p)) ++p;
    quoted = *p == '"';
    if (!quoted) {
      const char* end = ending(p);
      out = without_blanks(p, end);
      return end;
    }
    // A doubled quote, or one after a tab, is for the general way.
    if (std::memchr(from, '\t', static_cast<std::size_t>(p - from))) return nullptr;
    from = p + 1;
    const auto* to = static_cast<const char*>(std::memchr(from, '"', static_cast<std::size_t>(stop_ - from)));
    if (!to) return nullptr;
    out = Bytes{from, static_cast<std::size_t>(to - from)};
    for (p = to + 1; is_blank(*p) || *p == '\r'; ++p) {}
    return *p == separator_ || *p == '\n' ? p : nullptr;
  }

  // The same where there are no quotes.
  const char* plain_cell(const char* p, Bytes& out) noexcept {
    const char* end = next_mark();
    out = without_blanks(p, end);
    return end;
  }

  Bytes without_blanks(const char* from, const char* end) const noexcept {
    const char* to = end;
    while (from < to && is_blank(*from)) ++from;
    if (*end == '\n' && to > from && to[-1] == '\r') --to;
    while (to > from && is_blank(to[-1])) --to;
    return Bytes{from, static_cast<std::size_t>(to - from)};
  }

  // The next separator or end of a line. There always is an end.
  const char* ending(const char* p) const noexcept {
    for (;; p += kSpan)
      if (const unsigned at = Span(p).either(separator_, '\n')) return p + first_bit(at);
  }

  // The same from where the last one was, through a block without quotes.
  const char* next_mark() noexcept {
    while (!(marks_.a | marks_.b)) marks_ = marks_of_64(span_ += kWideSpan, separator_, '\n');
    const std::uint64_t all = marks_.a | marks_.b, behind = all & (all - 1);
    marks_.a &= behind;
    marks_.b &= behind;
    return span_ + __builtin_ctzll(all);
  }

  // The end of the line, over all separators before it.
  const char* line_end() noexcept {
    while (!marks_.b) marks_ = marks_of_64(span_ += kWideSpan, separator_, '\n');
    const std::uint64_t first = marks_.b & (~marks_.b + 1);
    marks_.a &= ~(first | (first - 1));
    marks_.b &= ~first;
    return span_ + __builtin_ctzll(first);
  }

  bool keep(std::size_t at, std::size_t row, const std::vector<Place>& places, const char* from, const char* to, bool quoted) {
    const Place& place = places[at];
    if (kinds_[at] == Cell::text) {
      cells_[at].push_back(Bytes{from, static_cast<std::size_t>(to - from)});
      return true;
    }
    if (quoted) return false;
    if (from == to) {
      if (kinds_[at] == Cell::real) place.real[row] = missing_real();
      else place.whole[row] = kMissingWhole;
      return true;
    }
    switch (kinds_[at]) {
      case Cell::real: return read_real(from, to, place.real[row]);
      case Cell::date: return read_date(from, to, place.whole[row]);
      default: return read_whole(from, to, place.whole[row]);
    }
  }

  // Days are few where rows are many.
  bool read_date(const char* from, const char* to, std::int32_t& out) noexcept {
    const std::int32_t digits = date_digits(from, to);
    if (digits < 0) return false;
    Dated& known = dated_[static_cast<std::size_t>(digits) % kDates];
    if (known.digits != digits) {
      if (!day_of(digits, out)) return false;
      known = Dated{digits, out};
    }
    out = known.day;
    return true;
  }

  const std::vector<Cell>& kinds_;
  std::vector<MetTexts> met_;
  std::vector<std::vector<Bytes>> cells_;  // of columns of texts, those that are to be found
  std::vector<const Text*> found_;
  const CheckedFile* file_ = nullptr;
  std::unique_ptr<FileBytes> bytes_;
  std::vector<char> buffer_;
  const std::vector<Field>* fields_ = nullptr;
  char separator_ = ',';
  std::size_t columns_ = 0, left_ = 0;
  const char *p_ = nullptr, *stop_ = nullptr;
  const char* span_ = nullptr;  // of a block without quotes: where is looked, and
  Marks marks_;                 // which separators and ends are still to come of it
  std::vector<Dated> dated_;    // dates that were met, by their digits
  bool quotes_ = false;
  int odd_ = -1;
};

// The blocks of a reading, which threads take in turn, and what has come of them.
class BlockQueue {
 public:
  explicit BlockQueue(const Reading& r) : blocks_(blocks_of(r)) {}

  std::size_t size() const noexcept { return blocks_.size(); }
  const Block* take() noexcept {
    const std::size_t at = next_++;
    return at < blocks_.size() && outcome() == Read::done ? &blocks_[at] : nullptr;
  }
  double part() const noexcept { return std::min(1.0, static_cast<double>(next_) / static_cast<double>(std::max<std::size_t>(1, size()))); }
  void again() noexcept { next_ = 0; }
  void fail(Read outcome, int odd_column = -1) noexcept {
    if (outcome == Read::other) odd_ = odd_column;
    outcome_ = static_cast<int>(outcome);
  }
  Read outcome() const noexcept { return static_cast<Read>(outcome_.load()); }
  int odd_column() const noexcept { return odd_; }

 private:
  std::vector<Block> blocks_;
  std::atomic<std::size_t> next_{0};
  std::atomic<int> outcome_{static_cast<int>(Read::done)}, odd_{-1};
};

}  // namespace detail

struct ReadResult {
  Read outcome = Read::done;
  int odd_column = -1;  // which wanted one has something that is written in another way; -1: the line
};

// All rows into columns that have room for them.
inline ReadResult read_fields(const Reading& r, const std::vector<Place>& to, Poll poll = Poll()) {
  detail::BlockQueue queue(r);
  const auto threads = static_cast<int>(std::min<std::size_t>(static_cast<std::size_t>(std::max(1, r.threads)), queue.size()));
  run_with_threads(threads, [&](int t) {
    try {
      detail::BlockReader reader(r);
      std::vector<Place> here(to.size());
      while (const detail::Block* b = queue.take()) {
        if (t == 0 && poll.stops(queue.part())) return queue.fail(Read::stopped);
        for (std::size_t i = 0; i < to.size(); ++i) {
          if (to[i].whole) here[i].whole = to[i].whole + b->before;
          if (to[i].real) here[i].real = to[i].real + b->before;
        }
        Read outcome = reader.open(*b);
        if (outcome == Read::done) outcome = reader.rows(b->rows, here);
        if (outcome != Read::done) return queue.fail(outcome, reader.odd_column());
      }
    } catch (...) {
      queue.fail(Read::no_memory);
    }
  });
  return ReadResult{queue.outcome(), queue.odd_column()};
}

// The rows as they come, for a tally: the memory is that of a block and a stretch for each thread.
class FromFiles final : public Supply {
 public:
  static constexpr std::size_t kRows = 4 * kChunk;  // of few columns all stay in the second-level cache

  explicit FromFiles(const Reading& r) : r_(r), queue_(r) {}

  ReadResult result() const { return ReadResult{queue_.outcome(), queue_.odd_column()}; }
  std::size_t rows() const override {
    std::size_t n = 0;
    for (const CheckedFile& f : r_.files) n += static_cast<std::size_t>(f.rows);
    return n;
  }
  int threads() const override { return static_cast<int>(std::min<std::size_t>(static_cast<std::size_t>(r_.threads), queue_.size())); }
  void begin(int threads) override {
    queue_.again();
    while (hands_.size() < static_cast<std::size_t>(threads)) hands_.emplace_back(new Hand(r_));
    for (auto& hand : hands_) hand->block = nullptr;
  }
  const Column* columns(int thread) const override { return hands_[static_cast<std::size_t>(thread)]->columns.data(); }
  bool failed() const override { return queue_.outcome() != Read::done; }

  bool next(int thread, Stretch& out) override {
    Hand& hand = *hands_[static_cast<std::size_t>(thread)];
    Read outcome = Read::done;
    while (!hand.block || hand.reader.left() == 0) {
      out.part = queue_.part();
      if (!(hand.block = queue_.take())) return false;
      hand.row = hand.block->before;
      if ((outcome = hand.reader.open(*hand.block)) != Read::done) break;
    }
    const std::size_t n = std::min(kRows, hand.reader.left());
    if (outcome == Read::done) outcome = hand.reader.rows(n, hand.places);
    if (outcome != Read::done) {
      queue_.fail(outcome, hand.reader.odd_column());
      return false;
    }
    out.from = 0;
    out.to = n;
    out.before = hand.row;
    hand.row += n;
    return true;
  }

 private:
  // One thread's reader, and the columns of its stretch.
  struct Hand {
    explicit Hand(const Reading& r) : reader(r), whole(r.kinds.size()), real(r.kinds.size()), text(r.kinds.size()) {
      for (std::size_t i = 0; i < r.kinds.size(); ++i) {
        Place place;
        Column column;
        switch (r.kinds[i]) {
          case Cell::text: text[i].resize(kRows); column = Column{Kind::text, place.text = text[i].data()}; break;
          case Cell::real: real[i].resize(kRows); column = Column{Kind::real, place.real = real[i].data()}; break;
          default: whole[i].resize(kRows); column = Column{Kind::whole, place.whole = whole[i].data()}; break;
        }
        places.push_back(place);
        columns.push_back(column);
      }
    }
    detail::BlockReader reader;
    const detail::Block* block = nullptr;
    std::size_t row = 0;
    std::vector<std::vector<std::int32_t>> whole;
    std::vector<std::vector<double>> real;
    std::vector<std::vector<std::uint64_t>> text;
    std::vector<Place> places;
    std::vector<Column> columns;
  };

  const Reading& r_;
  detail::BlockQueue queue_;
  std::vector<std::unique_ptr<Hand>> hands_;
};

}  // namespace eggcrate
