
#include <random>

#include "scan-file.hpp"

using namespace eggcrate;

namespace {

// Fed byte by byte or whole, the answer must be the same.
Scan scan(const std::string& text, bool utf8 = true) {
  Scanner whole(0, utf8), bytes(0, utf8);
  whole.feed(text.data(), text.size());
  for (const char c : text) bytes.feed(&c, 1);
  const Scan a = whole.finish(), b = bytes.finish();
  REQUIRE(a.flaw == b.flaw);
  REQUIRE(a.flaw_row == b.flaw_row);
  REQUIRE(a.rows == b.rows);
  REQUIRE(a.header == b.header);
  REQUIRE(a.padded == b.padded);
  REQUIRE(a.blank == b.blank);
  return a;
}

}  // namespace

TEST_CASE("header, separator, rows and blanks are found") {
  const Scan s = scan("\xEF\xBB\xBF\n a ;\"b;\"\"x\"\"\";c\r\n1; 2;\r\n\r\n\"p\nq\" ;;3");
  CHECK(s.flaw == Flaw::none);
  CHECK(s.separator == ';');
  CHECK(s.header == std::vector<std::string>({"a", "b;\"x\"", "c"}));
  CHECK(s.rows == 2);
  CHECK(s.blank_lines == 1);
  CHECK(s.padded == std::vector<std::uint64_t>({0, 1, 0}));
  CHECK(s.blank == std::vector<std::uint64_t>({0, 1, 1}));
  CHECK(scan("a\tb\n1\t2\n").separator == '\t');
  CHECK(scan("only\n1\n2\n").rows == 2);
}

TEST_CASE("a row that is not whole is named") {
  struct { const char* text; Flaw flaw; std::uint64_t row; } cases[] = {
      {"a,b\n1,2\n3\n", Flaw::fields, 3},      {"a,b\n1,2,3\n", Flaw::fields, 2},
      {"a,b\n1,2\n\"3,4\n5,6\n", Flaw::quote, 3}, {"a,b\n\"1\"x,2\n", Flaw::after_quote, 2},
      {"a,b\n1,\xC3\x28\n", Flaw::utf8, 2},     {"a,b\n1,\xED\xA0\x80\n", Flaw::utf8, 2},
      {"a,b\n1,2\xC3", Flaw::utf8, 2},          {"a,b\n1,2\n\n\n3\n", Flaw::fields, 3}};
  for (const auto& c : cases) {
    const Scan s = scan(c.text);
    CHECK(s.flaw == c.flaw);
    CHECK(s.flaw_row == c.row);
  }
  CHECK(scan(std::string("a,b\n1,\0\n", 8)).flaw == Flaw::nul);
  CHECK(scan("a,b\n1,\xE9\n", false).flaw == Flaw::none);
  CHECK(scan("a,b\n\xC3\xA9,\xF0\x9F\xA5\x9A\n").flaw == Flaw::none);
}

TEST_CASE("the quick way and the careful way agree") {
  std::mt19937 random(4);
  const std::string letters[] = {"a",  "bc",     "1.25",     "a longer cell", "",  " x",
                                 "y ", "\"q,\"", "\xC3\xA9", "12345678",      "\t"};
  for (int round = 0; round < 300; ++round) {
    std::string text = "one,two,three\n";
    const std::string end = round % 2 ? "\r\n" : "\n";
    for (int row = 0; row < 6; ++row) {
      const int fields = random() % 40 == 0 ? 2 : 3;
      for (int f = 0; f < fields; ++f)
        text += (f ? "," : "") + letters[random() % (round % 3 ? 4 : 11)];
      text += end;
    }
    const Scan s = scan(text);  // compares both
    if (s.flaw == Flaw::none) CHECK(s.rows + s.blank_lines == 6);
  }
}

TEST_CASE("no header and no rows") {
  CHECK(scan("").header.empty());
  CHECK(scan("\n\n").header.empty());
  CHECK(scan("a,b").rows == 0);
  CHECK(scan("a,b").header.size() == 2);
}

TEST_CASE("a file that is looked through in parts is found to be the same") {
  std::mt19937 random(5);
  const std::string cells[] = {"a", "12.5", "", " padded", "\"q\"", "\"two\nlines\"", "\"a \"\"b\"\"\"", "caf\xC3\xA9", "longer than eight bytes", "\n"};
  int odd = 0;
  for (int round = 0; round < 400; ++round) {
    std::string text = "a,b,c\n";
    for (int line = 0; line < 60; ++line)
      text += cells[random() % 9] + "," + cells[random() % 9] + "," + cells[random() % 9] + (random() % 20 ? "\n" : "\r\n\n");
    if (round % 4 == 1) text += "\"open\nto the end,1,2\n";
    if (round % 4 == 2) text.insert(text.find('\n', random() % text.size()) + 1, "1,2\n");
    if (round % 4 == 3) text[random() % text.size()] = '\xC3';
    const std::string path = std::string(std::getenv("TMPDIR") ? std::getenv("TMPDIR") : "/tmp") + "/eggcrate-scan-" +
                             std::to_string(reinterpret_cast<std::uintptr_t>(&text));
    std::ofstream(path, std::ios::binary) << text;
    Scanner one(0, true, 100);
    one.feed(text.data(), text.size());
    const Scan a = one.finish();
    for (const int threads : {1, 2, 3, 7}) {
      FileToScan f;
      f.path = path;
      f.cut_every = 100;
      f.threads = threads;
      f.piece = 50;
      Scan b;
      REQUIRE(scan_file(f, b, 10));
      REQUIRE(a.flaw == b.flaw);
      odd += a.flaw != Flaw::none;
      CHECK(a.flaw_row == b.flaw_row);
      CHECK(a.flaw_fields == b.flaw_fields);
      if (a.flaw != Flaw::none) continue;
      CHECK(a.rows == b.rows);
      CHECK(a.padded == b.padded);
      CHECK(a.padded_row == b.padded_row);
      CHECK(a.blank == b.blank);
      CHECK(a.blank_row == b.blank_row);
      CHECK(a.blank_lines == b.blank_lines);
      CHECK(a.doubled_quotes == b.doubled_quotes);
      // Parts have places of their own to be cut at; each is where a line begins.
      for (const Cut& cut : b.cuts) {
        Scanner before(0, true);
        before.feed(text.data(), static_cast<std::size_t>(cut.offset));
        CHECK(before.finish().rows == cut.rows);
      }
    }
    std::remove(path.c_str());
  }
  CHECK(odd > 100);
}
