// Runs a program over chunks of rows.
#pragma once

#include "program.hpp"

namespace eggcrate {

// The values of one instruction for the rows of a chunk.
struct Register {
  bool wide = false;      // integers in `w`, else in `z`
  bool filled = false;    // with a constant
  double bound = 0;       // no integer of the chunk is larger than this
  bool any_missing = false;
  std::vector<double> d;
  std::vector<std::int64_t> z;
  std::vector<i128> w;
  std::vector<std::uint8_t> truth;
  std::vector<std::uint8_t> missing;

  void clear_missing(std::size_t n) {
    if (missing.size() < kChunk) missing.resize(kChunk);
    std::memset(missing.data(), 0, n);
    any_missing = true;
  }
  bool is_missing_at(std::size_t i) const noexcept { return any_missing && missing[i]; }
  i128 at(std::size_t i) const noexcept { return wide ? w[i] : i128(z[i]); }
};

// The rows of a chunk: `base + i`, or `base + selected[i]` of the columns at hand, which have
// `before` others before them.
struct Rows {
  std::size_t base = 0;
  std::size_t n = 0;
  const std::uint16_t* selected = nullptr;
  std::size_t before = 0;
  std::size_t row(std::size_t i) const noexcept { return base + (selected ? selected[i] : i); }
  std::size_t number(std::size_t i) const noexcept { return before + row(i); }  // among all
};

// A column turned out to have more places than was taken for granted.
struct Surprise {
  int instr = -1;
  int places = 0;
};

// The values of a register, with how they are meant.
struct Values {
  const Register& r;
  int places;
  bool exact() const noexcept { return places != kNotDecimal; }
  double real_at(std::size_t i) const noexcept;
};

class Evaluator {
 public:
  Evaluator(const Program& program, const Column* columns)
      : p_(program), columns_(columns), registers_(program.code.size()) {}

  // Computes all registers; stops at the first surprise or error.
  Status run(const Rows& rows) {
    surprise_ = Surprise();
    for (std::size_t i = 0; i < p_.code.size(); ++i) {
      const Status s = step(i, rows);
      if (!s.ok() || surprise_.instr >= 0) return s;
    }
    return Status();
  }
  const Surprise& surprise() const noexcept { return surprise_; }
  const Register& result() const noexcept { return registers_.back(); }
  const Register& result(int at) const noexcept {
    return registers_[static_cast<std::size_t>(at)];
  }
  Values values(int at) const noexcept {
    return Values{result(at), p_.places[static_cast<std::size_t>(at)]};
  }

  static double real(const Register& r, int places, std::size_t i) noexcept {
    if (places == kNotDecimal) return r.d[i];
    if (!r.wide && places <= 22 && r.z[i] < (std::int64_t(1) << 53) &&
        r.z[i] > -(std::int64_t(1) << 53))
      return static_cast<double>(r.z[i]) / power_of_ten(places);
    return ratio(r.at(i), power_of_ten_exact(places));
  }

 private:
  Status step(std::size_t i, const Rows& rows) {
    const Instr& in = p_.code[i];
    switch (in.op) {
      case Op::column: return load(i, rows);
      case Op::number: fill(i); return Status();
      case Op::text_test: test_text(i, rows); return Status();
      case Op::code_test: test_code(i, rows); return Status();
      case Op::flag: load_flag(i, rows); return Status();
      case Op::negate:
      case Op::add:
      case Op::subtract:
      case Op::multiply:
      case Op::divide: return arithmetic(i, rows.n);
      case Op::both:
      case Op::either:
      case Op::opposite: connect(i, rows.n); return Status();
      case Op::number_missing: ask_missing(i, rows.n); return Status();
      case Op::period: find_period(i, rows.n); return Status();
      case Op::same_text: compare_texts(i, rows); return Status();
      default: compare(i, rows.n); return Status();
    }
  }

  Status load(std::size_t i, const Rows& rows) {
    const Column& c = columns_[p_.code[i].column];
    Register& r = registers_[i];
    r.any_missing = false;
    r.wide = false;
    return c.kind == Kind::whole ? load_whole(r, static_cast<const std::int32_t*>(c.data), rows)
                                 : load_real(i, static_cast<const double*>(c.data), rows);
  }

  Status load_whole(Register& r, const std::int32_t* x, const Rows& rows) {
    r.z.resize(kChunk);
    r.bound = 2147483648.0;
    for (std::size_t i = 0; i < rows.n; ++i) {
      const std::int32_t v = x[rows.row(i)];
      r.z[i] = v;
      if (v == kMissingWhole) {
        if (!r.any_missing) r.clear_missing(rows.n);
        r.missing[i] = 1;
        r.z[i] = 0;
      }
    }
    return Status();
  }

  Status load_real(std::size_t at, const double* x, const Rows& rows) {
    Register& r = registers_[at];
    const double* v = x + rows.base;
    if (rows.selected) {
      r.d.resize(kChunk);
      for (std::size_t i = 0; i < rows.n; ++i) r.d[i] = v[rows.selected[i]];
      v = r.d.data();
    }
    const int k = p_.places[at];
    if (k != kNotDecimal && load_plain(r, v, k, rows.n)) return Status();
    return load_checked(at, v, rows);
  }

  // The usual chunk: v * 10^k is an integer m but for two roundings, so that v lies
  // within 3 ulp of m / 10^k. No branch and no division, which would take most of
  // the time; what fails here is looked at again by itself.
  static bool load_plain(Register& r, const double* v, int k, std::size_t n) {
    r.z.resize(kChunk);
    std::int64_t* z = r.z.data();
    const double p = power_of_ten(k);
    const std::int64_t zero = static_cast<std::int64_t>(bits_of(kRounder));
    double largest = 0;
    int off = 0;
    for (std::size_t i = 0; i < n; i += 8) prefetch(v + i + kChunk);
    for (std::size_t i = 0; i < n; ++i) {
      const double y = v[i] * p;
      const double shifted = y + kRounder;
      const double m = shifted - kRounder;
      z[i] = static_cast<std::int64_t>(bits_of(shifted)) - zero;
      const double a = std::fabs(m);
      off |= !(std::fabs(y - m) <= a * std::numeric_limits<double>::epsilon());
      largest = a > largest ? a : largest;
    }
    r.bound = largest;
    return !off && largest < kLimit;
  }

  Status load_checked(std::size_t at, const double* v, const Rows& rows) {
    Register& r = registers_[at];
    const int k = p_.places[at];
    r.d.resize(kChunk);
    if (k != kNotDecimal) r.z.resize(kChunk);
    r.bound = 0;
    for (std::size_t i = 0; i < rows.n; ++i) {
      const double x = v[i];
      r.d[i] = x;
      if (is_missing(x)) {
        if (!r.any_missing) r.clear_missing(rows.n);
        r.missing[i] = 1;
        r.d[i] = 0;
        if (k != kNotDecimal) r.z[i] = 0;
        continue;
      }
      if (!std::isfinite(x)) return Status{Code::not_finite, rows.number(i), p_.code[at].column};
      if (k == kNotDecimal) continue;
      if (!as_decimal(x, k, r.z[i])) {
        surprise_.instr = static_cast<int>(at);
        surprise_.places = places_of(x, k);
        return Status();
      }
      const double a = std::fabs(static_cast<double>(r.z[i]));
      if (a > r.bound) r.bound = a;
    }
    return Status();
  }

  // A constant stays in its register from chunk to chunk.
  void fill(std::size_t at) {
    Register& r = registers_[at];
    if (r.filled) return;
    r.filled = true;
    const double x = p_.code[at].number;
    r.any_missing = r.wide = false;
    if (p_.places[at] == kNotDecimal) {
      r.d.assign(kChunk, x);
    } else {
      std::int64_t m = 0;
      as_decimal(x, p_.places[at], m);
      r.z.assign(kChunk, m);
      r.bound = std::fabs(static_cast<double>(m));
    }
  }

  void load_flag(std::size_t at, const Rows& rows) {
    Register& r = registers_[at];
    r.truth.resize(kChunk);
    const auto* x = static_cast<const std::int32_t*>(columns_[p_.code[at].column].data);
    for (std::size_t i = 0; i < rows.n; ++i) {
      const std::int32_t v = x[rows.row(i)];
      r.truth[i] = v == kMissingWhole ? unknown : v != 0 ? yes : no;
    }
  }

  void test_code(std::size_t at, const Rows& rows) {
    const Instr& in = p_.code[at];
    Register& r = registers_[at];
    r.truth.resize(kChunk);
    const auto& table = p_.tables[in.set];
    const auto* x = static_cast<const std::int32_t*>(columns_[in.column].data);
    for (std::size_t i = 0; i < rows.n; ++i) {
      const std::int32_t v = x[rows.row(i)];
      r.truth[i] = table[v == kMissingWhole ? 0 : v];
    }
  }

  // A text is judged once and remembered by its handle: a lookup costs less
  // than reaching for the characters again.
  struct Verdict {
    std::uint64_t word;
    std::uint8_t truth;
    bool used;
  };
  static constexpr std::size_t kVerdicts = 4096;

  void test_text(std::size_t at, const Rows& rows) {
    const Instr& in = p_.code[at];
    const TextSet& set = p_.sets[in.set];
    Register& r = registers_[at];
    r.truth.resize(kChunk);
    if (verdicts_.size() < p_.sets.size()) verdicts_.resize(p_.sets.size());
    auto& cache = verdicts_[in.set];
    if (cache.empty()) cache.assign(kVerdicts, Verdict{0, 0, false});
    const auto* x = static_cast<const std::uint64_t*>(columns_[in.column].data);
    for (std::size_t i = 0; i < rows.n; ++i) {
      const std::uint64_t word = x[rows.row(i)];
      Verdict& v = cache[(word * 0x9E3779B97F4A7C15ull) >> 52];
      if (!v.used || v.word != word) v = Verdict{word, judge(set, word), true};
      r.truth[i] = v.truth;
    }
  }

  static std::uint8_t judge(const TextSet& set, std::uint64_t word) {
    for (const std::uint64_t m : set.members)
      if (m == word) return yes;
    if (set.blank && set.blank(word)) return set.missing_is_yes ? yes : unknown;
    return no;
  }

  void compare_texts(std::size_t at, const Rows& rows) {
    const Instr& in = p_.code[at];
    Register& r = registers_[at];
    r.truth.resize(kChunk);
    const auto* x = static_cast<const std::uint64_t*>(columns_[in.column].data);
    const auto* y = static_cast<const std::uint64_t*>(columns_[in.set].data);
    for (std::size_t i = 0; i < rows.n; ++i)
      r.truth[i] = p_.same_text(x[rows.row(i)], y[rows.row(i)]);
  }

  void ask_missing(std::size_t at, std::size_t n) {
    Register& r = registers_[at];
    const Register& a = registers_[p_.code[at].a];
    r.truth.resize(kChunk);
    for (std::size_t i = 0; i < n; ++i) r.truth[i] = a.is_missing_at(i) ? yes : no;
  }

  // A time of day, if a date has one, is cut off.
  void find_period(std::size_t at, std::size_t n) {
    const Instr& in = p_.code[at];
    Register& r = registers_[at];
    const Register& a = registers_[in.a];
    join_missing(r, a, nullptr, n);
    r.wide = false;
    r.bound = 1e9;
    r.z.resize(kChunk);
    const int places = p_.places[in.a];
    const Unit unit = static_cast<Unit>(in.set);
    const int starts = static_cast<int>(in.number);
    std::vector<Dated>& known = dated(at, unit, starts);
    for (std::size_t i = 0; i < n; ++i) {
      const auto day = places == 0 && !a.wide
                           ? a.z[i]
                           : static_cast<std::int64_t>(std::floor(real(a, places, i)));
      Dated& d = known[static_cast<std::uint64_t>(day) % kDated];
      if (d.day != day) d = Dated{day, period_of(day, unit, starts)};
      r.z[i] = d.period;
    }
  }

  // Days are few where rows are many: what a day lies in is found once.
  struct Dated {
    std::int64_t day, period;
  };
  static constexpr std::size_t kDated = 1024;

  std::vector<Dated>& dated(std::size_t at, Unit unit, int starts) {
    dated_.resize(p_.code.size());
    if (dated_[at].empty()) dated_[at].assign(kDated, Dated{0, period_of(0, unit, starts)});
    return dated_[at];
  }

  void connect(std::size_t at, std::size_t n) {
    const Instr& in = p_.code[at];
    Register& r = registers_[at];
    r.truth.resize(kChunk);
    const std::uint8_t* a = registers_[in.a].truth.data();
    std::uint8_t* out = r.truth.data();
    // Reckoned with, for there is no branch in it: unknown is above no and yes.
    static_assert(no == 0 && yes == 1 && unknown == 2, "the truth is reckoned with");
    const auto at_most_unknown = [](int x) {
      return static_cast<std::uint8_t>(x > unknown ? unknown : x);
    };
    if (in.op == Op::opposite) {
      for (std::size_t i = 0; i < n; ++i) out[i] = at_most_unknown(a[i] ^ 1);
      return;
    }
    const std::uint8_t* b = registers_[in.b].truth.data();
    if (in.op == Op::both) {
      for (std::size_t i = 0; i < n; ++i) out[i] = at_most_unknown(a[i] * b[i]);
    } else {
      for (std::size_t i = 0; i < n; ++i) {
        const int any = a[i] | b[i];
        out[i] = static_cast<std::uint8_t>(any & 1 ? yes : any);
      }
    }
  }

  void join_missing(Register& r, const Register& a, const Register* b, std::size_t n) {
    r.any_missing = false;
    if (!a.any_missing && !(b && b->any_missing)) return;
    r.clear_missing(n);
    for (std::size_t i = 0; i < n; ++i)
      r.missing[i] = a.is_missing_at(i) || (b && b->is_missing_at(i));
  }

  Status arithmetic(std::size_t at, std::size_t n) {
    const Instr& in = p_.code[at];
    Register& r = registers_[at];
    const Register& a = registers_[in.a];
    const Register* b = in.b >= 0 ? &registers_[in.b] : nullptr;
    join_missing(r, a, b, n);
    r.wide = false;
    if (p_.places[at] == kNotDecimal) {
      return real_arithmetic(at, n) ? Status() : Status{Code::too_large, 0, -1};
    }
    return exact_arithmetic(at, n) ? Status() : Status{Code::too_large, 0, -1};
  }

  // A division by zero is missing. Any other result that is not finite is an error: false.
  bool real_arithmetic(std::size_t at, std::size_t n) {
    bool fits = true;
    const Instr& in = p_.code[at];
    Register& r = registers_[at];
    const Register& a = registers_[in.a];
    r.d.resize(kChunk);
    for (std::size_t i = 0; i < n; ++i) {
      const double x = real(a, p_.places[in.a], i);
      const double y = in.b >= 0 ? real(registers_[in.b], p_.places[in.b], i) : 0;
      double out = 0;
      switch (in.op) {
        case Op::negate: out = -x; break;
        case Op::add: out = x + y; break;
        case Op::subtract: out = x - y; break;
        case Op::multiply: out = x * y; break;
        default: out = x / y; break;
      }
      if (!r.is_missing_at(i) && !std::isfinite(out)) {
        fits &= in.op == Op::divide && y == 0;
        if (!r.any_missing) r.clear_missing(n);
        r.missing[i] = 1;
      }
      r.d[i] = r.is_missing_at(i) ? 0 : out;
    }
    return fits;
  }

  bool exact_arithmetic(std::size_t at, std::size_t n) {
    const Instr& in = p_.code[at];
    Register& r = registers_[at];
    const Register& a = registers_[in.a];
    if (in.op == Op::negate) {
      r.bound = a.bound;
      return apply(r, n, a.wide, [&](std::size_t i) { return -a.at(i); });
    }
    const Register& b = registers_[in.b];
    if (in.op == Op::multiply) {
      r.bound = a.bound * b.bound;
      const bool wide = a.wide || b.wide || r.bound >= 4e18;
      return apply(r, n, wide, [&](std::size_t i) { return a.at(i) * b.at(i); });
    }
    const int pa = p_.places[at] - p_.places[in.a], pb = p_.places[at] - p_.places[in.b];
    const i128 fa = power_of_ten_exact(pa), fb = power_of_ten_exact(pb);
    r.bound = a.bound * nearest(fa) + b.bound * nearest(fb);
    const bool wide = a.wide || b.wide || r.bound >= 4e18;
    const int sign = in.op == Op::subtract ? -1 : 1;
    return apply(r, n, wide, [&](std::size_t i) { return a.at(i) * fa + sign * (b.at(i) * fb); });
  }

  template <class F>
  bool apply(Register& r, std::size_t n, bool wide, F f) {
    if (r.bound >= 8e37) return false;  // 2^126, with room for rounding of the bound
    r.wide = wide;
    if (wide) {
      r.w.resize(kChunk);
      for (std::size_t i = 0; i < n; ++i) r.w[i] = f(i);
    } else {
      r.z.resize(kChunk);
      for (std::size_t i = 0; i < n; ++i) r.z[i] = static_cast<std::int64_t>(f(i));
    }
    return true;
  }

  static bool holds(Op op, int order) noexcept {
    switch (op) {
      case Op::less: return order < 0;
      case Op::less_equal: return order <= 0;
      case Op::greater: return order > 0;
      case Op::greater_equal: return order >= 0;
      case Op::equal: return order == 0;
      default: return order != 0;
    }
  }

  // Both in one unit, as they mostly are: whole numbers of 64 bits.
  static void compare_whole(Register& r, const Register& a, const Register& b, Op op,
                            std::size_t n) {
    const std::int64_t *x = a.z.data(), *y = b.z.data();
    std::uint8_t* out = r.truth.data();
    const auto each = [=](auto holds) {
      for (std::size_t i = 0; i < n; ++i) out[i] = holds(x[i], y[i]) ? yes : no;
    };
    switch (op) {
      case Op::less: each([](auto p, auto q) { return p < q; }); break;
      case Op::less_equal: each([](auto p, auto q) { return p <= q; }); break;
      case Op::greater: each([](auto p, auto q) { return p > q; }); break;
      case Op::greater_equal: each([](auto p, auto q) { return p >= q; }); break;
      case Op::equal: each([](auto p, auto q) { return p == q; }); break;
      default: each([](auto p, auto q) { return p != q; }); break;
    }
    if (!a.any_missing && !b.any_missing) return;
    for (std::size_t i = 0; i < n; ++i)
      if (a.is_missing_at(i) || b.is_missing_at(i)) out[i] = unknown;
  }

  void compare(std::size_t at, std::size_t n) {
    const Instr& in = p_.code[at];
    Register& r = registers_[at];
    r.truth.resize(kChunk);
    const Register& a = registers_[in.a];
    const Register& b = registers_[in.b];
    const int pa = p_.places[in.a], pb = p_.places[in.b];
    const bool exact = pa != kNotDecimal && pb != kNotDecimal;
    if (exact && pa == pb && !a.wide && !b.wide) return compare_whole(r, a, b, in.op, n);
    const i128 fa = exact && pb > pa ? power_of_ten_exact(pb - pa) : 1;
    const i128 fb = exact && pa > pb ? power_of_ten_exact(pa - pb) : 1;
    const bool wide = a.bound * nearest(fa) >= 1e37 || b.bound * nearest(fb) >= 1e37;
    for (std::size_t i = 0; i < n; ++i) {
      if (a.is_missing_at(i) || b.is_missing_at(i)) {
        r.truth[i] = unknown;
        continue;
      }
      int order;
      if (exact && !wide) {
        const i128 x = a.at(i) * fa, y = b.at(i) * fb;
        order = x < y ? -1 : x > y;
      } else {
        const double x = real(a, pa, i), y = real(b, pb, i);
        order = x < y ? -1 : x > y;
      }
      r.truth[i] = holds(in.op, order) ? yes : no;
    }
  }

  const Program& p_;
  const Column* columns_;
  std::vector<Register> registers_;
  std::vector<std::vector<Verdict>> verdicts_;
  std::vector<std::vector<Dated>> dated_;
  Surprise surprise_;
};

inline double Values::real_at(std::size_t i) const noexcept {
  return Evaluator::real(r, places, i);
}

}  // namespace eggcrate
