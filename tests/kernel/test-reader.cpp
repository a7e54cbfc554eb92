#include <testthat/vendor/catch.h>

#include <cstdio>
#include <random>

#include "program.hpp"
#include "reader.hpp"

using namespace eggcrate;

namespace {

// A file that is gone at the end of the test.
struct Written {
  std::string path;
  explicit Written(const std::string& text) {
    static int number = 0;
    path = std::string(std::getenv("TMPDIR") ? std::getenv("TMPDIR") : "/tmp") + "/eggcrate-reader-" +
           std::to_string(reinterpret_cast<std::uintptr_t>(this)) + "-" + std::to_string(++number);
    std::ofstream(path, std::ios::binary) << text;
  }
  ~Written() { std::remove(path.c_str()); }
};

struct Columns {
  Read outcome;
  int field;
  std::vector<std::vector<std::string>> texts;
  std::vector<std::vector<std::int32_t>> whole;
  std::vector<std::vector<double>> real;
};

Columns read(const std::string& path, const Scan& s, std::uint64_t size, const std::vector<Cell>& kinds, int threads) {
  Reading r;
  r.path = path;
  r.separator = s.separator;
  r.columns = s.header.size();
  r.cuts = s.cuts;
  r.size = size;
  r.rows = s.rows;
  r.threads = threads;
  Columns out;
  const std::size_t k = kinds.size(), n = static_cast<std::size_t>(s.rows);
  out.whole.assign(k, std::vector<std::int32_t>(n));
  out.real.assign(k, std::vector<double>(n));
  out.texts.assign(k, {});
  for (std::size_t i = 0; i < k; ++i) r.fields.push_back(Field{i, kinds[i], out.whole[i].data(), out.real[i].data()});
  ReadResult found = read_fields(r);
  out.outcome = found.outcome;
  out.field = found.field;
  for (std::size_t i = 0; i < k && found.outcome == Read::done; ++i) {
    if (kinds[i] != Cell::text) continue;
    for (std::size_t b = 0; b < r.cuts.size(); ++b) {
      const Words& words = found.readers[static_cast<std::size_t>(found.reader_of[b])]->words()[i];
      const std::uint64_t end = b + 1 < r.cuts.size() ? r.cuts[b + 1].rows : r.rows;
      for (std::uint64_t row = r.cuts[b].rows; row < end; ++row) {
        const auto code = static_cast<std::size_t>(out.whole[i][row]);
        out.texts[i].emplace_back(words.data(code), words.length(code));
      }
    }
  }
  return out;
}

Scan scan(const std::string& text, std::size_t cut_every) {
  Scanner s(',', true, cut_every);
  // In pieces, as a file comes.
  for (std::size_t at = 0; at < text.size(); at += 7) s.feed(text.data() + at, std::min<std::size_t>(7, text.size() - at));
  return s.finish();
}

}  // namespace

TEST_CASE("a file is parted where lines begin, also where quotes hold line breaks") {
  const std::string text = "\xEF\xBB\xBF" "a,b\n1,\"x\ny\"\n2,z\r\n3,\"w\"";
  const Scan s = scan(text, 1);
  REQUIRE(s.flaw == Flaw::none);
  REQUIRE(s.cuts.size() == 3);
  const std::string starts[] = {"1,\"x", "2,z", "3,\"w"};
  for (std::size_t i = 0; i < 3; ++i) {
    CHECK(text.compare(s.cuts[i].offset, starts[i].size(), starts[i]) == 0);
    CHECK(s.cuts[i].rows == i);
  }
  CHECK(scan(text, 1000).cuts.size() == 1);
}

TEST_CASE("cells are read as they are, in blocks of any size and by any number of threads") {
  std::mt19937 random(11);
  const std::string names[] = {"", "a", "Varlow Boatyard", "caf\xC3\xA9", "x y z", "a longer name than eight"};
  std::string text = "name,n,x,day\n";
  std::vector<std::string> name;
  std::vector<double> real;
  std::vector<int> whole;
  for (int i = 0; i < 500; ++i) {
    name.push_back(names[random() % 6]);
    whole.push_back(static_cast<int>(random() % 2000) - 1000);
    char number[32];
    std::snprintf(number, sizeof number, "%.*f", static_cast<int>(random() % 5), static_cast<double>(static_cast<int>(random() % 2000000) - 1000000) / 64);
    real.push_back(std::strtod(number, nullptr));
    const bool quoted = random() % 4 == 0;
    text += (quoted ? "\"" + name.back() + "\"" : "  " + name.back() + " ") + "," + std::to_string(whole.back()) + "," + number +
            (random() % 2 ? ",2024-02-29\r\n" : ",1969-12-31\n");
  }
  for (const std::size_t cut_every : {1, 100, 5000, 1000000})
    for (const int threads : {1, 2, 3}) {
      const Written file(text);
      const Columns c = read(file.path, scan(text, cut_every), text.size(), {Cell::text, Cell::whole, Cell::real, Cell::date}, threads);
      REQUIRE(c.outcome == Read::done);
      CHECK(c.texts[0] == name);
      CHECK(c.whole[1] == whole);
      CHECK(c.real[2] == real);
      for (const int day : c.whole[3]) CHECK((day == 19782 || day == -1));
    }
}

TEST_CASE("what is written in another way is left to the general one, and its column named") {
  struct { const char* cell; Cell kind; bool plain; } cases[] = {
      {"1.5", Cell::real, true}, {"-0.25", Cell::real, true}, {"123456789012345", Cell::real, true}, {"", Cell::real, true},
      {"1234567890123456", Cell::real, false}, {"01.5", Cell::real, false}, {"1e5", Cell::real, false}, {"$1", Cell::real, false},
      {".5", Cell::real, false}, {"5.", Cell::real, false}, {"1.2.3", Cell::real, false}, {"-", Cell::real, false}, {"nan", Cell::real, false},
      {"2147483647", Cell::whole, true}, {"2147483648", Cell::whole, false}, {"-2147483648", Cell::whole, false}, {"007", Cell::whole, false},
      {"1.0", Cell::whole, false}, {"+1", Cell::whole, false}, {"\"1\"", Cell::whole, false}, {"99999999999", Cell::whole, false},
      {"2023-02-29", Cell::date, false}, {"2024-02-29", Cell::date, true}, {"1900-02-29", Cell::date, false}, {"2000-02-29", Cell::date, true},
      {"2024-13-01", Cell::date, false}, {"2024-1-01", Cell::date, false}, {"0000-01-01", Cell::date, false}, {"2024-01-01T00", Cell::date, false},
      {"2024-04-31", Cell::date, false}, {"a\rb", Cell::text, false}, {"a\"b", Cell::text, true}};
  for (const auto& c : cases) {
    const std::string text = std::string("a,b\nx,\ny,") + c.cell + "\n";
    const Written file(text);
    const Columns found = read(file.path, scan(text, 1000), text.size(), {Cell::text, c.kind}, 1);
    INFO(c.cell);
    CHECK(found.outcome == (c.plain ? Read::done : Read::other));
    CHECK(found.field == (c.plain ? -1 : 1));
  }
}

TEST_CASE("days are counted as the periods count them") {
  for (const char* text : {"0001-01-01", "1600-02-29", "1899-12-31", "1970-01-01", "2024-03-01", "9999-12-31"}) {
    std::int32_t day = 0;
    REQUIRE(detail::read_date(text, text + 10, day));
    const std::string year = std::to_string(period_of(day, Unit::year, 1)), month = std::to_string(period_of(day, Unit::month_of_year, 1));
    CHECK(std::stoi(std::string(text, 4)) == std::stoi(year));
    CHECK(std::stoi(std::string(text + 5, 2)) == std::stoi(month));
  }
}

TEST_CASE("a file that is cut or grown while it is read is told of") {
  const std::string text = "a,b\n1,2\n3,4\n5,6\n";
  const Scan s = scan(text, 4);
  const Written shorter(text.substr(0, text.size() - 3)), other("a,b\n1\n,2\n3,4\n\n56\n");
  CHECK(read(shorter.path, s, text.size(), {Cell::whole, Cell::whole}, 2).outcome == Read::changed);
  CHECK(read(other.path, s, text.size(), {Cell::whole, Cell::whole}, 2).outcome != Read::done);
  CHECK(read(shorter.path + "-none", s, text.size(), {Cell::whole}, 1).outcome == Read::changed);
}

TEST_CASE("texts keep their codes however many there are") {
  Words words;
  for (int round = 0; round < 2; ++round)
    for (int i = 0; i < 20000; ++i) {
      const std::string text = i == 7 ? std::string() : "text " + std::to_string(i * 7919);
      CHECK(words.code(text.data(), text.size()) == i);
    }
  CHECK(words.size() == 20000);
  CHECK(words.length(7) == 0);
}
