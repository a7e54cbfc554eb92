
#include <algorithm>
#include <map>
#include <numeric>
#include <set>
#include <vector>

#include "resample.hpp"

using namespace eggcrate;

namespace {

struct Book {
  std::vector<std::int32_t> start{0}, item, group;
  std::vector<double> value;

  void order(const std::vector<std::pair<int, double>>& lines) {
    for (const auto& line : lines) {
      item.push_back(line.first);
      value.push_back(line.second);
    }
    start.push_back(static_cast<std::int32_t>(item.size()));
  }

  Resampling question() const {
    Resampling r;
    r.orders = start.size() - 1;
    r.start = start.data();
    r.item = item.data();
    r.value = value.data();
    r.items = group.size();
    r.group = group.data();
    return r;
  }
};

// How often each order is drawn in one resample.
std::vector<int> drawn(std::uint64_t seed, std::uint32_t number, std::size_t orders) {
  Draws draws(seed, number / kBatch);
  const std::uint32_t lane = number % kBatch;
  std::vector<int> out;
  for (std::size_t o = 0; o < orders; ++o) out.push_back(draws.of(o)[lane]);
  const Draws::Correction& c = draws.correction(lane, static_cast<std::uint32_t>(orders),
                                                std::accumulate(out.begin(), out.end(), 0));
  for (std::uint32_t o : c.orders) out[o] += c.by;
  return out;
}

// Plain: every rank of every resample is kept and sorted.
std::vector<std::vector<std::int32_t>> all_ranks(const Resampling& r) {
  std::vector<std::vector<std::int32_t>> out(r.items);
  for (std::uint32_t number = 0; number < r.times; ++number) {
    const std::vector<int> times = drawn(r.seed, number, r.orders);
    std::vector<double> total(r.items, 0.0);
    for (std::size_t o = 0; o < r.orders; ++o)
      for (std::int32_t e = r.start[o]; e < r.start[o + 1]; ++e)
        total[r.item[e]] += times[o] * r.value[e];
    for (std::size_t i = 0; i < r.items; ++i) {
      std::int32_t rank = 1;
      for (std::size_t j = 0; j < r.items; ++j)
        if (r.group[j] == r.group[i] && (r.highest ? total[j] > total[i] : total[j] < total[i]))
          ++rank;
      out[i].push_back(rank);
    }
  }
  for (auto& ranks : out) std::sort(ranks.begin(), ranks.end());
  return out;
}

Book random_book(int orders, int items, int groups, std::uint64_t seed) {
  Book book;
  Random random(seed, 7);
  for (int i = 0; i < items; ++i) book.group.push_back(i * groups / items);
  for (int o = 0; o < orders; ++o) {
    std::vector<std::pair<int, double>> lines;
    for (std::uint32_t k = 0; k <= random.below(3); ++k)
      lines.push_back({static_cast<int>(random.below(static_cast<std::uint32_t>(items))),
                       static_cast<double>(random.below(20)) - 3});
    book.order(lines);
  }
  return book;
}

// The entries of an order and an item in one.
Book together(const Book& book) {
  Book out;
  out.group = book.group;
  for (std::size_t o = 0; o + 1 < book.start.size(); ++o) {
    std::map<int, double> lines;
    for (std::int32_t e = book.start[o]; e < book.start[o + 1]; ++e)
      lines[book.item[e]] += book.value[e];
    out.order({lines.begin(), lines.end()});
  }
  return out;
}

}  // namespace

TEST_CASE("nothing depends on whether entries of an order and an item come as one") {
  const Book book = random_book(500, 9, 2, 5), joined = together(book);
  REQUIRE(joined.item.size() < book.item.size());
  const Resampling r = book.question(), s = joined.question();
  std::vector<std::int32_t> low(r.items), high(r.items), low2(r.items), high2(r.items);
  REQUIRE(resample_ranks(r, low.data(), high.data()).ok());
  REQUIRE(resample_ranks(s, low2.data(), high2.data()).ok());
  CHECK(low == low2);
  CHECK(high == high2);
  std::vector<double> spread(r.items), spread2(r.items);
  REQUIRE(order_spread(r, spread.data()).ok());
  REQUIRE(order_spread(s, spread2.data()).ok());
  CHECK(spread == spread2);
}

TEST_CASE("rank intervals are those of all ranks kept and sorted, for any number of threads") {
  for (std::uint64_t seed = 1; seed <= 6; ++seed) {
    const Book book = random_book(60, 24, 1 + static_cast<int>(seed % 3), seed);
    Resampling r = book.question();
    r.times = 200;
    r.seed = seed;
    r.highest = seed % 2 == 0;
    const auto ranks = all_ranks(r);
    std::vector<std::int32_t> low(r.items), high(r.items), low2(r.items), high2(r.items);
    REQUIRE(resample_ranks(r, low.data(), high.data()).ok());
    r.threads = 3;
    REQUIRE(resample_ranks(r, low2.data(), high2.data()).ok());
    CHECK(low == low2);
    CHECK(high == high2);
    for (std::size_t i = 0; i < r.items; ++i) {
      CHECK(low[i] == ranks[i][10]);         // ten of 200 are left out below
      CHECK(high[i] == ranks[i][199 - 10]);  // and above
    }
  }
}

TEST_CASE("beyond 64 ranks share bins, and an interval is never too narrow") {
  const Book book = random_book(900, 400, 1, 3);
  Resampling r = book.question();
  r.times = 100;
  const auto ranks = all_ranks(r);
  std::vector<std::int32_t> low(r.items), high(r.items);
  REQUIRE(resample_ranks(r, low.data(), high.data()).ok());
  for (std::size_t i = 0; i < r.items; ++i) {
    CHECK(low[i] <= ranks[i][5]);
    CHECK(high[i] >= ranks[i][94]);
    CHECK(low[i] >= ranks[i][5] * 0.9);
    CHECK(high[i] <= ranks[i][94] * 1.1 + 1);
  }
}

TEST_CASE("one order, one item, equal items and a stop") {
  Book one;
  one.group = {0, 0};
  one.order({{0, 5.0}, {1, 5.0}});
  Resampling r = one.question();
  std::vector<std::int32_t> low(2), high(2);
  REQUIRE(resample_ranks(r, low.data(), high.data()).ok());
  CHECK(low == std::vector<std::int32_t>({1, 1}));
  CHECK(high == std::vector<std::int32_t>({1, 1}));
  r.poll.stop = [](void*, double) { return true; };
  CHECK(resample_ranks(r, low.data(), high.data()).code == Code::stopped);
}

TEST_CASE("a resample has as many draws as there are orders, each order as likely in each") {
  // Of n draws from n orders each is drawn k times with the chance of a binomial; two orders
  // are drawn together a little less often than apart.
  const std::size_t n = 40;
  const std::uint32_t times = 20000;
  std::vector<double> seen(n + 1, 0.0);
  double both = 0;
  for (std::uint32_t number = 0; number < times; ++number) {
    const std::vector<int> w = drawn(9, number, n);
    REQUIRE(std::accumulate(w.begin(), w.end(), 0) == static_cast<int>(n));
    REQUIRE(*std::min_element(w.begin(), w.end()) >= 0);
    for (int k : w) ++seen[static_cast<std::size_t>(k)];
    both += w[3] * w[17];
  }
  double chance = std::pow(1 - 1.0 / n, n), chi = 0;
  for (std::size_t k = 0; k <= 5; ++k) {
    const double expected = chance * n * times;
    chi += (seen[k] - expected) * (seen[k] - expected) / expected;
    chance *= static_cast<double>(n - k) / static_cast<double>(k + 1) / (n - 1);
  }
  CHECK(chi < 22.5);  // of 6 degrees of freedom, one in a thousand
  CHECK(std::abs(both / times - (1 - 1.0 / n)) < 0.04);  // n (n - 1) / n^2; five standard errors
}

TEST_CASE("weights that sixteen bits do not settle are as likely as they should be") {
  // Large ones come from the few numbers that are left over.
  Draws draws(3, 0);
  std::vector<double> seen(20, 0.0);
  const std::size_t n = 4000000;
  for (std::size_t o = 0; o < n; ++o)
    for (std::uint32_t b = 0; b < kBatch; ++b) ++seen[static_cast<std::size_t>(draws.of(o)[b])];
  double chance = std::exp(-1.0), chi = 0;
  for (std::size_t k = 0; k <= 9; chance /= static_cast<double>(++k)) {
    const double expected = chance * kBatch * n;
    chi += (seen[k] - expected) * (seen[k] - expected) / expected;
  }
  CHECK(chi < 29.6);  // of 10, one in a thousand
}

TEST_CASE("the spread of a total is that of plain sums of squares, orders taken as a whole") {
  Book book;
  book.group = {0, 0, 0};
  book.order({{0, 1.0}, {0, 2.0}, {1, 5.0}});
  book.order({{0, 4.0}});
  book.order({{1, -5.0}, {0, 1.0}});
  const Resampling r = book.question();
  std::vector<double> spread(3);
  REQUIRE(order_spread(r, spread.data()).ok());
  // Item 0 has 3, 4 and 1 of the three orders; item 1 has 5, 0 and -5; item 2 nothing.
  CHECK(spread[0] == Approx(std::sqrt(26.0 - 64.0 / 3)));
  CHECK(spread[1] == Approx(std::sqrt(50.0)));
  CHECK(spread[2] == 0);
}

TEST_CASE("draws are as likely as each other, and streams differ") {
  std::map<std::uint32_t, int> seen;
  Random random(42, 1);
  for (int i = 0; i < 60000; ++i) ++seen[random.below(6)];
  for (std::uint32_t k = 0; k < 6; ++k) CHECK(std::abs(seen[k] - 10000) < 500);
  std::set<std::uint64_t> firsts;
  for (std::uint64_t stream = 0; stream < 1000; ++stream) firsts.insert(Random(1, stream).next());
  CHECK(firsts.size() == 1000);
}
