// Shared vocabulary of the kernel: standard library only, no word of R.
#pragma once

#include <cstddef>
#include <cstdint>
#include <cstring>
#include <limits>

namespace eggcrate {

__extension__ typedef __int128 i128;
__extension__ typedef unsigned __int128 u128;
// As it lies in a caller's memory, which need not be aligned to 16 bytes.
typedef i128 stored_i128 __attribute__((aligned(8)));

// What a kernel call came to. The caller words the message.
enum class Code : int {
  ok = 0,
  stopped = 1,     // the caller's poll asked to stop
  not_finite = 2,  // NaN or an infinite number in the data, at `row`
  too_large = 3,   // an exact result does not fit 128 bits
  no_memory = 4,
  failed = 5,      // anything else: a fault of the kernel's own
  no_rows = 6      // the rows could not be had; where they come from knows why
};

struct Status {
  Code code = Code::ok;
  std::size_t row = 0;  // counted from 0
  int column = -1;      // index into the columns that were passed
  bool ok() const noexcept { return code == Code::ok; }
};

// A column as the caller holds it; nothing is copied or owned.
enum class Kind : std::uint8_t {
  real,   // double; a NaN whose low word is kMissingWord is a missing value
  whole,  // int32; INT32_MIN is a missing value
  text    // 64-bit handles: equal handles are equal texts; see Text
};

struct Column {
  Kind kind = Kind::real;
  const void* data = nullptr;
};

// The low word of the NaN that stands for a missing double.
constexpr std::uint32_t kMissingWord = 1954;
constexpr std::uint64_t kMissingReal = 0x7FF0000000000000ull | kMissingWord;  // as we write it
inline double missing_real() noexcept {
  double x;
  std::memcpy(&x, &kMissingReal, sizeof x);
  return x;
}
constexpr std::int32_t kMissingWhole = std::numeric_limits<std::int32_t>::min();

// Three-valued truth.
enum Truth : std::uint8_t { no = 0, yes = 1, unknown = 2 };

// Asks whether long work is to stop: told the part done, by the calling thread only.
struct Poll {
  bool (*stop)(void*, double) = nullptr;
  void* with = nullptr;
  bool stops(double part) const { return stop && stop(with, part); }
};

// Rows worked on at a time: small enough that all registers of a usual
// question stay in the second-level cache.
constexpr std::size_t kChunk = 1024;

}  // namespace eggcrate
