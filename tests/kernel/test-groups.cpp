
#include <map>
#include <random>
#include <set>

#include "count.hpp"
#include "exact.hpp"
#include "tally.hpp"

using namespace eggcrate;

namespace {

// `sums` times the sum of x, by key.
struct Lines {
  std::vector<double> x;
  std::vector<std::uint64_t> key;
  std::vector<Column> columns;
  Question question(int sums) {
    columns = {{Kind::real, x.data()}, {Kind::text, key.data()}};
    Question q;
    q.keys.push_back({1, 0});
    Instr in;
    in.op = Op::column;
    in.column = 0;
    q.program.code = {in};
    q.program.places = {0};
    Sum sum;
    sum.value = 0;
    q.sums.assign(static_cast<std::size_t>(sums), sum);
    return q;
  }
};

}  // namespace

TEST_CASE("sums beside the keys follow them through a growing table, and can be drained") {
  std::mt19937_64 random(5);
  SlotGroups<1> groups;
  std::map<std::uint64_t, std::int64_t> first, second, rows;
  std::vector<i128> drained;
  for (int chunk = 0; chunk < 60; ++chunk) {
    std::vector<std::uint64_t> words(kChunk);
    std::vector<std::int64_t> a(kChunk), b(kChunk);
    std::vector<std::uint32_t> ids(kChunk);
    for (std::size_t i = 0; i < kChunk; ++i) {
      words[i] = 64 * (random() % (10 + 400 * static_cast<unsigned>(chunk)));
      a[i] = static_cast<std::int64_t>(random() % 1000) - 500;
      b[i] = static_cast<std::int64_t>(random() % 7);
      ++rows[words[i]];
      first[words[i]] += a[i];
      second[words[i]] += b[i];
    }
    Lanes lanes;
    lanes.values[0] = a.data();
    lanes.values[1] = b.data();
    groups.locate(words.data(), kChunk, ids.data(), lanes);
    for (std::size_t i = 0; i < kChunk; ++i) REQUIRE(groups.words()[ids[i]] == words[i]);
    if (chunk == 30) {
      drained.resize(groups.size());
      groups.drain(0, drained);
    }
  }
  const Gathered all = groups.gather();
  REQUIRE(groups.size() == rows.size());
  REQUIRE(all.walk.size() == rows.size());
  drained.resize(groups.size());
  for (std::uint32_t id = 0; id < groups.size(); ++id) {
    const std::uint64_t word = groups.words()[id];
    CHECK(all.rows[id] == static_cast<std::uint64_t>(rows[word]));
    CHECK(static_cast<std::int64_t>(drained[id]) + all.sums[0][id] == first[word]);
    CHECK(all.sums[1][id] == second[word]);
  }
}

TEST_CASE("pairs of words are told apart by both, with one sum beside them") {
  std::mt19937_64 random(8);
  SlotGroups<2> groups;
  REQUIRE(groups.lanes() == 1);
  std::map<std::pair<std::uint64_t, std::uint64_t>, std::int64_t> sums;
  for (int chunk = 0; chunk < 60; ++chunk) {
    std::vector<std::uint64_t> words(2 * kChunk);
    std::vector<std::int64_t> a(kChunk);
    std::vector<std::uint32_t> ids(kChunk);
    for (std::size_t i = 0; i < kChunk; ++i) {
      words[2 * i] = 64 * (random() % 200);
      words[2 * i + 1] = random() % (1 + static_cast<unsigned>(chunk));
      a[i] = static_cast<std::int64_t>(random() % 1000) - 500;
      sums[{words[2 * i], words[2 * i + 1]}] += a[i];
    }
    Lanes lanes;
    lanes.values[0] = a.data();
    groups.locate(words.data(), kChunk, ids.data(), lanes);
    for (std::size_t i = 0; i < 2 * kChunk; ++i)
      REQUIRE(groups.words()[2 * ids[i / 2] + i % 2] == words[i]);
  }
  const Gathered all = groups.gather();
  REQUIRE(groups.size() == sums.size());
  REQUIRE(all.walk.size() == sums.size());
  for (std::uint32_t id = 0; id < groups.size(); ++id)
    CHECK(all.sums[0][id] ==
          sums[std::make_pair(groups.words()[2 * id], groups.words()[2 * id + 1])]);
}

TEST_CASE("different values are counted once, however often they come and in whatever thread") {
  std::mt19937_64 random(9);
  std::vector<std::set<std::uint64_t>> expected(40);
  Pairs all, other;
  // The other thread calls item 0 what is item 39 here, and so on.
  std::vector<std::uint32_t> ids(40);
  for (std::uint32_t i = 0; i < 40; ++i) ids[i] = 39 - i;
  for (int i = 0; i < 400000; ++i) {
    const auto id = static_cast<std::uint32_t>(random() % 40);
    const std::uint64_t word = random() % 3 ? random() % 5 : random() % 20000;
    expected[id].insert(word);
    if (i % 2) all.add(id, word);
    else other.add(39 - id, word);
  }
  std::vector<std::uint32_t> table;
  for (std::size_t at = 0; at < Pairs::kParts; ++at) {
    all.take(at, other, ids);
    all.tidy(at, table);
  }
  std::vector<i128> total(40);
  all.count(total);
  for (std::size_t id = 0; id < 40; ++id)
    CHECK(static_cast<std::size_t>(total[id]) == expected[id].size());
}

TEST_CASE("sums beside the keys carry into 128 bits before they overflow") {
  Lines lines{std::vector<double>(20000, 2.0e15), std::vector<std::uint64_t>(20000), {}};
  for (std::size_t i = 0; i < lines.key.size(); ++i) lines.key[i] = 64 * (1 + i % 3);
  Question q = lines.question(3);  // the third has no lane
  Tally t;
  REQUIRE(count(q, lines.columns, lines.x.size(), t).ok());
  for (const SumResult& s : t.sums) {
    i128 all = 0;
    for (const i128 total : s.total) all += total;
    const bool exact = all == i128(20000) * i128(2000000000000000);
    CHECK(exact);
  }
}

TEST_CASE("the first row that is left out is named, whoever meets it") {
  for (const int threads : {1, 2}) {
    Lines lines{std::vector<double>(400000, 1.5), std::vector<std::uint64_t>(400000, 64), {}};
    const std::uint64_t missing = 0x7FF00000000007A2ull;
    for (const std::size_t row : {70000u, 399999u, 200000u})
      std::memcpy(&lines.x[row], &missing, sizeof missing);
    Question q = lines.question(1);
    Tally t;
    REQUIRE(count(q, lines.columns, lines.x.size(), t, threads).ok());
    CHECK(t.sums[0].first_missing == 70000);
    CHECK(t.sums[0].all_missing == 3);
  }
}

TEST_CASE("places, blocks and parts reached agree with a plain count") {
  std::mt19937_64 random(9);
  for (int round = 0; round < 200; ++round) {
    std::vector<std::int32_t> cell, block, missing;
    std::vector<i128> running;
    std::vector<std::int64_t> value;
    const int cells = 1 + static_cast<int>(random() % 4);
    std::int32_t number = 0;
    for (int c = 1; c <= cells; ++c) {
      std::int64_t v = 30, sum = 0;
      const int n = 1 + static_cast<int>(random() % 12);
      for (int i = 0; i < n; ++i) {
        const std::int64_t before = v;
        v -= static_cast<std::int64_t>(random() % 3);
        number += i == 0 || v != before;
        sum += v;
        cell.push_back(c);
        block.push_back(number);
        missing.push_back(0);
        value.push_back(v);
        running.push_back(sum);
      }
    }
    const std::size_t n = cell.size();
    std::vector<std::int32_t> place(n), first(n), size(n), in(n), any(n), all(n);
    block_places(cell.data(), block.data(), missing.data(), n, -1, place.data(), first.data(),
                 size.data());
    for (auto& x : in) x = static_cast<std::int32_t>(random() % 2);
    spread_blocks(in.data(), block.data(), n, false, -1, any.data());
    spread_blocks(in.data(), block.data(), n, true, -1, all.data());
    std::vector<i128> base(static_cast<std::size_t>(cells));
    for (std::size_t i = 0; i < n; ++i) base[static_cast<std::size_t>(cell[i] - 1)] = running[i];
    std::vector<std::int32_t> count(static_cast<std::size_t>(cells), -1);
    REQUIRE(reach_counts(running.data(), cell.data(), n, base.data(), 50, 2, false, count.data()));
    for (std::size_t i = 0; i < n; ++i) {
      std::int32_t better = 0, mine = 0, kept = 0, same = 0;
      for (std::size_t j = 0; j < n; ++j) {
        if (cell[j] != cell[i]) continue;
        ++mine;
        better += value[j] > value[i];
        if (block[j] == block[i]) { ++same; kept += in[j]; }
      }
      CHECK(first[i] == better + 1);
      CHECK(size[i] == mine);
      CHECK(any[i] == (kept > 0));
      CHECK(all[i] == (kept == same));
      const bool reached = 2 * running[i] >= base[static_cast<std::size_t>(cell[i] - 1)];
      CHECK(reached == (place[i] >= count[static_cast<std::size_t>(cell[i] - 1)]));
    }
  }
}
