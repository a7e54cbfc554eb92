
#include <map>
#include <atomic>
#include <chrono>
#include <random>
#include <stdexcept>

#include "count.hpp"
#include "tally.hpp"

using namespace eggcrate;

namespace {

const double kMissing = [] {
  std::uint64_t bits = 0x7FF00000000007A2ull;
  double d;
  std::memcpy(&d, &bits, sizeof d);
  return d;
}();

Instr column(int at) { Instr i; i.op = Op::column; i.column = at; return i; }
Instr number(double x) { Instr i; i.number = x; return i; }
Instr apply(Op op, int a, int b = -1) { Instr i; i.op = op; i.a = a; i.b = b; return i; }

Program program(std::vector<Instr> code) {
  Program p;
  p.code = std::move(code);
  p.places.assign(p.code.size(), 0);
  return p;
}

// Adds instructions to a question's program; the answer is the register of the last one.
int add_code(Question& q, const std::vector<Instr>& code) {
  const int from = static_cast<int>(q.program.code.size());
  for (Instr in : code) {
    if (in.a >= 0) in.a += from;
    if (in.b >= 0) in.b += from;
    q.program.code.push_back(in);
  }
  q.program.places.assign(q.program.code.size(), 0);
  return static_cast<int>(q.program.code.size()) - 1;
}

void add_sum(Question& q, const std::vector<Instr>& code, int when = -1) {
  Sum s;
  s.value = add_code(q, code);
  s.when = when;
  q.sums.push_back(s);
}

struct Data {
  std::vector<std::uint64_t> key;
  std::vector<double> x, y;
  std::vector<Column> columns;
  Question question() {
    columns = {{Kind::real, x.data()}, {Kind::real, y.data()}, {Kind::text, key.data()}};
    Question q;
    q.keys.push_back({2, 0});
    return q;
  }
  Status count(Question& q, Tally& t, int threads = 1, Poll poll = Poll()) const { return ::count(q, columns, key.size(), t, threads, poll); }
};

std::map<std::uint64_t, i128> totals(const Tally& t, std::size_t sum = 0) {
  std::map<std::uint64_t, i128> out;
  for (std::size_t i = 0; i < t.items; ++i) out[t.words[i]] = t.sums[sum].total[i];
  return out;
}

}  // namespace

TEST_CASE("sums of decimals are integers, and late places are found") {
  Data d{{8, 16, 8, 16, 8}, {1, 2, 3, 0.25, 0.1}, {1, 1, 1, 1, 1}, {}};
  Question q = d.question();
  add_sum(q, {column(0)});
  Tally t;
  REQUIRE(d.count(q, t).ok());
  CHECK(q.program.places[0] == 2);
  auto sums = totals(t);
  CHECK(static_cast<std::int64_t>(sums[8]) == 410);
  CHECK(static_cast<std::int64_t>(sums[16]) == 225);
  CHECK(t.used == 5);
}

TEST_CASE("the same bits for any order of rows and number of threads, decimal or not") {
  std::mt19937_64 random(3);
  for (const bool decimal : {true, false}) {
    Data d;
    for (int i = 0; i < 300000; ++i) {
      d.key.push_back(8 * (random() % 977));
      const double cents = static_cast<double>(random() % 100000) - 20000;
      d.x.push_back(decimal ? cents / 100 : cents / 7);
      d.y.push_back(1);
    }
    std::map<std::uint64_t, i128> seen;
    for (const int threads : {1, 2, 3}) {
      Question q = d.question();
      add_sum(q, {column(0)});
      Tally t;
      REQUIRE(d.count(q, t, threads).ok());
      CHECK((q.program.places[0] == kNotDecimal) == !decimal);
      const auto now = totals(t);
      if (seen.empty()) seen = now;
      CHECK(now == seen);
      std::vector<std::size_t> order(d.key.size());
      for (std::size_t i = 0; i < order.size(); ++i) order[i] = i;
      std::shuffle(order.begin(), order.end(), random);
      Data e = d;
      for (std::size_t i = 0; i < order.size(); ++i) {
        e.key[i] = d.key[order[i]];
        e.x[i] = d.x[order[i]];
      }
      d = e;
    }
    std::map<std::uint64_t, long double> plain;
    for (std::size_t i = 0; i < d.key.size(); ++i) plain[d.key[i]] += d.x[i];
    Question q = d.question();
    add_sum(q, {column(0)});
    Tally t;
    REQUIRE(d.count(q, t).ok());
    for (const auto& item : totals(t)) {
      const double value =
          decimal ? ratio(item.second, 100) : std::ldexp(nearest(item.second), q.sums[0].lowest);
      CHECK(std::fabs(value - static_cast<double>(plain[item.first])) < 1e-7);
    }
  }
}

TEST_CASE("totals beyond 64 bits are carried") {
  const double large = 2e15;
  Data d;
  d.key.assign(20000, 8);
  d.x.assign(20000, large);
  d.y.assign(20000, 1);
  Question q = d.question();
  add_sum(q, {column(0)});
  add_sum(q, {column(0), column(0), apply(Op::multiply, 0, 1)});
  Tally t;
  REQUIRE(d.count(q, t).ok());
  CHECK((t.sums[0].total[0] == i128(20000) * i128(2000000000000000)));
  CHECK((t.sums[1].total[0] == i128(20000) * i128(2000000000000000) * i128(2000000000000000)));
}

TEST_CASE("values near 64 bits are carried within a chunk") {
  Data d;
  d.key.assign(1000, 8);
  d.x.assign(1000, 1.5e9);
  d.y.assign(1000, 2.5e9);
  Question q = d.question();
  add_sum(q, {column(0), column(1), apply(Op::multiply, 0, 1)});
  Tally t;
  REQUIRE(d.count(q, t).ok());
  CHECK((t.sums[0].total[0] == i128(1000) * i128(3750000000000000000)));
}

TEST_CASE("more digits than 128 bits hold is an error, never a wrong total") {
  Data d{{8}, {2e15}, {1}, {}};
  Question q = d.question();
  add_sum(q, {column(0), apply(Op::multiply, 0, 0), apply(Op::multiply, 1, 0)});
  Tally t;
  CHECK(d.count(q, t).code == Code::too_large);
}

TEST_CASE("a missing value leaves its row out of the sum and is counted") {
  Data d{{8, 8, 16}, {1, kMissing, kMissing}, {2, 0, 4}, {}};
  Question q = d.question();
  add_sum(q, {column(0)});
  add_sum(q, {column(0), column(1), apply(Op::divide, 0, 1)});
  add_sum(q, {column(1), column(1), apply(Op::divide, 0, 1)});
  Tally t;
  REQUIRE(d.count(q, t).ok());
  CHECK(t.sums[0].missing == std::vector<std::uint32_t>({1, 1}));
  CHECK(t.sums[0].all_missing == 2);
  CHECK(t.sums[1].all_missing == 2);
  CHECK(t.sums[2].all_missing == 1);  // 0 / 0
}

TEST_CASE("NaN and infinite values are errors with their row, unless filtered out") {
  Data d{{8, 8, 8}, {1, INFINITY, 2}, {1, 0, 1}, {}};
  Question q = d.question();
  add_sum(q, {column(0)});
  Tally t;
  Status s = d.count(q, t);
  CHECK(s.code == Code::not_finite);
  CHECK(s.row == 1);
  CHECK(s.column == 0);
  Question f = d.question();
  add_sum(f, {column(0)});
  f.gates.push_back({program({column(1), number(0), apply(Op::greater, 0, 1)}), 0, 0});
  Tally u;
  REQUIRE(d.count(f, u).ok());
  CHECK(f.gates[0].refused == 1);
  CHECK(static_cast<int>(u.sums[0].total[0]) == 3);
}

TEST_CASE("conditions have three values and compare decimals as integers") {
  Data d{{8, 8, 8, 8}, {0.1 + 0.2, 0.3, kMissing, 0.31}, {1, 1, 1, 1}, {}};
  struct { Op op; std::uint64_t kept, refused, unsure; } cases[] = {
      {Op::equal, 2, 1, 1}, {Op::not_equal, 1, 2, 1}, {Op::less, 0, 3, 1},
      {Op::less_equal, 2, 1, 1}, {Op::greater, 1, 2, 1}, {Op::greater_equal, 3, 0, 1}};
  for (const auto& c : cases) {
    Question q = d.question();
    q.gates.push_back({program({column(0), number(0.3), apply(c.op, 0, 1)}), 0, 0});
    add_sum(q, {column(1)});
    Tally t;
    REQUIRE(d.count(q, t).ok());
    CHECK(t.used == c.kept);
    CHECK(q.gates[0].refused == c.refused);
    CHECK(q.gates[0].unsure == c.unsure);
  }
}

TEST_CASE("several keys and many items are told apart") {
  std::mt19937_64 random(11);
  const std::size_t n = 50000;
  std::vector<std::uint64_t> a(n);
  std::vector<double> b(n);
  std::vector<std::int32_t> codes(n);
  std::map<std::pair<std::uint64_t, double>, std::uint64_t> expected;
  std::map<int, std::uint64_t> by_code;
  for (std::size_t i = 0; i < n; ++i) {
    a[i] = random() % 300;
    b[i] = static_cast<double>(random() % 40) - 20;
    codes[i] = random() % 50 == 0 ? kMissingWhole : static_cast<int>(1 + random() % 9);
    ++expected[{a[i], b[i]}];
    ++by_code[codes[i]];
  }
  Question q;
  q.keys = {{0, 0}, {1, 0}};
  Tally t;
  REQUIRE(count(q, {{Kind::text, a.data()}, {Kind::real, b.data()}}, n, t).ok());
  CHECK(t.items == expected.size());
  for (std::size_t i = 0; i < t.items; ++i) {
    double y;
    std::memcpy(&y, &t.words[2 * i + 1], sizeof y);
    const auto found = expected.find({t.words[2 * i], y});
    REQUIRE(found != expected.end());
    CHECK(t.rows[i] == found->second);
  }
  Question c;
  c.keys = {{0, 12}};
  Tally u;
  REQUIRE(count(c, {{Kind::whole, codes.data()}}, n, u).ok());
  CHECK(u.items == by_code.size());
  for (std::size_t i = 0; i < u.items; ++i)
    CHECK(u.rows[i] == by_code[static_cast<int>(static_cast<std::int64_t>(u.words[i]))]);
}

TEST_CASE("least, most, median and different values, for any number of threads") {
  std::mt19937_64 random(5);
  for (const bool decimal : {true, false}) {
    Data d;
    std::map<std::uint64_t, std::vector<double>> plain;
    for (int i = 0; i < 250000; ++i) {
      d.key.push_back(8 * (1 + random() % 300));
      d.x.push_back(static_cast<double>(random() % 5000) / (decimal ? 4 : 7) - 300);
      d.y.push_back(static_cast<double>(random() % 90));
      plain[d.key.back()].push_back(d.x.back());
    }
    for (const int threads : {1, 2}) {
      Question q = d.question();
      for (const Measure m : {Measure::least, Measure::most, Measure::median}) {
        add_sum(q, {column(0)});
        q.sums.back().measure = m;
      }
      add_sum(q, {number(1)});
      q.sums.back().measure = Measure::distinct;
      q.sums.back().of = {0, 0};
      Tally t;
      REQUIRE(d.count(q, t, threads).ok());
      for (std::size_t i = 0; i < t.items; ++i) {
        std::vector<double> v = plain[t.words[i]];
        std::sort(v.begin(), v.end());
        const std::size_t n = v.size();
        const double median = n % 2 ? v[n / 2] : (v[n / 2 - 1] + v[n / 2]) / 2;
        const auto value = [&](int s) {
          const i128 x = t.sums[s].total[i];
          return decimal ? ratio(x, 100) : detail::from_ordered(static_cast<std::int64_t>(x));
        };
        CHECK(value(0) == v[0]);
        CHECK(value(1) == v[n - 1]);
        CHECK(value(2) / (decimal ? 2 : 1) == median);
        CHECK((t.sums[3].total[i] == i128(std::unique(v.begin(), v.end()) - v.begin())));
      }
    }
  }
}

TEST_CASE("periods follow the calendar") {
  // 1970-01-01 was a Thursday; 2024-02-29 is day 19782, 2026-03-31 day 20543
  CHECK(period_of(0, Unit::year, 1) == 1970);
  CHECK(period_of(-1, Unit::year, 1) == 1969);
  CHECK(period_of(19782, Unit::month, 1) == 2024 * 12 + 1);
  CHECK(period_of(20543, Unit::quarter, 1) == 2026 * 4);
  CHECK(period_of(20544, Unit::quarter, 1) == 2026 * 4 + 1);
  CHECK(period_of(20543, Unit::year, 4) == 2025);
  CHECK(period_of(20544, Unit::year, 4) == 2026);
  CHECK(period_of(3, Unit::week, 1) == 0);  // a Sunday
  CHECK(period_of(4, Unit::week, 1) == 1);
  CHECK(period_of(-4, Unit::week, 1) == -1);
  CHECK(period_of(0, Unit::weekday, 1) == 4);  // 1970-01-01, a Thursday
  CHECK(period_of(3, Unit::weekday, 1) == 7);
  CHECK(period_of(-4, Unit::weekday, 1) == 7);
  CHECK(period_of(-3, Unit::weekday, 1) == 1);
  CHECK(period_of(-1, Unit::month_of_year, 1) == 12);
  CHECK(period_of(19782, Unit::month_of_year, 1) == 2);  // 2024-02-29
  CHECK(period_of(20543, Unit::quarter_of_year, 1) == 1);
  CHECK(period_of(20544, Unit::quarter_of_year, 1) == 2);
}

TEST_CASE("a poll can stop the count") {
  Data d;
  d.key.assign(500000, 8);
  d.x.assign(500000, 1);
  d.y.assign(500000, 1);
  Question q = d.question();
  add_sum(q, {column(0)});
  Tally t;
  CHECK(d.count(q, t, 1, Poll{[](void*, double) { return true; }, nullptr}).code == Code::stopped);
}

TEST_CASE("no rows make no items") {
  Data d;
  Question q = d.question();
  add_sum(q, {column(0)});
  Tally t;
  REQUIRE(d.count(q, t).ok());
  CHECK(t.items == 0);
}

TEST_CASE("work is shared out to as many threads as can be had") {
  std::atomic<int> ran{0};
  const auto work = [&](int) { ++ran; };
  REQUIRE(run_with_threads(4, work) == 4);
  REQUIRE(ran == 4);
  ran = 0;
  int started = 0;
  const auto scarce = [&](auto job, int t) {
    if (++started > 1) throw std::system_error(std::make_error_code(std::errc::resource_unavailable_try_again));
    return std::thread(job, t);
  };
  REQUIRE(run_with_threads(8, work, scarce) == 2);
  REQUIRE(ran == 2);
  // Those that were started are waited for, whatever happens here.
  ran = 0;
  REQUIRE_THROWS_AS(run_with_threads(3, [&](int t) {
    if (t == 0) throw std::runtime_error("here");
    std::this_thread::sleep_for(std::chrono::milliseconds(20));
    ++ran;
  }), std::runtime_error);
  REQUIRE(ran == 2);
}
