// Checks a delimited text before it is read: is every row whole?
//
// Readers are made to be lenient. This says which row has too few or too many
// fields, an unclosed quote, a NUL or bytes that are no UTF-8, and how many
// cells are blank or have blanks around them. It keeps nothing but the header.
#pragma once

#include <cstring>
#include <string>
#include <vector>

#include "spans.hpp"

namespace eggcrate {

enum class Flaw : int { none = 0, fields = 1, quote = 2, nul = 3, utf8 = 4, after_quote = 5, header = 6 };

// A first line longer than this is no header.
constexpr std::size_t kHeaderLimit = std::size_t(1) << 20;

// Where a line begins, and how many rows of data are before it: at such places a file can be
// parted, for no quote is open there.
struct Cut {
  std::uint64_t offset = 0, rows = 0;
};

struct Scan {
  char separator = ',';
  std::vector<std::string> header;
  std::vector<std::uint64_t> padded;  // per column: cells with blanks around them
  std::vector<std::uint64_t> blank;   // per column: cells with nothing in them
  std::vector<std::uint64_t> padded_row, blank_row;  // the first row of each, 0: none
  std::uint64_t rows = 0;             // data rows, without the header
  std::uint64_t blank_lines = 0;
  bool doubled_quotes = false;
  Flaw flaw = Flaw::none;
  std::uint64_t flaw_row = 0;         // counted with the header as row 1
  std::uint64_t flaw_fields = 0;
  std::vector<Cut> cuts;
};

class Scanner {
 public:
  // separator 0: the commonest of , ; tab | in the header
  Scanner(char separator, bool check_utf8, std::size_t cut_every = std::size_t(1) << 22)
      : check_utf8_(check_utf8), guess_(separator == 0), cut_every_(cut_every) {
    if (separator) out_.separator = separator;
  }

  void feed(const char* data, std::size_t n) {
    if (header_done_) {
      for (std::size_t i = 0; i < n && out_.flaw == Flaw::none;) {
        if (line_start_ && at_ >= next_cut_) cut();
        const std::size_t done = line_start_ ? plain_line(data + i, n - i) : 0;
        at_ += done ? done : 1;
        if (done == 0) {
          const auto c = static_cast<unsigned char>(data[i]);
          take(c);
          line_start_ = c == '\n' && state_ == State::start;
        }
        i += done ? done : 1;
      }
      return;
    }
    for (std::size_t i = 0; i < n; ++i) {
      ++at_;
      if (!first_line_done(static_cast<unsigned char>(data[i]))) {
        if (out_.flaw != Flaw::none) return;
        continue;
      }
      begin();
      feed(data + i + 1, n - i - 1);
      return;
    }
  }

  bool in_rows() const noexcept { return header_done_; }

  // For the lines from `offset` on, which another one looks through meanwhile; rows count from 0.
  Scanner part(std::uint64_t offset) const {
    Scanner s(out_.separator, check_utf8_, cut_every_);
    s.out_.header = out_.header;
    s.header_done_ = s.line_start_ = true;
    s.at_ = s.next_cut_ = offset;
    s.row_ = 0;
    s.clear_counts(out_.header.size());
    return s;
  }

  // Takes what the next part has found. False where this one does not end where a line does: then
  // the other began within a quote, and what it found means nothing.
  bool append(const Scanner& next) {
    if (spoilt() || !line_start_) return false;
    const std::uint64_t before = row_;
    Scan all = out_;
    const Scan& b = next.out_;
    for (std::size_t i = 0; i < all.header.size(); ++i) {
      join(all.padded[i], all.padded_row[i], b.padded[i], b.padded_row[i] + before);
      join(all.blank[i], all.blank_row[i], b.blank[i], b.blank_row[i] + before);
    }
    for (const Cut& cut : b.cuts) all.cuts.push_back(Cut{cut.offset, cut.rows + all.rows});
    all.rows += b.rows;
    all.blank_lines += b.blank_lines;
    all.doubled_quotes |= b.doubled_quotes;
    all.flaw_fields = b.flaw_fields;
    // It goes on from where the next part stands.
    *this = next;
    out_ = all;
    row_ += before;
    open_row_ += before;
    if (b.flaw != Flaw::none) spoil(b.flaw, b.flaw_row + before);
    return true;
  }

  // Those that are known so far.
  const std::vector<Cut>& cuts() const noexcept { return out_.cuts; }

  // What follows a flaw need not be looked at.
  bool spoilt() const noexcept { return out_.flaw != Flaw::none; }

  const Scan& finish() {
    if (!header_done_ && !spoilt()) begin();
    if (out_.flaw != Flaw::none) return out_;
    if (state_ == State::quoted) return spoil(Flaw::quote, open_row_);
    if (utf8_left_ > 0) return spoil(Flaw::utf8, row_);
    if (started_) end_row();
    return out_;
  }

 private:
  enum class State { start, plain, quoted, closing };

  void cut() {
    out_.cuts.push_back(Cut{at_, out_.rows});
    next_cut_ = at_ + cut_every_;
  }

  // Collects the first line that is not blank, quotes and all.
  bool first_line_done(unsigned char c) {
    if (c == '"') head_quoted_ = !head_quoted_;
    if (c != '\n' || head_quoted_) {
      if (c == 0) spoil(Flaw::nul, row_);
      else if (head_.size() >= kHeaderLimit) spoil(Flaw::header, row_);
      head_.push_back(static_cast<char>(c));
      return false;
    }
    drop_mark();
    if (head_.find_first_not_of(" \t\r") == std::string::npos) {
      head_.clear();
      return false;
    }
    head_.push_back('\n');
    return true;
  }

  // The byte order mark at the start of a file.
  void drop_mark() {
    if (head_.compare(0, 3, "\xEF\xBB\xBF") == 0) head_.erase(0, 3);
  }

  void begin() {
    header_done_ = true;
    drop_mark();
    if (guess_) out_.separator = commonest(head_);
    in_header_ = true;
    for (const char c : head_)
      if (out_.flaw == Flaw::none) take(static_cast<unsigned char>(c));
    if (out_.flaw == Flaw::none && started_ && state_ != State::quoted) end_row();
    line_start_ = state_ == State::start;
  }

  static char commonest(const std::string& line) {
    char best = ',';
    std::size_t most = 0;
    for (const char c : {',', ';', '\t', '|'}) {
      std::size_t n = 0;
      bool quoted = false;
      for (const char x : line) {
        if (x == '"') quoted = !quoted;
        n += x == c && !quoted;
      }
      if (n > most) {
        most = n;
        best = c;
      }
    }
    return best;
  }

  // The quick way for a whole line with nothing odd in it: no quote, no letter beyond ASCII, no
  // blank or empty cell end. 0: not such a line, or not all of it is here; else its length.
  std::size_t plain_line(const char* data, std::size_t n) {
    const char separator = out_.separator;
    unsigned after_end = 1, after_blank = 0;  // of the byte before: the line's start ends a cell
    int separators = 0;
    for (std::size_t at = 0; at + kSpan <= n; at += kSpan) {
      const Span x(data + at);
      unsigned ends = x.equal(separator), blanks = x.equal(' ');
      const unsigned odd = (x.unusual() & ~ends) | x.equal('"');
      if (odd) {  // there the line ends, or this is none for here
        const unsigned mine = (1u << first_bit(odd)) - 1;
        ends &= mine;
        blanks &= mine;
      }
      const unsigned ended = ends << 1 | after_end;
      if ((ends & ended) | (blanks & ended) | (ends & (blanks << 1 | after_blank))) return 0;
      separators += count_bits(ends);
      if (odd) return line_end(data, at + first_bit(odd), n, separators);
      after_end = ends >> (kSpan - 1);
      after_blank = blanks >> (kSpan - 1);
    }
    return 0;
  }

  std::size_t line_end(const char* data, std::size_t length, std::size_t n, int separators) {
    const std::size_t newline = length + (data[length] == '\r');
    if (length == 0 || newline >= n || data[newline] != '\n') return 0;
    const char last = data[length - 1];
    if (last == out_.separator || last == ' ') return 0;
    if (static_cast<std::size_t>(separators) + 1 != out_.header.size()) return 0;
    ++out_.rows;
    ++row_;
    return newline + 1;
  }

  void take(unsigned char c) {
    if (c >= 0x80 || utf8_left_ > 0) {
      if (check_utf8_ && !utf8(c)) { spoil(Flaw::utf8, row_); return; }
    } else if (c == 0) {
      spoil(Flaw::nul, row_);
      return;
    }
    if (in_header_ && c != '\n' && c != '\r') header_byte(c);
    switch (state_) {
      case State::quoted:
        if (c == '"') state_ = State::closing;
        else content(c);
        return;
      case State::closing:
        if (c == '"') {  // a doubled quote stands for one
          out_.doubled_quotes = true;
          if (in_header_) name_.push_back('"');
          content(c);
          state_ = State::quoted;
          return;
        }
        if (c == static_cast<unsigned char>(out_.separator)) { end_field(); return; }
        if (c == '\n') { end_row(); return; }
        if (c == ' ' || c == '\t' || c == '\r') return;
        spoil(Flaw::after_quote, row_);
        return;
      default: break;
    }
    if (c == static_cast<unsigned char>(out_.separator)) {
      started_ = true;
      end_field();
    } else if (c == '\n') {
      if (started_) end_row();
      else if (!in_header_) ++out_.blank_lines, reset_field();
      else reset_field();
    } else if (c == '"' && state_ == State::start) {
      state_ = State::quoted;
      started_ = true;
      open_row_ = row_;
    } else if (c != '\r') {
      // A quote after a tab is one of the text, and a line of tabs is no blank one: so the reader
      // takes them.
      if (c != ' ') {
        started_ = true;
        state_ = State::plain;
      }
      content(c);
    }
  }

  void header_byte(unsigned char c) {
    const bool quoted = state_ == State::quoted;
    if (c == '"' && (quoted || state_ == State::start || state_ == State::closing)) return;
    if (c == static_cast<unsigned char>(out_.separator) && !quoted) return;
    name_.push_back(static_cast<char>(c));
  }

  // Blanks at the ends of a cell, and whether there is anything between them.
  void content(unsigned char c) {
    const bool blank = c == ' ' || c == '\t';
    if (blank && !seen_) leading_ = true;
    if (!blank) seen_ = true;
    last_blank_ = blank;
  }

  void end_field() {
    if (in_header_) {
      out_.header.push_back(trimmed(name_));
      name_.clear();
    } else if (field_ < out_.padded.size()) {
      if (!seen_) note(out_.blank[field_], out_.blank_row[field_]);
      else if (leading_ || last_blank_) note(out_.padded[field_], out_.padded_row[field_]);
    }
    ++field_;
    reset_field();
  }

  void note(std::uint64_t& count, std::uint64_t& first) noexcept {
    if (count++ == 0) first = row_;
  }

  static void join(std::uint64_t& count, std::uint64_t& first, std::uint64_t more, std::uint64_t more_first) noexcept {
    if (count == 0 && more > 0) first = more_first;
    count += more;
  }

  void clear_counts(std::size_t columns) {
    out_.padded.assign(columns, 0);
    out_.blank.assign(columns, 0);
    out_.padded_row.assign(columns, 0);
    out_.blank_row.assign(columns, 0);
  }

  void reset_field() {
    state_ = State::start;
    seen_ = leading_ = last_blank_ = false;
  }

  void end_row() {
    end_field();
    if (in_header_) {
      in_header_ = false;
      clear_counts(field_);
    } else if (field_ != out_.header.size()) {
      out_.flaw_fields = field_;
      spoil(Flaw::fields, row_);
      return;
    } else {
      ++out_.rows;
    }
    ++row_;
    field_ = 0;
    started_ = false;
  }

  static std::string trimmed(const std::string& s) {
    const std::size_t a = s.find_first_not_of(" \t"), b = s.find_last_not_of(" \t");
    return a == std::string::npos ? std::string() : s.substr(a, b - a + 1);
  }

  const Scan& spoil(Flaw flaw, std::uint64_t row) {
    out_.flaw = flaw;
    out_.flaw_row = row;
    return out_;
  }

  // One byte of UTF-8: no overlong forms, no surrogates, nothing above U+10FFFF.
  bool utf8(unsigned char c) {
    if (utf8_left_ == 0) {
      low_ = 0x80;
      high_ = 0xBF;
      if (c >= 0xC2 && c <= 0xDF) utf8_left_ = 1;
      else if (c >= 0xE0 && c <= 0xEF) {
        utf8_left_ = 2;
        if (c == 0xE0) low_ = 0xA0;
        if (c == 0xED) high_ = 0x9F;
      } else if (c >= 0xF0 && c <= 0xF4) {
        utf8_left_ = 3;
        if (c == 0xF0) low_ = 0x90;
        if (c == 0xF4) high_ = 0x8F;
      } else {
        return false;
      }
      return true;
    }
    if (c < low_ || c > high_) return false;
    low_ = 0x80;
    high_ = 0xBF;
    --utf8_left_;
    return true;
  }

  Scan out_;
  bool check_utf8_, guess_;
  std::size_t cut_every_;
  bool header_done_ = false, line_start_ = false, in_header_ = false, head_quoted_ = false;
  std::string head_, name_;
  State state_ = State::start;
  bool started_ = false, seen_ = false, leading_ = false, last_blank_ = false;
  std::size_t field_ = 0;
  std::uint64_t row_ = 1, open_row_ = 1;
  std::uint64_t at_ = 0, next_cut_ = 0;  // bytes before the one that comes
  int utf8_left_ = 0;
  unsigned char low_ = 0x80, high_ = 0xBF;
};

}  // namespace eggcrate
