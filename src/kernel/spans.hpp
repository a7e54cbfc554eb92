// Several bytes at once: which of them are the ones that are looked for, a bit for each.
#pragma once

#include <cstring>

#if defined(__SSE2__)
#include <emmintrin.h>
#endif

#include "base.hpp"

namespace eggcrate {

#if defined(__SSE2__)
constexpr std::size_t kSpan = 16;

class Span {
 public:
  explicit Span(const char* p) noexcept : x_(_mm_loadu_si128(reinterpret_cast<const __m128i*>(p))) {}
  unsigned equal(char c) const noexcept { return bits(_mm_cmpeq_epi8(x_, _mm_set1_epi8(c))); }
  unsigned either(char a, char b) const noexcept {
    return bits(_mm_or_si128(_mm_cmpeq_epi8(x_, _mm_set1_epi8(a)), _mm_cmpeq_epi8(x_, _mm_set1_epi8(b))));
  }
  // Controls, and letters beyond ASCII, which count as negative.
  unsigned unusual() const noexcept { return bits(_mm_cmplt_epi8(x_, _mm_set1_epi8(' '))); }

 private:
  static unsigned bits(__m128i x) noexcept { return static_cast<unsigned>(_mm_movemask_epi8(x)); }
  __m128i x_;
};
#else
constexpr std::size_t kSpan = 8;

class Span {
 public:
  explicit Span(const char* p) noexcept {
    for (std::size_t i = 0; i < kSpan; ++i) x_ |= std::uint64_t(static_cast<unsigned char>(p[i])) << (8 * i);
  }
  unsigned equal(char c) const noexcept { return bits(marks(c)); }
  unsigned either(char a, char b) const noexcept { return bits(marks(a) | marks(b)); }
  unsigned unusual() const noexcept {
    constexpr std::uint64_t top = 0x8080808080808080ull;
    return bits(((~((x_ | top) - 0x2020202020202020ull)) | x_) & top);
  }

 private:
  // A mark in the top bit of each byte that equals `c`; the first byte is the lowest.
  std::uint64_t marks(char c) const noexcept {
    constexpr std::uint64_t low = 0x7F7F7F7F7F7F7F7Full;
    const std::uint64_t t = x_ ^ (0x0101010101010101ull * static_cast<unsigned char>(c));
    return ~(((t & low) + low) | t | low);
  }
  static unsigned bits(std::uint64_t marks) noexcept { return static_cast<unsigned>(((marks >> 7) * 0x0102040810204080ull) >> 56); }
  std::uint64_t x_ = 0;
};
#endif

inline std::size_t first_bit(unsigned bits) noexcept { return static_cast<std::size_t>(__builtin_ctz(bits)); }

inline int count_bits(unsigned bits) noexcept {  // of at most 16
  bits -= bits >> 1 & 0x5555;
  bits = (bits & 0x3333) + (bits >> 2 & 0x3333);
  bits = (bits + (bits >> 4)) & 0x0F0F;
  return static_cast<int>((bits + (bits >> 8)) & 0x1F);
}

// Of 64 bytes those that are `a`, and those that are `b`.
constexpr std::size_t kWideSpan = 64;
struct Marks {
  std::uint64_t a = 0, b = 0;
};
inline Marks marks_of_64(const char* p, char a, char b) noexcept {
  Marks out;
  for (std::size_t i = 0; i < kWideSpan; i += kSpan) {
    const Span x(p + i);
    out.a |= std::uint64_t(x.equal(a)) << i;
    out.b |= std::uint64_t(x.equal(b)) << i;
  }
  return out;
}

// Eight bytes as a number, the first the lowest.
inline std::uint64_t eight_bytes(const char* p) noexcept {
  const auto* u = reinterpret_cast<const unsigned char*>(p);
  return std::uint64_t(u[0]) | std::uint64_t(u[1]) << 8 | std::uint64_t(u[2]) << 16 | std::uint64_t(u[3]) << 24 |
         std::uint64_t(u[4]) << 32 | std::uint64_t(u[5]) << 40 | std::uint64_t(u[6]) << 48 | std::uint64_t(u[7]) << 56;
}

// The number that eight digits stand for, the first the lowest byte; -1 where they are none.
inline std::int64_t eight_digits(std::uint64_t x) noexcept {
  constexpr std::uint64_t high = 0xF0F0F0F0F0F0F0F0ull;
  if (((x & high) | ((x + 0x0606060606060606ull) & high) >> 4) != 0x3333333333333333ull) return -1;
  // Pairs, then fours, then all: each step takes the first of two several times and adds the second.
  x = (x & 0x0F0F0F0F0F0F0F0Full) * (1 + (10 << 8)) >> 8;
  x = (x & 0x00FF00FF00FF00FFull) * (1 + (100 << 16)) >> 16;
  return static_cast<std::int64_t>((x & 0x0000FFFF0000FFFFull) * (1 + (10000ull << 32)) >> 32);
}

}  // namespace eggcrate
