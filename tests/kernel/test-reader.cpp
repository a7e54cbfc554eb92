
#include <cmath>
#include <cstdio>
#include <map>
#include <random>

#include "program.hpp"
#include "reader.hpp"
#include "tally.hpp"

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
  int odd;
  std::vector<std::vector<std::string>> texts;
  std::vector<std::vector<std::int32_t>> whole;
  std::vector<std::vector<double>> real;
};

// One or more files, each scanned; all columns in their order.
struct Files {
  std::vector<std::unique_ptr<Texts>> texts;
  Reading reading;
  Files(const std::vector<std::string>& paths, const std::vector<Scan>& scans, const std::vector<std::uint64_t>& sizes,
        const std::vector<Cell>& kinds, int threads, bool trim = false) {
    for (std::size_t i = 0; i < paths.size(); ++i) {
      CheckedFile f;
      f.path = paths[i];
      f.separator = scans[i].separator;
      f.columns = scans[i].header.size();
      f.cuts = scans[i].cuts;
      f.size = sizes[i];
      f.rows = scans[i].rows;
      for (std::size_t k = 0; k < kinds.size(); ++k) f.fields.push_back({k, k});
      reading.files.push_back(f);
    }
    for (std::size_t k = 0; k < kinds.size(); ++k) texts.emplace_back(new Texts(trim));
    reading.kinds = kinds;
    reading.texts = &texts;
    reading.threads = threads;
  }
};

Columns read(const std::string& path, const Scan& s, std::uint64_t size, const std::vector<Cell>& kinds, int threads) {
  const Files files({path}, {s}, {size}, kinds, threads);
  Columns out;
  const std::size_t k = kinds.size(), n = static_cast<std::size_t>(s.rows);
  out.whole.assign(k, std::vector<std::int32_t>(n));
  out.real.assign(k, std::vector<double>(n));
  out.texts.assign(k, {});
  std::vector<Place> places(k);
  for (std::size_t i = 0; i < k; ++i) {
    places[i].whole = out.whole[i].data();
    places[i].real = out.real[i].data();
  }
  const ReadResult found = read_fields(files.reading, places);
  out.outcome = found.outcome;
  out.odd = found.odd_column;
  for (std::size_t i = 0; i < k && found.outcome == Read::done; ++i) {
    if (kinds[i] != Cell::text) continue;
    const std::vector<const Text*> all = files.texts[i]->all();
    for (const std::int32_t number : out.whole[i]) {
      const Text* t = all[static_cast<std::size_t>(number)];
      out.texts[i].emplace_back(t->data(), t->length);
    }
  }
  return out;
}

const Text* text_of(MetTexts& met, const std::string& text) {
  std::vector<const Text*> found;
  return met.find({Bytes{text.data(), text.size()}}, found) ? found[0] : nullptr;
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
    CHECK(found.odd == (c.plain ? -1 : 1));
  }
}

TEST_CASE("days are counted as the periods count them") {
  for (const char* text : {"0001-01-01", "1600-02-29", "1899-12-31", "1970-01-01", "2024-03-01", "9999-12-31"}) {
    std::int32_t day = 0;
    REQUIRE(detail::day_of(detail::date_digits(text, text + 10), day));
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

TEST_CASE("texts keep their place and number however many there are, for all threads") {
  Texts texts;
  std::vector<MetTexts> met;
  for (int t = 0; t < 2; ++t) met.emplace_back(&texts);
  const auto asked = Text::of(texts.asked("text 7919", 9));
  CHECK(asked->number == -1);
  std::vector<const Text*> seen;
  for (int round = 0; round < 2; ++round)
    for (int i = 0; i < 20000; ++i) {
      const std::string text = i == 7 ? std::string() : "text " + std::to_string(i * 7919);
      const Text* found = text_of(met[static_cast<std::size_t>(round)], text);
      REQUIRE(found);
      if (round == 0) seen.push_back(found);
      CHECK(found == seen[static_cast<std::size_t>(i)]);
      CHECK(found->number == i);
    }
  CHECK(texts.all().size() == 20000);
  CHECK(seen[1] == asked);
  CHECK(seen[7]->length == 0);
  CHECK(text_of(met[0], "a\rb") == nullptr);
}

TEST_CASE("blanks around a text are left out where that is asked for, and only there") {
  const std::string padded[] = {"  x y ", "x y", "\tx y\n", "\xC2\xA0 x y\xC2\xA0", " \xC2\xA0", "\xC2", "\xA0x"};
  for (const bool trim : {false, true}) {
    Texts texts(trim);
    MetTexts met(&texts);
    std::vector<std::string> found;
    for (int round = 0; round < 2; ++round)
      for (const std::string& text : padded) {
        const Text* t = text_of(met, text);
        found.emplace_back(t->data(), t->length);
      }
    const std::vector<std::string> as_is(padded, padded + 7), left{"x y", "x y", "x y", "x y", "", "\xC2", "\xA0x"};
    for (std::size_t i = 0; i < found.size(); ++i) CHECK(found[i] == (trim ? left : as_is)[i % 7]);
    CHECK(texts.all().size() == (trim ? 4 : 7));
  }
}

TEST_CASE("a question of files is one of their columns in memory, with the rows counted through all of them") {
  std::mt19937 random(23);
  std::vector<std::string> names;
  std::vector<double> amounts;
  std::vector<std::string> texts(2, "name,amount\n");
  for (int i = 0; i < 30000; ++i) {
    names.push_back("name " + std::to_string(random() % 700));
    char amount[32];
    std::snprintf(amount, sizeof amount, "%d.%02d", static_cast<int>(random() % 1000), static_cast<int>(random() % 100));
    const bool missing = i == 20011 || i == 29999;
    amounts.push_back(missing ? 0 : std::strtod(amount, nullptr));
    texts[i < 11000 ? 0 : 1] += "\"" + names.back() + "\"," + (missing ? "" : amount) + "\n";
  }
  std::map<std::string, std::int64_t> expected;
  for (std::size_t i = 0; i < names.size(); ++i) expected[names[i]] += static_cast<std::int64_t>(std::llround(amounts[i] * 100));
  const Written a(texts[0]), b(texts[1]);
  for (const std::size_t cut_every : {200, 60000, 1000000})
    for (const int threads : {1, 2, 3}) {
      const Files files({a.path, b.path}, {scan(texts[0], cut_every), scan(texts[1], cut_every)}, {texts[0].size(), texts[1].size()},
                        {Cell::text, Cell::real}, threads);
      // Several questions of one pass.
      std::vector<Question> questions(3);
      for (std::size_t i = 0; i < 3; ++i) {
        questions[i].keys = {{0, 0}};
        Instr in;
        in.op = Op::column;
        in.column = 1;
        questions[i].program.code = {in};
        questions[i].program.places = {0};
        Sum sum;
        sum.value = 0;
        questions[i].sums = {sum};
      }
      FromFiles supply(files.reading);
      std::vector<Tally> found;
      REQUIRE(tally(questions, supply, found).ok());
      for (std::size_t i = 0; i < 3; ++i) {
        CHECK(found[i].used == 30000);
        CHECK(found[i].sums[0].first_missing == 20011);
        CHECK(found[i].sums[0].all_missing == 2);
        REQUIRE(found[i].items == expected.size());
        for (std::size_t j = 0; j < found[i].items; ++j) {
          const Text* t = Text::of(found[i].words[j]);
          CHECK(static_cast<std::int64_t>(found[i].sums[0].total[j]) == expected[std::string(t->data(), t->length)]);
        }
      }
    }
  // What stands in the way ends the pass and is told of.
  texts[1] += "x,1e5\n";
  const Written c(texts[1]);
  const Files odd({a.path, c.path}, {scan(texts[0], 1000), scan(texts[1], 1000)}, {texts[0].size(), texts[1].size()}, {Cell::text, Cell::real}, 2);
  FromFiles supply(odd.reading);
  std::vector<Question> questions(1);
  questions[0].keys = {{0, 0}};
  std::vector<Tally> found;
  CHECK(tally(questions, supply, found).code == Code::no_rows);
  CHECK(supply.result().outcome == Read::other);
  CHECK(supply.result().odd_column == 1);
}

TEST_CASE("any bytes that the scanner lets pass are read, or left to the general way, alike in any blocks by any threads") {
  std::mt19937 random(77);
  const std::string pieces[] = {"1", "22", "-3.5", "0.25", "2024-02-29", "a", "caf\xC3\xA9", "\"", "\"\"", ",", ",", ",", "\n", "\n", "\r\n", "\r", " ", "\t",
                                ".", "-", "\"x,y\"", "\"p\nq\"", "\xC2\xA0", "12345678", "123456789.5", "\x01"};
  int read_whole = 0, refused = 0;
  for (int round = 0; round < 3000; ++round) {
    std::string text = round % 5 == 0 ? "a,b,c\r\n" : "a,b,c\n";
    if (round % 3 == 0) {  // of any bytes
      for (unsigned i = 0, n = random() % 60; i < n; ++i) text += pieces[random() % (sizeof pieces / sizeof *pieces)];
    } else {  // most lines as they should be
      for (unsigned i = 0, n = random() % 30; i < n; ++i) {
        const bool odd = random() % 40 == 0;
        for (int cell = 0; cell < 3; ++cell) {
          text += pieces[odd ? random() % 26 : cell == 0 ? 5 + random() % 2 : random() % 4];
          if (random() % 20 == 0) text += "  ";
          text += cell < 2 ? "," : random() % 9 ? "\n" : "\r\n";
        }
      }
      if (random() % 4 == 0 && text.size() > 7) text.pop_back();
    }
    const Scan first = scan(text, 1 << 20);
    if (first.flaw != Flaw::none || first.doubled_quotes || first.blank_lines > 0 || first.rows == 0 || first.header.size() != 3) {
      ++refused;
      continue;
    }
    const Written file(text);
    for (const Cell kind : {Cell::text, Cell::real, Cell::date}) {
      const std::vector<Cell> kinds{Cell::text, kind, Cell::text};
      const Columns one = read(file.path, first, text.size(), kinds, 1);
      read_whole += one.outcome == Read::done;
      for (const int threads : {1, 3}) {
        const Scan cut = scan(text, 1 + random() % 50);
        const Columns other = read(file.path, cut, text.size(), kinds, threads);
        REQUIRE((other.outcome == Read::done) == (one.outcome == Read::done));
        if (one.outcome != Read::done) continue;
        CHECK(other.texts == one.texts);
        CHECK(other.whole[1].size() == one.whole[1].size());
        CHECK((kind == Cell::text || other.whole[1] == one.whole[1]));
        CHECK(std::memcmp(other.real[1].data(), one.real[1].data(), one.real[1].size() * sizeof(double)) == 0);
      }
    }
  }
  CHECK(read_whole > 1000);
  CHECK(refused > 300);
}

TEST_CASE("a column can be wanted as its values and as its text, quoted or not") {
  for (const std::string quote : {"", "\""}) {
    const std::string text = "n,name\n007,x\n12,y\n" + std::string("3,") + quote + "z" + quote + "\n";
    const Written file(text);
    Files files({file.path}, {scan(text, 1000)}, {text.size()}, {Cell::text, Cell::real, Cell::text}, 1);
    files.reading.files[0].fields = {{0, 0}, {0, 1}, {1, 2}};
    std::vector<std::int32_t> first(3), last(3);
    std::vector<double> real(3);
    std::vector<Place> places(3);
    places[0].whole = first.data();
    places[1].real = real.data();
    places[2].whole = last.data();
    CHECK(read_fields(files.reading, places).odd_column == 1);  // a zero before others
    files.reading.files[0].fields = {{0, 0}, {0, 2}, {1, 1}};
    files.reading.kinds = {Cell::text, Cell::text, Cell::text};
    places[1].whole = last.data();
    std::vector<std::int32_t> again(3);
    places[2].whole = again.data();
    CHECK(read_fields(files.reading, places).outcome == Read::done);
    CHECK(first == std::vector<std::int32_t>({0, 1, 2}));
    CHECK(again == first);
    CHECK(last == first);
  }
}
