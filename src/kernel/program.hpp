// Row-wise expressions: a list of instructions over chunks of rows.
//
// Numbers stay integers (m / 10^places) as long as every column that went into
// them is decimal; `+ - *` keep them exact in 64 bits or, where a chunk could
// overflow, in 128. Division, and columns that are not decimal, make doubles.
#pragma once

#include <vector>

#include "decimal.hpp"
#include "pages.hpp"

namespace eggcrate {

enum class Op : std::uint8_t {
  column,      // a number column
  number,      // a constant
  text_test,   // truth of a text: `yes` in the set, `no`, `unknown` if missing
  code_test,   // the same for a column of codes, by table
  flag,        // a column of truth values
  negate, add, subtract, multiply, divide,
  less, less_equal, greater, greater_equal, equal, not_equal,
  both, either, opposite,
  number_missing,
  period,      // number of the year, quarter, month, week or day of a date
  same_text    // are the texts of two columns equal?
};

enum class Unit : int {
  year = 0, quarter = 1, month = 2, week = 3, day = 4,
  month_of_year = 5, quarter_of_year = 6, weekday = 7  // parts of the calendar, from 1
};

// The number of the period that a day (counted from 1970-01-01) lies in: years
// as such, quarters and months counted from year 0, ISO weeks by their Monday from
// that of 1969-12-29. A year may start with another month than January, and its quarters with
// it.
inline std::int64_t period_of(std::int64_t day, Unit unit, int starts) noexcept {
  if (unit == Unit::day) return day;
  const auto down = [](std::int64_t a, std::int64_t b) { return a / b - (a % b < 0); };
  if (unit == Unit::week) return down(day + 3, 7);
  if (unit == Unit::weekday) return day + 3 - down(day + 3, 7) * 7 + 1;  // Monday is 1
  // Days since 0000-03-01, in eras of 400 years: leap days come last.
  const std::int64_t z = day + 719468, era = down(z, 146097);
  const std::int64_t doe = z - era * 146097;
  const std::int64_t yoe = (doe - doe / 1460 + doe / 36524 - doe / 146096) / 365;
  const std::int64_t doy = doe - (365 * yoe + yoe / 4 - yoe / 100);
  const std::int64_t mp = (5 * doy + 2) / 153;
  const std::int64_t month = mp < 10 ? mp + 3 : mp - 9;
  const std::int64_t year = yoe + era * 400 + (month <= 2);
  if (unit == Unit::month_of_year) return month;
  if (unit == Unit::quarter_of_year) return (month - 1) / 3 + 1;
  if (unit == Unit::year) return month >= starts ? year : year - 1;
  if (unit == Unit::quarter) return down(year * 12 + month - starts, 3);
  return year * 12 + month - 1;
}

// How to judge a text handle. `blank` says whether a text has nothing but
// blanks in it, which counts as missing.
struct TextSet {
  std::vector<std::uint64_t> members;
  bool (*blank)(std::uint64_t) = nullptr;
  bool missing_is_yes = false;  // for the test "is it missing?"
};

struct Instr {
  Op op = Op::number;
  int a = -1, b = -1;  // registers: the instructions of those positions
  int column = -1;
  // text_test, code_test: which set or table; period: the unit; same_text: the other column
  int set = -1;
  double number = 0;   // a constant; period: the month that a year starts with
};

struct Program {
  std::vector<Instr> code;  // the last one is the result
  std::vector<TextSet> sets;
  std::vector<std::vector<std::uint8_t>> tables;  // code_test: truth by code, 0 = missing
  std::uint8_t (*same_text)(std::uint64_t, std::uint64_t) = nullptr;  // truth for two handles
  std::vector<int> places;  // per instruction; kNotDecimal = double

  // Fills `places` of everything that follows from columns and constants.
  void settle() noexcept;
};

// More places than this in a product would leave no room for its digits.
constexpr int kMaxExactPlaces = 18;

inline void Program::settle() noexcept {
  for (std::size_t i = 0; i < code.size(); ++i) {
    const Instr& in = code[i];
    const int pa = in.a >= 0 ? places[in.a] : 0, pb = in.b >= 0 ? places[in.b] : 0;
    const bool exact = pa != kNotDecimal && pb != kNotDecimal;
    switch (in.op) {
      case Op::number: places[i] = places_of(in.number); break;
      case Op::negate: places[i] = pa; break;
      case Op::add:
      case Op::subtract: places[i] = exact ? (pa > pb ? pa : pb) : kNotDecimal; break;
      case Op::multiply:
        places[i] = exact && pa + pb <= kMaxExactPlaces ? pa + pb : kNotDecimal;
        break;
      case Op::divide: places[i] = kNotDecimal; break;
      default: break;
    }
  }
}

}  // namespace eggcrate
