
#include <random>

#include "lookups.hpp"

using namespace eggcrate;

TEST_CASE("rows have the columns of tables that are found by a key, whoever of several threads takes them") {
  std::mt19937 random(3);
  Texts towns, kinds;
  const auto handle = [](Texts& of, const std::string& text) { return of.asked(text.data(), text.size()); };
  const std::string known[] = {"a", "b", "ab", " ", "", "z"};
  const std::size_t n = 300000;
  std::vector<std::uint64_t> town(n), kind(n);
  std::vector<int> at(n), of(n);
  for (std::size_t i = 0; i < n; ++i) {
    at[i] = static_cast<int>(random() % 6);
    of[i] = static_cast<int>(random() % 6);
    town[i] = handle(towns, known[at[i]]);
    kind[i] = handle(kinds, known[of[i]]);
  }
  // By both: "a", "b" is not "ab", "" and so on. By what that adds: a number.
  Texts names;
  const std::vector<std::uint64_t> name{handle(names, "first"), handle(names, "second")};
  const std::vector<double> share{0.5, 0.25};
  const std::vector<std::int32_t> code{7, kMissingWhole};
  std::vector<Table> tables;
  tables.emplace_back(std::vector<std::size_t>{0, 1}, std::vector<Column>{{Kind::text, name.data()}, {Kind::real, share.data()}}, handle(names, ""));
  tables[0].add({"a", "b"}, 0);
  tables[0].add({"ab", "a"}, 1);
  tables[0].add({" ", "a"}, 1);  // a blank is no key
  tables.emplace_back(std::vector<std::size_t>{2}, std::vector<Column>{{Kind::whole, code.data()}}, 0);
  tables[1].add({"second"}, 0);
  tables[1].add({"first"}, 1);
  InMemory base({{Kind::text, town.data()}, {Kind::text, kind.data()}}, n, 3);
  WithTables supply(base, 2, n, tables);
  for (int threads = 1; threads <= 3; ++threads) {
    supply.begin(threads);
    std::size_t first = n, without = 0, rows = 0, wrong = 0;
    Stretch s;
    for (int t = 0; t < threads; ++t) {
      // One after the other, so that the last ones may have nothing to do.
      for (int turn = 0; (turn < 2 || t + 1 == threads) && supply.next(t, s); ++turn) {
        const Column* c = supply.columns(t);
        for (std::size_t i = s.from; i < s.to; ++i, ++rows) {
          const bool one = at[i] == 0 && of[i] == 1, two = at[i] == 2 && of[i] == 0;
          const Text* found = Text::of(static_cast<const std::uint64_t*>(c[2].data)[i]);
          const double x = static_cast<const double*>(c[3].data)[i];
          const std::int32_t y = static_cast<const std::int32_t*>(c[4].data)[i];
          wrong += !found->is(one ? "first" : two ? "second" : "", one ? 5 : two ? 6 : 0);
          wrong += one ? x != 0.5 : two ? x != 0.25 : x == x;
          wrong += y != (two ? 7 : kMissingWhole);
          if (!one && !two) {
            ++without;
            first = std::min(first, i);
          }
        }
      }
    }
    CHECK(rows == n);
    CHECK(wrong == 0);
    const Unmatched u = supply.unmatched(0);
    CHECK(u.rows == without);
    CHECK(u.first == first);
    REQUIRE(u.key.size() == 2);
    CHECK((u.key[0] == town[first] && u.key[1] == kind[first]));
    CHECK(supply.unmatched(1).rows == without);
  }
}
