// Looks through the XML of a workbook before a reader is let at it: how deep its tags lie, and
// where its rows and cells say that they are. It keeps no text.
#pragma once

#include <cstring>
#include <string>

#include "base.hpp"

namespace eggcrate {

enum class SheetFlaw : int { none = 0, deep = 1, row = 2, cell = 3, doctype = 4 };

// What a sheet of this format may have (ECMA-376).
constexpr std::int64_t kSheetRows = 1048576, kSheetColumns = 16384;
// No part of a workbook nests further than a few.
constexpr int kSheetDepth = 64;

class SheetScanner {
 public:
  void feed(const char* data, std::size_t n) {
    for (std::size_t i = 0; i < n && flaw_ == SheetFlaw::none; ++i) take(data[i]);
  }
  SheetFlaw flaw() const noexcept { return flaw_; }
  const std::string& where() const noexcept { return where_; }
  std::int64_t rows() const noexcept { return rows_; }
  std::int64_t columns() const noexcept { return columns_; }

 private:
  enum class State { text, tag, quoted, aside };

  void take(char c) {
    switch (state_) {
      case State::text:
        if (c == '<') { state_ = State::tag; tag_.clear(); }
        return;
      case State::quoted:
        keep(c);
        if (c == quote_) state_ = State::tag;
        return;
      case State::aside:  // a comment or a text as it is, up to its own end
        if (tag_.size() > 2) tag_.erase(0, 1);
        tag_.push_back(c);
        if (c == '>' && tag_ == ending_) state_ = State::text;
        return;
      case State::tag: break;
    }
    if (c == '>') { end_tag(); return; }
    keep(c);
    if (c == '"' || c == '\'') { quote_ = c; state_ = State::quoted; }
    if (tag_ == "!--") begin_aside("-->");
    else if (tag_ == "![CDATA[") begin_aside("]]>");
  }

  // The longest tag that matters is short; of others the end is not needed.
  void keep(char c) {
    if (tag_.size() < 4096) tag_.push_back(c);
  }

  void begin_aside(const char* ending) {
    ending_ = ending;
    tag_.clear();
    state_ = State::aside;
  }

  void end_tag() {
    state_ = State::text;
    if (tag_.compare(0, 8, "!DOCTYPE") == 0) return spoil(SheetFlaw::doctype, tag_);
    if (tag_.empty() || tag_[0] == '!' || tag_[0] == '?') return;
    if (tag_[0] == '/') { --depth_; return; }
    const std::size_t name_end = tag_.find_first_of(" \t\r\n/");
    std::string name = tag_.substr(0, name_end);
    const std::size_t prefix = name.find(':');
    if (prefix != std::string::npos) name.erase(0, prefix + 1);
    if (name == "row") place_row();
    else if (name == "c") place_cell();
    if (tag_.back() != '/' && ++depth_ > kSheetDepth) spoil(SheetFlaw::deep, name);
  }

  // The value of the attribute `r`, if there is one.
  bool reference(std::string& out) const {
    for (std::size_t at = tag_.find('r'); at != std::string::npos; at = tag_.find('r', at + 1)) {
      if (at == 0 || !std::strchr(" \t\r\n", tag_[at - 1])) continue;
      std::size_t i = at + 1;
      while (i < tag_.size() && std::strchr(" \t\r\n=", tag_[i])) ++i;
      if (i == at + 1 || i >= tag_.size() || (tag_[i] != '"' && tag_[i] != '\'')) continue;
      const std::size_t end = tag_.find(tag_[i], i + 1);
      if (end == std::string::npos) return false;
      out = tag_.substr(i + 1, end - i - 1);
      return true;
    }
    return false;
  }

  // Digits as a number within the rows of a sheet; 0 for anything else.
  static std::int64_t row_number(const std::string& digits) {
    if (digits.empty() || digits.size() > 7) return 0;
    std::int64_t n = 0;
    for (const char c : digits) {
      if (c < '0' || c > '9') return 0;
      n = n * 10 + (c - '0');
    }
    return n <= kSheetRows ? n : 0;
  }

  void place_row() {
    std::string r;
    if (!reference(r)) return;
    const std::int64_t row = row_number(r);
    if (row == 0) return spoil(SheetFlaw::row, r);
    if (row > rows_) rows_ = row;
  }

  void place_cell() {
    std::string r;
    if (!reference(r)) return;
    std::size_t i = 0;
    std::int64_t column = 0;
    for (; i < r.size() && i < 4 && r[i] >= 'A' && r[i] <= 'Z'; ++i)
      column = column * 26 + (r[i] - 'A' + 1);
    const std::int64_t row = row_number(r.substr(i));
    if (column < 1 || column > kSheetColumns || row == 0) return spoil(SheetFlaw::cell, r);
    if (row > rows_) rows_ = row;
    if (column > columns_) columns_ = column;
  }

  void spoil(SheetFlaw flaw, const std::string& where) {
    flaw_ = flaw;
    where_ = where.substr(0, 40);
  }

  State state_ = State::text;
  char quote_ = 0;
  std::string tag_, ending_, where_;
  int depth_ = 0;
  SheetFlaw flaw_ = SheetFlaw::none;
  std::int64_t rows_ = 0, columns_ = 0;
};

}  // namespace eggcrate
