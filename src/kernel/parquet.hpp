// A reader for the usual columns of Parquet files: whole numbers, days, doubles and texts, plain or
// with a dictionary, compressed with Snappy or uncompressed. A general reader does everything else.
// Source: the Apache Parquet format, https://parquet.apache.org/docs/file-format/
//
// Every length in the file is checked, because the file may be damaged.
#pragma once

#include <algorithm>
#include <fstream>
#include <string>

#include "base.hpp"
#include "texts.hpp"

namespace eggcrate {

struct DamagedFile {};

// The general reader must read this column.
struct LeftToOthers {};

enum class ParquetType : int { whole = 0, real = 1, text = 2, other = -1 };

// The values of a column in one row group.
struct ParquetChunk {
  std::uint64_t offset = 0, size = 0, values = 0;
  bool packed = false;
};

namespace detail {

class Input {
 public:
  Input(const unsigned char* from, std::size_t n) : at_(from), end_(from + n) {}

  std::size_t left() const noexcept { return static_cast<std::size_t>(end_ - at_); }
  const unsigned char* take(std::uint64_t n) {
    if (n > left()) throw DamagedFile();
    const unsigned char* from = at_;
    at_ += n;
    return from;
  }
  unsigned char byte() { return *take(1); }
  std::uint32_t word(std::size_t bytes = 4) {
    const unsigned char* p = take(bytes);
    std::uint32_t x = 0;
    for (std::size_t i = 0; i < bytes; ++i) x |= static_cast<std::uint32_t>(p[i]) << (8 * i);
    return x;
  }
  // Seven bits per byte, the lowest first.
  std::uint64_t varint() {
    std::uint64_t x = 0;
    for (int shift = 0; shift < 64; shift += 7) {
      const unsigned char b = byte();
      x |= static_cast<std::uint64_t>(b & 127) << shift;
      if (b < 128) return x;
    }
    throw DamagedFile();
  }
  std::int64_t number() {
    const std::uint64_t x = varint();
    return static_cast<std::int64_t>(x >> 1) ^ -static_cast<std::int64_t>(x & 1);
  }
  // A count or a size.
  std::size_t size() {
    const std::int64_t x = number();
    if (x < 0 || x > std::numeric_limits<std::int32_t>::max()) throw DamagedFile();
    return static_cast<std::size_t>(x);
  }

 private:
  const unsigned char* at_;
  const unsigned char* end_;
};

// Page headers, in Thrift's compact protocol ---------------------------------

enum Thrift { kTrue = 1, kFalse = 2, kByte = 3, kShort = 4, kInt = 5, kLong = 6, kDouble = 7, kBinary = 8, kList = 9, kSet = 10, kStruct = 12 };

void skip_value(Input& in, int type, int depth);

// `field` reads a field by its number and type, or returns false to skip it.
template <class Field>
void read_struct(Input& in, Field field, int depth = 0) {
  int id = 0;
  while (const unsigned char head = in.byte()) {
    id = head >> 4 ? id + (head >> 4) : static_cast<int>(in.number());
    if (!field(id, head & 15)) skip_value(in, head & 15, depth);
  }
}

inline void skip_value(Input& in, int type, int depth) {
  if (depth > 8) throw DamagedFile();
  switch (type) {
    case kTrue: case kFalse: return;
    case kByte: in.take(1); return;
    case kShort: case kInt: case kLong: in.varint(); return;
    case kDouble: in.take(8); return;
    case kBinary: in.take(in.varint()); return;
    case kList: case kSet: {
      const unsigned char head = in.byte();
      const std::uint64_t n = head >> 4 == 15 ? in.varint() : head >> 4;
      if (n > in.left()) throw DamagedFile();
      const int of = head & 15;
      for (std::uint64_t i = 0; i < n; ++i) {
        if (of == kTrue || of == kFalse) in.take(1);
        else skip_value(in, of, depth + 1);
      }
      return;
    }
    case kStruct: read_struct(in, [](int, int) { return false; }, depth + 1); return;
    default: throw LeftToOthers();
  }
}

enum Page { kData = 0, kIndex = 1, kDictionary = 2, kData2 = 3 };
enum Encoding { kPlain = 0, kPlainDictionary = 2, kRuns = 3, kRunsDictionary = 8 };

struct PageHeader {
  int type = -1, encoding = -1, levels = kRuns;
  std::size_t unpacked = 0, packed = 0, values = 0, level_bytes = 0, repeat_bytes = 0;
  bool body_packed = true;
};

inline PageHeader read_header(Input& in) {
  PageHeader h;
  // The fields have different numbers in the three kinds of pages.
  const auto body = [&](int values, int encoding, int levels, bool second) {
    read_struct(in, [&](int id, int type) {
      if (type == kInt && id == values) h.values = in.size();
      else if (type == kInt && id == encoding) h.encoding = static_cast<int>(in.size());
      else if (type == kInt && id == levels) h.levels = static_cast<int>(in.size());
      else if (second && type == kInt && id == 5) h.level_bytes = in.size();
      else if (second && type == kInt && id == 6) h.repeat_bytes = in.size();
      else if (second && id == 7 && (type == kTrue || type == kFalse)) h.body_packed = type == kTrue;
      else return false;
      return true;
    }, 1);
    return true;
  };
  read_struct(in, [&](int id, int type) {
    if (type == kStruct && id == 5) return body(1, 2, 3, false);
    if (type == kStruct && id == 7) return body(1, 2, -1, false);
    if (type == kStruct && id == 8) return body(1, 4, -1, true);
    if (type != kInt) return false;
    if (id == 1) h.type = static_cast<int>(in.size());
    else if (id == 2) h.unpacked = in.size();
    else if (id == 3) h.packed = in.size();
    else return false;
    return true;
  });
  return h;
}

// Snappy ----------------------------------------------------------------------

// Source: https://github.com/google/snappy/blob/main/format_description.txt
inline std::vector<unsigned char> unpack_snappy(const unsigned char* from, std::size_t n, std::size_t size) {
  Input in(from, n);
  // Three bytes expand to at most 64.
  if (in.varint() != size || size / 22 > n) throw DamagedFile();
  std::vector<unsigned char> out(size);
  std::size_t at = 0;
  while (in.left()) {
    const unsigned char tag = in.byte();
    if ((tag & 3) == 0) {
      std::size_t length = tag >> 2;
      if (length >= 60) length = in.word(length - 59);
      ++length;
      const unsigned char* p = in.take(length);
      if (length > size - at) throw DamagedFile();
      std::memcpy(out.data() + at, p, length);
      at += length;
      continue;
    }
    const std::size_t length = (tag & 3) == 1 ? ((tag >> 2) & 7) + 4 : (tag >> 2) + 1;
    const std::size_t back = (tag & 3) == 1 ? (static_cast<std::size_t>(tag >> 5) << 8 | in.byte()) : in.word((tag & 3) == 2 ? 2 : 4);
    if (back == 0 || back > at || length > size - at) throw DamagedFile();
    unsigned char* to = out.data() + at;
    if (back >= length) std::memcpy(to, to - back, length);
    else for (std::size_t i = 0; i < length; ++i) to[i] = to[i - back];  // the copy may overlap itself
    at += length;
  }
  if (at != size) throw DamagedFile();
  return out;
}

// Runs: equal numbers, or bit-packed ones --------------------------------------

class Runs {
 public:
  Runs(Input in, unsigned width) : in_(in), width_(width) {
    if (width > 32) throw DamagedFile();
  }

  // The next `n` numbers, each below `limit`.
  void read(std::uint32_t* out, std::size_t n, std::size_t limit) {
    for (std::size_t i = 0; i < n;) {
      if (!left_) next_run();
      const std::size_t m = std::min(left_, n - i);
      if (!bits_from_) std::fill(out + i, out + i + m, value_);
      else for (std::size_t j = 0; j < m; ++j) out[i + j] = next_packed();
      left_ -= m;
      i += m;
    }
    for (std::size_t i = 0; i < n; ++i)
      if (out[i] >= limit) throw DamagedFile();
  }

 private:
  void next_run() {
    const std::uint64_t head = in_.varint();
    bits_from_ = nullptr;
    have_ = 0;
    if (head & 1) {
      if ((head >> 1) > (std::uint64_t(1) << 32)) throw DamagedFile();
      left_ = static_cast<std::size_t>(head >> 1) * 8;
      static const unsigned char none = 0;
      bits_from_ = width_ ? in_.take((head >> 1) * width_) : &none;
    } else {
      left_ = static_cast<std::size_t>(head >> 1);
      value_ = in_.word((width_ + 7) / 8);
    }
    if (!left_) throw DamagedFile();
  }
  std::uint32_t next_packed() noexcept {
    while (have_ < width_) {
      held_ |= static_cast<std::uint64_t>(*bits_from_++) << have_;
      have_ += 8;
    }
    const auto x = static_cast<std::uint32_t>(held_ & ((std::uint64_t(1) << width_) - 1));
    held_ >>= width_;
    have_ -= width_;
    return x;
  }

  Input in_;
  unsigned width_;
  std::size_t left_ = 0;
  std::uint32_t value_ = 0;
  const unsigned char* bits_from_ = nullptr;
  std::uint64_t held_ = 0;
  unsigned have_ = 0;
};

// Values ------------------------------------------------------------------------

// Reads a value in plain encoding.
template <class Number>
struct Plain {
  typedef Number Value;
  static Value next(Input& in) {
    Value x;
    std::memcpy(&x, in.take(sizeof x), sizeof x);
    return x;
  }
};

template <>
struct Plain<Bytes> {
  typedef Bytes Value;
  static Value next(Input& in) {
    const std::size_t n = in.word();
    return {reinterpret_cast<const char*>(in.take(n)), n};
  }
};

}  // namespace detail

// `Number`: std::int32_t or double.
template <class Number>
class ParquetNumbers {
 public:
  typedef detail::Plain<Number> Form;
  explicit ParquetNumbers(Number missing) : missing_(missing) {}

  void begin(Number* out) { out_ = out; }
  void look_up(std::vector<Number>& values, int set) { values_[set].swap(values); }
  void put(std::uint32_t at, int set) { *out_++ = values_[set][at]; }
  void put_missing() { *out_++ = missing_; }

 private:
  Number* out_ = nullptr;
  Number missing_;
  std::vector<Number> values_[2];
};

// Texts, as numbers of a list that all threads share. A set of texts (0 a dictionary, 1 a plain page) is looked up first; then rows
// refer to positions in the set. ParquetNumbers has the same functions.
class ParquetTexts {
 public:
  typedef detail::Plain<Bytes> Form;
  explicit ParquetTexts(Texts& texts) : texts_(texts) {}

  void begin(std::int32_t* out) { out_ = out; }
  // Finds the texts that this thread has met. A new text gets its number when a row has it, because a dictionary may have unused texts.
  void look_up(std::vector<Bytes>& values, int set) {
    constexpr std::size_t ahead = 16;
    Set& s = sets_[set];
    s.values.swap(values);
    const std::size_t n = s.values.size();
    s.hashes.resize(n);
    s.numbers.resize(n);
    for (std::size_t i = 0; i < n; ++i) s.hashes[i] = detail::TextTable::hash(s.values[i].data, s.values[i].length);
    for (std::size_t i = 0; i < n; ++i) {
      if (i + 2 * ahead < n) met_.ask_for_place(s.hashes[i + 2 * ahead]);
      if (i + ahead < n) met_.ask_for_text(s.hashes[i + ahead]);
      const Text* found = met_.find(s.values[i].data, s.values[i].length, s.hashes[i], [] { return nullptr; });
      s.numbers[i] = found ? found->number : -1;
    }
  }
  void put(std::uint32_t at, int set) {
    Set& s = sets_[set];
    if (s.numbers[at] < 0) {
      const Bytes text = s.values[at];
      const std::uint64_t h = s.hashes[at];
      s.numbers[at] = met_.find(text.data, text.length, h, [&] { return texts_.of_row(text.data, text.length, h); })->number;
    }
    *out_++ = s.numbers[at];
  }
  void put_missing() { *out_++ = kMissingWhole; }

 private:
  struct Set {
    std::vector<Bytes> values;
    std::vector<std::uint64_t> hashes;
    std::vector<std::int32_t> numbers;
  };

  std::int32_t* out_ = nullptr;
  Texts& texts_;
  detail::TextTable met_;
  Set sets_[2];
};

// Reads the pages of a chunk; the first may be a dictionary. `optional`: can values be missing?
template <class Column>
void read_chunk(const unsigned char* data, const ParquetChunk& chunk, bool optional, Column& column) {
  typedef typename Column::Form Form;
  detail::Input in(data, static_cast<std::size_t>(chunk.size));
  std::vector<unsigned char> dictionary, body;
  std::size_t known = 0;
  std::vector<std::uint32_t> present, at;
  std::vector<typename Form::Value> values;
  const auto read_values = [&](detail::Input& page, std::size_t n, int set) {
    if (n > page.left()) throw DamagedFile();
    values.resize(n);
    for (typename Form::Value& value : values) value = Form::next(page);
    column.look_up(values, set);
  };
  for (std::uint64_t read = 0; read < chunk.values;) {
    const detail::PageHeader h = detail::read_header(in);
    const unsigned char* from = in.take(h.packed);
    const auto unpacked = [&](const unsigned char* p, std::size_t n, std::size_t size, bool packed,
                              std::vector<unsigned char>& kept) -> detail::Input {
      if (!packed) {
        if (n != size) throw DamagedFile();
        return {p, n};
      }
      kept = detail::unpack_snappy(p, n, size);
      return {kept.data(), kept.size()};
    };
    if (h.type == detail::kIndex) continue;
    if (h.type == detail::kDictionary) {
      if (h.encoding != detail::kPlain && h.encoding != detail::kPlainDictionary) throw LeftToOthers();
      detail::Input page = unpacked(from, h.packed, h.unpacked, chunk.packed, dictionary);
      known = h.values;
      read_values(page, known, 0);
      continue;
    }
    if (h.type != detail::kData && h.type != detail::kData2) throw LeftToOthers();
    const std::size_t n = h.values;
    if (n > chunk.values - read) throw DamagedFile();
    read += n;
    std::size_t before = 0;
    if (h.type == detail::kData2) {
      before = h.level_bytes;
      if (h.repeat_bytes || before > h.packed || before > h.unpacked) throw DamagedFile();
    }
    detail::Input page = unpacked(from + before, h.packed - before, h.unpacked - before, chunk.packed && h.body_packed, body);
    std::size_t filled = n;
    if (optional) {
      if (h.levels != detail::kRuns) throw LeftToOthers();
      const std::size_t bytes = h.type == detail::kData2 ? before : page.word();
      present.resize(n);
      detail::Runs(detail::Input(h.type == detail::kData2 ? from : page.take(bytes), bytes), 1).read(present.data(), n, 2);
      filled = static_cast<std::size_t>(std::count(present.begin(), present.end(), 1u));
    }
    const int set = h.encoding == detail::kPlain;
    if (set == 1) {
      read_values(page, filled, 1);
    } else if (h.encoding == detail::kPlainDictionary || h.encoding == detail::kRunsDictionary) {
      at.resize(filled);
      if (filled) {
        const unsigned width = page.byte();
        detail::Runs(page, width).read(at.data(), filled, known);
      }
    } else {
      throw LeftToOthers();
    }
    std::uint32_t next = 0;
    for (std::size_t i = 0; i < n; ++i) {
      if (optional && !present[i]) {
        column.put_missing();
      } else {
        column.put(set ? next : at[next], set);
        ++next;
      }
    }
  }
}

// Facts about a column, from the footer.
struct ParquetColumnFacts {
  std::string name;
  ParquetType type = ParquetType::other;
  bool date = false, optional = false;
  std::vector<ParquetChunk> chunks;  // one per row group
};

struct ParquetFacts {
  std::uint64_t rows = 0;
  bool nested = false;  // is a column nested?
  std::vector<ParquetColumnFacts> columns;
};

namespace detail {

// Calls `each` for each struct of a list.
template <class Each>
void read_list(Input& in, Each each) {
  const unsigned char head = in.byte();
  const std::uint64_t n = head >> 4 == 15 ? in.varint() : head >> 4;
  if ((head & 15) != kStruct || n > in.left()) throw DamagedFile();
  for (std::uint64_t i = 0; i < n; ++i) each();
}

inline std::uint64_t natural(Input& in) {
  const std::int64_t x = in.number();
  if (x < 0) throw DamagedFile();
  return static_cast<std::uint64_t>(x);
}

// Numbers of the format's definition.
enum Physical { kInt32 = 1, kFloat64 = 5, kByteArray = 6 };
enum Converted { kUtf8 = 0, kDate = 6, kInt8 = 15, kInt16 = 16, kSigned32 = 17 };
enum Repetition { kOptional = 1, kRepeated = 2 };
enum Codec { kUncompressed = 0, kSnappy = 1 };

// An element of the schema. Returns the number of its children.
inline std::size_t read_element(Input& in, ParquetColumnFacts& column) {
  int physical = -1, converted = -1, repetition = 0;
  std::size_t children = 0;
  bool logical = false;
  read_struct(in, [&](int id, int type) {
    if (type == kInt && id == 1) physical = static_cast<int>(in.size());
    else if (type == kInt && id == 3) repetition = static_cast<int>(in.size());
    else if (type == kBinary && id == 4) {
      const std::uint64_t n = in.varint();
      column.name.assign(reinterpret_cast<const char*>(in.take(n)), static_cast<std::size_t>(n));
    }
    else if (type == kInt && id == 5) children = in.size();
    else if (type == kInt && id == 6) converted = static_cast<int>(in.size());
    else {
      logical |= id == 10;
      return false;
    }
    return true;
  });
  column.optional = repetition == kOptional;
  column.date = physical == kInt32 && converted == kDate;
  const bool plain = converted < 0 && !logical;
  if (repetition == kRepeated) return children;
  if (physical == kByteArray && converted == kUtf8) column.type = ParquetType::text;
  else if (physical == kFloat64 && plain) column.type = ParquetType::real;
  else if (physical == kInt32 && (plain || column.date || converted == kInt8 || converted == kInt16 || converted == kSigned32))
    column.type = ParquetType::whole;
  return children;
}

// A column in one row group. The type becomes `other` if the chunk is in another file or has another compression.
inline void read_column_chunk(Input& in, ParquetColumnFacts& column) {
  ParquetChunk chunk;
  bool elsewhere = false;
  std::size_t codec = kUncompressed;
  std::uint64_t data = 0, dictionary = 0;
  read_struct(in, [&](int id, int type) {
    elsewhere |= id == 1;
    if (type != kStruct || id != 3) return false;
    read_struct(in, [&](int part, int form) {
      if (part == 4 && form == kInt) codec = in.size();
      else if (part == 5 && form == kLong) chunk.values = natural(in);
      else if (part == 7 && form == kLong) chunk.size = natural(in);
      else if (part == 9 && form == kLong) data = natural(in);
      else if (part == 11 && form == kLong) dictionary = natural(in);
      else return false;
      return true;
    }, 1);
    return true;
  });
  chunk.offset = dictionary > 0 ? std::min(data, dictionary) : data;
  chunk.packed = codec == kSnappy;
  if (elsewhere || codec > kSnappy) column.type = ParquetType::other;
  column.chunks.push_back(chunk);
}

}  // namespace detail

// Reads the bytes of a footer. A column with another number of values than rows is refused.
inline ParquetFacts read_footer(const unsigned char* data, std::size_t n) {
  detail::Input in(data, n);
  ParquetFacts facts;
  bool root = true;
  detail::read_struct(in, [&](int id, int type) {
    if (id == 2 && type == detail::kList) {
      detail::read_list(in, [&] {
        ParquetColumnFacts column;
        const std::size_t children = detail::read_element(in, column);
        if (!root) {
          facts.nested |= children > 0;
          facts.columns.push_back(column);
        }
        root = false;
      });
    } else if (id == 3 && type == detail::kLong) {
      facts.rows = detail::natural(in);
    } else if (id == 4 && type == detail::kList) {
      detail::read_list(in, [&] {
        detail::read_struct(in, [&](int part, int form) {
          if (part != 1 || form != detail::kList) return false;
          std::size_t at = 0;
          detail::read_list(in, [&] {
            if (facts.nested) { detail::skip_value(in, detail::kStruct, 0); return; }
            if (at == facts.columns.size()) throw DamagedFile();
            detail::read_column_chunk(in, facts.columns[at++]);
          });
          return true;
        });
      });
    } else {
      return false;
    }
    return true;
  });
  for (const ParquetColumnFacts& column : facts.columns) {
    std::uint64_t values = 0;
    for (const ParquetChunk& chunk : column.chunks) {
      if (chunk.values > facts.rows) throw DamagedFile();
      values += chunk.values;
    }
    if (!facts.nested && values != facts.rows) throw DamagedFile();
  }
  return facts;
}

// Reads `size` bytes of a file.
inline void load_bytes(const std::string& path, std::uint64_t offset, std::uint64_t size, std::vector<unsigned char>& data) {
  std::ifstream file(path, std::ios::binary | std::ios::ate);
  const auto end = static_cast<std::uint64_t>(file ? static_cast<std::streamoff>(file.tellg()) : 0);
  if (offset > end || size > end - offset) throw DamagedFile();
  data.resize(static_cast<std::size_t>(size));
  file.seekg(static_cast<std::streamoff>(offset));
  file.read(reinterpret_cast<char*>(data.data()), static_cast<std::streamsize>(size));
  if (!file) throw DamagedFile();
}

}  // namespace eggcrate
