#include <random>

#include "parquet.hpp"

using namespace eggcrate;

namespace {

typedef std::vector<unsigned char> Data;

void put(Data& to, const Data& more) { to.insert(to.end(), more.begin(), more.end()); }
void put_word(Data& to, std::uint32_t x) {
  for (int i = 0; i < 4; ++i) to.push_back(static_cast<unsigned char>(x >> (8 * i)));
}
void put_varint(Data& to, std::uint64_t x) {
  for (; x > 127; x >>= 7) to.push_back(static_cast<unsigned char>(x | 128));
  to.push_back(static_cast<unsigned char>(x));
}
void put_text(Data& to, const std::string& text) {
  put_word(to, static_cast<std::uint32_t>(text.size()));
  to.insert(to.end(), text.begin(), text.end());
}

// A page: its header in Thrift's compact protocol, and its body.
Data page(int type, int encoding, std::size_t values, const Data& body, std::size_t unpacked) {
  Data out;
  const auto field = [&out](int step, std::uint64_t x) {
    out.push_back(static_cast<unsigned char>(step << 4 | 5));
    put_varint(out, x * 2);
  };
  field(1, static_cast<std::uint64_t>(type));
  field(1, unpacked);
  field(1, body.size());
  out.push_back(static_cast<unsigned char>((type == 2 ? 4 : 2) << 4 | 12));
  field(1, values);
  field(1, static_cast<std::uint64_t>(encoding));
  if (type == 0) {
    field(1, 3);
    field(1, 3);
    // Statistics, a struct with a text, which the reader skips.
    put(out, {1 << 4 | 12, 1 << 4 | 8, 2, 'a', 'b', 0});
  }
  out.push_back(0);
  out.push_back(0);
  put(out, body);
  return out;
}

// Snappy without copies.
Data snappy_literals(const Data& of) {
  Data out;
  put_varint(out, of.size());
  for (std::size_t i = 0; i < of.size(); i += 60) {
    const std::size_t n = std::min<std::size_t>(60, of.size() - i);
    out.push_back(static_cast<unsigned char>((n - 1) << 2));
    out.insert(out.end(), of.begin() + static_cast<std::ptrdiff_t>(i), of.begin() + static_cast<std::ptrdiff_t>(i + n));
  }
  return out;
}

std::vector<std::string> texts_of(const Data& data, std::uint64_t rows, bool optional, bool packed) {
  Texts texts;
  ParquetTexts column(texts);
  std::vector<std::int32_t> code(rows);
  column.begin(code.data());
  read_chunk(data.data(), ParquetChunk{0, data.size(), rows, packed}, optional, column);
  const auto order = in_row_order(texts, code.data(), code.size());
  std::vector<std::string> out;
  for (const std::int32_t c : code)
    out.push_back(c == kMissingWhole ? "-" : std::string(order[static_cast<std::size_t>(c)]->data(), order[static_cast<std::size_t>(c)]->length));
  return out;
}

// A dictionary, a page of positions in it with two missing values, and a plain page.
Data mixed_chunk(bool packed) {
  Data dictionary, places, plain;
  for (const char* text : {"unused", "oar", "cleat", "bilge pump"}) put_text(dictionary, text);
  // Present or missing: a bit-packed run of 8; the first 6 bits are used: 1 0 1 1 0 1.
  put_word(places, 2);
  put(places, {1 << 1 | 1, 0x2D});
  // Positions of 2 bits: the position 2 twice, then a bit-packed run: 1 3.
  put(places, {2, 2 << 1, 2, 1 << 1 | 1, 1 | 3 << 2, 0});
  put_word(plain, 2);
  put(plain, {3 << 1, 1});
  for (const char* text : {"oar", "", "shackle"}) put_text(plain, text);
  Data out;
  for (const auto& one : {std::make_tuple(2, 0, std::size_t(4), dictionary), std::make_tuple(0, 8, std::size_t(6), places), std::make_tuple(0, 0, std::size_t(3), plain)}) {
    const Data& body = std::get<3>(one);
    put(out, page(std::get<0>(one), std::get<1>(one), std::get<2>(one), packed ? snappy_literals(body) : body, body.size()));
  }
  return out;
}

// Reads 20,000 damaged copies, and counts the ones that are refused. `read`: is what it read of the right size?
template <class Make, class Read>
int refusals(unsigned seed, Make make, Read read) {
  std::mt19937 random(seed);
  int right = 0, refused = 0;
  for (int i = 0; i < 20000; ++i) {
    Data damaged = make(i);
    for (unsigned k = 0; k <= random() % 3; ++k) damaged[random() % damaged.size()] = static_cast<unsigned char>(random());
    if (random() % 10 == 0) damaged.resize(random() % damaged.size());
    try {
      right += read(damaged, i);
    } catch (const DamagedFile&) {
      ++refused;
    } catch (const LeftToOthers&) {
      ++refused;
    }
  }
  CHECK(right + refused == 20000);
  return refused;
}

const std::vector<std::string> mixed = {"cleat", "-", "cleat", "oar", "-", "bilge pump", "oar", "", "shackle"};

}  // namespace

TEST_CASE("dictionaries, positions in them, missing values and plain texts are read") {
  for (const bool packed : {false, true}) CHECK(texts_of(mixed_chunk(packed), 9, true, packed) == mixed);
}

TEST_CASE("plain numbers are read, and a dictionary of numbers") {
  Data plain, values, dictionary;
  for (const double x : {1.5, -2.25, 1e300}) {
    Data bytes(8);
    std::memcpy(bytes.data(), &x, 8);
    put(plain, bytes);
  }
  const Data reals = page(0, 0, 3, plain, plain.size());
  double real[3];
  ParquetNumbers<double> of_reals(missing_real());
  of_reals.begin(real);
  read_chunk(reals.data(), ParquetChunk{0, reals.size(), 3, false}, false, of_reals);
  CHECK(std::vector<double>(real, real + 3) == std::vector<double>({1.5, -2.25, 1e300}));

  for (const int x : {7, -8}) put_word(dictionary, static_cast<std::uint32_t>(x));
  put(values, {1, 3 << 1, 1, 1 << 1, 0});
  Data wholes = page(2, 0, 2, dictionary, dictionary.size());
  put(wholes, page(0, 2, 4, values, values.size()));
  std::int32_t whole[4];
  ParquetNumbers<std::int32_t> of_wholes(kMissingWhole);
  of_wholes.begin(whole);
  read_chunk(wholes.data(), ParquetChunk{0, wholes.size(), 4, false}, false, of_wholes);
  CHECK(std::vector<std::int32_t>(whole, whole + 4) == std::vector<std::int32_t>({-8, -8, -8, 7}));
}

TEST_CASE("Snappy copies, also if a copy overlaps itself, and refuses offsets before the beginning") {
  // "ab", six bytes from two before, "xy", and four bytes from ten before with an offset of two bytes.
  const Data packed = {14, 1 << 2, 'a', 'b', (6 - 4) << 2 | 1, 2, 1 << 2, 'x', 'y', (4 - 1) << 2 | 2, 10, 0};
  const Data out = detail::unpack_snappy(packed.data(), packed.size(), 14);
  CHECK(std::string(out.begin(), out.end()) == "ababababxyabab");
  CHECK_THROWS_AS(detail::unpack_snappy(packed.data(), packed.size(), 15), DamagedFile);
  CHECK_THROWS_AS(detail::unpack_snappy(packed.data(), packed.size() - 1, 14), DamagedFile);
  const Data back = {4, 0, 'a', (4 - 1) << 2 | 2, 3, 0};  // from before the beginning
  CHECK_THROWS_AS(detail::unpack_snappy(back.data(), back.size(), 5), DamagedFile);
}

TEST_CASE("the footer gives the names, types and positions of the columns; damaged bytes are refused or give facts") {
  const auto name = [](Data& to, const std::string& text) {
    to.push_back(static_cast<unsigned char>(text.size()));
    to.insert(to.end(), text.begin(), text.end());
  };
  // Version 1; a schema of a root, a text that may be missing and a double; 5 rows; one group of them.
  Data footer = {1 << 4 | 5, 2, 1 << 4 | 9, 3 << 4 | 12};
  put(footer, {4 << 4 | 8});
  name(footer, "schema");
  put(footer, {1 << 4 | 5, 4, 0});
  put(footer, {1 << 4 | 5, 12, 2 << 4 | 5, 2, 1 << 4 | 8});
  name(footer, "customer");
  put(footer, {2 << 4 | 5, 0, 0});
  put(footer, {1 << 4 | 5, 10, 2 << 4 | 5, 0, 1 << 4 | 8});
  name(footer, "sales");
  put(footer, {0, 1 << 4 | 6, 10, 1 << 4 | 9, 1 << 4 | 12, 1 << 4 | 9, 2 << 4 | 12});
  // Of each column: codec, values, size, places of the data and of the dictionary.
  put(footer, {3 << 4 | 12, 4 << 4 | 5, 2, 1 << 4 | 6, 10, 2 << 4 | 6, 40, 2 << 4 | 6, 60, 2 << 4 | 6, 8, 0, 0});
  put(footer, {3 << 4 | 12, 4 << 4 | 5, 4, 1 << 4 | 6, 10, 2 << 4 | 6, 42, 2 << 4 | 6, 62, 0, 0});
  put(footer, {0, 0});
  const ParquetFacts facts = read_footer(footer.data(), footer.size());
  CHECK(facts.rows == 5);
  CHECK_FALSE(facts.nested);
  REQUIRE(facts.columns.size() == 2);
  const ParquetColumnFacts &text = facts.columns[0], &real = facts.columns[1];
  CHECK(text.name == "customer");
  CHECK(text.type == ParquetType::text);
  CHECK(text.optional);
  REQUIRE(text.chunks.size() == 1);
  CHECK(text.chunks[0].offset == 4);
  CHECK(text.chunks[0].size == 20);
  CHECK(text.chunks[0].values == 5);
  CHECK(text.chunks[0].packed);
  CHECK(real.name == "sales");
  CHECK_FALSE(real.optional);
  CHECK(real.type == ParquetType::other);  // packed in another way
  CHECK(real.chunks[0].offset == 31);

  CHECK(refusals(6, [&](int) { return footer; }, [](const Data& data, int) { return read_footer(data.data(), data.size()).columns.size() < 100; }) > 3000);
}

TEST_CASE("an unsupported encoding is left to the general reader") {
  Data chunk = page(0, 5, 3, {1, 2, 3}, 3);
  CHECK_THROWS_AS(texts_of(chunk, 3, false, false), LeftToOthers);
}

TEST_CASE("damaged bytes are refused or give values; no byte past the end is read") {
  const auto read = [](const Data& data, int i) { return texts_of(data, 9, true, i % 2 == 1).size() == 9; };
  CHECK(refusals(5, [](int i) { return mixed_chunk(i % 2 == 1); }, read) > 5000);
}
